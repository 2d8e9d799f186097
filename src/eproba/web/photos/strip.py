"""The strip: the same units day by day beside each other; who is who is said before the envelope is open."""

import io
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from cachetools import LRUCache
from flask import Blueprint, Response, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from eproba.core.errors import EprobaError
from eproba.core.trial.model import Trial, Unit
from eproba.core.trial.strip import Guess, guess_words, strip_units
from eproba.store.commands.guesses import GuessRefused, keep_guess
from eproba.store.guesses import guesses
from eproba.store.pictures import Shot, picture_of, shots_of
from eproba.web.ui.clock import now, today
from eproba.web.ui.looks import trial_looks
from eproba.web.ui.responses import NOT_KEPT, file_name
from eproba.web.ui.session import db, trial_or_404, who
from eproba.web.ui.units import sentence
from eproba.web.verdict.keeping import commit

if TYPE_CHECKING:
    from PIL.Image import Image

    from eproba.core.measuring.photo import Array, Picture
    from eproba.core.measuring.strip import Snap

strips = Blueprint("strip", __name__, template_folder="templates")
A_WHILE = {"Cache-Control": "private, max-age=600"}
A_DAY = 700  # ms that a moving strip shows a day
GAP, LINE = 8, 38  # pixels between frames; for a line of text
LAYOUTS: "LRUCache[object, tuple[float, list[Array | None]]]" = LRUCache(100)  # of each strip, as long as it stays
PAPER, INK = (255, 253, 248), (31, 42, 48)


@dataclass(frozen=True)
class UnitOverDays:
    """One unit over the days; `name` is what may be said of it now: its treatment, or only its number in the row."""

    unit: Unit
    name: str
    letter: str
    shots: Sequence[Shot | None]


@dataclass(frozen=True)
class Strip:
    """All rows over the days that were photographed."""

    rows: Sequence[UnitOverDays]
    days: Sequence[int]
    is_open: bool


def strip_of(trial: Trial) -> Strip:
    """Pictures of the units that stand beside each other; of several of a unit and a round the last one taken."""
    days = {round_.id: round_.day for round_ in trial.rounds}
    by_unit: dict[int, dict[int, Shot]] = {}
    for shot in shots_of(db(), trial.id):
        if shot.sorted and shot.kept is not False:
            by_unit.setdefault(shot.unit_id or 0, {})[days[shot.round_id or 0]] = shot
    units = strip_units(trial, by_unit)
    shown = sorted({day for unit in units for day in by_unit[unit.id]})
    is_open = not trial.sealed(today())
    rows = [
        UnitOverDays(
            unit,
            trial.treatment(unit.letter).name if is_open else f"Row {number}",
            unit.letter if is_open else "",
            [by_unit[unit.id].get(day) for day in shown],
        )
        for number, unit in enumerate(units, 1)
    ]
    return Strip(rows, shown, is_open)


@strips.get("/trials/<int:trial_id>/strip")
def show(trial_id: int) -> ResponseReturnValue:
    """The strip, and while the envelope is shut the question who is who."""
    return _page(trial_or_404(trial_id))


def _page(trial: Trial, problem: str = "") -> str:
    shown, said = strip_of(trial), guesses(db(), trial.id)
    return render_template(
        "photos/strip.html",
        trial=trial,
        strip=shown,
        looks=trial_looks(trial) if shown.is_open else {},
        mine=next((guess for guess in said if guess.by == who()), None),
        said=said_by_eye(trial) if shown.is_open else [],
        problem=problem,
    )


def said_by_eye(trial: Trial) -> list[str]:
    """What was said before the envelope was open, told once it is."""
    return [words for words in (guess_words(guess, trial) for guess in guesses(db(), trial.id)) if words]


@strips.post("/trials/<int:trial_id>/strip")
def guess(trial_id: int) -> ResponseReturnValue:
    """Keep who was taken for the control, before anybody knows."""
    trial = trial_or_404(trial_id)
    rows = strip_of(trial).rows
    unit = next((row.unit for row in rows if row.unit.code == request.form.get("unit")), None)
    try:
        if unit is None:
            raise GuessRefused("Choose one of the rows.")
        keep_guess(db(), trial_id, Guess(who(), unit.id, len(rows), now()), today())
    except EprobaError as error:
        db().rollback()
        return _page(trial, sentence(error)), 400
    commit()
    flash("Kept. The verdict will tell whether you were right.")
    return redirect(url_for("strip.show", trial_id=trial_id))


