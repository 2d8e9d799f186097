"""Who may come in, and who types on which device."""

import secrets
from dataclasses import dataclass

from flask import Blueprint, abort, current_app, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue
from flask_login import UserMixin, current_user, login_user
from flask_wtf import FlaskForm
from werkzeug.security import check_password_hash
from wtforms import HiddenField, PasswordField, StringField
from wtforms.validators import InputRequired, Length

from eproba.store.household import device, keep_device, note_wrong_try, passcode_hash, too_many_tries
from eproba.web.context import db, now, wants_json, who

household = Blueprint("household", __name__, template_folder="templates")
OPEN_TO_ALL = {"static", "household.join", "base.health", "calendar.feed"}
NO_DEVICE_NEEDED = {"static", "base.health"}


@dataclass(frozen=True)
class Device(UserMixin):
    """A device that gave the passcode, and who types on it."""

    id: str
    who: str


class WhoForm(FlaskForm):
    who = StringField("Who types here?", [InputRequired("Type a name or initials."), Length(max=40)])
    next = HiddenField()


class JoinForm(WhoForm):
    passcode = PasswordField("Household passcode", [InputRequired("Type the passcode that the computer shows.")])


def load_device(device_id: str) -> Device | None:
    row = device(db(), device_id)
    return None if row is None else Device(row.id, row.who)


def let_in() -> ResponseReturnValue | None:
    """On this computer everybody is in; from the home network only with the passcode."""
    if request.endpoint in NO_DEVICE_NEEDED:
        return None
    if current_app.config["SETTINGS"].home_network:
        if current_user.is_authenticated or request.endpoint in OPEN_TO_ALL:
            return None
        if wants_json():
            abort(401, "Give the household passcode again; what you typed is kept on this device.")
        return redirect(url_for("household.join", next=request.full_path if request.method == "GET" else ""))
    return None


def _inside(address: str) -> str:
    """The address if it stays in this app, else Today."""
    safe = address.startswith("/") and not address.startswith(("//", "/\\"))
    return address if safe else url_for("today_page.show")


@household.route("/join", methods=["GET", "POST"])
def join() -> ResponseReturnValue:
    form = JoinForm(data={"next": request.args.get("next", "")})
    address = request.remote_addr or ""
    if form.validate_on_submit():
        if too_many_tries(db(), address, now()):
            abort(429)
        hashed = passcode_hash(db())
        if hashed and check_password_hash(hashed, (form.passcode.data or "").strip()):
            _remember(form.who.data or "")
            return redirect(_inside(form.next.data or ""))
        note_wrong_try(db(), address, now())
        db().commit()
        form.passcode.errors = ["That is not the passcode. It stands in the terminal where Eproba was started."]
    return render_template("household/join.html", form=form), 400 if form.errors else 200


@household.route("/who", methods=["GET", "POST"])
def name_device() -> ResponseReturnValue:
    form = WhoForm(data={"who": who(), "next": request.args.get("next", "")})
    if form.validate_on_submit():
        _remember(form.who.data or "")
        return redirect(_inside(form.next.data or ""))
    return render_template("household/who.html", form=form), 400 if form.errors else 200


def _remember(name: str) -> None:
    device_id = current_user.get_id() if current_user.is_authenticated else secrets.token_urlsafe(24)
    keep_device(db(), str(device_id), name.strip(), now())
    db().commit()
    login_user(Device(str(device_id), name.strip()), remember=True)
