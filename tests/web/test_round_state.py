"""The till's rules without a page: steps, limits, answers and what is said of what waits, by the hundred."""

import math
from dataclasses import replace
from datetime import date
from pathlib import Path

import pytest

from eproba.core.catalogue import measures
from eproba.core.trial.model import Asked
from eproba.core.trial.readings import Entry, limits, possible_words, rule
from tests.core.cases import small_trial

STATIC = Path(__file__).parents[2] / "src" / "eproba" / "web" / "static"


def script(name):
    return (STATIC / name).read_text("utf-8")


@pytest.fixture
def state(chromium):
    """Calls one of the rules, once for each list of what it is given."""
    page = chromium.new_page()
    for name in ("till.js", "round-state.js"):
        page.add_script_tag(content=script(name))

    def answers(name, *given):
        return page.evaluate(
            "([name, given]) => given.map((of) => RoundState[name](...of) ?? null)", [name, [list(of) for of in given]]
        )

    yield answers
    page.close()


# --- Steps --------------------------------------------------------------------------------------------------


def asked(key, per_unit=1, kind="number", **rest):
    return {"key": key, "perUnit": per_unit, "kind": kind, **rest}


def places(state, wished=("walk", "unit"), **changes):
    units = [{"code": f"H{n}"} for n in range(1, 8)]
    data = {
        "units": units, "shuffled": ["H3", "H1", "H2"], "asked": [asked("m", 2), asked("k")], "over": [], "again": [],
        "second": False, **changes,
    }  # fmt: skip
    (steps,) = state("laid", (data, dict(zip(("order", "by"), wished, strict=True))))
    return [step["place"] for step in steps]


def test_steps_go_by_units_or_by_measures_walking_or_shuffled(state):
    assert places(state)[:4] == ["H1:m:1", "H1:m:2", "H1:k:1", "H2:m:1"]
    assert places(state, ("walk", "measure"))[12:16] == ["H7:m:1", "H7:m:2", "H1:k:1", "H2:k:1"]
    assert places(state, ("shuffle", "unit"))[:4] == ["H3:m:1", "H3:m:2", "H3:k:1", "H1:m:1"]
    assert len(places(state)) == 21


def test_what_has_happened_is_asked_no_more_and_one_picture_gives_all(state):
    assert "H2:k:1" not in places(state, over=["H2:k"])
    shots = [asked("green", kind="photo"), asked("cover", kind="photo"), asked("k")]
    assert places(state, asked=shots)[:3] == ["H1:green:1", "H1:k:1", "H2:green:1"]


def test_what_is_asked_again_comes_four_units_later_and_never_to_a_second_reader(state):
    again = places(state, asked=[asked("k")], again=["H2:k"])
    assert again == ["H1:k:1", "H2:k:1", *(f"H{n}:k:1" for n in (3, 4, 5, 6)), "H2:k:1:again", "H7:k:1"]
    assert places(state, asked=[asked("k")], again=["H6:k"])[-1] == "H6:k:1:again", "at the end, where no four follow"
    assert places(state, asked=[asked("k")], again=["H9:k"]) == places(state, asked=[asked("k")])
    assert all(place.endswith(":again") for place in places(state, second=True, again=["H2:k"]))


def test_a_value_or_a_reason_fills_a_place(state):
    readings = [{"value": 0, "skip": ""}, {"value": None, "skip": "slugs"}, {"value": None, "skip": ""}]
    assert state("isFilled", *((reading,) for reading in readings)) == [True, True, False]


# --- Limits -------------------------------------------------------------------------------------------------


def told_by_the_core(trial, this, typed):
    """What the core makes of a value typed for the first time, and of one that was said to be right."""
    entry = Entry(trial.units[0].code, this.measure.key, 1, typed, date(2026, 5, 20))
    trial = replace(trial, asked=(this,))
    return [
        rule(trial, trial.rounds[-1], replace(entry, sure=sure), date(2026, 5, 20)).outcome for sure in (False, True)
    ]


