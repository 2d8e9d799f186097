"""What belongs to no place: health, a fresh token, keyboard help."""

from flask import Blueprint, jsonify, render_template, request
from flask.typing import ResponseReturnValue
from flask_wtf.csrf import generate_csrf

from eproba.store.database import present_revision
from eproba.web.base.honesty import honesty_page
from eproba.web.base.luck import luck_page
from eproba.web.pictures.help import band, word_pictures
from eproba.web.ui.clock import now
from eproba.web.ui.responses import NOT_KEPT
from eproba.web.ui.session import db
from eproba.web.ui.zone import garden

base = Blueprint("base", __name__, template_folder="templates")


@base.get("/health")
def health() -> ResponseReturnValue:
    """Whether app and database answer."""
    return jsonify(app="eproba", revision=present_revision(db()))


@base.get("/token")
def token() -> ResponseReturnValue:
    """A fresh CSRF token, asked for before a device sends what it kept, and our clock, to set its own right."""
    facts = {"token": generate_csrf(), "now": int(now().timestamp() * 1000), "store": garden().store}
    return jsonify(facts), 200, NOT_KEPT


@base.get("/help")
def help_page() -> ResponseReturnValue:
    """How to begin, what the words mean, what luck does, what each page is for, keys."""
    return render_template("base/help.html", words=word_pictures(), band=band(), luck=luck_page(request.args))


@base.get("/help/honesty")
def honesty() -> ResponseReturnValue:
    """How often judging raises false alarms, by simulation."""
    return render_template("base/honesty.html", page=honesty_page())
