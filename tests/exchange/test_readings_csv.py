"""Readings as CSV: what goes out comes in again; every row is held against the one rule and the rows before it."""

import csv
import io
from dataclasses import replace
from datetime import UTC, date, datetime

import pytest
from hypothesis import given
from hypothesis import strategies as st

from eproba.core.catalogue import measures
from eproba.core.trial.blinding import shown_to
from eproba.core.trial.model import Reading
from eproba.exchange.readings_csv import OUT, Word, import_rows, preview, write_readings
from eproba.exchange.table import TableError, as_it_was, inert
from tests.core.cases import small_trial

DECISION = date(2026, 5, 29)
HEAD = "day,unit,measure,reading,value,skipped,read_on\n"
TODAY = Word(DECISION)


def trial_now():
    return replace(small_trial(measures()), closed_at=None)


def rows_of(text):
    return list(csv.DictReader(io.StringIO(text)))


def seen(text, trial=None, taken=(), word=TODAY):
    return preview((HEAD + text).encode(), trial or trial_now(), taken, word)


# --- Out and in again -----------------------------------------------------------------------------------------

TOLD = st.text(st.characters(exclude_categories=("Cs", "Cc", "Z")), min_size=1, max_size=20)
SIGNED = st.builds(
    lambda sign, text: sign + text, st.sampled_from(["", "=", "+", "-", "@", "'", "'=", "''-", ","]), TOLD
)


@st.composite
def some_readings(draw):
    """Readings of the small trial: leaves twice in each round, the fresh mass on the last day; some skipped."""
    trial = trial_now()
    places = [
        (this.id, unit.id, asked.measure.key, replicate)
        for this in trial.rounds
        for unit in trial.units
        for asked in trial.asked_in(this)
        for replicate in range(1, asked.per_unit + 1)
    ]
    found = []
    for n, place in enumerate(draw(st.lists(st.sampled_from(places), min_size=1, unique=True, max_size=12))):
        skipped = draw(st.booleans())
        grams = st.floats(0.001, 4000, allow_nan=False)
        leaves = st.integers(0, 500).map(float)
        value = None if skipped else draw(leaves if place[2] == "leaf_count" else grams)
        found.append(Reading(n, *place, value, draw(SIGNED) if skipped else "", "Ida", 1))
    return trial, found


@given(some_readings())
def test_what_goes_out_comes_in_again(made):
    trial, readings = made
    back = preview(write_readings(trial, readings).encode(), trial, (), Word(DECISION, sure=True))
    assert not back.bad, back.bad
    kept = [(r.round_id, r.unit_id, r.measure_key, r.replicate, r.skip_reason) for r in readings]
    assert [(w.round_id, w.unit_id, w.measure_key, w.replicate, w.skip_reason) for w in back.wanted] == kept
    for wanted, reading in zip(back.wanted, readings, strict=True):
        assert wanted.value == (None if reading.value is None else pytest.approx(reading.value, rel=1e-14))
    again = preview(write_readings(trial, readings).encode(), trial, readings, TODAY)
    assert (again.same, len(again.wanted), again.bad_rows) == (len(readings), 0, 0), "nothing is taken a second time"


@given(SIGNED)
def test_no_text_is_a_formula_and_each_comes_back(text):
    assert not inert(text).startswith(("=", "+", "-", "@"))
    assert as_it_was(inert(text)) == text


def test_what_is_known_of_a_reading_goes_out():
    at = datetime(2026, 5, 15, 7, 30, tzinfo=UTC)
    known = Reading(1, 1, 3, "leaf_count", 2, 501.0, "", "=Ida", 1, at, at, "501,0", True, "till", False, "=scale")
    (row,) = rows_of(write_readings(trial_now(), [known]))
    assert tuple(row) == OUT
    assert row == {
        "day": "14", "date": "2026-05-15", "unit": "P3", "block": "2", "treatment": "Plain water",
        "role": "water control", "measure": "Leaf count", "reading": "2", "value": "501", "unit_of_value": "leaves",
        "skipped": "", "by": "'=Ida", "read_at": "2026-05-15T07:30+00:00", "came_at": "2026-05-15T07:30+00:00",
        "typed": "501,0", "sure": "yes", "meter": "'=scale",
    }  # fmt: skip
    bare = rows_of(write_readings(trial_now(), [Reading(1, 1, 3, "leaf_count", 1, None, "slugs", "", 1)]))[0]
    assert (bare["value"], bare["skipped"], bare["read_at"], bare["sure"]) == ("", "slugs", "", "")


