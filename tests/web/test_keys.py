"""Every key that leads here: what it opens, how it is kept, and how it is taken back."""

import logging
import re

import pytest
from sqlalchemy import text as sql
from sqlmodel import Session

from eproba.store.commands.household import TRIES_OF_ALL
from tests.conftest import Client
from tests.web.entries import till
from tests.web.steps import fill, planned, text
from tests.web.test_household import demo_garden, house, joined, tried  # noqa: F401 (house is a fixture)

JSON = {"Accept": "application/json"}


@pytest.fixture
def helper(app, client, draft):
    """A trial in a garden that has others, the numbers of it and of its first round, and the device of its helper."""
    planned(client, draft)
    fill(client, draft, "treatments", blind="y")
    trial = client.post(f"{draft}/deal", {"go": "deal"}).headers["Location"].split("?")[0]
    number = re.search(rf"{trial}/readings\?round=(\d+)", text(client, f"{trial}/readings")).group(1)
    page = client.post(f"{trial}/rounds/{number}/helper", {"name": "Nele"}, follow_redirects=True).text
    device = Client(app)
    device.get(re.search(r"(/h/[\w-]+)</code>", page).group(1))
    return trial, number, device


def of(device, place, **form):
    """What a helper's device is answered when it posts a form as the till does."""
    data = {"csrf_token": device.token(), **form}
    return device.plain.post(place, base_url="http://localhost", data=data, headers=JSON)


# --- A helper -----------------------------------------------------------------------------------------------------


@demo_garden
def test_a_helper_writes_into_his_own_trial_alone_and_sees_no_name(client, helper):
    trial, number, device = helper
    key = till(client, f"{trial}/rounds/{number}")["round"]
    other = of(device, "/trials/2/photos", round=key)
    assert (other.status_code, other.get_json()["help"]) == (
        403,
        "This link is for another round; nothing was written.",
    )
    another = till(client, f"{trial}/rounds/{int(number) + 1}")["round"]
    assert of(device, f"{trial}/photos", round=another).status_code == 403
    own = of(device, f"{trial}/photos", round=key)
    assert (own.status_code, own.get_json()["help"]) == (400, "There was no picture in it.")
    without_script = device.post(f"{trial}/photos", {"round": key})
    assert (without_script.status_code, "Nettle" in without_script.text) == (403, False)
    for name in ("Wool mulch", "Alfalfa"):
        assert name not in other.text


# --- Kept as hashes, shown once -------------------------------------------------------------------------------------


@demo_garden
def test_no_secret_stands_in_the_database_and_each_is_shown_once(house, caplog):  # noqa: F811
    ben = joined(house, "Ben")
    caplog.set_level(logging.INFO)
    places = {
        "helper": ("/trials/2/rounds/9/helper", {"name": "Nele"}, r"/h/([\w-]+)</code>"),
        "report": ("/trials/1/report/share", {"go": "share"}, r"/see/([\w-]+)\""),
        "calendar": ("/calendar/feeds", {}, r"/feeds/([\w-]+)\.ics"),
        "meter": ("/meters", {"name": "Probe", "unit": "°C", "measure": ""}, r"Bearer ([\w-]+)"),
        "invitation": ("/devices/let-in", {}, r"/join/([\w-]+)</code>"),
    }
    secrets = []
    for place, form, shown in places.values():
        page = ben.post(place, form, follow_redirects=True)
        secrets.append(re.search(shown, page.text)[1])
        assert page.headers["Cache-Control"] == "no-store"
        assert not re.search(shown, ben.get(page.request.path).text), "not a second time"
    with Session(house.extensions["engine"]) as session:
        rows = session.connection().execute(sql("SELECT table_name FROM information_schema.tables WHERE "
                                                "table_schema = 'public'"))  # fmt: skip
        kept = [str(session.connection().execute(sql(f'SELECT * FROM "{name}"')).all()) for (name,) in rows.all()]
    assert not any(secret in table for secret in secrets for table in kept)
    for address, secret in zip(("/h/{}", "/see/{}", "/feeds/{}.ics", "", "/join/{}"), secrets, strict=True):
        if address:
            assert house.test_client().get(address.format(secret), base_url="http://localhost").status_code == 200
    assert not any(secret in caplog.text for secret in secrets), "nor in the log"
    assert re.search(r"GET /feeds/\.{4}ics 200 \d+ ms$", caplog.text, re.M), "each request, with what it took"


@demo_garden
def test_all_keys_stand_on_one_page_and_are_revoked_one_by_one_or_all(house):  # noqa: F811
    ben = joined(house, "Ben")
    ben.post("/trials/2/rounds/9/helper", {"name": "Ida", "second": "y"})
    ben.post("/trials/1/report/share", {"go": "share"})
    ben.post("/meters", {"name": "Probe", "unit": "°C", "measure": ""})
    ben.post("/calendar/feeds")
    page = ben.get("/devices").text
    assert "1 device, 4 other keys" in page
    for words in ("Ida, second reader of Wool mulch", "The report of Comfrey", "Probe sends its values", " by Ben"):
        assert words in page
    keys = re.findall(r'name="key" value="([\w:]+)"', page)
    assert [key.split(":")[0] for key in keys] == ["calendar", "helper", "meter", "report"]
    for key in keys[:2]:
        assert "Revoked: it opens nothing" in ben.post("/devices/revoke", {"key": key}, follow_redirects=True).text
        assert "It was revoked already." in ben.post("/devices/revoke", {"key": key}, follow_redirects=True).text
    for nonsense in ("", "meter:x", "door:1", "report:99999999999"):
        assert "It was revoked already." in ben.post("/devices/revoke", {"key": nonsense}, follow_redirects=True).text
    assert "1 device, 2 other keys" in ben.get("/devices").text
    ben.post("/passcode", {"keys": "revoke"})
    assert "1 device, 0 other keys" in ben.get("/devices").text
    assert "Its token was revoked" in ben.get("/meters").text, "the meter and what it sent stay"


