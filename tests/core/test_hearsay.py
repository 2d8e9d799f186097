"""What somebody said, pasted: amounts, parts, intervals, crops and promises as they are read, and nothing beside."""

from typing import get_args

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from eproba.core.catalogue import crops, hopes, measures, names_said, recipes
from eproba.core.planning.crops import usual_measures
from eproba.core.planning.hearsay import HearsayError, heard_in, names_from
from eproba.core.planning.hopes import HopeError, hope_from, hoped
from eproba.core.quantities import Units
from eproba.core.trial.compared import COMPARED
from eproba.core.trial.model import Compared

TITLES = {key: recipe.title for key, recipe in recipes().items()}


def heard(text, system="metric"):
    return heard_in(text, names_said(), TITLES, crops(), Units(system))


def read(text, system="metric"):
    """What was read, without what was not."""
    said = heard(text, system)
    values = {
        "thing": said.thing, "crop": said.crop, "measure": said.measure, "parts": said.parts,
        "other": said.other_parts, "rate": said.amount and (said.amount, said.unit, said.by), "every": said.every,
        "days": said.days,
    }  # fmt: skip
    return {key: value for key, value in values.items() if value not in ("", None)}


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("one cup to a gallon every two weeks, makes tomatoes explode",
         {"crop": "tomatoes", "parts": 16, "every": 14, "measure": "plant_height"}),
        ("My neighbour swears by comfrey tea, 1 to 10, once a week. Her chard has leaves twice as big.",
         {"thing": "Comfrey steep", "crop": "chard", "parts": 10, "other": 9, "every": 7, "measure": "widest_leaf"}),
        ("Nettle tea diluted 1:10 on your kale every fortnight, greener within 10 days!",
         {"thing": "Nettle steep", "crop": "kale", "parts": 10, "other": 9, "every": 14, "measure": "leaf_colour",
          "days": 10}),
        ("Just pour half a cup of whey per plant on the cucumbers, weekly.",
         {"thing": "Diluted whey", "crop": "cucumbers", "rate": (125, "mL", "unit"), "every": 7}),
        ("Dilute the aquarium water? No, use it neat, a litre per pot, every other day.",
         {"thing": "Aquarium water", "parts": 0, "rate": (1, "L", "unit"), "every": 2}),
        ("I put wool mulch around my strawberries and the soil stays moist.",
         {"thing": "Wool-fibre mulch", "crop": "strawberries", "measure": "moisture_meter"}),
        ("Banana peel water makes roses bloom, a cup for each plant once a month",
         {"thing": "Banana peel water", "measure": "flowers", "rate": (250, "mL", "unit"), "every": 30}),
        ("Mix two tablespoons of molasses into a gallon of water and feed the lettuce every 2 weeks.",
         {"thing": "Plain molasses water", "crop": "lettuce", "parts": 128, "every": 14}),
        ("worm castings, a handful in the planting hole, bigger leaves in 3 weeks",
         {"thing": "Worm-cast extract", "measure": "widest_leaf", "days": 21}),
        ("One part seaweed to twenty parts water, 2 L per m², every ten days: 30 % more harvest of potatoes",
         {"thing": "Seaweed steep", "crop": "potatoes", "parts": 20, "rate": (2, "L", "m2"), "every": 10,
          "measure": "yield_g"}),
        ("diluted ten times, twice a week, on pak choi", {"crop": "pak choi", "parts": 9, "other": 10, "every": 4}),
        ("1 in 10 alfalfa tea for sunflowers, they shoot up",
         {"thing": "Alfalfa-pellet steep", "crop": "sunflowers", "parts": 9, "other": 10, "measure": "plant_height"}),
        ("ten to one water to compost tea, use within hours, brings the worms back",
         {"thing": "Finished-compost extract", "parts": 10, "measure": "dug_worms"}),
        ("Give rainbow chard 250 mL of it per pot every 7 days",
         {"crop": "rainbow chard", "rate": (250, "mL", "unit"), "every": 7}),
        ("no idea what he did but it was great", {}),
        ("rice water 50/50 for seedlings, seeds come up faster in 5 days",
         {"thing": "Rice soak or cooking water", "parts": 1, "measure": "seeds_up", "days": 5}),
        ("100 g per litre of pellets, soak it for 3 days, then 1:5", {"parts": 5, "other": 4}),
        ("spray dandelion steep 1/10 on everything", {"thing": "Dandelion steep", "parts": 9, "other": 10}),
        ("1 gallon per square foot of compost extract, just once, on the lawn",
         {"thing": "Finished-compost extract", "crop": "lawn", "rate": (40.7, "L", "m2"), "every": 0}),
        ("Grandma’s yeast trick: 10 g of yeast in 5 litres, every month; currants had 40 % more fruit",
         {"thing": "Yeast starter", "crop": "currants", "every": 30, "measure": "fruits"}),
    ],
)  # fmt: skip
def test_twenty_things_that_people_say(text, expected):
    assert read(text) == expected


