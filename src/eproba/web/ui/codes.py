"""Codes that a phone scans."""

import segno
from markupsafe import Markup


def qr_code(address: str) -> Markup:
    """An address as a QR code, in SVG that grows with its box."""
    return Markup(segno.make(address, error="m").svg_inline(border=2, omitsize=True))  # noqa: S704 (segno's own SVG)
