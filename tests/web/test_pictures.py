"""The pictures: to scale, true to the figures, told in words, patterns that stay apart in grey."""

import re
from dataclasses import replace
from datetime import timedelta
from itertools import pairwise
from pathlib import Path

import pytest
from sqlmodel import Session

from eproba.core.judging.judge import judge
from eproba.core.planning.cutter import Wish, proposals
from eproba.core.planning.prospect import Prospect
from eproba.core.planning.simulating import simulated
from eproba.core.practice.learning import Bin
from eproba.core.practice.luck import LuckyGarden
from eproba.core.stats.series import Question
from eproba.core.trial.ground import Gradient, Site, row_of
from eproba.core.wording.sentences import Wording
from eproba.store.trials import load_trial
from eproba.web.pictures.day_strip import day_strip
from eproba.web.pictures.gap_ruler import gap_ruler
from eproba.web.pictures.ground_plan import SMALLEST, WIDE_LETTER, Frame, Tile, ground_plan
from eproba.web.pictures.help import luck_picture
from eproba.web.pictures.hundred import hundred
from eproba.web.pictures.practice import calibration_drawn
from eproba.web.pictures.shared_ruler import NARROW, WIDE, Line, _beside
from eproba.web.pictures.shuffle_pile import shuffle_pile
from eproba.web.pictures.weeks import WeekTask, weeks
from eproba.web.ui.looks import looks
from tests.conftest import demo_garden
from tests.core.cases import made_up
from tests.databases import TODAY

PATTERNS = Path(__file__).parents[2] / "src/eproba/web/pictures/templates/pictures/patterns.svg"
LOOKS = looks(
    [("A", "Water", "water control"), ("B", "Bare", "untreated"), ("C", "Steep", "test"), ("D", "Whey", "test")]
)


def judged(scale="difference", worth=1.0, effect=2.0):
    level = 100 if scale == "ratio" else 10
    return judge(made_up(5, 2, 8, effect=effect * level / 10, level=level), Question("A", scale, worth))


def test_controls_are_paper_and_tests_have_patterns_of_their_own():
    assert [LOOKS[letter].pattern for letter in "ABCD"] == ["paper", "bare", "t1", "t2"]
    drawn = set(re.findall(r'id="p-(\w+)"', PATTERNS.read_text()))
    eight = looks([(letter, letter, "test") for letter in "ABCDEFGH"])
    assert {look.pattern for look in eight.values()} | {"paper", "bare"} == drawn
    shapes = {
        re.sub(r"#\w{6}", "", body) for body in re.findall(r'<pattern id="p-t\d"(.*?)</pattern>', PATTERNS.read_text())
    }
    assert len(shapes) == 7, "without colour, each pattern is still its own"


@pytest.mark.parametrize(("width", "length", "bar"), [(25, 25, "50 cm"), (300, 80, "5 m"), (4, 4, "5 cm")])
def test_the_ground_plan_is_to_scale(width, length, bar):
    site = Site((row_of("bed", width, length, width / 5, 2, 4),), Gradient("shade", 90), north=45)
    cuts = proposals(site, Wish(2, 4, width / 5, width, length))[0].cuts
    plan = ground_plan(site, [(cut, "AC"[i % 2]) for i, cut in enumerate(cuts)], LOOKS, {cuts[3].code: "fox"})
    scale = plan.tiles[0].width / width
    for cut, tile in zip(cuts, plan.tiles, strict=True):
        assert tile.height / length == pytest.approx(scale, rel=0.002)
        assert tile.x - plan.tiles[0].x == pytest.approx(scale * (cut.x_cm - cuts[0].x_cm), abs=0.3)
        assert tile.x + tile.width <= plan.width
        assert tile.y + tile.height <= plan.height
    number, unit_name = plan.bar_label.split()
    assert plan.bar == pytest.approx(scale * float(number) * (100 if unit_name == "m" else 1), rel=0.002)
    assert plan.bar_label == bar
    assert [tile.lost for tile in plan.tiles].count(True) == 1
    assert "lost: fox" in plan.tiles[3].title
    assert [frame.label for frame in plan.frames] == ["1", "2", "3", "4"]
    assert (plan.gradient, plan.gradient_turn, plan.north_turn) == ("more shade", 90, 45)
    assert plan.words.startswith("Places: Bed. In walking order: H1 ")


def test_a_name_is_no_wider_than_its_place():
    assert Frame("Tray", 0, 0, 200, 100).name_within(14) == ("Tray", 14)
    assert Frame("Tray by door", 0, 0, 95, 100).name_within(14) == ("Tray by door", 13.6)
    assert Frame("Tray by the door", 0, 0, 100, 100).name_within(14) == ("Tray by the …", 13.2)
    assert Frame("Tray by the kitchen door", 0, 0, 100, 100).name_within(14) == ("Tray by the …", 13.2)
    assert Frame("Tray", 0, 0, 8, 100).name_within(14) == ("T…", 13.2)


