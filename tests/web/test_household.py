"""The household: its devices, who types on them, its passcode."""

import re
from dataclasses import replace

import pytest

from eproba.store.doorkeeping import new_passcode
from eproba.web.app import create_app
from tests.conftest import Client
from tests.web.entries import op

demo_garden = pytest.mark.parametrize("garden", ["demo"], indirect=True)


@pytest.fixture
def house(apart, settings, clock):
    """The app open to the home network, with a passcode; and the passcode."""
    app = create_app(replace(settings, home_network=True), clock)
    app.config["PASSCODE"] = new_passcode(settings.database_url, clock())
    yield app
    app.extensions["engine"].dispose()


def joined(app, who, role="reads"):
    client, answer = tried(app, app.config["PASSCODE"], who, role)
    assert (answer.status_code, answer.headers["Location"]) == (302, "/devices")
    return client


def tried(app, passcode, who, role="reads"):
    """A device and what it is answered when it gives a passcode."""
    client = Client(app)
    token = re.search(r'name="csrf_token"[^>]*value="([^"]+)"', client.get("/join").text)[1]
    form = {"csrf_token": token, "passcode": passcode, "who": who, "role": role, "next": "/devices"}
    return client, client.plain.post("/join", data=form, base_url="http://localhost")


@demo_garden
def test_devices_are_listed_and_put_out_one_by_one_or_all(house, clock):
    ben, ilse, mo = joined(house, "Ben"), joined(house, "Ilse", "pours"), joined(house, "Mo")
    clock.forward(minutes=5)
    sent = op({"trial": "", "round": ""}, 1, "H1", "5", "surface_worms")
    ilse.send("/entries", {"entries": [sent]})
    page = ben.get("/devices").text
    assert "Who can get in <small>3 devices, 0 other keys" in page
    rows = re.findall(r"<li> <p> <strong>(.*?)</li>", page)
    names = [row.split("<")[0] for row in rows]
    assert (names[0], sorted(names)) == ("Ilse", ["Ben", "Ilse", "Mo"]), "who sent something last is first"
    assert "shows who gets what in blind trials" in rows[0]
    assert "this device" in rows[names.index("Ben")]
    assert 'aria-label="Put out Ben"' not in page
    shown = re.findall(r'name="device" value="(\w+)"> <button class="[^"]*" aria-label="Put out (\w+)"', page)
    by_name = {name: handle for handle, name in shown}
    assert "That device is put out." in ben.post("/devices/out", {"device": by_name["Mo"]}, follow_redirects=True).text
    assert mo.get("/trials").headers["Location"].startswith("/join?next=/trials")
    assert "put out already" in ben.post("/devices/out", {"device": by_name["Mo"]}, follow_redirects=True).text
    assert "1 device is put out." in ben.post("/devices/out", {"device": "all"}, follow_redirects=True).text
    assert ilse.get("/trials").status_code == 302
    assert ben.get("/trials").status_code == 200


def test_who_leaves_is_forgotten(house):
    ben = joined(house, "Ben")
    assert ben.post("/leave").status_code == 302
    assert ben.get("/trials").headers["Location"].startswith("/join")
    assert "Who can get in <small>1 device, " in joined(house, "Mo").get("/devices").text


def test_a_new_passcode_is_shown_once_puts_the_others_out_and_can_revoke_the_calendars(house):
    ben, mo = joined(house, "Ben", "pours"), joined(house, "Mo")
    ben.post("/calendar/feeds")
    feed = re.search(r"/feeds/[\w-]+\.ics", ben.get("/calendar").text)[0]
    assert "Also revoke 1 other key" in ben.get("/devices").text
    kept = ben.post("/passcode")
    assert kept.headers["Cache-Control"] == "no-store"
    assert house.test_client().get(feed, base_url="http://localhost").status_code == 200
    assert mo.get("/trials").status_code == 302
    assert ben.get("/who").text.count("checked") == 1
    assert 'value="Ben"' in ben.get("/who").text
    made = ben.post("/passcode", {"keys": "revoke"}).text
    digits = re.search(r"(\d{4}) (\d{4})</p>", made)
    assert "All links, calendar addresses and meters’ tokens are revoked" in made
    assert house.test_client().get(feed, base_url="http://localhost").status_code == 404
    _, again = tried(house, f"{digits[1]} {digits[2]}", "Mo")
    assert again.status_code == 302, "as it is written on the page, with its gap"
    _, old = tried(house, house.config["PASSCODE"], "Eve")
    assert (old.status_code, "That is not the passcode" in old.text) == (400, True)
