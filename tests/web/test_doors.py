"""Who comes in: names that lead here, headers, devices that are put out, a passcode that is changed."""

import re
from dataclasses import replace

import pytest
from sqlalchemy import text
from sqlmodel import Session

from eproba.store.doorkeeping import new_passcode
from eproba.web.app import create_app
from eproba.web.settings import Settings
from eproba.web.ui.doors import HEADERS, host_asked, is_own_address, is_own_page, served_at
from tests.conftest import Client
from tests.web.entries import answers, op, till

demo_garden = pytest.mark.parametrize("garden", ["demo"], indirect=True)
ALONE = Settings("", "k", hosts=("garden.example",))
AT_HOME = replace(ALONE, home_network=True)


@pytest.fixture
def house(settings, clock):
    """The app open to the home network, with a passcode; and the passcode."""
    app = create_app(replace(settings, home_network=True), clock)
    app.config["PASSCODE"] = new_passcode(settings.database_url)
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


# --- Names --------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("host", "alone", "at_home"),
    [
        ("localhost", True, True),
        ("127.0.0.1", True, True),
        ("::1", True, True),
        ("garden.example", True, True),
        ("evil.example", False, False),
        ("127.0.0.2", False, True),
        ("192.0.2.1", False, False),
        ("0.0.0.0", False, False),  # a way round the same-origin rule
        ("", False, False),
    ],
)
def test_eproba_answers_to_its_own_names_alone(host, alone, at_home):
    assert (served_at(host, ALONE), served_at(host, AT_HOME)) == (alone, at_home)


def test_in_the_home_network_the_machine_s_own_name_leads_here(monkeypatch):
    from eproba.web.ui import doors

    monkeypatch.setattr("socket.gethostname", lambda: "Shed")
    doors._own_names.cache_clear()
    assert served_at("shed.local", AT_HOME)
    assert not served_at("shed.local", ALONE)
    doors._own_names.cache_clear()
    assert is_own_address("127.0.0.9")
    assert not is_own_address("192.0.2.9")


@pytest.mark.parametrize(
    ("header", "host"),
    [("a.b:80", "a.b"), ("[::1]:80", "::1"), ("A.B.", "a.b"), ("[::1", ""), ("u@a.b", "a.b"), ("", "")],
)
def test_the_name_in_a_host_header(header, host):
    assert host_asked(header) == host


def test_another_name_gets_a_sentence_and_no_page(app):
    answer = app.test_client().get("/trials", base_url="http://evil.example")
    assert answer.status_code == 400
    assert "Eproba does not answer to the name evil.example here" in answer.text
    assert app.test_client().get("/trials", base_url="http://garden.test:8710").status_code == 200


@pytest.mark.parametrize(
    ("address", "own"),
    [("/trials/2", True), ("/trials?find=a+b", True), ("/nowhere", False), ("/trials//evil", False), ("", False),
     ("/\\evil", False), ("//evil.test", False), ("https://evil.test/trials", False), ("/devices/out", False),
     ("/a b", False), ("/\ttrials", False)],
)  # fmt: skip
def test_one_is_led_to_pages_of_this_app_alone(app, address, own):
    assert is_own_page(app, address) == own


def test_every_answer_bears_the_headers(app):
    for address in ("/", "/nowhere", "/health"):
        answer = app.test_client().get(address, base_url="http://localhost")
        assert {name: answer.headers.get(name) for name in HEADERS} == HEADERS
        assert "Strict-Transport-Security" not in answer.headers
    assert "default-src 'self'; script-src 'self'; style-src 'self' 'sha256-" in HEADERS["Content-Security-Policy"]
    assert HEADERS["X-Frame-Options"] == "DENY"


def test_behind_a_proxy_with_https(settings, clock):
    """Plain http is led to https, cookies go over https alone, links bear the name that the proxy was asked by."""
    app = create_app(replace(settings, https=True, hosts=("garden.example",)), clock)
    plain = app.test_client().get("/trials?page=1", base_url="http://garden.example")
    assert (plain.status_code, plain.headers["Location"]) == (308, "https://garden.example/trials?page=1")
    told = {"X-Forwarded-Proto": "https", "X-Forwarded-Host": "garden.example", "X-Forwarded-For": "192.0.2.4"}
    page = app.test_client().get("/who", base_url="http://127.0.0.1:8710", headers=told)
    assert page.status_code == 200
    assert "max-age=31536000" in page.headers["Strict-Transport-Security"]
    assert "Secure" in page.headers["Set-Cookie"]
    assert app.test_client().get("/health", base_url="http://127.0.0.1:8710").status_code == 200
    app.extensions["engine"].dispose()


