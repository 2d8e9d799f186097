"""Codes that a phone scans."""

import segno
from markupsafe import Markup


def qr_code(address: str, error: str = "m") -> Markup:
    """An address as a QR code, in SVG that grows with its box; `error`: how much of it may be dirty."""
    return Markup(segno.make(address, error=error).svg_inline(border=2, omitsize=True))  # noqa: S704 (segno's own SVG)
