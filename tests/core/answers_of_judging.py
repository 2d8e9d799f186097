"""What figures, judgements and the record of a trial answer, over wide grids; see `test_answers.py`."""

from dataclasses import replace
from datetime import UTC, date, datetime, timedelta

import numpy as np

from eproba.core.catalogue import ingredients, measures
from eproba.core.errors import EprobaError
from eproba.core.judging.from_trial import judge_trial
from eproba.core.judging.judge import judge
from eproba.core.practice.garden import Plot, Truth, grow
from eproba.core.stats import linear, many_to_one, sample_size, shuffle, summaries
from eproba.core.stats.series import Question
from eproba.core.trial import declaration, doses, ground
from eproba.core.trial.amendments import Changes, Correction, evidence
from eproba.core.trial.model import Amendment, Reading, Rules, SpareRun
from eproba.core.trial.readings import Entry, rule
from eproba.core.wording.ledger import text_of
from eproba.core.wording.record import told_evidence
from eproba.core.wording.sentences import (
    Wording,
    band_text,
    gap_text,
    headline,
    sentence,
    settling,
    trend_sentence,
    worth_text,
)
from tests.core.answering import line, told
from tests.core.cases import made_up, small_trial, units_of

NOON = datetime(2026, 6, 10, 12, tzinfo=UTC)


def of_records():
    trial = small_trial(measures())
    yield told(declaration.facts_of(trial))
    declared = declaration.declare(trial, NOON)
    yield f"{declared.fingerprint} {declaration.short(declared.fingerprint)}"
    for changed in (
        {}, {"worth": None}, {"worth": 2.0, "scale": "difference"}, {"no_worse": True}, {"lower_is_better": True},
        {"claim": ""}, {"rules": Rules(3, 1, 7, 5, "Alike.", ("Chard",), (28,))}, {"dealing": "pairs"},
        {"guard_cm": 0.0},
    ):  # fmt: skip
        other = replace(trial, **changed)
        yield f"{told(changed)}: {told(declaration.untold(other))} {declaration.worth_words(other)}"
        crop = other.crop_of(other.units[3])
        yield f"  {told([other.in_blocks, other.pulls, other.destructive, other.decision_on, crop])}"
    for unit in ("L", "mL", "g", "handful", "", "US cup"):
        typed = line(doses.amount, "2,5", doses.Dose(1.0, unit))
        yield f"{line(doses.is_poured, unit)} {line(doses.litres, 250.0, unit)} {typed}"
    for text in ("", "much", "0", "-1", "1e9", "2.5", "10001"):
        yield line(doses.amount, text, doses.Dose(250.0, "mL"))
    for volumes in ([1.0, 1.0], [1.0, 1.05], [1.0, 1.1], [1.0, 1.11], [0.0, 1.0], [0.0, 0.0], [2.0]):
        yield line(doses.unequal, volumes)
    for text in ("", "P1 200", "P1: 200, P2: 100", "P9 1", "P1", "P1 x", "P1 200; P1 100"):
        yield line(doses.exceptions, text, ("P1", "P2"), doses.Dose(250.0, "mL"))
    for guard in (0.0, 10.0, 36.0):
        yield line(ground.borders, [(unit.cut, unit.letter) for unit in trial.units], "B", guard)
    yield told([cut.code for cut in ground.walked([unit.cut for unit in trial.units])])
    for towards in (0.0, 44.0, 45.0, 90.0, 135.0, 180.0, 270.0, 359.0):
        gradient = ground.Gradient("slope", towards)
        yield f"{towards}: {told([gradient.along(10.0, 20.0), gradient.across(10.0, 20.0)])}"
    yield told(ground.site_entry(trial.site))
    for entry in (
        {}, {"kind": "bed"}, {"kind": "moon"}, {"kind": "bed", "width_cm": 0, "length_cm": 10},
        {"kind": "bed", "width_cm": 20000, "length_cm": 20001},
        {"kind": "pots", "width_cm": 20, "length_cm": 20, "rows": 41},
    ):  # fmt: skip
        yield f"{told(entry)}: {line(ground.place_from, entry, 2)}"


