"""The cutter: from the places to units and blocks, with two or three proposals and what each wastes.

Blocks lie across the gradient, so that each is alike inside; they never straddle two places.

References
----------
Fisher, R. A. (1935). The Design of Experiments: blocks remove what differs between them.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from statistics import pvariance

from eproba.core.quantities import METRIC, Amount, Units
from eproba.core.stats.periods import FEWEST, MOST
from eproba.core.trial.ground import UNITS_OF, Cut, Gradient, GroundError, Place, Site, walked
from eproba.core.trial.lots import Dealing

MOST_EACH = 100
GRADIENT_SHARE = 0.3  # of the units' variance, that a declared gradient explains: Eproba's own cautious guess
UNLIKE = 0.1  # of the larger: a can's marks are read no better
SIZE_TRACKING = 0.6  # how far a first size foretells the last one (correlation): likewise


@dataclass(frozen=True)
class Wish:
    """What is asked of the ground. `dealing` None: let the cutter propose.

    `least_*` is the smallest useful unit of beds and lawns; `units_each` how many of each are wanted; `edge_guards`
    leaves the outer pots, or a strip along the bed's edge, as guards.
    """

    treatments: int
    units_each: int
    guard_cm: float
    least_width_cm: float
    least_length_cm: float
    edge_guards: bool = False
    dealing: Dealing | None = None
    units: Units = METRIC

    def told(self, length_cm: float) -> str:
        return self.units(Amount(length_cm, "cm"))


@dataclass(frozen=True)
class Proposal:
    """One way to cut the ground: its design, the units (in dealing order) and what is left over."""

    key: str
    title: str
    dealing: Dealing
    units_each: int
    cuts: tuple[Cut, ...]
    wasted: tuple[str, ...]


def proposals(site: Site, wish: Wish) -> list[Proposal]:
    """Two or three ways to cut the ground (one where the design was chosen and only one fits).

    Raises
    ------
    GroundError
        Where nothing fits, saying what would.
    """
    return [*_proposals(site, wish)]


@lru_cache(maxsize=256)  # one page of a plan asks a dozen times
def _proposals(site: Site, wish: Wish) -> Sequence[Proposal]:
    if wish.dealing == "on and off":
        return [_by_turns(site, wish)]
    most = [_grids(place, wish)[-1] for place in site.places]
    if sum(c * r for c, r in most) < wish.treatments:
        raise GroundError(_too_little(site, wish))
    candidates = [candidate for candidate in _candidates(site, wish) if candidate is not None]
    if wish.dealing is None and not candidates:
        candidates = [
            candidate
            for candidate in [_one_of_each(site, replace(wish, dealing="one of each"))]
            if candidate is not None
        ]
    if wish.dealing is not None:
        candidates = [candidate for candidate in candidates if candidate.dealing == wish.dealing]
        if not candidates:
            raise GroundError(_does_not_fit(site, wish, wish.dealing, most))
    unique: dict[tuple[Dealing, int], Proposal] = {}
    for candidate in candidates:
        unique.setdefault((candidate.dealing, candidate.units_each), candidate)
    shown_first = list(unique.values())[:3]
    shown_first = [*([alike] if (alike := _made_alike(site, wish, shown_first[0])) else []), *shown_first][:3]
    return (
        shown_first
        if any(proposal.units_each > 1 for proposal in shown_first)
        else [_told(site, wish, candidate) for candidate in shown_first]
    )


def unlike(cuts: Sequence[Cut]) -> bool:
    """Whether units differ in size by more than a can can be misread by."""
    sizes = [cut.ground_m2 for cut in cuts]
    return max(sizes) - min(sizes) > UNLIKE * max(sizes)


def _made_alike(site: Site, wish: Wish, proposal: Proposal) -> Proposal | None:
    """The same cut with all units as small as the smallest, each in the middle of its place; None where they are alike
    already, or are vessels, which nobody cuts down."""
    if proposal.units_each < 2 or not unlike(proposal.cuts):
        return None
    if any(site.places[cut.place].standing for cut in proposal.cuts):
        return None
    width, length = (min(getattr(cut, side) for cut in proposal.cuts) for side in ("width_cm", "length_cm"))
    cuts = tuple(
        replace(
            cut, x_cm=cut.x_cm + (cut.width_cm - width) / 2, y_cm=cut.y_cm + (cut.length_cm - length) / 2,
            width_cm=width, length_cm=length,
        )
        for cut in proposal.cuts
    )  # fmt: skip
    wasted, title = _wasted(site, wish, cuts), f"{proposal.title}, all {wish.units.sides(int(width), int(length))}"
    return replace(proposal, key=f"{proposal.key}-alike", title=title, cuts=cuts, wasted=wasted)


def _told(site: Site, wish: Wish, proposal: Proposal) -> Proposal:
    """Single units only because of the guards: say with which guards blocks would fit."""
    slimmer = _slimmer(site, wish, 2 * wish.treatments)
    if slimmer is None:
        return proposal
    text = f"Guards of {wish.told(wish.guard_cm)} leave no room for blocks; {wish.told(slimmer)} would."
    return replace(proposal, wasted=(*proposal.wasted, text))


def _candidates(site: Site, wish: Wish) -> list[Proposal | None]:
    wanted = _in_blocks(site, wish, wish.units_each)
    fewer = _in_blocks(site, wish, _shared_out((wanted.units_each if wanted else 4) // 2, len(site.places)))
    if all(place.standing for place in site.places):
        fewer = None  # vessels do not grow by being fewer
    square = _latin_square(site, wish)
    anywhere = _anywhere(site, wish)
    alone = _one_of_each(site, wish)
    if site.gradient is not None:
        return [wanted, square, fewer, alone, anywhere]
    return [wanted, fewer, alone, square, anywhere] if fewer else [wanted, anywhere, square, alone]


def _shared_out(units_each: int, places: int) -> int:
    """As many blocks in every place, two in all at least."""
    return max(2, units_each // places * places)


def _grids(place: Place, wish: Wish) -> list[tuple[int, int]]:
    """Ways to cut one place as (columns, rows), few and large units first; (0, 0) where not even one fits."""
    if place.standing:
        ring = 2 if wish.edge_guards else 0
        columns, rows = place.columns - ring, place.rows - ring
        return [(columns, rows) if min(columns, rows) > 0 else (0, 0)]
    edge = wish.guard_cm if wish.edge_guards else 0.0
    columns = _most(place.width_cm - edge, wish.least_width_cm, wish.guard_cm)
    rows = _most(place.length_cm - edge, wish.least_length_cm, wish.guard_cm)
    if min(columns, rows) < 1:
        return [(0, 0)]
    every = [(c, r) for c in range(1, columns + 1) for r in range(1, rows + 1)]
    return sorted(every, key=lambda grid: (grid[0] * grid[1], -_squareness(place, *grid)))


def _most(length: float, least: float, guard: float) -> int:
    return int((length + guard + 1e-9) // (least + guard))


def _squareness(place: Place, columns: int, rows: int) -> float:
    width, length = place.width_cm / columns, place.length_cm / rows
    return min(width, length) / max(width, length)


def _cut(place: Place, position: int, grid: tuple[int, int], wish: Wish, whole: bool = False) -> list[Cut]:
    columns, rows = grid
    if min(grid) < 1:
        return []
    guard = 0.0 if place.standing or whole else wish.guard_cm
    ring = 1 if wish.edge_guards and not whole else 0
    if place.standing:
        width, length = place.width_cm / place.columns, place.length_cm / place.rows
        left, top = place.x_cm + ring * width, place.y_cm + ring * length
    else:
        edge = guard / 2 if ring else 0.0
        width = (place.width_cm - 2 * edge - (columns - 1) * guard) / columns
        length = (place.length_cm - 2 * edge - (rows - 1) * guard) / rows
        left, top = place.x_cm + edge, place.y_cm + edge
    kind = "bed" if whole else UNITS_OF[place.kind]
    return [
        Cut(kind, 0, position, r, c, 0, left + c * (width + guard), top + r * (length + guard), width, length)
        for r in range(rows)
        for c in range(columns)
    ]


def _sorted(cuts: list[Cut], gradient: Gradient | None) -> list[Cut]:
    """Like beside like: along the gradient, else as one walks."""
    if gradient is None:
        return sorted(cuts, key=lambda cut: (cut.row, cut.column if cut.row % 2 == 0 else -cut.column))

    def along(cut: Cut) -> tuple[float, float]:
        return round(gradient.along(*cut.middle), 1), round(gradient.across(*cut.middle), 1)

    return sorted(cuts, key=along)


def _in_blocks(site: Site, wish: Wish, units_each: int) -> Proposal | None:
    """Complete blocks of all treatments, the largest units that give as many as wanted, else as many as fit."""
    if wish.dealing == "pairs" and wish.treatments != 2:
        return None
    chosen = _grids_for(site, wish, min(units_each, MOST_EACH), wish.treatments)
    blocks: list[list[Cut]] = []
    for position, place in enumerate(site.places):
        cuts = _sorted(_cut(place, position, chosen[position], wish), site.gradient)
        whole = len(cuts) // wish.treatments
        blocks += [cuts[i * wish.treatments : (i + 1) * wish.treatments] for i in range(whole)]
    blocks = blocks[: min(units_each, MOST_EACH)]
    if not blocks:
        return None
    cuts = [replace(cut, block=str(i + 1)) for i, block in enumerate(blocks) for cut in block]
    pairs = wish.treatments == 2 and wish.dealing != "blocks"
    name = "pairs" if pairs else "blocks"
    title = f"{len(blocks)} {name[:-1] if len(blocks) == 1 else name}" + (
        ", across the gradient" if site.gradient else ""
    )
    if len(blocks) == 1:
        return None  # one block is one of each
    return _proposal(site, wish, f"{name}-{len(blocks)}", title, "pairs" if pairs else "blocks", cuts, len(blocks))


def _grids_for(site: Site, wish: Wish, units_each: int, multiple: int) -> list[tuple[int, int]]:
    """For each place the coarsest cut that together gives enough units, or the finest there is."""
    options = [_grids(place, wish) for place in site.places]
    levels = sorted({c * r for grids in options for c, r in grids})
    chosen = [grids[0] for grids in options]
    for level in levels:
        chosen = [_best_within(grids, level, multiple) for grids in options]
        if sum(c * r // multiple for c, r in chosen) >= units_each:
            break
    return chosen


def _best_within(grids: list[tuple[int, int]], level: int, multiple: int) -> tuple[int, int]:
    """The cut with the most whole blocks up to `level` units; of those the fewest, squarest units."""
    allowed = [grid for grid in grids if grid[0] * grid[1] <= level] or grids[:1]
    return max(enumerate(allowed), key=lambda entry: (entry[1][0] * entry[1][1] // multiple, -entry[0]))[1]


def _anywhere(site: Site, wish: Wish) -> Proposal | None:
    """Completely at random over all units."""
    chosen = _grids_for(site, wish, min(wish.units_each, MOST_EACH) * wish.treatments, 1)
    cuts = [cut for i, place in enumerate(site.places) for cut in _cut(place, i, chosen[i], wish)]
    units_each = min(len(cuts) // wish.treatments, wish.units_each, MOST_EACH)
    if units_each < 2:
        return None
    title = f"{units_each} of each, anywhere"
    return _proposal(
        site,
        wish,
        f"anywhere-{units_each}",
        title,
        "completely random",
        cuts[: units_each * wish.treatments],
        units_each,
    )


def _latin_square(site: Site, wish: Wish) -> Proposal | None:
    """As many rows and columns as treatments, in one place."""
    k = wish.treatments
    if k < 3:
        return None
    for position, place in enumerate(site.places):
        columns, rows = map(max, zip(*_grids(place, wish), strict=True))
        if min(columns, rows) >= k:
            grid = (columns, rows) if place.standing else (k, k)
            cuts = [c for c in _cut(place, position, grid, wish) if c.row < k and c.column < k]
            return _proposal(site, wish, "square", f"Latin square, {k} × {k}", "Latin square", cuts, k)
    return None


def _one_of_each(site: Site, wish: Wish) -> Proposal | None:
    """One unit each: whole beds where there are enough, else single units. Allowed, and named for what it is."""
    beds = [place for place in site.places if not place.standing]
    if len(beds) >= wish.treatments:
        cuts = [_cut(place, i, (1, 1), wish, whole=True)[0] for i, place in enumerate(site.places) if place in beds]
        title = "One whole bed each"
    elif wish.dealing == "one of each":
        chosen = _grids_for(site, wish, wish.treatments, 1)
        cuts = [cut for i, place in enumerate(site.places) for cut in _cut(place, i, chosen[i], wish)]
        title = "One of each"
    else:
        return None
    return _proposal(site, wish, "one-of-each", title, "one of each", cuts[: wish.treatments], 1)


def _by_turns(site: Site, wish: Wish) -> Proposal:
    """Two places, each of them a unit anew in every period; `units_each` is the number of periods.

    Raises
    ------
    GroundError
        More than two treatments, a number of periods that can't be shared out, or no two places.
    """
    periods = wish.units_each
    if wish.treatments != 2:
        raise GroundError(f"On and off is one thing against another by turns: two treatments, not {wish.treatments}.")
    if periods % 2 or not FEWEST <= periods <= MOST:
        raise GroundError(f"{periods} periods can’t be shared out: take an even number from {FEWEST} to {MOST}.")
    two = _one_of_each(site, replace(wish, dealing="one of each", units_each=1))
    if two is None or len(two.cuts) < 2:
        raise GroundError("On and off needs two places: draw two beds, or two pots.")
    places = sorted(two.cuts, key=lambda cut: cut.walk)[:2]
    cuts = tuple(
        replace(cut, number=2 * period + i + 1, walk=2 * period + i + 1, block=str(period + 1))
        for period in range(periods)
        for i, cut in enumerate(places)
    )
    return Proposal("on-and-off", f"On and off, {periods} periods", "on and off", periods, cuts, two.wasted)


def _proposal(
    site: Site, wish: Wish, key: str, title: str, dealing: Dealing, cuts: Sequence[Cut], units_each: int
) -> Proposal:
    laid = walked(cuts)
    number = {cut.walk: i + 1 for i, cut in enumerate(sorted(laid, key=lambda cut: cut.walk))}
    numbered = tuple(replace(cut, number=number[cut.walk]) for cut in laid)
    return Proposal(key, title, dealing, units_each, numbered, _wasted(site, wish, numbered))


def _wasted(site: Site, wish: Wish, cuts: Sequence[Cut]) -> tuple[str, ...]:
    """What of the ground answers nothing."""
    lines = []
    standing = sum(place.rows * place.columns for place in site.places if place.standing)
    spare = standing - sum(site.places[cut.place].standing for cut in cuts)
    if spare:
        what = "stand as guards or spare" if wish.edge_guards else "stay spare"
        lines.append(f"{spare} of {standing} pots or cells {what}.")
    ground = sum(place.width_cm * place.length_cm for place in site.places if not place.standing)
    used = sum(cut.width_cm * cut.length_cm for cut in cuts if not site.places[cut.place].standing)
    if ground and used < 0.995 * ground:
        lines.append(f"{100 * (1 - used / ground):.0f} % of the ground is guard or left over.")
    empty = [place.name for i, place in enumerate(site.places) if all(cut.place != i for cut in cuts)]
    if empty:
        lines.append(f"Not used: {', '.join(empty)}.")
    return tuple(lines) or ("Nothing is wasted.",)


def _too_little(site: Site, wish: Wish) -> str:
    """Why the ground can't hold one unit of each, and what would."""
    for place in site.places:
        if not place.standing and (place.width_cm < wish.least_width_cm or place.length_cm < wish.least_length_cm):
            text = f"{place.name} ({wish.units.sides(place.width_cm, place.length_cm)}) is smaller than one unit "
            text += f"({wish.units.sides(wish.least_width_cm, wish.least_length_cm)})"
            return f"{text}: make the smallest unit smaller, turn it, or draw the place larger."
    slimmer = _slimmer(site, wish, wish.treatments)
    if slimmer is not None:
        text = f"Guards of {wish.told(wish.guard_cm)}" + (" and along the edges" if wish.edge_guards else "")
        slim = f"with {wish.told(slimmer)}, between units only, {wish.treatments} units or more fit"
        return f"{text} eat the ground: {slim}."
    held = sum(c * r for c, r in (_grids(place, wish)[-1] for place in site.places))
    text = f"{wish.treatments} treatments need at least {wish.treatments} units; this ground holds {held}"
    return f"{text}: take smaller units, fewer treatments or one more place."


