"""Answers over wide grids, read by a person once: `answers/*.txt`, one call a line.

Whoever means to change one runs this with EPROBA_ANSWERS=write, and reads the difference line by line.
"""

import os
import pkgutil
from importlib import import_module
from pathlib import Path

import pytest

import eproba.core
from tests.core import answers_of_brewing, answers_of_judging, answers_of_planning
from tests.core.answering import told

WHERE = Path(__file__).with_name("answers")


def of_tables():
    """What is shown from tables in the code: names, words, hints."""
    for module in pkgutil.walk_packages(eproba.core.__path__, "eproba.core."):
        for name, value in vars(import_module(module.name)).items():
            if name.strip("_").isupper() and isinstance(value, tuple | dict) and '"' in repr(value).replace("'", '"'):
                yield f"{module.name}.{name}: {'' if isinstance(value, dict) else told(value)}"
                yield from (
                    (f"  {told(key)}: {told(each)}" for key, each in value.items()) if isinstance(value, dict) else ()
                )


ASKED = (globals(), *map(vars, (answers_of_brewing, answers_of_planning, answers_of_judging)))
SUBJECTS = {name.removeprefix("of_"): made for each in ASKED for name, made in each.items() if name.startswith("of_")}


@pytest.mark.parametrize("subject", SUBJECTS)
def test_answers(subject):
    answered = "\n".join(SUBJECTS[subject]()) + "\n"
    file = WHERE / f"{subject}.txt"
    if os.environ.get("EPROBA_ANSWERS") == "write":
        file.write_text(answered, "utf-8")
    assert answered.splitlines() == file.read_text("utf-8").splitlines()