def test_who_reads_a_blind_trial_gets_no_treatment_and_no_hint_of_one():
    trial = trial_now()
    blind = shown_to(replace(trial, blind=True), DECISION, pours=False)
    out = write_readings(blind, [Reading(1, 1, 3, "leaf_count", 1, 9.0, "", "", 1)])
    assert [(row["treatment"], row["role"]) for row in rows_of(out)] == [("", "")]
    assert "steep" not in out
    guess = b"day,unit,treatment,measure,value\n0,P0,Plain water,Leaf count,4\n"
    assert not preview(guess, blind, (), TODAY).bad, "a wrong guess is not told to be wrong"
    (told,) = preview(guess, trial, (), TODAY).bad
    assert told.why == "unknown or wrong treatment “Plain water”: unit P0 was dealt A (Comfrey steep)"


# --- Row by row -----------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("row", "column", "why"),
    [
        ("0,P3,Leaf count,1,tall,,", "value", "“tall” is not a number"),
        ("0,P3,Leaf count,1,-1,,", "value", "-1 doesn’t fit: Leaf count is a whole number, 0 or more"),
        ("0,P3,Leaf count,3,4,,", "reading", "Leaf count is read 2 times in each unit; this is reading 3"),
        ("0,P3,Leaf count,0,4,,", "reading", "“0” is no reading number; use 1, 2, 3 …"),
        ("0,P3,Leaf count,²,4,,", "reading", "“²” is no reading number; use 1, 2, 3 …"),
        ("0,P12,Leaf count,1,4,,", "unit", "no unit “P12” in this trial; its units are P0 to P11"),
        ("0,P3,Fresh mass,1,4,,", "measure", "“Fresh mass” is not part of the round of day 0: it uses the plant up, "
         "and is read on day 28"),
        ("7,P3,Leaf count,1,4,,", "day", "no round on day 7; the rounds are 2026-05-01 (day 0), 2026-05-15 (day 14), "
         "2026-05-29 (day 28)"),
        ("soon,P3,Leaf count,1,4,,", "day", "“soon” is no whole number of days"),
        ("0,P3,Leaf count,1,4,,2026-05-30", "read_on", "2026-05-30 is still to come: a reading bears the day on which "
         "it was read"),
        ("0,P3,Leaf count,1,4,,yesterday", "read_on", "“yesterday” is no date; write it as 2026-05-31"),
        ("0,P3,Leaf count,1,4,,9999-99-99T25:61", "read_on", "“9999-99-99T25:61” is no date; write it as 2026-05-31"),
    ],
)  # fmt: skip
def test_a_row_that_can_not_be_taken_says_where_and_why(row, column, why):
    found = seen("14,P4,Leaf count,1,4,,\n" + row)
    (bad,) = found.bad
    assert (bad.line, bad.column, found.takeable) == (3, column, False)
    assert bad.why.startswith(why)
    assert len(found.wanted) == 1, "the right row is read all the same"


def test_a_value_out_of_the_ordinary_waits_for_somebody_s_word():
    row = "0,P3,Leaf count,1,501,,\n"
    doubted = seen(row)
    assert (doubted.bad_rows, doubted.doubted_rows, doubted.takeable) == (0, 1, False)
    assert doubted.doubted[0].why == "501 is outside 0 to 60 leaves"
    assert seen(row, word=Word(DECISION, sure=True)).takeable
    assert seen("0,P3,Leaf count,1,60,,\n").takeable


