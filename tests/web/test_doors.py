"""Who comes in: names that lead here, headers, devices that are put out, a passcode that is changed."""

from dataclasses import replace

import pytest

from eproba.web.app import create_app
from eproba.web.settings import Settings
from eproba.web.ui.doors import HEADERS, host_asked, is_own_address, is_own_page, served_at
from tests.conftest import Client
from tests.web.entries import answers, op, till

demo_garden = pytest.mark.parametrize("garden", ["demo"], indirect=True)
ALONE = Settings("", "k", hosts=("garden.example",))
AT_HOME = replace(ALONE, home_network=True)


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