# --- The passcode -----------------------------------------------------------------------------------------------------


def test_what_others_guess_slows_a_wrong_passcode_and_never_refuses_the_right_one(house, monkeypatch, caplog):  # noqa: F811
    waited = []
    monkeypatch.setattr("eproba.web.household.views.time.sleep", waited.append)
    is_right = house.config["PASSCODE"].__eq__  # the real check is slow by design, and tried elsewhere
    monkeypatch.setattr("eproba.web.household.views.check_password_hash", lambda _, passcode: is_right(passcode))
    house.config["WTF_CSRF_ENABLED"] = False

    def guess(address, passcode="00000000"):
        asked = {"REMOTE_ADDR": address}
        form = {"passcode": passcode, "who": "Eve"}
        return house.test_client().post("/join", data=form, environ_base=asked, base_url="http://localhost").status_code

    codes = [guess(f"192.0.2.{n // 5}") for n in range(TRIES_OF_ALL)]
    assert (set(codes), waited) == ({400}, [])
    assert (guess("192.0.2.99"), len(waited)) == (400, 1)
    assert guess("192.0.2.0") == 429, "its own guesses shut an address out"
    assert guess("192.0.2.77", house.config["PASSCODE"]) == 302
    assert len(waited) == 1, "the right one is not slowed"
    assert "passcode refused from 192.0.2.99" in caplog.text
    assert "passcode tried too often from 192.0.2.0" in caplog.text


def test_an_invitation_lets_one_device_in_once_and_soon(house, clock):  # noqa: F811
    ben = joined(house, "Ben")

    def invited():
        page = ben.post("/devices/let-in", follow_redirects=True).text
        return re.search(r"(/join/[\w-]+)</code>", page)[1]

    def comes(link):
        device = Client(house)
        token = re.search(r'name="csrf_token"[^>]*value="([^"]+)"', device.get(link).text)
        form = {"csrf_token": token[1] if token else "", "who": "Mo", "role": "reads"}
        return device, device.plain.post(link, data=form, base_url="http://localhost").status_code

    link = invited()
    mo, code = comes(link)
    assert (code, mo.get("/trials").status_code) == (302, 200)
    again = Client(house).get(link)
    assert (again.status_code, "has let a device in already" in again.text) == (404, True)
    late = invited()
    clock.forward(minutes=14)
    assert Client(house).get(late).status_code == 200
    clock.forward(minutes=2)
    assert Client(house).get(late).status_code == 404


def test_a_device_that_lay_idle_for_ninety_days_gives_the_passcode_again(house, clock):  # noqa: F811
    ben, mo = joined(house, "Ben"), joined(house, "Mo")
    clock.forward(days=80)
    assert ben.get("/trials").status_code == 200, "looking is use too"
    clock.forward(days=10)
    assert mo.get("/trials").status_code == 200, "ninety days to the hour"
    clock.forward(days=90, minutes=1)
    assert [each.get("/trials").status_code for each in (ben, mo)] == [302, 302]
    _, answer = tried(house, house.config["PASSCODE"], "Ben")
    assert answer.status_code == 302


# --- The log, and what browsers keep ---------------------------------------------------------------------------------


def test_nobody_forges_a_line_of_the_log(client, caplog):
    caplog.set_level(logging.INFO)
    client.get("/trials%0A2026-05-20 eproba.requests GET /forged 200 1 ms")
    assert "/trials\\n2026-05-20" in caplog.text
    assert not any(line.startswith("2026-05-20 eproba") for line in caplog.text.splitlines())


def test_pages_of_a_garden_in_the_network_are_kept_by_no_cache(house, client):  # noqa: F811
    ben = joined(house, "Ben")
    for address in ("/", "/trials", "/devices"):
        assert ben.get(address).headers["Cache-Control"] == "no-store"
    static = ben.get("/static/till.js")
    assert (static.headers["X-Content-Type-Options"], "Access-Control-Allow-Origin" in static.headers) == (
        "nosniff", False,
    )  # fmt: skip
    guarding = {
        "X-Frame-Options": "DENY", "Referrer-Policy": "same-origin", "Cross-Origin-Resource-Policy": "same-origin",
        "Permissions-Policy": "camera=(self), geolocation=(), microphone=()",
    }  # fmt: skip
    assert guarding.items() <= dict(ben.get("/trials").headers).items()
    assert "immutable" in static.headers["Cache-Control"]
    assert client.get("/trials").headers["Cross-Origin-Opener-Policy"] == "same-origin"
    strange = client.plain.get("/trials", base_url="http://garden.test")
    assert "Cross-Origin-Opener-Policy" not in strange.headers, "plain http: a browser would only complain"