def in_the_till(state, this, values):
    within = {name: None if isinstance(v, float) and math.isinf(v) else v for name, v in vars(limits(this)).items()}
    sent = {**within, "unit": this.measure.unit, "name": this.measure.name, "possible": possible_words(this)}
    first = state("checked", *((sent, value, None) for value in values))
    again = state("checked", *((sent, value, value) for value in values))
    return first, again


def near(within):
    ends = [end for end in vars(within).values() if not isinstance(end, bool) and not math.isinf(end)]
    return [f"{end + step:g}" for end in ends for step in (-1, -0.5, -0.01, 0, 0.01, 0.5, 1)]


def test_the_till_asks_refuses_and_takes_what_the_core_does(state):
    trial, tried = small_trial(measures()), 0
    for measure in measures().values():
        for sown in (None, 20) if measure.kind == "proportion" else (None,):
            this = Asked(measure, 1, sown)
            values = near(limits(this))
            for value, first, again in zip(values, *in_the_till(state, this, values), strict=True):
                of_core = told_by_the_core(trial, this, value)
                of_till = ["doubted" if first["isOdd"] else "refused" if first["says"] else "taken",
                           "refused" if again["says"] else "taken"]  # fmt: skip
                assert of_till == of_core, (measure.key, value)
                tried += 1
    assert tried > 1000


@pytest.mark.parametrize(
    ("typed", "says"),
    [
        ("", "Type a number, or skip."),
        ("tall", "“tall” is not a number; write it like 12.5 or 12,5."),
        ("1.2.3", "“1.2.3” is not a number; write it like 12.5 or 12,5."),
        ("-1", "-1 doesn’t fit: Plant height is 0 or more."),
        ("301", "301 is outside 0 to 300 cm. Enter again if it is right."),
        ("12,5", ""),
        ("−0", ""),
        ("12.5 cm", ""),
        ("301cm", "301 is outside 0 to 300 cm. Enter again if it is right."),
        ("12 in", ""),
        ("1 ft", ""),
    ],
)
def test_what_the_till_says_of_a_number(state, typed, says):
    first, _ = in_the_till(state, Asked(measures()["plant_height"], 1, None), [typed])
    assert first[0]["says"] == says


# --- What is worked out -------------------------------------------------------------------------------------

INPUTS = [
    {"name": "w", "asks": "Wet", "unit": "oz", "bears": "oz", "way": "", "usual": None, "spare": False, "many": False},
    {"name": "d", "asks": "Dry", "unit": "", "bears": "", "way": "a", "usual": 5, "spare": False, "many": False},
    {"name": "t", "asks": "Times", "unit": "s", "bears": "", "way": "b", "usual": None, "spare": True, "many": True},
]


def test_inputs_go_by_the_way_and_say_what_is_usual(state):
    this = {"inputs": INPUTS}
    assert state("waysOf", (this,)) == [["a", "b"]]
    a, b = state("inputsOf", (this, "a"), (this, "b"))
    assert [(each["id"], each["label"], each["hint"]) for each in a] == [
        ("in-w", "Wet, oz", ""), ("in-d", "Dry", "usually 5"),
    ]  # fmt: skip
    assert [each["hint"] for each in b] == ["", "one after the other: 420 432 444"]


def test_what_is_given_goes_as_one_text_and_comes_back(state):
    given = {"w": " 5,5 ", "d": "3", "t": "420, 432 444"}
    texts = state("inputText", (INPUTS, given), (INPUTS, {"w": "5 g"}), (INPUTS, {"w": " "}))
    assert texts == ["w=5,5oz d=3 t=420;432;444", "w=5g", ""]
    assert state("givenIn", ("w=5,5 t=420;432",), ("",)) == [{"w": "5,5", "t": "420 432"}, {}]
    assert state("sumOf", (INPUTS, {"w": "2", "d": "x", "t": "0,5"})) == [2.5]
    missing = state("missingOf", (INPUTS, {}), (INPUTS, {"w": "1"}), (INPUTS, {"w": " "}))
    assert [each and each["name"] for each in missing] == ["w", None, "w"], "neither what is usual nor what is spare"


# --- Answers ------------------------------------------------------------------------------------------------


