"""Over what is seen, and the one tree of faults."""

import pytest

from eproba.core.errors import EprobaError
from eproba.exchange import table  # noqa: F401 (their faults hang on the tree)
from eproba.store.commands.locks import Changed, unchanged
from eproba.web.app import create_app  # noqa: F401 (so do those of the forms)


@pytest.mark.parametrize(
    ("seen", "there", "mine", "kept"),
    [("a", "a", "b", True), ("a", "b", "b", True), ("a", "c", "b", False), ("", "c", "", False)],
)
def test_a_text_is_written_only_over_the_one_that_was_seen(seen, there, mine, kept):
    if kept:
        unchanged(seen, there, mine, "the note")
        return
    with pytest.raises(Changed, match="Somebody else changed the note meanwhile") as caught:
        unchanged(seen, there, mine, "the note")
    assert caught.value.there == there


def test_every_fault_of_the_rules_is_one_of_one_tree():
    faults = {each.__name__ for each in tree(EprobaError)}
    named = {"GroundError", "LotsError", "DaysError", "CannotJudge", "TableError", "PourError", "NoEntry"}
    assert named | {"Changed", "Gone", "RoundError", "MixError", "RecipeError", "NumberError", "DoseError"} <= faults


def tree(kind):
    return {kind, *(each for child in kind.__subclasses__() for each in tree(child))}
