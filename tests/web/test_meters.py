"""Meters: what they send with their token, a log of theirs, and what the till takes from one."""

import json
import re
from dataclasses import replace
from datetime import timedelta
from io import BytesIO

import pytest
from playwright.sync_api import expect

from tests.conftest import Client
from tests.web.entries import answers, op, till
from tests.web.steps import fill, planned, text

PROBE = {"name": "Probe by the chard", "unit": "°C", "measure": "soil_temperature", "doubt": "0.2"}


@pytest.fixture
def token(client):
    client.post("/meters", PROBE)
    return re.search(r"Bearer ([\w-]+)", text(client, "/meters")).group(1)


def sent(client, token, body):
    """As a meter posts: no cookie, no CSRF token."""
    headers = {"Authorization": f"Bearer {token}", "Content-Type": "application/json"}
    data = body if isinstance(body, str) else json.dumps(body)
    answer = client.plain.post("/meters/value", base_url="http://localhost", data=data, headers=headers)
    return answer.status_code, answer.get_json()


def test_a_meter_posts_with_its_own_token_and_each_value_is_kept_once(app, token, clock):
    stranger = Client(app)
    at = (clock.at - timedelta(minutes=2)).isoformat()
    assert sent(stranger, token, {"value": 14.2}) == (200, {"taken": 1, "known_already": 0})
    assert sent(stranger, token, {"value": 14.2, "at": at}) == (200, {"taken": 1, "known_already": 0})
    assert sent(stranger, token, {"values": [{"value": 14.9, "at": at}]}) == (200, {"taken": 0, "known_already": 1})
    assert "2 values, the last" in text(Client(app), "/meters")
    assert sent(stranger, "wrong", {"value": 14.2})[0] == 401
    assert "own token" in sent(stranger, "wrong", {"value": 14.2})[1]["help"]
    ahead = (clock.at + timedelta(hours=1)).isoformat()
    for body, why in (
        ("fourteen", "Send JSON like"),
        ({"value": "14.2"}, "“14.2” is no number: send one without quotes and unit."),
        ({"value": True}, "is no number"),
        ({"value": 14.2, "at": ahead}, "is still to come: set the meter’s clock right."),
        ({"value": 14.2, "at": "noon"}, "“noon” is no moment"),
        ({"values": []}, "values is a list of 1 to 1000."),
    ):
        status, told = sent(stranger, token, body)
        assert (status, told["error"], why in told["help"]) == (400, "value", True), told


def test_a_meter_is_made_known_and_forgotten_and_one_that_smells_alcohol_never(client, token):
    page = client.post("/meters", {**PROBE, "name": "Desk eCO2", "unit": "ppm"})
    assert (page.status_code, "smells alcohol, not CO₂" in page.text, 'value="Desk eCO2"' in page.text) == (
        400,
        True,
        True,
    )
    assert "a meter named “Probe by the chard” already" in client.post("/meters", PROBE).text
    number = re.search(r"/meters/(\d+)/forget", text(client, "/meters")).group(1)
    client.post(f"/meters/{number}/forget")
    assert "No meter of your own yet." in text(client, "/meters")
    assert sent(client, token, {"value": 14.2})[0] == 401
    assert client.get(f"/meters/{number}/log").status_code == 404


def test_a_new_token_shuts_the_old_one_out(client, token):
    number = re.search(r"/meters/(\d+)/token", text(client, "/meters")).group(1)
    assert client.post(f"/meters/{number}/token").status_code == 302
    new = re.search(r"Bearer ([\w-]+)", text(client, "/meters")).group(1)
    assert [sent(client, given, {"value": 14.2})[0] for given in (token, new)] == [401, 200]
    gone = client.post("/meters/99/token", follow_redirects=True)
    assert "That meter was forgotten." in gone.text


def test_what_a_meter_says_is_taken_when_it_holds_steady(client, token, clock, monkeypatch):
    number = re.search(r"/meters/(\d+)/token", text(client, "/meters")).group(1)

    def taken(meter=f"m{number}", **more):
        return client.get("/meters/take", query_string={"meter": meter, "measure": "soil_temperature", **more})

    assert taken().get_json() == {"said": "Probe by the chard has said nothing for ten minutes.", "value": None}
    for back, value in ((40, 14.0), (20, 14.9), (0, 15.8)):
        sent(client, token, {"value": value, "at": (clock.at - timedelta(seconds=back)).isoformat()})
    assert taken().get_json() == {"said": "15.8 °C, not steady yet …", "value": None}
    clock.forward(minutes=3)
    for back, value in ((40, 15.0), (20, 15.1), (0, 15.2)):
        sent(client, token, {"value": value, "at": (clock.at - timedelta(seconds=back)).isoformat()})
    assert taken().get_json() == {"said": "", "value": "15.1", "meter": "Probe by the chard"}
    client.post("/measures/units", {"system": "US"})
    assert taken().get_json()["value"] == "59.18"
    for strange in ("m99", "s0", "mx", "x", ""):
        assert taken(strange).status_code == 404, strange
    assert client.get("/meters/picture/abc").status_code == 404, "the simulated camera is the demo's alone"
    monkeypatch.setattr("eproba.web.meters.views.simulating", lambda: True)
    picture = client.get("/meters/picture/abc?unit=P2&on=2026-05-18")
    assert (picture.mimetype, picture.data[:2]) == ("image/jpeg", b"\xff\xd8")
    run = taken("s0", minutes="2").get_json()
    assert (run["said"], run["minutes"][:9], len(run["values"].split(";"))) == ("", "0;0.3333;", 7)
    assert run["meter"].endswith("(simulated)")
    assert taken("s99").status_code == 404
    assert taken(minutes="1").get_json()["values"] == "59;59.18;59.36"
    clock.forward(minutes=20)
    assert taken(minutes="1").get_json()["values"] is None, "nothing was said in that minute"


