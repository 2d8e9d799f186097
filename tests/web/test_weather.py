"""Weather: typed, from a file, from a station, or none."""

import io

from eproba.store.server import named
from eproba.web.app import create_app
from eproba.web.settings import Settings
from tests.conftest import Client, demo_garden
from tests.web.steps import text


def test_weather_comes_typed_or_from_a_file(client):
    day = {"told": "was", "on": "2026-05-19", "low": "8", "high": "14,5", "rain": "6"}
    client.post("/weather", day)
    client.post("/weather", day)
    assert "6 mm" in text(client, "/weather"), "typed twice, and not added up"
    for change, said in (
        ({"high": "5000"}, "doesn’t fit: give"),
        ({"high": "3"}, "The high is not below the low."),
        ({"on": "2026-05-29"}, "That day is still to come: choose “a forecast”."),
        ({"told": "foretold"}, "That day is over: choose “as it was”."),
    ):
        assert said in client.post("/weather", {**day, **change}).get_data(as_text=True)
    client.post("/weather", {**day, "told": "foretold", "on": "2026-05-21", "low": "1"})
    assert "1 to 14 °C, 6 mm" in text(client, "/weather").split("Forecast")[1]
    client.post("/weather/now", {"now-temperature": "29"})
    assert client.post("/weather/now", {"now-temperature": "hot"}).status_code == 400

    def bring(content):
        sent = {"file": (io.BytesIO(content.encode()), "w.csv")}
        return client.post("/weather/file", sent, content_type="multipart/form-data", follow_redirects=True)

    good = "time;temp;rain_mm\n2026-05-18T10:00;12,5;0\n2026-05-18T11:00;13;1,5\n"
    good += "18.5.2026 12:00;99,9;0\n2026-05-18T13:00;x;0\n2026-05-22;17;3\n"
    told = bring(good).get_data(as_text=True)
    assert "On record: 3 hours, 1 day of forecast; 1 line could not be taken (line 5" in told
    assert "1.5 mm" in text(client, "/weather")
    assert "lacks a column for the temperature" in bring("time,rain\n2026-05-18,0\n").get_data(as_text=True)


@demo_garden
def test_the_demo_garden_has_a_simulated_station(server, database, clock):
    """Weather without a logger: on its page, on the day strip, in the advice at the pour; named for what it is."""
    app = create_app(Settings(named(server.url, database), secret_key="for tests only", demo=True), clock)
    client = Client(app)
    page = text(client, "/weather")
    assert "simulated station" in page
    assert "Forecast" in page
    assert page.count('<th scope="row">') >= 14
    strip = text(client, "/trials/5").split("day-strip")[1]
    assert 'class="warmth"' in strip
    clock.at = clock.at.replace(month=1)
    assert "hardly moves" not in text(client, "/trials/5/pours/7"), "nobody measured the soil"
    winter = text(client, "/trials/5/pours/7")
    assert "wet soil may freeze" in winter
    assert "Better wait." in winter
    app.extensions["engine"].dispose()


def test_where_nobody_measures_there_is_no_weather(client):
    page = text(client, "/weather")
    assert "your own records" in page
    assert "Nothing on record yet: type today’s" in page
    assert "Forecast" not in page
