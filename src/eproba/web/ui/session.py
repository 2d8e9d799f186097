"""What a request stands on: the database session, who types, the trial asked for."""

from typing import cast, get_args

from flask import abort, current_app, g, request
from flask import session as cookie
from flask_login import current_user
from sqlmodel import Session

from eproba.core.quantities import System
from eproba.core.trial.blinding import shown_to
from eproba.core.trial.model import Trial
from eproba.store.database import ONLY_READS
from eproba.store.helpers import LATE_COMES, helper_with
from eproba.store.measures import household_system
from eproba.store.tables import HelperRow, RoundRow
from eproba.store.trials import load_trial
from eproba.web.ui.clock import now, today


def db() -> Session:
    """The request's session; views commit it themselves."""
    if "session" not in g:
        g.session = Session(current_app.extensions["engine"])
        g.session.info[ONLY_READS] = request.method in ("GET", "HEAD")
    return cast(Session, g.session)


def close_db(_error: BaseException | None) -> None:
    session = g.pop("session", None)
    if session is not None:
        session.close()


def helping() -> tuple[HelperRow, RoundRow] | None:
    """The helper who reads here by a link of his own, and his round; None: nobody, or the round is over."""
    token = cookie.get("helper")
    if token is None:
        return None
    if "helping" not in g:
        g.helping = helper_with(db(), str(token), now())
    return cast("tuple[HelperRow, RoundRow] | None", g.helping)


def reading_by_link() -> tuple[HelperRow, RoundRow] | None:
    """The same, also for some days after the round was closed: what was read before on a phone without signal still
    comes in, and nothing else is opened."""
    helper, guarded = helping(), current_app.config["SETTINGS"].home_network
    if helper is not None or cookie.get("helper") is None or current_user.is_authenticated or not guarded:
        return helper
    if "came_late" not in g:
        g.came_late = helper_with(db(), str(cookie["helper"]), now(), LATE_COMES)
    return cast("tuple[HelperRow, RoundRow] | None", g.came_late)


def who() -> str:
    """The name of whoever types on this device."""
    if (helper := reading_by_link()) is not None:
        return helper[0].name
    return str(current_user.who) if current_user.is_authenticated else ""


def system() -> System:
    """The units of the household."""
    return household_system(db())


def typed_system() -> System:
    """The units that a form was filled in with: those it was shown in, whatever the household has chosen since."""
    units = request.form.get("shown_in")
    return cast(System, units) if units in get_args(System) else system()


def sees_lots() -> bool:
    """Whether this device shows who got what in a blind trial: it belongs to one who pours."""
    return bool(helping() is None and current_user.is_authenticated and current_user.pours)


def seen_trial_or_404(trial_id: int) -> Trial:
    """The trial as this device may see it: a blind one without its lots, where the device reads."""
    return shown_to(trial_or_404(trial_id), today(), sees_lots())


def trial_or_404(trial_id: int) -> Trial:
    trial = load_trial(db(), trial_id)
    if trial is None:
        abort(404, "There is no such trial; it may have been deleted.")
    return trial
