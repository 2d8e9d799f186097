"""Trials of one question: the list of questions asked more than once, one of them, and what counts there."""

from collections.abc import Sequence

from flask import Blueprint, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from eproba.core.errors import EprobaError
from eproba.core.words import lower_first
from eproba.store.carried import looked_at_again
from eproba.store.commands.together import leave_out, take_in_again
from eproba.store.glances import glances
from eproba.store.gone import gone_trials
from eproba.store.measures import all_measures
from eproba.store.together import TrialTelling, questions_asked, tellings
from eproba.web.together.known import by_crop, by_what_was_tried
from eproba.web.ui.clock import now, today
from eproba.web.ui.session import db, who
from eproba.web.ui.units import sentence
from eproba.web.verdict.keeping import commit

together = Blueprint("together", __name__, template_folder="templates")
MOST_KNOWN = 500  # trials
TABLE_ROWS = 30  # of trials are named below the picture at once; the others one tap below


@together.get("/together")
def index() -> ResponseReturnValue:
    known = all_measures(db())
    asked = [
        (asked, lower_first(known[asked.measure].name)) for asked in questions_asked(db()) if asked.measure in known
    ]
    return render_template("together/index.html", asked=asked)


@together.get("/known")
def known() -> ResponseReturnValue:
    """What this garden knows: every question that was answered, by what was tried, with how sure."""
    seen = glances(db(), today(), limit=MOST_KNOWN)
    over = [glance for glance in seen if glance.stage in ("finished", "ended early") and glance.finding]
    crops = request.args.get("by") == "crop"
    groups = by_crop(over) if crops else by_what_was_tried(over)
    return render_template("together/known.html", tried=groups, by_crop=crops, more=len(seen) == MOST_KNOWN)


@together.get("/together/<question>")
def show(question: str) -> ResponseReturnValue:
    return _page(question, _answered(question))


def _answered(question: str) -> list[TrialTelling]:
    return tellings(db(), question) or abort(404, "No trial that is over has asked this question.")


def _page(question: str, tellings: Sequence[TrialTelling], problem: str = "", reason: str = "") -> str:
    from eproba.core.judging.across import together as put_together  # the statistics are heavy
    from eproba.core.wording.sentences import Wording
    from eproba.core.wording.together import (
        disagreement,
        few_together,
        gone_words,
        headline_together,
        sentence_together,
        stake_text,
        weighing,
    )
    from eproba.web.pictures.stakes import stakes_of

    joined = put_together([telling.told for telling in tellings])
    measure = all_measures(db()).get(joined.asks.measure) or abort(404, "Its measure is gone.")
    wording = Wording.of_measure(measure, joined.asks.summary, joined.asks.level)
    headline = headline_together(joined)
    numbers = {id(telling.answer): telling for telling in tellings}
    return render_template(
        "together/question.html",
        question=question,
        found=joined,
        measure=measure,
        headline=headline,
        sentence=sentence_together(joined, wording),
        disagreement=disagreement(joined),
        weighing=weighing(joined),
        few=few_together(joined, wording),
        gone=gone_words(gone_trials(db(), [question])),
        picture=stakes_of(joined, wording, headline) if joined.stakes else None,
        lines=[(numbers[id(stake.told.answer)], stake, stake_text(stake, joined, wording)) for stake in joined.stakes],
        aside=[(numbers[id(telling.answer)], why) for telling, why in joined.aside],
        later=looked_at_again(db(), [telling.trial_id for telling in tellings]),
        shown=TABLE_ROWS,
        problem=problem,
        reason=reason,
    )


def _which() -> tuple[int, str]:
    """The trial and the letter of its treatment, as the page names them: 12-B."""
    number, _, letter = request.form.get("which", "").partition("-")
    return (int(number) if number.isdecimal() and len(number) < 10 else 0), letter


@together.post("/together/<question>/leave-out")
def leave(question: str) -> ResponseReturnValue:
    """Leave a trial out, with the reason."""
    _answered(question)
    trial_id, letter = _which()
    reason = request.form.get("reason", "").strip()[:300]
    try:
        leave_out(db(), trial_id, letter, reason, who(), now())
    except EprobaError as error:
        db().rollback()
        return _page(question, _answered(question), sentence(error), reason), 400
    commit()
    return redirect(url_for("together.show", question=question))


@together.post("/together/<question>/count-again")
def count_again(question: str) -> ResponseReturnValue:
    """A trial that was left out counts again."""
    take_in_again(db(), *_which())
    commit()
    flash("It counts again.")
    return redirect(url_for("together.show", question=question))
