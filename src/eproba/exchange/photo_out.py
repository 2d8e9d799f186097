"""Numbers from pictures on disk, one line or JSON for each."""

import json
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from io import BytesIO
from pathlib import Path

import numpy as np
from PIL import Image, ImageOps, UnidentifiedImageError

from eproba.core.measuring.photo import Array, PhotoProblem, Picture, measure_cover
from eproba.core.measuring.tag import (
    Tag,
    cm_per_pixel,
    find_tag,
    gains,
    ground_under,
    in_its_light,
    inside,
    read_code,
    scaled,
    without_tag,
)

LONGEST_SIDE = 1600
MOST_PIXELS = 100_000_000
KINDS = (".jpg", ".jpeg", ".png", ".webp")
NOT_COMPARABLE = "The grey patches can’t be used: greenness is not comparable between days."


@dataclass(frozen=True)
class Found:
    """What one picture gives: `cover` and `left_out` in percent; None for what there is not; `problem`: why."""

    file: str
    unit: str | None = None
    cm_per_px: float | None = None
    cover: float | None = None
    greenness: float | None = None
    left_out: float | None = None
    threshold: float | None = None
    problem: str | None = None


def opened(content: bytes) -> Picture:
    """A picture as an array, turned upright, at its full size.

    Raises
    ------
    PhotoProblem
        No JPEG, PNG or WebP, or far too many pixels.
    """
    try:
        with Image.open(BytesIO(content), formats=("JPEG", "PNG", "WEBP")) as file:
            if file.width * file.height > MOST_PIXELS:
                raise PhotoProblem("This picture has too many pixels: take a smaller one, up to 100 megapixels.")
            return np.asarray(ImageOps.exif_transpose(file).convert("RGB"))
    except PhotoProblem:
        raise
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, Image.DecompressionBombError) as error:
        raise PhotoProblem("This is no picture that can be read: take a JPEG, PNG or WebP.") from error


def small(picture: Picture) -> tuple[Picture, float]:
    """At most 1600 pixels a side, and how many times as large that is."""
    image = Image.fromarray(picture)
    image.thumbnail((LONGEST_SIDE, LONGEST_SIDE), Image.Resampling.BOX)
    return np.asarray(image), image.width / picture.shape[1]


def files_of(paths: Sequence[Path]) -> list[Path]:
    """Every picture named, and those of a folder in the order of their names."""
    found: list[Path] = []
    for path in paths:
        inner = sorted(each for each in path.iterdir() if each.suffix.lower() in KINDS) if path.is_dir() else [path]
        found += inner
    return found


def photo_found(path: Path, outline: Array | None = None, with_tag: bool = True) -> Found:
    """Measure one file; a fault is told in `problem`, never raised."""
    try:
        return measured(path.name, path.read_bytes(), outline, with_tag)
    except OSError as error:
        return Found(path.name, problem=f"It can’t be read ({error.strerror}).")
    except PhotoProblem as problem:
        return Found(path.name, problem=str(problem))


def measured(name: str, content: bytes, outline: Array | None = None, with_tag: bool = True) -> Found:
    """Measure a picture; `outline` in its own pixels once it is upright: (n, 2).

    Raises
    ------
    PhotoProblem
        No picture, no tag where there should be one, or light that gives no number.
    """
    whole = opened(content)
    picture, factor = small(whole)
    height, width = picture.shape[:2]
    mask = None if outline is None else inside(outline * factor, height, width)
    if not with_tag:
        cover = measure_cover(picture, mask)
        told = "Without a tag: greenness is not comparable between days."
        return _told(Found(name, problem=told), cover.cover, cover.greenness, cover.left_out, cover.threshold)
    tag = find_tag(picture)
    text = read_code(whole, scaled(tag, 1 / factor))
    unit = Tag(tag.to_cm, text).unit
    factors = gains(picture, tag)
    lit = picture if factors is None else in_its_light(picture, factors)
    apart = without_tag(tag, height, width)
    cover = measure_cover(lit, apart if mask is None else mask & apart, ground_under(tag, height, width))
    problems = [] if unit else ["The tag’s code can’t be read: hold still, or go nearer."]
    problems += [NOT_COMPARABLE] if factors is None else []
    start = Found(
        name,
        unit=unit[1] if unit else None,
        cm_per_px=cm_per_pixel(tag, height, width) * factor,
        problem=" ".join(problems) or None,
    )
    shade = None if factors is None else cover.greenness
    return _told(start, cover.cover, shade, cover.left_out, cover.threshold)


def _told(start: Found, cover: float, greenness: float | None, left_out: float, threshold: float) -> Found:
    known = {name: value for name, value in asdict(start).items() if value is not None}
    numbers = {"cover": 100 * cover, "left_out": 100 * left_out, "threshold": threshold}
    return Found(**{**known, **numbers, **({} if greenness is None else {"greenness": greenness})})


def photo_json(found: Sequence[Found]) -> str:
    return json.dumps([asdict(each) for each in found], ensure_ascii=False, allow_nan=False, indent=2)


def photo_text(found: Sequence[Found]) -> str:
    """A line for each picture."""
    return "\n".join(_line(each) for each in found)


def _line(each: Found) -> str:
    parts = [each.unit or "no unit"]
    if each.cover is not None:
        parts.append(f"cover {each.cover:.1f} %")
    if each.greenness is not None:
        parts.append(f"greenness {each.greenness:.3f}")
    if each.cm_per_px is not None:
        parts.append(f"{each.cm_per_px:.3f} cm a pixel")
    return f"{each.file}: {', '.join(parts)}{'. ' + each.problem if each.problem else ''}"
