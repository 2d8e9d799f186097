"""The commands behind `./eproba`."""

import math
import os
import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path
from threading import Timer
from typing import TYPE_CHECKING, Literal, NoReturn, get_args

import click

from eproba.core.errors import EprobaError
from eproba.core.stats.series import CannotJudge, Kind, Question, Scale
from eproba.core.trial.worth import as_kept
from eproba.core.words import parse_number

if TYPE_CHECKING:
    from sqlmodel import Session

    from eproba.core.measuring.photo import Array


@click.group()
def main() -> None:
    """Eproba: fair trials in a home garden."""


@main.command("judge")
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--control", required=True, help="The treatment that the others are compared with.")
@click.option("--scale", type=click.Choice(["difference", "ratio"]), default="difference", show_default=True)
@click.option("--worth", help="Smallest difference worth having: 0.5, or 10% on the ratio scale.")
@click.option("--lower-is-better", is_flag=True)
@click.option("--no-worse", is_flag=True, help="Ask whether it is worse by more than --worth, then a margin.")
@click.option("--kind", type=click.Choice(get_args(Kind)), default="quantity", show_default=True)
@click.option("--dealt", type=click.Choice(["yes", "no"]), default="yes", help="Whether the lots fell by chance.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON and nothing else.")
def judge_file(
    file: Path,
    control: str,
    scale: Scale,
    worth: str | None,
    lower_is_better: bool,
    no_worse: bool,
    kind: Kind,
    dealt: str,
    as_json: bool,
) -> None:
    """Judge a CSV of units: unit,treatment,value and, where present, block,row,column,baseline."""
    # Imported here, since the other commands must not wait for the statistics.
    from eproba.core.judging.judge import judge
    from eproba.exchange.judgement_json import judgement_json
    from eproba.exchange.judgement_text import readable
    from eproba.exchange.table import TableError
    from eproba.exchange.units_csv import label, located, read_units

    try:
        question = Question(
            label(control),
            scale,
            _worth(worth, scale),
            lower_is_better,
            no_worse=no_worse,
            dealt=dealt == "yes",
            kind=kind,
        )
        units, lines = read_units(file.read_bytes(), kind)
        try:
            with _told_after(2.0, f"judging {len(units)} units …"):
                judgement = judge(units, question)
        except CannotJudge as error:
            raise located(error, lines) from error
    except OSError as error:
        _refuse(f"{file}: can't be read ({error.strerror})")
    except TableError as error:
        _refuse(f"{file}: {error}")
    except EprobaError as error:
        _refuse(str(error))
    click.echo(judgement_json(judgement) if as_json else readable(judgement))


@main.command("plan")
@click.option("--treatments", type=int, required=True, help="How many, the control counted.")
@click.option("--units", type=int, required=True, help="Units of each treatment.")
@click.option("--blocks", is_flag=True, help="In complete blocks, as many as units of each.")
@click.option("--scale", type=click.Choice(["difference", "ratio"]), help="Taken from --worth where it is not given.")
@click.option("--cv", help="Noise from unit to unit on the ratio scale, e.g. 20% (the default there).")
@click.option("--sd", help="Noise from unit to unit on the difference scale, in the measure's unit.")
@click.option("--measure", "key", help="Take the usual noise of this measure, as the planner does: plant_height, …")
@click.option("--typical", type=float, help="What one unit usually gives, where its noise is known in percent.")
@click.option("--readings", type=int, default=1, help="Readings of each unit, averaged.")
@click.option("--worth", required=True, help="Smallest difference worth having: 30%, or 15 on the difference scale.")
@click.option("--no-worse", is_flag=True, help="Ask whether it is worse by more than --worth.")
@click.option("--kind", type=click.Choice(get_args(Kind)), help="Of the measure; classes are judged by their order.")
@click.option("--rounded", type=float, help="What readings are rounded to: 1 for counts, scores, classes and days.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON and nothing else.")
def plan_chances(
    treatments: int, units: int, blocks: bool, scale: Scale | None, cv: str | None, sd: str | None, key: str | None,
    typical: float | None, readings: int, worth: str, no_worse: bool, kind: Kind | None, rounded: float | None,
    as_json: bool,
) -> None:  # fmt: skip
    """Tell the chance of a clear answer before anything is poured."""
    from eproba.core.planning.chance import chances
    from eproba.core.planning.prospect import Prospect
    from eproba.exchange.chances_out import chances_json, chances_text

    try:
        chosen: Scale = scale or ("ratio" if worth.strip().endswith("%") else "difference")
        if key is None:
            noise, step = _noise(chosen, cv, sd), 1.0 if kind in ("count", "score", "class", "day") else 0.0
        else:
            noise, step, kind = _of_the_measure(key, chosen, typical, readings, kind)
        step = step if rounded is None else rounded
        prospect = Prospect(
            treatments, units, blocks, chosen, noise, _worth(worth, chosen) or 0.0, no_worse=no_worse,
            kind=kind or "quantity", step=step, level=typical,
        )  # fmt: skip
    except EprobaError as error:
        _refuse(str(error), "plan")
    outcome = chances(prospect)
    click.echo(chances_json(outcome) if as_json else chances_text(outcome, prospect))