def _slimmer(site: Site, wish: Wish, units: int) -> float | None:
    """The widest slimmer guard that makes room for so many units; None where guards are not what is in the way."""
    for guard in (100.0, 75.0, 50.0, 40.0, 30.0, 20.0, 15.0, 10.0, 5.0, 0.0):
        slimmer = replace(wish, guard_cm=guard, edge_guards=False)
        held = sum(c * r for c, r in (_grids(place, slimmer)[-1] for place in site.places))
        if (guard < wish.guard_cm or wish.edge_guards) and held >= units:
            return guard
    return None


def _does_not_fit(site: Site, wish: Wish, dealing: Dealing, most: list[tuple[int, int]]) -> str:
    k = wish.treatments
    if dealing == "pairs":
        return f"Pairs need exactly two treatments; you have {k}: take blocks instead."
    if dealing == "Latin square":
        if k < 3:
            return "A Latin square needs three treatments or more; for two take pairs."
        sizes = ", ".join(f"{place.name} holds {c} × {r}" for place, (c, r) in zip(site.places, most, strict=True))
        text = f"A Latin square of {k} treatments needs {k} × {k} units in one place; {sizes}"
        return f"{text}: take blocks, or smaller units."
    held = sum(c * r // k for c, r in most)
    if dealing == "blocks":
        text = f"A block holds all {k} treatments side by side in one place; this ground holds {held} of them"
        return f"{text}, two are the least: take smaller units, or deal anywhere."
    return f"There is no room for two units of each of {k} treatments: take smaller units, or one of each."


def like_with_like(proposal: Proposal, sizes: Sequence[float], treatments: int) -> Proposal:
    """Blocks of neighbours in size: pots are moved so that those of about one size stand together.

    `sizes` are those of pots 1, 2, 3 …; each block takes the next `treatments` of them in order of size, and the pots
    move to the proposal's places in that order.

    Raises
    ------
    GroundError
        Units that can't be moved, or not as many sizes as units.
    """
    if any(cut.kind not in ("pot", "cell") for cut in proposal.cuts):
        raise GroundError("Only pots and cells can be sorted by size: patches of ground stay where they are.")
    if len(sizes) != len(proposal.cuts):
        raise GroundError(f"{len(sizes)} sizes for {len(proposal.cuts)} units: give one for each, in order.")
    order = sorted(range(len(sizes)), key=lambda pot: (sizes[pot], pot))
    spots = sorted(proposal.cuts, key=lambda cut: cut.walk)
    moved = [
        replace(spot, number=pot + 1, size=sizes[pot], block=str(i // treatments + 1))
        for i, (spot, pot) in enumerate(zip(spots, order, strict=True))
    ]
    per_treatment = len(moved) // treatments
    dealing: Dealing = "pairs" if treatments == 2 else "blocks"
    title = f"{per_treatment} {dealing} of like size"
    return Proposal("sorted", title, dealing, per_treatment, tuple(moved), proposal.wasted)


def noise_after_sorting(sizes: Sequence[float], treatments: int) -> float:
    """Share of the noise SD that is left in blocks of like size, if sizes foretell the end by `SIZE_TRACKING`."""
    ordered = sorted(sizes)
    whole = pvariance(ordered)
    if whole == 0:
        return 1.0
    groups = [ordered[i : i + treatments] for i in range(0, len(ordered), treatments)]
    within = sum(len(group) * pvariance(group) for group in groups) / len(ordered) / whole
    return float((1 - SIZE_TRACKING**2 * (1 - within)) ** 0.5)


def noise_without_blocks(site: Site) -> float:
    """How much larger the noise SD is where blocks do not take a declared gradient out."""
    return float((1 / (1 - GRADIENT_SHARE)) ** 0.5) if site.gradient else 1.0
