"""Readings as a workbook: out, edited, in; a round's sheet filled in offline; what is none of it."""

import io
import zipfile
from datetime import date

import pytest
from openpyxl import Workbook, load_workbook

from eproba.core.catalogue import measures
from eproba.exchange.readings_csv import Word, preview
from eproba.exchange.readings_xlsx import is_workbook, rows_of_workbook, write_workbook
from eproba.exchange.table import TableError
from tests.core.cases import reading, small_trial

LATE = date(2026, 6, 30)


@pytest.fixture
def trial():
    return small_trial(measures(), first="plant_height")


def book(content):
    return load_workbook(io.BytesIO(content))


def saved(workbook):
    kept = io.BytesIO()
    workbook.save(kept)
    return kept.getvalue()


def read_back(content, trial, taken=()):
    text = rows_of_workbook(content, trial)
    return preview(text.encode(), trial, taken, Word(LATE, reason="found it"))


def test_a_round_s_sheet_goes_out_empty_and_comes_in_filled(trial):
    empty = book(write_workbook(trial, [], [trial.rounds[1]], long=False))
    sheet = empty["Day 14"]
    heads = ["unit", "Plant height (cm)", "Leaf count (leaves) 1", "Leaf count (leaves) 2", "read on"]
    assert [cell.value for cell in sheet[1]] == heads
    assert [sheet.cell(row, 1).value for row in (2, 13)] == ["P0", "P11"]
    sheet["B2"], sheet["C2"], sheet["E2"] = "4,5 cm", 7, date(2026, 5, 16)
    sheet["B3"] = "skipped: slugs"
    found = read_back(saved(empty), trial)
    assert (found.bad_rows, len(found.wanted)) == (0, 3)
    first = found.wanted[0]
    assert (first.value, first.unit_id, first.measure_key, first.read_at.date()) == (
        4.5,
        0,
        "plant_height",
        date(2026, 5, 16),
    )
    assert [each.skip_reason for each in found.wanted] == ["", "", "slugs"]


def test_an_unchanged_export_back_in_is_no_error_and_a_change_is(trial):
    taken = [reading(trial, n, trial.rounds[1], unit, "plant_height", 10.5 + n) for n, unit in enumerate(trial.units)]
    out = write_workbook(trial, taken, trial.rounds)
    assert is_workbook(out)
    assert book(out).sheetnames == ["Readings", "Day 0", "Day 14", "Day 28"]
    back = read_back(out, trial, taken)
    assert (back.same, len(back.wanted), back.bad_rows) == (12, 0, 0)
    edited = book(out)
    edited["Day 14"]["B3"], edited["Day 14"]["B4"] = 99, "tall"
    told = read_back(saved(edited), trial, taken)
    assert [(each.cell, each.why.split(";")[0]) for each in told.bad] == [
        ("Day 14, B3", "this reading is already on record"),
        ("Day 14, B4", "“tall” is not a number"),
    ]
    alone = book(out)
    for name in ("Day 0", "Day 14", "Day 28"):
        del alone[name]
    assert read_back(saved(alone), trial, taken).same == 12, "the long sheet alone does it too"


def test_no_cell_is_a_formula_and_of_formulas_only_values_are_read(trial):
    evil = [reading(trial, 0, trial.rounds[1], trial.units[0], "plant_height", None)]
    evil = [
        evil[0].__class__(
            **{**{n: getattr(evil[0], n) for n in evil[0].__slots__}, "skip_reason": "=1+1", "by": "@SUM(A1)"}
        )
    ]
    content = write_workbook(trial, evil, trial.rounds)
    cells = [cell for sheet in book(content) for row in sheet for cell in row]
    assert all(cell.data_type != "f" for cell in cells)
    assert "'=1+1" in {cell.value for cell in cells}
    sums = Workbook()
    sheet = sums.active
    sheet.title = "Day 14"
    sheet.append(["unit", "Plant height (cm)"])
    sheet.append(["P0", "=1+1"])
    told = preview(rows_of_workbook(saved(sums), trial).encode(), trial, [], Word(LATE))
    assert (told.bad_rows, told.bad[0].cell) == (1, "Day 14, B2")
    assert "a formula stands here, and the file holds no value of it" in told.bad[0].why


def test_what_is_no_workbook_of_this_trial_says_so(trial):
    other = Workbook()
    other.active.title = "Shopping"
    bomb = io.BytesIO()
    with zipfile.ZipFile(bomb, "w", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr("xl/worksheets/sheet1.xml", b" " * 130_000_000)
    for content, said in (
        (saved(other), "no sheet is named after a round"),
        (b"PK\x03\x04 cut", "cut short"),
        (bomb.getvalue(), "too large"),
        (saved(Workbook())[:-40], "cut short"),
    ):
        with pytest.raises(TableError, match=said):
            rows_of_workbook(content, trial)
