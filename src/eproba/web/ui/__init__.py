"""The parts that pages are made of: frame, fields, due line; session, clock, responses, errors, looks."""

from flask import Blueprint

ui = Blueprint("ui", __name__, template_folder="templates")
