"""What a device could not bring home: pictures that were not kept, and entries as a file that finds its own way."""

import re
from base64 import b64encode
from io import BytesIO

import pytest
from playwright.sync_api import expect
from sqlalchemy import text as sql

from eproba.exchange.rescue_csv import read_rescue
from eproba.exchange.table import TableError
from eproba.standins.pictures import jpeg, scene
from tests.conftest import Client, demo_garden
from tests.web.entries import answers, op, till
from tests.web.steps import fill, planned, text
from tests.web.test_photos import key, shot

HEAD = (
    "trial;day;unit;measure;reading;value;skipped;read_at;read_on;again;undo;sure;meter;unit_of_value;seen;replaces;"
    "entry_id;trial_key;round_key;measure_key"
)


def line(told, number, unit, value, name="A trial", **more):
    """One row as the device writes it."""
    cells = {
        "trial": name, "day": "9", "unit": unit, "reading": "1", "value": value, "read_at": "2026-05-20T09:00:00.000Z",
        "entry_id": f"rescued-{number:04}", "trial_key": told["trial"], "round_key": told["round"],
        "measure_key": "moisture_meter", **more,
    }  # fmt: skip
    return ";".join(cells.get(column, "") for column in HEAD.split(";"))


def taken(client, rows, trial=2, **form):
    """The page that is shown after a file is brought in by the page of a trial."""
    whole = "\r\n".join([HEAD, *rows])
    return client.post(f"/trials/{trial}/readings/import", {"text": whole, **form}, follow_redirects=True).text


@demo_garden
def test_each_row_goes_to_its_own_trial_or_is_refused_by_name(app, client):
    wool, carrot = till(client, "/trials/2/rounds/9"), {"trial": "fedcba9876543210", "round": "0123456789abcdef"}
    assert answers(client, op(wool, 7, "H7", "7.1", id="rescued-0007"))[0]["status"] == "saved"
    rows = [
        line(wool, 1, "H1", "5.1", name="Wool"),
        line(wool, 2, "H2", "5.2", again="yes"),
        line(wool, 3, "H3", "", skipped="'=1+1"),
        line(wool, 4, "H4", "5", name="Wool", round_key="gone"),
        line(carrot, 5, "P1", "12", name="Peppers"),
        line(wool, 7, "H7", "7.1"),
    ]
    before = client.get("/trials/2/readings.csv").text
    # Brought in by the page of another trial.
    page = taken(client, rows, trial=5)
    assert "4 entries can be taken, 2 can’t" in page
    assert re.search(r"Line 6, <span data-own>Peppers</span>, P1:</strong> This garden has no such trial", page)
    assert "Wool</span>, H4:</strong> This round was removed from the plan." in page
    assert client.get("/trials/2/readings.csv").text == before, "a look writes nothing"
    assert "4 entries are on record, each in its own trial; 2 are not." in taken(client, rows, trial=5, go="take")
    kept = {row.split(",")[2]: row.split(",") for row in text(client, "/trials/2/readings.csv").splitlines()[1:]
            if row.split(",")[0] == "9"}  # fmt: skip
    assert kept["H1"][8] == "5.1"
    assert "H2" not in kept, "a second reading stays beside"
    assert "'=1+1" in kept["H3"], "as it was typed, and no formula for a spreadsheet"
    assert taken(client, rows, trial=5, go="take").count("4 entries are on record") == 1, "taken twice, kept once"
    assert "1 entry is on record." in taken(client, rows[:1], trial=5, go="take")


def test_a_file_of_readings_that_names_another_trial_is_not_taken_for_this(client, draft):
    planned(client, draft)
    trial = client.post(f"{draft}/deal", {"go": "deal"}).headers["Location"].split("?")[0]
    rows = "trial;day;unit;measure;value\nPeppers;0;P1;plant_height;12\n"
    refused = client.post(f"{trial}/readings/import", {"text": rows})
    assert "this row is of “Peppers”: bring the file in there" in refused.text
    with pytest.raises(TableError, match="is no moment"):
        read_rescue((HEAD + "\n" + ";".join(["x"] * 20)).replace("x;x;x;x;x", "x;9;P1;x;1").encode())


# --- Pictures ---------------------------------------------------------------------------------------------------------


