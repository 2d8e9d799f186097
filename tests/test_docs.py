"""The README tells of everything public: each command, each key of a measure, pictures that exist."""

import re
import subprocess
from dataclasses import fields
from pathlib import Path

import grimp
import pytest
from flask import Flask

from eproba import cli
from eproba.core.brewing.recipe import Phase, Portion, Recipe, School, Step
from eproba.core.measuring.measures import Measure
from eproba.exchange import limits
from eproba.start.commands import COMMANDS

ROOT = Path(__file__).parents[1]
README = (ROOT / "README.md").read_text()
MEASURES = (ROOT / "docs" / "measures.md").read_text()
RECIPES = (ROOT / "docs" / "recipes.md").read_text()


def test_every_command_is_told():
    commands = set(COMMANDS) - {"--help", "-h", "help"}
    assert {"demo", "serve", "stop", "test", "judge", "backup", "restore"} <= commands
    usage = subprocess.run([ROOT / "eproba", "help"], capture_output=True, text=True).stdout
    for command in commands:
        assert f"./eproba {command}" in README, command
        assert command in usage, command


def test_every_option_of_every_command_stands_in_the_readme():
    for command in (command for name, command in cli.main.commands.items() if name in COMMANDS):
        for option in command.params:
            long = [name for name in option.opts if name.startswith("--")]
            assert not long or long[0] in README, f"{command.name} {long[0]}"


def test_every_setting_is_told():
    """What the code reads from the environment, but for what the start script sets itself."""
    files = [*(ROOT / "src" / "eproba").rglob("*.py"), ROOT / "eproba"]
    read = {name for file in files for name in re.findall(r"EPROBA_[A-Z_]+", file.read_text())}
    own = {"EPROBA_DEMO", "EPROBA_HOME_NETWORK"}
    assert own < read
    assert set(re.findall(r"^\| `(EPROBA_[A-Z_]+)", README, re.M)) == read - own


def test_every_key_of_a_measure_is_told():
    for field in fields(Measure):
        if field.name != "key":
            assert f"`{field.name}`" in MEASURES, field.name


def test_every_key_of_a_recipe_is_told():
    for table in (Recipe, Portion, Step, Phase, School):
        for field in fields(table):
            if field.name != "key":
                assert f"`{field.name}`" in RECIPES, field.name


def test_pictures_and_links_exist():
    links = re.findall(r"\]\(([^)#]+)\)", README + "".join(each.read_text() for each in (ROOT / "docs").glob("*.md")))
    local = [link for link in links if "://" not in link]
    assert sum(link.endswith(".png") for link in local) >= 4
    for link in local:
        assert (ROOT / link).exists() or (ROOT / "docs" / link).exists(), link
    assert 4 <= len(list((ROOT / "docs" / "screenshots").glob("*.png"))) < 20


def test_nothing_that_must_not_be_in_a_file():
    listed = subprocess.run(["git", "ls-files"], cwd=ROOT, capture_output=True, text=True).stdout.split("\n")
    own = [
        f
        for f in listed
        if f.endswith((".py", ".html", ".css", ".js", ".toml", ".md", ".txt", ".json")) and "vendor/" not in f
    ]
    forbidden = re.compile(
        r"https?://[\w.]*(" + "npm" + r"js|py" + "pi|pythonh" + "osted|cdn|unpkg)|" + "/ro" + "ot/|/wo" + "rk/"
    )
    for name in filter(lambda f: (ROOT / f).exists(), own):
        assert not forbidden.search((ROOT / name).read_text(errors="ignore")), name


def test_every_view_has_its_test(app):
    """Each address of the app is asked for in some test."""
    told = "\n".join(file.read_text() for file in (ROOT / "tests").rglob("test_*.py"))
    assert isinstance(app, Flask)
    for rule in app.url_map.iter_rules():
        last = [part for part in rule.rule.split("/") if part and "<" not in part]
        if last and rule.endpoint != "static":
            assert last[-1] in told, rule.rule


@pytest.mark.parametrize("name", ["LICENSE", ".ci/run", "requirements/run.txt", "requirements/test.txt"])
def test_the_house_is_complete(name):
    assert (ROOT / name).stat().st_size > 0


def test_the_structure_in_words_is_the_structure_of_the_imports():
    """docs/structure.md: each package of the core with what it imports, no more and no less; files that exist."""
    page = (ROOT / "docs" / "structure.md").read_text()
    told = dict(re.findall(r"^\| `(\w+)` \|[^|]*\| ([^|]*) \|$", page, re.M))
    graph = grimp.build_graph("eproba")
    packages = {child.rsplit(".", 1)[1] for child in graph.find_children("eproba.core")}
    assert set(told) == packages
    for name, imports in told.items():
        root = f"eproba.core.{name}"
        inside = {root, *graph.find_descendants(root)}
        found = {each for module in inside for each in graph.find_modules_directly_imported_by(module)}
        real = {each.split(".")[2] for each in found if each.startswith("eproba.core.")} - {name}
        assert set(re.findall(r"`(\w+)`", imports)) == real, name
    for file in re.findall(r"`((?:core|store|web)/[\w/]+\.py)`", page):
        assert (ROOT / "src" / "eproba" / file).exists(), file


def test_every_test_that_the_page_of_security_names_exists():
    named = set(re.findall(r"`(test_\w+)`", (ROOT / "docs" / "security.md").read_text()))
    known = {
        name for file in (ROOT / "tests").rglob("*.py") for name in re.findall(r"def (test_\w+)", file.read_text())
    }
    assert len(named) > 20
    assert named <= known, named - known


def test_the_limits_told_are_those_that_hold():
    page = (ROOT / "docs" / "security.md").read_text()
    assert f"| {limits.megabytes(limits.MOST_BYTES)} |" in page
    assert f"| {limits.megabytes(limits.MOST_PACKAGE_BYTES)} |" in page
    assert f"| {limits.MOST_CELLS // 1000} 000 cells |" in page
    assert f"| {limits.MOST_CELLS_OF_PACKAGE // 1_000_000} million cells |" in page
    jpeg, other = limits.MOST_PIXELS // 1_000_000, limits.MOST_PIXELS_UNPACKED // 1_000_000
    assert f"| {jpeg} megapixels as JPEG, {other} as PNG or WebP |" in page
    running = (ROOT / "docs" / "running.md").read_text()
    assert f"readings are up to {limits.megabytes(limits.MOST_BYTES)} large" in running
    assert f"client_max_body_size {limits.MOST_PACKAGE_BYTES // 1_000_000}m" in running
