"""Own fonts and pairs of letters: fonts made in the test by fontTools, so that every outline and every pair is known."""

from __future__ import annotations

import io

import numpy as np
import pytest
from fontTools.feaLib.builder import addOpenTypeFeaturesFromString
from fontTools.fontBuilder import FontBuilder
from fontTools.pens.t2CharStringPen import T2CharStringPen
from fontTools.pens.ttGlyphPen import TTGlyphPen
from fontTools.ttLib import TTFont

from glass_spoon.formats.letters import FOLDER, FONTS, kerning, read_letter, set_letters
from glass_spoon.formats.own_font import UnreadableFont, own_font
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.errors import KernelError

NAMES = [".notdef", "A", "V", "o"]
ROUND = 0.5522847498
"""How far the handles of a cubic quarter of a circle lie, of its radius (common practice, no source)."""


def drawn(pen, name: str):
    """Draw a square 700 high for capitals, a circle of radius 250 by four cubic pieces for the o."""
    if name in ("A", "V"):
        pen.moveTo((50, 0))
        for place in ((50, 700), (650, 700), (650, 0)):
            pen.lineTo(place)
        pen.closePath()
    elif name == "o":
        x, y, r, h = 300, 250, 250, 250 * ROUND
        pen.moveTo((x + r, y))
        pen.curveTo((x + r, y + h), (x + h, y + r), (x, y + r))
        pen.curveTo((x - h, y + r), (x - r, y + h), (x - r, y))
        pen.curveTo((x - r, y - h), (x - h, y - r), (x, y - r))
        pen.curveTo((x + h, y - r), (x + r, y - h), (x + r, y))
        pen.closePath()
    return pen


def made(*, cubic: bool = False, pairs: str = "") -> bytes:
    """Return a font of three letters, 1,000 units to its square, capitals 700 high."""
    builder = FontBuilder(1000, isTTF=not cubic)
    builder.setupGlyphOrder(NAMES)
    builder.setupCharacterMap({ord("A"): "A", ord("V"): "V", ord("o"): "o"})
    if cubic:
        strings = {name: drawn(T2CharStringPen(700, None), name).getCharString() for name in NAMES}
        builder.setupCFF("Trial", {}, strings, {})
    else:
        builder.setupGlyf({name: drawn(TTGlyphPen(None), name if name != "o" else "").glyph() for name in NAMES})
    builder.setupHorizontalMetrics(dict.fromkeys(NAMES, (700, 50)))
    builder.setupHorizontalHeader(ascent=800, descent=-200)
    builder.setupNameTable({"familyName": "Trial"})
    builder.setupOS2(sCapHeight=700, sxHeight=500)
    builder.setupPost()
    if pairs:
        addOpenTypeFeaturesFromString(builder.font, f"feature kern {{ {pairs} }} kern;")
    file = io.BytesIO()
    builder.save(file)
    return file.getvalue()


def area(points: np.ndarray) -> float:
    ahead = np.roll(points, -1, axis=0)
    return abs(float((points[:, 0] * ahead[:, 1] - points[:, 1] * ahead[:, 0]).sum()) / 2)


def test_cubic_outlines_are_followed() -> None:
    """A circle of four cubic pieces in a CFF font: its area, and every place at its radius."""
    (outline,) = read_letter(made(cubic=True), "o").outlines
    points = curve_points(outline, np.linspace(*outline.domain, 2000))[:-1, :2] * 700
    assert area(points) == pytest.approx(np.pi * 250**2, rel=2e-3)
    assert np.hypot(points[:, 0] - 300, points[:, 1] - 250) == pytest.approx(250, rel=5e-3)


def test_straight_outlines_are_exact() -> None:
    """A letter of straight lines lies at the places its font gives, over the height of capitals."""
    (outline,) = read_letter(made(), "A").outlines
    low, high = outline.control_points[:, :2].min(axis=0), outline.control_points[:, :2].max(axis=0)
    assert low == pytest.approx([50 / 700, 0]) and high == pytest.approx([650 / 700, 1])


@pytest.mark.parametrize(
    ("pairs", "moved"),
    [("pos A V -80;", -80), ("@L = [A]; @R = [V o]; pos @L @R -60;", -60), ("pos V A -10;", 0), ("", 0)],
)
def test_pairs_stand_as_near_as_the_font_says(pairs: str, moved: float) -> None:
    """By pair and by class, and only in their order."""
    font = made(pairs=pairs)
    assert kerning(font, "A", "V") == pytest.approx(moved / 700)
    apart, near = set_letters("AVA", font), set_letters("AVA", font, kerned=True)
    assert near[1][0] - apart[1][0] == pytest.approx(moved / 700)


@pytest.mark.parametrize("font", FONTS)
def test_the_fonts_that_ship_have_pairs(font: str) -> None:
    """A and V, and T and o, stand nearer; H and H all but as they are."""
    assert kerning(font, "T", "o") < -0.05 and kerning(font, "A", "V") < -0.05 and abs(kerning(font, "H", "H")) < 0.01


def test_a_font_is_kept_small_and_gives_the_same_letters() -> None:
    """A WOFF with features comes back as TrueType with its pairs, and no more than its letters."""
    data = (FOLDER / "sans.woff").read_bytes()
    kept = own_font(data)
    assert kept[:4] == b"\x00\x01\x00\x00" and "GSUB" not in TTFont(io.BytesIO(kept))
    for letter in "AgR&":
        one, other = read_letter("sans", letter), read_letter(kept, letter)
        assert one.advance == pytest.approx(other.advance) and len(one.outlines) == len(other.outlines)
        for own, same in zip(one.outlines, other.outlines, strict=True):
            assert own.control_points == pytest.approx(same.control_points)
    assert kerning(kept, "A", "V") == pytest.approx(kerning("sans", "A", "V"))


@pytest.mark.parametrize("data", [b"", b"junk" * 100, b"\x00\x01\x00\x00" + bytes(200), b"wOFF" + bytes(60)])
def test_what_is_no_font_is_refused(data: bytes) -> None:
    """A file that is no font is refused, and says what is read."""
    with pytest.raises(UnreadableFont, match="not a TrueType"):
        own_font(data)
    with pytest.raises(KernelError, match="cannot be read"):
        read_letter(data, "A")


def test_a_letter_that_is_missing_is_named() -> None:
    """A letter the font does not have is named."""
    with pytest.raises(KernelError, match="“Z” is not among the letters of this font"):
        set_letters("AZ", made())
