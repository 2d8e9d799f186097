"""The trust ledger: each rule with its evidence and its effect; the sentences are in `wording.ledger`.

A *note* is in order or merely worth knowing; a *caution* weakens the verdict in the reader's mind; a *cap* limits the
verdict itself: to its direction, or to a description. Limits are set so that a rule fires in at most 1 of 20 clean
trials (`benchmarks/honesty` counts it).

References
----------
Brown, M. B. & Forsythe, A. B. (1974). Robust tests for the equality of variances. JASA 69.
Leys, C. et al. (2013). Detecting outliers. Journal of Experimental Social Psychology 49 (median absolute deviation).
"""

import math
from collections import defaultdict
from collections.abc import Mapping, Sequence
from statistics import median

import numpy as np
from scipy import special

from eproba.core.judging.figures import Figures
from eproba.core.judging.judgement import Comparison
from eproba.core.judging.lost import ONE_IN_20, loss_lines, losses_of
from eproba.core.judging.trust_line import Circumstances, Level, TrustLine
from eproba.core.judging.verdicts import Cap
from eproba.core.stats.linear import Array, basis, clear_of, nuisance_span
from eproba.core.stats.series import UnitValue
from eproba.core.stats.shuffle import ShuffleTest

ALIKE = 1e-9  # of another: so little is rounding
FEW = 4  # units of each: with fewer, only a large gap can be told from luck
FAR, FAR_OF_FEW = 3.8, 7.0  # scaled MADs, and so much more divided by the units: 1 in 20 clean trials has one beyond
MAD_TO_SD = 1.4826


def ledger(
    figures: Figures, comparisons: Sequence[Comparison], circumstances: Circumstances | None, in_full: bool = True
) -> list[TrustLine]:
    """Every line that the numbers of one measure give, with those of the circumstances; `in_full`: with what a next
    trial might do otherwise."""
    units, model, question = figures.units, figures.fit, figures.question
    lost = [unit for unit in figures.every if unit.value is None]
    lines = sizes(figures.counts, question.control, units, lost)
    uncapped = {c.treatment: c.uncapped for c in comparisons}
    lines += loss_lines(losses_of(figures.every, question.control), uncapped, question.no_worse)
    lines.append(lots(circumstances, question.dealt))
    if circumstances is not None:
        lines.append(control_kind(circumstances))
        lines += rounds(circumstances)
    compared = comparisons[: len(figures.others)]
    lines += [
        not_told_apart(c.treatment)
        for i, c in enumerate(compared)
        if not model.estimable[i] and min(c.n, c.n_control) > 1
    ]
    if figures.by_order:
        waiting = sum(unit.value == math.inf for unit in units)
        lines += [TrustLine("not yet", "note", "not yet", {"units": waiting})] if waiting else []
        return lines + lots_and_model(comparisons, calm=False)
    if model.df < 1 or model.noiseless:
        if max(c.n for c in comparisons) > 1:
            lines.append(noiseless(model.df < 1))
        return lines
    lines += [
        TrustLine("own noise", "cap", "pooled stands in", {"treatment": c.treatment}, "direction", c.treatment)
        for c in compared
        if c.pooled is not None and (c.own is None or c.treatment in figures.borrowed)
    ]
    lines += baseline_alike(figures)
    lines += baseline_gaps(units, figures.filled)
    lines += outliers(units, model.residuals)
    lines += unequal_noise(units, model.residuals)
    lines += much_noisier(figures)
    lines += [few_alone(c) for c in compared if _shown_alone(c)]
    lines += skewed(figures) if in_full else []
    calm = question.kind == "quantity" and not any(line.rule == "outliers" for line in lines)
    return lines + lots_and_model(comparisons, calm)


def lots_and_model(comparisons: Sequence[Comparison], calm: bool) -> list[TrustLine]:
    """What the lots can show at all, and where they and the model part."""
    tests = [c.shuffle for c in comparisons if c.shuffle is not None]
    lines = shuffle_reach(tests, normal=calm)
    for c in comparisons:
        lines += model_and_shuffle(c, len(tests))
    return lines


def sizes(
    counts: Mapping[str, int], control: str, units: Sequence[UnitValue], lost: Sequence[UnitValue]
) -> list[TrustLine]:
    """Replication: one unit a treatment is a story, not a trial."""
    lines = _too_few(counts, control)
    if not lines and min(counts.values()) < FEW:
        lines.append(TrustLine("replication", "caution", "few units", {"counts": dict(counts)}))
    elif not lines:
        lines.append(TrustLine("replication", "note", "units", {"counts": dict(counts)}))
    if lost:
        share = len(lost) / (len(lost) + len(units))
        named = [f"{unit.unit} ({unit.treatment})" for unit in lost]
        lines.append(TrustLine("lost units", "caution" if share > 0.1 else "note", "lost units", {"units": named}))
    return lines


