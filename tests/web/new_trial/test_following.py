"""What nobody has touched follows its cause, wherever it was stored; a plan never holds what its page does not show."""

import copy
import re
from datetime import date
from itertools import permutations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from eproba.core.brewing.recipe import Ground
from eproba.core.catalogue import measures, promises, recipes
from eproba.core.planning.draft import Known
from eproba.core.trial.compared import COMPARED
from eproba.web.new_trial.following import follow
from eproba.web.new_trial.walking import first_answers
from tests.conftest import swept
from tests.web.steps import begun, fill, text, typed

TODAY = date(2026, 5, 20)


def kept(client, draft, step, **changes):
    """The step as a page keeps it while it is being typed: nobody has pressed a button."""
    return client.post(f"{draft}/{step}/typed", {**typed(client, f"{draft}/{step}"), **changes})


@pytest.mark.parametrize(
    ("compared", "role", "name", "dose", "first"),
    [
        ("dry", "untreated", "Untreated", ("m2", "1", "kg", "once"), "plant_height"),
        ("mulch", "untreated", "Bare soil", ("m2", "1", "kg", "once"), "moisture_meter"),
        ("media", "reference", "The usual mix", ("nothing", "", "L", "once"), "seeds_up"),
        ("way", "reference", "The usual way", ("nothing", "", "mL", "once"), "plant_height"),
        ("drench", "water control", "Plain water", ("unit", "250", "mL", "every"), "plant_height"),
    ],
)
def test_a_kind_that_was_chosen_and_kept_by_a_pause_is_applied(client, draft, compared, role, name, dose, first):
    if compared == "drench":
        kept(client, draft, "claim", compared="mulch")
    again = kept(client, draft, "claim", compared=compared)
    assert again.headers["X-Step-Again"] == "1", "the page is drawn again, with the controls of this kind"
    page = text(client, f"{draft}/claim")
    offered = re.findall(r'<input[^>]*name="against"[^>]*value="([^"]*)"', page)
    assert offered == list(COMPARED[compared].controls)
    row = typed(client, f"{draft}/treatments")
    assert tuple(row[f"treatments-0-{field}"] for field in ("dose", "amount", "unit", "often")) == dose
    assert (row["treatments-1-role"], row["treatments-1-name"]) == (role, name)
    assert typed(client, f"{draft}/claim")["against"] == role
    assert typed(client, f"{draft}/measure")["measure"] == first
    assert kept(client, draft, "claim", note="By the wall").headers.get("X-Step-Again") is None, "nothing to draw again"


@pytest.mark.parametrize(
    ("chosen", "worth", "unit"),
    [
        ({"measure": "first_seedling"}, "1.5", "days"),
        ({"measure": "surface_worms"}, "2.2", "worms"),
        ({"measure": "fresh_mass"}, "15", "%"),
        ({"summary": "time_to"}, "3", "days"),
        ({"measure": "fresh_mass", "scale": "difference", "typical": "400"}, "60", "g"),
        ({"measure": "fresh_mass", "scale": "difference"}, "", "g"),
    ],
)
def test_the_worth_follows_the_measure_and_names_its_unit(client, draft, chosen, worth, unit):
    kept(client, draft, "measure", **chosen)
    page = text(client, f"{draft}/measure")
    assert typed(client, f"{draft}/measure")["worth"] == worth
    assert re.search(rf'id="worth"[^>]*>\s*<span[^>]*>{unit}<', page), "the unit stands beside the field"


def test_a_measure_without_distances_asks_for_no_worth(client, draft):
    kept(client, draft, "measure", measure="nitrogen_kit")
    page = text(client, f"{draft}/measure")
    assert typed(client, f"{draft}/measure")["worth"] == ""
    assert ('id="worth"' in page, "any shift counts" in page) == (False, True)


def test_a_worth_that_somebody_typed_stays_as_long_as_its_unit_does(client, draft):
    kept(client, draft, "measure", worth="20")
    kept(client, draft, "measure", measure="widest_leaf")
    assert typed(client, f"{draft}/measure")["worth"] == "20"
    kept(client, draft, "measure", measure="first_seedling")
    assert typed(client, f"{draft}/measure")["worth"] == "1.5", "20 % are no 20 days"
    kept(client, draft, "measure", measure="first_seedling", worth="4")
    assert typed(client, f"{draft}/measure")["worth"] == "4"


def test_a_title_finds_its_recipe_and_the_recipe_says_how_much_and_when(client, draft):
    kept(client, draft, "claim", thing="comfrey Steep")
    row = typed(client, f"{draft}/treatments")
    assert [row[f"treatments-0-{field}"] for field in ("name", "recipe", "dose", "amount", "often")] == [
        "comfrey Steep", "comfrey-steep", "recipe", "", "recipe",
    ]  # fmt: skip
    kept(client, draft, "treatments", **{"treatments-0-dose": "unit", "treatments-0-amount": "100"})
    kept(client, draft, "treatments", **{"treatments-0-recipe": "diluted-whey"})
    row = typed(client, f"{draft}/treatments")
    assert [row[f"treatments-0-{field}"] for field in ("dose", "amount", "often")] == ["unit", "100", "recipe"]
    kept(client, draft, "treatments", **{"treatments-0-name": "My own mix"})
    assert typed(client, f"{draft}/claim")["thing"] == "My own mix", "one thing has one name"
    assert typed(client, f"{draft}/treatments")["treatments-0-recipe"] == "diluted-whey", "it was chosen"


