"""When things break: clear pages, nothing typed lost, and it goes on."""

import re
from html import unescape

import pytest

from eproba.store.doorkeeping import new_passcode
from eproba.store.server import named
from eproba.web.app import create_app
from eproba.web.settings import Settings
from tests.conftest import Client, demo_garden
from tests.web.steps import typed

SEEN = "Back plot. Every patch is raked in the same way, mulched or not."


@demo_garden
def test_the_database_stops_and_comes_back(client, server, database):
    """The page says so and holds what was typed; once the store is back, the same form goes through."""
    token = client.token()
    server.shut(database)
    try:
        down = client.plain.post(
            "/trials/2/note",
            base_url="http://localhost",
            data={"csrf_token": token, "note": "Hail & high water", "seen": SEEN},
        )
        reading = client.plain.get("/health", base_url="http://localhost", headers={"Accept": "application/json"})
    finally:
        server.open(database)
    page = down.get_data(as_text=True)
    assert down.status_code == 503
    assert "The data store is not answering" in page
    assert "Nothing you typed is lost" in page
    assert 'name="note" value="Hail &amp; high water"' in page
    assert "Send again" in page
    assert (reading.status_code, reading.get_json()["error"]) == (503, "The data store is not answering")
    again = dict(re.findall(r'<input type="hidden" name="(\w+)" value="([^"]*)"', page.split("Send again")[0]))
    assert client.post("/trials/2/note", {name: unescape(value) for name, value in again.items()}).status_code == 302
    assert "Hail &amp; high water" in client.get("/trials/2").get_data(as_text=True)


def test_a_full_disk_of_the_computer_is_said(client, app):
    """PostgreSQL says so in the middle of a change: the page says it in our words, and holds what was typed."""
    full = "BEGIN RAISE EXCEPTION 'no room' USING ERRCODE = 'disk_full'; END"
    with app.extensions["engine"].begin() as connection:
        connection.exec_driver_sql(f"CREATE FUNCTION full_disk() RETURNS trigger LANGUAGE plpgsql AS $$ {full} $$")
        when = "BEFORE INSERT ON own_measure FOR EACH ROW EXECUTE FUNCTION full_disk()"
        connection.exec_driver_sql(f"CREATE TRIGGER full_disk {when}")
    form = {**typed(client, "/measures"), "name": "Buds", "unit": "flowers"}
    answer = client.post("/measures", form)
    assert answer.status_code == 503
    assert (
        "The disk of the computer is full. Nothing you typed is lost: make room there, then send again." in answer.text
    )
    assert 'name="name" value="Buds"' in answer.text


def test_an_old_page_offers_to_send_again(client):
    stale = client.plain.post("/measures", base_url="http://localhost", data={"csrf_token": "old", "name": "Flowers"})
    page = stale.get_data(as_text=True)
    assert stale.status_code == 400
    assert "open for a long time" in page
    assert 'name="name" value="Flowers"' in page


@pytest.mark.parametrize(
    ("path", "said"),
    [
        ("/nowhere", "Nothing grows here"),
        ("/trials/99", "no such trial"),
        ("/trials/new/9/claim", "This draft is gone"),
    ],
)
def test_wrong_addresses_help(client, path, said):
    response = client.get(path)
    assert response.status_code == 404
    assert said in response.get_data(as_text=True)


def test_what_the_store_can_not_hold(client):
    assert client.get("/trials/99999999999999999999").status_code == 404
    refused = client.post("/who", {"who": "A\x00B"})
    assert refused.status_code == 400
    assert "unprintable character" in refused.get_data(as_text=True)


def test_other_names_for_this_computer_are_refused(client):
    assert client.plain.get("/", base_url="http://evil.example").status_code == 400


@pytest.fixture
def house(apart, server, database, clock):
    """The app opened to the home network, and its passcode."""
    url = named(server.url, database)
    app = create_app(Settings(url, secret_key="t", home_network=True), clock)
    yield app, new_passcode(url, clock())
    app.extensions["engine"].dispose()


@demo_garden
def test_the_home_network_needs_the_passcode(house):
    app, passcode = house
    phone = Client(app)
    turned = phone.get("/trials/2/verdict")
    assert turned.headers["Location"].startswith("/join?next=/trials/2/verdict")
    kept = phone.plain.post(
        "/trials/2/rounds/1/readings", base_url="http://localhost", json={}, headers={"Accept": "application/json"}
    )
    assert kept.status_code in (400, 401)
    assert phone.get("/token", headers={"Accept": "application/json"}).status_code == 401
    page = phone.get("/join").get_data(as_text=True)
    token = re.search(r'name="csrf_token"[^>]*value="([^"]+)"', page).group(1)
    form = {"csrf_token": token, "passcode": passcode, "who": "Ana", "next": "/trials/2/verdict"}
    away = phone.plain.post("/join", base_url="http://localhost", data={**form, "next": "//evil.example"})
    assert away.headers["Location"] == "/"
    inside = phone.get("/trials/2").get_data(as_text=True)
    assert "Ana" in inside
    other = Client(app)
    assert other.get("/").status_code == 302, "each device gives it for itself"


@demo_garden
def test_guessing_is_limited_and_forgiven_later(house, clock):
    app, passcode = house
    phone = Client(app)
    token = re.search(r'name="csrf_token"[^>]*value="([^"]+)"', phone.get("/join").get_data(as_text=True)).group(1)

    def guess(code):
        form = {"csrf_token": token, "passcode": code, "who": "Ana"}
        return phone.plain.post("/join", base_url="http://localhost", data=form)

    wrong = [guess(f"{n:08}") for n in range(5)]
    assert {w.status_code for w in wrong} == {400}
    assert "That is not the passcode" in wrong[0].get_data(as_text=True)
    assert 'value="Ana"' in wrong[0].get_data(as_text=True)
    assert guess(passcode).status_code == 429
    clock.forward(minutes=16)
    assert guess(passcode).status_code == 302


def test_each_device_says_who_types(client):
    client.post("/who", {"who": "Ilse", "next": "/trials"})
    assert "Ilse" in client.get("/").get_data(as_text=True)
    assert client.post("/who", {"who": ""}).status_code == 400
