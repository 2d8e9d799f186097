"""Tables, corrections, CSV out and in: all or nothing, each bad row named."""

import io

import pytest

from tests.conftest import demo_garden

ON = {"read_on": "2026-04-20"}
HEAD = "date;unit;measure;reading;value\n"


@demo_garden
def test_a_correction_keeps_the_old_value_and_its_reason(client):
    form = {"value": "7,25", "reason": "read from the wrong pot", "version": "1", "read_on": "2026-04-20"}
    page = client.post("/trials/1/readings/1", form, follow_redirects=True).get_data(as_text=True)
    assert "Corrected. The old value is kept." in page
    assert "now 7.2: read from the wrong pot" in page or "now 7.3: read from the wrong pot" in page


@demo_garden
def test_two_corrections_at_once_the_second_sees_both(client):
    client.post("/trials/1/readings/1", {"value": "7", "reason": "first", "version": "1", **ON})
    second = client.post("/trials/1/readings/1", {"value": "8", "reason": "second", "version": "1", **ON})
    page = second.get_data(as_text=True)
    assert second.status_code == 409
    assert "it is now 7.0 cm" in page
    assert "You typed 8" in page
    again = client.post("/trials/1/readings/1", {"value": "8", "reason": "second", "version": "2", **ON})
    assert again.status_code == 302


@demo_garden
@pytest.mark.parametrize(
    ("form", "said"),
    [({"value": "x", "reason": "r"}, "not a number"), ({"value": "5", "reason": ""}, "Say why")],
)
def test_a_bad_correction_keeps_what_was_typed(client, form, said):
    response = client.post("/trials/1/readings/1", {**form, "version": "1", **ON})
    page = response.get_data(as_text=True)
    assert response.status_code == 400
    assert said in page
    assert f'value="{form["value"]}"' in page


@demo_garden
def test_csv_goes_out_and_comes_in_again(client):
    """Everything out of a finished trial, into a copy of it planned for the same days."""
    out = client.get("/trials/1/readings.csv")
    assert out.headers["Content-Disposition"] == 'attachment; filename="comfrey-and-whey-on-rainbow-chard.csv"'
    lines = out.get_data(as_text=True).splitlines()
    assert len(lines) == 1 + 18 * 5 * 2
    refused = send(client, "/trials/1", out.get_data(as_text=True))
    assert refused.status_code == 400
    assert "the envelope is open: it needs a reason" in refused.get_data(as_text=True)
    again = send(client, "/trials/1", out.get_data(as_text=True), reason="found the sheet")
    assert "already on record" in again.get_data(as_text=True)
    again = client.post("/trials/1/copy", follow_redirects=True)
    draft = again.request.path.rsplit("/", 1)[0]
    step = client.get(f"{draft}/measure").get_data(as_text=True)
    assert 'value="28"' in step
    measure = {
        "measure": "widest_leaf", "aim": "better", "worth": "15", "scale": "ratio", "better": "higher",
        "start_on": "20.4.2026", "decision_day": "28", "per_unit": "1", "sown": "",
        "also": "leaf_count", "summary": "last",
    }  # fmt: skip
    client.post(f"{draft}/measure", {**measure, "go": "next"})
    copied = client.post(f"{draft}/deal", {"go": "deal"}).headers["Location"].split("?")[0]
    plain = [line.split(",") for line in lines[1:]]
    text = "day;unit;measure;reading;value\n" + "\n".join(";".join([c[0], c[2], c[6], c[7], c[8]]) for c in plain)
    looked = send(client, copied, text).get_data(as_text=True)
    assert "180 readings ready to be taken" in looked
    taken = send(client, copied, text, go="take")
    assert taken.status_code == 302
    assert len(client.get(f"{copied}/readings.csv").get_data(as_text=True).splitlines()) == 181


def send(client, trial, text, **more):
    return client.post(f"{trial}/readings/import", {"text": text, **more})


ROW = "2026-05-23;P1;Widest leaf;1;9,5\n"


@demo_garden
@pytest.mark.parametrize(
    ("rows", "said"),
    [
        ("2026-05-22;P99;Plant height;1;9\n", ["Line 2, unit:", "its units are P1 to P16"]),
        ("2026-05-22;P1;Worms;1;9\n", ["Line 2, measure:", "is no measure of this trial; they are Plant height"]),
        ("2026-05-22;P1;Plant height;1;tall\n", ["Line 2, value:", "is not a number"]),
        (
            "2026-05-22;P1;Plant height;1;900\n",
            ["1 value outside the sensible", "Line 2, value:", "outside 0 to 300"],
        ),
        ("2026-05-23;P1;Plant height;1;9\n", ["Line 2, date:", "no round on day 1"]),
        ("03/04/2026;P1;Plant height;1;9\n", ["can be read two ways"]),
        ("sometime;P1;Plant height;1;9\n", ["is no date"]),
        ("2026-05-22;P1;Plant height;x;9\n", ["no reading number"]),
        ("22.5.2026;P1;Plant height;1;9\n22/5/2026;p1;plant_height;1;8\n", ["Line 3, unit:", "in the file twice"]),
        ("22.5.2026;P2;Plant height;1;9\n2026-05-22;P99;Plant height;1;9\n", ["1 row is right", "nothing is taken"]),
    ],
)
def test_bad_rows_are_named_and_nothing_is_taken(client, rows, said):
    for go in ({}, {"go": "take"}):
        response = client.post("/trials/4/readings/import", {"text": HEAD + rows, **go})
        page = response.get_data(as_text=True)
        assert response.status_code == 400
        assert all(words in page for words in said)
        assert rows.strip().splitlines()[-1] in page, "what was typed is still there to be mended"
    assert len(client.get("/trials/4/readings.csv").get_data(as_text=True).splitlines()) == 1


@demo_garden
@pytest.mark.parametrize(
    "raw",
    [
        '\ufeffdate,unit,measure,value\r\n2026-05-22,P1,Plant height,"9,5"\r\n'.encode(),
        "date\tunit\ttreatment\tmeasure\tvalue\n22 May 2026\tP1\t\tPlant height\t9.5\n".encode("utf-16"),
        b"day;unit;measure;value\n0;P1;plant_height;9,5\n",
    ],
)
def test_files_of_every_common_kind_are_taken(client, raw):
    data = {"file": (io.BytesIO(raw), "round.csv")}
    looked = client.post("/trials/4/readings/import", data, content_type="multipart/form-data")
    assert "1 reading ready to be taken" in looked.get_data(as_text=True)


@demo_garden
def test_a_wrong_treatment_an_empty_file_a_file_too_large(client):
    wrong = send(client, "/trials/4", "day;unit;treatment;measure;value\n0;P1;Nettle;Plant height;9\n")
    assert "unknown or wrong treatment “Nettle”" in wrong.get_data(as_text=True)
    for text, said in (
        ("", "the file is empty"),
        (HEAD, "no reading below it"),
        ("unit;measure;value\n1;2;3", "needs a column date"),
    ):
        response = send(client, "/trials/4", text)
        assert (response.status_code, said in response.get_data(as_text=True)) == (400, True)
    large = {"file": (io.BytesIO(b"x" * 21_000_000), "large.csv")}
    refused = client.post("/trials/4/readings/import", large, content_type="multipart/form-data")
    assert refused.status_code == 413
    assert "Eproba takes files up to 20 MB" in refused.get_data(as_text=True)
