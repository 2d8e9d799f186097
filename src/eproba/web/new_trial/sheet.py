"""A trial on one sheet: the sentence whose words are its fields, and all that follows from it, complete from the first
moment. The draft and its steps stay: a slot changes them, and what it proposes follows.
"""

import copy
import json
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, cast

from eproba.core.catalogue import crops
from eproba.core.errors import EprobaError
from eproba.core.planning.advice import Advice
from eproba.core.planning.crops import kind_tried, usual_measures
from eproba.core.planning.draft import AUTO_COLUMNS, StepName
from eproba.core.planning.phrases import (
    PhraseError,
    days_said,
    days_words,
    ground_said,
    site_words,
    worth_said,
    worth_shown,
)
from eproba.core.planning.plan import dealt_units
from eproba.core.quantities import Units
from eproba.core.trial.compared import COMPARED
from eproba.core.trial.days import shared_out
from eproba.core.trial.ground import GroundError, Site, row_of, site_from
from eproba.core.words import NumberError, lower_first, parse_number, plural
from eproba.web.new_trial.following import follow, worth_said_in
from eproba.web.new_trial.pasting import (
    KEPT,
    PASTED,
    READ,
    Pasted,
    heard_of,
    lay_doses,
    lay_parts,
    pasted_of,
    said_slots,
)
from eproba.web.new_trial.steps.chance import planned_chance
from eproba.web.new_trial.steps.deal import DealPage, deal_page
from eproba.web.new_trial.steps.ground import GroundPage, drawn
from eproba.web.new_trial.steps.step import Answers, Bench, Typed, Walk, first_of
from eproba.web.new_trial.takes import Takes, takes
from eproba.web.new_trial.usual import against_offered, kind_of, recipe_called, typed_rows
from eproba.web.new_trial.walking import first_answers, walk_of
from eproba.web.pictures.ground_plan import GroundPlan, ground_plan
from eproba.web.ui.clock import today
from eproba.web.ui.units import sentence, units

if TYPE_CHECKING:  # the statistics are heavy: fetched only where they are needed
    from eproba.core.planning.outlook import Help

SLOTS = ("thing", "crop", "measure", "against", "within", "ground", "worth")
SLOT_OF: Mapping[str, tuple[StepName, str]] = {  # where the steps keep what is chosen, or typed as it is
    "thing": ("claim", "thing"), "crop": ("rules", "crops"), "measure": ("measure", "measure"),
    "against": ("claim", "against"), "within": ("measure", "decision_day"), "worth": ("measure", "worth"),
}  # fmt: skip
FOLDS: Mapping[StepName, str] = {
    "treatments": "Treatments and doses", "ground": "Ground and cutting", "measure": "What is measured",
    "days": "Days and rounds", "rules": "Rules for all", "chance": "Chance in detail",
    "claim": "Own words and promises",
}  # fmt: skip
IN_WORDS = ("within", "ground", "worth")
BY_ITSELF = (
    "said_",
    "pasted",
    "start_on",
    "offered",
    "among",
    "cuts",
    "shown_in",
    "places",
    "name",
)  # what a page fills by itself
SHEETS_OWN = ("said_", PASTED)  # what the sheet keeps beside the fields of the steps
TURNS = "on and off"
LONGEST = 200
UNNAMED = "the treatment"  # for the picture alone, while nothing is typed


@dataclass(frozen=True)
class Slot:
    """One field of the sentence: what stands in it, what it can be (keys and words), and what is wrong with it."""

    text: str
    choices: tuple[tuple[str, str], ...] = ()
    wrong: str = ""


@dataclass(frozen=True)
class Fold:
    """One of the steps, below the sheet: what is settled there, and whether somebody settled it or it is proposed."""

    name: StepName
    title: str
    summary: str
    is_own: bool

    @property
    def mark(self) -> str:
        return "yours" if self.is_own else "proposed"


@dataclass(frozen=True)
class GroundWay:
    """One way to use the ground: what its button does, its title, what it can show, whether the plan takes it."""

    key: str
    title: str
    shows: str
    is_taken: bool = False


