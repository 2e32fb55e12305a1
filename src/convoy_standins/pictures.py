"""Draws the pictures of the stand-in sources' mods: water under a sky, and something of what the mod is about.

Same words, same points: the season and the light follow from the mod's name, the subject from its category.
"""

import io
import random
from collections.abc import Callable
from typing import Any

from PIL import Image, ImageDraw

SIZE = WIDTH, HEIGHT = 640, 360
WATER_LINE = 232

# Sky above, sky below, far bank, near bank, water, light.
LIGHTS = {
    "morning": ("#cfe0e6", "#f3e6d0", "#8ba59a", "#5d7d6b", "#7fa3ad", "#fff4dc"),
    "noon": ("#9cc6dc", "#dcecec", "#86a66f", "#557a4c", "#5d93a8", "#ffffff"),
    "dusk": ("#46597c", "#e3a77c", "#5d5a6b", "#3d4152", "#5b6d8d", "#ffd9a0"),
    "night": ("#101c2c", "#27405a", "#1c2f3c", "#12222c", "#1c394d", "#f7cf7a"),
    "rain": ("#7b8b93", "#b3bdbd", "#6e8078", "#4b5f57", "#6c828a", "#e8eeee"),
}


def picture(mod: dict[str, Any], number: int = 0) -> bytes:
    """A PNG of 640 by 360 points."""
    chance = random.Random(f"{mod['id']} {number}")
    category = mod.get("category", "")
    light = "night" if category == "Night" else "rain" if category == "Weather" else chance.choice(list(LIGHTS)[:3])
    image = Image.new("RGB", SIZE)
    pen = ImageDraw.Draw(image)
    _scene(pen, LIGHTS[light], chance)
    SUBJECTS.get(category, _boat)(pen, LIGHTS[light], chance)
    out = io.BytesIO()
    image.quantize(64).save(out, "PNG", optimize=True)
    return out.getvalue()