def _too_few(counts: Mapping[str, int], control: str) -> list[TrustLine]:
    """One unit of a treatment or of the control describes; two beside more of others show a direction at most, since
    the noise of two is hardly known."""
    lines: list[TrustLine] = []
    most = max(counts.values())
    caps: tuple[tuple[int, str, Cap], ...] = ((1, "one unit", "described"), (2, "two units", "direction"))
    for fewest, says, cap in caps:
        few = [name for name, n in counts.items() if n == fewest and (n == 1 or n < most)]
        if control in few:
            return [*lines, TrustLine("replication", "cap", says, {"treatments": few}, cap)]
        lines += [TrustLine("replication", "cap", says, {"treatments": [name]}, cap, name) for name in few]
    return lines


def lots(circumstances: Circumstances | None, dealt: bool = True) -> TrustLine:
    """Whether chance, not a person, chose who gets what."""
    if not dealt:
        return TrustLine("lots", "caution", "not dealt")
    if circumstances is None:
        return TrustLine("lots", "note", "lots not known")
    if circumstances.deals > 1:
        return TrustLine("lots", "caution", "dealt again", {"deals": circumstances.deals})
    return TrustLine("lots", "note", "dealt")


def control_kind(circumstances: Circumstances) -> TrustLine:
    """What the control can and can't answer."""
    if circumstances.given_before:
        return TrustLine("control kind", "note", "nothing given since")
    if circumstances.control_role == "untreated" and circumstances.poured:
        return TrustLine("control kind", "caution", "control got nothing")
    if circumstances.control_role == "untreated":
        return TrustLine("control kind", "note", "control untreated")
    if circumstances.control_role == "water control":
        says = "control got water" if circumstances.watered_alike else "control got other water"
        return TrustLine("control kind", "note" if circumstances.watered_alike else "caution", says)
    return TrustLine("control kind", "note", "control is another", {"role": circumstances.control_role})


def rounds(circumstances: Circumstances) -> list[TrustLine]:
    """Missed rounds, above all the baseline."""
    lines = []
    if not circumstances.baseline_taken:
        lines.append(TrustLine("rounds missed", "caution", "no baseline"))
    missed, due = circumstances.rounds_missed, circumstances.rounds_due
    if missed:
        level: Level = "caution" if missed * 4 >= due else "note"
        lines.append(TrustLine("rounds missed", level, "rounds missed", {"missed": missed, "due": due}))
    if circumstances.rounds_partly:
        lines.append(TrustLine("rounds missed", "caution", "partly read", {"days": circumstances.rounds_partly}))
    elif due and not missed:
        lines.append(TrustLine("rounds missed", "note", "all rounds", {"due": due}))
    return lines


def baseline_alike(figures: Figures) -> list[TrustLine]:
    """Whether the groups began further apart than lots would give, or wholly apart.

    The F test of treatments among the baselines, blocks taken out; wholly apart (no unit of one beside any of the
    other) caps, where lots give that in less than 1 of 20 trials.
    """
    question, kept = figures.question, [unit for unit in figures.units if unit.baseline is not None]
    groups = _grouped(kept, [unit.baseline for unit in kept])
    if not figures.covariate or len(groups) < 2:
        return []
    control = groups.get(question.control, [])
    lines = []
    for name in figures.others:
        group = groups.get(name, [])
        if min(len(group), len(control)) < 2 or not (max(group) < min(control) or min(group) > max(control)):
            continue
        if 2 / math.comb(len(group) + len(control), len(group)) * len(figures.others) <= ONE_IN_20:
            evidence = {"treatment": name, "side": "above" if min(group) > max(control) else "below"}
            lines.append(TrustLine("baseline alike", "cap", "began wholly apart", evidence, "described", name))
    if lines:
        return lines
    p = _f_test(kept)
    if p is None:
        return []
    if p <= ONE_IN_20:
        return [TrustLine("baseline alike", "caution", "began apart", {"apart": _apart(groups, figures), "p": p})]
    return [TrustLine("baseline alike", "note", "began alike")]


