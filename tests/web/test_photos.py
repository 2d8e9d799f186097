"""Pictures of units: many at once, sorted by their tags, a yes makes readings, looked at over days and side by side."""

import json
import re
from io import BytesIO

import numpy as np
import pytest
from PIL import Image

from eproba.standins.pictures import jpeg, scene, with_tag
from tests.web.entries import answers, op, till
from tests.web.steps import fill, planned, text


@pytest.fixture
def trial(client, draft):
    planned(client, draft)
    fill(client, draft, "measure", also=["cover", "greenness"])
    return client.post(f"{draft}/deal", {"go": "deal"}).headers["Location"].split("?")[0]


def shot(key, code, share=0.3, seed=3):
    """A picture of a unit, 1600 pixels wide."""
    picture, _ = scene(share, (1600, 1200), seed)
    return jpeg(with_tag(picture, text=f"http://garden.test/t/{key}/{code}", at=(100, 100), wide=560))


def send(client, trial, *files):
    sent = [(BytesIO(content), f"{n}.jpg") for n, content in enumerate(files)]
    return client.post(
        f"{trial}/photos", {"file": sent}, content_type="multipart/form-data", follow_redirects=True
    ).text


def key(client, trial):
    whole = json.loads(text(client, f"{trial}/export.json"))["trial"]
    return whole["key"]


def values(client, trial):
    rows = [row.split(",") for row in text(client, f"{trial}/readings.csv").splitlines()[1:]]
    return {(row[2], row[6]): float(row[8]) for row in rows if row[8]}


def test_many_pictures_find_their_units_and_a_yes_makes_readings(client, trial, clock):
    clock.forward(days=1)
    mine = key(client, trial)
    bare = jpeg(scene(0.1)[0])
    said = send(client, trial, shot(mine, "P1"), shot(mine, "P2", 0.1), shot("fedcba9876543210", "P3"), bare, b"GIF89a")
    assert "P1, cover 3" in said
    assert "P2, cover 1" in said
    assert "The tag P3 is one of another trial: send this picture there." in said
    assert "To be sorted: No tag is found: lay the unit’s printed tag flat beside the plant" in said
    assert "This is no picture that can be read" in said
    page = text(client, f"{trial}/photos")
    assert "3 pictures" in page
    assert page.count("which unit?") == 1
    send(client, trial, shot(mine, "P1"))
    assert "3 pictures" in text(client, f"{trial}/photos"), "the same picture once more changes nothing"
    first = re.search(rf"{trial}/photos/(\d+)\"", page).group(1)
    form = re.search(r'option value="(\d+)" selected>Day 0', text(client, f"{trial}/photos/{first}"))
    decided = client.post(f"{trial}/photos/{first}", {"unit": "P1", "round": form.group(1), "go": "yes", "outline": ""})
    assert decided.status_code == 302
    assert values(client, trial)["P1", "Cover from a photo"] == pytest.approx(30, abs=3)
    assert values(client, trial)["P1", "Greenness from a photo"] == pytest.approx(0.474, abs=0.01)
    half = {"unit": "P1", "round": form.group(1), "go": "yes", "outline": "900,700;1000,700;1000,800;900,800"}
    assert client.post(f"{trial}/photos/{first}", half).status_code == 302
    again = values(client, trial)["P1", "Cover from a photo"]
    shown = re.search(r"Cover <strong>([\d.]+) %", text(client, f"{trial}/photos/{first}")).group(1)
    assert again == pytest.approx(float(shown), abs=0.6), "measured again, a yes takes the new number"
    assert text(client, f"{trial}/photos").count("/photos/") < page.count("/photos/"), "it waits no longer"


def test_without_a_tag_it_is_sorted_by_hand_and_a_no_keeps_it_without_a_number(client, trial, clock):
    clock.forward(days=1)
    send(client, trial, jpeg(scene(0.1)[0]))
    number = re.search(rf"{trial}/photos/(\d+)\"", text(client, f"{trial}/photos")).group(1)
    place = f"{trial}/photos/{number}"
    refused = client.post(place, {"unit": "", "round": "", "go": "yes"})
    assert refused.status_code == 400
    assert "Say first which unit it shows, and in which round." in refused.text
    this = re.search(r'option value="(\d+)"[^>]*>Day 0', text(client, place)).group(1)
    client.post(place, {"unit": "P5", "round": this, "go": "no"})
    assert values(client, trial) == {}
    assert "P5" in text(client, f"{trial}/photos/units/P5")
    side = text(client, f"{trial}/photos/rounds/{this}")
    assert "Who got what stays hidden until" in side
    assert 'class="stake' not in side.split("photo-grid")[1]
    kept = client.get(f"{place}.jpg")
    assert max(Image.open(BytesIO(kept.data)).size) <= 1600
    assert client.get(f"{place}/mask.jpg").content_type == "image/jpeg"
    client.post(place, {"go": "drop"})
    assert client.get(place).status_code == 404
    assert "Your pictures will stand here" in text(client, f"{trial}/photos")


def test_an_outline_is_remembered_for_the_next_picture_of_its_unit(client, trial, clock):
    clock.forward(days=1)
    mine = key(client, trial)
    send(client, trial, shot(mine, "P1"))
    place = f"{trial}/photos/" + re.search(rf"{trial}/photos/(\d+)\"", text(client, f"{trial}/photos")).group(1)
    form = {"unit": "P1", "round": "", "go": "again", "outline": "800,600;1500,600;1500,1100;800,1100"}
    assert client.post(place, form).status_code == 302
    assert "800,600;1500,600" in text(client, place)
    moved = np.roll(scene(0.3, (1600, 1200), 3)[0], 40, axis=1)
    next_time = with_tag(moved, text=f"http://garden.test/t/{mine}/P1", at=(140, 100), wide=560)
    send(client, trial, jpeg(next_time))
    found = re.findall(rf"{trial}/photos/(\d+)\"", text(client, f"{trial}/photos"))
    later = text(client, f"{trial}/photos/{max(found, key=int)}")
    corners = [
        int(each)
        for each in re.search(r'name="outline"\s+value="([\d,;]+)"', later).group(1).replace(";", ",").split(",")[:4]
    ]
    assert corners == pytest.approx([840, 600, 1540, 600], abs=6), "it moves with the tag"
    pot = {**form, "shape": "circle", "outline": "1000,800;1200,800"}
    assert client.post(place, pot).status_code == 302
    rim = re.search(r'name="outline"\s+value="([\d,;]+)"', text(client, place)).group(1).strip(";").split(";")
    assert len(rim) == 24
    away = [np.hypot(*(np.array(point.split(","), float) - (1000, 800))) for point in rim]
    assert away == pytest.approx([200] * 24, abs=3), "the middle, then the rim"


def test_a_reading_that_somebody_typed_is_not_written_over_by_a_picture(client, trial, clock):
    clock.forward(days=1)
    mine = key(client, trial)
    send(client, trial, shot(mine, "P2"))
    place = f"{trial}/photos/" + re.search(rf"{trial}/photos/(\d+)\"", text(client, f"{trial}/photos")).group(1)
    this = re.search(r'option value="(\d+)" selected>Day 0', text(client, place)).group(1)
    here, at = till(client, f"{trial}/rounds/{this}"), int(clock.at.timestamp() * 1000)
    answers(client, op(here, 1, "P2", "55", "cover", at=at))
    refused = client.post(place, {"unit": "P2", "round": this, "go": "yes", "outline": ""})
    assert refused.status_code == 400
    assert "Somebody typed this reading: it stays." in refused.text
    assert values(client, trial)["P2", "Cover from a photo"] == 55
