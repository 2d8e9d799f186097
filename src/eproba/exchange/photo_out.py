"""Numbers from pictures on disk, one line or JSON for each."""

import json
from collections.abc import Sequence
from dataclasses import asdict, dataclass, replace
from datetime import datetime
from io import BytesIO
from pathlib import Path

import cv2
import numpy as np
from PIL import Image, UnidentifiedImageError

from eproba.core.measuring.photo import Array, Cover, PhotoProblem, Picture, measure_cover
from eproba.core.measuring.tag import (
    Tag,
    cm_per_pixel,
    find_tag,
    gains,
    ground_under,
    in_its_light,
    inside,
    moved,
    read_code,
    scaled,
    without_tag,
)
from eproba.exchange.limits import MOST_PIXELS, MOST_PIXELS_UNPACKED

LONGEST_SIDE, LONGEST_SHARP = 1600, 4096  # pixels as kept, and in which a tag's code is read
KINDS = (".jpg", ".jpeg", ".png", ".webp")
NO_PICTURE = "This is no picture that can be read: take a JPEG, PNG or WebP."
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


def opened(content: bytes) -> tuple[Picture, float]:
    """A picture as an array, turned upright, and how many times its own size that is: a large JPEG is read halved.

    Raises
    ------
    PhotoProblem
        No JPEG, PNG or WebP, or far too many pixels.
    """
    try:
        with Image.open(BytesIO(content), formats=("JPEG", "PNG", "WEBP")) as file:
            pixels, most = file.width * file.height, MOST_PIXELS if file.format == "JPEG" else MOST_PIXELS_UNPACKED
        if pixels > most:
            text = f"This picture has too many pixels: take a smaller one, up to {most // 1_000_000} megapixels."
            raise PhotoProblem(text)
        halved = pixels > MOST_PIXELS_UNPACKED
        how = cv2.IMREAD_REDUCED_COLOR_2 if halved else cv2.IMREAD_COLOR
        read = cv2.imdecode(np.frombuffer(content, np.uint8), how)  # turned upright by its EXIF
        if read is None:
            raise PhotoProblem(NO_PICTURE)
        return np.asarray(cv2.cvtColor(read, cv2.COLOR_BGR2RGB, dst=read), dtype=np.uint8), 0.5 if halved else 1.0
    except PhotoProblem:
        raise
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, Image.DecompressionBombError) as error:
        raise PhotoProblem(NO_PICTURE) from error


def small(picture: Picture, longest: int = LONGEST_SIDE) -> tuple[Picture, float]:
    """At most so many pixels a side, and how many times as large that is."""
    height, width = picture.shape[:2]
    factor = min(1.0, longest / max(height, width))
    size = (max(1, round(width * factor)), max(1, round(height * factor)))
    return np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA), dtype=np.uint8), factor


def kept_small(content: bytes) -> bytes:
    """A photograph as it is kept: upright, small, without the place and device that a phone writes into it.

    Raises
    ------
    PhotoProblem
        See `opened`.
    """
    return jpeg_of(small(opened(content)[0])[0])


def files_of(paths: Sequence[Path]) -> list[Path]:
    """Every picture named, and those of a folder in the order of their names."""
    files: list[Path] = []
    for path in paths:
        inner = sorted(file for file in path.iterdir() if file.suffix.lower() in KINDS) if path.is_dir() else [path]
        files += inner
    return files


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
    looked = look(content, outline, with_tag)
    if looked.cover is None:
        raise PhotoProblem(looked.problem)
    return looked.found(name)


@dataclass(frozen=True)
class Looked:
    """A picture as it was looked at: upright and small (`factor` times its own size), its tag, what was measured.

    `lit`: the grey patches could be used; `problem` says why there is no number, or what it can't be used for.
    """

    picture: Picture
    factor: float
    tag: Tag | None = None
    cover: Cover | None = None
    lit: bool = False
    problem: str = ""

    def found(self, name: str = "") -> Found:
        """Its numbers, in percent and cm."""
        height, width = self.picture.shape[:2]
        unit = self.tag.unit if self.tag else None
        photo = Found(
            name,
            unit=unit[1] if unit else None,
            cm_per_px=cm_per_pixel(self.tag, height, width) * self.factor if self.tag else None,
            problem=self.problem or None,
        )
        if self.cover is None:
            return photo
        return replace(
            photo,
            cover=100 * self.cover.cover,
            greenness=self.cover.greenness if self.lit or self.tag is None else None,
            left_out=100 * self.cover.left_out,
            threshold=self.cover.threshold,
        )


