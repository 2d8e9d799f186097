"""Words that Eproba does not use, by docs/words.md: in no template, sentence, error, catalogue, script or command."""

import ast
import re
from functools import cache
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[1]
SOURCE = ROOT / "src" / "eproba"
TABLE = (ROOT / "docs" / "words.md").read_text("utf-8").split("## Words that we don’t use")[1].split("\n## ")[0]
BANNED = [row.split("|")[1].strip() for row in TABLE.splitlines() if row.startswith("| ")][1:]


def said_in_python(path):
    """The texts of a module, its docstrings left out: they speak to whoever reads the code."""
    tree = ast.parse(path.read_text("utf-8"))
    silent = {
        id(node.body[0].value)
        for node in ast.walk(tree)
        if isinstance(node, ast.Module | ast.ClassDef | ast.FunctionDef) and node.body
        and isinstance(node.body[0], ast.Expr)
    }  # fmt: skip
    texts = (node for node in ast.walk(tree) if isinstance(node, ast.Constant) and isinstance(node.value, str))
    return " … ".join(node.value for node in texts if id(node) not in silent)


def said_in_template(path):
    return re.sub(r"\{#.*?#\}", " ", path.read_text("utf-8"), flags=re.S)


@cache
def said():
    """Every text that can be said, by the file that it stands in; read when it is asked for first."""
    texts = {path: said_in_python(path) for path in SOURCE.rglob("*.py") if "migrations" not in path.parts}
    texts |= {path: said_in_template(path) for path in SOURCE.rglob("*.html")}
    texts |= {path: path.read_text("utf-8") for path in SOURCE.rglob("*.toml")}
    scripts = (path for path in (SOURCE / "web" / "static").glob("*.js"))
    texts |= {path: path.read_text("utf-8") for path in scripts}
    return {path: " ".join(text.split()).lower() for path, text in texts.items()}


@pytest.mark.parametrize("words", BANNED)
def test_nobody_is_told_so(words):
    assert [str(path.relative_to(SOURCE)) for path, text in said().items() if words.lower() in text] == []


def test_the_list_is_read_and_texts_are_found():
    assert len(BANNED) > 20
    assert sum("likely between" in text for text in said().values()) >= 3
    assert any("never taste a brew" in text for text in said().values())


def test_what_is_said_in_its_place_is_not_on_the_list():
    instead = [row.split("|")[2].strip().lower() for row in TABLE.splitlines() if row.startswith("| ")][1:]
    assert [text for text in instead if any(words.lower() in text for words in BANNED)] == []
