"""Tables, corrections, CSV out and in: all or nothing, each bad row named."""

import io
import re

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
    book = client.get("/trials/1/readings.xlsx").get_data()
    assert book.startswith(b"PK")
    back = {"file": (io.BytesIO(book), "back.xlsx")}
    told = client.post("/trials/1/readings/import", back, content_type="multipart/form-data").get_data(as_text=True)
    assert "Nothing new: 180 readings" in " ".join(told.split())
    again = send(client, "/trials/1", out.get_data(as_text=True))
    assert "Nothing new: 180 readings of the file are on record already" in " ".join(
        again.get_data(as_text=True).split()
    )
    changed = re.sub(r"^(28,[^\n]*Widest leaf,1,)[^,]*", r"\g<1>3", out.get_data(as_text=True), count=1, flags=re.M)
    refused = send(client, "/trials/1", changed)
    assert refused.status_code == 400
    assert "the envelope is open: it needs a reason" in refused.get_data(as_text=True)
    again = send(client, "/trials/1", changed, reason="found the sheet")
    assert "already on record" in again.get_data(as_text=True)
    again = client.post("/trials/1/copy", follow_redirects=True)
    draft = again.request.path.rsplit("/", 1)[0]
    step = client.get(f"{draft}/measure").get_data(as_text=True)
    assert 'value="28"' in step
    measure = {
        "measure": "widest_leaf", "aim": "better", "worth": "15", "scale": "ratio", "better": "higher",
        "start_on": "20.4.2026", "sure": "20.4.2026", "decision_day": "28", "per_unit": "1", "sown": "",
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


# --- After the fact, and after the opening --------------------------------------------------------------------


def exported(client, trial):
    return client.get(f"/trials/{trial}/export.json").get_json()


@demo_garden
def test_a_change_after_the_opening_keeps_who_when_and_what_the_verdict_was(client):
    client.post("/who", {"who": "Ben"})
    client.post("/trials/1/readings/1", {"value": "7.25", "reason": "wrong pot", "version": "1", **ON})
    (change,) = exported(client, 1)["corrections"]
    assert (change["sealed"], change["by"], change["reason"]) == (False, "Ben", "wrong pot")
    assert change["verdict_before"].startswith("Better")
    assert "Changed after the opening by Ben (wrong pot); the verdict was: Better" in told(client, "/trials/1")
    assert "after the opening)" in told(client, "/trials/1/readings?round=1")
    ledger = told(client, "/trials/1/verdict")
    assert "Changed with the envelope open, by Ben: 1 reading. The verdict before was: Better" in ledger


@demo_garden
def test_a_reading_is_added_after_the_fact_with_its_own_day(client):
    place = "/trials/2/readings/new?round=8&unit=H1&measure=surface_worms&reading=1"
    page = told(client, place)
    assert "On record:" in page, "there is one: it is corrected"
    client.post("/trials/2/rounds/9/finish", {"note": "", "seen": ""})
    table = told(client, "/trials/2/readings?round=9")
    assert table.count(">add<") == 30
    place = "/trials/2/readings/new?round=9&unit=H1&measure=surface_worms&reading=1"
    form = {"value": "4", "read_on": "2026-05-19", "reason": "from the paper", "version": "0"}
    assert client.post(place, form).status_code == 302
    again = client.post(place, {**form, "value": "5"})
    assert (again.status_code, "it is now 4.0" in again.get_data(as_text=True)) == (409, True)
    reading = exported(client, 2)["readings"][-1]
    assert (reading["value"], reading["source"], reading["read_at"][:10]) == (4.0, "form", "2026-05-19")
    assert "Day 9: 1 reading truly read on day 8." in told(client, "/trials/2")
    for wrong in ("unit=H99", "measure=fresh_mass", "reading=9", "round=1"):
        name = wrong.split("=")[0]
        kept = "&".join(each for each in place.split("?")[1].split("&") if not each.startswith(name))
        assert client.get(f"/trials/2/readings/new?{kept}&{wrong}").status_code == 404


@demo_garden
def test_an_odd_value_is_asked_about_in_form_and_file_alike(client):
    form = {"value": "900", "reason": "r", "version": "1", **ON}
    asked = client.post("/trials/1/readings/1", form)
    assert "900 is outside 0 to 80 cm" in asked.get_data(as_text=True)
    assert client.post("/trials/1/readings/1", {**form, "sure": "y"}).status_code == 302
    rows = HEAD + "2026-05-22;P1;Plant height;1;900\n"
    assert "The odd values are right" in send(client, "/trials/4", rows).get_data(as_text=True)
    assert send(client, "/trials/4", rows, go="take").status_code == 400
    assert send(client, "/trials/4", rows, go="take", sure="yes").status_code == 302
    assert exported(client, 4)["readings"][0]["typed"] == "900"


@demo_garden
def test_of_many_bad_rows_the_first_are_named_and_all_are_counted(client):
    rows = HEAD + "".join(f"day {n};P99;Tallness;x;tall\n" for n in range(20_000))
    page = send(client, "/trials/4", rows).get_data(as_text=True)
    assert "20000 rows can’t be taken, so nothing is taken" in page
    assert page.count("<strong>Line ") == 50
    assert "… and 19950 more." in page


@demo_garden
def test_true_days_go_out_and_come_in_again(client):
    rows = "day;unit;measure;value;read_on\n12;H1;surface_worms;3;2026-05-19\n12;H2;surface_worms;3;\n"
    assert send(client, "/trials/2", rows, go="take").status_code == 302
    lines = [line.split(",") for line in client.get("/trials/2/readings.csv").get_data(as_text=True).splitlines()]
    columns = {name: i for i, name in enumerate(lines[0])}
    taken = {row[2]: row[columns["read_at"]][:10] for row in lines[1:] if row[0] == "12"}
    assert taken == {"H1": "2026-05-19", "H2": ""}, "where a file does not say, the planned day stands"
    late = "day;unit;measure;value;read_on\n12;H3;surface_worms;3;2026-05-21\n"
    assert "is still to come" in send(client, "/trials/2", late).get_data(as_text=True)


@demo_garden
def test_an_empty_sheet_of_a_round_is_filled_in_and_brought_back(client):
    number = re.search(r"readings.csv\?round=(\d+)", told(client, "/trials/2/readings?round=9")).group(1)
    sheet = client.get(f"/trials/2/readings.csv?round={number}").get_data(as_text=True)
    lines = sheet.replace("\ufeff", "").splitlines()
    assert lines[0] == "day,unit,measure,reading,value,unit_of_value,read_on"
    day = lines[1].split(",")[0]
    assert {line.split(",")[1] for line in lines[1:]} == {f"H{n}" for n in range(1, 11)}
    assert "No value in it yet: empty cells are nothing" in send(client, "/trials/2", sheet).get_data(as_text=True), (
        "empty cells are nothing"
    )
    first = [line for line in lines if ",1,," in line][:3]
    filled = "\r\n".join([lines[0], *(line.replace(",1,,", ",1,3,") for line in first)])
    assert send(client, "/trials/2", filled, go="take").status_code == 302
    taken = client.get("/trials/2/readings.csv").get_data(as_text=True)
    assert sum(row.startswith(f"{day},") and ",3," in row for row in taken.splitlines()) == 3
    assert client.get("/trials/2/readings.csv?round=999").status_code == 404


def told(client, path):
    return client.get(path).get_data(as_text=True)
