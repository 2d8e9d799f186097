"""Cover and greenness from a picture: an array in, numbers out.

References
----------
Woebbecke, D. M., Meyer, G. E., Von Bargen, K. & Mortensen, D. A. (1995). Color indices for weed identification under
various soil, residue, and lighting conditions. Transactions of the ASAE 38: the excess green index.
Otsu, N. (1979). A threshold selection method from gray-level histograms. IEEE Transactions on Systems, Man, and
Cybernetics 9.
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from eproba.core.errors import EprobaError

Picture = NDArray[np.uint8]  # (height, width, 3), red, green, blue
Array = NDArray[np.float64]
Mask = NDArray[np.bool_]
DARK, BURNT = 60.0, 250.0  # of red + green + blue; of any one of them
MOST_LEFT_OUT = 0.10
USUAL_THRESHOLD = 0.10
THRESHOLDS = (0.05, 0.30)
LEAST_APART = 0.12  # between the means of soil and leaves, or Otsu's split is one of noise
BINS = 256


class PhotoProblem(EprobaError):
    """A picture that gives no number; the message says what to do."""


@dataclass(frozen=True)
class Cover:
    """What a picture gives: shares from 0 to 1, and the plants as they were found.

    `cover` of the unit that is green, `greenness` the mean G/(R + G + B) of the plants (None: none), `left_out` the
    share that is too dark or burnt out, `threshold` of excess green, `plants` a mask of blocks of `block` pixels.
    """

    cover: float
    greenness: float | None
    left_out: float
    threshold: float
    plants: Mask
    block: int


def excess_green(picture: NDArray[np.generic]) -> Array:
    """(2G − R − B)/(R + G + B); 0 where all is black. Shape (…,)."""
    colours = picture.astype(np.float64)
    total = colours.sum(axis=-1)
    return np.asarray((3 * colours[..., 1] - total) / np.where(total > 0, total, 1.0))


def greenness(picture: NDArray[np.generic]) -> Array:
    """G/(R + G + B); a third where all is black. Shape (…,)."""
    return np.asarray((excess_green(picture) + 1) / 3)


def measure_cover(picture: Picture, outline: Mask | None = None, area: Array | None = None) -> Cover:
    """Share of the unit that is green.

    Parameters
    ----------
    picture : (h, w, 3), its light set right.
    outline : (h, w) which pixels belong to the unit; None: all.
    area : (h, w) ground under each pixel, in any unit, where the picture looks at it from one side; None: all alike.

    Raises
    ------
    PhotoProblem
        Nothing inside the outline, or more than a tenth of it too dark or burnt out.
    """
    block = block_size(picture.shape[0], picture.shape[1])
    colours = _averaged(picture, block)
    inside = np.ones(colours.shape[:2], bool) if outline is None else _averaged(outline, block) > 0.5
    weight = np.ones(colours.shape[:2]) if area is None else _averaged(area, block)
    if not inside.any():
        raise PhotoProblem("Nothing of the picture lies inside the outline: tap the four corners of the unit again.")
    spoilt = (colours.sum(axis=-1) < DARK) | (colours.max(axis=-1) >= BURNT)
    left_out = float(weight[inside & spoilt].sum() / weight[inside].sum())
    if left_out > MOST_LEFT_OUT:
        text = f"{100 * left_out:.0f} % of it is too dark or burnt out by the sun"
        raise PhotoProblem(f"{text}: take it again in even shade, or with all of it in the sun.")
    kept = inside & ~spoilt
    green = excess_green(colours)
    threshold = split(green[kept])
    plants = kept & (green > threshold)
    shade = greenness(colours[plants])
    return Cover(
        cover=float(weight[plants].sum() / weight[kept].sum()),
        greenness=float(np.average(shade, weights=weight[plants])) if plants.any() else None,
        left_out=left_out,
        threshold=threshold,
        plants=plants,
        block=block,
    )


def block_size(height: int, width: int) -> int:
    """Pixels to a side that are averaged: 2 to 4, so that the grain of soil and sensor goes and small leaves stay."""
    return int(np.clip(round(max(height, width) / 500), 2, 4))


def split(values: Array) -> float:
    """The threshold between soil and leaves: Otsu's where it is one, else the usual."""
    low, high = float(values.min()), float(values.max())
    if high - low < LEAST_APART:
        return USUAL_THRESHOLD
    counts, edges = np.histogram(values, BINS, (low, high))
    middle = (edges[:-1] + edges[1:]) / 2
    below, sums = np.cumsum(counts), np.cumsum(counts * middle)
    above = below[-1] - below
    with np.errstate(divide="ignore", invalid="ignore"):
        first, second = sums / below, (sums[-1] - sums) / above
        between = np.where((below > 0) & (above > 0), below * above * (first - second) ** 2, -1.0)
    best = int(np.argmax(between))
    edge = float(edges[best + 1])
    fits = THRESHOLDS[0] <= edge <= THRESHOLDS[1] and second[best] - first[best] >= LEAST_APART
    return edge if fits else USUAL_THRESHOLD


def _averaged(values: NDArray[np.generic], block: int) -> Array:
    """Means over blocks; what does not fill a block at the right and the foot is left off."""
    height, width = values.shape[0] // block, values.shape[1] // block
    cut = values[: height * block, : width * block].astype(np.float32)
    means = cv2.resize(cut, (width, height), interpolation=cv2.INTER_AREA)
    return np.asarray(means, dtype=np.float64)
