"""Six weeks and a week of work: what is drawn stands on its day, and stirrings of days that follow are one line."""

import re
from dataclasses import replace
from datetime import date, timedelta

import pytest

from eproba.core.applying.due import Due
from eproba.core.applying.errands import Job
from eproba.core.applying.morning import DayLine
from eproba.core.catalogue import recipes
from eproba.web.pictures.strips import COLUMN, GAP, listed_days, strips, week_cells
from tests.conftest import Clock, demo_garden
from tests.databases import TODAY
from tests.web.steps import text

STEEP = recipes()["comfrey-steep"]


def on(days):
    return TODAY + timedelta(days=days)


def due(days, kind="round", trial=1, minutes=6.0, **more):
    entry = Due(kind, trial, f"Trial {trial}", 1, days, on(days), "AB", 8, **more)
    return DayLine("do", entry.uid, on(days), entry.words, None, minutes, trials=(entry.trial_name,), due=(entry,))


def errand(days, kind, batch="batch-1", minutes=2.0):
    job = Job(Clock().at + timedelta(days=days), kind, f"{kind} it", minutes, f"{kind}-0-{batch}", STEEP)
    key = f"stir-{on(days):%Y%m%d}" if kind == "stir" else f"{job.key}-{days}"
    return DayLine("do", key, on(days), f"{kind.capitalize()} comfrey steep", None, minutes, jobs=(job,))


def test_each_thing_stands_on_its_day_in_the_row_of_its_trial_or_brew():
    drawn = strips([due(0), due(3, "pour"), due(7, last=True), due(2, trial=2), errand(1, "stir")], TODAY)
    assert [row.name for row in drawn.trials] == ["Trial 1", "Trial 2"]
    first = drawn.trials[0]
    assert [(mark.shape, mark.label) for mark in first.marks] == [
        ("six-round", "0"), ("six-pour", ""), ("six-round", "7"), ("six-envelope", ""),
    ]  # fmt: skip
    places = [(mark.x - drawn.today) / COLUMN for mark in first.marks]
    assert places == [0, 3, 7, 7]
    assert first.words == "Round on Wed 20 May and Wed 27 May; pour on Sat 23 May."
    assert drawn.mondays[0] == (drawn.today, "20 May")
    assert drawn.mondays[1] == (drawn.today + 5 * COLUMN, "25 May")


def test_two_trials_of_one_name_have_a_row_each():
    other = due(2, trial=2)
    other = replace(other, due=(replace(other.due[0], trial_name="Trial 1"),))
    assert [(row.name, len(row.marks)) for row in strips([due(0), other], TODAY).trials] == [("Trial 1", 1)] * 2


def test_a_brew_is_a_bar_from_its_first_errand_to_its_last_with_its_stirrings():
    lines = [
        errand(2, "start"),
        errand(3, "stir"),
        errand(4, "stir"),
        errand(6, "strain"),
        errand(5, "stir", "batch-2"),
    ]
    (row,) = strips(lines, TODAY).brews
    assert row.name == STEEP.title
    own, standing = sorted(row.bars, key=lambda bar: -bar.start)
    assert [(x - strips([], TODAY).today) / COLUMN for x in (own.start, *own.ticks, own.end)] == [2, 3, 4, 6]
    assert standing.start < strips([], TODAY).today, "what stands there was begun before today"
    assert [mark.shape for mark in row.marks] == ["six-tub", "six-sieve"]


@pytest.mark.parametrize(
    ("errands", "shape"),
    [
        (("start", "mix"), "six-tub"), (("stand", "water"), "six-water"), (("strain", "check"), "six-sieve"),
        (("use by", "throw away"), "six-gone"),
    ],
)  # fmt: skip
def test_errands_that_are_alike_have_one_shape(errands, shape):
    (row,) = strips([errand(day, kind) for day, kind in enumerate(errands)], TODAY).brews
    assert [mark.shape for mark in row.marks] == [shape, shape]


def test_two_errands_of_a_day_stand_beside_each_other_and_what_is_later_is_left_out():
    (row,) = strips([errand(1, "start"), errand(1, "strain", "batch-2"), errand(42, "strain", "batch-3")], TODAY).brews
    assert len(row.marks) == 2
    assert row.marks[1].x - row.marks[0].x == 18
    assert len(strips([due(41), due(42)], TODAY).trials[0].marks) == 1


def test_minutes_are_those_of_all_lines_of_a_day():
    (whole, half) = strips([due(0, minutes=20), errand(0, "strain", minutes=4), due(5, minutes=12)], TODAY).minutes
    assert (whole.label, half.label) == ("24", "12")
    assert half.height == pytest.approx(whole.height / 2)
    assert strips([due(0, minutes=99), due(1, minutes=100), due(2, minutes=533)], TODAY).minutes[0].label == "99"
    long = [due(0, minutes=18), due(1, minutes=780), due(2, minutes=200), due(3, minutes=19)]
    assert [day.label for day in strips(long, TODAY).minutes] == ["", "13h", "", "19"], "the shorter gives way"
    assert [day.label for day in strips([due(1, minutes=100), due(2, minutes=533)], TODAY).minutes] == ["2h", "9h"]


@pytest.mark.parametrize(
    ("days", "told"),
    [((1, 2, 3), [(1, 3)]), ((1, 3), [(1, None), (3, None)]), ((0, 1, 4, 5), [(0, 1), (4, 5)])],
)
def test_stirrings_that_follow_each_other_are_one_line(days, told):
    listed = [entry for day in listed_days([errand(day, "stir") for day in days]) for entry in day.entries]
    assert [(entry.line.on, entry.until) for entry in listed] == [
        (on(first), None if last is None else on(last)) for first, last in told
    ]
    keys = "|".join(entry.keys for entry in listed).split("|")
    assert keys == [f"stir-{on(day):%Y%m%d}" for day in days], "and it stands for each of them"


def test_many_days_of_nothing_are_said_once():
    listed = listed_days([due(0), due(GAP), due(2 * GAP + 1)])
    assert [day.after_nothing for day in listed] == [False, False, True]


def test_the_week_has_seven_cells_with_what_falls_on_each():
    known = replace(due(1), sort="know")
    cells = week_cells([due(0), due(2, "pour"), errand(2, "strain"), errand(3, "stir"), known, due(7)], TODAY)
    assert [cell.on for cell in cells] == [on(day) for day in range(7)]
    assert [[mark.shape for mark in cell.marks] for cell in cells] == [
        ["six-round"], [], ["six-pour", "six-sieve"], [], [], [], [],
    ]  # fmt: skip
    assert (cells[2].words, cells[3].words, cells[4].words) == (
        "Pour, day 2 and Strain comfrey steep", "Stir comfrey steep", "nothing",
    )  # fmt: skip
    assert cells[2].minutes == 8


@demo_garden
def test_the_calendar_says_in_words_what_its_strips_draw(client):
    page = text(client, "/calendar")
    row = re.search(r'Wool mulch under the currants</th> <td> <svg[^>]*aria-label="([^"]*)"', page)[1]
    assert row == "Round on Wed 20 May, Sat 23 May, Tue 26 May, Fri 29 May and Mon 1 Jun."
    assert re.search(r"Stir nettle steep</a>, each day until Sun 24 May", page)
    assert date(2026, 5, 24).strftime("%a") == "Sun"