# --- Devices --------------------------------------------------------------------------------------------------------


@demo_garden
def test_devices_are_listed_and_put_out_one_by_one_or_all(house, clock):
    ben, ilse, mo = joined(house, "Ben"), joined(house, "Ilse", "pours"), joined(house, "Mo")
    clock.forward(minutes=5)
    sent = op({"trial": "", "round": ""}, 1, "H1", "5", "surface_worms")
    ilse.send("/entries", {"entries": [sent]})
    page = ben.get("/devices").text
    assert "Devices <small>3 devices in</small>" in page
    rows = re.findall(r"<li> <p> <strong>(.*?)</li>", page)
    names = [row.split("<")[0] for row in rows]
    assert (names[0], sorted(names)) == ("Ilse", ["Ben", "Ilse", "Mo"]), "who sent something last is first"
    assert "in blind trials it shows who gets what" in rows[0]
    assert "this device" in rows[names.index("Ben")]
    assert 'aria-label="Put out Ben"' not in page
    shown = re.findall(r'name="device" value="(\w+)"> <button class="[^"]*" aria-label="Put out (\w+)"', page)
    by_name = {name: handle for handle, name in shown}
    with Session(house.extensions["engine"]) as session:
        ids = [row[0] for row in session.connection().execute(text("SELECT id FROM device"))]
    assert not any(each in page for each in ids), "half of a key"
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
    assert "Devices <small>1 device in</small>" in joined(house, "Mo").get("/devices").text


def test_a_new_passcode_is_shown_once_puts_the_others_out_and_can_revoke_the_calendars(house):
    ben, mo = joined(house, "Ben", "pours"), joined(house, "Mo")
    ben.post("/calendar/feeds")
    feed = re.search(r"/feeds/[\w-]+\.ics", ben.get("/calendar").text)[0]
    assert "Also revoke 1 calendar address" in ben.get("/devices").text
    kept = ben.post("/passcode")
    assert kept.headers["Cache-Control"] == "no-store"
    assert house.test_client().get(feed, base_url="http://localhost").status_code == 200
    assert mo.get("/trials").status_code == 302
    assert ben.get("/who").text.count("checked") == 1
    assert 'value="Ben"' in ben.get("/who").text
    made = ben.post("/passcode", {"feeds": "revoke"}).text
    digits = re.search(r"(\d{4}) (\d{4})</p>", made)
    assert "The calendar addresses are revoked" in made
    assert house.test_client().get(feed, base_url="http://localhost").status_code == 404
    _, again = tried(house, f"{digits[1]} {digits[2]}", "Mo")
    assert again.status_code == 302, "as it is written on the page, with its gap"
    _, old = tried(house, house.config["PASSCODE"], "Eve")
    assert (old.status_code, "That is not the passcode" in old.text) == (400, True)


@demo_garden
def test_two_apps_on_one_database_take_one_round_half_and_half(settings, clock):
    """Two machines, one PostgreSQL, one secret: a device goes from one to the other and notices nothing."""
    first, second = (create_app(settings, clock) for _ in range(2))
    one, other = Client(first), Client(second)
    other.plain._cookies = one.plain._cookies  # the same browser
    one.post("/who", {"who": "Ben"})
    assert 'value="Ben"' in other.get("/who").text
    told = till(one, "/trials/2/rounds/9")
    entries = [op(told, number, unit["code"], "5") for number, unit in enumerate(told["units"])]
    for number, entry in enumerate(entries):
        assert answers((one, other)[number % 2], entry)[0]["status"] == "saved"
    rows = [row.split(",") for row in other.get("/trials/2/readings.csv").text.splitlines()[1:]]
    kept = {row[2] for row in rows if row[0] == str(told["day"])}
    assert kept == {entry["unit"] for entry in entries}
    for app in (first, second):
        app.extensions["engine"].dispose()
