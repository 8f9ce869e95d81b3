"""Rows slid, edges turned and drawn together, faces parted and divided, rims drawn on, loops beside edges, as lines."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.document import read_document
from glass_spoon.sheet.evaluate import Build, evaluate
from glass_spoon.sheet.items import MeshItem
from glass_spoon.sheet.propose import propose
from tests.mesh_checker import check_result


def run(*lines: dict[str, Any]) -> Build:
    return evaluate(read_document({"format": "glass-spoon/sheet", "version": 1, "lines": list(lines)}), ResultCache())


def mesh_of(build: Build, name: str = "b") -> MeshItem:
    for line, report in build.reports.items():
        assert report.status in ("good", "look"), (line, [finding.sentence for finding in report.findings])
    item = build.items[name].item
    assert isinstance(item, MeshItem)
    return item


def crate(size: float = 40.0, edge: float = 10.0) -> dict[str, Any]:
    side = f"{size} mm"
    return {"id": "b", "verb": "block", "form": "box", "width": side, "depth": side, "height": side, "edge": f"{edge} mm"}


def mark(name: str, mesh: str = "b", **values: Any) -> dict[str, Any]:
    return {"id": name, "verb": "mark", "mesh": mesh, "gives": name, **values}


TOP = mark("top", what="faces facing", towards="up", angle="30°")
CUP = (
    {"id": "p", "verb": "line", "gives": "p", "right": "20 mm", "up": 0, "to_right": "20 mm", "to_up": "40 mm"},
    {"id": "r", "verb": "revolve", "profile": "p", "gives": "r"},
    {"id": "b", "verb": "mesh", "surface": "r", "round": 24, "along": 5, "gives": "b"},
)


def loop_at(height: float) -> dict[str, Any]:
    return mark("loop", what="edges at a height", low=f"{height} mm", reach="0.5 mm")


@pytest.mark.parametrize("around", [24, 36])
@pytest.mark.parametrize("by", [{"by": "a share", "share": 0.5}, {"by": "a distance", "distance": "4 mm"}])
def test_a_loop_slides_and_stays_on_the_tube(around: int, by: dict[str, Any]) -> None:
    """At two counts the loop at 16 mm lies 4 mm away, still on the cylinder, and the mesh stands for its surface."""
    lines = (*CUP[:2], {**CUP[2], "round": around}, loop_at(16))
    item = mesh_of(run(*lines, {"id": "s", "verb": "slide", "mesh": "b", "marks": ["loop"], "held": "on its surface", **by}))
    check_result(item.mesh, closed=False)
    levels = np.unique(np.round(item.mesh.positions[:, 2], 6))
    assert len(levels) == 6
    assert {float(level) for level in levels} & {12.0, 20.0}
    assert np.hypot(*item.mesh.positions[:, :2].T) == pytest.approx(np.full(item.mesh.point_count, 20.0))
    assert item.surface is not None


def test_loops_hold_an_edge_on_one_side_on_both_and_round_a_mark() -> None:
    """Beside the loop at 16 mm: rows at 15 and 17, or one of them; about the top of a crate loops close round its rim."""
    insert = {
        "id": "i",
        "verb": "insert_loops",
        "mesh": "b",
        "marks": ["loop"],
        "spacing": "beside them",
        "distance": "1 mm",
    }
    found = []
    for sides in ("both", "left", "right"):
        item = mesh_of(run(*CUP, loop_at(16), {**insert, "sides": sides}))
        assert item.mesh.topology.is_quads
        levels = {round(float(z), 6) for z in item.mesh.positions[:, 2]}
        found.append(sorted(levels & {15.0, 17.0}))
        assert item.mesh.face_count == 24 * (5 + len(found[-1]))
    assert found[0] == [15.0, 17.0]
    assert sorted(found[1] + found[2]) == [15.0, 17.0]
    crated = mesh_of(run(crate(), TOP, {**insert, "marks": ["top"]}))
    check_result(crated.mesh, closed=True)
    assert crated.mesh.topology.is_quads
    assert enclosed_volume(crated.mesh) == pytest.approx(40**3)
    wide = run(*CUP, loop_at(16), {**insert, "distance": "9 mm"})
    assert "7.92 mm fit" in wide.reports["i"].findings[0].sentence


def test_every_second_loop_goes() -> None:
    """A tube of six rows keeps three; the rims and the marked loop stay."""
    lines = (*CUP[:2], {**CUP[2], "along": 6}, mark("loop", what="loop", x="20 mm", y="1 mm", z="40 mm"))
    item = mesh_of(run(*lines, {"id": "d", "verb": "remove_loops", "mesh": "b", "marks": ["loop"], "which": "every second"}))
    assert item.mesh.face_count == 3 * 24
    assert np.unique(np.round(item.mesh.positions[:, 2], 3)).tolist() == pytest.approx([0, 40 / 3, 80 / 3, 40], abs=1e-3)


@pytest.mark.parametrize("edge", [10.0, 5.0])
def test_faces_are_divided_and_rows_collapse_again(edge: float) -> None:
    """One face into 3 by 2 lays two and one loop through the crate; a collapsed strip takes one out; the volume stays."""
    spot = mark("spot", what="single faces", picks=[{"x": "6 mm", "y": "-6 mm", "z": "40 mm"}])
    divide = {"id": "v", "verb": "divide", "mesh": "b", "marks": ["spot"], "across": 3, "along": 2}
    count = round(40 / edge)
    item = mesh_of(run(crate(edge=edge), spot, divide))
    check_result(item.mesh, closed=True)
    assert item.mesh.topology.is_quads
    assert (
        item.mesh.face_count
        == 2 * (count * count + (count + 2) * (count + 1) + count * (count + 2 + count + 1)) - 2 * count**2
    )
    assert enclosed_volume(item.mesh) == pytest.approx(40**3)
    strip = mark("strip", what="ring", x=f"{edge / 2} mm", y="-20 mm", z="20 mm")
    less = mesh_of(run(crate(edge=edge), strip, {"id": "c", "verb": "collapse", "mesh": "b", "marks": ["strip"]}))
    check_result(less.mesh, closed=True)
    assert less.mesh.topology.is_quads
    assert less.mesh.face_count == 6 * count**2 - 4 * count


def test_points_and_edges_are_connected_and_edges_turned() -> None:
    """Two points across a face part it; the edges of a ring are halved to a loop; an edge turns in three steps back."""
    points = mark("points", what="single points", picks=[{"x": "0 mm", "y": "0 mm", "z": "40 mm"}])
    other = mark(
        "others", what="single points", picks=[{"x": "10 mm", "y": "10 mm", "z": "40 mm"}], meeting="with", others=["points"]
    )
    item = mesh_of(run(crate(), points, other, {"id": "c", "verb": "connect", "mesh": "b", "marks": ["others"]}))
    check_result(item.mesh, closed=True)
    assert (item.mesh.topology.face_sides == 3).sum() == 2
    ring = mark("ring", what="ring", x="5 mm", y="-20 mm", z="20 mm")
    looped = mesh_of(run(crate(), ring, {"id": "c", "verb": "connect", "mesh": "b", "marks": ["ring"]}))
    assert looped.mesh.topology.is_quads
    assert looped.mesh.face_count == 96 + 16
    edge = mark("edge", what="single edges", picks=[{"x": "0 mm", "y": "5 mm", "z": "40 mm"}])
    turn = {"id": "t1", "verb": "turn_edges", "mesh": "b", "marks": ["edge"]}
    lines = [crate(), edge, turn]
    for step in (2, 3):
        lines += [
            mark(f"m{step}", what="edges made by", maker=f"t{step - 1}", role="turned"),
            {**turn, "id": f"t{step}", "marks": [f"m{step}"]},
        ]
    start, turned, back = (mesh_of(run(*part)) for part in ([crate()], lines[:3], lines))
    assert turned.mesh.topology.is_quads
    ends = [{tuple(pair) for pair in one.mesh.topology.edges.ends.tolist()} for one in (start, turned, back)]
    assert len(ends[0] - ends[1]) == 1
    assert ends[0] == ends[2]
    again = mesh_of(run(crate(), edge, {**turn, "steps": 3}))
    assert {tuple(pair) for pair in again.mesh.topology.edges.ends.tolist()} == ends[0], (
        "three times in one line is as it was"
    )


@pytest.mark.parametrize("edge", [10.0, 5.0])
def test_the_flow_of_a_strip_is_turned_all_round(edge: float) -> None:
    """The middle row of a crate's sides turned by two: closed and all quads at two densities; with edges it is refused."""
    strip = mark("strip", what="strip", x="0 mm", y="-20 mm", z="20 mm")
    level = mark("level", what="faces in a band", low="20 mm", high=f"{20 + edge} mm")
    turn = {"id": "t", "verb": "turn_edges", "mesh": "b", "steps": 2}
    done = run(crate(edge=edge), level, {**turn, "marks": ["level"]})
    item = mesh_of(done, "b")
    check_result(item.mesh, closed=True, areas=False)
    assert item.mesh.topology.is_quads
    assert f"{round(160 / edge)} edges turned" in done.reports["t"].told
    one = mark("one", what="single edges", picks=[{"x": "0 mm", "y": "5 mm", "z": "40 mm"}])
    mixed = run(crate(edge=edge), strip, one, {**turn, "marks": ["strip", "one"]})
    assert "turn strips in one line" in mixed.reports["t"].findings[0].sentence


