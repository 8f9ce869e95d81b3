"""Handles of lines: what is built after a handle was moved lies where the handle was moved to."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from glass_spoon.kernel.curves.evaluate.closest_on_curve import closest_params
from glass_spoon.kernel.surfaces.evaluate.closest_points import closest_points
from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.document import SheetDocument, read_document
from glass_spoon.sheet.edit import set_fields
from glass_spoon.sheet.evaluate import Build, evaluate
from glass_spoon.sheet.handle import Handle
from glass_spoon.sheet.items import CurveItem, SurfaceItem
from glass_spoon.sheet.kinds import kind_of

SIZES = [0.01, 1.0, 100.0]

AT = {"plane": "side", "right": "7 * u", "up": "3 * u"}
ROUND_LINES: list[list[dict[str, Any]]] = [
    [{"verb": "circle", "radius": "20 * u", **AT}],
    [{"verb": "ellipse", "first": "20 * u", "second": "12 * u", "turn": 30, **AT}],
    [{"verb": "rectangle", "width": "20 * u", "height": "12 * u", "radius": "2 * u", "turn": 20, **AT}],
    [{"verb": "polygon", "sides": 5, "radius": "9 * u", "across": "corners", **AT}],
    [{"verb": "polygon", "sides": 5, "radius": "9 * u", "across": "sides", "turn": 10, **AT}],
    [{"verb": "star", "tips": 7, "outer": "9 * u", "inner": "6 * u", "tip_radius": 0, "root_radius": 0, **AT}],
    [{"verb": "slot", "length": "20 * u", "width": "6 * u", "turn": 45, **AT}],
    [{"verb": "simple", "form": "sphere", "radius": "8 * u", "x": "u", "y": "2 * u", "z": "-u"}],
    [{"verb": "simple", "form": "cylinder", "radius": "8 * u", "height": "11 * u", "x": "u"}],
    [{"verb": "simple", "form": "cone", "radius": "8 * u", "second": "3 * u", "height": "11 * u", "y": "u"}],
    [{"verb": "simple", "form": "torus", "radius": "8 * u", "second": "3 * u", "z": "u"}],
    [{"verb": "simple", "form": "ellipsoid", "radius": "8 * u", "second": "3 * u", "height": "5 * u"}],
    [{"verb": "simple", "form": "disc", "radius": "8 * u", "second": "3 * u"}],
    [{"verb": "simple", "form": "sheet", "radius": "8 * u", "second": "3 * u"}],
    [{"verb": "skin", "rings": [{"height": 0, "width": "6 * u"}, {"height": "9 * u", "width": "8 * u", "depth": "4 * u"}]}],
    [{"verb": "circle", "radius": "4 * u", **AT}, {"verb": "extrude", "profile": "l1", "distance": "9 * u"}],
    [
        {"verb": "circle", "radius": "4 * u"},
        {"verb": "extrude", "profile": "l1", "distance": "9 * u", "sides": "to both sides"},
    ],
    [{"verb": "circle", "radius": "4 * u", **AT}, {"verb": "move", "item": "l1", "x": "2 * u", "z": "-3 * u"}],
    [{"verb": "circle", "radius": "4 * u", **AT}, {"verb": "row", "item": "l1", "count": 2, "x": "20 * u"}],
    [{"verb": "line", "right": "u", "up": "2 * u", "to_right": "9 * u", "to_up": "8 * u"}],
]


def build(size: float, lines: list[dict[str, Any]]) -> Build:
    """Return the build of lines l1, l2 … with a size u."""
    numbered = [{"id": f"l{number}", **line} for number, line in enumerate(lines, 1)]
    head = [{"id": "s1", "verb": "size", "name": "u", "value": f"{size} mm"}]
    return evaluate(read_document({"format": "glass-spoon/sheet", "version": 1, "lines": [*head, *numbered]}), ResultCache())


def moved(document: SheetDocument, line_id: str, handle: Handle, by: np.ndarray) -> Build:
    """Return the build after a handle was moved by a vector in mm."""
    line = next(line for line in document.lines if line.id == line_id)
    values: dict[str, Any] = {}
    for change in handle.changes:
        after = change.value + float(np.dot(change.rate, by))
        if not change.column:
            values[change.field] = f"{after!r} mm"
            continue
        rows = values.setdefault(change.field, [dict(row) for row in getattr(line, change.field)])
        assert isinstance(change.row, int)
        if abs(after - change.value) > 0:
            rows[change.row][change.column] = f"{after!r} mm"
    return evaluate(set_fields(document, line_id, values), ResultCache())


@pytest.mark.parametrize("size", SIZES)
@pytest.mark.parametrize("lines", ROUND_LINES, ids=lambda lines: "-".join(line.get("form", line["verb"]) for line in lines))
def test_a_moved_handle_is_where_it_was_moved_to(lines: list[dict[str, Any]], size: float) -> None:
    """Of every handle: along its way, or anywhere, by a fifth of the size; other handles of lengths keep their values."""
    before = build(size, lines)
    last = f"l{len(lines)}"
    line = before.document.lines[-1]
    handles = before.handles(line)
    assert handles
    for number, handle in enumerate(handles):
        by = np.array(handle.way if handle.way else (0.7, 0.2, -0.4)) * 0.2 * size
        reach = np.array([change.rate for change in handle.changes])
        after = moved(before.document, last, handle, by)
        assert after.reports[last].status == "good", after.reports[last].findings
        seen = by if handle.measured and not handle.way else reach.T @ np.linalg.lstsq(reach.T, by, rcond=None)[0]
        if handle.measured and not handle.way:
            seen = np.array([0, 0, by[2]]) + np.array(handle.measured) * float(np.dot(handle.measured, by))
        now = after.handles(after.document.lines[-1])[number]
        assert np.array(now.place) - handle.place == pytest.approx(seen, abs=1e-9 * size)


CENTRES = {("slot", "length"), ("torus", "radius")}
"""Lengths that end in the centre of a rounding, here 3 mm inside."""

ON_IT = [lines for lines in ROUND_LINES if lines[-1]["verb"] not in ("move", "row", "line")]


@pytest.mark.parametrize("lines", ON_IT, ids=lambda lines: "-".join(line.get("form", line["verb"]) for line in lines))
def test_handles_of_lengths_lie_on_what_they_measure(lines: list[dict[str, Any]]) -> None:
    """The nearest place of the curve or surface is the handle's own; heights end at its box, some in a centre."""
    made = build(1.0, lines)
    item = made.items[f"l{len(lines)}"].item
    for handle in made.handles(made.document.lines[-1]):
        if not handle.measured:
            continue
        place = np.array([handle.place])
        off = 3.0 if (lines[-1].get("form", lines[-1]["verb"]), handle.label) in CENTRES else 0.0
        if handle.label in ("height", "distance"):
            top = float((kind_of(item).places(item) @ np.array(handle.measured)).max())
            assert float(place[0] @ handle.measured) == pytest.approx(top)
        elif isinstance(item, CurveItem):
            assert closest_params(item.curve, place)[1][0] == pytest.approx(off, abs=1e-9)
        else:
            assert isinstance(item, SurfaceItem)
            assert closest_points(item.surface, place)[2][0] == pytest.approx(off, abs=1e-6)


def test_a_pulled_net_gives_every_control_point_once() -> None:
    """A closed surface gives each of its points once, a moved point keeps its row, a new one gets one."""
    made = build(1.0, [{"verb": "simple", "form": "cylinder", "radius": 9, "height": 5}, {"verb": "pull", "surface": "l1"}])
    handles = made.handles(made.document.lines[-1])
    places = {tuple(np.round(handle.place, 6)) for handle in handles}
    assert len(places) == len(handles) == 8 * 2
    first = handles[0].changes[0]
    assert (first.field, first.column, first.row, first.value) == ("moves", "x", {"round": 1, "along": 1}, 0.0)


def test_what_later_lines_changed_has_no_handle_of_an_earlier_move() -> None:
    """A circle moved twice: the first move's middle is not known any more, the second's is."""
    lines = [{"verb": "circle", "radius": 4}, {"verb": "move", "item": "l1", "x": 5}, {"verb": "move", "item": "l1", "z": 7}]
    made = build(1.0, lines)
    first, second = made.document.lines[-2:]
    assert made.handles(first) == []
    assert made.handles(second)[0].place == pytest.approx((5, 0, 7))