def of_statistics():
    for groups in (2, 3, 4, 6):
        even = sample_size.even_correlation(groups)
        for df in (1, 2, 5, 20, 200):
            yield f"{groups}, {df}: {told([many_to_one.critical_value(even, df, c) for c in (0.8, 0.95, 0.99)])}"
            yield f"  {told(many_to_one.adjusted_p(np.array([0.0, 0.5, 2.0, 5.0]), even, df).tolist())}"
    odd = np.array([[1.0, 0.8, -0.1], [0.8, 1.0, 0.3], [-0.1, 0.3, 1.0]])
    uneven = np.array([[1.0, 0.6, 0.2], [0.6, 1.0, 0.4], [0.2, 0.4, 1.0]])
    for correlation in (odd, uneven, np.eye(3), np.array([[1.0, -0.5], [-0.5, 1.0]]), np.array([[1.0]])):
        yield line(many_to_one.product_form, correlation)
        within = [many_to_one.chances_all_within(np.array([0.5, 2.0]), correlation, df).tolist() for df in (3, 30)]
        yield f"  {told(within)}"
    for groups, units, blocks in ((2, 2, False), (2, 6, True), (4, 5, True), (3, 1, False), (6, 12, False)):
        yield line(sample_size.noise_df, groups, units, blocks, 1)
        for gap in (0.2, 1.0, 3.0):
            found = [sample_size.power(units, gap, 1.0, groups, blocks, 0, no_worse) for no_worse in (True, False)]
            yield f"  {gap}: {told(found)} {told(sample_size.units_needed(gap, 1.0, groups, blocks))}"
            yield f"  {told([sample_size.shift_of(gap, 2.0, units), sample_size.chance_beyond(gap, 5, 2.0, False)])}"
    yield line(sample_size.units_needed, 0.001, 1.0, 2)
    for p_values in ([0.01, 0.04, 0.03], [0.5, None, 0.2], [], [1.0, 1.0], [0.02]):
        yield line(shuffle.holm, p_values)
    values = np.array([[3.0], [4.0], [6.0], [9.0], [5.0], [12.0], [2.0], [8.0]])
    treated = np.array([True, False, False, True, False, True, True, False])
    for blocks in ([None] * 8, list("11223344"), list("11112222")):
        yield f"{told(blocks)}: {shuffle.count_deals(treated, blocks)} {shuffle.best_p(treated, blocks):.6g}"
        for baseline in (None, np.arange(8.0) % 3):
            yield f"  {told(shuffle.shuffle_tests(values, treated, blocks, baseline, 1))}"
    many = np.random.default_rng(5).normal(size=(30, 1))
    yield told(shuffle.shuffle_tests(many, np.arange(30) % 2 == 0, [None] * 30, None, 1))
    days_read = tuple(summaries.Point(planned, planned + 1, 2.0 + planned**0.5) for planned in (0, 7, 14, 28))
    for points in (days_read, days_read[1:], days_read[:2], days_read[:1], ()):
        for kind in ("last", "change", "area"):
            told_ones = [summaries.summarise(points, kind, scale, 28) for scale in ("difference", "ratio")]
            yield f"{kind} of {len(points)}: {told(told_ones)}"
    for case in ("plantgrowth", "sleep_pairs", "anorexia_baseline"):
        units = units_of(case)
        names = sorted({unit.treatment for unit in units})
        yield told(linear.fit(units, names[1:], np.array([[unit.value] for unit in units]), None))[:900]