def _f_test(units: Sequence[UnitValue]) -> float | None:
    """p of the F test between treatments of the baselines; None where nothing is left over."""
    start = np.array([unit.baseline or 0.0 for unit in units])[:, None]
    names = list(dict.fromkeys(unit.treatment for unit in units))
    span = nuisance_span(units, None)
    indicator = clear_of(span, np.array([[unit.treatment == name for name in names] for unit in units], dtype=float))
    treatments = basis(indicator[:, np.linalg.norm(indicator, axis=0) > 1e-9])
    left = clear_of(span, start - start[0])
    within = clear_of(treatments, left)
    between = float((left**2).sum() - (within**2).sum())
    df, left_df = treatments.shape[1], len(units) - span.shape[1] - treatments.shape[1]
    if df < 1 or left_df < 1 or not float((within**2).sum()) > 0:
        return None
    return float(special.fdtrc(df, left_df, between / df / (float((within**2).sum()) / left_df)))


def _apart(groups: Mapping[str, Sequence[float]], figures: Figures) -> list[tuple[str, float]]:
    """How far each group began from the control, in what units of a group differ by."""
    spread = math.sqrt(float(np.mean([np.var(group, ddof=1) for group in groups.values() if len(group) > 1])))
    middle = float(np.mean(groups[figures.question.control]))
    return [
        (name, (float(np.mean(groups[name])) - middle) / spread)
        for name in figures.others
        if spread > 0 and name in groups
    ]


def baseline_gaps(units: Sequence[UnitValue], filled: int) -> list[TrustLine]:
    """Units whose own baseline is missing."""
    if not filled:
        return []
    level: Level = "caution" if filled * 4 > len(units) else "note"
    return [TrustLine("baseline missing", level, "baseline filled in", {"filled": filled, "units": len(units)})]


def outlying(residuals: Array) -> list[int]:
    """Positions of residuals far off: beyond 3.8 scaled MADs, further where the units are few."""
    centre = median(residuals.tolist())
    mad = median(np.abs(residuals - centre).tolist())
    limit = (FAR + FAR_OF_FEW / len(residuals)) * MAD_TO_SD * mad
    return np.flatnonzero(np.abs(residuals - centre) > limit).tolist() if mad > 0 else []


def outliers(units: Sequence[UnitValue], residuals: Array) -> list[TrustLine]:
    """Units far off: named, never dropped."""
    far = [units[i].unit for i in outlying(residuals)]
    return [TrustLine("outliers", "caution", "far off", {"units": far})] if far else []


def unequal_noise(units: Sequence[UnitValue], residuals: Array) -> list[TrustLine]:
    """One treatment scatters more than another (Brown–Forsythe, 1 in 20): told, since the interval takes it already."""
    groups = [group for group in _grouped(units, residuals.tolist()).items() if len(group[1]) >= 3]
    if len(groups) < 2:
        return []
    apart = [_from_the_middle(group) for _, group in groups]
    means = [sum(group) / len(group) for group in apart]
    within = sum((x - mean) ** 2 for group, mean in zip(apart, means, strict=True) for x in group)
    size, count = sum(map(len, apart)), len(apart)
    overall = sum(map(sum, apart)) / size
    between = sum(len(group) * (mean - overall) ** 2 for group, mean in zip(apart, means, strict=True))
    if within <= 0 or min(means) <= ALIKE * max(means):
        return []
    p = float(special.fdtrc(count - 1, size - count, between / (count - 1) / (within / (size - count))))
    if p > ONE_IN_20:
        return []
    calm, wild = (groups[means.index(end)][0] for end in (min(means), max(means)))
    evidence = {"wild": wild, "calm": calm, "times": max(means) / min(means)}
    return [TrustLine("unequal noise", "note", "unequal noise", evidence)]


def much_noisier(figures: Figures) -> list[TrustLine]:
    """One of two arms noisier than the other, and few: the gap may be the work of a few far units.

    By the F test of the two working variances, as many comparisons as there are at 1 in 20. `again` asks whether the
    direction hangs on one unit.
    """
    control, lines = figures.question.control, []
    variance, df = figures.noise[control]
    for i, name in enumerate(figures.others):
        own, own_df = figures.noise[name]
        if figures.own[i] is None or not min(own, variance) > 0:
            continue
        ratio = own / variance
        wild, calm = (name, control) if ratio > 1 else (control, name)
        p = 2 * min(float(special.fdtrc(own_df, df, ratio)), float(special.fdtr(own_df, df, ratio)))
        if figures.counts[wild] <= MOST_FEW and p * len(figures.others) <= ONE_IN_20:
            evidence = {"treatment": name, "wild": wild, "calm": calm, "times": max(ratio, 1 / ratio) ** 0.5}
            lines.append(TrustLine("one noisier", "caution", "much noisier", evidence, of=name))
    return lines