@dataclass(frozen=True)
class SheetPage:
    """The whole sheet.

    `deal`: the plan as it would be dealt, None where `problem` says why there is none; `picture`: the ground with lots
    as they could fall, dealt `deals` times for the eye; `shown`: in how many of 100 gardens the plan would show it;
    `ways`: how the ground could be used; `helps`: the best ways to a clearer answer; `takes`: what it asks of one.
    """

    slots: Mapping[str, Slot]
    folds: tuple[Fold, ...]
    problem: str = ""
    deal: DealPage | None = None
    picture: GroundPlan | None = None
    shown: int | None = None
    deals: int = 0
    ways: tuple[GroundWay, ...] = ()
    helps: "tuple[Help, ...]" = ()
    takes: Takes = field(default_factory=lambda: Takes(()))
    advice: tuple[Advice, ...] = ()
    pasted: Pasted | None = None
    pasting: str = ""

    @property
    def in_place(self) -> dict[str, object]:
        """What the page puts into the slots where nobody types, and beside the folds."""
        slots = {
            name: {"text": slot.text, "choices": slot.choices, "wrong": slot.wrong != ""}
            for name, slot in self.slots.items()
        }
        return {"slots": slots, "folds": {fold.name: [fold.summary, fold.mark] for fold in self.folds}}

    @property
    def is_ready(self) -> bool:
        """Whether the lots can be dealt."""
        wrong = any(slot.wrong for slot in self.slots.values())
        return self.deal is not None and not wrong and self.slots["thing"].text != ""


# --- What is said -------------------------------------------------------------------------------------------------


def take_said(answers: Answers, said: Mapping[str, str], bench: Bench) -> None:
    """Change the answers by what stands in the slots; what cannot be read is kept as it was typed, and changes nothing
    else."""
    before, known = copy.deepcopy(answers), bench.known
    named = _usual_name(answers)
    if PASTED in said:
        answers["claim"][PASTED] = [said[PASTED][:KEPT]]
    for slot in IN_WORDS:
        answers["claim"][f"said_{slot}"] = [said.get(slot, "")[:LONGEST]]
    for slot in ("thing", "crop", "against", "measure"):
        step, field = SLOT_OF[slot]
        answers[step][field] = [said.get(slot, "").strip()[:LONGEST]]
    _propose_kind(before, answers, bench)
    follow(before, answers, known)
    _propose_measure(before, answers, bench)
    for slot, take in TAKES.items():
        if said.get(slot, "") != words_of(before, bench)[slot]:
            _taken(take, answers, said.get(slot, ""), bench)
    if first_of(answers["claim"], "name") == named:
        answers["claim"]["name"] = [_usual_name(answers)]


def take_pasted(answers: Answers, bench: Bench) -> None:
    """Lay what was pasted onto the sheet: the sentence first, and what follows from it; then doses and strength."""
    answers["claim"][READ] = [first_of(answers["claim"], PASTED)]
    heard = heard_of(answers, bench)
    if heard is None:
        return
    slots = said_slots(heard)
    for some in (("thing", "crop"), ("measure", "within")):  # a crop leads to its measure, unless another was promised
        take_said(answers, words_of(answers, bench) | {slot: slots[slot] for slot in some if slot in slots}, bench)
    lay_doses(answers, heard, bench)


def _taken(take: Callable[[Answers, str, Bench], None], answers: Answers, text: str, bench: Bench) -> None:
    try:
        take(answers, text, bench)
    except PhraseError:
        return  # the slot will say it


def _usual_name(answers: Answers) -> str:
    """“Comfrey steep on rainbow chard”."""
    thing, crop = first_of(answers["claim"], "thing"), first_of(answers["rules"], "crops")
    return f"{thing} on {lower_first(crop)}"[:80] if thing and crop else thing[:80]


def _proposed_kind(answers: Answers, bench: Bench) -> str:
    thing = first_of(answers["claim"], "thing")
    return kind_tried(thing, bench.known.recipes.get(recipe_called(thing, bench.known.recipes)))