def test_the_control_is_what_the_claim_says(client, draft):
    kept(client, draft, "claim", against="untreated", thing="Whey")
    assert "grew plants 15 % taller than untreated ground." in text(client, f"{draft}/claim")
    fill(client, draft, "treatments", go="add")
    kept(client, draft, "treatments", **{"treatments-2-role": "water control", "treatments-2-name": "Tap water"})
    assert typed(client, f"{draft}/claim")["against"] == "untreated"
    kept(client, draft, "claim", against="water control")
    assert "taller than tap water." in text(client, f"{draft}/claim")
    kept(client, draft, "treatments", **{"treatments-2-role": "reference"})
    assert typed(client, f"{draft}/claim")["against"] == "untreated", "there is no water any more"


def test_what_somebody_empties_stays_empty(client, draft):
    """Whoever pauses before typing something else does not get the old text back."""
    kept(client, draft, "claim", thing="Whey")
    again = kept(client, draft, "claim", thing="")
    assert again.headers.get("X-Step-Again") is None
    assert typed(client, f"{draft}/treatments")["treatments-0-name"] == ""
    kept(client, draft, "measure", measure="seeds_up")
    assert kept(client, draft, "measure", sown="").headers.get("X-Step-Again") is None
    assert typed(client, f"{draft}/measure")["sown"] == ""
    assert kept(client, draft, "measure", worth="").headers.get("X-Step-Again") is None
    assert typed(client, f"{draft}/measure")["worth"] == ""


def test_seeds_are_asked_once(client, draft):
    kept(client, draft, "measure", measure="seeds_up", sown="12")
    assert typed(client, f"{draft}/rules")["seeds"] == "12"
    page = text(client, f"{draft}/rules")
    assert "12 seeds go into each unit" in page
    kept(client, draft, "measure", measure="plant_height")
    assert typed(client, f"{draft}/rules")["seeds"] == ""


@pytest.mark.parametrize(
    ("key", "number"), swept([(key, n) for key, promise in promises().items() for n in range(len(promise.claims))], 4)
)
def test_every_claim_of_every_promise_reaches_the_lots(client, key, number):
    draft = begun(client, "From a promise", thing="Whey")
    fill(client, draft, "claim", go=f"take-{key}-{number}")
    claim = promises()[key].claims[number]
    assert typed(client, f"{draft}/measure")["measure"] == claim.measure
    made = client.post(f"{draft}/deal", {"go": "deal"})
    assert "dealt=1" in made.headers.get("Location", ""), made.get_data(as_text=True)
    page = text(client, made.headers["Location"])
    assert f"By day {claim.decision_day}, whey " in page


WITH = {  # what makes one fact with it
    "worth": {"measure": "widest_leaf"},
    "treatments-0-amount": {"treatments-0-dose": "unit", "treatments-0-unit": "g"},
    "treatments-0-often": {"treatments-0-on": "3", "treatments-0-every": "5"},
}
CHANGES = {
    "compared": ("claim", st.sampled_from(["dry", "mulch", "way"])),
    "thing": ("claim", st.sampled_from(["Comfrey steep", "Whey of mine"])),
    "claim": ("claim", st.just("It helps.")),
    "measure": ("measure", st.just("widest_leaf")),
    "decision_day": ("measure", st.just("35")),
    "aim": ("measure", st.sampled_from(["no worse", "rank"])),
    "worth": ("measure", st.just("21")),
    "batches": ("treatments", st.just("2")),
    "treatments-0-amount": ("treatments", st.just("333")),
    "treatments-0-often": ("treatments", st.just("weekdays")),
    "treatments-1-name": ("treatments", st.just("The other bed")),
    "units_each": ("ground", st.just("8")),
    "handling": ("rules", st.just("Weeded by hand.")),
}  # fmt: skip


@pytest.fixture(scope="module")
def metric():
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr("eproba.web.ui.session.db", lambda: None)
        patch.setattr("eproba.web.ui.session.household_system", lambda _: "metric")
        yield


@given(st.fixed_dictionaries({}, optional={field: values for field, (_, values) in CHANGES.items()}), st.randoms())
def test_the_order_of_filling_in_never_changes_the_plan(metric, changes, chance):
    """Fields that make one fact are changed together: a worth is one of its measure, an amount one of its unit."""
    known = Known(measures(), recipes(), lambda _: Ground())
    orders = list(permutations(changes)) if len(changes) < 4 else [chance.sample(list(changes), len(changes))]
    plans = [changed(known, {field: changes[field] for field in order}) for order in [*orders, sorted(changes)]]
    at_once = first_answers(TODAY)
    for field, value in changes.items():
        at_once[CHANGES[field][0]] |= typed_as(field, value)
    follow(first_answers(TODAY), at_once, known)
    assert all(plan == at_once for plan in plans)


def changed(known, changes):
    answers = first_answers(TODAY)
    for field, value in changes.items():
        before = copy.deepcopy(answers)
        answers[CHANGES[field][0]] |= typed_as(field, value)
        follow(before, answers, known)
    return answers


def typed_as(field, value):
    return {name: [text] for name, text in {field: value, **WITH.get(field, {})}.items()}
