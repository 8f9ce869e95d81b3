"""Plain numbers in another unit than mm: what is typed means that many of it, and what has a unit stays."""

from __future__ import annotations

import math

import numpy as np
import pytest

from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.document import SheetDocument, read_document
from glass_spoon.sheet.edit import set_field
from glass_spoon.sheet.edit_many import add_proposal, paste_text
from glass_spoon.sheet.evaluate import evaluate
from glass_spoon.sheet.expressions import Quantity, evaluate_expression
from glass_spoon.sheet.fields.points import SheetPoint
from glass_spoon.sheet.law_text import map_law, read_law
from glass_spoon.sheet.lines import VERBS
from glass_spoon.sheet.plain_unit import PLAIN_UNITS, field_with_unit, with_unit
from glass_spoon.sheet.propose import propose
from glass_spoon.sheet.typed_places import typed_place

INCH = 25.4
"""Mm of an inch: international yard and pound agreement, 1959."""

SIZES = {"wall": Quantity(0.25 * INCH, 1), "n": Quantity(4.0), "lean": Quantity(math.pi / 6, 0, 1)}


@pytest.mark.parametrize(
    ("text", "inches"),
    [
        ("2", 2),
        ("-2.5", -2.5),
        ("1/2", 1 / 2),
        ("1 1/2", 3 / 2),
        ("3/8 inch", 3 / 8),
        ('2 3/4"', 11 / 4),
        ("25.4 mm", 1),
        ("wall + 2", 2.25),
        ("2 - wall", 1.75),
        ("wall * 2", 0.5),
        ("wall * n + 1/4", 1.25),
        ("n", 4),
        ("n * wall", 1),
        ("n + 1", 5),
        ("(wall + 1) / 2", 0.625),
        ("10 / (2 inch) * wall", 1.25),
        ("max(wall, 2, n * wall)", 2),
        ("sqrt(2) * 3", 3 * math.sqrt(2)),
        ("2^2", 4),
        ("sin(lean) * wall + 2", 2.125),
        ("sin(30) * 4", 2),
        ("wall + (1 - 3/8)", 0.875),
        ("pi * 2", 2 * math.pi),
        ("min(n, 3) * 2 - wall", 5.75),
    ],
)
def test_plain_numbers_for_lengths_are_of_the_unit(text: str, inches: float) -> None:
    """Numbers beside lengths, and alone, count inches; factors, counts and what has a unit stay."""
    written = with_unit(text, "length", "inch", SIZES)
    assert evaluate_expression(written, "length", SIZES) == pytest.approx(inches * INCH, rel=1e-12)
    assert with_unit(written, "length", "inch", SIZES) == written
    assert evaluate_expression(with_unit(written, "length", "cm", SIZES), "length", SIZES) == pytest.approx(inches * INCH)


@pytest.mark.parametrize("unit", PLAIN_UNITS)
def test_in_mm_nothing_changes_its_value(unit) -> None:
    """A text written out in mm means what it meant; in another unit a plain number grows by that unit."""
    for text in ("7", "wall + 3", "n + 1"):
        plain = evaluate_expression(text, "length", SIZES)
        assert evaluate_expression(with_unit(text, "length", "mm", SIZES), "length", SIZES) == pytest.approx(plain)
    factor = {"mm": 1, "cm": 10, "m": 1000, "inch": INCH}[unit]
    assert evaluate_expression(with_unit("7", "length", unit, SIZES), "length", SIZES) == pytest.approx(7 * factor)


def test_angles_counts_and_what_cannot_be_read_stay() -> None:
    """Only lengths have the unit; an unknown name is refused where it is used, in its own words."""
    assert with_unit("45", "angle", "inch", SIZES) == "45"
    assert with_unit("n * 2", "number", "inch", SIZES) == "n * 2"
    for text in ("foo + 2", "2 +", "", "2 mm / 0", True):
        assert with_unit(text, "length", "inch", SIZES) == text


def test_laws_tables_points_and_corners_have_it_in_each_value() -> None:
    """Shares of the way, a bias, weights and the numbers of corners are none."""
    law = map_law("1 to 2 eased in, bias 0.3", lambda text: with_unit(text, "length", "inch", {}))
    assert law == "1 inch to 2 inch eased in, bias 0.3"
    assert read_law(law, "length", {}).end == pytest.approx(2 * INCH)
    listed = map_law("1, 1.4 at 0.3, wall + 1", lambda text: with_unit(text, "length", "inch", SIZES))
    assert [value / INCH for value in read_law(listed, "length", SIZES).values] == pytest.approx([1, 1.4, 1.25])
    points = field_with_unit(
        VERBS["draw"].specs()["points"], [{"x": "3", "y": "", "weight": 2.0, "sharp": True}], "inch", {}
    )
    assert points == [{"x": "3 inch", "y": "", "weight": 2.0, "sharp": True}]
    corners = field_with_unit(VERBS["round"].specs()["own"], "2: 1/4, 4: 0", "inch", {})
    assert corners == [{"corner": 2, "value": "1/4 inch"}, {"corner": 4, "value": "0 inch"}]


