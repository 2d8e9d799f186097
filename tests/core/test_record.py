"""A trial's record: what may be written, what closes a round, what is unequal, who may see, what is told."""

from dataclasses import replace
from datetime import UTC, date, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from eproba.core.errors import EprobaError
from eproba.core.trial.amendments import Changes, Correction, PourChange, evidence
from eproba.core.trial.blinding import hides_lots, shown_to
from eproba.core.trial.doses import Dose, DoseError, amount, exceptions, given_on, litres, unequal
from eproba.core.trial.model import Asked, Reading
from eproba.core.trial.readings import Entry, codes_told, rule
from eproba.core.trial.rounds import complete, may_open_again, passed_over, places
from eproba.core.trial.samples import SampleError, check_sample
from eproba.core.trial.stage import opened_on
from eproba.core.trial.worth import Worth, as_kept, as_typed
from eproba.core.wording.record import told_evidence
from eproba.core.words import DateError, listed, lower_first, parse_date
from tests.core.cases import small_trial

DAY0, DECISION = date(2026, 5, 1), date(2026, 5, 29)


@pytest.fixture
def running(catalogue):
    """The small trial on its last day, the last round still open."""
    trial = small_trial(catalogue)
    rounds = (*trial.rounds[:2], replace(trial.rounds[2], done=False))
    return replace(trial, rounds=rounds, closed_at=None)


def entry(typed="12", unit="P1", measure="leaf_count", replicate=1, **more):
    return Entry(unit, measure, replicate, typed, more.pop("read_on", DECISION), **more)


# --- What may be written ------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("change", "outcome", "why"),
    [
        ({}, "taken", ""),
        ({"unit": " p1 "}, "taken", ""),
        ({"measure": "Leaf count"}, "taken", ""),
        ({"typed": "0"}, "taken", ""),
        ({"typed": "60"}, "taken", ""),
        ({"typed": "61"}, "doubted", "61 is outside 0 to 60 leaves"),
        ({"typed": "61", "sure": True}, "taken", ""),
        ({"typed": "-1"}, "refused", "-1 doesn’t fit: Leaf count is a whole number, 0 or more"),
        ({"typed": "-1", "sure": True}, "refused", "-1 doesn’t fit"),
        ({"typed": "12.5"}, "refused", "Leaf count is a whole number"),
        ({"typed": "1e999"}, "refused", "is too large"),
        ({"typed": "", "skip": "slugs"}, "taken", ""),
        ({"replicate": 2}, "taken", ""),
        ({"replicate": 3}, "refused", "is read 2 times in each unit; this is reading 3"),
        ({"replicate": 0}, "refused", "this is reading 0"),
        ({"unit": "P12"}, "refused", "its units are P0 to P11"),
        ({"measure": "fresh_mass", "typed": "80"}, "taken", ""),
        ({"read_on": DECISION + timedelta(days=1)}, "refused", "is still to come"),
        ({"read_on": DAY0 - timedelta(days=366)}, "taken", ""),
        ({"read_on": DAY0 - timedelta(days=367)}, "refused", "long before the trial"),
    ],
)
def test_an_entry_is_taken_doubted_or_refused(running, change, outcome, why):
    found = rule(running, running.rounds[2], entry(**change), DECISION)
    assert found.outcome == outcome
    assert why in found.why


def test_what_ends_the_plant_is_refused_in_other_rounds(running):
    found = rule(running, running.rounds[1], entry(measure="fresh_mass"), DECISION)
    assert (found.outcome, "is read on day 28" in found.why) == ("refused", True)


def test_no_more_can_be_up_than_were_sown(catalogue, running):
    emergence = next(measure for measure in catalogue.values() if measure.kind == "proportion")
    trial = replace(running, asked=(Asked(emergence, 1, 20),))
    for typed, outcome in (("20", "taken"), ("21", "refused")):
        assert rule(trial, trial.rounds[2], entry(typed, measure=emergence.key), DECISION).outcome == outcome
    assert "of 20 sown" in rule(trial, trial.rounds[2], entry("21", measure=emergence.key, sure=True), DECISION).why


def test_a_score_has_no_steps_beyond_its_own(catalogue, running):
    trial = replace(running, asked=(Asked(catalogue["soil_smell"], 1, None),))
    found = rule(trial, trial.rounds[2], entry("5", measure="soil_smell", sure=True), DECISION)
    assert (found.outcome, "choose 0 to 4" in found.why) == ("refused", True)


@pytest.mark.parametrize(("day", "outcome"), [(19, "taken"), (20, "refused")])
def test_a_lost_unit_is_read_no_more_from_that_day_on(running, day, outcome):
    lost = replace(running.units[1], lost_on=DAY0 + timedelta(days=20), lost_reason="slugs")
    trial = replace(running, units=(running.units[0], lost, *running.units[2:]))
    assert rule(trial, trial.rounds[2], entry(read_on=DAY0 + timedelta(days=day)), DECISION).outcome == outcome