@pytest.mark.parametrize("size", [32.0, 40.0, 48.0])
def test_a_rim_is_drawn_on_every_way(size: float) -> None:
    """A cup's rim at its radius: on in the surface it is higher, along normals a flange, to a level and to a curve there."""
    profile = {**CUP[0], "right": f"{size / 2} mm", "to_right": f"{size / 2} mm"}
    rim = mark("rim", what="edges at a height", low="40 mm", reach="0.5 mm")
    hoop = {"id": "h", "verb": "circle", "plane": "plan", "radius": f"{size} mm", "gives": "h"}
    lift = {"id": "u", "verb": "move", "item": "h", "x": "0 mm", "z": "60 mm"}
    skirt = {"id": "k", "verb": "skirt", "mesh": "b", "marks": ["rim"], "rows": 2}
    for values, high, wide in (
        ({"way": "on in the surface", "distance": "5 mm"}, 45, size / 2),
        ({"way": "along its normals", "distance": "5 mm"}, 40, size / 2 + 5),
        ({"way": "to a level", "level": "52 mm"}, 52, size / 2),
        ({"way": "one way", "x": "0 mm", "z": "8 mm"}, 48, size / 2),
        ({"way": "to a curve", "curve": "h"}, 60, size),
    ):
        item = mesh_of(run(profile, *CUP[1:], rim, hoop, lift, {**skirt, **values}))
        check_result(item.mesh, closed=False)
        assert item.mesh.face_count == 24 * 7
        assert item.mesh.positions[:, 2].max() == pytest.approx(high, abs=1e-6)
        assert np.hypot(*item.mesh.positions[:, :2].T).max() == pytest.approx(wide, rel=1e-6)
    refused = run(profile, *CUP[1:], rim, {**skirt, "distance": "0 mm"})
    assert "other than 0 mm" in refused.reports["k"].findings[0].sentence