def said(text: str, document: SheetDocument, unit="inch"):
    """Return the document with the likeliest line of a text, and that line."""
    return add_proposal(document, propose(text, document, unit)[0], None)


def test_typed_sentences_count_the_unit() -> None:
    """Lengths of sentences count inches, also with fractions and sizes; turns, counts and said units are as they are."""
    document = read_document({"format": "glass-spoon/sheet", "version": 1, "name": "Inches", "lines": []})
    document, box = said("block 4 by 3 by 2 called crate", document)
    assert (box.width, box.depth, box.height) == ("4 inch", "3 inch", "2 inch")
    document, _ = said("wall = 3/8 inch", document)
    document, disc = said("circle radius wall + 1 at 6, 0 called disc", document)
    document, coil = said("helix 3 turns pitch 8 mm", document)
    assert (coil.turns, coil.pitch) == ("3", "8 mm")
    document, path = said("draw through 0, 0; 4, 1 and 10 mm, 20 mm", document)
    assert [(point.x, point.y) for point in path.points] == [(0, 0), (4 * INCH, INCH), (10, 20)]
    build = evaluate(document, ResultCache())
    assert np.ptp(build.items[box.id].item.mesh.positions, axis=0) == pytest.approx([4 * INCH, 3 * INCH, 2 * INCH])
    low, high = (getattr(build.items[disc.id].item.curve.control_points[:, 0], which)() for which in ("min", "max"))
    assert (low + high) / 2 == pytest.approx(6 * INCH)
    assert build.items[path.id].item is not None


def test_default_values_keep_their_mm() -> None:
    """What the words do not say is as the verb has it; what they say counts even where it reads as the default does."""
    document = SheetDocument(name="Inches")
    plain, _ = said("cylinder", document)
    _, wide = said("cylinder 20 high", document)
    assert getattr(plain.lines[0], "radius") == wide.radius  # noqa: B009
    assert wide.height == "20 inch"


def test_pasted_sentences_count_the_unit_and_written_lines_do_not() -> None:
    """A sheet's own text means mm wherever it is pasted; plain sentences beside it are typed in the unit."""
    document = SheetDocument(name="Inches")
    made, _ = said("circle radius 2 called disc", document, "mm")
    put = paste_text(document, "circle radius 2 called rim", None, "inch")
    assert put.document.lines[0].radius == "2 inch"
    text = "1. **Circle** *disc* on the `front` plane, radius `2`, about `0 mm` right, `0 mm` up.\n"
    assert str(paste_text(document, text, None, "inch").document.lines[0].radius) == str(made.lines[0].radius) == "2"


def test_typed_places_count_the_unit() -> None:
    """Coordinates, steps from the point before and lengths along a direction count inches; directions stay degrees."""
    start = SheetPoint(x=INCH, y=0)
    assert (typed_place("2, 1", None, {}, "inch").x, typed_place("2 1", None, {}, "inch").y) == (2 * INCH, INCH)
    moved = typed_place("by 1, -1", start, {}, "inch")
    assert (moved.x, moved.y) == pytest.approx((2 * INCH, -INCH))
    turned = typed_place("2 at 30", start, {}, "inch")
    assert turned.y == pytest.approx(INCH, abs=1e-6)
    sized = typed_place("wall + 1, n", None, SIZES, "inch")
    assert evaluate_expression(sized.x, "length", SIZES) == pytest.approx(1.25 * INCH)
    assert evaluate_expression(sized.y, "length", SIZES) == pytest.approx(4 * INCH)


def test_a_set_field_is_read_with_fractions() -> None:
    """A whole number and a fraction of an inch is one length; without a unit a fraction is mm, as ever."""
    document, box = said("block 4 by 3 by 2", SheetDocument(name="Inches"), "mm")
    changed = set_field(document, box.id, "width", "5 1/2 inch")
    mesh = evaluate(changed, ResultCache()).items[box.id].item.mesh
    assert np.ptp(mesh.positions[:, 0]) == pytest.approx(5.5 * INCH)
    assert evaluate_expression("1 1/2", "length", {}) == 1.5
    assert evaluate_expression("wall/2 + 1/4 inch", "length", SIZES) == pytest.approx(0.375 * INCH)