@strips.get("/trials/<int:trial_id>/strip/<int:number>-<int:day>.jpg")
def one_frame(trial_id: int, number: int, day: int) -> ResponseReturnValue:
    """One frame, upright, at the scale and in the light of the others."""
    from eproba.core.measuring.photo import PhotoProblem
    from eproba.core.measuring.strip import frame
    from eproba.exchange.photo_out import jpeg_of

    trial = trial_or_404(trial_id)
    shown = strip_of(trial)
    row = shown.rows[number - 1] if 0 < number <= len(shown.rows) else abort(404, "There is no such row.")
    shot = dict(zip(shown.days, row.shots, strict=True)).get(day) or abort(404, "There is no picture of that day.")
    try:
        wide, centres = _layout(trial, shown)
        drawn = frame(_taken(trial, shot), wide, centres[number - 1])
    except PhotoProblem as problem:
        abort(404, f"Day {day}, {row.name.lower()}: {problem}.")
    return Response(jpeg_of(drawn), content_type="image/jpeg", headers=A_WHILE)


def _taken(trial: Trial, shot: Shot) -> "Snap":
    """The picture with its tag and its outline."""
    import numpy as np

    from eproba.core.measuring.strip import Snap
    from eproba.core.measuring.tag import Tag
    from eproba.exchange.photo_out import opened

    row = picture_of(db(), trial.id, shot.id) or abort(404, "This picture was thrown away.")
    tag = None if shot.to_cm is None else Tag(np.array(shot.to_cm))
    return Snap(opened(row.jpeg)[0], tag, None if shot.outline is None else np.array(shot.outline))


def _layout(trial: Trial, shown: Strip) -> "tuple[float, list[Array | None]]":
    """How much ground all frames show, and where each row's unit lies from its tag; every picture has to be looked at
    once to know."""
    from eproba.core.measuring.strip import usual_centre, usual_width

    rows = [[shot for shot in row.shots if shot is not None] for row in shown.rows]
    key = (trial.key, *((shot.id, str(shot.outline)) for row in rows for shot in row))
    if key not in LAYOUTS:
        snaps = [[_taken(trial, shot) for shot in row] for row in rows]
        LAYOUTS[key] = usual_width([snap for row in snaps for snap in row]), [usual_centre(row) for row in snaps]
    return LAYOUTS[key]


@strips.get("/trials/<int:trial_id>/strip.webp")
def image(trial_id: int) -> ResponseReturnValue:
    """The strip as one image, or (`?moving=yes`) a short moving one, for a message."""
    trial = trial_or_404(trial_id)
    shown = strip_of(trial)
    if not shown.rows:
        abort(404, "There are no pictures of a treated unit and one of the control yet.")
    moving = request.args.get("moving") == "yes"
    headers = {**NOT_KEPT, "Content-Disposition": f'inline; filename="strip-{file_name(trial)}.webp"'}
    return Response(strip_webp(trial, shown, moving), content_type="image/webp", headers=headers)


def strip_webp(trial: Trial, shown: Strip, moving: bool = False) -> bytes:
    """The rows over the days as WebP; moving: one day after the other."""
    frames = _frames(trial, shown)
    out = io.BytesIO()
    if moving:
        first, *others = [_drawn(shown, frames, [place]) for place in range(len(shown.days))]
        first.save(out, "WEBP", save_all=True, append_images=others, duration=A_DAY, loop=0, quality=80)
    else:
        _drawn(shown, frames, range(len(shown.days))).save(out, "WEBP", quality=82)
    return out.getvalue()


def _frames(trial: Trial, shown: Strip) -> dict[tuple[int, int], "Picture"]:
    """Every frame that can be shown, by row and place of its day."""
    from eproba.core.measuring.photo import PhotoProblem
    from eproba.core.measuring.strip import frame

    (wide, centres), frames = _layout(trial, shown), {}
    for number, row in enumerate(shown.rows):
        for place, shot in enumerate(row.shots):
            if shot is None:
                continue
            try:
                frames[number, place] = frame(_taken(trial, shot), wide, centres[number])
            except PhotoProblem:
                continue
    return frames


def _drawn(shown: Strip, frames: Mapping[tuple[int, int], "Picture"], places: Sequence[int]) -> "Image":
    """Rows above each other, the days of `places` beside each other, with their names."""
    from PIL import Image, ImageDraw, ImageFont

    from eproba.core.measuring.strip import SIDE

    size = (GAP + len(places) * (SIDE + GAP), GAP + LINE + len(shown.rows) * (SIDE + LINE + GAP))
    sheet = Image.new("RGB", size, PAPER)
    pen, font = ImageDraw.Draw(sheet), ImageFont.load_default(28)
    for column, place in enumerate(places):
        left = GAP + column * (SIDE + GAP)
        pen.text((left, GAP), f"Day {shown.days[place]}", INK, font)
        for number, row in enumerate(shown.rows):
            top = GAP + LINE + number * (SIDE + LINE + GAP)
            if column == 0:
                pen.text((left, top), row.name, INK, font)
            if (number, place) in frames:
                sheet.paste(Image.fromarray(frames[number, place]), (left, top + LINE))
            else:
                box = (left, top + LINE, left + SIDE - 1, top + LINE + SIDE - 1)
                pen.rectangle(box, outline=INK)
                pen.text((left + 10, top + LINE + 10), "no picture", INK, font)
    return sheet
