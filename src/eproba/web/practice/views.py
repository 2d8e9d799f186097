"""The practice garden: a round as a gardener sees it, the envelope after it, what one learns; and planning."""

import secrets
from typing import TYPE_CHECKING, Any, get_args

from flask import Blueprint, abort, make_response, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from eproba.core.catalogue import lessons, measures
from eproba.core.measuring.measures import Measure
from eproba.core.practice.deck import next_card
from eproba.core.practice.learning import by_kind, calibration, overconfidence, standing
from eproba.core.practice.traps import SAYS, SURE, TRAPS, Says
from eproba.core.words import NumberError, parse_number
from eproba.store.commands.practice import answer_round, begin_round
from eproba.store.practice import history_of
from eproba.store.tables import PracticeRow
from eproba.web.practice.daily import wants_daily, wish_daily
from eproba.web.ui.clock import now
from eproba.web.ui.session import db, who
from eproba.web.ui.units import sentence
from eproba.web.verdict.keeping import commit

if TYPE_CHECKING:
    from eproba.core.practice.plots import Task

practice = Blueprint("practice", __name__, template_folder="templates")
MOST_SEED = 2**31 - 1
USUAL = {"treatments": "2", "units": "", "readings": "1", "blocks": ""}


@practice.get("/practice")
def index() -> ResponseReturnValue:
    from eproba.web.pictures.practice import calibration_drawn  # it draws scenes, which are judged

    history = history_of(db(), who())
    bins, states = calibration(history), {trap: standing(history, trap) for trap in TRAPS}
    return render_template(
        "practice/index.html",
        rounds=len(history),
        right=sum(change.right for change in history),
        picture=calibration_drawn(bins),
        over=overconfidence(history),
        kinds=by_kind(history),
        daily=wants_daily(),
        traps=[(lessons()[trap].title, state) for trap, state in states.items() if state != "not met"],
        unmet=list(states.values()).count("not met"),
    )


@practice.post("/practice/daily")
def daily() -> ResponseReturnValue:
    """A round a day on this device’s Today, or none any more."""
    answer = make_response(redirect(url_for("practice.index")))
    wish_daily(answer, request.form.get("daily") == "y")
    return answer


@practice.post("/practice/next")
def begin() -> ResponseReturnValue:
    from eproba.core.practice.scenes import seed_for

    card = next_card(history_of(db(), who()), who())
    seed = seed_for(card, iter(lambda: secrets.randbelow(MOST_SEED), None), measures())
    round_id = begin_round(db(), who(), card.trap, seed, now())
    commit()
    return redirect(url_for("practice.show", round_id=round_id))


@practice.route("/practice/rounds/<int:round_id>", methods=["GET", "POST"])
def show(round_id: int) -> ResponseReturnValue:
    """The scene as the gardener sees it; once something was said, the envelope with the truth."""
    from eproba.core.practice.scenes import caught, right, scene_of

    row = db().get(PracticeRow, round_id) or abort(404, "There is no such round.")
    scene = scene_of(row.trap, row.seed, measures())
    if request.method == "POST":
        says: Any = request.form.get("says", "")
        sure = request.form.get("sure", type=int)
        if says not in SAYS or sure not in SURE:
            problem = "Say both: what it does, and how sure you are."
            return _scene(row, scene, problem, says, sure), 400
        answer_round(db(), round_id, says, sure, right(scene, says), caught(scene, says))
        commit()
        return redirect(url_for("practice.show", round_id=round_id))
    return _scene(row, scene)


def _scene(row: PracticeRow, scene: Any, problem: str = "", says: str = "", sure: int | None = None) -> str:
    from eproba.core.practice.scenes import told_facts
    from eproba.core.wording.sentences import HEADLINES, Wording, sentence
    from eproba.web.pictures.practice import scene_drawn

    lesson, facts, judgement = lessons()[row.trap], told_facts(scene), scene.judgement
    words = lesson.verdict
    if judgement is not None and not words:
        words = sentence(judgement.comparisons[0], judgement, Wording(scene.measure.unit))
    return render_template(
        "practice/round.html",
        row=row,
        story=lesson.told(facts),
        scene=scene,
        picture=scene_drawn(scene),
        says=get_args(Says),
        sures=SURE,
        problem=problem,
        chosen=says,
        chosen_sure=sure,
        open=row.sure is not None,
        title=lesson.title,
        fooled=lesson.revealed(facts),
        against=lesson.against,
        verdict=HEADLINES[scene.verdict],
        told=words,
        number=len(history_of(db(), who())) + (row.sure is None),
    )


@practice.get("/practice/plan")
def plan() -> ResponseReturnValue:
    """Planning practice: what one makes of a small plot, and how a hundred gardens end that are planned so."""
    from eproba.core.practice.plots import PlotError, task_of

    seed = request.args.get("seed", type=int)
    if seed is None:
        return redirect(url_for("practice.plan", seed=secrets.randbelow(10_000)))
    task, measure = task_of(seed), measures()["plant_height"]
    typed = {name: request.args.get(name, usual).strip() for name, usual in USUAL.items()}
    grown, problem = {}, ""
    if typed["units"]:
        try:
            grown = _grown(task, measure, typed)
        except (PlotError, NumberError) as error:
            problem = sentence(error)
    page = render_template("practice/plan.html", task=task, measure=measure, typed=typed, problem=problem, **grown)
    return page, 400 if problem else 200


def _grown(task: "Task", measure: Measure, typed: dict[str, str]) -> dict[str, Any]:
    """A hundred gardens of the plan that was typed, beside those of the best that fits."""
    from eproba.core.practice.plots import OwnPlan, best_plan, harvest, minutes_of
    from eproba.web.pictures.hundred import hundred_of

    treatments, units, readings = (int(parse_number(typed[name])) for name in ("treatments", "units", "readings"))
    mine, best = OwnPlan(treatments, units, readings, typed["blocks"] == "y"), best_plan(task, measure)
    ended = harvest(task, mine, measure)
    titled = ((ended.works, "If it works by just so much"), (ended.nothing, "If it does nothing"))
    return {
        "found": ended,
        "mine": mine,
        "best": best,
        "best_found": harvest(task, best, measure),
        "pictures": [hundred_of({v: n / 100 for v, n in counts.items()}, title) for counts, title in titled],
        "minutes": minutes_of(mine, measure),
    }