@main.command("combine")
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--worth", type=float, help="Smallest difference worth having, on the scale of the gaps.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON and nothing else.")
def combine_file(file: Path, worth: float | None, as_json: bool) -> None:
    """Put trials of one question together, from a CSV of trial,gap,se, all on one scale."""
    from eproba.core.stats.combining import combine, supposed
    from eproba.exchange.gaps_csv import combined_json, combined_text, read_gaps

    try:
        gaps = read_gaps(file.read_bytes())
        if worth is not None and not 0 < worth < math.inf:
            raise EprobaError(f"--worth {worth:g}: it must be above 0")
        every, errors = [gap.gap for gap in gaps], [gap.se for gap in gaps]
        pooled = combine(every, errors)
        if_alike = None if worth is None or pooled.k < 2 else supposed(every, errors, worth)
    except OSError as error:
        _refuse(f"{file}: can't be read ({error.strerror})", "combine")
    except EprobaError as error:
        _refuse(f"{file}: {error}", "combine")
    click.echo(combined_json(pooled, if_alike) if as_json else combined_text(pooled, if_alike))


@main.command("mix")
@click.argument("recipe")
@click.option("--area", help="Ground to be treated, m².")
@click.option("--units", type=int, help="How many units get it.")
@click.option("--per-unit-litres", help="What each of them gets, in litres.")
@click.option("--unit-area", help="The surface of one unit, m², where it is known.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON and nothing else.")
def mix_recipe(
    recipe: str, area: str | None, units: int | None, per_unit_litres: str | None, unit_area: str | None, as_json: bool
) -> None:
    """Mix a recipe for an area, or for units: volumes, ingredients, steps, what is actually added."""
    from eproba.core.brewing.kitchen import Kit
    from eproba.core.brewing.mixing import Want, mix
    from eproba.core.catalogue import cautions, recipes
    from eproba.exchange.mix_out import mix_json, mix_text

    known = recipes()
    if recipe not in known:
        _refuse(f"there is no recipe {recipe}; there are {', '.join(known)}", "mix")
    try:
        numbers = [None if text is None else parse_number(text) for text in (area, per_unit_litres, unit_area)]
        mixed = mix(known[recipe], Want(numbers[0], units, numbers[1], numbers[2]))
    except EprobaError as error:
        _refuse(str(error), "mix")
    shown = mix_json if as_json else mix_text
    click.echo(shown(mixed, cautions(), Kit()))


@main.command("brew")
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print JSON and nothing else.")
def replay_brew(file: Path, as_json: bool) -> None:
    """Replay a batch from a text of dated events: how it stands after each of them, and why."""
    from eproba.core.catalogue import cautions, ingredients, recipes
    from eproba.exchange.brew_log import brew_json, brew_text, replay

    try:
        moments = replay(file.read_bytes(), recipes(), ingredients(), cautions())
    except OSError as error:
        _refuse(f"{file}: can't be read ({error.strerror})", "brew")
    except EprobaError as error:
        _refuse(f"{file}: {error}", "brew")
    click.echo(brew_json(moments) if as_json else brew_text(moments))