def _scene(pen: ImageDraw.ImageDraw, light: tuple[str, ...], chance: random.Random) -> None:
    above, below, far, near, water, glow = light
    for row in range(WATER_LINE):
        share = row / WATER_LINE
        pen.line((0, row, WIDTH, row), fill=_mixed(above, below, share))
    x, y, r = chance.randrange(80, 560), chance.randrange(40, 120), chance.randrange(18, 30)
    pen.ellipse((x - r, y - r, x + r, y + r), fill=glow)
    for colour, height in ((far, 60), (near, 28)):
        points, at = [(0, WATER_LINE)], 0
        while at <= WIDTH:
            points.append((at, WATER_LINE - chance.randrange(height // 3, height)))
            at += chance.randrange(40, 110)
        pen.polygon([*points, (WIDTH, WATER_LINE - height // 2), (WIDTH, WATER_LINE)], fill=colour)
    pen.rectangle((0, WATER_LINE, WIDTH, HEIGHT), fill=water)
    for _ in range(46):
        left, row = chance.randrange(WIDTH), chance.randrange(WATER_LINE + 6, HEIGHT)
        pen.line((left, row, left + chance.randrange(14, 70), row), fill=_mixed(water, glow, 0.28))


def _boat(pen: ImageDraw.ImageDraw, light: tuple[str, ...], chance: random.Random) -> None:
    left, deck = chance.randrange(90, 220), WATER_LINE + 26
    length = chance.randrange(240, 330)
    hull, cabin = chance.choice([("#7a2e22", "#d9b36a"), ("#1f4d46", "#c7a04c"), ("#283a5e", "#c9c2ad")])
    pen.polygon(
        [(left - 24, deck), (left + length, deck), (left + length - 18, deck + 34), (left, deck + 34)], fill=hull
    )
    pen.rectangle((left + length * 0.35, deck - 34, left + length - 22, deck), fill=cabin)
    for window in range(3):
        at = left + length * 0.42 + window * 44
        pen.rectangle((at, deck - 25, at + 20, deck - 10), fill=light[5])
    pen.rectangle((left + length * 0.8, deck - 54, left + length * 0.8 + 9, deck - 34), fill="#2b2b2b")


def _crates(pen: ImageDraw.ImageDraw, light: tuple[str, ...], chance: random.Random) -> None:
    for stack in range(4):
        left = 130 + stack * 96
        for level in range(chance.randrange(1, 4)):
            top = WATER_LINE + 34 - level * 46
            pen.rectangle((left, top - 44, left + 82, top), fill=chance.choice(["#a9753f", "#8f5f31", "#bd8c52"]))
            pen.line((left, top - 44, left + 82, top), fill="#5b3a1b", width=3)
            pen.rectangle((left, top - 44, left + 82, top), outline="#5b3a1b", width=3)


def _lantern(pen: ImageDraw.ImageDraw, light: tuple[str, ...], chance: random.Random) -> None:
    for post in range(3):
        x, top = 140 + post * 170 + chance.randrange(-20, 20), 96 + chance.randrange(30)
        for r in range(64, 8, -8):
            pen.ellipse((x - r, top - r, x + r, top + r), fill=_mixed(light[1], light[5], 1 - r / 72))
        pen.rectangle((x - 3, top + 14, x + 3, WATER_LINE + 30), fill="#1a1410")
        pen.rectangle((x - 10, top - 12, x + 10, top + 14), fill=light[5], outline="#1a1410", width=3)


def _rain(pen: ImageDraw.ImageDraw, light: tuple[str, ...], chance: random.Random) -> None:
    for _ in range(240):
        x, y = chance.randrange(WIDTH), chance.randrange(HEIGHT)
        pen.line((x, y, x - 6, y + 18), fill=light[5])
    _boat(pen, light, chance)


def _houses(pen: ImageDraw.ImageDraw, light: tuple[str, ...], chance: random.Random) -> None:
    left = 60
    while left < 560:
        width, top = chance.randrange(52, 92), WATER_LINE - chance.randrange(54, 120)
        wall = chance.choice(["#b9624a", "#cbb592", "#8c8f94", "#a8483a"])
        pen.rectangle((left, top, left + width, WATER_LINE + 8), fill=wall)
        pen.polygon([(left - 6, top), (left + width / 2, top - 32), (left + width + 6, top)], fill="#4c3a36")
        for row in range(top + 14, WATER_LINE - 16, 34):
            for column in range(left + 10, left + width - 18, 26):
                pen.rectangle((column, row, column + 13, row + 18), fill=light[5])
        left += width + chance.randrange(0, 14)


def _gates(pen: ImageDraw.ImageDraw, light: tuple[str, ...], chance: random.Random) -> None:
    for side, left in ((-1, 190), (1, 330)):
        pen.rectangle((left, WATER_LINE - 62, left + 120, WATER_LINE + 70), fill="#3d2c20")
        for plank in range(left + 12, left + 120, 22):
            pen.line((plank, WATER_LINE - 62, plank, WATER_LINE + 70), fill="#241912", width=3)
        beam = (left - 130, left + 60) if side < 0 else (left + 60, left + 250)
        pen.rectangle((beam[0], WATER_LINE - 84, beam[1], WATER_LINE - 66), fill="#e9e2d2")
    pen.rectangle((60, WATER_LINE - 30, 190, HEIGHT), fill="#77736a")
    pen.rectangle((450, WATER_LINE - 30, 580, HEIGHT), fill="#77736a")


def _wheels(pen: ImageDraw.ImageDraw, light: tuple[str, ...], chance: random.Random) -> None:
    for x, r in ((220, 74), (356, 52), (452, 36)):
        y = WATER_LINE - 6
        pen.ellipse((x - r, y - r, x + r, y + r), outline="#2f3436", width=14)
        pen.line((x - r, y, x + r, y), fill="#2f3436", width=8)
        pen.line((x, y - r, x, y + r), fill="#2f3436", width=8)
        pen.ellipse((x - 12, y - 12, x + 12, y + 12), fill="#b5852c")


def _sheet(pen: ImageDraw.ImageDraw, light: tuple[str, ...], chance: random.Random) -> None:
    pen.rectangle((170, 60, 470, 300), fill="#f5efdf", outline="#15222c", width=4)
    for row in range(96, 284, 26):
        pen.rectangle((196, row, 196 + chance.randrange(90, 240), row + 9), fill="#8d9488")
        pen.rectangle((442, row, 454, row + 9), fill=chance.choice(["#0d5c6d", "#b86a00", "#a1332b"]))


def _mixed(one: str, other: str, share: float) -> tuple[int, int, int]:
    a, b = (tuple(int(colour[at : at + 2], 16) for at in (1, 3, 5)) for colour in (one, other))
    return tuple(round(x + (y - x) * share) for x, y in zip(a, b, strict=True))  # type: ignore[return-value]


SUBJECTS: dict[str, Callable[[ImageDraw.ImageDraw, tuple[str, ...], random.Random], None]] = {
    "Cargo": _crates,
    "Wagons": _crates,
    "Night": _lantern,
    "Signals": _lantern,
    "Weather": _rain,
    "Towns": _houses,
    "Scenario": _houses,
    "Work": _gates,
    "Locks": _gates,
    "Waters": _gates,
    "Library": _wheels,
    "Framework": _wheels,
    "Engines": _wheels,
    "Interface": _sheet,
    "Server": _sheet,
}
