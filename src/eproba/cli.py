"""The commands behind `./eproba`."""

import os
import sys
from datetime import datetime
from pathlib import Path

import click

from eproba.core.judging.series import CannotJudge, Question, Scale
from eproba.core.measuring.numbers import parse_number


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
def judge_file(file: Path, control: str, scale: Scale, worth: str | None, lower_is_better: bool, as_json: bool) -> None:
    """Judge a CSV of units: unit,treatment,value and, where present, block,row,column,baseline."""
    # Imported here, since the other commands must not wait for the statistics.
    from eproba.core.judging.judge import judge
    from eproba.exchange.judgement_json import judgement_json
    from eproba.exchange.judgement_text import readable
    from eproba.exchange.table import TableError
    from eproba.exchange.units_csv import located, read_units

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


@main.command(hidden=True)
@click.argument("what", type=click.Choice(["serve", "demo"]))
def prepare(what: str) -> None:
    """Make the database ready and print its URL (for the start script)."""
    from eproba.store.preparing import prepare_demo, prepare_own

    url = os.environ["EPROBA_DATABASE_URL"]
    click.echo(prepare_own(url) if what == "serve" else prepare_demo(url, datetime.now().date()))


@main.command()
def passcode() -> None:
    """Make a new household passcode and print it; devices must give it again."""
    from eproba.store.doorkeeping import new_passcode

    click.echo(f"The household passcode is now: {new_passcode(os.environ['EPROBA_DATABASE_URL'])}")


@main.command("open-house", hidden=True)
@click.option("--port", type=int, required=True)
def open_house(port: int) -> None:
    """Say how a phone in the home network comes in (for the start script)."""
    import segno

    from eproba.store.doorkeeping import home_address, new_passcode, passcode_is_set

    url = os.environ["EPROBA_DATABASE_URL"]
    address = f"http://{home_address()}:{port}/"
    click.echo(f"On the phone, in the same home network: {address}")
    segno.make(address).terminal(out=sys.stdout, compact=True)
    if passcode_is_set(url):
        click.echo("Passcode: the one you have (./eproba passcode makes a new one).")
    else:
        click.echo(f"Household passcode: {new_passcode(url)} (write it down; it is kept only as a hash)")


@main.command("restore-begin", hidden=True)
def restore_begin() -> None:
    """Print the URL of an empty database to restore into."""
    from eproba.store.preparing import begin_restore

    click.echo(begin_restore(os.environ["EPROBA_DATABASE_URL"]))


@main.command("restore-end", hidden=True)
def restore_end() -> None:
    """Put the restored database in place."""
    from eproba.store.preparing import end_restore

    aside = end_restore(os.environ["EPROBA_DATABASE_URL"], datetime.now())
    click.echo(f"restored; what was there before is kept in the database {aside}")


if __name__ == "__main__":
    main(prog_name="eproba")
