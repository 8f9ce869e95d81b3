"""Points typed in words: absolute, from the point before, by a length and a direction, with sizes, and in the finder."""

from __future__ import annotations

import math

import numpy as np
import pytest

from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.document import SheetDocument, read_document
from glass_spoon.sheet.errors import BadExpression
from glass_spoon.sheet.evaluate import evaluate
from glass_spoon.sheet.expressions import Quantity
from glass_spoon.sheet.fields.points import SheetPoint, _resolve_point
from glass_spoon.sheet.propose import propose
from glass_spoon.sheet.typed_places import typed_place

SIZES = {"body_h": Quantity(160.0, 1), "lean": Quantity(math.radians(30), 0, 1)}
LAST = SheetPoint(x=10, y="body_h / 4")
NUMBERS = SheetPoint(x=10, y=20)


@pytest.mark.parametrize(
    ("text", "before", "place"),
    [
        ("40, 25", None, (40, 25, 0)),
        ("40 25", None, (40, 25, 0)),
        ("-4 cm, 2.5 inch", None, (-40, 63.5, 0)),
        ("40; 25; 3", None, (40, 25, 3)),
        ("max(3, 4), body_h / 2", None, (4, 80, 0)),
        ("by 10, -5", NUMBERS, (20, 15, 0)),
        ("by 1 cm 0", NUMBERS, (20, 20, 0)),
        ("by body_h, 2", NUMBERS, (170, 22, 0)),
        ("by 5, -10", LAST, (15, 30, 0)),
        ("20 at 30°", NUMBERS, (10 + 20 * math.cos(math.pi / 6), 30, 0)),
        ("20 at 90", NUMBERS, (10, 40, 0)),
        ("body_h at lean", NUMBERS, (10 + 160 * math.cos(math.pi / 6), 100, 0)),
        ("20 at 180", LAST, (-10, 40, 0)),
    ],
)
def test_a_typed_place_is_where_its_words_say(text, before, place):
    """Each manner of typing gives the place that arithmetic gives."""
    point = typed_place(text, before, SIZES)
    assert _resolve_point(1, point, SIZES)[:3] == pytest.approx(place, abs=2e-6)


def test_sizes_stay_in_a_typed_place():
    """A place typed by a size follows it; one typed by numbers stays."""
    point = typed_place("by body_h / 2, 0", typed_place("body_h, 5", None, SIZES), SIZES)
    larger = SIZES | {"body_h": Quantity(200.0, 1)}
    assert _resolve_point(1, point, larger)[:2] == pytest.approx((300, 5))
    assert typed_place("3, 4 sharp", None, SIZES).sharp


@pytest.mark.parametrize("text", ["", "40", "40, ", "1, 2, 3, 4", "by 3, 4", "20 at 30", "wall, 3", "40 mm, 30°", "a lot"])
def test_what_is_no_place_says_what_may_be_typed(text):
    """Without a point before, with one number or four, with unknown names or an angle for a length: refused in words."""
    with pytest.raises(BadExpression) as told:
        typed_place(text, None, SIZES)
    assert str(told.value)


@pytest.mark.parametrize(
    ("text", "count", "last"),
    [
        ("draw a curve through 0 0, 40 10, 60 50", 3, (60, 50)),
        ("draw rib through (0, 0), (40, 10) and (60, 5 cm) in the side view", 3, (60, 50)),
        ("draw a polyline 0, 0 to 40, 10 to 60, 50", 3, (60, 50)),
        ("draw spine pulled by -10 0; 40 10; 60 -50; 80 2.5", 4, (80, 2.5)),
    ],
)
def test_points_are_typed_in_the_finder(text, count, last):
    """A drawn curve takes its points from the sentence, and nothing of it is left over."""
    found = propose(text, SheetDocument(name="Typed"))[0]
    points = found.line.points
    assert (found.verb, len(points), found.missed) == ("draw", count, ())
    assert (points[-1].x, points[-1].y) == pytest.approx(last)


def test_a_view_is_said_by_its_name():
    """In front view, on the side view: the plane is chosen, and no word is left over."""
    found = propose("draw a curve in side view", SheetDocument(name="Typed"))[0]
    assert (found.line.plane, found.missed) == ("side", ())


@pytest.mark.parametrize(
    "text",
    ["line from 0,0,0 to 10,20,30", "straight line from (0, 0, 0) to (10, 20, 30)", "draw straight through 0,0,0; 10,20,30"],
)
def test_places_in_space_are_right_back_and_up(text):
    """Three coordinates are those of space, whatever the plane on which the curve is kept; nothing is left over."""
    first = propose(text, SheetDocument())[0]
    assert (first.verb, first.missed) == ("draw", ())
    line = first.line.model_dump(mode="json")
    build = evaluate(read_document({"format": "glass-spoon/sheet", "version": 1, "lines": [line]}), ResultCache())
    curve = build.items[line["id"]].item.curve
    assert curve.degree == 1
    assert curve_points(curve, np.array(curve.domain)) == pytest.approx(np.array([[0, 0, 0], [10, 20, 30]]))


def test_two_coordinates_are_a_line_on_a_plane_still():
    """Pairs stay a Line; a plane that is named with three is kept, and the third goes out of it."""
    assert propose("line from 0,0 to 20,30", SheetDocument())[0].verb == "line"
    line = propose("draw 0,0,5; 10,20,5 on the side plane", SheetDocument())[0].line
    assert (line.plane, line.points[1].out) == ("side", 5)
