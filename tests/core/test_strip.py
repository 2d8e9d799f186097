"""The strip by number: upright, at one scale, in one light; which units stand beside each other; what an eye said."""

from dataclasses import replace
from datetime import UTC, datetime

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from eproba.core.measuring.photo import PhotoProblem
from eproba.core.measuring.strip import SIDE, Snap, frame, usual_centre, usual_width
from eproba.core.measuring.tag import find_tag
from eproba.core.trial.strip import Guess, guess_words, strip_units
from eproba.standins.pictures import with_tag
from tests.core.cases import small_trial
from tests.core.test_photo import COLD, DIM, WARM, in_light

LEAF, SOIL, MARK = (86, 128, 52), (96, 74, 55), (180, 60, 60)
POT_CM, OFF_CM = 20.0, (14.0, 12.0)  # how wide the rim is; its middle from the tag's upper left corner


def pot(leaves_cm, pixels_a_cm=30, size=(1200, 1000), at=(100, 90), turn=0.0, light=None):
    """A pot drawn from above with a mark at its rim: the picture, and its rim in pixels."""
    picture = np.full((size[1], size[0], 3), SOIL, np.uint8)
    turned = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])

    def px(x, y):
        return np.array(at) + turned @ (np.array([x, y]) * pixels_a_cm)

    middle = px(*OFF_CM)
    cv2.circle(picture, np.rint(middle).astype(int).tolist(), round(leaves_cm * pixels_a_cm), LEAF, -1)
    mark = px(OFF_CM[0] + 7, OFF_CM[1])
    cv2.circle(picture, np.rint(mark).astype(int).tolist(), round(0.8 * pixels_a_cm), MARK, -1)
    tagged = with_tag(picture, at=at, wide=8.0 * pixels_a_cm, turn=np.degrees(turn))
    shown = tagged if light is None else in_light(tagged, light)
    angles = np.linspace(0, 2 * np.pi, 24, endpoint=False)
    rim = middle + POT_CM / 2 * pixels_a_cm * np.column_stack([np.cos(angles), np.sin(angles)])
    return Snap(shown, find_tag(shown), rim)


def spot(picture):
    """Where the mark lies in a frame, and its colour."""
    red = picture[..., 0].astype(int) - picture[..., 1]
    where = np.argwhere(red > 70)
    y, x = where.mean(axis=0)
    return x, y, picture[where[:, 0], where[:, 1]].mean(axis=0)


PHONES = [
    {}, {"pixels_a_cm": 24, "size": (1000, 800), "at": (60, 70), "light": WARM},
    {"turn": 0.2, "at": (260, 60), "light": COLD}, {"pixels_a_cm": 36, "size": (1600, 1200), "light": DIM},
]  # fmt: skip


def test_all_frames_lie_on_each_other_at_one_scale_and_in_one_light():
    pictures = [pot(3.0, **phone) for phone in PHONES]
    wide = usual_width(pictures)
    assert wide == pytest.approx(1.3 * POT_CM, rel=0.02)
    spots = [spot(frame(taken, wide)) for taken in pictures]
    for x, y, colour in spots:
        assert (x, y) == pytest.approx((SIDE / 2 + 7 * SIDE / wide, SIDE / 2), abs=3), "where the mark lies on the rim"
        assert colour == pytest.approx(np.array(MARK), abs=14), "whatever the light"


def test_a_hand_that_moves_does_not_move_the_plant_where_nobody_has_outlined_it():
    moved = [replace(pot(3.0, at=at), outline=None) for at in ((100, 90), (160, 60), (60, 140))]
    centre = usual_centre(moved)
    spots = [spot(frame(snap, 30.0, centre))[:2] for snap in moved]
    assert spots[1] == pytest.approx(spots[0], abs=2)
    assert spots[2] == pytest.approx(spots[0], abs=2)
    alone = [spot(frame(snap, 30.0))[0] for snap in moved]
    assert max(alone) - min(alone) > 10, "by the picture’s own middle it would jump"
    assert usual_centre([pot(3.0)]) is None, "an outline tells it"
    outlined = pot(3.0)
    assert np.array_equal(frame(outlined, 26.0, centre), frame(outlined, 26.0)), "an outline counts for more"