def test_a_cup_is_the_household_s_own_and_what_was_not_said_is_named():
    assert read("a cup per plant", "US")["rate"] == (237, "mL", "unit")
    assert [line.taken for line in heard("a cup per plant", "US").heard] == ["8 fl oz for each of them"]
    assert heard("Whey on kale, weekly").unsaid == ("strength", "rate", "promise", "time")
    assert heard("").unsaid == ("thing", "crop", "strength", "rate", "interval", "promise", "time")


@given(st.text(alphabet="0123456789/:½ .,%abcdegilmnoprstuy", max_size=60))
@example("1/0 cup to 0 gallons")
@example("0:0")
@example("1:1")
@example("1/0")
def test_nonsense_is_read_without_a_fault(text):
    said = heard(text)
    assert said.parts is None or said.parts >= 0
    assert said.every is None or said.every >= 0


@given(st.integers(2, 60), st.integers(50, 900), st.integers(2, 40))
def test_what_is_said_plainly_is_read_as_it_was_said(parts, amount, days):
    text = f"1 part of it to {parts} parts of water, {amount} mL per pot, every {days} days"
    assert read(text) == {"parts": parts, "rate": (amount, "mL", "unit"), "every": days}


def test_three_thousand_words_are_looked_at():
    assert read("so it was and " * 750 + "comfrey tea weekly")["every"] == 7


def test_the_names_lead_to_what_there_is():
    with pytest.raises(HearsayError, match="gone: none of the recipes"):
        names_from({"recipes": {"gone": ["x"]}, "measures": {}}, [], [])
    with pytest.raises(HearsayError, match="names are texts in lower case"):
        names_from({"recipes": {"x": ["Tea"]}, "measures": {}}, ["x"], [])
    with pytest.raises(HearsayError, match="names have recipes and measures"):
        names_from({"recipes": {}}, [], [])
    with pytest.raises(HopeError, match="no kind of comparison"):
        hope_from("plant_height", {"words": "Taller", "kinds": ["song"]}, measures())
    with pytest.raises(HopeError, match="no measure that can be the first"):
        hope_from("gone", {"words": "Taller", "kinds": []}, measures())


def test_five_hopes_fit_what_is_tried_and_what_grows():
    chard = usual_measures("rainbow chard", crops())
    words = [hope.words for hope in hoped("drench", chard, hopes())]
    assert words == ["Bigger leaves", "Greener leaves", "More leaves", "Heavier plants", "Taller plants"]
    assert [hope.key for hope in hoped("mulch", (), hopes())][:2] == ["moisture_meter", "weed_seedlings"]
    for kind in get_args(Compared):
        offered = hoped(kind, (), hopes())
        assert len(set(offered)) == 5
        assert COMPARED[kind].first[:1] in ((), (offered[0].key,))