def of_judging():
    for seed, more in enumerate((
        {}, {"blocks": True}, {"baseline": True}, {"effect": 3.0}, {"treatments": 2, "each": 2},
        {"each": 8, "effect": -2.0},
        {"treatments": 5, "blocks": True, "effect": 1.0, "baseline": True}, {"treatments": 2, "each": 1},
        {"each": 6, "level": 100.0, "effect": 8.0},
    )):  # fmt: skip
        units = made_up(seed + 1, **more)
        gaps = [*units[:-1], replace(units[-1], value=None)]
        no_start = [*units[:-1], replace(units[-1], baseline=None)]
        row = [replace(unit, row=str(n // 3), column=str(n % 3)) for n, unit in enumerate(units)]
        first = next(unit for unit in units if unit.treatment == "A")
        one_control = [unit for unit in units if unit.treatment != "A" or unit is first]
        flat = [replace(unit, value=8.0 + (unit.treatment == "B"), baseline=4.0) for unit in units]
        variants = (("all", units), ("one lost", gaps), ("no start", no_start), ("rows", row))
        variants += (("one control", one_control), ("flat", flat))
        for name, those in (variants[seed % 6], variants[(seed + 1) % 6]):
            questions = (
                Question("A", "difference", 1.0, False), Question("A", "ratio", 0.1, True),
                Question("A", "difference", None, False), Question("A", "difference", 1.0, False, 0.9, True),
                Question("A", "difference", 1.0, False, ladder=(("A", 0.0), ("B", 1.0), ("C", 2.0))),
            )  # fmt: skip
            for question in (questions[seed % 5], questions[(seed + 2) % 5]):
                try:
                    judgement = judge(those, question)
                except EprobaError as error:
                    yield f"{told(more)} {name} ✗ {error}"
                    continue
                yield f"{told(more)} {name} {told(question)}: {judgement.design} {told(judgement.noise_sd)}"
                for each in judgement.comparisons:
                    pile = each.shuffle and replace(each.shuffle, pile=each.shuffle.pile[:3])
                    yield f"  {told(replace(each, shuffle=pile, dots=each.dots[:2]))}"
                yield from _said(judgement, Wording("cm", "taller", "shorter"))
                trust = [(one.rule, one.level, one.evidence) for one in judgement.trust]
                yield f"  {told(judgement.trend)} {told(trust)}"


def of_practice():
    truth = Truth(5.0, 0.3, {"B": 0.2}, 0.1, 0.05, 0.02)
    plots = [Plot(f"P{n}", "AB"[n % 2], str(n // 2)) for n in range(6)]
    for key in ("plant_height", "surface_worms", "seeds_up", "rod_softness"):
        if key in measures():
            yield f"{key}: {told(grow(measures()[key], truth, plots, (0, 14, 28), 7))}"
    for ingredient in ingredients().values():
        yield f"{told(vars(ingredient).values())}: {told(ingredient.easy_carbon)}"
        for unit in ("g", "mL", "piece", "handful", "stone"):
            yield f"  {line(ingredient.grams, 2.0, unit)}"


VARIANTS = (
    {}, {"pours": ()}, {"deals": 3}, {"blind": True}, {"batches": 2}, {"guard_cm": 0.0},
    {"dealing": "completely random"},
    {"rules": Rules(crops=("Chard", "Pak choi"))},
    {"rules": Rules(3, 2, 10, 5, "All are watered alike.", (), (14, 28))},
    {"started_on": date(2026, 5, 2)}, {"dealt_at": datetime(2026, 5, 3, tzinfo=UTC)}, {"worth": None},
    {"summary": "change"},
    {"ended_on": date(2026, 5, 10), "ended_reason": "Hail.", "closed_at": None}, {"summary": "area", "no_worse": True},
    {"made_at": datetime(2026, 5, 4, tzinfo=UTC), "made_by": "Ann"}, {"scale": "difference", "worth": 2.0},
    {"spare_runs": (SpareRun("A", date(2026, 4, 20), False, "wilted", "Ann"),)},
    {"amendments": (Amendment(date(2026, 5, 9), "worth", "10 %", "15 %", "a slip", "Ann"),)},
    {"amendments": (Amendment(date(2026, 6, 9), "unit P3", "there", "lost", "hares", ""),)},
)  # fmt: skip


POURED = (
    {"status": "skipped"}, {"status": "due"}, {"done_on": date(2026, 5, 4)}, {"amount_each": 200.0}, {"alike": False},
    {"unit_amounts": {"P0": 100.0}}, {"override": "It was too dry."}, {"batch": 3},
    {"moisture": "dust-dry", "soil_c": 3.0},
    {"entered_at": datetime(2026, 5, 20, tzinfo=UTC)},
)  # fmt: skip


def _read(trial, **more):
    """A reading of everything asked, the treated units ahead; one is read late, one skipped."""
    found = []
    for this in trial.rounds:
        for unit, asked, again in (
            (u, a, n) for u in trial.units for a in trial.asked_in(this) for n in range(a.per_unit)
        ):
            value = 20.0 + this.day / 2 + unit.id % 5 + again + (6.0 if unit.letter == "A" else 0.0)
            on = datetime.combine(trial.date_of(this.day), datetime.min.time(), UTC) + timedelta(hours=12)
            late = timedelta(days=2 if unit.id == 3 and this.day == 14 else 0)
            skipped = unit.id == 4 and this.day == 14
            found.append(
                Reading(
                    len(found) + 1,
                    this.id,
                    unit.id,
                    asked.measure.key,
                    again + 1,
                    None if skipped else value,
                    "eaten" if skipped else "",
                    "Ann",
                    1,
                    on + late,
                    on + late,
                    "",
                    False,
                    "till",
                    unit.id == 5,
                    **more,
                )
            )
    return found


def of_trials():
    plain = small_trial(measures())
    lost = tuple(
        replace(unit, lost_on=date(2026, 5, 9), lost_reason="slugs") if unit.id == 2 else unit for unit in plain.units
    )
    missed = tuple(replace(each, done=False, missed=True) if each.day == 14 else each for each in plain.rounds)
    variants = [*VARIANTS, {"units": lost}, {"rounds": missed}, {"declared": declaration.declare(plain, NOON)}]
    variants += [{"pours": (replace(plain.pours[0], **changed), plain.pours[1])} for changed in POURED]
    treatments = [
        tuple(replace(each, **more) for each in plain.treatments) for more in ({"amount": 300.0}, {"role": "test"})
    ]
    variants += [{"treatments": each} for each in treatments]
    variants += [{"treatments": (plain.treatments[0], replace(plain.treatments[1], amount=500.0))}]
    usual: set[str] = set()
    for number, changed in enumerate(variants):
        trial = replace(plain, **changed)
        said = list(_of_trial(trial, number, changed))
        yield from (each for each in said if each not in usual)  # what every trial says, once
        usual = usual or set(said)
    yield from _rulings(plain, replace(plain, units=lost))


def _of_trial(trial, number, changed):
    readings = _read(trial)
    yield f"{number}: {told([sorted(changed), trial.stage(TODAY), trial.sealed(TODAY), trial.opened_on])}"
    for asked in trial.asked:
        try:
            judgement = judge_trial(trial, asked, readings)
        except EprobaError as error:
            yield f"  ✗ {error}"
            continue
        if asked is trial.asked[0]:
            yield from (f"  {one.rule}, {one.level}: {text_of(one)}" for one in judgement.trust)
        yield from _said(judgement, Wording.of(trial, asked))
    changes = Changes([Correction(1, 5.0, "", "misread", "Ann", NOON, False, "Better")], [])
    yield f"  {told(told_evidence(evidence(trial, readings, changes, TODAY)))}"


def _rulings(plain, lost):
    for code, measure, number, typed, on, more in ENTRIES:
        entry = Entry(code, measure, number, typed, on, **more)
        for name, trial in (
            ("sealed", plain),
            ("lost", lost),
            ("open", replace(plain, closed_at=NOON)),
        ):
            ruling = rule(
                trial, trial.rounds[1 if measure != "fresh_mass" else 2], entry, TODAY if name == "open" else EARLY
            )
            yield f"{told([code, measure, number, typed, on, name])}: {ruling.outcome} {ruling.field} {ruling.why}"


TODAY, EARLY = date(2026, 6, 20), date(2026, 5, 20)


ON = date(2026, 5, 15)


ENTRIES = (
    ("p1", "Leaf count", 1, "7", ON, {}), ("P1", "leaf_count", 3, "7", ON, {}), ("P99", "leaf_count", 1, "7", ON, {}),
    ("P1", "leaf_count", 1, "7.5", ON, {}), ("P1", "leaf_count", 1, "-1", ON, {}),
    ("P1", "leaf_count", 1, "999", ON, {}),
    ("P1", "leaf_count", 1, "999", ON, {"sure": True}), ("P1", "leaf_count", 1, "", ON, {}),
    ("P1", "worms", 1, "1", ON, {}),
    ("P1", "leaf_count", 1, "", ON, {"skip": "eaten"}), ("P1", "leaf_count", 1, "x", ON, {}),
    ("P1", "leaf_count", 0, "1", ON, {}),
    ("P2", "leaf_count", 2, "7", ON, {"reason": "From paper."}), ("P1", "leaf_count", 1, "7", date(2026, 7, 1), {}),
    ("P1", "leaf_count", 1, "7", date(2025, 1, 1), {}), ("P1", "leaf_count", 1, "7\0", ON, {}),
    ("P1", "fresh_mass", 1, "80", ON, {}),
    ("P1", "fresh_mass", 1, "-2", ON, {}),
)  # fmt: skip


def _said(judgement, wording):
    """Every sentence that a judgement ends in."""
    for each in judgement.comparisons:
        said = (headline(each, judgement, wording.noun), sentence(each, judgement, wording))
        yield f"  {each.verdict}: {' '.join(said)} {settling(each, wording.noun)}"
    if judgement.trend is not None:
        yield f"  {trend_sentence(judgement.trend, judgement, wording)}"
    question = judgement.question
    told = (band_text(question, wording), gap_text(0.2, question.scale, wording))
    yield f"  {worth_text(judgement, wording)}; {told[0]}; {told[1]}"
