"""The application factory."""

from collections.abc import Callable
from datetime import datetime

from flask import Flask, request
from flask_login import LoginManager
from flask_wtf import CSRFProtect
from whitenoise import WhiteNoise

from eproba.core.catalogue import good_practice, hazards
from eproba.store.database import engine_for
from eproba.web.base.views import base
from eproba.web.calendar.views import calendar
from eproba.web.challenges.views import challenging
from eproba.web.compiled import read_compiled
from eproba.web.entries.views import entries
from eproba.web.happenings.views import happenings
from eproba.web.helpers.views import helpers
from eproba.web.household.views import household, let_in, load_device
from eproba.web.measures.views import measures
from eproba.web.meters.views import meters, value_in
from eproba.web.mixing.views import mixing
from eproba.web.new_trial.views import new_trial
from eproba.web.next_step.label import label
from eproba.web.next_step.lasting import lasting
from eproba.web.next_step.views import next_step
from eproba.web.packages.views import packages
from eproba.web.paper.views import paper
from eproba.web.photos.strip import strips
from eproba.web.photos.views import photos
from eproba.web.pictures import pictures
from eproba.web.pours.views import pours
from eproba.web.practice.views import practice
from eproba.web.prices.views import prices
from eproba.web.readings.views import readings
from eproba.web.recipes.views import recipes
from eproba.web.report.views import report
from eproba.web.rounds.views import rounds
from eproba.web.samples.views import samples
from eproba.web.settings import Settings
from eproba.web.shelf.views import shelf
from eproba.web.today.views import today_page
from eproba.web.together.views import together
from eproba.web.trials.views import trials
from eproba.web.ui import filters, ui
from eproba.web.ui.clock import now, today, utc_now
from eproba.web.ui.doors import HEADERS, guard
from eproba.web.ui.errors import register_faults
from eproba.web.ui.logs import LoggedFlask, log_requests
from eproba.web.ui.responses import STATIC, as_json, asset, page_key
from eproba.web.ui.session import close_db, typed_system, who
from eproba.web.ui.styles import YEAR, styles_address, with_styles
from eproba.web.ui.units import amount, amount_of, caution_texts, loose, step_words, unit
from eproba.web.ui.zone import garden, store_id
from eproba.web.verdict.views import verdict
from eproba.web.weather.views import weather

PLACES = (
    base, calendar, challenging, entries, happenings, helpers, household, label, lasting, measures, meters, mixing,
    new_trial, next_step, packages, paper, photos, pictures, pours, practice, prices, readings, recipes, report,
    rounds, samples, shelf, strips, today_page, together, trials, ui, verdict, weather,
)  # fmt: skip


def create_app(settings: Settings | None = None, clock: Callable[[], datetime] = utc_now) -> Flask:
    """Build the application: settings from the environment unless given, the clock replaceable."""
    settings = settings or Settings.from_environment()
    app = LoggedFlask(__name__, static_folder="static")
    app.config.update(
        SECRET_KEY=settings.secret_key,
        MAX_CONTENT_LENGTH=settings.most_upload_bytes,
        MAX_FORM_MEMORY_SIZE=2_000_000,
        WTF_CSRF_TIME_LIMIT=None,
        WTF_CSRF_SSL_STRICT=settings.https,
        SESSION_COOKIE_NAME="eproba",
        SESSION_COOKIE_SAMESITE="Lax",
        REMEMBER_COOKIE_SAMESITE="Lax",
        CLOCK=clock,
        SETTINGS=settings,
    )
    app.extensions["engine"] = engine_for(settings.database_url)
    guard(app, settings.https)
    CSRFProtect(app).exempt(value_in)  # a meter has a token of its own
    login = LoginManager(app)
    login.user_loader(load_device)
    for place in PLACES:
        app.register_blueprint(place)
    app.before_request(by_the_garden_s_clock)
    app.before_request(let_in)
    app.teardown_appcontext(close_db)
    register_faults(app)
    log_requests(app)
    in_units = {"unit": unit, "amount": amount, "amount_of": amount_of, "step_words": step_words, "loose": loose}
    app.jinja_env.filters.update(filters.ALL, **in_units)
    app.jinja_env.tests["good_practice"] = lambda key: key in good_practice()
    app.jinja_env.trim_blocks = app.jinja_env.lstrip_blocks = True
    read_compiled(app)
    app.jinja_env.globals.update(
        asset=asset,
        styles_address=styles_address,
        as_json=as_json,
        page_key=page_key,
        caution=caution_texts,
        hazards=hazards,
        clock=now,
        today=today,
        store_id=store_id,
        typed_system=typed_system,
        who=who,
        demo=settings.demo,
    )
    app.wsgi_app = with_styles(_static_files(app))  # type: ignore[assignment, method-assign]
    return app


def by_the_garden_s_clock() -> None:
    """Every page that shows data goes by the household's time; the others need no database."""
    if request.endpoint not in ("static", "base.health"):
        garden()


def _static_files(app: Flask) -> WhiteNoise:
    """Static files, pre-compressed where a .gz lies beside them; addresses carry fingerprints, so cached for a year."""

    def forever(headers: dict[str, str], path: str, url: str) -> None:
        headers["Cache-Control"] = f"public, max-age={YEAR}" + ("" if path.endswith(".woff2") else ", immutable")
        headers["X-Content-Type-Options"] = HEADERS["X-Content-Type-Options"]
        headers["Cross-Origin-Resource-Policy"] = HEADERS["Cross-Origin-Resource-Policy"]

    served = WhiteNoise(app.wsgi_app, max_age=YEAR, allow_all_origins=False, add_headers_function=forever)
    served.add_files(str(STATIC), prefix="static/")
    return served
