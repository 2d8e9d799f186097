"""A picture for a message, 1200 × 630: the verdict, the question, how far to trust it; never the gain alone."""

import io
from collections.abc import Mapping, Sequence

from PIL import Image, ImageDraw, ImageFont

from eproba.core.judging.judgement import Judgement
from eproba.core.judging.trust_line import TrustLine
from eproba.core.trial.claim import claim_of
from eproba.core.trial.model import Trial
from eproba.core.wording.card import stands_behind
from eproba.core.words import lower_first, plural
from eproba.web.pictures.shared_ruler import SharedRuler
from eproba.web.ui.responses import STATIC
from eproba.web.verdict.page import ComparisonShown

WIDTH, HEIGHT, PAD = 1200, 630, 56
SLATE, PAPER, STRING, DUST = "#1f2b33", "#fffdf8", "#c69a56", "#dfe2df"
FONTS = STATIC / "vendor" / "fonts"
ROUND = FONTS / "bricolage-grotesque-latin-wght-normal.woff2"
PLAIN = FONTS / "atkinson-hyperlegible-latin-400-normal.woff2"
BOLD = FONTS / "atkinson-hyperlegible-latin-700-normal.woff2"
MOST_ROWS = 3
TOO_LITTLE = "too little to matter"


def message_png(
    trial: Trial,
    judgement: Judgement,
    shown: Sequence[ComparisonShown],
    ledger: Mapping[str, Sequence[tuple[TrustLine, str]]],
    ruler: SharedRuler,
    effects: Sequence[tuple[str, str]] = (),
) -> bytes:
    """The picture as PNG; several treatments below one another, the best first; of two things at once the verdict on
    each and on both, headline and sentence."""
    picture = Image.new("RGB", (WIDTH, HEIGHT), PAPER)
    draw = ImageDraw.Draw(picture)
    draw.rectangle((0, 0, WIDTH, 120), fill=SLATE)
    draw.rectangle((0, 120, WIDTH, 128), fill=STRING)
    _fitted(draw, (PAD, 22), claim_of(trial), PLAIN, 30, PAPER, WIDTH - 2 * PAD, lines=1)
    against = f"{trial.asked[0].measure.name} by day {trial.decision_day}, against {judgement.question.control}"
    _fitted(draw, (PAD, 68), against, PLAIN, 26, DUST, WIDTH - 2 * PAD, lines=1)
    y = 150.0
    for headline, _ in effects:
        y = _fitted(draw, (PAD, y), headline, ROUND, 36, SLATE, WIDTH - 2 * PAD, lines=1)
    rows = shown[:MOST_ROWS]
    for row in () if effects else rows:
        title = f"{row.comparison.treatment}: {lower_first(row.headline)}" if len(shown) > 1 else row.headline
        y = _fitted(draw, (PAD, y), title, ROUND, 50 if len(rows) == 1 else 36, SLATE, WIDTH - 2 * PAD, lines=2)
        if len(rows) == 1:
            y = _fitted(draw, (PAD, y + 6), row.sentence, PLAIN, 27, SLATE, WIDTH - 2 * PAD, lines=3)
    _ruler(draw, ruler, y + 14, min(HEIGHT - 186 - y, 90.0 * (len(ruler.lines) - 1)))
    limits = [*ledger["cap"], *ledger["caution"]]
    trust = " ".join(text for _, text in limits[:2]) or "No warnings. Everything Eproba checks was in order."
    more = f" And {len(limits) - 2} more." if len(limits) > 2 else ""
    draw.rectangle((0, HEIGHT - 140, WIDTH, HEIGHT), fill=DUST)
    draw.text((PAD, HEIGHT - 128), "How far to trust it", font=_font(BOLD, 25), fill=SLATE)
    _fitted(draw, (PAD, HEIGHT - 94), f"{trust}{more}", PLAIN, 24, SLATE, WIDTH - 2 * PAD, lines=2)
    left_out = len(shown) - len(rows)
    rest = f" {plural(left_out, 'more treatment')} in the report." if left_out > 0 else ""
    _fitted(draw, (PAD, HEIGHT - 32), f"{stands_behind(trial)}{rest}", PLAIN, 20, SLATE, WIDTH - 2 * PAD, lines=1)
    out = io.BytesIO()
    picture.save(out, "PNG", optimize=True)
    return out.getvalue()


def _ruler(draw: ImageDraw.ImageDraw, ruler: SharedRuler, top: float, height: float) -> None:
    """Zero, the band, and of each treatment its interval and stake."""
    lines = [line for line in ruler.lines if not line.control][:6]
    if height < 30 or not lines:
        return

    def x(at: float) -> float:
        return PAD + 300 + (at - ruler.layout.left) / (ruler.layout.right - ruler.layout.left) * (WIDTH - 2 * PAD - 420)

    row = height / len(lines)
    if ruler.band is not None:
        draw.rectangle((x(ruler.band[0]), top, x(ruler.band[1]), top + height), fill=DUST)
        font = _font(PLAIN, 17)
        middle = (x(ruler.band[0]) + x(ruler.band[1]) - font.getlength(TOO_LITTLE)) / 2
        draw.text((middle, top + height + 3), TOO_LITTLE, font=font, fill=SLATE)
    for dash in range(int(top), int(top + height), 10):
        draw.line((x(ruler.zero), dash, x(ruler.zero), dash + 5), fill=SLATE, width=2)
    for i, line in enumerate(lines):
        y = top + row * (i + 0.5)
        _fitted(draw, (PAD, y - 14), line.name, BOLD, 23, SLATE, 280, lines=1)
        if line.bar is not None:
            draw.line((x(line.bar[0]), y, x(line.bar[1]), y), fill=SLATE, width=6)
        if line.at is not None:
            at = x(line.at)
            draw.polygon([(at - 9, y - 14), (at + 9, y - 14), (at + 9, y + 5), (at, y + 16), (at - 9, y + 5)],
                         fill=SLATE, outline=PAPER)  # fmt: skip
        draw.text((WIDTH - PAD - 110, y - 14), line.label, font=_font(BOLD, 23), fill=SLATE)


def _font(file: object, size: int) -> ImageFont.FreeTypeFont:
    return ImageFont.truetype(str(file), size)


def _fitted(
    draw: ImageDraw.ImageDraw, at: tuple[float, float], text: str, file: object, size: int, fill: str, width: float,
    lines: int,
) -> float:  # fmt: skip
    """Text in so many lines, smaller where it must be, cut where it can't be; the place below it."""
    for smaller in (size, round(size * 0.85), round(size * 0.72)):
        font = _font(file, smaller)
        broken = _broken(text, font, width)
        if len(broken) <= lines:
            break
    if len(broken) > lines:
        broken = [*broken[: lines - 1], _cut(" ".join(broken[lines - 1 :]), font, width)]
    y = at[1]
    for line in broken:
        draw.text((at[0], y), line, font=font, fill=fill)
        y += 1.25 * smaller
    return y


def _broken(text: str, font: ImageFont.FreeTypeFont, width: float) -> list[str]:
    lines: list[str] = []
    for word in text.split():
        if lines and font.getlength(f"{lines[-1]} {word}") <= width:
            lines[-1] += f" {word}"
        else:
            lines.append(word)
    return lines


def _cut(text: str, font: ImageFont.FreeTypeFont, width: float) -> str:
    while text and font.getlength(f"{text}…") > width:
        text = text[:-1]
    return f"{text.rstrip()}…"
