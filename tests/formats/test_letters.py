"""Letters of the fonts that ship with the application: whole outlines, nested, without a jump of speed."""

from __future__ import annotations

import numpy as np
import pytest
from fontTools.pens.areaPen import AreaPen
from fontTools.ttLib import TTFont

from glass_spoon.formats.letters import FOLDER, FONTS, read_letter, set_letters
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_derivatives, curve_points
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.surfaces.make.nest_outlines import nest_outlines
from glass_spoon.kernel.surfaces.make.plate import make_plate
from glass_spoon.kernel.surfaces.make.plate_shape import PlateShape

LETTERS = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789&.,-äöüé"


def area(points: np.ndarray) -> float:
    """Return the signed area of a closed line (n, 2)."""
    ahead = np.roll(points, -1, axis=0)
    return float((points[:, 0] * ahead[:, 1] - points[:, 1] * ahead[:, 0]).sum()) / 2


@pytest.mark.parametrize("font", FONTS)
def test_outlines_have_the_areas_that_the_font_library_finds(font):
    """Smoothed by no more than what places in a font are rounded by: within a hundredth of the letter."""
    face = TTFont(FOLDER / f"{font.replace(' ', '-')}.woff")
    glyphs, names, capital = face.getGlyphSet(), face.getBestCmap(), face["OS/2"].sCapHeight
    for letter in LETTERS:
        pen = AreaPen(glyphs)
        glyphs[names[ord(letter)]].draw(pen)
        own = sum(
            area(curve_points(one, np.linspace(*one.domain, 2000))[:-1, :2]) for one in read_letter(font, letter).outlines
        )
        assert abs(own) == pytest.approx(abs(pen.value) / capital**2, rel=0.01), letter


@pytest.mark.parametrize("font", FONTS)
def test_outlines_are_closed_and_run_without_a_jump_of_speed_but_at_corners(font):
    """Every letter becomes a plate: its sides are exact, its holes are found."""
    for letter in LETTERS:
        for outline in read_letter(font, letter).outlines:
            assert outline.is_closed(1e-12)
            knots, times = np.unique(outline.knots, return_counts=True)
            inner = knots[times < outline.degree]
            step = 1e-9 * np.ptp(outline.domain)
            before, after = (curve_derivatives(outline, inner + way * step, 1)[1] for way in (-1, 1))
            assert after == pytest.approx(before, rel=1e-4, abs=1e-4 * np.abs(before).max(initial=1.0)), letter
        for outline, holes in nest_outlines(list(read_letter(font, letter).outlines)):
            make_plate(outline, holes, PlateShape(0, 0.2))


def test_holes_are_told_from_outlines_and_letters_follow_each_other():
    """B has two holes, i a dot; capitals are 1 high; a letter that is missing is named."""
    b = nest_outlines(list(read_letter("sans", "B").outlines))
    assert [len(holes) for _, holes in b] == [2]
    assert [len(holes) for _, holes in nest_outlines(list(read_letter("sans", "i").outlines))] == [0, 0]
    assert max(one.control_points[:, 1].max() for one in read_letter("sans", "H").outlines) == pytest.approx(1)
    row = set_letters("HH H", "sans", 0.1)
    assert row[1][0] == pytest.approx(row[0][1].advance + 0.1)
    assert row[3][0] - row[1][0] > 1.2
    with pytest.raises(KernelError, match="“日”"):
        read_letter("sans", "日")