@main.command("reckon")
@click.argument("calculator")
@click.argument("inputs", nargs=-1, metavar="NAME=VALUE…")
@click.option("--json", "as_json", is_flag=True, help="Print JSON and nothing else.")
def reckon_one(calculator: str, inputs: tuple[str, ...], as_json: bool) -> None:
    """Work something out: slurry, breathing, infiltration …; lists are written 3,4,5."""
    from eproba.core.catalogue import calculators
    from eproba.core.measuring.calculators import reckon
    from eproba.exchange.reckon_out import reckon_json, reckon_text

    known = calculators()
    if calculator not in known:
        _refuse(f"there is no calculator {calculator}; there are {', '.join(known)}", "reckon")
    if wrong := next((input_ for input_ in inputs if "=" not in input_), None):
        _refuse(f"{wrong}: write each input as NAME=VALUE", "reckon")
    try:
        worked = reckon(known[calculator], dict(input_.split("=", 1) for input_ in inputs))
    except EprobaError as error:
        _refuse(f"{calculator}: {error}", "reckon")
    click.echo(reckon_json(worked) if as_json else reckon_text(known[calculator], worked))
    for line in worked.said if as_json else ():
        click.echo(f"eproba reckon: {line}", err=True)


@main.command("photo")
@click.argument("files", nargs=-1, required=True, type=click.Path(path_type=Path))
@click.option("--outline", help="The unit's outline in pixels of the picture: 'x,y;x,y;x,y'.")
@click.option("--no-tag", is_flag=True, help="Measure without a tag: cover alone.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON and nothing else.")
def measure_photos(files: tuple[Path, ...], outline: str | None, no_tag: bool, as_json: bool) -> None:
    """Measure cover and greenness on pictures, or on all pictures of a folder."""
    from eproba.exchange.photo_out import files_of, photo_found, photo_json, photo_text

    if missing := next((file for file in files if not file.exists()), None):
        _refuse(f"{missing}: there is no such file", "photo")
    try:
        corners = None if outline is None else _outline(outline)
    except EprobaError as error:
        _refuse(f"--outline: {error}", "photo")
    every = files_of(files)
    with click.progressbar(every, file=sys.stderr, hidden=len(every) < 2, label="pictures") as going:
        photos = [photo_found(file, corners, not no_tag) for file in going]
    click.echo(photo_json(photos) if as_json else photo_text(photos))


def _outline(text: str) -> "Array":
    """`x,y;x,y;x,y` as points."""
    import numpy as np

    points = [part.split(",") for part in text.split(";") if part.strip()]
    if len(points) < 3 or any(len(point) != 2 for point in points):
        raise EprobaError("give three corners or more, like 10,10;300,10;300,200")
    return np.array([[parse_number(number) for number in point] for point in points])


@main.command("recipes")
@click.option("--json", "as_json", is_flag=True, help="Print JSON and nothing else.")
def list_recipes(as_json: bool) -> None:
    """List the recipes of the catalogue."""
    from eproba.core.catalogue import recipes
    from eproba.exchange.mix_out import recipes_json

    every = recipes().values()
    click.echo(recipes_json(every) if as_json else "\n".join(f"{r.key:28} {r.title}" for r in every))


@main.command("rehearse")
@click.option("--days", type=click.IntRange(1, 730), default=365, show_default=True)
@click.option("--seed", type=int, default=1, show_default=True)
@click.option("--warmth", type=click.Choice(["cool", "mild", "warm"]), default="mild", show_default=True)
@click.option("--careless", type=click.FloatRange(0, 1), default=0.0, show_default=True)
@click.option("--waterings", type=click.IntRange(1, 14), help="Extract goes into the can every so many days.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON and nothing else.")
def rehearse_days(
    days: int, seed: int, warmth: Literal["cool", "mild", "warm"], careless: float, waterings: int | None, as_json: bool
) -> None:
    """Do what Today says for so many days, and tell which laws of the list were broken."""
    import json

    from eproba.rehearsal.run import as_entry, in_words, with_database
    from eproba.rehearsal.temper import Temper

    outcome = with_database(os.environ["EPROBA_DATABASE_URL"], days, Temper(seed, warmth, careless, waterings or 0))
    click.echo(json.dumps(as_entry(outcome), indent=2) if as_json else in_words(outcome))
    sys.exit(1 if outcome.breaks else 0)


def _of_the_measure(
    key: str, scale: Scale, typical: float | None, readings: int, kind: Kind | None
) -> tuple[float, float, Kind]:
    """What the planner takes for a measure as long as there are no trials of one's own: noise, rounding, kind."""
    from eproba.core.catalogue import measures
    from eproba.core.judging.from_trial import KINDS
    from eproba.core.planning.outlook import noise_of, step_of

    known = measures()
    if key not in known:
        raise EprobaError(f"--measure {key}: no such measure; `./eproba plan --help` and the docs name them")
    if readings < 1:
        raise EprobaError(f"--readings {readings}: at least 1")
    measure = known[key]
    noise = noise_of(measure, scale, None, None, typical=typical, readings=readings).value
    return noise, step_of(measure, readings=readings), kind or KINDS[measure.kind]


