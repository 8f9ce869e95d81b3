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
from glass_spoon.sheet.handle import Handle, turned_back
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
        if handle.turning:
            continue
        by = np.array(handle.way if handle.way else (0.7, 0.2, -0.4)) * 0.2 * size
        reach = np.array([change.rate for change in handle.changes])
        after = moved(before.document, last, handle, by)
        assert after.reports[last].status == "good", after.reports[last].findings
        seen = by if handle.measured and not handle.way else reach.T @ np.linalg.lstsq(reach.T, by, rcond=None)[0]
        if handle.measured and not handle.way:
            seen = np.array([0, 0, by[2]]) + np.array(handle.measured) * float(np.dot(handle.measured, by))
        now = after.handles(after.document.lines[-1])[number]
        assert np.array(now.place) - handle.place == pytest.approx(seen, abs=1e-9 * size)


CRATE = {"verb": "block", "form": "box", "width": "20 * u", "depth": "14 * u", "height": "30 * u"}
TOP = {"verb": "mark", "mesh": "l1", "what": "faces facing", "towards": "up", "gives": "top"}
BENT = [{"x": "5 * u", "y": 0}, {"x": "9 * u", "y": "8 * u"}, {"x": "4 * u", "y": "20 * u"}]
SIDE = {"verb": "draw", "plane": "front", "points": BENT}
TURNED_LINES: list[list[dict[str, Any]]] = [
    [{"verb": "circle", "radius": "4 * u", **AT}, {"verb": "turn", "item": "l1", "angle": "40°", "x": "30 * u"}],
    [CRATE, {"verb": "turn", "item": "l1", "angle": "25°", "through": "its own origin", "axis": "left-right axis"}],
    [
        {"verb": "circle", "radius": "4 * u", **AT},
        {"verb": "ring", "item": "l1", "count": 5, "first": "10°", "angle": "200°"},
    ],
    [CRATE, {"verb": "shear", "item": "l1", "angle": "20°", "way": "back", "axis": "upright axis"}],
    [CRATE, {"verb": "bend", "item": "l1", "angle": "50°", "way": "right", "axis": "upright axis", "stays": "start"}],
    [SIDE, {"verb": "revolve", "profile": "l1", "angle": "220°", "start_angle": "15°"}],
    [
        {
            "verb": "arc",
            "given_by": "its centre",
            "radius": "7 * u",
            "start_angle": "10°",
            "end_angle": "130°",
            "plane": "side",
        }
    ],
    [{"verb": "rectangle", "width": "20 * u", "height": "12 * u", "radius": 0, "turn": "20°", **AT}],
    [CRATE, TOP, {"verb": "nudge", "mesh": "l1", "marks": ["l2"], "how": "turned", "angle": "30°"}],
    [CRATE, TOP, {"verb": "nudge", "mesh": "l1", "marks": ["l2"], "how": "turned", "angle": "12°", "about": "upright"}],
]


@pytest.mark.parametrize("size", SIZES)
@pytest.mark.parametrize("lines", TURNED_LINES, ids=lambda lines: lines[-1]["verb"])
def test_a_handle_of_an_angle_goes_round_as_far_as_its_value(lines: list[dict[str, Any]], size: float) -> None:
    """Each by 17° more: its place is turned by 17° about its axis, and lies as far from its centre as before."""
    before = build(size, lines)
    last = before.document.lines[-1]
    handles = before.handles(last)
    assert any(handle.turning for handle in handles)
    for number, handle in enumerate(handles):
        if handle.turning is None:
            continue
        (change,) = handle.changes
        value = f"{float(np.degrees(change.value)) + 17!r}°"
        after = evaluate(set_fields(before.document, last.id, {change.field: value}), ResultCache())
        assert after.reports[last.id].status in ("good", "look"), after.reports[last.id].findings
        now = after.handles(after.document.lines[-1])[number]
        centre, axis = np.array(handle.turning.centre), np.array(handle.turning.axis)
        wanted = centre + turned_back(axis, np.array(handle.place) - centre, -np.radians(17))
        assert np.array(now.place) == pytest.approx(wanted, abs=1e-3 * size)
        assert np.linalg.norm(axis) == pytest.approx(1)