def test_after_the_opening_a_file_needs_a_reason():
    opened = replace(trial_now(), ended_on=DECISION)
    row = "0,P3,Leaf count,1,4,,\n"
    assert seen(row, opened).bad[0].column == "reason"
    assert seen(row, opened, word=Word(DECISION, reason="the sheet turned up")).takeable


def test_one_place_is_taken_once():
    twice = seen("0,P3,Leaf count,1,4,,\n0, p3 ,leaf_count,1,5,,\n0,P3,Leaf count,2,5,,\n")
    assert [(bad.line, bad.why) for bad in twice.bad] == [
        (3, "this reading is in the file twice (line 2); correct it in the table instead")
    ]
    assert len(twice.wanted) == 2, "the second reading of the unit is another place"
    there = [Reading(1, 0, 3, "leaf_count", 1, 4.0, "", "", 1)]
    (bad,) = seen("0,P3,Leaf count,1,5,,\n", taken=there).bad
    assert bad.why == "this reading is already on record; correct it in the table instead"
    back = seen("0,P3,Leaf count,1,4.0 leaves,,\n0,P3,Leaf count,2,,,\n", taken=there)
    assert (back.same, back.bad_rows, len(back.wanted)) == (1, 0, 0), "unchanged is no error, an empty cell is nothing"


@pytest.mark.parametrize(("rows", "named"), [(50, 50), (51, 50)])
def test_the_first_fifty_are_named_and_all_are_counted(rows, named):
    found = seen("0,P99,Leaf count,1,4,,\n" * rows + "0,P3,Leaf count,1,501,,\n" * 1)
    assert (len(found.bad), found.bad_rows, found.doubted_rows) == (named, rows, 1)


@pytest.mark.parametrize(
    ("raw", "said"),
    [
        ("", "the file is empty"),
        (HEAD, "line 2: there is a header but no reading below it"),
        ("unit,measure,value\nP1,Leaf count,3\n", "line 1, column date: the header needs a column date"),
        ("day,unit,value\n0,P1,3\n", "line 1, column measure: the header lacks the column measure"),
        ("day,unit,unit,measure,value\n", "line 1, column unit: this column stands there twice; rename one"),
        ("day,unit,measure,value\n0,P1,Leaf count,3,5\n", "line 2: 5 cells where the header has 4 columns"),
        ("day,unit\0", "this is not a text file"),
    ],
)
def test_a_file_as_a_whole(raw, said):
    with pytest.raises(TableError) as refused:
        preview(raw.encode(), trial_now(), (), TODAY)
    assert str(refused.value).startswith(said)


def test_a_decimal_comma_that_splits_a_number_is_told_how_to_mend():
    with pytest.raises(TableError, match="separate by semicolons or put numbers in quotes"):
        preview(b"day,unit,measure,value\n28,P1,Fresh mass,3,5\n", trial_now(), (), TODAY)
    mended = preview(b"day;unit;measure;value\n28;P1;Fresh mass;3,5\n", trial_now(), (), TODAY)
    assert [wanted.value for wanted in mended.wanted] == [3.5]


def test_rows_for_the_store_say_where_they_come_from():
    at = datetime(2026, 5, 29, 19, tzinfo=UTC)
    found = seen("14,P3,Leaf count,1,4,,2026-05-16\n14,P4,Leaf count,1,,slugs,\n")
    first, second = import_rows(found, "Ida", at, "b1", True)
    assert (first["value"], first["typed"], first["read_at"].date()) == (4.0, "4", date(2026, 5, 16))
    assert (second["value"], second["skip_reason"], second["read_at"]) == (None, "slugs", None)
    assert {(row["source"], row["by"], row["at"], row["saw"]) for row in (first, second)} == {("file", "Ida", at, True)}
    assert [row["client_id"] for row in (first, second)] == ["file-b1-2", "file-b1-3"], "no row is written twice"
