"""The ground and its cutter: units inside their places, guards between, blocks alike inside."""

from dataclasses import replace
from statistics import mean

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from eproba.core.planning.cutter import (
    Wish,
    like_with_like,
    noise_after_sorting,
    noise_without_blocks,
    proposals,
    unlike,
)
from eproba.core.planning.plan import check_batches, check_crops, simple_layout
from eproba.core.trial.ground import Gradient, GroundError, Place, Site, borders, row_of, site_entry, site_from
from eproba.core.trial.lots import LotsError

TWO_BEDS = Site((Place("bed", "Left bed", 0, 0, 200, 100), Place("bed", "Right bed", 240, 0, 200, 100)))
TRAY = Site((Place("tray", "Tray", 0, 0, 40, 30, rows=6, columns=8),), Gradient("shade", 90))


def overlapping(cuts, guard=0.0):
    """Pairs of units that lie closer than the guard."""
    return [
        (one, other)
        for i, one in enumerate(cuts)
        for other in cuts[:i]
        if max(
            max(one.x_cm, other.x_cm) - min(one.x_cm + one.width_cm, other.x_cm + other.width_cm),
            max(one.y_cm, other.y_cm) - min(one.y_cm + one.length_cm, other.y_cm + other.length_cm),
        )
        < guard - 1e-6
    ]


wishes = st.builds(
    Wish,
    treatments=st.integers(2, 6),
    units_each=st.integers(1, 8),
    guard_cm=st.sampled_from([0.0, 10.0, 25.0]),
    least_width_cm=st.sampled_from([20.0, 45.0]),
    least_length_cm=st.sampled_from([20.0, 45.0]),
    edge_guards=st.booleans(),
)
sizes = st.floats(60, 500)
sites = st.builds(
    lambda w, h, w2, h2, rows, columns, turn: Site(
        (
            Place("bed", "Bed", 0, 0, w, h),
            Place("lawn", "Lawn", 0, 600, w2, h2),
            Place("bench", "Bench", 600, 0, 30 * columns, 30 * rows, rows, columns),
        ),
        None if turn is None else Gradient("slope", turn),
    ),
    sizes, sizes, sizes, sizes, st.integers(1, 5), st.integers(1, 9), st.one_of(st.none(), st.integers(0, 359)),
)  # fmt: skip


@settings(max_examples=100, deadline=None)
@given(sites, wishes)
def test_whatever_is_cut_is_fair_ground(site, wish):
    try:
        found = proposals(site, wish)
    except GroundError:
        return
    assert 1 <= len(found) <= 3
    for each in found:
        assert len(each.cuts) == each.units_each * wish.treatments
        assert sorted(cut.walk for cut in each.cuts) == list(range(1, len(each.cuts) + 1))
        assert len({cut.code for cut in each.cuts}) == len(each.cuts)
        ground = [cut for cut in each.cuts if not site.places[cut.place].standing]
        assert overlapping(ground, 0 if each.dealing == "one of each" else wish.guard_cm) == []
        assert overlapping(each.cuts) == []
        for cut in each.cuts:
            place = site.places[cut.place]
            assert place.x_cm - 1e-6 <= cut.x_cm <= cut.x_cm + cut.width_cm <= place.x_cm + place.width_cm + 1e-6
            assert place.y_cm - 1e-6 <= cut.y_cm <= cut.y_cm + cut.length_cm <= place.y_cm + place.length_cm + 1e-6
        if each.dealing in ("blocks", "pairs"):
            blocks = [{cut.place for cut in each.cuts if cut.block == str(b + 1)} for b in range(each.units_each)]
            assert all(len(places) == 1 for places in blocks), "a block never straddles two places"
        assert each.wasted


def test_two_beds_become_pairs_of_parts_of_beds():
    found = {each.key: each for each in proposals(TWO_BEDS, Wish(2, 4, 20, 40, 40))}
    assert found["pairs-4"].title == "4 pairs"
    assert {cut.place for cut in found["pairs-4"].cuts if cut.block in "12"} == {0}
    halves = found["pairs-2"]
    assert [(round(cut.width_cm), round(cut.length_cm)) for cut in halves.cuts] == [(90, 100)] * 4
    assert found["one-of-each"].title == "One whole bed each"
    assert found["one-of-each"].cuts[0].code == "B1"