def test_after_the_opening_a_change_needs_a_reason_and_a_day_of_the_trial(catalogue):
    trial = small_trial(catalogue)
    assert rule(trial, trial.rounds[2], entry(), DECISION).why.startswith("the envelope is open")
    assert rule(trial, trial.rounds[2], entry(reason="found the sheet"), DECISION).outcome == "taken"
    ended = replace(trial, ended_on=DAY0 + timedelta(days=10))
    late = entry(reason="found the sheet", read_on=DAY0 + timedelta(days=11))
    assert "what was read later is not part of it" in rule(ended, ended.rounds[1], late, DECISION).why


@given(st.text(max_size=40), st.text(max_size=10), st.integers(-3, 99))
def test_nothing_typed_breaks_the_rule(typed, skip, replicate):
    from eproba.core.catalogue import measures

    trial = small_trial(measures())
    found = rule(trial, trial.rounds[0], entry(typed, replicate=replicate, skip=skip, reason="r"), DECISION)
    assert found.outcome in ("taken", "doubted", "refused")
    assert bool(found.why) == (found.outcome != "taken")


# --- Rounds -------------------------------------------------------------------------------------------------


def readings_in(trial, round_, count=None):
    found = places(trial, round_, trial.living(trial.date_of(round_.day)))
    return [Reading(i, round_.id, u, key, n, 1.0, "", "", 1) for i, (u, key, n) in enumerate(found[:count])]


def test_codes_that_follow_one_another_are_told_as_a_span(running):
    first = running.units[0]
    placed = [("pot", 3), ("patch", 2), ("patch", 10), ("patch", 1), ("pot", 11), ("pot", 4), ("pot", 10), ("pot", 9)]
    units = tuple(replace(first, cut=replace(first.cut, kind=kind, number=number)) for kind, number in placed)
    assert codes_told(replace(running, units=units)) == "H1 to H2, H10, P3 to P4, P9 to P11"


def test_units_of_a_sample(running):
    comfrey, other, water = running.units[0], running.units[2], running.units[1]
    check_sample([comfrey, other], (), lots_hidden=False)
    check_sample([water], ("P0",), lots_hidden=True)
    for units, taken, hidden, why in (
        ([], (), False, "Say which units are in it."),
        ([comfrey, other], ("P2",), False, "P2: in another sample of this round already."),
        ([comfrey, other], (), True, "While this device does not know who got what, each unit is a sample of its own."),
        ([comfrey, water], (), False,
         "P0 and P1 got different treatments: mixed into one sample they can’t be told apart."),
    ):  # fmt: skip
        with pytest.raises(SampleError) as refused:
            check_sample(units, taken, hidden)
        assert str(refused.value) == why


def test_a_round_is_complete_with_its_last_reading_and_without_the_lost(running):
    last = running.rounds[2]
    every = readings_in(running, last)
    assert len(every) == 12 * (1 + 2)
    assert complete(running, last, every)
    assert not complete(running, last, every[:-1])
    lost = replace(running.units[11], lost_on=DAY0)
    assert complete(replace(running, units=(*running.units[:11], lost)), last, every[:-3])


def test_what_was_passed_over_is_missed_unless_it_holds_a_reading(running):
    opened = tuple(replace(each, done=False) for each in running.rounds)
    trial = replace(running, rounds=opened)
    assert [(r.day, missed) for r, missed in passed_over(trial, opened[2], {1})] == [(0, True), (14, False)]
    assert passed_over(running, running.rounds[2], set()) == []
    assert [may_open_again(each, True) for each in running.rounds] == [True, True, False]
    assert not may_open_again(running.rounds[0], sealed=False)


@pytest.mark.parametrize(
    ("ended", "closed", "opens"),
    [
        (None, None, None),
        (None, datetime(2026, 5, 20, tzinfo=UTC), DECISION),
        (None, datetime(2026, 5, 31, tzinfo=UTC), date(2026, 5, 31)),
        (DAY0, datetime(2026, 5, 31, tzinfo=UTC), DAY0),
    ],
)
def test_the_envelope_never_opens_before_the_decision_day_but_by_ending(ended, closed, opens):
    assert opened_on(DECISION, ended, closed) == opens


# --- Doses, worth, words ------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("typed", "found"),
    [
        ("", {}),
        ("P1 100", {"P1": 100}),
        ("P1 1,2", {"P1": 1.2}),
        ("p1 1,2, P3 0", {"P1": 1.2, "P3": 0}),
        ("P1 100; P3 50 mL\nP5 7", {"P1": 100, "P3": 50, "P5": 7}),
    ],
)
def test_what_single_units_got(typed, found):
    assert exceptions(typed, ["P1", "P3", "P5"], Dose(100, "mL")) == found


