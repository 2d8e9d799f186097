"""What a treatment cost and whether that pays, in a gardener’s words. It promises nothing: it speaks of one trial."""

from collections.abc import Callable

from eproba.core.applying.spent import Spent
from eproba.core.judging.judgement import Comparison
from eproba.core.judging.next_step import LOST, UNSETTLED
from eproba.core.judging.paying import Pays
from eproba.core.judging.verdicts import Verdict
from eproba.core.quantities import METRIC, SQUARES, Amount, Units, conversion
from eproba.core.trial.ground import UnitNoun
from eproba.core.words import figure, lower_first, plural

Money = Callable[[float], str]
ALIKE: tuple[Verdict, ...] = ("same", "no_worse")
ALMOST_NOTHING = 0.05  # of the dearer price: prices nearer than that are told as alike


def money_lines(
    mine: Spent, control: Spent, comparison: Comparison, pays: Pays | None, money: Money, noun: UnitNoun,
    units: Units = METRIC,
) -> list[str]:  # fmt: skip
    """The cost of a treatment beside its control; what a kilogram gained cost; from what gain on it pays."""
    lines = [_cost_line(mine, control, money, noun, units)]
    if not mine.times:
        return lines
    if comparison.verdict in ALIKE:
        lines.append(_the_cheaper(mine, control))
    elif pays is not None and mine.money_a_unit is not None:
        lines += _gain_lines(pays, comparison, money, noun, units)
    return [line for line in lines if line]


def carried_line(mine: Spent, units: Units = METRIC) -> str:
    """“You carried 12 cans, 84 kg.”; empty where nothing was carried."""
    if not mine.kilos:
        return ""
    cans = f"{plural(mine.cans, 'can')}, " if mine.cans else ""
    return f"You carried {cans}{units(Amount(float(f'{mine.kilos:.2g}'), 'kg'))} in all."


def _cost_line(mine: Spent, control: Spent, money: Money, noun: UnitNoun, units: Units) -> str:
    if not mine.times:
        return "Nothing of it is on record as given, so it cost nothing that is known."
    if mine.money_a_unit is None:
        return f"What {lower_first(mine.name)} cost is not known yet: a price is missing."
    one_square = conversion("m²", units.system).factor
    on_a_square = "" if mine.money_a_m2 is None else money(mine.money_a_m2 / one_square)
    square = f", {on_a_square} per {SQUARES[units.system]}" if on_a_square else ""
    text = f"It cost {money(mine.money_a_unit)} per {noun.one}{square}"
    if control.money_a_unit is None:
        return f"{text}. What {lower_first(control.name)} cost is not known yet."
    return f"{text}; {lower_first(control.name)} cost {money(control.money_a_unit)} per {noun.one}."


def _the_cheaper(mine: Spent, control: Spent) -> str:
    """Equal, and cheaper: keep that."""
    one, other = mine.money_a_unit, control.money_a_unit
    if one is None or other is None:
        return ""
    if abs(one - other) <= ALMOST_NOTHING * max(one, other):
        return "Both do as well and cost about as much: keep whichever you like better."
    cheaper = mine if one < other else control
    return f"Both do as well. {cheaper.name} costs less: keep that."


def _gain_lines(pays: Pays, comparison: Comparison, money: Money, noun: UnitNoun, units: Units) -> list[str]:
    if pays.more <= 0:
        gains = comparison.verdict not in (*LOST, *UNSETTLED)
        return ["It costs no more than the control, and it gains: keep it."] if gains else []
    return [line for line in (_a_kilo(pays, money, units), _break_even(pays, noun, units)) if line]


def _a_kilo(pays: Pays, money: Money, units: Units) -> str:
    """What a kilogram gained cost, as far as the range of the gain tells."""
    if pays.gain is None:
        return ""
    if pays.a_kilo is None:
        return "No gain in weight was seen, so there is no price of a kilogram gained."
    likely, least, most = pays.a_kilo
    kilo, factor = ("pound", 0.453592) if units.system == "US" else ("kilogram", 1.0)
    if most is None:
        return f"A {kilo} gained cost at least {money(least * factor)}; it may also have gained nothing."
    return (
        f"A {kilo} gained cost about {money(likely * factor)}, likely between {money(least * factor)} and "
        f"{money(most * factor)}."
    )


def _break_even(pays: Pays, noun: UnitNoun, units: Units) -> str:
    """From what gain on it pays, and whether the trial shows as much."""
    if pays.break_even is None:
        return ""
    grams = units(Amount(float(f"{pays.break_even * 1000:.2g}"), "g"))
    share = f" ({figure(100 * pays.share)} %)" if pays.share is not None else ""
    shown = {
        True: "This trial shows more than that.",
        False: "This trial shows that it gains less.",
        None: "This trial can’t tell whether it does.",
    }[pays.answer]
    return f"It pays if each {noun.one} brings more than {grams}{share} beyond the control. {shown}"
