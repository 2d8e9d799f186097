"""Who may come in, and who types on which device."""

import logging
import time
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from flask import Blueprint, abort, current_app, flash, redirect, render_template, request, session, url_for
from flask.typing import ResponseReturnValue
from flask_login import UserMixin, current_user, login_user, logout_user
from werkzeug.security import check_password_hash
from wtforms import HiddenField, PasswordField, RadioField, StringField
from wtforms.validators import InputRequired

from eproba.store.commands.household import (
    accept,
    begin_try,
    forgive_try,
    invite,
    is_invited,
    keep_device,
    put_out,
    put_out_others,
    saw_device,
)
from eproba.store.commands.keys import revoke
from eproba.store.doorkeeping import make_passcode
from eproba.store.garden import keep_zone
from eproba.store.household import asks_again, device, devices, passcode_hash
from eproba.store.keys_out import keys_out
from eproba.store.secrets import hashed, new_secret
from eproba.store.tables import HelperRow, RoundRow
from eproba.web.ui.clock import now
from eproba.web.ui.codes import qr_code
from eproba.web.ui.doors import is_own_page
from eproba.web.ui.fields import at_most
from eproba.web.ui.form import OurForm
from eproba.web.ui.logs import one_line
from eproba.web.ui.responses import NOT_KEPT, wants_json
from eproba.web.ui.session import db, helping, reading_by_link, sees_lots, who
from eproba.web.ui.shown_once import show_once, shown_once
from eproba.web.ui.zone import keep_time_in, zones
from eproba.web.verdict.keeping import commit

household = Blueprint("household", __name__, template_folder="templates")
OPEN_TO_ALL = {
    "challenges.hand_in",
    "static",
    "meters.value_in",
    "helpers.show",
    "helpers.leave",
    "household.join",
    "household.join_invited",
    "base.health",
    "calendar.feed",
}
DEVICE_ROLES = {"reads": "reads: it shows no treatments", "pours": "pours: it shows who gets what"}
A_HELPER_MAY = {
    "helpers.show", "helpers.leave", "entries.take", "base.token", "measures.reckon_inputs", "meters.take",
    "meters.picture", "measures.how", "photos.add",
}  # fmt: skip
SLOWLY = 2.0  # seconds that a wrong passcode waits where very many were tried
SEEN_AT_LEAST = timedelta(days=1)
log = logging.getLogger("eproba.doors")
A_LATE_HELPER_MAY = {"entries.take", "base.token"}
NO_DEVICE_NEEDED = {"static", "base.health", "report.shared", "entries.waiting"}


@dataclass(frozen=True)
class Device(UserMixin):
    """A device that gave the passcode, and who types on it."""

    id: str
    who: str
    pours: bool
    seen_at: datetime


class WhoForm(OurForm):
    who = StringField("Your name", [InputRequired("Type a name or initials."), at_most(40)])
    role = RadioField(
        "In blind trials this device", choices=list(DEVICE_ROLES.items()), default="reads", validate_choice=False
    )
    next = HiddenField()


class JoinForm(WhoForm):
    passcode = PasswordField("Household passcode", [InputRequired("Type the passcode that the computer shows.")])


def load_device(device_id: str) -> Device | None:
    row = device(db(), device_id, now())
    return None if row is None else Device(device_id, row.who, row.pours, row.seen_at)


def let_in() -> ResponseReturnValue | None:
    """On this computer everybody is in; from the home network only with the passcode."""
    if request.endpoint in NO_DEVICE_NEEDED:
        return None
    if (helper := helping()) is not None:
        return _let_help(*helper)
    if request.endpoint in A_LATE_HELPER_MAY and reading_by_link() is not None:
        return None
    if current_user.is_authenticated and (request.method == "POST" or now() - current_user.seen_at > SEEN_AT_LEAST):
        saw_device(db(), current_user.id, now())
        commit()
    if not current_app.config["SETTINGS"].home_network or current_user.is_authenticated:
        return None
    if request.endpoint in OPEN_TO_ALL:
        return None
    if wants_json():
        abort(401, "Give the household passcode again; what you typed is kept on this device.")
    return redirect(url_for("household.join", next=request.full_path if request.method == "GET" else ""))


def _let_help(helper: HelperRow, round_: RoundRow) -> ResponseReturnValue | None:
    """A helper's link opens what reading its round needs, of its own trial and round alone."""
    asked = {**request.view_args, "round": request.form.get("round", round_.key)} if request.view_args else {}
    bound = {"trial_id": helper.trial_id, "round_id": round_.id, "round": round_.key}
    if request.endpoint in A_HELPER_MAY and all(asked.get(name, value) == value for name, value in bound.items()):
        return None
    if wants_json() or request.method != "GET":
        abort(403, "This link is for another round; nothing was written.")
    return redirect(url_for("helpers.show", token=session["helper"]))


def _inside(address: str) -> str:
    """The address if it is a page of this app, else Today."""
    return address if is_own_page(current_app, address) else url_for("today_page.show")


@household.route("/join", methods=["GET", "POST"])
def join() -> ResponseReturnValue:
    form = JoinForm(data={"next": request.args.get("next", "")})
    if form.validate_on_submit():
        if _knows_the_passcode(form):
            _remember(form)
            return redirect(_inside(form.next.data or ""))
        form.passcode.errors = ["That is not the passcode. It stands in the terminal, unless a new one was made."]
    return render_template("household/join.html", form=form), 400 if form.errors else 200