def test_a_plan_shown_small_has_larger_letters():
    """12.3 px in a box of 330 by 240, whichever side is short; a code no wider than its unit."""
    plan = ground_plan(Site((row_of("bed", 300, 80, 60, 2, 4),)), [], LOOKS)
    wide, tall = (replace(plan, width=width, height=height) for width, height in ((660, 240), (330, 720)))
    assert (wide.readable, tall.readable) == (24.6, 36.9)
    tile = Tile("H10", None, 0, 0, 80, 100, False, False, "")
    assert [tile.code_size(readable) for readable in (16, 33, 60)] == [30.8, 33, 37.4]


def test_a_narrow_plan_has_room_for_scale_gradient_and_north():
    """The words of a gradient stand left of its arrow, 110 from the right; the scale begins at 34."""
    bed = row_of("bed", 60, 600, 60, 1, 6)
    plan = ground_plan(Site((bed,), Gradient("wall", 180)), [], LOOKS)
    letters = WIDE_LETTER * SMALLEST
    assert 40 + plan.bar + letters * len(plan.bar_label) < plan.width - 130 - letters * len(plan.gradient)


def test_a_hundred_gardens_are_a_hundred_marks():
    shares = simulated(Prospect(3, 6, True, "ratio", 0.2, 0.3), 777, 1).shares
    picture = hundred(shares["worth"], "worth", Prospect(3, 6, True, "ratio", 0.2, 0.3))
    assert len(picture.marks) == sum(count for _, _, count in picture.counts) == 100
    assert len({(mark.x, mark.y) for mark in picture.marks}) == 100
    for verdict, _, count in picture.counts:
        assert abs(count - 100 * shares["worth"][verdict]) < 1
        assert f"{count} " in picture.words
    assert picture.title == "If it does just what you want"


def test_weeks_hold_every_task_on_its_day():
    tasks = [WeekTask(TODAY, "round", "Baseline", 12.0), WeekTask(TODAY + timedelta(days=9), "pour", "Pour", 5.0)]
    laid = weeks(tasks, TODAY, TODAY + timedelta(days=9), [0, 2])
    assert [day.on.weekday() for week in laid for day in week] == [0, 1, 2, 3, 4, 5, 6] * 2
    found = {day.on: [task.words for task in day.tasks] for week in laid for day in week if day.tasks}
    assert found == {TODAY: ["Baseline"], TODAY + timedelta(days=9): ["Pour"]}


@pytest.mark.parametrize(("scale", "worth"), [("difference", 1.0), ("ratio", 0.1)])
def test_the_gap_ruler_lies_true(scale, worth):
    judgement = judged(scale, worth)
    (c,) = judgement.comparisons
    ruler = gap_ruler(c, judgement, Wording("g"))
    low, high = ruler.interval
    slope = (high - low) / (c.carrying.high_adjusted - c.carrying.low_adjusted)
    assert (ruler.estimate - ruler.zero) / slope == pytest.approx(c.estimate, abs=0.01)
    assert (ruler.band[1] - ruler.zero) / slope == pytest.approx(judgement.question.band, abs=0.01)
    assert len(ruler.treated) == len(ruler.control) == 8
    middle = sum(spot.x for spot in ruler.treated) / 8
    assert middle == pytest.approx(ruler.estimate, abs=0.5), "the treated dots centre on the estimate"
    assert sum(spot.x for spot in ruler.control) / 8 == pytest.approx(ruler.zero, abs=0.5)
    assert "0" in [label for _, label in ruler.ticks]
    assert 3 <= len(ruler.ticks) <= 9
    assert all(40 <= x <= 720 for x, _ in ruler.ticks)
    assert ruler.words.startswith("Gap +")
    assert all(("%" in label) == (scale == "ratio") for _, label in ruler.ticks if label != "0")


def test_the_shuffle_pile_tells_what_it_shows():
    judgement = judged()
    test = judgement.comparisons[0].shuffle
    pile = shuffle_pile(test, test.gap, judgement, Wording("g"))
    assert "Of all 12 870 ways" in pile.words
    assert "taken out first" not in pile.words
    assert f"Ours is {pile.ours_label} here, since" in shuffle_pile(test, 0.5, judgement, Wording("g")).words
    assert f"{test.beyond} show a gap" in pile.words.replace(" ", "", 0)
    tallest = max(pile.bars, key=lambda bar: bar.height)
    assert tallest.height == 150
    assert pile.zero < pile.ours
    assert all(
        bar.far_height == 0 for bar in pile.bars if abs(bar.x + bar.width / 2 - pile.zero) < (pile.ours - pile.zero) / 2
    )