@pytest.mark.parametrize(("turn", "axis"), [(90, 0), (270, 0), (0, 1), (180, 1)])
def test_blocks_lie_across_the_gradient(turn, axis):
    site = Site(TRAY.places, Gradient("shade", turn))
    blocks = proposals(site, Wish(4, 12, 0, 1, 1))[0]
    assert blocks.title == "12 blocks, across the gradient"
    inside, steps = [], []
    for b in range(12):
        along = [site.gradient.along(*cut.middle) for cut in blocks.cuts if cut.block == str(b + 1)]
        inside.append(max(along) - min(along))
        steps.append(round(mean(along), 6))
    assert max(inside) <= 40 / 8 + 1e-6, "within a block the shade is as good as the same"
    assert steps == sorted(steps)
    assert len({cut.middle[axis] for cut in blocks.cuts}) == (8 if axis == 0 else 6)


def test_edge_pots_stay_guards():
    inner = proposals(TRAY, Wish(4, 6, 0, 1, 1, edge_guards=True))[0]
    assert inner.units_each == 6
    assert {(cut.row, cut.column) for cut in inner.cuts} <= {(r, c) for r in range(4) for c in range(6)}
    assert min(cut.x_cm for cut in inner.cuts) == pytest.approx(5)
    assert "24 of 48 pots or cells stand as guards or spare." in inner.wasted


def test_a_square_where_rows_and_columns_are_there():
    square = next(each for each in proposals(TRAY, Wish(4, 12, 0, 1, 1, dealing="Latin square")))
    assert {(cut.row, cut.column) for cut in square.cuts} == {(r, c) for r in range(4) for c in range(4)}


@pytest.mark.parametrize(
    ("site", "wish", "said"),
    [
        (TWO_BEDS, Wish(2, 4, 20, 250, 40), "Left bed .200 × 100 cm. is smaller than one unit .250 × 40 cm."),
        (TWO_BEDS, Wish(6, 4, 120, 60, 60), "Guards of 120 cm eat the ground: with 10 cm, between units only, 6 units"),
        (Site((row_of("pots", 20, 20, 5, 1, 5),)), Wish(6, 1, 0, 1, 1), "need at least 6 units; this ground holds 5"),
        (Site((row_of("pots", 20, 20, 5, 2, 4),)), Wish(4, 4, 0, 1, 1, dealing="Latin square"), "Pots holds 4 × 2"),
        (TWO_BEDS, Wish(2, 4, 20, 40, 40, dealing="Latin square"), "three treatments or more"),
        (TWO_BEDS, Wish(3, 4, 20, 40, 40, dealing="pairs"), "you have 3: take blocks"),
        (TWO_BEDS, Wish(2, 4, 0, 150, 80, dealing="blocks"), "holds 0 of them, two are the least"),
    ],
)
def test_ground_that_does_not_fit_says_what_would(site, wish, said):
    with pytest.raises(GroundError, match=said):
        proposals(site, wish)


def test_only_guards_in_the_way_of_blocks_are_named():
    (alone,) = proposals(TWO_BEDS, Wish(2, 4, 130, 60, 60))
    assert alone.units_each == 1
    assert "Guards of 130 cm leave no room for blocks; 75 cm would." in alone.wasted


def test_like_is_dealt_with_like():
    pots = proposals(Site((row_of("pots", 20, 20, 5, 2, 4),)), Wish(2, 4, 0, 1, 1))[0]
    heights = [14.0, 9.0, 12.0, 9.5, 11.0, 14.5, 8.0, 12.5]
    moved = like_with_like(pots, heights, 2)
    assert moved.title == "4 pairs of like size"
    together = {cut.block: [] for cut in moved.cuts}
    for cut in moved.cuts:
        assert cut.size == heights[cut.number - 1]
        together[cut.block].append(cut.size)
    assert together == {"1": [8.0, 9.0], "2": [9.5, 11.0], "3": [12.0, 12.5], "4": [14.0, 14.5]}
    assert 0.75 < noise_after_sorting(heights, 2) < 0.85, "the size that foretells the end is taken out"
    assert noise_after_sorting([5.0] * 8, 2) == 1, "nothing to gain where all are alike"
    with pytest.raises(GroundError, match="3 sizes for 8 units"):
        like_with_like(pots, heights[:3], 2)
    with pytest.raises(GroundError, match="patches of ground stay"):
        like_with_like(proposals(TWO_BEDS, Wish(2, 4, 20, 40, 40))[0], heights, 2)


