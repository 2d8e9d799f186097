"""A unit's printed tag as seen in a picture: which unit it is, how large a pixel is, how the light falls.

Four square markers at its corners give scale and perspective, a code says which unit it is, three grey patches give
exposure and white balance. All lengths of the tag are in cm, from its upper left corner.
"""

import math
import re
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from eproba.core.measuring.photo import Array, Mask, PhotoProblem, Picture

WIDE, TALL = 8.0, 5.0
MARKER = 1.2
MARKERS = ((0.3, 0.3), (6.5, 0.3), (6.5, 3.5), (0.3, 3.5))  # of the markers 0 to 3, clockwise
CODE, CODE_AT = 3.4, (1.65, 0.3)
PATCH, PATCHES = 1.0, (((5.3, 0.5), 64), ((5.3, 1.6), 128), ((5.3, 2.7), 192))
NAMES_A_UNIT = re.compile(r"/t/([\w-]+)/([A-Z]\d{1,4})$")
DICTIONARY = cv2.aruco.DICT_4X4_50
CIRCLE_POINTS = 24
CLIPPED = (6.0, 249.0)
CODE_PIXELS = (480, 640, 320)  # the code is drawn upright so large before it is read, one size after the other


@dataclass(frozen=True)
class Tag:
    """A tag in a picture: `to_cm` (3, 3) leads from pixels onto its plane, `text` is its code (empty: not read)."""

    to_cm: Array
    text: str = ""

    @property
    def to_px(self) -> Array:
        """From its plane into the picture: (3, 3)."""
        return np.asarray(np.linalg.inv(self.to_cm), dtype=np.float64)

    @property
    def unit(self) -> tuple[str, str] | None:
        """The key of the trial and the unit's code, where the code is one of ours."""
        match = NAMES_A_UNIT.search(self.text)
        return (match[1], match[2]) if match else None


def marker_pattern(number: int) -> NDArray[np.bool_]:
    """The black squares of a marker, border included: (6, 6)."""
    drawn = cv2.aruco.generateImageMarker(cv2.aruco.getPredefinedDictionary(DICTIONARY), number, 6)
    return np.asarray(drawn == 0)


def find_tag(picture: Picture) -> Tag:
    """The one tag of a picture, without its code.

    Raises
    ------
    PhotoProblem
        None, only a piece of one, or two.
    """
    grey = cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY)
    options = cv2.aruco.DetectorParameters()
    options.cornerRefinementMethod = cv2.aruco.CORNER_REFINE_SUBPIX
    corners, numbers, _ = cv2.aruco.ArucoDetector(cv2.aruco.getPredefinedDictionary(DICTIONARY), options).detectMarkers(
        grey
    )
    ids_seen = [] if numbers is None else [int(number) for number in numbers.ravel()]
    known = [number for number in ids_seen if number < len(MARKERS)]
    if len(known) != len(set(known)):
        raise PhotoProblem("Two tags are in this picture: one unit and its tag in each.")
    if not known:
        raise PhotoProblem("No tag is found: lay the unit’s printed tag flat beside the plant, in the picture whole.")
    if len(known) < 3:
        raise PhotoProblem("Only a piece of the tag is seen: no leaf over its corners, no glare, nearer or steadier.")
    seen = np.concatenate([corners[ids_seen.index(number)].reshape(4, 2) for number in known])
    true = np.concatenate([_corners(MARKERS[number]) for number in known])
    to_cm, _ = cv2.findHomography(seen.astype(np.float64), true)
    if to_cm is None:
        raise PhotoProblem("The tag lies too flat to the eye: take the picture more from above.")
    return Tag(np.asarray(to_cm, dtype=np.float64))


def _corners(at: tuple[float, float]) -> Array:
    x, y = at
    return np.array([[x, y], [x + MARKER, y], [x + MARKER, y + MARKER], [x, y + MARKER]])


def read_code(picture: Picture, tag: Tag) -> str:
    """What the tag's code says; empty where it can't be read."""
    for size in CODE_PIXELS:
        scale = size / (CODE + 0.6)
        upright = np.array(
            [[scale, 0, -(CODE_AT[0] - 0.3) * scale], [0, scale, -(CODE_AT[1] - 0.3) * scale], [0, 0, 1]]
        )
        drawn = cv2.cvtColor(cv2.warpPerspective(picture, upright @ tag.to_cm, (size, size)), cv2.COLOR_RGB2GRAY)
        for detector in (cv2.QRCodeDetectorAruco(), cv2.QRCodeDetector()):
            text, _, _ = detector.detectAndDecode(drawn)
            if text:
                return str(text)
    return ""


