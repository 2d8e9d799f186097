"""What planning answers, over wide grids; see `test_answers.py`."""

from dataclasses import replace
from datetime import UTC, date, datetime
from itertools import combinations

from eproba.core.catalogue import measures, promises
from eproba.core.errors import EprobaError
from eproba.core.planning import advice, chance, claims, cutter, plan
from eproba.core.trial import days, ground, lots
from eproba.core.trial.claim import Asking
from eproba.core.trial.model import ROLES
from eproba.core.trial.worth import Worth
from tests.core.answering import line, told

NOON = datetime(2026, 6, 10, 12, tzinfo=UTC)


DEALINGS = ("completely random", "blocks", "pairs", "Latin square", "one of each")


FITS = {
    "pairs": lambda treatments, each: treatments == 2 and each > 1,
    "Latin square": lambda treatments, each: treatments == each,
    "one of each": lambda _, each: each == 1,
    "completely random": lambda _, each: each > 1,
    "blocks": lambda _, each: each > 1,
}


def of_advice():
    roles = list(ROLES)
    for count in (1, 2, 3):
        for chosen in combinations(roles, count):
            answered = claims.questions_answered(list(chosen))
            yield f"{told(chosen)}: {told(advice.on_treatments(chosen, True))} {told(answered)}"
    for poured, batch_count in ((False, 1), (True, 2), (False, 3)):
        yield line(advice.on_treatments, ["test", "untreated"], poured, batch_count)
    for dealing in DEALINGS:
        for each in (1, 2, 3, 4, 5, 6, 7, 8, 12):
            yield f"{line(advice.best_reachable_p, dealing, each)} {told(advice.on_units(dealing, each, 3))}"
        yield line(advice.on_units, dealing, 4, 6)
    for measure in measures().values():
        yield line(advice.on_place, measure)
        yield f"  {told([advice.on_days(measure, day) for day in (1, 3, 7, 10, 14, 21, 28, 60, 200)])}"
        for guard in (0.0, 10.0, 29.0, 30.0, 60.0):
            said = [advice.on_guard(measure, guard, kind) for kind in ("pot", "patch", "strip", "bed")]
            yield f"  {guard} cm: {told(said)}"
    for day in range(1, 9):
        yield line(advice.on_weekday, date(2026, 5, 1), day, (5, 6))


def of_chance():
    for count, units, blocks, scale, noise, worth, square, no_worse in (
        (2, 4, False, "ratio", 0.2, 0.15, False, False), (2, 6, True, "ratio", 0.2, 0.15, False, True),
        (4, 5, True, "difference", 2.0, 1.5, False, False), (4, 4, False, "difference", 2.0, 3.0, True, False),
        (3, 3, True, "ratio", 1.5, 0.9, False, False), (2, 2, True, "difference", 1.0, 4.0, False, False),
        (2, 1, False, "ratio", 0.2, 0.15, False, False), (6, 12, False, "ratio", 0.1, 0.05, False, False),
        (2, 4, False, "ratio", 1.51, 0.15, False, False), (2, 4, False, "ratio", 0.0, 0.15, False, False),
    ):  # fmt: skip
        try:
            p = chance.Prospect(count, units, blocks, scale, noise, worth, square, no_worse)
        except EprobaError as error:
            yield f"{count} × {units}, noise {noise}: ✗ {error}"
            continue
        facts = [p.sd, p.gap, p.df, chance.reach(p), chance.pairwise_power(p), chance.adjusted_power(p)]
        yield f"{told(p)}: {told(facts)} {told(chance.detectable(p))} {told(chance.detectable(p, 0.5))}"
        yield f"  {told(chance.simulated(p, 400, 3))}"
        yield f"  {told(chance.table(p, (2, 4, 8), (0.1, 0.3)))}"


def of_claims():
    for promise in promises().values():
        yield told(promise)
    for measure in (measures()["plant_height"], measures()["surface_worms"], measures()["seeds_up"]):
        for worth in (Worth(0.15, "ratio"), Worth(2.0, "difference"), Worth(None, "ratio")):
            for no_worse, lower in ((False, False), (True, False), (False, True), (True, True)):
                asking = Asking(("Whey",), "untreated ground", measure, worth, 28, no_worse, False, lower)
                yield f"{measure.key} {told(worth)} {no_worse} {lower} → {asking.sentence}"


