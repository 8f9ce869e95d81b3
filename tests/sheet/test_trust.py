"""What once went wrong and said good: each by the name of what was wrong, held against formulas."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
import pytest

from glass_spoon.kernel.gauges.read_gauges import Limits, read_gauges
from glass_spoon.kernel.mesh_edits.cut_beside import touched_faces
from glass_spoon.kernel.meshes.mesh import make_mesh
from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.document import read_document
from glass_spoon.sheet.evaluate import Build, evaluate
from glass_spoon.sheet.items import MeshItem
from glass_spoon.sheet.lines.mesh_work.fields import made_findings
from tests.mesh_checker import check_result

EDGES = {"verb": "mesh", "sizing": "edge length", "gives": "m"}


def build(*lines: dict[str, Any]) -> Build:
    """Return the build of lines l1, l2 …"""
    numbered = [{"id": f"l{number}", **line} for number, line in enumerate(lines, 1)]
    return evaluate(read_document({"format": "glass-spoon/sheet", "version": 1, "lines": numbered}), ResultCache())


def mesh_of(*lines: dict[str, Any]) -> MeshItem:
    """Return the last mesh of a build that says nothing."""
    made = build(*lines)
    for report in made.reports.values():
        assert report.status == "good", [finding.sentence for finding in report.findings]
    item = made.named("mesh")[-1][1].item
    assert isinstance(item, MeshItem)
    return item


def gauges(item: MeshItem) -> dict[str, float]:
    """Return the gauges of a mesh by their codes."""
    return {reading.code: float(reading.value) for reading in read_gauges(item.mesh, None, Limits())}


def volume(item: MeshItem) -> float:
    """Return the volume in mm^3 inside a closed mesh, its faces cut into fans."""
    points, topology = item.mesh.positions, item.mesh.topology
    total = 0.0
    for low, high in zip(topology.face_offsets[:-1], topology.face_offsets[1:], strict=True):
        corners = points[topology.face_corners[low:high]]
        for k in range(1, len(corners) - 1):
            total += float(np.dot(corners[0], np.cross(corners[k], corners[k + 1]))) / 6
    return total


def edge_ratio(item: MeshItem) -> float:
    """Return the longest over the shortest edge."""
    a, b = item.mesh.topology.edges.ends.T
    sizes = np.linalg.norm(item.mesh.positions[a] - item.mesh.positions[b], axis=1)
    return float(sizes.max() / sizes.min())


SECTIONS: dict[str, dict[str, Any]] = {
    "rounded": {"verb": "rectangle", "width": "60 mm", "height": "40 mm", "radius": "5 mm"},
    "soft": {"verb": "rectangle", "width": "40 mm", "height": "30 mm", "radius": "12 mm"},
    "square": {"verb": "rectangle", "width": "40 mm", "height": "40 mm", "radius": 0},
    "slot": {"verb": "slot", "length": "30 mm", "width": "20 mm"},
    "circle": {"verb": "circle", "radius": "20 mm"},
    "ellipse": {"verb": "ellipse", "first": "25 mm", "second": "15 mm"},
    "hexagon": {"verb": "polygon", "sides": 6, "radius": "25 mm"},
    "triangle": {"verb": "polygon", "sides": 3, "radius": "25 mm"},
    "star": {"verb": "star", "tips": 6, "outer": "30 mm", "inner": "20 mm"},
}
PAIRS = [
    ("rounded", "soft"),
    ("rounded", "slot"),
    ("circle", "square"),
    ("hexagon", "triangle"),
    ("star", "ellipse"),
    ("rounded", "circle"),
    ("soft", "ellipse"),
]


def loft(names: tuple[str, ...], ends: str = "open") -> list[dict[str, Any]]:
    """Return lines that loft sections 25 mm above each other and mesh the loft by edges of 4 mm."""
    lines: list[dict[str, Any]] = []
    sections = []
    for number, name in enumerate(names):
        lines.append({**SECTIONS[name], "plane": "plan", "gives": f"section {number}"})
        sections.append(f"l{len(lines)}")
        if number:
            lines.append({"verb": "move", "item": sections[-1], "z": f"{25 * number} mm"})
    lines.append({"verb": "loft", "sections": sections, "start": ends, "end": ends, "gives": "body"})
    return [*lines, {**EDGES, "surface": f"l{len(lines)}", "edge_length": "4 mm"}]


@pytest.mark.parametrize("names", [*PAIRS, ("rounded", "soft", "slot"), ("star", "circle", "square")], ids="-".join)
def test_lofts_of_outlines_with_arcs_had_slivers(names: tuple[str, ...]) -> None:
    """Evenness 0.85 and better, corners from 50° to 130°, edges within six times each other."""
    item = mesh_of(*loft(names))
    found = gauges(item)
    assert found["evenness"] >= 0.85
    assert np.degrees(found["smallest_corner"]) >= 50
    assert np.degrees(found["largest_corner"]) <= 130
    assert edge_ratio(item) < 6


@pytest.mark.parametrize("names", [*PAIRS, ("rounded", "soft", "slot")], ids="-".join)
def test_lofts_with_flat_ends_had_folded_faces(names: tuple[str, ...]) -> None:
    """No face is folded, the body is closed."""
    item = mesh_of(*loft(names, "flat"))
    found = gauges(item)
    assert found["folded"] == found["open_edges"] == 0
    check_result(item.mesh)


@pytest.mark.parametrize("size", ["M1", "M3x0.25"])
def test_fine_threads_had_folded_faces(size: str) -> None:
    """At a fifth of the pitch: none, and closed; the volume lies between the core's and the whole rod's."""
    item = mesh_of(
        {"verb": "thread", "size": size, "height": "3 mm", "first": "0.5 mm", "turns": 4, "gives": "t"},
        {**EDGES, "surface": "l1", "edge_length": "0.1 mm"},
    )
    found = gauges(item)
    assert found["folded"] == found["open_edges"] == 0
    radius = float(size[1:].split("x")[0]) / 2
    assert 0.4 * np.pi * radius**2 * 3 < volume(item) < np.pi * radius**2 * 3


def test_a_small_plate_used_one_vertex_twice() -> None:
    """A plate of 0.03 mm, and one with a rounded rim: exact, and closed."""
    flat = [{"verb": "rectangle", "width": "0.03 mm", "height": "0.03 mm", "radius": 0, "plane": "plan"}]
    flat += [{"verb": "plate", "outline": "l1", "height": "0.03 mm"}, {**EDGES, "surface": "l2", "edge_length": "0.01 mm"}]
    assert volume(mesh_of(*flat)) == pytest.approx(2.7e-5)
    soft = [{"verb": "circle", "radius": "0.03 mm", "plane": "plan"}]
    soft += [{"verb": "plate", "outline": "l1", "height": "0.03 mm", "upper": "rounded", "upper_size": "0.008 mm"}]
    item = mesh_of(*soft, {**EDGES, "surface": "l2", "edge_length": "0.006 mm"})
    assert gauges(item)["open_edges"] == 0


PLATE = [
    {"verb": "rectangle", "width": "20 mm", "height": "60 mm", "radius": 0, "plane": "plan", "gives": "slat"},
    {"verb": "circle", "radius": "5 mm", "plane": "plan", "gives": "hole"},
    {"verb": "plate", "outline": "l1", "holes": ["l2"], "height": "10 mm", "gives": "board"},
]


@pytest.mark.parametrize("count", [1, 2, 5])
def test_flat_ends_of_several_plates_were_filled_once_for_each(count: int) -> None:
    """A row of boards with a hole: volume by the formula, no edge doubled; and all of a sheet at once."""
    row = {"verb": "row", "item": "l3", "count": count, "x": "30 mm", "gives": "bench"}
    for surface, lines in (("l4", [row]), ("every", [row])):
        item = mesh_of(*PLATE, *lines, {**EDGES, "surface": surface, "edge_length": "2 mm"})
        assert volume(item) == pytest.approx(count * 10 * (20 * 60 - np.pi * 25), rel=2e-3)
        found = gauges(item)
        assert found["open_edges"] == found["crowded_edges"] == found["doubled_points"] == 0
        check_result(item.mesh)


@pytest.mark.parametrize("sweep", [30, 90, 179, 270, 300, 342, 359])
@pytest.mark.parametrize("form", ["sphere", "cone"])
def test_a_partial_turn_that_ends_on_the_axis_folded(form: str, sweep: int) -> None:
    """A piece of a ball, and of a cone: no face is folded, the swept volume is that of the piece."""
    sizes = {"radius": "20 mm", "second": 0, "height": "50 mm"}
    item = mesh_of({"verb": "simple", "form": form, "sweep": f"{sweep}°", **sizes}, {"verb": "mesh", "surface": "l1"})
    assert gauges(item)["folded"] == 0
    whole = 4 / 3 * np.pi * 20**3 if form == "sphere" else np.pi * 20**2 * 50 / 3
    # Of a cone the base is open: seen from the tip, which is not the origin, the volume under the lateral faces differs.
    if form == "sphere":
        assert volume(item) == pytest.approx(whole * sweep / 360, rel=2e-2)


@pytest.mark.parametrize("along", [1, 3, 5])
@pytest.mark.parametrize("spread", [0, 2])
def test_pulling_tore_poles_open(along: int, spread: int) -> None:
    """A ball pulled at a pole, or beside it with neighbours that follow, stays closed."""
    move = {"round": 1, "along": along, "x": 0, "y": 0, "z": 3}
    pull = {"verb": "pull", "surface": "l1", "spread": spread, "moves": [move]}
    item = mesh_of({"verb": "simple", "form": "sphere", "radius": "20 mm"}, pull, {"verb": "mesh", "surface": "l1"})
    found = gauges(item)
    assert found["open_edges"] == found["folded"] == found["doubled_points"] == 0


@pytest.mark.parametrize("distance", [2, 5, 14])
def test_parallels_of_an_ellipsoid_did_not_return(distance: float) -> None:
    """Outside: closed, and everywhere as far from the ellipsoid as asked, held against a fine grid on it."""
    egg = {"verb": "simple", "form": "ellipsoid", "radius": "50 mm", "second": "15 mm", "height": "60 mm"}
    out = {"verb": "parallel", "surface": "l1", "distance": f"{distance} mm", "side": "outside", "gives": "p"}
    item = mesh_of(egg, out, {"verb": "mesh", "surface": "l2", "round": 96, "along": 64, "gives": "m"})
    found = gauges(item)
    assert found["folded"] == found["open_edges"] == 0
    # Every point of the parallel lies at the distance from the ellipsoid, along its own normal (least over a fine grid).
    angles = np.linspace(0, 2 * np.pi, 721)[:-1], np.linspace(-np.pi / 2, np.pi / 2, 361)
    turn, rise = np.meshgrid(*angles, indexing="ij")
    grid = np.stack(
        (50 * np.cos(rise) * np.cos(turn), 15 * np.cos(rise) * np.sin(turn), 60 * np.sin(rise)), axis=-1
    ).reshape(-1, 3)
    some = item.mesh.positions[:: max(1, len(item.mesh.positions) // 60)]
    nearest = np.array([np.linalg.norm(grid - place, axis=1).min() for place in some])
    assert nearest == pytest.approx(np.full(len(some), distance), abs=0.05)


def test_a_parallel_beyond_the_bend_ran_away() -> None:
    """Inside by 5 mm where the ellipsoid bends with 3.75 mm: told with the place, and its net stays where it can be."""
    egg = {"verb": "simple", "form": "ellipsoid", "radius": "50 mm", "second": "15 mm", "height": "60 mm"}
    made = build(egg, {"verb": "parallel", "surface": "l1", "distance": "5 mm", "side": "inside", "gives": "p"})
    told = " ".join(finding.sentence for finding in made.reports["l2"].findings)
    assert "3.75" in told
    if "l2" in made.items:
        net = made.items["l2"].item.surface.control_points  # type: ignore[union-attr]
        assert np.abs(net).max() < 90


def test_a_mesh_line_tells_doubled_vertices_whatever_the_gauges_limits() -> None:
    """Two tubes on one ring that nobody gathered, meshed as one row: their rims lie on each other."""
    made = build(
        {"verb": "circle", "plane": "plan", "radius": "10 mm", "gives": "ring"},
        {"verb": "extrude", "profile": "l1", "distance": "20 mm", "gives": "tube"},
        {"verb": "row", "item": "l2", "count": 2, "x": "0 mm", "z": "20 mm", "gives": "tubes"},
        {**EDGES, "surface": "l3", "edge_length": "4 mm"},
    )
    findings = made.reports["l4"].findings
    assert [finding.code for finding in findings] == ["doubled_points"], findings
    mesh = made.items["l4"].item.mesh
    assert len(findings[0].offenders) == mesh.point_count - len(np.unique(np.round(mesh.positions, 6), axis=0))


def test_edges_and_corners_that_no_good_face_has_are_told() -> None:
    """A row of squares with one vertex drawn almost onto its neighbour, and one quad flattened to a triangle."""
    points = [[x, y, 0.0] for x in range(12) for y in (0, 1)]
    faces = [[2 * x, 2 * x + 2, 2 * x + 3, 2 * x + 1] for x in range(11)]
    assert made_findings(make_mesh(points, faces)) == []
    near = make_mesh([*points[:2], [0.005, 0, 0], *points[3:]], faces)
    assert [finding.code for finding in made_findings(near)] == ["slivers"]
    flat = make_mesh([*points[:-2], [10.49, 0.49, 0], points[-1]], faces)
    assert [finding.code for finding in made_findings(flat)] == ["flat_corners"]


@pytest.mark.parametrize("edge", ["2 mm", "3 mm", "4 mm", "6 mm"])
def test_bodies_that_stand_on_each_other_are_meshed_as_they_are_apart(edge: str) -> None:
    """Two closed tubes, one on the other, in a row or gathered: their ends closed in one fan, of 4 edges round, once."""
    ring = {"verb": "circle", "plane": "plan", "radius": "10 mm", "gives": "ring"}
    tube = {"verb": "extrude", "profile": "l1", "distance": "20 mm", "gives": "tube"}

    def faces(up: str, gathered: bool) -> int:
        if gathered:
            more = [
                {"verb": "copy", "item": "l2", "gives": "other"},
                {"verb": "move", "item": "l3", "z": up},
                {"verb": "gather", "surfaces": ["l2", "l3"]},
            ]
        else:
            more = [{"verb": "row", "item": "l2", "count": 2, "x": "0 mm", "z": up, "gives": "tubes"}]
        item = build(ring, tube, *more, {**EDGES, "surface": f"l{2 + len(more)}", "edge_length": edge})
        return int(item.named("mesh")[-1][1].item.mesh.face_count)

    for gathered in (False, True):
        assert faces("20 mm", gathered) == faces("50 mm", gathered)


BOX = [
    {"id": "l1", "verb": "rectangle", "plane": "plan", "width": "40 mm", "height": "30 mm", "radius": "5 mm"},
    {"id": "l2", "verb": "plate", "outline": "l1", "height": "20 mm", "upper": "rounded", "upper_size": "5 mm"}
    | {"upper_steps": 12, "lower": "rounded", "lower_size": "5 mm", "lower_steps": 12},
]


@pytest.mark.parametrize("factor", [0.01, 1, 100])
def test_a_box_as_round_at_its_edges_as_at_its_corners_has_balls_for_corners(factor: float) -> None:
    """Its volume is that of a box 30 x 20 x 10 grown by 5 (Steiner's formula); all quads, closed, at any size."""
    box, plate = ({**line} for line in BOX)
    box |= {name: f"{float(str(box[name])[:-3]) * factor:g} mm" for name in ("width", "height", "radius")}
    plate |= {name: f"{float(str(plate[name])[:-3]) * factor:g} mm" for name in ("height", "upper_size", "lower_size")}
    a, b, c, r = 30, 20, 10, 5
    exact = a * b * c + 2 * r * (a * b + b * c + c * a) + np.pi * r**2 * (a + b + c) + 4 / 3 * np.pi * r**3
    item = mesh_of(box, plate, {**EDGES, "surface": "l2", "edge_length": f"{0.7 * factor:g} mm"})
    figures = gauges(item)
    assert item.mesh.topology.is_quads
    assert (figures["folded"], figures["open_edges"], figures["doubled_points"]) == (0, 0, 0)
    assert volume(item) / factor**3 == pytest.approx(exact, rel=3e-3)
    assert np.degrees(figures["smallest_corner"]) > 50


def test_an_edge_larger_than_its_corner_says_the_corner_and_the_corner_fits() -> None:
    """5.1 mm does not fit corners of 5 mm; what is offered does."""
    made = build(BOX[0], {**BOX[1], "upper_size": "5.1 mm"})
    report = made.reports["l2"]
    assert "The largest that fits is 5.000 mm" in report.findings[0].sentence
    assert build(BOX[0], {**BOX[1], "upper_size": "5.000 mm"}).reports["l2"].status == "good"
    way = report.findings[0].actions[0]
    assert build(BOX[0], {**BOX[1], "upper_size": "5.1 mm", way.field: way.value}).reports["l2"].status == "good"


ROUNDED = {"verb": "rectangle", "width": "44 mm", "height": "22 mm", "radius": "5 mm"}
FINE_ROUNDINGS = {
    "plate": [{**ROUNDED, "plane": "plan"}, {"verb": "plate", "outline": "l1", "height": "20 mm"}],
    "extrude": [{**ROUNDED, "plane": "plan"}, {"verb": "extrude", "profile": "l1", "distance": "20 mm"}],
    "revolve": [{**ROUNDED, "plane": "front", "right": "60 mm"}, {"verb": "revolve", "profile": "l1"}],
}


@pytest.mark.parametrize("factor", [0.01, 1, 100])
@pytest.mark.parametrize("name", FINE_ROUNDINGS)
def test_even_edges_stepped_over_small_roundings(name: str, factor: float) -> None:
    """Corners of 5 mm at edges of 14 mm were 3.3 mm off: now each has a vertex at both ends and in its middle."""
    lines = json.loads(json.dumps(FINE_ROUNDINGS[name]))
    for line in lines:
        line |= {key: f"{float(value[:-3]) * factor} mm" for key, value in line.items() if str(value).endswith(" mm")}
    made = build(*lines, {**EDGES, "surface": "l2", "edge_length": f"{14 * factor} mm"})
    item = made.named("mesh")[-1][1].item
    assert isinstance(item, MeshItem)
    assert "finer than the edges" in made.reports["l3"].told
    points = item.mesh.positions / factor
    across = points if name != "revolve" else np.column_stack((np.hypot(points[:, 0], points[:, 1]) - 60, points[:, 2]))
    for x, y in ((1, 1), (-1, 1), (-1, -1), (1, -1)):
        middle = np.array([17, 6]) + 5 * np.sqrt(0.5)
        for place in (middle, [22, 6], [17, 11]):
            assert np.hypot(*(across[:, :2] - np.array([x, y]) * place).T).min() < 2e-3
    check_result(item.mesh)


def test_a_bend_much_finer_than_the_edges_is_a_point_and_one_that_fades_in_is_none() -> None:
    """A corner of 0.5 mm at edges of 14 mm gets a vertex in its middle; an ellipse has no bend that starts at once."""
    fine = [{**ROUNDED, "plane": "plan", "radius": "0.5 mm"}, {"verb": "plate", "outline": "l1", "height": "20 mm"}]
    item = mesh_of(*fine, {**EDGES, "surface": "l2", "edge_length": "14 mm"})
    middle = np.array([21.5, 10.5]) + 0.5 * np.sqrt(0.5)
    assert np.hypot(*(item.mesh.positions[:, :2] - middle).T).min() < 1e-3
    assert edge_ratio(item) < 4
    oval = {"verb": "ellipse", "plane": "plan", "first": "60 mm", "second": "10 mm"}
    made = build(oval, fine[1], {**EDGES, "surface": "l2", "edge_length": "14 mm"})
    assert "finer than the edges" not in made.reports["l3"].told


def test_support_reworked_what_it_was_not_given() -> None:
    """A ridge on a core, its sharp edges creased: loops stay beside them; what touches no crease keeps its faces."""
    ridge = {"verb": "ridge", "form": "blade", "width": "6 mm", "tip": "3 mm", "rise": "4 mm", "lead": "12 mm"}
    lines = [
        {**ridge, "low_radius": "12 mm", "high_radius": "12 mm", "height": "60 mm", "first": "10 mm", "turns": 3},
        {**EDGES, "surface": "l1", "edge_length": "4 mm"},
        {"verb": "mark", "mesh": "l2", "what": "sharp edges", "angle": "30°"},
        {"verb": "crease", "mesh": "l2", "marks": ["l3"], "how": "for some levels", "sharpness": 2},
    ]
    before = build(*lines).items["l2"].item
    made = build(*lines, {"verb": "support", "mesh": "l2"})
    after = made.items["l2"].item
    assert isinstance(before, MeshItem)
    assert isinstance(after, MeshItem)
    creased = before.mesh.edges["sharpness"] > 0
    assert after.mesh.face_count < before.mesh.face_count + 3 * creased.sum()
    far = ~touched_faces(before.mesh.topology, creased)
    kept = {tuple(np.round(place, 6)) for place in after.mesh.face_centers}
    assert {tuple(np.round(place, 6)) for place in before.mesh.face_centers[far]} <= kept
    assert after.mesh.topology.is_quads
    check_result(after.mesh)
    assert "differs by at most 0.1" in made.reports["l5"].told


NECKED = [
    {"verb": "ridge", "low_radius": "20 mm", "high_radius": "20 mm", "height": "120 mm", "lead": "30 mm", "rise": "8 mm"}
    | {"width": "6 mm", "tip": "3 mm", "first": "20 mm", "turns": 2.3, "foot_end": "open", "top_end": "open"},
    {"verb": "line", "right": "20 mm", "up": "120 mm", "to_right": "20 mm", "to_up": "150 mm"},
    {"verb": "revolve", "profile": "l2", "gives": "neck"},
]


def test_everything_was_meshed_without_cutting_edges_to_meet() -> None:
    """A ridge on a core, whose rim is five pieces, and a neck on it: one mesh, open at its two outer rims alone."""
    item = mesh_of(*NECKED, {**EDGES, "surface": "every", "edge_length": "5 mm"})
    height = item.mesh.positions[item.mesh.topology.edges.ends[item.mesh.topology.edge_face_counts == 1], 2]
    assert set(np.round(height.ravel(), 6)) == {0.0, 150.0}
    made = {piece.made_by for piece in item.pieces}
    assert {names[0] for names in made} == {"l1", "l3"}
    assert item.mesh.topology.is_quads


@pytest.mark.parametrize("gathered", [True, False])
def test_a_mesh_that_is_torn_between_pieces_says_so_itself(gathered: bool) -> None:
    """Two cylinders 0.3 mm apart, gathered or meshed as they are."""
    lines = [
        {"verb": "circle", "plane": "plan", "radius": "20 mm"},
        {"verb": "extrude", "profile": "l1", "distance": "30 mm", "start": "open", "end": "open"},
        {"verb": "copy", "item": "l2"},
        {"verb": "move", "item": "l3", "z": "30.3 mm"},
        *([{"verb": "gather", "surfaces": ["l2", "l3"]}] if gathered else []),
    ]
    made = build(*lines, {**EDGES, "surface": "l5" if gathered else "every", "edge_length": "5 mm"})
    report = made.reports["l6" if gathered else "l5"]
    assert "open where pieces nearly meet: 1 place, up to 0.3 mm apart" in report.findings[0].sentence


def test_control_points_of_a_parallel_ran_away_by_kilometres_when_it_was_made_lighter() -> None:
    """A vase with a pointed top, 1.4 mm apart: it folds at the tip, and says so; its net stays about the vase."""
    profile = {"verb": "draw", "plane": "front", "manner": "through", "points": PEAKED}
    made = build(
        profile, {"verb": "revolve", "profile": "l1"}, {"verb": "parallel", "surface": "l2", "distance": "1.42701 mm"}
    )
    net = made.items["l3"].item.surface.control_points
    assert np.abs(net).max() < 30
    assert "It folds at" in made.reports["l3"].findings[0].sentence


PEAKED = [{"x": x, "y": y} for x, y in ((7.2075, 0.0), (2.5795, 3.0), (6.2871, 6.0), (4.9255, 9.0), (0.0, 12.0))]