def scaled(tag: Tag, factor: float) -> Tag:
    """The same tag in a picture that is `factor` times as large."""
    return Tag(tag.to_cm @ np.diag([1 / factor, 1 / factor, 1.0]), tag.text)


def gains(picture: Picture, tag: Tag) -> Array | None:
    """What each channel is to be multiplied by, so that the patches are grey and at their level: (3,).

    None where fewer than two patches are neither black nor burnt out.
    """
    to_px = tag.to_px
    seen, true = [], []
    for (x, y), level in PATCHES:
        inner = [(x + a * PATCH, y + b * PATCH) for b in (0.3, 0.4, 0.5, 0.6, 0.7) for a in (0.3, 0.4, 0.5, 0.6, 0.7)]
        spots = np.rint(moved(np.array(inner), to_px)).astype(int)
        if (spots < 0).any() or (spots >= np.array(picture.shape[1::-1])).any():
            continue
        mean = picture[spots[:, 1], spots[:, 0]].astype(np.float64).mean(axis=0)
        if mean.min() > CLIPPED[0] and mean.max() < CLIPPED[1]:
            seen.append(mean)
            true.append(float(level))
    if len(seen) < 2:
        return None
    colours, levels = np.array(seen), np.array(true)
    return np.asarray((colours * levels[:, None]).sum(axis=0) / (colours**2).sum(axis=0))


def in_its_light(picture: Picture, factors: Array) -> Picture:
    """The picture as it would be in the light for which the patches are grey."""
    levels = np.clip(np.rint(np.arange(256)[:, None] * factors), 0, 255).astype(np.uint8)
    return np.asarray(cv2.LUT(picture, levels[None]))


def moved(points: Array, by: Array) -> Array:
    """Points (n, 2) through a homography."""
    flat = np.column_stack([points, np.ones(len(points))]) @ by.T
    return np.asarray(flat[:, :2] / flat[:, 2:])


def circle_around(middle: Array, rim: Array, tag: Tag | None) -> Array:
    """A pot's rim as a polygon in pixels (24, 2), from its middle and one point on it, each (2,).

    With a tag it is round on the ground, so an oval in a picture that was taken aslant.
    """
    flat = np.vstack([middle, rim]).astype(np.float64)
    ground = flat if tag is None else moved(flat, tag.to_cm)
    radius = float(np.hypot(*(ground[1] - ground[0])))
    turns = 2 * np.pi * np.arange(CIRCLE_POINTS) / CIRCLE_POINTS
    around = ground[0] + radius * np.column_stack([np.cos(turns), np.sin(turns)])
    return np.asarray(around if tag is None else moved(around, tag.to_px))


def ground_under(tag: Tag, height: int, width: int) -> Array:
    """cm² of the tag's plane under each pixel: (height, width); what lies beyond the horizon has none."""
    across, down = tag.to_cm[2, 0] * np.arange(width), tag.to_cm[2, 1] * np.arange(height)
    depth = across[None, :] + down[:, None] + tag.to_cm[2, 2]
    side = float(np.sign(depth[_middle(tag, height, width)]))
    with np.errstate(divide="ignore"):
        area = abs(np.linalg.det(tag.to_cm)) / np.abs(depth * depth * depth)
    usual = float(area[_middle(tag, height, width)])
    return np.asarray(np.where(depth * side > 0, np.minimum(area, 20 * usual), 0.0))


def _middle(tag: Tag, height: int, width: int) -> tuple[int, int]:
    """The pixel in the middle of the tag, kept inside the picture."""
    x, y = moved(np.array([[WIDE / 2, TALL / 2]]), tag.to_px)[0]
    return int(np.clip(y, 0, height - 1)), int(np.clip(x, 0, width - 1))


def cm_per_pixel(tag: Tag, height: int, width: int) -> float:
    """How much ground a pixel is wide, at the tag."""
    down, across = _middle(tag, height, width)
    depth = tag.to_cm[2] @ np.array([across, down, 1.0])
    return math.sqrt(abs(float(np.linalg.det(tag.to_cm)) / float(depth) ** 3))


def inside(points: Array, height: int, width: int) -> Mask:
    """The pixels inside a polygon (n, 2): (height, width)."""
    drawn = np.zeros((height, width), np.uint8)
    cv2.fillPoly(drawn, [np.rint(points).astype(np.int32)], 1)
    return np.asarray(drawn > 0)


def without_tag(tag: Tag, height: int, width: int) -> Mask:
    """Every pixel but those of the tag, with a finger's breadth around it."""
    edge = np.array([[-0.5, -0.5], [WIDE + 0.5, -0.5], [WIDE + 0.5, TALL + 0.5], [-0.5, TALL + 0.5]])
    return ~inside(moved(edge, tag.to_px), height, width)