def test_what_is_typed_stands_as_it_was_typed_until_it_is_known(state):
    op = {"id": "n", "typed": "5,1", "skip": ""}
    shown = state(
        "readingOf", (op, None, "Ana"), (op, {"version": 4}, "Ana"), ({**op, "undo": True}, {"version": 4}, ""),
        ({**op, "typed": "", "skip": "slugs"}, None, ""), ({**op, "typed": "w=5 d=3"}, None, ""),
    )  # fmt: skip
    assert shown[0] == {"value": "5,1", "skip": "", "version": 0, "by": "Ana", "id": "n", "inputs": ""}
    assert [each["version"] for each in shown] == [0, 4, 4, 0, 0]
    assert [(each["value"], each["skip"]) for each in shown[2:4]] == [(None, ""), (None, "slugs")]
    assert shown[4]["inputs"] == "w=5 d=3"


def test_undo_types_back_what_stood_there(state):
    undone = state(
        "undoing", (None,), ({"value": 5, "skip": "", "inputs": ""},), ({"value": None, "skip": "slugs"},),
        ({"value": 2, "skip": "", "inputs": "w=5"},), ({"value": 0, "skip": ""},),
    )  # fmt: skip
    assert undone[0] == {"typed": "", "skip": "", "undo": True}
    assert [each["typed"] for each in undone[1:]] == ["5", "", "w=5", "0"]
    assert undone[2]["skip"] == "slugs"


def test_an_answer_changes_only_what_it_is_about(state):
    entry, there = {"op": {"id": "n"}}, {"value": 7, "version": 2}
    mine, later = {"value": "5", "id": "n"}, {"value": "6", "id": "m"}
    saved, saved_without, refused = {"status": "saved", "there": there}, {"status": "saved"}, {"status": "refused"}
    standing = state(
        "standing", (mine, None, entry, saved), (later, there, entry, saved), (mine, None, entry, saved_without),
        (mine, there, entry, refused), (mine, None, entry, {"status": "conflict", "there": there}),
        (mine, None, entry, refused),
    )  # fmt: skip
    assert standing == [{**there, "id": "n"}, later, mine, there, there, None]
    newer = [({"version": 2}, None), ({"version": 2}, {"version": 2}), ({"version": 3}, {"version": 2})]
    assert state("isNewer", *newer) == [True, False, True]


# --- What waits ---------------------------------------------------------------------------------------------

QUIET = {
    "hidden": "", "waiting": 0, "trouble": "", "safe": True, "where": "safely on this device", "underWay": 0,
    "deciding": False, "ready": True, "answered": 3, "seen": "",
}  # fmt: skip


@pytest.mark.parametrize(
    ("change", "held_up", "says"),
    [
        ({}, False, "All sent."),
        ({"seen": "12 % green."}, False, "All sent. 12 % green."),
        ({"answered": 0}, False, ""),
        ({"ready": False}, False, ""),
        ({"deciding": True}, False, ""),
        ({"waiting": 1}, False, "Sending …"),
        ({"waiting": 1, "underWay": 1}, False, "Keeping it on this device …"),
        ({"waiting": 1, "trouble": "No connection."}, True, "No connection. 1 reading waits safely on this device."),
        ({"waiting": 2, "safe": False, "where": "in this page only"}, True, "2 readings wait in this page only."),
        ({"trouble": "No connection."}, False, "All sent."),
        ({"safe": False}, False, "All sent."),
        ({"hidden": "The store is silent."}, True, "The store is silent."),
        ({"hidden": "It is silent.", "waiting": 1}, True, "It is silent. 1 reading waits safely on this device."),
    ],
)
def test_what_is_said_of_what_waits(state, change, held_up, says):
    assert state("isHeldUp", ({**QUIET, **change},)) == [held_up]
    assert state("lineText", ({**QUIET, **change},)) == [says]


def test_why_a_round_is_not_finished_yet(state):
    here = {**QUIET, "openTitle": "H1: Moisture meter"}
    away = "Finish when the connection is back; what you typed is kept."
    given = ({**here, "deciding": True, "hidden": "Silent."},), ({**here, "hidden": "Silent."},), (here,)
    assert state("whyOpen", *given) == ["Decide about H1: Moisture meter first.", "Silent.", away]