@pytest.mark.parametrize("size", SIZES)
def test_what_was_turned_and_bent_went_the_way_its_handle_tells(size: float) -> None:
    """The middle of a turned circle lies at its handle; the lean of a crate's top and its handle have one direction."""
    turned = build(size, TURNED_LINES[0])
    handle = next(handle for handle in turned.handles(turned.document.lines[-1]) if handle.turning)
    places = kind_of(turned.items["l1"].item).places(turned.items["l1"].item)
    assert np.array(handle.place) == pytest.approx((places.min(axis=0) + places.max(axis=0)) / 2, abs=1e-6 * size)
    leant = build(size, TURNED_LINES[3])
    handle = next(handle for handle in leant.handles(leant.document.lines[-1]) if handle.turning)
    mesh = leant.items["l1"].item.mesh  # type: ignore[union-attr]
    top = mesh.positions[np.isclose(mesh.positions[:, 2], mesh.positions[:, 2].max())].mean(axis=0)
    foot = np.array(handle.turning.centre)  # type: ignore[union-attr]
    assert np.cross(top - foot, np.array(handle.place) - foot) == pytest.approx(np.zeros(3), abs=1e-6 * size**2)


def test_a_factor_is_taken_at_the_farthest_point() -> None:
    """The top of a crate scaled by 1.5: its handle lies on a corner of it, half as far is a factor of 0.75."""
    lines = [CRATE, TOP, {"verb": "nudge", "mesh": "l1", "marks": ["l2"], "how": "scaled", "factor": 1.5}]
    made = build(1.0, lines)
    (handle,) = made.handles(made.document.lines[-1])
    assert np.abs(handle.place) == pytest.approx((15, 10.5, 30))
    assert handle.changes[0].rate @ (np.array(handle.place) - handle.start) == pytest.approx(1.5)  # type: ignore[operator]


def test_handles_stay_under_later_lines_that_leave_the_mesh_where_it_lies() -> None:
    """An inset keeps its handle when its faces are pulled out and smoothed after it, not when the crate is moved."""
    inset = {"verb": "inset", "mesh": "l1", "marks": ["l2"], "distance": "3 * u"}
    smooth = {"verb": "smooth", "mesh": "l1"}
    alone = build(1.0, [CRATE, TOP, inset])
    wanted = [handle.place for handle in alone.handles(alone.document.lines[3])]
    assert wanted
    later = build(1.0, [CRATE, TOP, inset, {"verb": "nudge", "mesh": "l1", "marks": ["l2"], "z": "2 * u"}, smooth])
    assert [handle.place for handle in later.handles(later.document.lines[3])] == wanted
    moved_on = build(1.0, [CRATE, TOP, inset, {"verb": "move", "item": "l1", "x": "9 * u"}])
    assert moved_on.handles(moved_on.document.lines[3]) == []


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


@pytest.mark.parametrize("size", SIZES)
def test_the_bulge_of_a_bridge_is_drawn_where_it_leaves_its_rim(size: float) -> None:
    """Two walls of a crate bridged in a bend: the handle starts on a rim, and its value is the bulge."""
    sides = {"verb": "mark", "mesh": "l1", "what": "faces facing"}
    crate = {**CRATE, "edge": "5 * u"}
    lines = [crate, {**sides, "towards": "left"}, {**sides, "towards": "right"}]
    shrunk = {"verb": "inset", "mesh": "l1", "marks": ["l2", "l3"], "distance": "3 * u"}
    tops = {"verb": "mark", "mesh": "l1", "what": "faces made by", "maker": "l4", "role": "top"}
    bridge = {"verb": "bridge", "mesh": "l1", "marks": ["l5"], "bend": "in a round bend", "bulge": 1.5, "steps": 4}
    made = build(size, [*lines, shrunk, tops, bridge])
    assert made.reports["l6"].status in ("good", "look"), made.reports["l6"].findings
    (handle,) = made.handles(made.document.lines[-1])
    assert handle.start is not None
    start, place = np.array(handle.start), np.array(handle.place)
    mesh = made.items["l1"].item.mesh  # type: ignore[union-attr]
    assert np.linalg.norm(mesh.positions - start, axis=1).min() < 1e-9 * size
    assert handle.changes[0].rate @ (place - start) == pytest.approx(1.5)
    straight = build(size, [*lines, shrunk, tops, {**bridge, "bend": "straight"}])
    assert straight.handles(straight.document.lines[-1]) == []


def test_the_points_of_a_lattice_are_joined_to_their_neighbours() -> None:
    """The net of two by three by two points has 20 lines, each between points that differ by one along one direction."""
    lines = [
        {"verb": "block", "width": "20 * u", "depth": "10 * u", "height": "8 * u"},
        {"verb": "lattice", "item": "l1", "across": 2, "deep": 3, "tall": 2},
    ]
    found = build(1.0, lines)
    handles = found.handles(found.document.line("l2"))
    joined = [(number, other) for number, one in enumerate(handles) for other in one.joins]
    ways = np.array([np.subtract(handles[b].place, handles[a].place) for a, b in joined])
    assert len(joined) == len(set(joined)) == 20
    assert (np.sort(np.abs(ways), axis=1)[:, :2] < 1e-9).all() and {round(float(np.abs(way).max()), 6) for way in ways} == {
        20.0,
        5.0,
        8.0,
    }
