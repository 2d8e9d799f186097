"""Pictures of units: sent many at once, sorted by their tags, looked at over the days and side by side."""

import hashlib
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

import numpy as np
from flask import Blueprint, Response, abort, flash, jsonify, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from eproba.core.errors import EprobaError
from eproba.core.trial.model import Round, Trial, Unit
from eproba.core.trial.rounds import round_near
from eproba.core.words import parse_date
from eproba.exchange.readings_csv import noon_of
from eproba.store.commands.locks import Gone
from eproba.store.commands.pictures import add_picture, change_picture, decide_on_picture, drop_picture
from eproba.store.commands.readings import Sender
from eproba.store.pictures import Shot, last_outline, picture_of, shots_of
from eproba.store.tables import PictureRow
from eproba.store.trials import trial_with_key
from eproba.web.ui.clock import now, today
from eproba.web.ui.fields import whole
from eproba.web.ui.looks import trial_looks
from eproba.web.ui.responses import NOT_KEPT, wants_json
from eproba.web.ui.session import db, helping, sees_lots, trial_or_404, who
from eproba.web.ui.units import sentence
from eproba.web.verdict.keeping import commit

photos = Blueprint("photos", __name__, template_folder="templates")
FOREVER = {"Cache-Control": "private, max-age=86400"}


@photos.get("/trials/<int:trial_id>/photos")
def index(trial_id: int) -> ResponseReturnValue:
    """What is to be sorted, what is to be decided, and the ways to look at the rest."""
    return _index(trial_or_404(trial_id))


def _index(trial: Trial, problem: str = "") -> str:
    shots = shots_of(db(), trial.id)
    return render_template(
        "photos/index.html",
        trial=trial,
        problem=problem,
        waiting=[_shown(trial, shot) for shot in shots if not shot.sorted or shot.kept is None],
        units=[unit for unit in trial.units if any(shot.unit_id == unit.id for shot in shots)],
        rounds=[round_ for round_ in trial.rounds if any(shot.round_id == round_.id for shot in shots)],
        count=len(shots),
        megabytes=sum(shot.size for shot in shots) / 1e6,
        asked=_asked(trial),
    )


def _asked(trial: Trial) -> list[str]:
    return [asked.measure.key for asked in trial.asked if asked.measure.kind == "photo"]


def _shown(trial: Trial, shot: Shot) -> dict[str, Any]:
    units, rounds = {unit.id: unit for unit in trial.units}, {round_.id: round_ for round_ in trial.rounds}
    return {"shot": shot, "unit": units.get(shot.unit_id or 0), "round": rounds.get(shot.round_id or 0)}


@photos.post("/trials/<int:trial_id>/photos")
def add(trial_id: int) -> ResponseReturnValue:
    """Take pictures in: one a request from a page with script, many at once without."""
    trial = trial_or_404(trial_id)
    if helping() is not None and not wants_json():
        abort(403, "This link reads one round and sees nothing else; nothing was written.")
    sent = [file for file in request.files.getlist("file") if file.filename]
    if not sent:
        if wants_json():
            abort(400, "There was no picture in it.")
        return _index(trial, "Choose one or more pictures first."), 400
    became = [_taken(trial, file.read(), _told(trial)) for file in sent]
    commit()
    if wants_json():
        return jsonify(vars(became[0]))
    for photo in became:
        flash(photo.said)
    return redirect(url_for("photos.index", trial_id=trial_id))


@dataclass(frozen=True)
class PhotoTold:
    """What the till says of a picture: its unit, its round, and when it was taken."""

    unit: Unit | None = None
    round: Round | None = None
    taken_at: datetime | None = None


def _told(trial: Trial) -> PhotoTold:
    text, on = request.form.get("taken", ""), request.form.get("on", "")
    at = int(text) / 1000 if text.isascii() and text.isdigit() and len(text) < 16 else None
    helper = helping()
    key = request.form.get("round") if helper is None else helper[1].key
    round_ = next((r for r in trial.rounds if r.key == key), None)
    if on:
        return PhotoTold(trial.by_code.get(request.form.get("unit", "")), round_, min(noon_of(parse_date(on)), now()))
    taken = None if at is None else datetime.fromtimestamp(min(at, now().timestamp()), UTC).astimezone()
    return PhotoTold(trial.by_code.get(request.form.get("unit", "")), round_, taken)


