"""A simulated camera: seeded leaves on soil whose cover is known, and the unit's tag as it is printed."""

import functools
import io
from dataclasses import dataclass
from datetime import datetime

import cv2
import numpy as np
import segno
from numpy.typing import NDArray
from PIL import Image

from eproba.core.measuring import tag as tags

Picture = NDArray[np.uint8]
LEAF, SOIL = (86, 128, 52), (96, 74, 55)
SIZE = (1600, 1200)


@dataclass(frozen=True)
class SimulatedCamera:
    """The stand-in for a phone's camera: it draws a pot's soil and leaves with the tag in it."""

    address: str
    name: str = "camera"
    simulated: bool = True

    def now(self, at: datetime) -> bytes:
        """A picture of this moment, a JPEG; leaves grow for four weeks, then begin anew."""
        rng = np.random.default_rng(list(self.address.encode()))
        share = 0.06 + 0.02 * (at.toordinal() % 28) + float(rng.uniform(0, 0.1))
        picture, _ = scene(round(share, 3), SIZE, seed=int(rng.integers(1, 1000)))
        return jpeg(with_tag(picture, self.address, at=(90, 90), wide=520.0, turn=float(rng.uniform(-4, 4))))


@functools.cache
def scene(
    share: float, size: tuple[int, int] = (1200, 900), seed: int = 1, grain: float = 6.0
) -> tuple[Picture, float]:
    """Discs of leaf on soil until `share` of it is covered; the picture and its true share."""
    rng = np.random.default_rng(seed)
    width, height = size
    leaves = np.zeros((height, width), np.uint8)
    leaf = np.pi * 26**2 / (width * height)
    while (covered := cv2.countNonZero(leaves) / leaves.size) < share:
        for _ in range(max(1, int((share - covered) / leaf / 4))):
            middle = (int(rng.integers(0, width)), int(rng.integers(0, height)))
            cv2.circle(leaves, middle, int(rng.integers(12, 40)), 1, -1)
    picture = np.where(leaves[..., None] > 0, LEAF, SOIL) + rng.normal(0, grain, (height, width, 3))
    pixels = np.clip(picture, 0, 255).astype(np.uint8)
    pixels.setflags(write=False)
    return pixels, covered


def printed(text: str, pixels_a_cm: float = 60) -> Picture:
    """The tag as it is printed."""
    tall, wide = round(tags.TALL * pixels_a_cm), round(tags.WIDE * pixels_a_cm)
    card = np.full((tall, wide, 3), 255, np.uint8)

    def box(at: tuple[float, float], side: float) -> tuple[slice, slice, int]:
        x, y, size = (round(length * pixels_a_cm) for length in (*at, side))
        return slice(y, y + size), slice(x, x + size), size

    for number, at in enumerate(tags.MARKERS):
        rows, columns, size = box(at, tags.MARKER)
        black = cv2.resize(tags.marker_pattern(number).astype(np.uint8), (size, size), interpolation=cv2.INTER_NEAREST)
        card[rows, columns] = np.where(black[..., None] > 0, 0, 255)
    for at, level in tags.PATCHES:
        rows, columns, _ = box(at, tags.PATCH)
        card[rows, columns] = level
    rows, columns, size = box(tags.CODE_AT, tags.CODE)
    drawn = io.BytesIO()
    segno.make(text, error="m").save(drawn, kind="png", scale=8, border=2)
    code = np.asarray(Image.open(drawn).convert("L").resize((size, size), Image.Resampling.NEAREST))
    card[rows, columns] = code[..., None]
    return card


def with_tag(
    picture: Picture, text: str = "http://192.168.1.5:8080/t/0123456789abcdef/P3", at: tuple[float, float] = (120, 120),
    wide: float = 320.0, tilt: float = 0.0, turn: float = 0.0,
) -> Picture:  # fmt: skip
    """The tag laid into a picture; `tilt`: degrees to which the far edge leans away, `turn`: degrees around."""
    card = printed(text)
    tall, across = card.shape[:2]
    scale, lean = wide / across, np.tan(np.radians(tilt)) * 0.25
    corners = np.array([[0, 0], [across, 0], [across, tall], [0, tall]], float) * scale
    corners[:2, 0] = corners[:2, 0] * (1 - lean) + corners[:, 0].mean() * lean
    corners[:2, 1] += corners[:, 1].max() * (1 - np.cos(np.radians(tilt)))
    round_about = np.radians(turn)
    turned = np.array([[np.cos(round_about), -np.sin(round_about)], [np.sin(round_about), np.cos(round_about)]])
    placed = corners @ turned.T + np.array(at)
    source = np.array([[0, 0], [across, 0], [across, tall], [0, tall]], np.float32)
    lead = cv2.getPerspectiveTransform(source, placed.astype(np.float32))
    size = (picture.shape[1], picture.shape[0])
    laid = cv2.warpPerspective(card, lead, size, flags=cv2.INTER_AREA)
    mask = cv2.warpPerspective(np.full(card.shape[:2], 255, np.uint8), lead, size)
    return np.where(mask[..., None] > 127, laid, picture).astype(np.uint8)


def jpeg(picture: Picture, quality: int = 92) -> bytes:
    file = io.BytesIO()
    Image.fromarray(picture).save(file, "JPEG", quality=quality)
    return file.getvalue()