def test_a_gradient_costs_those_who_do_not_block():
    assert noise_without_blocks(TRAY) == pytest.approx((1 / 0.7) ** 0.5)
    assert noise_without_blocks(TWO_BEDS) == 1


def test_borders_between_treated_and_control_are_counted():
    cuts = proposals(Site((Place("bed", "Bed", 0, 0, 340, 100),)), Wish(2, 3, 20, 40, 100))[0].cuts
    letters = ["A", "B", "B", "A", "A", "B"]
    row = sorted(cuts, key=lambda cut: cut.x_cm)
    assert borders(list(zip(row, letters, strict=True)), "A", 30) == (3, 5)
    assert borders(list(zip(row, letters, strict=True)), "A", 10) == (0, 0), "the guard keeps them apart"


def test_the_ground_comes_back_as_it_was_kept():
    site = Site(TRAY.places, Gradient("wall", 45.0), 90.0)
    assert site_from(site_entry(site)) == site


@pytest.mark.parametrize(
    ("entry", "said"),
    [
        ({}, "Draw at least one place"),
        ({"places": [{"kind": "pond", "name": "Pond"}]}, "Pond: choose bed"),
        (
            {"places": [{"kind": "bed", "x_cm": 0, "y_cm": 0, "width_cm": "wide", "length_cm": 5}]},
            "Place 1: width must",
        ),
        ({"places": [{"kind": "bed", "x_cm": 0, "y_cm": 0, "width_cm": -5, "length_cm": 5}]}, "−5 cm doesn’t fit"),
        ({"places": [vars(TWO_BEDS.places[0]), {**vars(TWO_BEDS.places[1]), "x_cm": 150}]}, "lie over each other"),
        ({"places": [vars(TWO_BEDS.places[0])], "gradient": {"kind": "moon"}}, "a slope, a shade side"),
    ],
)
def test_a_drawing_that_can_not_be_gets_its_sentence(entry, said):
    with pytest.raises(GroundError, match=said):
        site_from(entry)


def test_crops_and_batches_are_blocks_never_replicates():
    blocks = simple_layout("bench", (20, 20), 5, 8, "blocks", 2, 6)
    anywhere = simple_layout("bench", (20, 20), 5, 8, "completely random", 2, 6)
    check_crops(("chard", "pak choi"), blocks, 6)
    check_batches(3, blocks, 6)
    with pytest.raises(LotsError, match="2 crops need blocks"):
        check_crops(("chard", "pak choi"), anywhere, 6)
    with pytest.raises(LotsError, match="among 4 crops: take 4 blocks"):
        check_crops(tuple("abcd"), blocks, 6)
    with pytest.raises(LotsError, match="at most 6 batches"):
        check_batches(7, blocks, 6)
    with pytest.raises(LotsError, match="each meets its own control"):
        check_batches(2, anywhere, 6)


def test_units_of_one_size_are_offered_first_where_the_beds_differ():
    """One trial cut 85 × 100 cm and 42 × 120 cm patches with “2.5 L each”: 2.9 against 5.0 L/m²."""
    beds = Site((Place("bed", "Left", 0, 0, 400, 120), Place("bed", "Right", 0, 180, 400, 100)))
    alike, own, *_ = proposals(beds, Wish(2, 4, 15, 40, 40))
    assert (alike.title, alike.units_each) == (f"{own.title}, all 88 × 100 cm", own.units_each)
    assert unlike(own.cuts)
    assert not unlike(alike.cuts)
    assert {(cut.width_cm, cut.length_cm) for cut in alike.cuts} == {(88.75, 100.0)}
    for small, large in zip(alike.cuts, own.cuts, strict=True):
        assert small.middle == pytest.approx(large.middle), "each in the middle of its place"
    same = Site((beds.places[0], replace(beds.places[1], length_cm=120.0)))
    assert not any(each.key.endswith("alike") for each in proposals(same, Wish(2, 4, 15, 40, 40)))
    pots = Site((Place("pots", "Small", 0, 0, 80, 20, 1, 4), Place("pots", "Large", 0, 90, 120, 30, 1, 4)))
    assert not any(each.key.endswith("alike") for each in proposals(pots, Wish(2, 4, 0, 1, 1))), "nobody cuts pots down"