def of_cutting():
    row = ground.row_of
    sites = (
        ground.Site((row("bed", 120, 400, 0, 1, 1),)), ground.Site((row("bed", 85, 100, 30, 1, 2),)),
        ground.Site((row("pots", 25, 25, 10, 3, 8),)), ground.Site((row("tray", 4, 4, 1, 6, 12),)),
        ground.Site((row("bench", 60, 200, 0, 1, 1), row("bench", 60, 100, 0, 1, 1))),
        ground.Site((row("lawn", 500, 900, 0, 1, 1),), ground.Gradient("slope", 90.0)),
        ground.Site((row("pots", 30, 30, 5, 4, 4),), ground.Gradient("shade", 0.0), 45.0),
    )  # fmt: skip
    wishes = (
        cutter.Wish(2, 6, 10.0, 20.0, 20.0, False, None), cutter.Wish(3, 4, 30.0, 40.0, 40.0, True, None),
        cutter.Wish(4, 4, 0.0, 10.0, 10.0, False, "Latin square"),
        cutter.Wish(4, 2, 5.0, 25.0, 25.0, False, "completely random"),
        cutter.Wish(2, 20, 50.0, 60.0, 60.0, False, "blocks"),
    )  # fmt: skip
    for site in sites:
        yield f"{told(site)} {cutter.noise_without_blocks(site):.5g}"
        for wish in wishes:
            try:
                found = cutter.proposals(site, wish)
            except EprobaError as error:
                yield f"  {told(wish)} ✗ {error}"
                continue
            for each in found:
                corner = [each.cuts[0], each.cuts[-1], each.cuts[len(each.cuts) // 2]]
                yield f"  {told(wish)} {told(replace(each, cuts=()))} {len(each.cuts)}: {told(corner)}"
                blocks = {cut.block: sum(c.block == cut.block for c in each.cuts) for cut in each.cuts}
                area = sum(cut.x_cm + 2 * cut.y_cm + 3 * cut.width_cm + 5 * cut.length_cm for cut in each.cuts)
                yield f"    {told(blocks)} {area:.7g} {' '.join(cut.code for cut in each.cuts)[:60]}"
    sorted_ones = cutter.proposals(sites[2], wishes[0])[0]
    for sizes in ([float(n % 5) for n in range(len(sorted_ones.cuts))], [1.0], [3.0] * len(sorted_ones.cuts)):
        try:
            like = cutter.like_with_like(sorted_ones, sizes, 2)
            yield f"{like.dealing} {like.title}: {' '.join(f'{cut.code}{cut.block}' for cut in like.cuts)}"
        except EprobaError as error:
            yield f"✗ {error}"
        yield line(cutter.noise_after_sorting, sizes, 2)


def of_plans():
    for dealing in DEALINGS:
        for treatments, each in ((2, 1), (2, 6), (4, 4), (3, 2)):
            yield line(lots.deal, dealing, "ABCD"[:treatments], each, "some seed")
            if not FITS[dealing](treatments, each):
                continue
            layout = plan.simple_layout("pots", (25.0, 25.0), 10.0, 5, dealing, treatments, each)
            spots = " ".join(
                f"{c.code}/{c.block}/{c.row}/{c.column}/{c.walk}/{c.x_cm:g}/{c.y_cm:g}" for c in layout.cuts
            )
            yield f"  {spots}"
            for number in (0, 1, 2, 3, 7):
                yield "  " + line(
                    lambda count, ground=layout, blocks=each: plan.check_batches(count, ground, blocks), number
                )
            for crops in ([], ["Chard"], ["Chard", "Pak choi"], ["a", "b", "c"], ["Chard", "chard "]):
                yield "  " + line(
                    lambda names, ground=layout, blocks=each: plan.check_crops(names, ground, blocks), crops
                )
        yield lots.how_to_check(dealing)
    for roles in (
        ("test", "water control"),
        ("test", "untreated", "water control"),
        ("test", "test"),
        ("killed brew", "test"),
    ):
        yield line(plan.control_index, list(roles))


def of_days():
    for decision, every in ((28, 7), (28, 14), (30, 7), (1, 1), (0, 7), (730, 90), (731, 7), (28, 40)):
        for function in (days.round_days, days.pour_days):
            yield line(function, decision, every)
        yield line(days.regular, decision, every, None)
    chosen = [
        [measures()[key]] for key in ("plant_height", "surface_worms", "slake", "moisture_meter") if key in measures()
    ]
    for each in [*chosen, [one for (one,) in chosen]]:
        for decision in (10, 28, 90):
            yield f"{told(each)} {decision}: {told(days.proposed_rounds(each, decision))}"
        asked = [(one, 2) for one in each]
        yield told([days.seconds_of_round(asked, 10, pull) for pull in (True, False)])
        yield told([days.units_in(minutes, asked, 3) for minutes in (1.0, 10.0, 30.0, 120.0)])
        load = days.calendar((0, 7, 14, 21, 28), {0: 6.0, 14: 6.0}, date(2026, 5, 1), asked, 12, (28,))
        yield told(load)
    for weekdays in ((5, 6), (0,), (0, 1, 2, 3, 4, 5, 6), ()):
        yield line(days.on_weekdays, [0, 3, 7, 9, 14, 28], date(2026, 5, 1), weekdays, (0, 28))
    for rounds in ([0, 7, 28], [7, 28], [0, 28, 28], [0, 30], [-1, 28], [], [0, 7], [28, 0]):
        yield line(days.checked_rounds, rounds, 28)
        yield line(days.checked_pulls, rounds, (0, 7, 28), 2)
    for plants, pulls in ((1, (28,)), (3, (7, 28)), (4, (7, 14, 28)), (2, ())):
        yield line(days.pulled, "seed", "P1", plants, pulls)