def _noise(scale: Scale, cv: str | None, sd: str | None) -> float:
    """`20%` → 0.2 on the ratio scale, a plain number on the difference scale."""
    if scale == "ratio":
        if sd is not None:
            raise EprobaError("--sd: on the ratio scale the noise is a percentage: give --cv 20%")
        text = (cv or "20%").strip()
        if not text.endswith("%"):
            raise EprobaError(f"--cv {text}: write it as a percentage such as 20%")
        return as_kept(parse_number(text.rstrip("%")), scale)
    if cv is not None:
        raise EprobaError("--cv: on the difference scale the noise is in the measure's own unit: give --sd 20")
    if sd is None:
        raise EprobaError("--sd: say how much units differ by themselves, in the measure's unit, e.g. --sd 20")
    return parse_number(sd)


@contextmanager
def _told_after(seconds: float, text: str) -> Iterator[None]:
    """A line that says what goes on, for whoever has waited so long already."""
    timer = Timer(seconds, click.echo, [f"eproba: {text}"], {"err": True})
    timer.daemon = True
    timer.start()
    try:
        yield
    finally:
        timer.cancel()


def _refuse(message: str, command: str = "judge") -> NoReturn:
    click.echo(f"eproba {command}: {' '.join(message.split())}", err=True)
    sys.exit(2)


def _worth(text: str | None, scale: Scale) -> float | None:
    """`10%` → 0.1 on the ratio scale, a plain number on the difference scale."""
    if text is None:
        return None
    is_percent = text.strip().endswith("%")
    if is_percent != (scale == "ratio"):
        form = "a percentage such as 10%" if scale == "ratio" else "a plain number in the unit of the values"
        raise EprobaError(f"--worth {text}: on the {scale} scale the worth is {form}")
    try:
        worth = parse_number(text.strip().rstrip("%"))
    except EprobaError as error:
        raise EprobaError(f"--worth: {error}") from error
    if worth <= 0:
        raise EprobaError(f"--worth {text}: it must be above 0")
    return as_kept(worth, scale)


@main.command(hidden=True)
@click.argument("what", type=click.Choice(["serve", "demo"]))
@click.option("--crowded", is_flag=True)
def prepare(what: str, crowded: bool) -> None:
    """Make the database ready and print its URL (for the start script)."""
    from eproba.store.preparing import prepare_demo, prepare_own

    url = os.environ["EPROBA_DATABASE_URL"]
    if what == "serve":
        click.echo(prepare_own(url, _judge_all))
    else:
        click.echo(prepare_demo(url, datetime.now().date(), _finish_demo, crowded))


def _finish_demo(session: "Session") -> None:
    """What the store does not know how to do: drawn pictures, and verdicts."""
    from eproba.standins.demo_pictures import add_demo_pictures

    add_demo_pictures(session)
    _judge_all(session)


def _judge_all(session: "Session") -> None:
    """Judge what is over and was never judged; the statistics are loaded only where there is something."""
    from eproba.store.findings import unjudged

    if unjudged(session):
        from eproba.web.verdict.findings import remember_all

        remember_all(session)


@main.command()
@click.option("--revoke-keys", is_flag=True, help="Links, calendar addresses and meters' tokens open nothing any more.")
def passcode(revoke_keys: bool) -> None:
    """Make a new household passcode and print it; devices must give it again."""
    from eproba.store.doorkeeping import new_passcode
    from eproba.store.preparing import prepare_own

    url = prepare_own(os.environ["EPROBA_DATABASE_URL"], _judge_all)
    passcode_made = new_passcode(url, datetime.now().astimezone(), revoke_keys)
    click.echo(f"The household passcode is now: {passcode_made}")
    click.echo("Every device gives it again." + (" All other keys are revoked." if revoke_keys else ""))


@main.command("let-in", hidden=True)
@click.argument("address")
def let_in(address: str) -> None:
    """Print a link that lets one device in without the passcode (for the start script)."""
    import segno

    from eproba.store.doorkeeping import home_address, new_invitation

    link = f"{address.replace('//0.0.0.0', f'//{home_address()}')}/join/"
    link += new_invitation(os.environ["EPROBA_DATABASE_URL"], datetime.now().astimezone())
    click.echo(f"On the device, once, within a quarter of an hour: {link}")
    segno.make(link).terminal(out=sys.stdout, compact=True)


