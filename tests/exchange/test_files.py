"""Files in and out: weather of a logger, recipes, photographs, the calendar."""

import io
from datetime import UTC, date, datetime, timedelta, timezone

import pytest
from icalendar import Calendar
from PIL import Image

from eproba.core.brewing.ingredients import RecipeError
from eproba.core.brewing.weather import Day
from eproba.core.catalogue import recipes
from eproba.core.measuring.photo import PhotoProblem
from eproba.exchange.ics import CalendarEntry, ics
from eproba.exchange.photo_out import kept_small
from eproba.exchange.recipe_file import read_recipe, recipe_json, recipe_toml
from eproba.exchange.table import TableError
from eproba.exchange.weather_csv import read_weather
from eproba.store.recipes import recipe_of

HERE = timezone(timedelta(hours=2))


# --- Weather ------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    "content",
    [
        "time,temperature,rain\n2026-05-18T10:00,12.5,1.5\n",
        "Datum;Temp;mm\n18.5.2026 10:00;12,5;1,5\n",
        "\ufefftimestamp\ttemp_c\tprecip\r\n2026-05-18 10:00\t12.5\t1.5\r\n",
        "time,temp,rain_mm,humidity\n2026-05-18T10:00:00+02:00,12.5,1.5,81\n",
    ],
)
def test_loggers_write_it_in_many_ways(content):
    found = read_weather(content.encode(), HERE)
    (hour,) = found.hours
    assert (found.bad, found.days) == ([], [])
    assert hour.at == datetime(2026, 5, 18, 10, tzinfo=HERE)
    assert (hour.temperature, hour.rain_mm) == (12.5, 1.5)
    assert hour.humidity in (None, 81)


def test_a_bare_day_is_a_whole_day_and_bad_lines_are_named():
    lines = [
        "time,temperature,rain",
        "2026-05-18,12,3",
        "2026-05-19,5000,0",
        "nonsense,3,0",
        "2026-05-20,9,-4",
        "2026-05-21,,",
    ]
    found = read_weather("\n".join(lines).encode(), UTC)
    assert (found.hours, found.days) == ([], [Day(date(2026, 5, 18), 12.0, 12.0, 3.0)])
    assert [each.line for each in found.bad] == [3, 4, 5, 6]
    assert "5000 °C doesn’t fit" in found.bad[0].why
    assert "is no date" in found.bad[1].why
    assert "of rain in a day doesn’t fit" in found.bad[2].why


def test_days_with_low_and_high_and_hours_stand_in_one_file():
    lines = ["day,min,max,rain", "18.5.2026,4,16,2.5", "2026-05-19,17,5,0"]
    found = read_weather("\n".join(lines).encode(), UTC)
    assert found.days == [Day(date(2026, 5, 18), 4.0, 16.0, 2.5)]
    assert [each.why for each in found.bad] == ["a low of 17 °C is above a high of 5 °C: are the columns swapped?"]


@pytest.mark.parametrize(
    ("content", "said"),
    [("", "empty"), ("time,rain\n2026-05-18,1\n", "a column for the temperature"), ("temperature\n4\n", "for the time"),
     ("time,temperature\n", "no lines"), ("time,time\n1,2\n", "stands there twice")],
)  # fmt: skip
def test_a_file_that_is_no_weather_says_what_lacks(content, said):
    with pytest.raises(TableError, match=said):
        read_weather(content.encode(), UTC)


# --- Recipes ------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("write", [recipe_toml, recipe_json])
@pytest.mark.parametrize("key", recipes())
def test_every_recipe_comes_back_as_it_went_out(key, write):
    recipe = recipes()[key]
    assert read_recipe(write(recipe).encode(), recipe_of) == recipe


@pytest.mark.parametrize(
    ("content", "said"),
    [
        (b"\xff\xfe\x00", "neither TOML nor JSON"),
        (b"[a]\nx = 1\n[b]\nx = 1\n", "this one holds 2"),
        (b"title = 'x'\n", "this one holds 0"),
        (b"[a]\ntitle = 'x'\n", "a: missing key"),
        (b"[a]\npot = 'x'\n", "a: unknown key pot; known are title"),
        (b"x" * 40_001, "too large for a recipe"),
        (b"a." * 18_000 + b"a = 1", "nested deeper than any recipe"),  # took 14 GB
        (b"[x]\na = {" + b"b." * 6 + b"c = 1}", "nested deeper than any recipe"),
        (b"[x]\na = " + b"[" * 7 + b"]" * 7, "nested deeper than any recipe"),
        (b'{"a": ' * 7 + b"1" + b"}" * 7, "nested deeper than any recipe"),
        (b"[x]\n" * 1 + b"a = 1\n" * 600, "more keys than any recipe"),
        (b"[x]\ntitle = 'a.b.c.d.e.f.g.h [[[[[[[[' # a.b.c.d.e.f.g.h\n", "x: missing key"),
    ],
)
def test_a_file_that_is_no_recipe_gets_a_sentence(content, said):
    with pytest.raises(RecipeError, match=said):
        read_recipe(content, recipe_of)


