"""Draw the reference sketches of the boathouse kit for the demo, as if scanned from a sketch book.

Run by hand: .venv/bin/python tools/draw_references.py. The pictures lie in glass_spoon/studio/demo/pictures.
"""

from __future__ import annotations

import math
import random
from pathlib import Path

from PIL import Image, ImageDraw, ImageFilter, ImageFont

ROOT = Path(__file__).resolve().parent.parent
OUT = ROOT / "glass_spoon" / "studio" / "demo" / "pictures"
PAPER, PENCIL, RED = (246, 241, 228), (38, 38, 44), (150, 60, 46)
SCALE = 4
"""Pixels a millimetre of the kettle's sketches."""

Points = list[tuple[float, float]]


def paper(width: int, height: int, seed: int) -> Image.Image:
    """Return a sheet of slightly uneven paper."""
    rng = random.Random(seed)
    noise = Image.new("L", (width // 4, height // 4))
    noise.putdata([128 + rng.randint(-9, 9) for _ in range((width // 4) * (height // 4))])
    noise = noise.resize((width, height)).filter(ImageFilter.GaussianBlur(2))
    sheet = Image.new("RGB", (width, height), PAPER)
    shade = Image.merge("RGB", [noise.point(lambda v, c=c: max(0, min(255, c + v - 128))) for c in PAPER])
    return Image.blend(sheet, shade, 0.8)


def smooth(points: Points, parts: int = 24) -> Points:
    """Return a Catmull-Rom curve through points."""
    path: Points = []
    padded = [points[0], *points, points[-1]]
    for a, b, c, d in zip(padded, padded[1:], padded[2:], padded[3:], strict=False):
        for k in range(parts):
            t = k / parts
            path.append(
                tuple(
                    0.5 * (2 * q + (r - p) * t + (2 * p - 5 * q + 4 * r - s) * t * t + (3 * q - p - 3 * r + s) * t**3)
                    for p, q, r, s in zip(a, b, c, d, strict=True)
                )  # type: ignore[arg-type]
            )
    return [*path, points[-1]]


def stroke(draw: ImageDraw.ImageDraw, path: Points, rng: random.Random, width: int = 4, color: tuple = PENCIL) -> None:
    """Draw a pencil line that wavers a little, twice over."""
    for turn in range(2):
        wave = rng.random() * 6
        line = [
            (x + 0.9 * math.sin(k / 17 + wave), y + 0.9 * math.cos(k / 23 + wave + turn)) for k, (x, y) in enumerate(path)
        ]
        draw.line(line, fill=color, width=max(1, width - 2 * turn), joint="curve")


def size_line(draw: ImageDraw.ImageDraw, a: tuple, b: tuple, words: str, font: ImageFont.ImageFont, up: float) -> None:
    """Draw a dimension line with ticks and its words."""
    draw.line([a, b], fill=RED, width=2)
    for x, y in (a, b):
        draw.line([(x - 7, y + 7), (x + 7, y - 7)], fill=RED, width=3)
    x, y = (a[0] + b[0]) / 2, (a[1] + b[1]) / 2
    draw.text((x, y - up), words, fill=RED, font=font, anchor="mm")


KETTLE: Points = [
    (0, 0),
    (52, 0),
    (70, 4),
    (80, 18),
    (82, 36),
    (77, 66),
    (64, 100),
    (52, 126),
    (46, 142),
    (48, 150),
    (53, 158),
]
"""Right half of the kettle's outline in mm, up from its base."""


def kettle(name: str, *, with_spout: bool, seed: int) -> None:
    """Draw the kettle from the front or from the side."""
    width, height, rng = 1240, 900, random.Random(seed)
    sheet = paper(width, height, seed)
    draw = ImageDraw.Draw(sheet)
    font = ImageFont.load_default(26)
    middle, base = 600, 780

    def at(x: float, z: float) -> tuple[float, float]:
        return middle + x * SCALE, base - z * SCALE

    half = smooth(KETTLE)
    for side in (1, -1):
        stroke(draw, [at(side * x, z) for x, z in half], rng)
    stroke(draw, [at(x, 158) for x in range(-53, 54)], rng, 3)
    stroke(draw, [at(x, 142) for x in range(-46, 47)], rng, 2)
    if with_spout:
        stroke(draw, [at(x, z) for x, z in smooth([(78, 52), (96, 60), (108, 84), (122, 112)])], rng)
        stroke(draw, [at(x, z) for x, z in smooth([(74, 78), (90, 86), (98, 104), (112, 118)])], rng)
        stroke(draw, [at(122, 112), at(112, 118)], rng)
    else:
        stroke(draw, [at(12 * math.cos(a / 30), 84 + 12 * math.sin(a / 30)) for a in range(190)], rng)
    for k in range(24):
        draw.line([at(0, k * 8 - 8), at(0, k * 8 - 4)], fill=RED, width=2)
    size_line(draw, at(-82, -14), at(82, -14), "164", font, 24)
    size_line(draw, (*at(-104, 0),), (*at(-104, 158),), "158", font, 0)
    size_line(draw, at(-53, 168), at(53, 168), "106", font, 24)
    draw.text((70, 60), f"camp kettle, {name}", fill=PENCIL, font=ImageFont.load_default(32))
    sheet.filter(ImageFilter.GaussianBlur(0.6)).rotate(0.7, fillcolor=PAPER, resample=Image.BICUBIC).quantize(40).save(
        OUT / f"kettle-{name}.png"
    )


def skiff(name: str, lines: list[Points], words: list[tuple[tuple, tuple, str]], seed: int) -> None:
    """Draw the skiff in plan or from the side; lines in cm."""
    width, height, rng = 1400, 620, random.Random(seed)
    sheet = paper(width, height, seed)
    draw = ImageDraw.Draw(sheet)
    font = ImageFont.load_default(26)

    def at(point: tuple[float, float]) -> tuple[float, float]:
        return 130 + point[0] * 2.7, 330 - point[1] * 2.7

    for line in lines:
        stroke(draw, [at(point) for point in smooth(line)], rng)
    for a, b, text in words:
        size_line(draw, at(a), at(b), text, font, 22)
    draw.text((70, 40), f"rowing skiff, {name}", fill=PENCIL, font=ImageFont.load_default(32))
    sheet.filter(ImageFilter.GaussianBlur(0.6)).rotate(-0.5, fillcolor=PAPER, resample=Image.BICUBIC).quantize(40).save(
        OUT / f"skiff-{name}.png"
    )


def main() -> None:
    """Draw all four."""
    OUT.mkdir(parents=True, exist_ok=True)
    kettle("front", with_spout=True, seed=3)
    kettle("side", with_spout=False, seed=5)
    sheer = [(0, 0), (60, 38), (150, 62), (260, 64), (360, 52), (420, 40)]
    keel = [(0, 0), (80, 22), (180, 38), (280, 40), (420, 26)]
    plan = [
        sheer,
        [(x, -y) for x, y in sheer],
        keel,
        [(x, -y) for x, y in keel],
        [(420, 40), (420, 0), (420, -40)],
        [(0, 0), (420, 0)],
    ]
    skiff("plan", plan, [((0, -84), (420, -84), "4200"), ((446, -64), (446, 64), "1280")], 7)
    side = [
        [(0, 62), (120, 44), (250, 38), (420, 52)],
        [(0, 62), (14, 24), (50, 4), (150, 0), (330, 2), (410, 14)],
        [(420, 52), (410, 14)],
    ]
    skiff("side", side, [((0, -24), (420, -24), "4200"), ((-24, 0), (-24, 62), "620")], 9)


if __name__ == "__main__":
    main()