@main.command("open-house", hidden=True)
@click.option("--port", type=int, required=True)
@click.option("--address", help="The one address that it listens at.")
@click.option("--proxy", help="The address of a proxy that stands before it.")
def open_house(port: int, address: str | None, proxy: str | None) -> None:
    """Say how a phone comes in: through the home network, or by a proxy (for the start script)."""
    import segno

    from eproba.store.doorkeeping import home_address, new_passcode, passcode_is_set

    url = os.environ["EPROBA_DATABASE_URL"]
    at = address or home_address()
    inside = f"http://[{at}]:{port}/" if ":" in at else f"http://{at}:{port}/"
    shown = f"{proxy}/" if proxy else inside
    click.echo(f"On the phone{'' if proxy else ', in the same home network'}: {shown}")
    segno.make(shown).terminal(out=sys.stdout, compact=True)
    if passcode_is_set(url):
        click.echo("Passcode: the one you have (./eproba passcode makes a new one).")
    else:
        passcode_made = new_passcode(url, datetime.now().astimezone())
        click.echo(f"Household passcode: {passcode_made} (write it down; it is kept only as a hash)")


@main.command("restore-model", hidden=True)
def restore_model() -> None:
    """Print the URL of an empty garden, to compare a backup with."""
    from eproba.store.restoring import model_garden

    click.echo(model_garden(os.environ["EPROBA_DATABASE_URL"]))


@main.command("restore-begin", hidden=True)
def restore_begin() -> None:
    """Print the URL of an empty database to restore into."""
    from eproba.store.restoring import begin_restore

    click.echo(begin_restore(os.environ["EPROBA_DATABASE_URL"]))


@main.command("restore-end", hidden=True)
def restore_end() -> None:
    """Put the restored database in place."""
    from eproba.store.restoring import end_restore

    _say_set_aside("restored", lambda url: end_restore(url, datetime.now()))


@main.command("restore-drop", hidden=True)
def restore_drop() -> None:
    """Away with what could not be restored."""
    from eproba.store.restoring import drop_restore

    drop_restore(os.environ["EPROBA_DATABASE_URL"])


@main.command("set-aside", hidden=True)
def list_set_aside() -> None:
    """What restores set aside."""
    from eproba.store.restoring import set_aside

    for name, size in set_aside(os.environ["EPROBA_DATABASE_URL"]):
        click.echo(f"{name}  {size / 2**20:.0f} MB   (./eproba backups bring-back {name}, or delete {name})")


@main.command("bring-back", hidden=True)
@click.argument("name")
def bring_back_aside(name: str) -> None:
    """Put what was set aside in place."""
    from eproba.store.restoring import bring_back

    _say_set_aside(f"brought back {name}", lambda url: bring_back(url, name, datetime.now()))


@main.command("delete-aside", hidden=True)
@click.argument("name")
def delete_set_aside(name: str) -> None:
    """Delete what was set aside."""
    from eproba.store.restoring import delete_aside

    try:
        delete_aside(os.environ["EPROBA_DATABASE_URL"], name)
    except EprobaError as error:
        _refuse(str(error), "backups")
    click.echo(f"deleted {name}")


@main.command(hidden=True)
@click.argument("message")
def migration(message: str) -> None:
    """Write a migration from what the tables say (for the start script)."""
    from eproba.store.preparing import prepare_own
    from eproba.store.upgrading import new_revision

    url = prepare_own(os.environ["EPROBA_DATABASE_URL"], lambda _session: None)
    click.echo(f"{new_revision(url, message)}: read it, add what keeps the data, and an old garden to the tests")


def _say_set_aside(done: str, put: Callable[[str], str | None]) -> None:
    from psycopg.errors import ObjectInUse

    try:
        aside = put(os.environ["EPROBA_DATABASE_URL"])
    except EprobaError as error:
        _refuse(str(error), "restore")
    except ObjectInUse:
        _refuse("somebody else uses the data just now; your data are untouched: end that, then try again", "restore")
    kept = f"what was there before is kept as {aside} (./eproba backups)" if aside else "there was nothing before"
    click.echo(f"{done}; {kept}")


if __name__ == "__main__":
    main(prog_name="eproba")