def _propose_kind(before: Answers, answers: Answers, bench: Bench) -> None:
    """The kind of comparison, by what is tried, where nobody chose another."""
    if first_of(before["claim"], "compared") == _proposed_kind(before, bench):
        answers["claim"]["compared"] = [_proposed_kind(answers, bench)]


def _propose_measure(before: Answers, answers: Answers, bench: Bench) -> None:
    """The first measure, by the crop, where nobody chose another."""
    was, now = _measure_of(before), _measure_of(answers)
    if was == now or first_of(answers["measure"], "measure") not in (was, _first_of_kind(answers)):
        return
    then = copy.deepcopy(answers)
    answers["measure"]["measure"] = [now]
    follow(then, answers, bench.known)


def _measure_of(answers: Answers) -> str:
    usual = usual_measures(first_of(answers["rules"], "crops"), crops())
    return usual[0] if usual else _first_of_kind(answers)


def _first_of_kind(answers: Answers) -> str:
    return (COMPARED[kind_of(first_of(answers["claim"], "compared"))].first or ("plant_height",))[0]


def _take_days(answers: Answers, text: str, bench: Bench) -> None:
    answers["measure"]["decision_day"] = [str(days_said(text))]
    answers["days"]["rounds"] = [""]


def _take_ground(answers: Answers, text: str, bench: Bench) -> None:
    said, ground = ground_said(text, bench.known.units), answers["ground"]
    ground |= {"proposal": [""], "cuts": [""], "among": [""], "dealing": [""], "sizes": [""]}
    if said.site is None:
        row = row_of("pots", 25, 25, 10, 2, AUTO_COLUMNS)
        each = max(1, (said.pots or 0) // max(2, len(typed_rows(answers["treatments"]))))
        ground |= {"auto": ["1"], "places": [drawn(Site((row,)))], "units_each": [str(each)]}
    else:
        ground |= {"auto": [""], "places": [drawn(said.site)]}


def hold_pots(before: Answers, answers: Answers, bench: Bench) -> None:
    """So many pots as were said stay, whatever number of treatments shares them."""
    typed = first_of(before["claim"], "said_ground")
    rows = [len(typed_rows(of["treatments"])) for of in (before, answers)]
    if typed and rows[0] != rows[1] and words_of(before, bench)["ground"] == typed:
        _taken(_take_ground, answers, typed, bench)


def _take_worth(answers: Answers, text: str, bench: Bench) -> None:
    number, unit = worth_said(text)
    typed = answers["measure"]
    typed["worth"] = ["" if number is None else f"{number:g}"]
    if unit:
        typed["scale"] = ["ratio" if unit == "%" else "difference"]


TAKES: Mapping[str, Callable[[Answers, str, Bench], None]] = {
    "within": _take_days, "ground": _take_ground, "worth": _take_worth,
}  # fmt: skip


# --- What stands there --------------------------------------------------------------------------------------------


def words_of(answers: Answers, bench: Bench) -> dict[str, str]:
    """What stands in the slots: as it was typed, as long as it says what the steps hold, or can’t be read."""
    held = {slot: first_of(answers[step], field) for slot, (step, field) in SLOT_OF.items()}
    held |= {"within": _days_held(held["within"]), "worth": _worth_held(answers, bench)}
    held["ground"] = _ground_held(answers, bench)
    for slot in IN_WORDS:
        typed = first_of(answers["claim"], f"said_{slot}")
        if typed and _says(slot, typed, held[slot], answers, bench):
            held[slot] = typed
    return held


def _days_held(typed: str) -> str:
    return days_words(int(typed)) if typed.isascii() and typed.isdigit() and int(typed) else typed


def _worth_held(answers: Answers, bench: Bench) -> str:
    typed, measure = answers["measure"], bench.known.measures.get(first_of(answers["measure"], "measure"))
    try:
        number = parse_number(first_of(typed, "worth")) if first_of(typed, "worth") else None
    except NumberError:
        return first_of(typed, "worth")
    return worth_shown(number, "" if measure is None else worth_said_in(typed, measure))


def _ground_held(answers: Answers, bench: Bench) -> str:
    ground = answers["ground"]
    if first_of(ground, "auto") == "1":
        each = first_of(ground, "units_each")
        rows = max(2, len(typed_rows(answers["treatments"])))
        return plural(int(each) * rows, "pot") if each.isascii() and each.isdigit() else each
    try:
        return site_words(site_from(json.loads(first_of(ground, "places") or "{}")), bench.known.units)
    except (GroundError, ValueError, TypeError):
        return "as it is drawn"


def _says(slot: str, typed: str, held: str, answers: Answers, bench: Bench) -> bool:
    """Whether typed words still say what the steps hold; what can't be read stays for its writer to mend."""
    tried = copy.deepcopy(answers)
    try:
        TAKES[slot](tried, typed, bench)
    except PhraseError:
        return True
    again = {"within": _days_held(first_of(tried["measure"], "decision_day")), "worth": _worth_held(tried, bench)}
    return again.get(slot, _ground_held(tried, bench)) == held


def _wrong(slot: str, text: str, bench: Bench) -> str:
    """What is wrong with a slot by itself."""
    try:
        if slot in READS:
            READS[slot](text, bench.known.units)
    except PhraseError as error:
        return sentence(error)
    return ""


READS: Mapping[str, Callable[[str, Units], object]] = {
    "within": lambda text, _units: days_said(text), "worth": lambda text, _units: worth_said(text),
    "ground": ground_said,
}  # fmt: skip


# --- The page -----------------------------------------------------------------------------------------------------


def sheet_page(answers: Answers, bench: Bench, deals: int = 0, checked: bool = False) -> SheetPage:
    """Everything on the sheet; `deals`: how often the lots were dealt for the eye; `checked`: also what is still empty
    is told."""
    words, shown = words_of(answers, bench), copy.deepcopy(answers)
    if not words["thing"]:
        shown["claim"]["thing"], shown["claim"]["name"] = [UNNAMED], [first_of(answers["claim"], "name") or UNNAMED]
        follow(answers, shown, bench.known)
    walk, pasting = walk_of(shown), first_of(answers["claim"], PASTED)
    slots = _slots(words, walk, bench)
    if checked and not words["thing"]:
        slots["thing"] = Slot("", wrong="Say what is tried: a brew, a mulch, a bag.")
    folds = _folds(answers, walk_of(answers), bench)
    try:
        deal = deal_page(walk)
    except EprobaError as error:
        return SheetPage(slots, folds, sentence(error), pasted=pasted_of(answers, walk), pasting=pasting)
    chance, helps = _chance(walk)
    return SheetPage(
        slots, folds, "", deal, _picture(deal, deals), chance, deals, _ways(shown, walk), helps,
        takes(walk, deal.plan), deal.advice, pasted_of(answers, walk), pasting,
    )  # fmt: skip


def _slots(words: Mapping[str, str], walk: Walk, bench: Bench) -> dict[str, Slot]:
    known, kind = bench.known.measures, walk.draft.compared
    choices = {
        "measure": tuple((key, lower_first(m.name)) for key, m in known.items() if m.can_be_first),
        "against": tuple(against_offered(kind, walk.answers["treatments"])),
    }
    slots = {slot: Slot(words[slot], choices.get(slot, ()), _wrong(slot, words[slot], bench)) for slot in SLOTS}
    for slot, (step, name) in SLOT_OF.items():
        errors = [] if walk.right[step] else list(cast(list[str], walk.forms[step][name].errors))
        if errors and not slots[slot].wrong and words["thing"]:
            slots[slot] = Slot(slots[slot].text, slots[slot].choices, errors[0])
    return slots


def _folds(answers: Answers, walk: Walk, bench: Bench) -> tuple[Fold, ...]:
    """Each step in a line; what differs from what follows of the thing and the crop alone is somebody's own."""
    usual, words = first_answers(today()), words_of(answers, bench)
    take_said(usual, words_of(usual, bench) | {slot: words[slot] for slot in ("thing", "crop")}, bench)
    return tuple(
        Fold(
            name,
            title,
            walk.settled(name) or "still open",
            _is_own(answers[name], usual[name]) or (name == "days" and _has_own_hours(walk)),
        )
        for name, title in FOLDS.items()
    )


def _has_own_hours(walk: Walk) -> bool:
    """Whether the hours of rounds were typed: their fields follow the rounds, so nothing usual stands beside them."""
    return walk.draft.days is not None and bool(walk.draft.days.at)


def _is_own(typed: Typed, usual: Typed) -> bool:
    """Whether a gardener filled something otherwise than it is proposed."""
    return any(first_of(typed, field) != first_of(usual, field) for field in usual if not field.startswith(BY_ITSELF))


def _chance(walk: Walk) -> "tuple[int | None, tuple[Help, ...]]":
    """In how many of a hundred gardens the plan shows its worth, and what would help most."""
    from eproba.core.planning.outlook import reach_of

    try:
        prospect, noise, helps = planned_chance(walk)
        reach = reach_of(prospect, noise, helps)
    except EprobaError:
        return None, ()
    return (None if reach is None else round(100 * reach.chance)), helps


def _picture(deal: DealPage, deals: int) -> GroundPlan:
    dealt = dealt_units(deal.plan, f"for the eye {deals}")
    site = deal.plan.layout.site
    return ground_plan(site, [(unit.cut, unit.letter) for unit in dealt], deal.looks, household=units())


def _ways(answers: Answers, walk: Walk) -> tuple[GroundWay, ...]:
    """How the ground could be cut; where it has places of its own, also that these take turns, and back."""
    page = _cuts(walk)
    ways = [
        GroundWay(f"cut-{cut.proposal.key}", cut.proposal.title, _shows(cut.chance), cut.proposal.key == page.chosen)
        for cut in page.proposals
    ]
    ground = walk.draft.ground
    if ground is not None and ground.site is not None and len(ground.site.places) > 1:
        other = copy.deepcopy(answers)
        other["ground"] |= {"dealing": ["" if walk.draft.turns else TURNS], "proposal": [""], "cuts": [""]}
        best = next(iter(_cuts(walk_of(other)).proposals), None)
        title = "Patches over all places" if walk.draft.turns else "The places take turns, one period after the other"
        if best is not None:
            ways.append(GroundWay("patches" if walk.draft.turns else "turns", title, _shows(best.chance)))
    return tuple(ways) if len(ways) > 1 else ()


def _cuts(walk: Walk) -> GroundPage:
    page = walk.steps["ground"].page(walk)
    return page if isinstance(page, GroundPage) else GroundPage(0.0)


def _shows(chance: float | None) -> str:
    return "only a look, never judged" if chance is None else f"{100 * chance:.0f} of 100"


def take_way(answers: Answers, go: str, bench: Bench) -> None:
    """Do as a button says: read what was pasted, or take its other reading; begin on another day; use the ground by
    this cut, by turns, or by patches again."""
    ground = answers["ground"]
    if go == "paste":
        take_pasted(answers, bench)
    elif go.startswith("start-"):
        answers["measure"]["start_on"] = [go.removeprefix("start-")[:LONGEST]]
    elif go.startswith("parts-"):
        lay_parts(answers, parse_number(go.removeprefix("parts-")), bench)
    if go.startswith("cut-"):
        ground |= {"proposal": [go.removeprefix("cut-")[:40]], "among": [""], "cuts": [""]}
    elif go in ("turns", "patches"):
        ground |= {"dealing": [TURNS if go == "turns" else ""], "proposal": [""], "among": [""], "cuts": [""]}
        if go == "turns":
            _share_out(answers)


def _share_out(answers: Answers) -> None:
    """The days, as many as the periods can share: 28 over six periods become 30."""
    periods, days = first_of(answers["ground"], "units_each"), first_of(answers["measure"], "decision_day")
    if periods.isascii() and periods.isdigit() and int(periods) and days.isascii() and days.isdigit():
        answers["measure"]["decision_day"] = [str(shared_out(int(days), int(periods)))]
        answers["days"]["rounds"] = [""]