@pytest.mark.parametrize(
    ("bar", "middle", "layout", "place"),
    [
        ((300.0, 788.0), 500.0, WIDE, (800.0, 5.0, "start")),
        ((300.0, 788.1), 500.0, WIDE, (288.0, 5.0, "end")),
        ((274.0, 880.0), 500.0, WIDE, (262.0, 5.0, "end")),
        ((273.9, 880.0), 500.0, WIDE, (524.0, 26.0, "start")),
        ((20.0, 340.0), 194.0, NARROW, (218.0, 26.0, "start")),
        (None, 400.0, WIDE, (412.0, 5.0, "start")),
    ],
)
def test_a_value_stands_where_there_is_room_beside_its_bar(bar, middle, layout, place):
    assert _beside(bar, middle, layout) == place


@demo_garden
def test_the_day_strip_knows_what_is_done_due_and_to_come(app):
    with Session(app.extensions["engine"]) as session:
        currants, sunflowers = load_trial(session, 2), load_trial(session, 3)
    strip = day_strip(currants, TODAY)
    assert [mark.state for mark in strip.rounds] == ["done"] * 3 + ["due"] + ["to come"] * 4
    assert strip.sealed
    assert strip.today == strip.rounds[3].x
    assert strip.words == "Day 9 of 21. 3 of 8 rounds taken, 1 of 1 pouring days done."
    ended = day_strip(replace(currants, ended_on=currants.date_of(9)), currants.date_of(30))
    assert ended.words.startswith("Ended on day 9 of 21. 3 of 8")
    assert [mark.title for mark in ended.rounds[3:5]] == ["Round on day 9: due", "Round on day 12: fell away"]
    for day, words in ((-2, "Day 0 is "), (0, "Day 0 of 21."), (21, "Day 21 of 21."), (22, "Its 21 days are over.")):
        assert day_strip(currants, currants.date_of(day)).words.startswith(words)
    assert [mark.x for mark in strip.rounds] == sorted(mark.x for mark in strip.rounds)
    past = day_strip(sunflowers, TODAY)
    assert past.today is None, "the day is off the strip"
    assert [mark.state for mark in past.pours].count("skipped") == 1
    assert not past.sealed


@demo_garden
def test_a_year_of_rounds_keeps_its_labels_apart(app):
    with Session(app.extensions["engine"]) as session:
        trial = load_trial(session, 2)
    weekly = tuple(replace(trial.rounds[0], id=n, day=7 * n) for n in range(53))
    marks = day_strip(replace(trial, decision_day=364, rounds=weekly), TODAY).rounds
    labelled = [mark for mark in marks if mark.label]
    assert (len(marks), labelled[0].label, labelled[-1].label) == (53, "0", "364")
    assert min(two.x - one.x for one, two in pairwise(labelled)) >= 24
    few = replace(trial, rounds=weekly[:4], decision_day=21)
    assert [mark.label for mark in day_strip(few, TODAY).rounds] == ["0", "7", "14", "21"]


@demo_garden
def test_every_picture_has_its_words(client):
    page = client.get("/trials/1/verdict").get_data(as_text=True)
    for name in ("gap-ruler", "shuffle-pile"):
        labels = re.findall(rf'class="picture {name}"[^>]*role="img" aria-label="([^"]+)"', page)
        assert len(labels) == 2
        assert all(len(label) > 20 for label in labels)
    trial = client.get("/trials/1").get_data(as_text=True)
    assert "Ground plan of Comfrey and whey on rainbow chard. Places: Pots. In walking order: P1 " in trial
    assert "url(#p-t1)" in trial


@pytest.mark.parametrize(
    ("name", "shown"),
    [
        ("Comfrey steep, neat", "Comfrey steep, neat"),
        ("Comfrey steep, 1 + 40", "Comfrey ste… 1 + 40"),
        ("Comfrey steep, 1 + 20", "Comfrey ste… 1 + 20"),
    ],
)
def test_names_of_a_ladder_keep_what_they_differ_by(name, shown):
    line = Line("B", name, 0, None, None, "", (0, "start"), "", False)
    assert line.name_within(19) == shown


def test_sureness_lies_along_and_how_often_right_up():
    picture = calibration_drawn([Bin(50, 4, 2), Bin(90, 10, 9)])
    assert picture.stakes == ((48.0, 198.0, 1.18, "2 of 4"), (288.0, 78.0, 1.66, "9 of 10"))
    assert picture.words == "50 % sure: right 2 of 4 times; 90 % sure: right 9 of 10 times."
    assert calibration_drawn([]).words == "No round yet."


def test_two_groups_of_pots_lie_on_one_scale_and_within_it():
    first, second = luck_picture(LuckyGarden((8.0, 20.0, 32.0), (2.0, 14.0, 50.0)))
    assert (first.dots, first.mean) == ((14.0, 260.0, 506.0), 260.0)
    assert (second.dots, second.mean) == ((14.0, 137.0, 506.0), 301.0)