@dataclass(frozen=True)
class Became:
    """What became of a picture: whether it is kept, of which unit (empty: not known yet), and what is to be said.

    `elsewhere`: where it belongs, by its tag. A device lets go of what is kept, and of nothing else.
    """

    said: str
    kept: bool = False
    unit: str = ""
    elsewhere: str = ""


def _taken(trial: Trial, content: bytes, facts: PhotoTold) -> Became:
    """Keep one picture. The tag in it knows better than the till which unit it is."""
    from eproba.core.measuring.photo import PhotoProblem
    from eproba.exchange.photo_out import carried_over, jpeg_of, look, taken_at

    try:
        looked = look(content)
    except PhotoProblem as problem:
        return Became(str(problem))
    named = looked.tag.unit if looked.tag else None
    if named and named[0] != trial.key:
        return _of_another_trial(named[0], named[1])
    unit = trial.by_code.get(named[1]) if named else facts.unit
    before = last_outline(db(), trial.id, unit.id) if unit else None
    outline = None
    if before is not None:
        looked, outline = carried_over(looked, np.array(before.outline), np.array(before.to_cm))
    at = taken_at(content) or facts.taken_at
    round_ = facts.round or round_near(trial, (at or now()).astimezone().date())
    photo = looked.found()
    add_picture(
        db(), trial.id, hashlib.sha256(content).hexdigest(), jpeg_of(looked.picture), now(),
        unit_id=unit.id if unit else None, round_id=round_.id if round_ else None, taken_at=at, by=who(),
        numbers={name: value for name, value in vars(photo).items() if name not in ("file", "unit")},
        to_cm=looked.tag.to_cm.tolist() if looked.tag else None,
        outline=None if outline is None else outline.tolist(),
    )  # fmt: skip
    where = f"{unit.code}, " if unit else "To be sorted: "
    cover = f"cover {photo.cover:.1f} %. " if photo.cover is not None else ""
    other = f"The tag is {unit.code}’s, not {facts.unit.code}’s. " if unit and facts.unit not in (None, unit) else ""
    return Became(f"{where}{cover}{other}{photo.problem or ''}".strip(" ,"), True, unit.code if unit else "")


def _of_another_trial(key: str, code: str) -> Became:
    """A picture whose tag belongs elsewhere; a helper hears no name of it."""
    other = trial_with_key(db(), key) if helping() is None else None
    if other is None:
        return Became(f"The tag {code} is one of another trial: send this picture there.")
    name = trial_or_404(other).name
    return Became(f"The tag {code} is one of “{name}”.", elsewhere=url_for("photos.add", trial_id=other))


def _picture_or_404(trial_id: int, picture_id: int) -> PictureRow:
    return picture_of(db(), trial_id, picture_id) or abort(404, "This picture was thrown away.")


@photos.get("/trials/<int:trial_id>/photos/<int:picture_id>.jpg")
def jpeg(trial_id: int, picture_id: int) -> ResponseReturnValue:
    row = _picture_or_404(trial_id, picture_id)
    return Response(row.jpeg, content_type="image/jpeg", headers=FOREVER)


@photos.get("/trials/<int:trial_id>/photos/<int:picture_id>/mask.jpg")
def mask(trial_id: int, picture_id: int) -> ResponseReturnValue:
    """What was counted as green, in colour; the rest in grey."""
    from eproba.exchange.photo_out import mask_of

    looked = _looked_again(_picture_or_404(trial_id, picture_id))
    return Response(mask_of(looked), content_type="image/jpeg", headers=NOT_KEPT)


def _looked_again(row: PictureRow) -> Any:
    from eproba.core.measuring.tag import Tag
    from eproba.exchange.photo_out import look_again, opened

    tag = None if row.to_cm is None else Tag(np.array(row.to_cm))
    return look_again(opened(row.jpeg)[0], tag, None if row.outline is None else np.array(row.outline))


