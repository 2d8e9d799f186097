"""Who may come in, and who types on which device."""

import secrets
from dataclasses import dataclass, replace

from flask import Blueprint, abort, current_app, flash, redirect, render_template, request, session, url_for
from flask.typing import ResponseReturnValue
from flask_login import UserMixin, current_user, login_user, logout_user
from flask_wtf import FlaskForm
from werkzeug.security import check_password_hash
from wtforms import HiddenField, PasswordField, RadioField, StringField
from wtforms.validators import InputRequired, Length

from eproba.store.commands.household import begin_try, forgive_try, keep_device, put_out, put_out_others, saw_device
from eproba.store.doorkeeping import make_passcode
from eproba.store.feeds import feeds
from eproba.store.household import device, devices, handle, passcode_hash
from eproba.web.ui.clock import now
from eproba.web.ui.doors import is_own_page
from eproba.web.ui.responses import wants_json
from eproba.web.ui.session import db, helping, sees_lots, who
from eproba.web.verdict.keeping import commit

household = Blueprint("household", __name__, template_folder="templates")
OPEN_TO_ALL = {
    "static",
    "meters.value_in",
    "helpers.show",
    "helpers.leave",
    "household.join",
    "base.health",
    "calendar.feed",
}
DEVICE_ROLES = {"reads": "reads: it shows no treatments", "pours": "pours: it shows who gets what"}
A_HELPER_MAY = {
    "helpers.show", "helpers.leave", "entries.take", "base.token", "measures.reckon_inputs", "meters.take",
    "meters.picture", "measures.how", "photos.add",
}  # fmt: skip
NO_DEVICE_NEEDED = {"static", "base.health", "report.shared"}


@dataclass(frozen=True)
class Device(UserMixin):
    """A device that gave the passcode, and who types on it."""

    id: str
    who: str
    pours: bool


class WhoForm(FlaskForm):
    who = StringField("Who types here?", [InputRequired("Type a name or initials."), Length(max=40)])
    role = RadioField(
        "In blind trials this device", choices=list(DEVICE_ROLES.items()), default="reads", validate_choice=False
    )
    next = HiddenField()


class JoinForm(WhoForm):
    passcode = PasswordField("Household passcode", [InputRequired("Type the passcode that the computer shows.")])


def load_device(device_id: str) -> Device | None:
    row = device(db(), device_id)
    return None if row is None else Device(row.id, row.who, row.pours)


def let_in() -> ResponseReturnValue | None:
    """On this computer everybody is in; from the home network only with the passcode."""
    if request.endpoint in NO_DEVICE_NEEDED:
        return None
    if helping() is not None:
        if request.endpoint in A_HELPER_MAY:
            return None
        if wants_json():
            abort(403, "This device reads one round by a link and sees nothing else.")
        return redirect(url_for("helpers.show", token=session["helper"]))
    if request.method == "POST" and current_user.is_authenticated:
        saw_device(db(), current_user.id, now())
        commit()
    if current_app.config["SETTINGS"].home_network:
        if current_user.is_authenticated or request.endpoint in OPEN_TO_ALL:
            return None
        if wants_json():
            abort(401, "Give the household passcode again; what you typed is kept on this device.")
        return redirect(url_for("household.join", next=request.full_path if request.method == "GET" else ""))
    return None


def _inside(address: str) -> str:
    """The address if it is a page of this app, else Today."""
    return address if is_own_page(current_app, address) else url_for("today_page.show")


@household.route("/join", methods=["GET", "POST"])
def join() -> ResponseReturnValue:
    form = JoinForm(data={"next": request.args.get("next", "")})
    address = request.remote_addr or ""
    if form.validate_on_submit():
        attempt = begin_try(db(), address, now())
        commit()
        if attempt is None:
            abort(429)
        hashed = passcode_hash(db())
        if hashed and check_password_hash(hashed, "".join((form.passcode.data or "").split())):
            forgive_try(db(), attempt)
            _remember(form)
            return redirect(_inside(form.next.data or ""))
        form.passcode.errors = ["That is not the passcode. It stands in the terminal, unless a new one was made."]
    return render_template("household/join.html", form=form), 400 if form.errors else 200


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
    device_id = current_user.get_id() if current_user.is_authenticated else secrets.token_urlsafe(24)
    _keep(Device(str(device_id), name, pours))


def _keep(kept: Device) -> None:
    keep_device(db(), kept.id, kept.who, kept.pours, now())
    commit()
    login_user(kept, remember=True)


@household.get("/devices")
def list_devices() -> ResponseReturnValue:
    """Who is in, on which device, and who sent something last."""
    return render_template(
        "household/devices.html",
        devices=devices(db()),
        handle=handle,
        own=current_user.id if current_user.is_authenticated else "",
        feeds=len(feeds(db())),
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


@household.post("/leave")
def leave() -> ResponseReturnValue:
    """This device is forgotten; what was typed on it and not sent stays on it."""
    if current_user.is_authenticated:
        put_out(db(), handle(current_user.id))
        commit()
    logout_user()
    flash("This device is forgotten here.")
    return redirect(url_for("today_page.show"))


@household.post("/passcode")
def change_passcode() -> ResponseReturnValue:
    """A new household passcode, shown once; every other device gives it anew."""
    own = current_user._get_current_object() if current_user.is_authenticated else None
    revoked = request.form.get("feeds") == "revoke"
    passcode = make_passcode(db(), revoked)
    if own is not None:
        _keep(replace(own, id=secrets.token_urlsafe(24)))
    commit()
    page = render_template("household/passcode.html", passcode=passcode, revoked=revoked)
    return page, 200, {"Cache-Control": "no-store"}
