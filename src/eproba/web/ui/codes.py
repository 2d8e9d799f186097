"""Codes that a phone scans."""

from functools import lru_cache

import segno
from markupsafe import Markup


@lru_cache(maxsize=256)  # a sheet of labels is looked at before it is printed
def qr_code(address: str, error: str = "m") -> Markup:
    """An address as a QR code, in SVG that grows with its box; `error`: how much of it may be dirty."""
    return Markup(segno.make(address, error=error).svg_inline(border=2, omitsize=True))  # noqa: S704 (segno's own SVG)
