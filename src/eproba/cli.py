"""The commands behind `./eproba`."""

import sys
from pathlib import Path

import click

from eproba.core.judging.judge import Comparison, Judgement, judge
from eproba.core.judging.sentences import Wording, gap_text, headline, sentence
from eproba.core.judging.series import CannotJudge, Question, Scale
from eproba.core.measuring.numbers import parse_number
from eproba.exchange.judgement_json import judgement_json
from eproba.exchange.table import TableError
from eproba.exchange.units_csv import located, read_units


@click.group()
def main() -> None:
    """Eproba: fair trials in a home garden."""


@main.command("judge")
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--control", required=True, help="The treatment that the others are compared with.")
@click.option("--scale", type=click.Choice(["difference", "ratio"]), default="difference", show_default=True)
@click.option("--worth", help="Smallest difference worth having: 0.5, or 10% on the ratio scale.")
@click.option("--lower-is-better", is_flag=True)
@click.option("--json", "as_json", is_flag=True, help="Print JSON and nothing else.")
def judge_file(
    file: Path, control: str, scale: Scale, worth: str | None, lower_is_better: bool, as_json: bool
) -> None:
    """Judge a CSV of units: unit,treatment,value and, where present, block,row,column,baseline."""
    try:
        question = Question(control, scale, _worth(worth, scale), lower_is_better)
        units, lines = read_units(file.read_bytes())
        try:
            judgement = judge(units, question)
        except CannotJudge as error:
            raise located(error, lines) from error
    except OSError as error:
        _refuse(f"{file}: can't be read ({error.strerror})")
    except TableError as error:
        _refuse(f"{file}: {error}")
    except ValueError as error:
        _refuse(str(error))
    click.echo(judgement_json(judgement) if as_json else readable(judgement))


def _refuse(message: str) -> None:
    click.echo(f"eproba judge: {' '.join(message.split())}", err=True)
    sys.exit(2)


def _worth(text: str | None, scale: Scale) -> float | None:
    """`10%` → 0.1 on the ratio scale, a plain number on the difference scale."""
    if text is None:
        return None
    is_percent = text.strip().endswith("%")
    if is_percent != (scale == "ratio"):
        form = "a percentage such as 10%" if scale == "ratio" else "a plain number in the unit of the values"
        raise ValueError(f"--worth {text}: on the {scale} scale the worth is {form}")
    try:
        worth = parse_number(text.strip().rstrip("%"))
    except ValueError as error:
        raise ValueError(f"--worth: {error}") from error
    if worth <= 0:
        raise ValueError(f"--worth {text}: it must be above 0")
    return worth / 100 if is_percent else worth


def readable(judgement: Judgement) -> str:
    """Table, sentences and trust ledger as plain text."""
    wording = Wording()
    heads = ("treatment", "units", "gap", "95 % of all", "p", "p of all", "shuffle p", "verdict")
    rows = [heads, *(_row(each, judgement, wording) for each in judgement.comparisons)]
    widths = [max(len(row[i]) for row in rows) for i in range(len(heads))]
    table = ["  ".join(cell.ljust(w) for cell, w in zip(row, widths, strict=True)).rstrip() for row in rows]
    sentences = [sentence(each, judgement, wording) for each in judgement.comparisons]
    ledger = [f"{line.level}: {line.rule}. {line.text}" for line in judgement.trust]
    opening = f"{judgement.units} units judged against “{judgement.question.control}” ({judgement.design})."
    return "\n".join([opening, "", *table, "", *sentences, "", "Trust", *ledger])


def _row(each: Comparison, judgement: Judgement, wording: Wording) -> tuple[str, ...]:
    def p(number: float | None) -> str:
        return "–" if number is None else f"{number:.4f}"

    span = "–"
    if each.low_adjusted is not None and each.high_adjusted is not None:
        ends = (gap_text(each.low_adjusted, judgement, wording), gap_text(each.high_adjusted, judgement, wording))
        span = " to ".join(ends)
    gap = "–" if each.estimate is None else gap_text(each.estimate, judgement, wording)
    shuffled = p(each.shuffle.p if each.shuffle else None)
    counts = f"{each.n} : {each.n_control}"
    return (each.treatment, counts, gap, span, p(each.p), p(each.p_adjusted), shuffled, headline(each, judgement))


if __name__ == "__main__":
    main(prog_name="eproba")
