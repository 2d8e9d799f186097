"""On paper, A4 or Letter: tags for the units, a sheet for the round, the ground plan, the lot slip."""

from typing import Any

from flask import Blueprint, abort, render_template, request, url_for
from flask.typing import ResponseReturnValue

from eproba.core.trial.blinding import hides_lots
from eproba.core.trial.declaration import declare, short
from eproba.core.trial.lots import how_to_check
from eproba.core.trial.model import Trial
from eproba.web.pictures.ground_plan import trial_plan
from eproba.web.ui.clock import now, today
from eproba.web.ui.looks import trial_looks
from eproba.web.ui.session import seen_trial_or_404, sees_lots, trial_or_404
from eproba.web.ui.units import units

paper = Blueprint("paper", __name__, template_folder="templates")
SIZES = ("a4", "letter")


def _sheet(template: str, trial: Trial, **shown: Any) -> str:
    size = request.args.get("paper", "a4")
    return render_template(
        template, trial=trial, paper=size if size in SIZES else "a4", looks=trial_looks(trial), **shown
    )


@paper.get("/trials/<int:trial_id>/tags")
def tags(trial_id: int) -> ResponseReturnValue:
    """A tag for each unit; blind trials do not name the treatment."""
    trial = seen_trial_or_404(trial_id)
    tag = "rounds.by_tag"
    from eproba.web.pictures.tag_card import tag_card  # OpenCV, which no other page needs

    codes = {u.code: tag_card(url_for(tag, key=trial.key, code=u.code, _external=True)) for u in trial.units}
    local = request.host.split(":")[0] in ("127.0.0.1", "localhost", "[::1]")
    return _sheet("paper/tags.html", trial, codes=codes, local=local)


@paper.get("/trials/<int:trial_id>/sheet")
def sheet(trial_id: int) -> ResponseReturnValue:
    """A round sheet in walking order, treatments not named."""
    trial = trial_or_404(trial_id)
    open_rounds = [round_ for round_ in trial.rounds if not round_.done] or list(trial.rounds)
    wanted = request.args.get("round", type=int)
    chosen = next((round_ for round_ in trial.rounds if round_.id == wanted), open_rounds[0])
    units = trial.living(trial.date_of(chosen.day))
    pulls = {unit.id: trial.pulled(unit).get(chosen.day) for unit in units} if trial.rules.plants > 1 else {}
    return _sheet("paper/sheet.html", trial, chosen=chosen, units=units, asked=trial.asked_in(chosen), pulls=pulls)


@paper.get("/trials/<int:trial_id>/ground")
def ground(trial_id: int) -> ResponseReturnValue:
    trial = seen_trial_or_404(trial_id)
    return _sheet("paper/ground.html", trial, plan=trial_plan(trial, trial_looks(trial), units()))


@paper.get("/trials/<int:trial_id>/slip")
def slip(trial_id: int) -> ResponseReturnValue:
    """The lot slip: all that is needed to deal the same lots again, and to see that nobody did."""
    trial = trial_or_404(trial_id)
    if hides_lots(trial, today(), sees_lots()):
        abort(403, "This trial is blind, and this device reads: the lot slip is for whoever pours.")
    declared = trial.declared or declare(trial, now())
    return _sheet(
        "paper/slip.html",
        trial,
        fingerprint=declared.fingerprint,
        short=short(declared.fingerprint),
        check=how_to_check(trial.dealing),
        plan=trial_plan(trial, trial_looks(trial), units()),
    )
