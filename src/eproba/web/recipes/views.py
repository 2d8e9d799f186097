"""Recipes: by family, one by one, side by side where they disagree; the gardener's own with their versions."""

import re
import secrets
from dataclasses import replace

from flask import Blueprint, abort, flash, redirect, render_template, request, url_for
from flask.typing import ResponseReturnValue

from eproba.core.brewing.ingredients import RecipeError
from eproba.core.brewing.mixing import parts_as_written
from eproba.core.brewing.recipe import WAY, Recipe, ways_of
from eproba.core.catalogue import recipes as catalogue
from eproba.core.catalogue import schools
from eproba.core.quantities import QuantityError
from eproba.exchange.recipe_file import read_recipe, recipe_json, recipe_toml
from eproba.store.commands.locks import Changed
from eproba.store.commands.recipes import delete_recipe, keep_recipe, put_recipe_away
from eproba.store.recipes import all_recipes, offered_recipes, own_recipes, recipe_of, versions_of
from eproba.web.recipes.forms import KEEPS_FROM, RecipeForm, blank_recipe, filled, known_to, recipe_made
from eproba.web.ui.clock import now
from eproba.web.ui.responses import download
from eproba.web.ui.session import db
from eproba.web.ui.units import sentence
from eproba.web.verdict.keeping import commit

recipes = Blueprint("recipes", __name__, template_folder="templates")


def recipe_or_404(key: str) -> Recipe:
    return all_recipes(db()).get(key) or abort(404, "There is no such recipe.")


@recipes.get("/recipes")
def index() -> ResponseReturnValue:
    families: dict[str, list[Recipe]] = {}
    offered = offered_recipes(db())
    for recipe in (recipe for recipe in offered.values() if not recipe.is_way):
        families.setdefault(recipe.family if recipe.key in catalogue() else "your own", []).append(recipe)
    away = [recipe for key, recipe in own_recipes(db()).items() if key not in offered]
    return render_template("recipes/index.html", families=families, schools=schools(), away=away)


@recipes.get("/recipes/<key>")
def show(key: str) -> ResponseReturnValue:
    recipe = recipe_or_404(key)
    if recipe.is_way:
        return redirect(url_for("recipes.show", key=key.partition(WAY)[0], _anchor="schools"))
    own = key not in catalogue()
    return render_template(
        "recipes/recipe.html",
        recipe=recipe,
        own=own,
        keeps_from=KEEPS_FROM,
        away=own and key not in offered_recipes(db()),
        written=parts_as_written(recipe.parts) if recipe.liquid else [],
        versions=versions_of(db(), key) if own else [],
        offered=[(other, known.title) for other, known in offered_recipes(db()).items() if known.kind != "test"],
        ways=list(ways_of(recipe)),
    )


@recipes.get("/recipes/compare")
def compare() -> ResponseReturnValue:
    """Recipes of one family, or those asked for, side by side with their schools."""
    known = all_recipes(db())
    wanted = [known[key] for key in request.args.getlist("with") if key in known]
    family = request.args.get("family", "")
    compared = wanted or [recipe for recipe in known.values() if recipe.family == family and not recipe.is_way]
    if not compared:
        abort(404, "Choose a family of recipes, or at least one recipe, to compare.")
    families = list(dict.fromkeys(recipe.family for recipe in known.values()))
    return render_template("recipes/compare.html", found=compared[:6], family=family, families=families)


@recipes.get("/recipes/<key>/file.<any(toml, json):kind>")
def file_out(key: str, kind: str) -> ResponseReturnValue:
    recipe = recipe_or_404(key)
    text = recipe_toml(recipe) if kind == "toml" else recipe_json(recipe)
    return download(text, f"application/{kind}", f"{key}.{kind}")


@recipes.post("/recipes/import")
def file_in() -> ResponseReturnValue:
    """A recipe from a file becomes one's own; a known own one gets its next version."""
    raw = sent.read() if (sent := request.files.get("file")) else b""
    if not raw:
        flash("Choose a file with a recipe first.")
        return redirect(url_for("recipes.index"))
    try:
        read = read_recipe(raw, recipe_of)
    except (RecipeError, QuantityError) as error:
        flash(f"{error}")
        return redirect(url_for("recipes.index"))
    key = read.key if read.key not in catalogue() else _new_key(read.title)
    kept = keep_recipe(db(), replace(read, key=_plain(key)), now())
    commit()
    flash(f"“{kept.title}” is on your shelf of recipes, version {kept.version}.")
    return redirect(url_for("recipes.show", key=kept.key))


def _plain(key: str) -> str:
    return re.sub(r"[^a-z0-9]+", "-", key.lower()).strip("-")[:60] or f"own-{secrets.token_hex(3)}"


def _new_key(title: str) -> str:
    return f"{_plain(title)}-{secrets.token_hex(2)}"


@recipes.route("/recipes/new", methods=["GET", "POST"])
def new() -> ResponseReturnValue:
    """A recipe of one's own, from nothing."""
    return _typed(blank_recipe(), "New recipe", True)


@recipes.route("/recipes/<key>/copy", methods=["GET", "POST"])
def copy(key: str) -> ResponseReturnValue:
    """A recipe of one's own, from one that is there."""
    base = recipe_or_404(key)
    return _typed(replace(base, key=_new_key(base.title), title=f"{base.title}, my way", version=1), "New recipe", True)


@recipes.post("/recipes/<key>/away")
def put_away(key: str) -> ResponseReturnValue:
    """An own recipe out of the lists, back into them, or deleted where nothing was made or planned by it."""
    recipe = recipe_or_404(key)
    if key in catalogue() or WAY in key:
        abort(400, "The catalogue’s recipes stay as they are.")
    what = request.form.get("what", "away")
    if what == "delete":
        gone = delete_recipe(db(), key)
        text = f"“{recipe.title}” is deleted." if gone else "Batches or trials go by it: it can only be put away."
    else:
        put_recipe_away(db(), key, what == "away")
        text = f"“{recipe.title}” is {'put away: no longer offered' if what == 'away' else 'offered again'}."
    commit()
    flash(text)
    return redirect(url_for("recipes.index"))


@recipes.route("/recipes/<key>/edit", methods=["GET", "POST"])
def edit(key: str) -> ResponseReturnValue:
    """The next version of one's own recipe; batches keep the version that they were made from."""
    base = recipe_or_404(key)
    if key in catalogue() or WAY in key:
        abort(400, "The catalogue’s recipes stay as they are: make a copy of your own.")
    return _typed(base, f"Change {base.title}", False)


def _typed(base: Recipe, heading: str, new: bool) -> ResponseReturnValue:
    known = known_to([base, *own_recipes(db()).values()])
    form = RecipeForm(known, base) if request.method == "POST" else RecipeForm(known, base, data=filled(base))
    problem = ""
    if form.validate_on_submit():
        try:
            recipe = recipe_made(base, form)
            kept = keep_recipe(
                db(), replace(recipe, key=_new_key(recipe.title)) if new else recipe, now(), None if new else form.seen
            )
            commit()
            flash(f"“{kept.title}” is kept, version {kept.version}.")
            return redirect(url_for("recipes.show", key=kept.key))
        except Changed as error:
            db().rollback()
            problem, form.version.data = sentence(error), error.there
        except (RecipeError, QuantityError) as error:
            problem = sentence(error).partition(": ")[2] or sentence(error)
    page = render_template("recipes/edit.html", form=form, base=base, heading=heading, problem=problem)
    return page, 400 if problem or form.errors else 200
