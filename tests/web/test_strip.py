"""Day by day: pictures of two units, guessed at before the envelope opens, told after it; one image, a moving one."""

import io
import re

import pytest
from PIL import Image
from sqlmodel import Session

from eproba.standins.pictures import jpeg, scene, with_tag
from eproba.store.trials import load_trial
from tests.conftest import demo_garden
from tests.web.steps import text


def send(client, app, number, code, on, share):
    """A picture with the unit's tag, taken on a day."""
    with Session(app.extensions["engine"]) as session:
        key = load_trial(session, number).key
    picture = with_tag(scene(share, (1200, 900))[0], f"http://192.168.1.5:8080/t/{key}/{code}", wide=420)
    form = {"file": [(io.BytesIO(jpeg(picture)), f"{code}.jpg")], "on": on, "unit": code}
    assert client.post(f"/trials/{number}/photos", form).status_code == 302


@pytest.fixture
def pictured(client, app):
    """The running sugar ferment with pictures of one treated and one control patch, out of order and with a gap."""
    with Session(app.extensions["engine"]) as session:
        trial = load_trial(session, 5)
    treated = next(unit for unit in trial.units if unit.letter != trial.control)
    control = next(unit for unit in trial.units if unit.letter == trial.control)
    send(client, app, 5, treated.code, "2026-05-20", 0.3)
    send(client, app, 5, treated.code, "2026-05-13", 0.1)
    send(client, app, 5, control.code, "2026-05-20", 0.2)
    return trial, treated, control


@demo_garden
def test_rows_stand_beside_each_other_without_names_and_a_guess_is_kept(client, app, pictured):
    trial, treated, control = pictured
    page = text(client, "/trials/5/strip")
    assert "Row 1" in page
    assert "Row 2" in page
    assert page.index("Day 0") < page.index("Day 7"), "in the order of the days, not of sending"
    assert page.count("no picture") == 1
    assert "alfalfa" not in page.lower()
    assert f">{treated.code}<" not in page, "which unit it is tells who it is"
    asked = f"Which row is {trial.treatment(trial.control).name.lower()}?"
    assert asked in page.lower().replace("which row", "Which row")
    assert client.post("/trials/5/strip", {"unit": "X9"}).status_code == 400
    kept = client.post("/trials/5/strip", {"unit": control.code}, follow_redirects=True)
    assert "Kept. The verdict will tell whether you were right." in kept.text
    assert (
        "You have said it already: the first guess counts."
        in client.post("/trials/5/strip", {"unit": treated.code}).text
    )
    client.post("/trials/5/verdict/open", {"reason": "Frost"})
    assert "That was right." not in text(client, "/trials/5/strip"), "an early look opens nothing for the eye"


@demo_garden
def test_once_it_is_open_names_stand_there_and_the_verdict_tells_of_the_guess(client, app, pictured):
    _, treated, _ = pictured
    client.post("/trials/5/strip", {"unit": treated.code})
    assert client.post("/trials/5/end", {"reason": "Hail"}).status_code == 302
    page = text(client, "/trials/5/strip")
    assert "Row 1" not in page
    told = "took one row of the pictures for"
    assert told in page
    assert "It was another one. By luck alone 1 guess in 2 is right." in page
    assert told in text(client, "/trials/5/verdict")
    late = client.post("/trials/5/strip", {"unit": treated.code})
    assert "The envelope is open: a guess tells nothing any more." in late.text


@demo_garden
def test_frames_and_images_are_what_they_say(client, app, pictured):
    page = text(client, "/trials/5/strip")
    frames = re.findall(r"/trials/5/strip/\d-\d+\.jpg", page)
    assert len(frames) == 3
    for address in frames:
        assert Image.open(io.BytesIO(client.get(address).data)).size == (240, 240)
    still = Image.open(io.BytesIO(client.get("/trials/5/strip.webp").data))
    assert (still.format, getattr(still, "n_frames", 1)) == ("WEBP", 1)
    moving = Image.open(io.BytesIO(client.get("/trials/5/strip.webp?moving=yes").data))
    assert moving.n_frames == 2, "a day each"
    assert moving.width < still.width
    assert client.get("/trials/5/strip/9-0.jpg").status_code == 404
    assert client.get("/trials/5/strip/1-99.jpg").status_code == 404


@demo_garden
def test_without_pictures_it_says_what_it_takes(client):
    page = text(client, "/trials/5/strip")
    assert "one treated patch and one of the control" in page
    assert client.get("/trials/5/strip.webp").status_code == 404
    assert "Day by day</a>" not in text(client, "/trials/5")


@demo_garden
def test_the_report_bears_the_strip(client, app):
    with Session(app.extensions["engine"]) as session:
        trial = load_trial(session, 1)
    for letter in ("A", "B"):
        unit = next(unit for unit in trial.units if unit.letter == letter)
        send(client, app, 1, unit.code, "2026-05-18", 0.3)
    report = client.get("/trials/1/report").data.decode()
    assert 'src="data:image/webp;base64,' in report
