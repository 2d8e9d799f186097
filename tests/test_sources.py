"""Templates, style sheets and scripts are kept as readable as the Python; and the benchmarks still start."""

import re
from importlib import import_module
from pathlib import Path
from types import CodeType

import cssbeautifier
import pytest

WEB = Path(__file__).parents[1] / "src" / "eproba" / "web"
OURS = sorted(p for kind in ("html", "css", "js") for p in WEB.rglob(f"*.{kind}") if "vendor" not in p.parts)


def test_no_line_is_longer_than_120_characters():
    long = [
        f"{path.relative_to(WEB)}:{number}"
        for path in OURS
        for number, line in enumerate(path.read_text("utf-8").splitlines(), 1)
        if len(line) > 120
    ]
    assert long == []


@pytest.mark.parametrize("path", [p for p in OURS if p.suffix == ".css"], ids=lambda path: path.name)
def test_a_style_sheet_is_as_the_formatter_leaves_it(path):
    """One declaration a line; `.venv/bin/css-beautify -s 2 -n -r FILE` puts it right."""
    options = cssbeautifier.default_options()
    options.indent_size, options.end_with_newline = 2, True
    text = path.read_text("utf-8")
    assert cssbeautifier.beautify(text, options) == text


def test_no_two_classes_share_a_name():
    """A name that means two things is read wrongly by whoever comes next."""
    texts = [path.read_text("utf-8") for path in WEB.parent.rglob("*.py") if "migrations" not in path.parts]
    names = [name for text in texts for name in re.findall(r"^class (\w+)", text, re.M)]
    assert sorted({name for name in names if names.count(name) > 1}) == []


def locals_of(code):
    """The names that a module and its functions give to something."""
    yield from code.co_varnames[code.co_argcount + code.co_kwonlyargcount :] + code.co_cellvars
    for inner in code.co_consts:
        if isinstance(inner, CodeType):
            yield from locals_of(inner)


def test_locals_are_nouns():
    """Two in a thousand may be as empty as these, no more: a reader asks of each what it stands for."""
    empty = {"each", "found", "told", "made", "here", "there"}
    paths = [path for path in WEB.parent.rglob("*.py") if "migrations" not in path.parts]
    bound = [name for path in paths for name in locals_of(compile(path.read_text("utf-8"), path.name, "exec"))]
    assert len(bound) > 10_000
    assert sum(name in empty for name in bound) <= 0.002 * len(bound)


def test_a_view_commits_in_one_way():
    """By `keeping.commit`, which judges anew what was changed: no view has to remember it."""
    others = [path for path in WEB.rglob("*.py") if path.name != "keeping.py"]
    assert [path.name for path in others if re.search(r"\bdb\(\)\.commit\(", path.read_text("utf-8"))] == []


@pytest.mark.parametrize("path", sorted((WEB.parents[2] / "benchmarks").glob("*.py")), ids=lambda path: path.stem)
def test_a_benchmark_knows_the_names_it_times(path):
    """They run by hand and seldom: a name that moved must not wait for that."""
    assert import_module(f"benchmarks.{path.stem}").__doc__