def _knows_the_passcode(form: JoinForm) -> bool:
    """Whether the right one was typed; a wrong one is told in the log, and where many are tried it waits."""
    address = request.remote_addr or ""
    attempt = begin_try(db(), address, now())
    commit()
    if attempt is None:
        log.warning("passcode tried too often from %s", one_line(address))
        abort(429)
    passcode = passcode_hash(db())
    if passcode and check_password_hash(passcode, "".join((form.passcode.data or "").split())):
        forgive_try(db(), attempt.id)
        return True
    log.warning("passcode refused from %s", one_line(address))
    if attempt.slow:
        time.sleep(SLOWLY)
    return False


@household.route("/join/<token>", methods=["GET", "POST"])
def join_invited(token: str) -> ResponseReturnValue:
    """Come in by a link that a device inside, or the terminal, made for one device."""
    if not is_invited(db(), token, now()):
        log.warning("an invitation that holds no more, from %s", one_line(request.remote_addr or ""))
        abort(404, "This link has let a device in already, or is older than a quarter of an hour. Ask for another.")
    form = WhoForm()
    if form.validate_on_submit() and accept(db(), token, now()):
        _remember(form)
        return redirect(url_for("today_page.show"))
    return render_template("household/invited.html", form=form), 400 if form.errors else 200


@household.post("/devices/let-in")
def let_device_in() -> ResponseReturnValue:
    """A link that lets one device in without the passcode."""
    link = new_secret()
    invite(db(), link, who(), now())
    commit()
    show_once("invitation", link)
    return redirect(url_for("household.list_devices"))


@household.route("/who", methods=["GET", "POST"])
def name_device() -> ResponseReturnValue:
    usual = {"who": who(), "next": request.args.get("next", ""), "role": "pours" if sees_lots() else "reads"}
    form = WhoForm(data=usual)
    if form.validate_on_submit():
        _remember(form)
        return redirect(_inside(form.next.data or ""))
    return render_template("household/who.html", form=form), 400 if form.errors else 200


def _remember(form: WhoForm) -> None:
    name, pours = (form.who.data or "").strip(), form.role.data == "pours"
    device_id = current_user.get_id() if current_user.is_authenticated else new_secret()
    _keep(Device(str(device_id), name, pours, now()))


def _keep(kept: Device) -> None:
    keep_device(db(), kept.id, kept.who, kept.pours, now())
    commit()
    login_user(kept, remember=True)


@household.get("/devices")
def list_devices() -> ResponseReturnValue:
    """Who is in, on which device, and every other key that leads here."""
    invitation = shown_once("invitation")
    address = url_for("household.join_invited", token=invitation, _external=True) if invitation else ""
    return render_template(
        "household/devices.html",
        devices=[(row, asks_again(row, now())) for row in devices(db())],
        own=hashed(current_user.id) if current_user.is_authenticated else "",
        keys=keys_out(db(), now()),
        address=address,
        code=qr_code(address) if address else "",
        guarded=current_app.config["SETTINGS"].home_network,
        passcode=passcode_hash(db()) is not None,
    )


@household.post("/devices/out")
def out() -> ResponseReturnValue:
    """One device is put out, or all but this one: they must give the passcode again."""
    asked = request.form.get("device", "")
    own = current_user.id if current_user.is_authenticated else ""
    if asked == "all":
        count = put_out_others(db(), own)
        flash(f"{count} {'device is' if count == 1 else 'devices are'} put out.")
    else:
        flash("That device is put out." if put_out(db(), asked) else "That device was put out already.")
    commit()
    return redirect(url_for("household.list_devices"))


@household.post("/devices/revoke")
def revoke_key() -> ResponseReturnValue:
    """A link, a calendar address or a meter's token opens nothing any more."""
    kind, _, key_id = request.form.get("key", "").partition(":")
    flash("Revoked: it opens nothing any more." if revoke(db(), kind, key_id) else "It was revoked already.")
    commit()
    return redirect(url_for("household.list_devices"))


@household.post("/zone")
def keep_time_zone() -> ResponseReturnValue:
    """The household's time zone, by which a day begins and ends."""
    wished = request.form.get("zone", "")
    if wished in zones():
        keep_zone(db(), wished)
        commit()
        keep_time_in(wished)
        flash(f"Days and hours are those of {wished.replace('_', ' ')} now.")
    else:
        flash("Choose a time zone from the list.")
    return redirect(_inside(request.form.get("next", "")))


@household.post("/leave")
def leave() -> ResponseReturnValue:
    """This device is forgotten; what was typed on it and not sent stays on it."""
    if current_user.is_authenticated:
        put_out(db(), hashed(current_user.id))
        commit()
    logout_user()
    flash("This device is forgotten here.")
    return redirect(url_for("today_page.show"))


@household.post("/passcode")
def change_passcode() -> ResponseReturnValue:
    """A new household passcode, shown once; every other device gives it anew."""
    own = current_user._get_current_object() if current_user.is_authenticated else None
    revoked = request.form.get("keys") == "revoke"
    passcode = make_passcode(db(), now(), revoked)
    if own is not None:
        _keep(replace(own, id=new_secret()))
    commit()
    page = render_template("household/passcode.html", passcode=passcode, revoked=revoked)
    return page, 200, NOT_KEPT