def test_marked_edges_have_sizes_of_their_own() -> None:
    """Two marks, 2 mm and 4 mm: the second's band is twice as wide; a number that is none says how many there are."""
    front = mark("front", what="edges at a height", low="40 mm", reach="0.1 mm")
    foot = mark("foot", what="edges at a height", low="0 mm", reach="0.1 mm")
    sharp = mark("lid", what="sharp edges", angle="60°", meeting="within", others=["front"])
    base = mark("base", what="sharp edges", angle="60°", meeting="within", others=["foot"])
    bevel = {
        "id": "v",
        "verb": "bevel",
        "mesh": "b",
        "marks": ["lid", "base"],
        "width": "2 mm",
        "steps": 2,
        "profile": "flat",
    }
    lines = (crate(), front, foot, sharp, base)
    item = mesh_of(run(*lines, {**bevel, "own": "2: 4 mm"}))
    check_result(item.mesh, closed=True)
    heights = np.unique(np.round(item.mesh.positions[:, 2], 6))
    assert {4.0, 38.0} <= set(heights.tolist())
    taken = sum(
        40 * width**2 / 2 * 4 - 4 * width**3 / 3 for width in (2.0, 4.0)
    )  # four wedges each, less what pairs of them share at the corners: a pyramid of width³ / 3
    assert enclosed_volume(item.mesh) == pytest.approx(40**3 - taken, rel=1e-9)
    wrong = run(*lines, {**bevel, "own": "3: 4 mm"})
    assert "There is no mark 3: the line lists 2" in wrong.reports["v"].findings[0].sentence