MOST_FEW = 16  # units of the noisier arm that are few


HARDLY = 3  # units that hardly show how much they differ by themselves


def _shown_alone(c: Comparison) -> bool:
    """Whether so few units are shown to differ on the noise of their own, and not on that of all."""
    if c.own is None or c.pooled is None or min(c.n, c.n_control) > HARDLY:
        return False
    above = c.own.low_adjusted > 0 >= c.pooled.low_adjusted
    return above or c.own.high_adjusted < 0 <= c.pooled.high_adjusted


def few_alone(c: Comparison) -> TrustLine:
    """Three units that happen to lie close look calm: then the noise of all speaks too."""
    return TrustLine("own noise", "cap", "few look calm", {"treatment": c.treatment}, "described", c.treatment)


def _from_the_middle(group: Sequence[float]) -> list[float]:
    middle = median(group)
    return [abs(value - middle) for value in group]


def skewed(figures: Figures) -> list[TrustLine]:
    """Values judged by differences whose scatter grows with them: percent would fit better.

    The residuals lean to the large side by a skewness beyond 1, and the logs of the values by less than half of that.
    """
    question, values = figures.question, [unit.value or 0.0 for unit in figures.units]
    if question.scale != "difference" or question.kind != "quantity" or min(values) <= 0 or len(values) < FEWEST_SKEWED:
        return []
    means = {
        name: float(np.mean([math.log(v) for u, v in zip(figures.units, values, strict=True) if u.treatment == name]))
        for name in figures.counts
    }
    logs = [math.log(v) - means[u.treatment] for u, v in zip(figures.units, values, strict=True)]
    skew, skew_of_logs = _skewness(figures.fit.residuals), _skewness(np.array(logs))
    if skew <= MOST_SKEW or skew_of_logs >= skew / 2:
        return []
    return [TrustLine("scale", "note", "percent fits better", {"skew": skew})]


FEWEST_SKEWED, MOST_SKEW = 8, 1.0


def _skewness(residuals: Array) -> float:
    spread = float(np.sqrt((residuals**2).mean()))
    return float((residuals**3).mean()) / spread**3 if spread > 0 else 0.0


def shuffle_reach(tests: Sequence[ShuffleTest], normal: bool) -> list[TrustLine]:
    """Whether the lots can pass 1 in 20 at all, as many comparisons as there are (Holm).

    Then only the model can settle it, where what it supposes was looked at: a quantity without units far off.
    """
    smallest = max((test.best_p for test in tests), default=0.0)
    if smallest * len(tests) < ONE_IN_20:
        return []
    evidence = {"best": 1 / smallest, "comparisons": len(tests)}
    return [TrustLine("shuffle reach", "note", "out of reach, model" if normal else "out of reach", evidence)]


def model_and_shuffle(comparison: Comparison, family: int) -> list[TrustLine]:
    """Model and shuffle test on different sides of 1 in 20, where the lots could reach it."""
    test, model, shuffle = comparison.shuffle, comparison.p_adjusted, comparison.shuffle_p_adjusted
    if model is None or test is None or shuffle is None or test.best_p * family >= ONE_IN_20:
        return []
    if (model < ONE_IN_20) == (shuffle < ONE_IN_20):
        return []
    evidence = {"treatment": comparison.treatment, "model": model, "shuffle": shuffle}
    says = "model and shuffle disagree"
    return [TrustLine("model and shuffle disagree", "caution", says, evidence, of=comparison.treatment)]


def noiseless(none_left: bool) -> TrustLine:
    """No noise to measure the gap with."""
    return TrustLine("no noise to measure", "cap", "nothing left over" if none_left else "all alike", {}, "described")


def not_told_apart(name: str) -> TrustLine:
    """Treatment and block (or row, column, another treatment) always go together."""
    return TrustLine("told apart", "cap", "never shares a block", {"treatment": name}, "described", name)


def _grouped(units: Sequence[UnitValue], numbers: Sequence[float | None]) -> dict[str, list[float]]:
    groups: dict[str, list[float]] = defaultdict(list)
    for unit, number in zip(units, numbers, strict=True):
        if number is not None:
            groups[unit.treatment].append(number)
    return groups
