"""The report: to print, as one HTML file that needs nothing, as a picture for a message, and by a link to read."""

import base64
from collections.abc import Mapping
from functools import cache
from typing import Any

from flask import Blueprint, Response, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from eproba.core.stats.series import CannotJudge
from eproba.core.trial.declaration import short, worth_words
from eproba.core.trial.model import Trial
from eproba.store.commands.sharing import is_shared, share, shared_trial, unshare
from eproba.store.readings import all_readings
from eproba.store.secrets import new_secret
from eproba.web.photos.strip import strip_of, strip_webp
from eproba.web.pictures.ground_plan import trial_plan
from eproba.web.ui.clock import now, today
from eproba.web.ui.looks import trial_looks
from eproba.web.ui.responses import NOT_KEPT, STATIC, download, file_name
from eproba.web.ui.session import db, trial_or_404, who
from eproba.web.ui.shown_once import show_once, shown_once
from eproba.web.ui.styles import STYLES, TOKENS, joined
from eproba.web.ui.units import units
from eproba.web.verdict.keeping import commit

report = Blueprint("report", __name__, template_folder="templates")
SHUT = "A report follows the verdict: the envelope is still shut."
FONTS = {
    "Bricolage Grotesque": ("bricolage-grotesque-latin-wght-normal", "200 800"),
    "Atkinson Hyperlegible": ("atkinson-hyperlegible-latin-400-normal", "400"),
    "Atkinson Hyperlegible bold": ("atkinson-hyperlegible-latin-700-normal", "700"),
}


def _open_trial(trial_id: int) -> Trial:
    trial = trial_or_404(trial_id)
    if trial.sealed(today()):
        abort(404, SHUT)
    return trial


def _told(trial: Trial) -> dict[str, Any]:
    """All that a report shows."""
    from eproba.core.wording.report import numbers, what_was_done
    from eproba.web.verdict.telling import telling

    readings = all_readings(db(), trial.id)
    try:
        telling_ = telling(trial, readings)
    except CannotJudge as error:
        abort(404, f"There is no verdict to report: {error}")
    from eproba.web.next_step.paying import paying, taken

    look = trial_looks(trial)
    return {
        "trial": trial,
        "looks": look,
        "told": telling_,
        "measure": trial.asked[0].measure,
        "worth": worth_words(trial),
        "plan": trial_plan(trial, look, units()),
        "done": what_was_done(trial),
        "numbers": numbers(trial, telling_.judgement, [comparison.comparison for comparison in telling_.comparisons]),
        "paying": paying(trial, telling_.judgement, readings, taken(trial)),
        "strip": _strip(trial),
        "fingerprint": short(trial.declared.fingerprint) if trial.declared else "",
    }


def _strip(trial: Trial) -> str:
    """The pictures day by day as an address that holds the picture itself; empty where there are none."""
    shown = strip_of(trial)
    if not shown.rows:
        return ""
    return f"data:image/webp;base64,{base64.b64encode(strip_webp(trial, shown)).decode()}"


@report.get("/trials/<int:trial_id>/report")
def show(trial_id: int) -> ResponseReturnValue:
    """The report on a page, to be printed by the browser."""
    size = request.args.get("paper", "a4")
    token = shown_once("report", trial_id)
    link = url_for("report.shared", token=token, _external=True) if token else ""
    out = is_shared(db(), trial_id)
    paper = size if size in ("a4", "letter") else "a4"
    trial = _open_trial(trial_id)
    telling = _told(trial)
    card = _card(trial, telling)
    return render_template("report/page.html", paper=paper, link=link, shared=out, card=card, **telling)


def _card(trial: Trial, telling: Mapping[str, Any]) -> str:
    """Two lines for a comment."""
    from eproba.core.wording.card import card_lines

    verdict = telling["told"]
    said = verdict.effects or [(shown.headline, shown.line) for shown in verdict.comparisons]
    return "\n".join(card_lines(trial, said, verdict.judgement.trust))


@report.get("/trials/<int:trial_id>/report.html")
def alone(trial_id: int) -> ResponseReturnValue:
    """The report as one file that needs nothing else: styles, letters and pictures are in it."""
    trial = _open_trial(trial_id)
    page = render_template("report/alone.html", style=style_of_all(), **_told(trial))
    return download(page, "text/html", f"report-{file_name(trial)}.html")


@report.get("/trials/<int:trial_id>/message.png")
def message(trial_id: int) -> ResponseReturnValue:
    """A picture for a message: the verdict and how far to trust it, never the gain alone."""
    from eproba.web.pictures.message import message_png

    trial = _open_trial(trial_id)
    telling_ = _told(trial)["told"]
    picture = message_png(
        trial, telling_.judgement, telling_.comparisons, telling_.ledger, telling_.ruler, telling_.effects
    )
    return Response(picture, mimetype="image/png", headers=NOT_KEPT)


@report.post("/trials/<int:trial_id>/report/share")
def share_it(trial_id: int) -> ResponseReturnValue:
    """Make a link to the report, or take it back."""
    _open_trial(trial_id)
    if request.form.get("go") == "unshare":
        unshare(db(), trial_id)
        flash("The link doesn’t work any more.")
    else:
        link = new_secret()
        share(db(), trial_id, link, who(), now())
        show_once("report", link, trial_id)
    commit()
    return redirect(url_for("report.show", trial_id=trial_id))


@report.get("/see/<token>")
def shared(token: str) -> ResponseReturnValue:
    """The report for whoever has its link: nothing can be changed from here, nothing else be seen."""
    trial_id = shared_trial(db(), token)
    if trial_id is None:
        abort(404, "This link doesn’t work any more.")
    return render_template("report/shared.html", **_told(_open_trial(trial_id)))


@cache
def style_of_all() -> str:
    """Letters, colours and pictures for a page that stands alone."""
    faces = []
    for family, (file, weight) in FONTS.items():
        letters = base64.b64encode((STATIC / "vendor" / "fonts" / f"{file}.woff2").read_bytes()).decode()
        source = f"url(data:font/woff2;base64,{letters}) format('woff2')"
        faces.append(f"@font-face{{font-family:'{family.removesuffix(' bold')}';font-weight:{weight};src:{source}}}")
    sheets = [TOKENS, *sorted((STYLES / "pictures").glob("*.css")), STYLES / "pages" / "report.css"]
    return "\n".join([*faces, joined(sheets)])
