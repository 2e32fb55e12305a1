"""A picture of a pack for whoever shares its page: emblem, name, base, and the end of its line of releases."""

import io
import zlib
from collections.abc import Sequence
from functools import lru_cache

from PIL import Image, ImageDraw, ImageFont
from svgelements import Close, Line, Move, Path

from ..packs.emblems import EMBLEM_PATHS

SIZE = (1200, 630)
PAPER, INK, SOFT, RULE, WAY = "#F7F4EC", "#15222C", "#53616B", "#DAD4C6", "#0D5C6D"
SIGNALS = ("#0D5C6D", "#8A4E05", "#A1332B", "#4B5B8C", "#3F6B2F", "#6B3F63")
EMBLEM_SIDE, MOST_STOPS, STEPS = 200, 7, 24


def draw(name: str, emblem: str, crew: str, base: str, mods: str, stops: Sequence[str]) -> bytes:
    """PNG, 1200 by 630 points. `stops`: numbers of releases, the newest last. The same input gives the same picture."""
    image = Image.new("RGB", SIZE, PAPER)
    pen = ImageDraw.Draw(image)
    colour = SIGNALS[zlib.crc32(name.encode()) % len(SIGNALS)]
    _emblem(pen, emblem, (80, 84), EMBLEM_SIDE, colour)
    left = 80 + EMBLEM_SIDE + 56
    lines, font = _fitting(pen, name, SIZE[0] - left - 80)
    top = 80
    for line in lines:
        pen.text((left, top), line, fill=INK, font=font)
        top += round(font.size * 1.12)
    pen.text((left, top + 18), base, fill=SOFT, font=_font(34))
    pen.text((left, top + 66), f"{mods}  ·  {crew}", fill=SOFT, font=_font(34))
    _line(pen, stops[-MOST_STOPS:], colour)
    pen.text((80, SIZE[1] - 62), "True Convoy", fill=SOFT, font=_font(26))
    out = io.BytesIO()
    image.save(out, "PNG", optimize=True)
    return out.getvalue()


def _font(size: int) -> ImageFont.FreeTypeFont:
    font = ImageFont.load_default(size)
    assert isinstance(font, ImageFont.FreeTypeFont)
    return font


def _fitting(pen: ImageDraw.ImageDraw, text: str, width: int) -> tuple[list[str], ImageFont.FreeTypeFont]:
    """A name in one line, or two, as large as fits."""
    for size in range(92, 35, -4):
        font = _font(size)
        lines = _broken(pen, text, font, width)
        if len(lines) <= 2 and all(pen.textlength(line, font) <= width for line in lines):
            return lines, font
    return [text[:28] + "…"], _font(48)


def _broken(pen: ImageDraw.ImageDraw, text: str, font: ImageFont.FreeTypeFont, width: int) -> list[str]:
    lines = [""]
    for word in text.split():
        longer = f"{lines[-1]} {word}".strip()
        if lines[-1] and pen.textlength(longer, font) > width:
            lines.append(word)
        else:
            lines[-1] = longer
    return lines


@lru_cache(maxsize=32)
def _strokes(name: str) -> tuple[tuple[tuple[float, float], ...], ...]:
    """An emblem as lines of points on its grid, curves in small steps. Kept: its library takes its time."""
    strokes: list[list[tuple[float, float]]] = []
    for part in Path(EMBLEM_PATHS.get(name, EMBLEM_PATHS["anchor"])):
        if isinstance(part, Move):
            strokes.append([(part.end.x, part.end.y)])
        else:
            steps = 1 if isinstance(part, Line | Close) else STEPS
            points = (part.point(step / steps) for step in range(1, steps + 1))
            strokes[-1] += [(point.x, point.y) for point in points]
    return tuple(map(tuple, strokes))


def _emblem(pen: ImageDraw.ImageDraw, name: str, at: tuple[int, int], side: int, colour: str) -> None:
    scale = side / 24
    for stroke in _strokes(name):
        line = [(at[0] + x * scale, at[1] + y * scale) for x, y in stroke]
        pen.line(line, fill=colour, width=round(1.7 * scale), joint="curve")
        for x, y in (line[0], line[-1]):
            half = 0.8 * scale
            pen.ellipse((x - half, y - half, x + half, y + half), fill=colour)


def _line(pen: ImageDraw.ImageDraw, stops: Sequence[str], colour: str) -> None:
    """The pack's line: a stop for each release, the newest one filled."""
    y, left, right = 450, 96, SIZE[0] - 96
    pen.line((left, y, right, y), fill=RULE, width=6)
    if not stops:
        return
    gap = (right - left) / max(len(stops) - 1, 1) if len(stops) > 1 else 0
    xs = [left + gap * at for at in range(len(stops))] if len(stops) > 1 else [right]
    pen.line((left, y, xs[-1], y), fill=colour, width=6)
    for x, number in zip(xs, stops, strict=True):
        newest = number == stops[-1]
        half = 15 if newest else 11
        pen.ellipse((x - half, y - half, x + half, y + half), fill=colour if newest else PAPER, outline=colour, width=5)
        font = _font(30 if newest else 24)
        width = pen.textlength(number, font)
        at = min(max(x - width / 2, 80), SIZE[0] - 80 - width)
        pen.text((at, y + 26), number, fill=INK if newest else SOFT, font=font)