def test_a_plant_that_grows_is_larger_and_nothing_else_is():
    small, large = (frame(pot(leaves, **phone), 26.0) for leaves, phone in ((3.0, PHONES[0]), (6.0, PHONES[1])))

    def green(picture):
        colours = picture.astype(int)
        return int((colours[..., 1] > colours[..., 0] + 15).sum())

    assert green(large) == pytest.approx(4 * green(small), rel=0.12)


def test_the_tag_is_painted_over_since_it_names_the_unit():
    drawn = frame(pot(3.0), 40.0)
    grey = cv2.cvtColor(drawn, cv2.COLOR_RGB2GRAY)
    assert grey.min() > 40, "no black of a marker or a code is left"
    with pytest.raises(PhotoProblem):
        find_tag(drawn)


def test_a_picture_of_the_night_is_no_frame_and_one_without_a_tag_is_its_middle():
    dark = pot(3.0)
    with pytest.raises(PhotoProblem, match="too dark"):
        frame(replace(dark, picture=np.asarray(dark.picture // 20, np.uint8)), 26.0)
    burnt = replace(dark, picture=np.full_like(dark.picture, 255))
    with pytest.raises(PhotoProblem, match="burnt out"):
        frame(burnt, 26.0)
    plain = np.full((600, 900, 3), SOIL, np.uint8)
    plain[250:350, 400:500] = LEAF
    middle = frame(Snap(plain), 0.0)
    assert middle.shape == (SIDE, SIDE, 3)
    assert tuple(middle[SIDE // 2, SIDE // 2]) == LEAF
    assert usual_width([Snap(plain)]) == 0.0


def test_two_of_twelve_units_are_enough(catalogue):
    trial = small_trial(catalogue)
    treated = next(unit for unit in trial.units if unit.letter == "A")
    control = next(unit for unit in trial.units if unit.letter == "B")
    both = strip_units(trial, {treated.id: [0, 14], control.id: [14]})
    assert {unit.code for unit in both} == {treated.code, control.code}
    assert (
        strip_units(trial, {treated.id: [0]}) == strip_units(trial, {control.id: [0]}) == strip_units(trial, {}) == ()
    )


@given(st.data())
def test_the_rows_are_one_of_each_with_most_days_in_an_order_that_tells_nothing(catalogue, data):
    trial = small_trial(catalogue)
    days = st.sets(st.integers(0, 9), max_size=6)
    photographed = {unit.id: data.draw(days) for unit in trial.units}
    rows = strip_units(trial, photographed)
    letters = [row.letter for row in rows]
    assert len(set(letters)) == len(letters)
    assert not rows or trial.control in letters
    swapped = replace(trial, units=tuple(replace(u, letter="B" if u.letter == "A" else "A") for u in trial.units))
    other = strip_units(replace(swapped, control="A"), photographed)
    assert [row.code for row in other] == [row.code for row in rows], "swapped lots, the same rows"


def test_what_the_eye_said_is_told_with_what_luck_does(catalogue):
    trial, at = small_trial(catalogue), datetime(2026, 5, 2, tzinfo=UTC)
    control = next(unit for unit in trial.units if unit.letter == trial.control)
    other = next(unit for unit in trial.units if unit.letter != trial.control)
    right = guess_words(Guess("Ilse", control.id, 2, at), trial)
    told = "Before the envelope was open, Ilse took one row of the pictures for plain water."
    assert right == f"{told} That was right. By luck alone 1 guess in 2 is right."
    wrong = guess_words(Guess("", other.id, 3, at), trial)
    assert wrong.startswith("Before the envelope was open, Somebody took")
    assert "It was another one." in wrong
    assert guess_words(Guess("", 999, 2, at), trial) == ""