def test_what_inputs_come_to_is_told_while_they_are_typed(client):
    def told(inputs, measure="infiltration"):
        return client.get("/measures/reckon", query_string={"measure": measure, "inputs": inputs}).get_json()

    known = "It goes in at: 3000 mm/h, give or take 223"
    assert told("seconds=30 depth_mm=25") == {"said": [], "value": known}
    slower = "Not gone when you stopped: it goes in slower than that."
    assert told("seconds=30 depth_mm=25 gone=0") == {"said": [slower], "value": known}
    wrong = "Until it was gone: “soon” is not a number; write it like 12.5 or 12,5"
    assert told("seconds=soon depth_mm=25") == {"said": [wrong], "value": ""}
    client.post("/measures/units", {"system": "US"})
    assert told("seconds=30 depth_mm=25")["value"] == "It goes in at: 118.1 in/h, give or take 8.8"
    assert client.get("/measures/reckon?measure=plant_height").status_code == 404


def test_a_log_is_mapped_once_and_its_bad_lines_are_told(client, token):
    number = re.search(r"/meters/(\d+)/log", text(client, "/meters")).group(1)

    def dropped(content, **columns):
        data = {"file": (BytesIO(content.encode()), "log.csv"), **columns}
        return client.post(f"/meters/{number}/log", data, follow_redirects=True).text

    first = "Stamp;Bat;Soil\n2026-05-20 08:00;3.1;13,2\n2026-05-20 08:10;3.1;wet\n2026-05-21 08:10;3.1;13.4\n"
    told = dropped(first, at="stamp", value="soil")
    assert "1 new of 1 value, from “stamp” and “soil”." in told
    assert "2 lines could not be taken (line 3: " in told
    assert "1 new of 2 values" in dropped("Stamp;Soil\n2026-05-20 08:00;13,2\n2026-05-20 08:20;13.6\n"), "remembered"
    assert "has no column “soil”; it has stamp, grass. Choose again." in dropped("Stamp;Grass\n2026-05-20 08:00;1\n")
    assert "the file is empty" in dropped("")


def round_with(client, *also):
    """A trial that asks these too; returns its first round's address."""
    draft = client.post("/trials/new").headers["Location"].rsplit("/", 1)[0]
    planned(client, draft)
    fill(client, draft, "measure", also=[*also])
    trial = client.post(f"{draft}/deal", {"go": "deal"}).headers["Location"].split("?")[0]
    number = re.search(r"round=(\d+)", text(client, f"{trial}/readings")).group(1)
    return trial, f"{trial}/rounds/{number}"


def test_the_till_takes_what_holds_steady_and_keeps_which_meter_it_was(client, token, clock):
    trial, address = round_with(client, "soil_temperature")
    asked = {each["key"]: each["meters"] for each in till(client, address)["asked"]}
    assert asked["plant_height"] == []
    (probe,) = asked["soil_temperature"]
    assert (probe["name"], probe["fields"]) == ("Probe by the chard", [""])

    def taken():
        return client.get(f"/meters/take?meter={probe['key']}&spot=P1").get_json()

    assert taken()["said"] == "Probe by the chard has said nothing for ten minutes."
    for back, value in ((50, 14.0), (25, 15.0), (0, 15.1)):
        sent(client, token, {"value": value, "at": (clock.at - timedelta(seconds=back)).isoformat()})
    assert (taken()["value"], taken()["said"]) == (None, "15.1 °C, not steady yet …")
    clock.forward(seconds=20)
    sent(client, token, {"value": 15.2})
    assert (taken()["value"], taken()["meter"]) == ("15.1", "Probe by the chard")
    here = till(client, address)
    at = int(clock.at.timestamp() * 1000)
    (answer,) = answers(client, op(here, 1, "P1", "15.1", "soil_temperature", meter="Probe by the chard", at=at))
    assert answer["status"] == "saved"
    whole = json.loads(text(client, f"{trial}/export.json"))
    assert [each["meter"] for each in whole["readings"]] == ["Probe by the chard"]


def test_a_breathing_run_comes_from_the_stand_in(app, phone, live, monkeypatch):
    """On a phone: the run of the last ten minutes fills the calculator, which tells the breath and is kept."""
    monkeypatch.setitem(app.config, "SETTINGS", replace(app.config["SETTINGS"], demo=True))
    client = Client(app)
    trial, address = round_with(client, "breathing")
    phone.goto(address)
    phone.locator("#typed").fill("12")
    phone.keyboard.press("Enter")
    phone.get_by_role("button", name="Take the last 10 minutes from the CO₂ meter (simulated)").tap()
    expect(phone.locator("#in-ppm")).to_have_value(re.compile(r"^\d+( \d+){30}$"))
    for name, typed in (("volume_l", "3"), ("area_cm2", "314.16"), ("t", "20")):
        phone.locator(f"#in-{name}").fill(typed)
    phone.locator("#in-kpa").focus()
    expect(phone.locator(".till-reckoned")).to_contain_text(re.compile(r"It breathes: \d\.\d+ µmol/m²/s"))
    phone.locator(".till-inputs").get_by_role("button", name="Next").tap()
    expect(phone.locator(".till-line")).to_have_text("All sent.")
    kept = [each for each in json.loads(text(client, f"{trial}/export.json"))["readings"] if each["meter"]]
    assert [each["meter"] for each in kept] == ["CO₂ meter (simulated)"]
    assert kept[0]["typed"].startswith("minutes=0;0.3333;0.6667;1;1.333;")