def test_a_nudge_is_mirrored_and_says_where_nothing_lies_across() -> None:
    """A side nudged to the right takes the left one along; what has no counterpart is refused."""
    side = mark("side", what="faces facing", towards="right", angle="20°")
    nudge = {
        "id": "n",
        "verb": "nudge",
        "mesh": "b",
        "marks": ["side"],
        "x": "3 mm",
        "z": "0 mm",
        "mirrored": "left and right",
    }
    item = mesh_of(run(crate(), side, nudge))
    assert item.mesh.positions[:, 0].min() == pytest.approx(-23)
    assert item.mesh.positions[:, 0].max() == pytest.approx(23)
    assert enclosed_volume(item.mesh) == pytest.approx(46 * 40 * 40)
    moved = {"id": "o", "verb": "move", "item": "b", "x": "7 mm"}
    assert "none across the middle" in run(crate(), moved, side, nudge).reports["n"].findings[0].sentence


@pytest.mark.parametrize(
    "how", [{"how": "pushed", "out": "3 mm"}, {"how": "turned", "angle": "10°"}, {"how": "scaled", "factor": 0.5}]
)
def test_a_mirrored_nudge_of_any_kind_leaves_both_sides_alike(how: dict[str, Any]) -> None:
    """Every point has one at its mirror image; what is pushed out on one side is pushed out on the other."""
    side = mark("side", what="faces facing", towards="right", angle="20°")
    nudge = {
        "id": "n",
        "verb": "nudge",
        "mesh": "b",
        "marks": ["side"],
        "mirrored": "left and right",
        "reach": "12 mm",
        **how,
    }
    places = mesh_of(run(crate(), side, nudge)).mesh.positions
    image = places * [-1, 1, 1]
    assert max(float(np.linalg.norm(image - place, axis=1).min()) for place in places) < 1e-9
    if how["how"] == "pushed":
        assert places[:, 0].max() == pytest.approx(23)


def test_what_is_marked_is_made_true_every_way() -> None:
    """A given plane, flat faces, an ellipse, and a row on a curve, each told."""
    dent = {"id": "n", "verb": "nudge", "mesh": "b", "marks": ["spot"], "z": "4 mm"}
    spot = mark("spot", what="single points", picks=[{"x": "0 mm", "y": "0 mm", "z": "40 mm"}])
    true = {"id": "t", "verb": "true_up", "mesh": "b", "marks": ["top"]}
    given = mesh_of(run(crate(), TOP, spot, dent, {**true, "shape": "flat", "plane": "given", "z": "50 mm"}))
    assert given.mesh.positions[:, 2].max() == pytest.approx(50)
    flat = run(crate(), TOP, spot, dent, {**true, "shape": "flat faces"})
    mesh = mesh_of(flat).mesh
    corners = mesh.positions[mesh.topology.face_corners.reshape(-1, 4)[mesh.face_normals[:, 2] > 0.5]]
    assert np.linalg.svd(corners - corners.mean(axis=1, keepdims=True), compute_uv=False)[:, 2].max() < 1e-6
    oval = run(*CUP, loop_at(16), {**true, "marks": ["loop"], "shape": "oval"})
    assert "made oval" in oval.reports["t"].told
    hoop = {"id": "h", "verb": "circle", "plane": "plan", "radius": "25 mm", "gives": "h"}
    lift = {"id": "u", "verb": "move", "item": "h", "x": "0 mm", "z": "16 mm"}
    laid = mesh_of(run(*CUP, loop_at(16), hoop, lift, {**true, "marks": ["loop"], "shape": "on a curve", "curve": "h"}))
    own = laid.mesh.positions[np.isclose(laid.mesh.positions[:, 2], 16)]
    assert np.hypot(own[:, 0], own[:, 1]) == pytest.approx(np.full(24, 25.0))