def look(content: bytes, outline: Array | None = None, with_tag: bool = True) -> Looked:
    """Look at a picture; what is in the way of a number is told in its `problem`.

    Raises
    ------
    PhotoProblem
        No picture at all.
    """
    read, factor_read = opened(content)
    whole, factor_of_read = small(read, LONGEST_SHARP)
    del read  # it may be a hundred megabytes
    picture, factor_of_whole = small(whole)
    factor = factor_of_whole * factor_of_read * factor_read
    seen = Looked(picture, factor)
    try:
        if not with_tag:
            words = "Without a tag: greenness is not comparable between days."
            return replace(seen, cover=_covered(picture, seen, outline), problem=words)
        tag = find_tag(picture)
        seen = replace(seen, tag=replace(tag, text=read_code(whole, scaled(tag, 1 / factor_of_whole))))
        factors = gains(picture, tag)
        problems = [] if seen.tag and seen.tag.unit else ["The tag’s code can’t be read: hold still, or go nearer."]
        problems += [NOT_COMPARABLE] if factors is None else []
        lit = picture if factors is None else in_its_light(picture, factors)
        cover = _covered(lit, seen, outline)
        return replace(seen, cover=cover, lit=factors is not None, problem=" ".join(problems))
    except PhotoProblem as problem:
        return replace(seen, problem=str(problem))


def look_again(picture: Picture, tag: Tag | None, outline: Array | None) -> Looked:
    """A kept picture with another outline; its tag is where it was found at first."""
    seen = Looked(picture, 1.0, tag)
    factors = None if tag is None else gains(picture, tag)
    lit = picture if factors is None else in_its_light(picture, factors)
    try:
        cover = _covered(lit, seen, outline)
    except PhotoProblem as problem:
        return replace(seen, problem=str(problem))
    return replace(seen, cover=cover, lit=factors is not None, problem="" if factors is not None else NOT_COMPARABLE)


def carried_over(looked: Looked, outline: Array, to_cm: Array) -> tuple[Looked, Array | None]:
    """Look again inside the outline of an earlier picture: it lies as it lay to the tag. Without a tag: as it was."""
    if looked.tag is None:
        return looked, None
    outline_now = moved(moved(outline, to_cm), looked.tag.to_px)
    again = look_again(looked.picture, looked.tag, outline_now)
    return replace(again, factor=looked.factor, problem=again.problem or looked.problem), outline_now


def jpeg_of(picture: Picture) -> bytes:
    """A picture as it is kept: without the place and device that a phone writes into it."""
    file = BytesIO()
    Image.fromarray(picture).save(file, "JPEG", quality=82, optimize=True)
    return file.getvalue()


def mask_of(looked: Looked) -> bytes:
    """What was counted as green stands in its colours, all else in grey: a JPEG."""
    grey = np.repeat(looked.picture.mean(axis=2, keepdims=True) * 0.6 + 90, 3, axis=2).astype(np.uint8)
    if looked.cover is not None:
        block = looked.cover.block
        plants = np.kron(looked.cover.plants, np.ones((block, block), bool))
        height, width = plants.shape
        grey[:height, :width][plants] = looked.picture[:height, :width][plants]
    return jpeg_of(grey)


def taken_at(content: bytes) -> datetime | None:
    """When a phone says that it took the picture, by its own clock."""
    try:
        with Image.open(BytesIO(content)) as file:
            stamp = file.getexif().get_ifd(0x8769).get(0x9003) or file.getexif().get(0x0132)
        return datetime.strptime(str(stamp), "%Y:%m:%d %H:%M:%S").astimezone() if stamp else None
    except (OSError, ValueError, SyntaxError, OverflowError):
        return None


def _covered(lit: Picture, seen: Looked, outline: Array | None) -> Cover:
    height, width = lit.shape[:2]
    mask = None if outline is None else inside(outline * seen.factor, height, width)
    if seen.tag is None:
        return measure_cover(lit, mask)
    apart = without_tag(seen.tag, height, width)
    return measure_cover(lit, apart if mask is None else mask & apart, ground_under(seen.tag, height, width))


def photo_json(photos: Sequence[Found]) -> str:
    return json.dumps([asdict(photo) for photo in photos], ensure_ascii=False, allow_nan=False, indent=2)


def photo_text(photos: Sequence[Found]) -> str:
    """A line for each picture."""
    return "\n".join(_line(photo) for photo in photos)


def _line(photo: Found) -> str:
    parts = [photo.unit or "no unit"]
    if photo.cover is not None:
        parts.append(f"cover {photo.cover:.1f} %")
    if photo.greenness is not None:
        parts.append(f"greenness {photo.greenness:.3f}")
    if photo.cm_per_px is not None:
        parts.append(f"{photo.cm_per_px:.3f} cm a pixel")
    return f"{photo.file}: {', '.join(parts)}{'. ' + photo.problem if photo.problem else ''}"
