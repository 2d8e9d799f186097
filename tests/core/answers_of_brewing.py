"""What brewing, measuring and pouring answer, over wide grids; see `test_answers.py`."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta

from eproba.core.applying import at_the_pour, comparing, desk, errands, schedule
from eproba.core.brewing import batches, clock, events, kitchen, mixing, warmth, water, weather
from eproba.core.brewing.ingredients import ingredient_from
from eproba.core.brewing.recipe import SIGNS, recipe_entry, recipe_from, time_words
from eproba.core.catalogue import cautions, equipment, ingredients, measures, recipes
from eproba.core.errors import EprobaError
from eproba.core.measuring.measures import measure_from, own_measure, unit_value
from eproba.core.quantities import AMBIGUOUS, PIECES, UNITS, celsius, in_base, number_typed
from eproba.core.trial import lots
from eproba.core.trial.model import ROLES, Rules
from eproba.core.words import exact, figure, figure_or_whole, listed, lower_first, one_in, parse_date, parse_number
from tests.core.answering import line, told
from tests.core.brews import brew, look
from tests.core.cases import small_trial

NOON = datetime(2026, 6, 10, 12, tzinfo=UTC)


METRIC, US = kitchen.Kit(), kitchen.Kit("US", 5.0, 4.929, 946.0, 7.5)


def of_quantities():
    for unit in (*UNITS, *AMBIGUOUS, *PIECES, "spoon", " US  Cup "):
        yield line(in_base, 2.0, unit)
    for amount in (0.0, -0.1, float("nan"), float("inf")):
        yield line(in_base, amount, "g")
    for text in ("2.5 L", "1 US gallon", "500 mL", "3", "2,5", "2 kg", "much", "", "1 cup"):
        yield line(number_typed, text, "L")
    for degrees in (-40.0, -40.5, 110.0, 110.5):
        yield line(celsius, degrees)
    for text in ("1", "-1.5", "1,5", "1 000", "1.000,5", "1e3", "½", "", "two", "1/2", "−3", "99999999999999999999"):
        yield line(parse_number, text)
    for number in (0.0, 1.0, -1.0, 0.1, 12.345678, 1234.5, 1e6, 1e-7, -0.5, 123456789.0):
        yield f"{line(figure, number)}; {figure(number, 1)}; {exact(number)}"
    for p in (0.5, 0.05, 0.0476, 0.01, 0.001, 1e-9, 1.0, 0.3):
        yield line(one_in, p)
    for text in (
        "2026-05-01",
        "1.5.2026",
        "01/05/2026",
        "5/13/2026",
        "1 May 2026",
        "31.2.2026",
        "soon",
        "20260501",
        "",
    ):
        yield line(parse_date, text)
    for text in ("Water it", "US cup", "A", "", "pH is low"):
        yield line(lower_first, text)
    for names in (["a"], ["a", "b"], ["a", "b", "c"]):
        yield line(listed, names)


def of_measures():
    for key, measure in measures().items():
        yield f"{key}: {told(vars(measure).values())}"
        found = [measure.possible, measure.noise, measure.lower_is_better, measure.judged_unit]
        found += [measure.noise_on(scale) for scale in ("difference", "ratio")]
        found += [measure.can_answer(day) for day in (0, 3, 7, 14, 28, 60, 120, 400)]
        found += [unit_value(measure, [1.0, 3.0, 5.0], 10.0), unit_value(measure, [4.0], 4.0)]
        yield f"  {told(found)}"
    for low, high, scale in ((0, 10, "difference"), (0, 10, "ratio"), (5, 5, "difference"), (9, 1, "difference")):
        own = ("own_x", "Buds", "buds", float(low), float(high), 0, "lower", scale, "Count.\nTwice.")
        yield line(lambda *given: vars(own_measure(*given)).values(), *own)


def of_recipes():
    for recipe in recipes().values():
        facts = [recipe.liquid, recipe.brews, recipe.interval, recipe.all_cautions]
        yield f"{recipe.key}: {told(facts + [recipe.fewest_days(day) for day in (0, 10, 13, 14, 30, 60, 61, 365)])}"
        yield f"  speed {told([clock.speed(recipe, degrees) for degrees in (-5.0, 5.0, 12.0, 20.0, 35.0, 60.0)])}"
        yield f"  {told([warmth.hours_here(recipe, warmth.Warmth(latest=t)) for t in (2.0, 12.0, 20.0, 35.0)])}"
        for want in (
            {"area_m2": 2.5}, {"units": 6, "per_unit_litres": 0.25, "unit_m2": 0.049},
            {"area_m2": 12.0, "rate": 4.0, "parts": (1.0, 7.0)}, {"units": 3, "unit_m2": 1.0},
        ):  # fmt: skip
            yield from _mixed(recipe, want)
        for portion in recipe.portions:
            weighed = [kitchen.measured(replace(portion, amount=portion.amount * n), k) for k in (METRIC, US)
                       for n in (0.01, 1.0, 7.3)]  # fmt: skip
            yield f"  {portion.ingredient.key}: {told(weighed)}"
        for amount, unit in ((2.0, "L"), (250.0, "mL"), (500.0, "g"), (1.0, "handful")):
            for parts in (None, 9.0):
                yield f"  {line(mixing.concentrate, recipe, amount, unit, parts)}"


def _mixed(recipe, want):
    try:
        mixed = mixing.mix(recipe, mixing.Want(**want))
    except EprobaError as error:
        yield f"  {told(want)} ✗ {error}"
        return
    yield f"  {told(want)} {told(mixed)}"
    filled = [kitchen.cans(mixed, kit) for kit in (METRIC, US)]
    yield f"    alone {told(mixing.ingredient_alone(mixed))}; cans {told(filled)}"
    needed = mixed.application_litres
    if needed is not None:
        yield f"    {told([kitchen.fillings(needed, each) for each in equipment().values()])}"


def of_batches():
    for key in ("comfrey-steep", "yeast-starter", "aerated-compost-brew", "diluted-whey"):
        recipe = recipes()[key]
        batch, longest = brew(recipe, litres=10.0, begun=NOON), recipe.hours[1] or 1.0
        yield f"{key}: {told([clock.ready_window(batch), clock.use_by(batch), clock.ready_at(batch)])}"
        for share in (0.0, 0.3, 0.5, 0.7, 1.0, 1.5, 2.9, 3.0, 3.1, 20.0):
            later = NOON + timedelta(hours=longest * share)
            yield f"  {share} {told(clock.brewed_hours(batch, later))} {told(batches.standing(batch, later))}"
            yield f"    {told(batches.wants(batch, later))} | {_why(batch, later)}"
        for sign, seen in [(sign, each) for sign, each_sign in SIGNS.items() for each in each_sign]:
            young, mature, old = (
                clock.rule(recipe, {sign: seen}, h) for h in (recipe.hours[0] - 1, recipe.hours[0], 9e4)
            )
            yield f"  {sign} {seen}: {young.ruling}, {told(mature)}, {old.ruling}"
        good = {sign: looks[0] for sign, looks in (recipe.ready or {}).items()}
        first = look(longest, 20.0, **good)
        for rows in (
            (first,), (first, (longest + 1, "strained", {"litres": 9.0})), (first, (longest + 2, "put cool")),
            (first, (longest + 1, "air off")), (first, look(longest + 3, smell="foul")), (look(1, smell="foul"), first),
            ((0.1, "thrown away"),), ((0.1, "strained"),), (first, (longest + 1, "taken from", {"litres": 9.79})),
            (first, (longest + 1, "taken from", {"litres": 9.8})), (look(0, 60.0), first), (look(0, 3.0), first),
        ):  # fmt: skip
            other = brew(recipe, *rows, litres=10.0, begun=NOON)
            for hours in (longest - 0.01, longest + 2, longest + 5, longest + 30, longest + 2000):
                at = NOON + timedelta(hours=hours)
                facts = [batches.standing(other, at), batches.wants(other, at), _why(other, at), clock.use_by(other)]
                yield f"  {told(rows)} {hours:g} h: {told(facts)} {told(schedule.stock_of(other, at))}"
        set_out = brew(recipe, litres=10.0, begun=NOON, what="water set out")
        for hours in (23, 24, 400):
            at = NOON + timedelta(hours=hours)
            facts = [batches.standing(set_out, at), batches.wants(set_out, at), _why(set_out, at)]
            yield f"  set out {hours} h: {told(facts)} {told(schedule.stock_of(set_out, at))}"


def _why(batch, at):
    try:
        return batches.why_not_pour(batch, at)
    except EprobaError as error:
        return f"✗ {error}"


def of_weather_and_water():
    for kind in ("rain", "well", "tap with chlorine", "tap with chloramine", "tap, not known"):
        for amount in (0.5, 10.0):
            yield line(water.on_water, kind, amount)
    hours = [weather.Hour(NOON + timedelta(hours=n), 10.0 + n % 7, n % 5 / 2, 60.0) for n in range(40)]
    yield line(weather.days, hours)
    for span in (0, 1, 24):
        yield f"{span} h: {weather.rain_within(hours, NOON + timedelta(hours=3), timedelta(hours=span)):.4g}"
    for parts in ((1.0, 10.0), (1.0, 4.0), (2.0, 3.0), (1.0, 0.0), (1.0, 2.5)):
        yield line(mixing.parts_as_written, parts)
    for n in (1.0, 2.0, 10.5, 1000.0, 0.5):
        yield f"{line(mixing.in_n, n)} {line(figure_or_whole, n)} {line(mixing.pot_litres, n)}"


def of_the_pour():
    comfrey = recipes()["comfrey-steep"]
    for hour in (0, 5, 9, 10, 15, 16, 20):
        for rain in (0.0, 9.9, 10.0, 25.0):
            at = datetime(2026, 6, 10, hour, tzinfo=UTC)
            past = [weather.Hour(at - timedelta(hours=n), 20.0, rain / 4, 60.0) for n in range(1, 5)]
            later = [weather.Hour(at + timedelta(hours=n), 31.0 if rain else 20.0, rain / 4, 60.0) for n in range(4)]
            known = weather.Weather(hours=past, coming=later)
            yield f"{hour} h, {rain} mm: {told(at_the_pour.on_pour(comfrey, at, 3, None, known))}"
            yield f"  no recipe: {told(at_the_pour.on_pour(None, at, 3, None, weather.Weather(past)))}"
    for moisture in at_the_pour.MOISTURES:
        for soil in (None, 3.0, 5.0, 9.9, 10.0, 30.0, 30.1):
            yield f"{moisture}, {told(soil)} °C: {told(at_the_pour.on_soil(soil, moisture))}"


def of_brewing_ahead():
    needs = [
        (recipe, schedule.Pouring(1, "Chard", "A", NOON + timedelta(days=40 + 5 * n), 1.5 + n, id=n))
        for recipe in recipes().values() if recipe.brews for n in range(3)
    ]  # fmt: skip
    for stands in (True, False):
        for made in schedule.back_schedule(needs, stands):
            yield told(made)
            yield from (f"  {job.key} {job.at:%d.%m. %H:%M} {job.minutes} {job.words}" for job in
                        errands.jobs(made, NOON + timedelta(days=20)))  # fmt: skip
    first = needs[0][0].key
    for at, until, amount in ((38, None, 9.0), (40, 45, 2.0), (41, 60, 9.0), (30, 40, 1.425), (30, 40, 1.42)):
        end = None if until is None else NOON + timedelta(days=until)
        stock = [schedule.Stock(7, first, NOON + timedelta(days=at), end, amount)]
        served, left = schedule.served_by(needs[:3], stock, NOON)
        yield f"{told(stock)}: {told(served)} left {len(left)}"


def of_the_desk():
    trial = small_trial(measures())
    for kind, recipe, amount, unit in (
        ("pots", "comfrey-steep", 250.0, "mL"), ("bed", "comfrey-steep", 2.0, "L"), ("bed", "wool-mulch", 300.0, "g"),
        ("pots", "", 250.0, "mL"), ("pots", "yeast-starter", None, ""),
    ):  # fmt: skip
        planted = small_trial(measures(), kind=kind)
        first = replace(planted.treatments[0], recipe=recipe, amount=amount, amount_unit=unit, water_parts=7.0)
        for second in (planted.treatments[1], *(replace(planted.treatments[1], role=role) for role in ROLES)):
            trial = replace(planted, treatments=(first, second))
            mixed = desk.at_the_desk(trial, recipes(), METRIC)
            yield f"{kind} {recipe} {second.role} {trial.units[0].cut.ground_m2:.5g}: {told(mixed)}"
            added = desk.all_added(trial, mixed, {"water": 0.01, "comfrey": 2.0})
            yield f"  {told(added)} {told(comparing.warnings(added))} {told(desk.unlike(trial))}"
            yield f"  {told([comparing.carbon_warnings(one) for one in added])}"
    for handling in ("", "All are watered."):
        yield line(desk.unlike, replace(trial, rules=Rules(handling=handling)))


def of_refusals():
    for want in (
        {}, {"area_m2": 1.0, "units": 1}, {"area_m2": 0.0}, {"area_m2": mixing.MOST_AREA},
        {"area_m2": mixing.MOST_AREA + 1},
        {"units": 0}, {"units": 1}, {"units": mixing.MOST_UNITS + 1, "per_unit_litres": 1.0},
        {"units": mixing.MOST_UNITS,
        "per_unit_litres": mixing.MOST_LITRES}, {"units": 1, "per_unit_litres": 0.0}, {"area_m2": 1.0, "rate": 0.0},
        {"units": 1, "per_unit_litres": mixing.MOST_LITRES + 1}, {"units": 1, "per_unit_litres": 1.0, "unit_m2": 0.0},
        {"units": 1, "per_unit_litres": 1.0, "unit_m2": 2.0}, {"area_m2": 1.0, "rate": float("inf")},
        {"area_m2": 1.0, "parts": (0.0, 1.0)}, {"area_m2": 1.0, "parts": (1.0, -1.0)},
        {"area_m2": 1.0, "parts": (1.0, 0.0)},
    ):  # fmt: skip
        yield line(lambda **given: mixing.Want(**given).surface, **want)
    entry = recipe_entry(recipes()["comfrey-steep"])
    for changed in (
        {"cautions": []}, {"cautions": ["unheard-of"]}, {"family": "nothing"}, {"kind": "soup"}, {"sure": "very"},
        {"phases": []},
        {"hours": [5.0, 1.0]}, {"temperature": [20.0, 10.0]}, {"rate": [3.0, 2.0, 1.0]}, {"ready": {"mood": ["good"]}},
        {"ready": {"smell": ["good"]}}, {"away": {"smell": []}}, {"yields": 0.0}, {"unknown": 1}, {"portions": []},
        {"phases": [{"days": [7.0, 3.0]}]}, {"phases": [{"days": [400.0, 400.0]}]},
        {"phases": [{"days": [30.0, 365.0]}]},
        {"phases": [{"days": [14.0, 28.0], "until": 30}, {"days": [1.0, 1.0], "name": "dry"}]}, {"title": ""},
        {"minutes": -1},
        {"phases": [{"days": [13.0, 28.0]}]}, {"phases": [{"days": [0.5, 1.5]}]}, {"phases": [{"days": [21.0, 21.0]}]},
    ):  # fmt: skip
        try:
            made = recipe_from("own", {**entry, **changed}, ingredients(), cautions())
            yield f"{told(changed)}: {made.interval} {told([made.fewest_days(day) for day in (0, 29, 30, 31)])}"
        except (EprobaError, TypeError) as error:
            yield f"{told(changed)} ✗ {error}"
    for span in ((0.25, 0.5), (0.0, 1.99), (1.0, 2.0), (24.0, 24.0), (24.0, 71.9), (48.0, 72.0), (72.0, 168.0)):
        yield line(time_words, span)
    for carbon, nitrogen in ((40.0, 1.0), (40.1, 9.0), (10.0, 0.4), (10.0, 0.5), (10.0, 0.6), (9.9, 0.0), (45.0, 0.0)):
        one = comparing.Added("A", "Whey", 2.0, carbon, (0.0, nitrogen), None, 5.0, 1)
        other = replace(one, letter="B", name="Water", water_l=2.2, easy_carbon_g=0.0)
        yield line(comparing.carbon_warnings, one)
    for water_l in (2.0, 2.1, 2.2, 2.21, 2.3, 0.0):
        yield line(comparing.warnings, [replace(other, water_l=2.0), replace(other, name="Dry", water_l=water_l)])
    for ingredient in (
        {}, {"name": "x"}, {"name": "x", "sugar": [0.5, 0.2]}, {"name": "x", "sugar": [0.0, 1.1]},
        {"name": "x", "nitrogen": [-0.1, 0]},
        {"name": "x", "source": "s", "sugar": [0.0, 1.0], "nitrogen": [0.0, 0.1]},
        {"name": "x", "source": "s", "density": 0},
    ):  # fmt: skip
        yield line(ingredient_from, "own", ingredient)
    for left, made in ((0.2, 10.0), (0.21, 10.0), (0.0, 10.0), (0.19, 10.0)):
        yield line(events.nearly_empty, left, made)
    for changed in (
        {"better": "up"},
        {"kind": "smell"},
        {"low": 9.0, "high": 1.0},
        {"rhythm": "x"},
        {"scale": "x"},
        {"levels": []},
    ):
        entry = {"name": "Buds", "kind": "count", "unit": "", "low": 0.0, "high": 9.0, "decimals": 0,
        "better": "higher",
                 "scale": "difference", "seconds": 5, "more": "more", "less": "fewer", "how": ["Count."],
                 "cannot_tell": "x",
                 "rhythm": "growth", "noise_sd": 1.0}  # fmt: skip
        yield line(measure_from, "own", {**entry, **changed})
    for seeds, treatments, each in (("", ["A"], 2), ("s", ["A", "B"], 0), ("s", ["A", "A"], 2), ("s", [], 2)):
        yield line(lots.deal_completely_random, treatments, each, seeds)
        yield line(lots.deal_in_blocks, treatments, each, seeds)