@pytest.mark.parametrize(
    ("verb", "values", "field", "change"),
    [
        ("bevel", {"width": "2 mm"}, "width", 1.0),
        ("bevel", {"sized": "radius", "radius": "2 mm"}, "radius", 1.0),
        ("inset", {"distance": "2 mm"}, "distance", 1.0),
        ("slide", {"by": "a distance", "distance": "2 mm"}, "distance", 1.0),
        ("slide", {"by": "a distance", "distance": "-2 mm"}, "distance", -1.0),
        ("slide", {"by": "a share", "share": "0.2"}, "share", 0.1),
        ("insert_loops", {"spacing": "one at a share", "share": "0.2"}, "share", 0.1),
        ("insert_loops", {"spacing": "beside them", "distance": "2 mm"}, "distance", 1.0),
        ("insert_loops", {"spacing": "beside them", "sides": "left", "distance": "2 mm"}, "distance", 1.0),
    ],
)
def test_a_value_is_drawn_where_the_work_is(verb: str, values: dict[str, Any], field: str, change: float) -> None:
    """Its handle lies on the body, and moved along its way by its own rate it is where the changed value draws it."""
    chosen = {"bevel": mark("m", what="sharp edges", angle="60°"), "inset": {**TOP, "id": "m", "gives": "m"}}.get(
        verb, mark("m", what="loop", x="0 mm", y="5 mm", z="40 mm")
    )

    def drawn(own: dict[str, Any]) -> tuple[np.ndarray, Any]:
        build = run(crate(), chosen, {"id": "w", "verb": verb, "mesh": "b", "marks": ["m"], **own})
        item = mesh_of(build)
        line = build.document.line("w")
        handle = next(
            one
            for one in line.handles(line.resolve({}), lambda name: item if name == "mesh" else None)
            if one.changes[0].field == field
        )
        return np.array(handle.place), handle

    place, handle = drawn(values)
    assert np.abs(place - [0, 0, 20]).max() <= 20 + 1e-9
    number, unit = (*values[field].split(), "")[:2]
    other, _ = drawn({**values, field: f"{float(number) + change:g} {unit}".strip()})
    rate = np.array(handle.changes[0].rate)
    assert (other - place) @ rate == pytest.approx(change, abs=1e-6)


@pytest.mark.parametrize(
    ("text", "verb", "values"),
    [
        ("slide loop of b by 2 mm", "slide", {"by": "a distance", "distance": "2 mm"}),
        ("slide the loop by a share of 0.3", "slide", {"by": "a share", "share": "0.3"}),
        ("insert loops 0.8 mm beside loop", "insert_loops", {"spacing": "beside them", "distance": "0.8 mm"}),
        ("divide top into 3 by 4", "divide", {"across": "3", "along": "4"}),
        ("collapse loop", "collapse", {}),
        ("connect top of b", "connect", {}),
        ("turn edges loop back", "turn_edges", {"way": "back"}),
        ("skirt loop on by 4 mm in 3 rows", "skirt", {"distance": "4 mm", "rows": "3"}),
        ("skirt loop 6 mm up", "skirt", {"way": "one way", "z": "6 mm"}),
        ("remove every second loop beside loop", "remove_loops", {"which": "every second"}),
        ("true up loop to an ellipse", "true_up", {"shape": "oval"}),
        ("true up top flat faces", "true_up", {"shape": "flat faces"}),
    ],
)
def test_plain_words_say_them(text: str, verb: str, values: dict[str, str]) -> None:
    """Typed as one would say it, the first proposal is the verb with its values."""
    sheet = read_document({"format": "glass-spoon/sheet", "version": 1, "lines": [*CUP, loop_at(16), {**TOP}]})
    found = propose(text, sheet)[0]
    assert found.verb == verb
    assert {name: str(getattr(found.line, name)) for name in values} == values
