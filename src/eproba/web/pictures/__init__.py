"""The pictures that are Eproba's own, as server-made SVG: ground plan, day strip, gap ruler, shuffle pile."""

from flask import Blueprint

pictures = Blueprint("pictures", __name__, template_folder="templates")