@photos.route("/trials/<int:trial_id>/photos/<int:picture_id>", methods=["GET", "POST"])
def one(trial_id: int, picture_id: int) -> ResponseReturnValue:
    """One picture with its mask: sort it, tap its outline, say yes or no."""
    trial = trial_or_404(trial_id)
    row = _picture_or_404(trial_id, picture_id)
    if request.method == "GET":
        return _one(trial, row)
    go = request.form.get("go", "")
    if go == "drop":
        drop_picture(db(), trial_id, picture_id)
        commit()
        flash("Thrown away.")
        return redirect(url_for("photos.index", trial_id=trial_id))
    try:
        row = change_picture(db(), trial_id, picture_id, **_sorting(trial, row))
        _measured_again(row)
        if go in ("yes", "no"):
            decide_on_picture(db(), trial, row, go == "yes", Sender(who(), now(), "photo", sees_lots()))
        problem = ""
    except (EprobaError, Gone) as error:
        db().rollback()
        problem = sentence(error)
    if problem:
        return _one(trial, row, problem), 400
    commit()
    if go in ("yes", "no"):
        return redirect(url_for("photos.index", trial_id=trial_id))
    return redirect(url_for("photos.one", trial_id=trial_id, picture_id=picture_id))


def _one(trial: Trial, row: PictureRow, problem: str = "") -> str:
    return render_template("photos/one.html", trial=trial, row=row, problem=problem, asked=_asked(trial))


def _sorting(trial: Trial, row: PictureRow) -> dict[str, Any]:
    """Unit, round and outline as the form has them; of a circle its middle and a point on its rim."""
    unit = trial.by_code.get(request.form.get("unit", ""))
    round_ = next((r for r in trial.rounds if str(r.id) == request.form.get("round")), None)
    points = [part.split(",") for part in request.form.get("outline", "").split(";") if part.strip()]
    numbers = [[whole(coordinate) for coordinate in point] for point in points]
    pairs = all(len(point) == 2 and None not in point for point in numbers)
    fits = len(numbers) >= 3 and pairs
    if request.form.get("shape") == "circle" and len(numbers) == 2 and pairs:
        numbers, fits = _circle(row, numbers), True
    return {
        "unit_id": unit.id if unit else None,
        "round_id": round_.id if round_ else None,
        "outline": numbers[:40] if fits else None,
    }


def _circle(row: PictureRow, taps: list[Any]) -> list[Any]:
    from eproba.core.measuring.tag import Tag, circle_around

    tag = None if row.to_cm is None else Tag(np.array(row.to_cm))
    around = np.rint(circle_around(np.array(taps[0]), np.array(taps[1]), tag))
    return [[int(x), int(y)] for x, y in around]


def _measured_again(row: PictureRow) -> None:
    photo = _looked_again(row).found()
    row.numbers = {name: value for name, value in vars(photo).items() if name not in ("file", "unit")}


@photos.get("/trials/<int:trial_id>/photos/units/<code>")
def unit(trial_id: int, code: str) -> ResponseReturnValue:
    """One unit over the days."""
    trial = trial_or_404(trial_id)
    unit_ = trial.by_code.get(code) or abort(404, "This trial has no such unit.")
    shots = [_shown(trial, shot) for shot in shots_of(db(), trial_id, unit_id=unit_.id)]
    return render_template("photos/unit.html", trial=trial, unit=unit_, shots=shots)


@photos.get("/trials/<int:trial_id>/photos/rounds/<int:round_id>")
def side_by_side(trial_id: int, round_id: int) -> ResponseReturnValue:
    """All units of one day; who got what stays hidden while the envelope is shut."""
    trial = trial_or_404(trial_id)
    round_ = next((r for r in trial.rounds if r.id == round_id), None) or abort(404, "No such round.")
    shown = [_shown(trial, shot) for shot in shots_of(db(), trial_id, round_id=round_id)]
    walked = sorted((photo for photo in shown if photo["unit"]), key=lambda photo: photo["unit"].walk)
    sealed = trial.sealed(today())
    looks = {} if sealed else trial_looks(trial)
    return render_template("photos/round.html", trial=trial, round=round_, shots=walked, sealed=sealed, looks=looks)