@pytest.fixture
def trial(client, draft):
    planned(client, draft)
    fill(client, draft, "measure", also=["cover", "greenness"])
    return client.post(f"{draft}/deal", {"go": "deal"}).headers["Location"].split("?")[0]


def first_round(client, trial):
    return f"{trial}/rounds/" + re.search(rf"{trial}/readings\?round=(\d+)", text(client, f"{trial}/readings"))[1]


@pytest.mark.long
def test_a_picture_stays_on_the_phone_until_the_computer_has_kept_it(phone, client, clock, trial, app, draft):
    """Of another trial, unreadable, or of a trial that is gone: each is held with why, and goes where a person says."""
    clock.forward(days=1)
    other = client.post("/trials/new").headers["Location"].rsplit("/", 1)[0]
    planned(client, other)
    fill(client, other, "claim", name="Peppers", claim="It helps.")
    peppers = client.post(f"{other}/deal", {"go": "deal"}).headers["Location"].split("?")[0]
    phone.goto(first_round(client, trial))
    expect(phone.locator(".till-count")).to_be_visible()

    def snap(content):
        phone.evaluate(
            "([letters, to]) => Keeper.addPicture({ to, unit: 'P1', round: Keeper.here, trialName: 'Mine', taken: 1 },"
            " new Blob([Uint8Array.from(atob(letters), (letter) => letter.charCodeAt(0))])).then(() => Keeper.send())",
            [b64encode(content).decode(), f"{trial}/photos"],
        )

    snap(shot(key(client, peppers), "P3"))
    card = phone.locator(".till-conflict")
    expect(card).to_contain_text("The tag P3 is one of “Peppers”.")
    assert "0 pictures" in text(client, f"{peppers}/photos")
    card.get_by_role("button", name="Send it to its own trial").click()
    expect(phone.locator(".till-line")).to_contain_text("All sent.")
    assert "1 picture," in text(client, f"{peppers}/photos")
    snap(b"no picture at all")
    expect(card).to_contain_text("This is no picture that can be read")
    phone.goto("/waiting")
    expect(phone.locator("main")).to_contain_text("Mine, P1: picture")
    with phone.expect_download() as saved:
        phone.get_by_role("button", name="Save the picture").click()
    assert saved.value.path().read_bytes() == b"no picture at all"
    phone.get_by_role("button", name="Throw mine away").click()
    expect(phone.get_by_text("Nothing waits here")).to_be_visible()
    client.post(f"{trial}/delete", {"sure": "y"})
    snap(jpeg(scene(0.1)[0]))
    expect(phone.locator("main")).to_contain_text("There is no such trial; it may have been deleted.")


def test_a_picture_s_number_counts_for_the_day_on_which_it_was_taken(app, client, clock, trial):
    """Sent and said yes to when its unit was lost and the trial ended: it was taken before."""
    clock.forward(days=1)
    taken_at = int(clock.at.timestamp() * 1000)
    mine = till(client, first_round(client, trial))
    clock.forward(days=3)
    with app.extensions["engine"].connect() as connection:
        number = connection.scalar(sql("SELECT id FROM unit WHERE code = 'P1'"))
    assert client.post(f"{trial}/units/{number}", {"reason": "slugs"}).status_code == 302
    photo = (BytesIO(shot(key(client, trial), "P1")), "a.jpg")
    sent = {"file": [photo], "round": mine["round"], "unit": "P1", "taken": str(taken_at)}
    client.post(f"{trial}/photos", sent, content_type="multipart/form-data")
    client.post(f"{trial}/end", {"reason": "hail", "sure": "y"})
    page = text(client, f"{trial}/photos")
    photo = re.search(rf"{trial}/photos/(\d+)\"", page)[1]
    form = re.search(r'option value="(\d+)" selected>', text(client, f"{trial}/photos/{photo}"))[1]
    decided = client.post(f"{trial}/photos/{photo}", {"unit": "P1", "round": form, "go": "yes", "outline": ""})
    assert decided.status_code == 302, decided.text
    rows = [row.split(",") for row in Client(client.plain.application).get(f"{trial}/readings.csv").text.splitlines()]
    assert [row[12][:10] for row in rows if row[6] == "Cover from a photo"] == ["2026-05-21"]
