"""Photographs as they are kept: upright, small, without the place and device that a phone writes into them."""

from io import BytesIO

from PIL import Image, ImageOps, UnidentifiedImageError

from eproba.core.errors import EprobaError

LONGEST_SIDE, QUALITY = 1400, 80
MOST_PIXELS = 60_000_000


class PhotoError(EprobaError):
    """A file that is no photograph that can be kept; the message says what fits."""


def photo(content: bytes) -> bytes:
    """A JPEG of at most 1400 pixels a side.

    Raises
    ------
    PhotoError
        For what is no JPEG, PNG or WebP, or far too large.
    """
    try:
        with Image.open(BytesIO(content), formats=("JPEG", "PNG", "WEBP")) as opened:
            if opened.width * opened.height > MOST_PIXELS:
                raise PhotoError("This photo has too many pixels: take a smaller one, up to 60 megapixels.")
            upright = ImageOps.exif_transpose(opened).convert("RGB")
    except PhotoError:
        raise
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, Image.DecompressionBombError) as error:
        raise PhotoError("This is no photo that can be read: take a JPEG, PNG or WebP.") from error
    upright.thumbnail((LONGEST_SIDE, LONGEST_SIDE))
    kept = BytesIO()
    upright.save(kept, "JPEG", quality=QUALITY, optimize=True)
    return kept.getvalue()