@pytest.mark.parametrize(
    ("typed", "said"),
    [
        ("P1", "P1: say how much it got, e.g. P1 100; 0 for nothing"),
        ("P2 100", "P2 is none of its units; they are P1, P3"),
        ("P1 1, P1 2", "P1 stands there twice"),
        ("P1 1e300", "give 0 to 100000 mL"),
        ("P1 -5", "give 0 to 100000 mL"),
        ("P1 lots", "is no amount"),
        ("P1 5 kg", "as a number of mL"),
    ],
)
def test_exceptions_that_can_not_be(typed, said):
    with pytest.raises(DoseError, match=said):
        exceptions(typed, ["P1", "P3"], Dose(100, "mL"))


def test_amounts_days_and_equal_water(running):
    assert [amount(text, Dose(1, "L")) for text in ("1,5", "1.5 L each", "0", "100000")] == [1.5, 1.5, 0, 100_000]
    for text in ("100001", "1.5 kg", "", "L"):
        with pytest.raises(EprobaError):
            amount(text, Dose(1, "L"))
    assert (litres(250, "mL"), litres(3, "L"), litres(400, "g")) == (0.25, 3.0, None)
    assert not unequal([1.0, 0.9])
    assert unequal([1.0, 0.89])
    assert given_on(running, DECISION, DECISION) == DECISION
    for on, said in ((DECISION + timedelta(days=1), "still to come"), (date(2025, 4, 29), "long before")):
        with pytest.raises(DoseError, match=said):
            given_on(running, on, DECISION)


@given(st.floats(0.001, 900), st.sampled_from(["ratio", "difference"]))
def test_worth_is_typed_kept_and_said_in_one_way(typed, scale):
    assert as_typed(as_kept(typed, scale), scale) == pytest.approx(typed)
    assert Worth.from_typed(None, scale).words("cm", "any") == "any"


def test_worth_in_words():
    assert [Worth.from_typed(15, s).words("cm") for s in ("ratio", "difference")] == ["15 %", "15 cm"]
    assert [Worth(0.15, s).typed for s in ("ratio", "difference")] == ["15", "0.15"]
    assert (lower_first("Plant height"), lower_first("NPK")) == ("plant height", "NPK")
    assert (listed(["a"]), listed(["a", "b", "c"])) == ("a", "a, b and c")


@pytest.mark.parametrize("text", ["2026-05-31", "2026/5/31", "31.5.2026", "31.05.26", "31/5/2026", "31 May 2026"])
def test_dates_as_people_write_them(text):
    assert parse_date(f" {text} ") == date(2026, 5, 31)


@pytest.mark.parametrize(
    "text", ["", "31 Mai 2026", "2026-02-30", "32.1.2026", "03/04/2026", "٣.٤.2026", "2026-5", "x" * 99]
)
def test_no_dates(text):
    with pytest.raises(DateError, match=r"is no date|two ways"):
        parse_date(text)


# --- Who may see, and what is told --------------------------------------------------------------------------


def test_a_blind_trial_hides_its_lots_from_the_reader_until_the_opening(running):
    blind = replace(running, blind=True)
    assert hides_lots(blind, DECISION, pours=False)
    assert shown_to(blind, DECISION, pours=True) is blind
    assert shown_to(running, DECISION, pours=False) is running
    opened = replace(blind, closed_at=datetime(2026, 5, 29, tzinfo=UTC))
    assert shown_to(opened, DECISION, pours=False) is opened
    seen = shown_to(blind, DECISION, pours=False)
    assert {unit.letter for unit in seen.units} == {""}
    assert seen.seed == "", "the lots can't be dealt again from what is shown"


def test_the_record_tells_what_was_late_changed_or_left_out(running):
    at = datetime(2026, 5, 4, 9, tzinfo=UTC)
    read = Reading(
        1, 1, 1, "leaf_count", 1, 5.0, "", "Ben", 1, read_at=at, came_at=at + timedelta(days=3), source="till"
    )
    on_time = replace(read, id=2, came_at=at + timedelta(days=2))
    pours = (replace(running.pours[0], entered_at=at), replace(running.pours[1], status="due"))
    trial = replace(running, dealt_at=at, made_at=DAY0_NOON, pours=pours, blind=True)
    changed = Correction(1, 4.0, "", "slip", "Ben", at, sealed=False, verdict_before="Better")
    poured = PourChange("B", 14, {"amount_each": 250.0}, "Ilse", at, sealed=False)
    told = told_evidence(evidence(trial, [replace(read, saw=True), on_time], Changes([changed], [poured]), DECISION))
    assert told == [
        "Lots dealt on day 3, after the start.",
        "Day 14: 2 readings truly read on day 3.",
        "1 reading was entered days after it was taken.",
        "1 pour was entered days after it was poured.",
        "1 pour due by now, not on record.",
        "Changed after the opening by Ben (slip); the verdict was: Better.",
        "The pour B of day 14 was changed after the opening by Ilse.",
        "Read on a device that shows who got what: Ben.",
    ]
    assert told_evidence(evidence(running, [], Changes(), DECISION)) == []


DAY0_NOON = datetime(2026, 5, 1, 12, tzinfo=UTC)
