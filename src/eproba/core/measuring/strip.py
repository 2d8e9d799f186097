"""The same unit day by day: each picture laid upright by its tag, at one scale, in one light, so that only the plant
differs. The tag itself is painted over: it names the unit."""

from dataclasses import dataclass

import cv2
import numpy as np

from eproba.core.measuring.photo import DARK, Array, PhotoProblem, Picture
from eproba.core.measuring.tag import TALL, WIDE, Tag, cm_per_pixel, gains, in_its_light, moved

SIDE = 240  # pixels of a frame
AROUND = 1.3  # times as wide as the rim
TAG_COLOUR = (214, 210, 200)
EDGE = 0.4  # cm that are painted over around the tag


@dataclass(frozen=True)
class Snap:
    """A picture as it is kept: with its tag (None: none was found), and the unit's outline in pixels (n, 2)."""

    picture: Picture
    tag: Tag | None = None
    outline: Array | None = None

    @property
    def wide_cm(self) -> float | None:
        """How much ground its frame should show: the unit with a margin, else all that it shows; None without tag."""
        if self.tag is None:
            return None
        if self.outline is not None:
            rim = moved(np.asarray(self.outline, dtype=np.float64), self.tag.to_cm)
            return float(np.ptp(rim, axis=0).max()) * AROUND
        height, width = self.picture.shape[:2]
        return float(cm_per_pixel(self.tag, height, width) * min(height, width))


def usual_width(pictures: list[Snap]) -> float:
    """How much ground all frames of a strip show, in cm: the middle one of what each should show."""
    widths = [width for width in (snap.wide_cm for snap in pictures) if width is not None]
    return float(np.median(widths)) if widths else 0.0


def usual_centre(snaps: list[Snap]) -> Array | None:
    """Where a unit lies from its tag, in cm, where nobody has outlined it: the middle one of what its pictures show, so
    that a hand that moves does not move the plant. None without a tag."""
    centres = [_centre(snap, snap.tag) for snap in snaps if snap.tag is not None and snap.outline is None]
    return np.median(np.array(centres), axis=0) if centres else None


def frame(snap: Snap, wide_cm: float, centre: Array | None = None, side: int = SIDE) -> Picture:
    """One frame of a strip, (side, side, 3).

    Parameters
    ----------
    snap : without a tag its middle is cut out, as it is.
    wide_cm : how much ground it shows.
    centre : where the unit lies from its tag, in cm, (2,); None, or an outline that is known: what the picture tells.

    Raises
    ------
    PhotoProblem
        Snap at night, or its grey patches are black or burnt out.
    """
    if float(snap.picture.mean()) * 3 < DARK:
        raise PhotoProblem("too dark")
    if snap.tag is None or wide_cm <= 0:
        return _middle(snap.picture, side)
    factors = gains(snap.picture, snap.tag)
    if factors is None:
        raise PhotoProblem("too dark, or burnt out by the sun")
    lit = in_its_light(snap.picture, factors)
    middle = _centre(snap, snap.tag) if centre is None or snap.outline is not None else centre
    scale = side / wide_cm
    corner = middle - wide_cm / 2
    upright = np.array([[scale, 0, -corner[0] * scale], [0, scale, -corner[1] * scale], [0, 0, 1]])
    laid = cv2.warpPerspective(
        lit, upright @ snap.tag.to_cm, (side, side), flags=cv2.INTER_AREA, borderValue=TAG_COLOUR
    )
    card = np.array([[-EDGE, -EDGE], [WIDE + EDGE, -EDGE], [WIDE + EDGE, TALL + EDGE], [-EDGE, TALL + EDGE]])
    cv2.fillPoly(laid, [np.rint(moved(card, upright)).astype(np.int32)], TAG_COLOUR)
    return np.asarray(laid, dtype=np.uint8)


def _centre(snap: Snap, tag: Tag) -> Array:
    """The middle of the unit on its ground, in cm: of its rim, else of what the picture shows."""
    if snap.outline is not None:
        rim = moved(np.asarray(snap.outline, dtype=np.float64), tag.to_cm)
        return np.asarray((rim.min(axis=0) + rim.max(axis=0)) / 2)
    height, width = snap.picture.shape[:2]
    return np.asarray(moved(np.array([[width / 2, height / 2]]), tag.to_cm)[0])


def _middle(picture: Picture, side: int) -> Picture:
    """The square in the middle."""
    height, width = picture.shape[:2]
    edge = min(height, width)
    top, left = (height - edge) // 2, (width - edge) // 2
    square = picture[top : top + edge, left : left + edge]
    return np.asarray(cv2.resize(square, (side, side), interpolation=cv2.INTER_AREA), dtype=np.uint8)