@pytest.mark.parametrize(
    ("old", "new"),
    [
        ("parts = [\n    1,\n    9,\n]", 'parts = "1 to 9"'),
        ("yields = 2.0", 'yields = "two"'),
        ("minutes = 10", "rate = 3"),
    ],
)
def test_a_value_of_the_wrong_kind_is_refused_not_swallowed(old, new):
    text = recipe_toml(recipes()["yeast-starter"])
    assert old in text
    with pytest.raises(RecipeError):
        read_recipe(text.replace(old, new).encode(), recipe_of)


# --- Photographs --------------------------------------------------------------------------------------------


def picture(size, kind="PNG", **more):
    made = io.BytesIO()
    Image.new("RGB", size, "olive").save(made, kind, **more)
    return made.getvalue()


@pytest.mark.parametrize("kind", ["PNG", "JPEG", "WEBP"])
def test_photos_are_kept_small_and_upright(kind):
    kept = Image.open(io.BytesIO(kept_small(picture((900, 2100), kind))))
    assert kept.format == "JPEG"
    assert kept.size == (686, 1600)


def test_a_photo_taken_sideways_stands_upright_and_tells_no_place():
    turned = Image.Exif()
    turned[0x0112], turned[0x010F] = 6, "a phone"
    kept = Image.open(io.BytesIO(kept_small(picture((800, 400), "JPEG", exif=turned))))
    assert kept.size == (400, 800)
    assert dict(kept.getexif()) == {}


@pytest.mark.parametrize("content", [b"", b"GIF89a", b"<svg/>", picture((8, 8))[:30]])
def test_what_is_no_photo_is_refused(content):
    with pytest.raises(PhotoProblem, match="JPEG, PNG or WebP"):
        kept_small(content)


# --- Calendar -----------------------------------------------------------------------------------------------


def test_a_calendar_holds_whole_days_with_lasting_names():
    entries = [
        CalendarEntry("round-1", date(2026, 5, 31), "Round: chard, späte Runde", "Day 7, 12 units; bring a rule.")
    ]
    text = ics("Chard", entries, datetime(2026, 5, 20, 12, tzinfo=UTC))
    (event,) = Calendar.from_ical(text).walk("VEVENT")
    assert str(event["UID"]) == "round-1@eproba"
    assert (event.decoded("DTSTART"), event.decoded("DTEND")) == (date(2026, 5, 31), date(2026, 6, 1))
    assert str(event["SUMMARY"]) == "Round: chard, späte Runde"
    assert str(event["TRANSP"]) == "TRANSPARENT", "a round leaves the day free"
    assert event.walk("VALARM") == []
    assert all(len(line) <= 75 for line in text.split(b"\r\n")), "folded as the format wants"


def test_a_brew_has_its_hour_and_rings_as_wished():
    at = datetime(2026, 5, 31, 15, tzinfo=UTC)
    entries = [CalendarEntry("start-7", at, "Start", "", 25.0), CalendarEntry("round-1", at.date(), "Round", "")]
    timed, whole = Calendar.from_ical(ics("Chard", entries, at, alarm_minutes=60)).walk("VEVENT")
    assert (timed.decoded("DTSTART"), timed.decoded("DTEND")) == (at, at + timedelta(minutes=25))
    assert str(timed["TRANSP"]) == "OPAQUE"
    rings = [event.walk("VALARM")[0].decoded("TRIGGER") for event in (timed, whole)]
    assert rings == [timedelta(hours=-1), timedelta(hours=7)], "an hour before it; of a whole day at seven"
    short = Calendar.from_ical(ics("x", [CalendarEntry("a", at, "Stir", "", 2.0)], at)).walk("VEVENT")[0]
    assert short.decoded("DTEND") == at + timedelta(minutes=15)
