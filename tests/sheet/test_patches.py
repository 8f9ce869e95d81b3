"""Patches and nets as lines: what they go on from and say, sharp curves, regions left out, sizes that change."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import evaluate_grid
from glass_spoon.kernel.surfaces.sets.edge_report import read_edges
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet
from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.document import read_document
from glass_spoon.sheet.evaluate import Build, evaluate
from glass_spoon.sheet.lines.form import patches
from glass_spoon.sheet.propose import propose
from tests.conftest import DEMO

CIRCLES = [{"verb": "circle", "gives": plane, "plane": plane, "radius": "50 mm"} for plane in ("front", "side", "plan")]


def built(*lines: dict[str, Any]) -> Build:
    """Return the build of lines, numbered l1, l2, …"""
    numbered = [{"id": f"l{k}", **line} for k, line in enumerate(lines, 1)]
    return evaluate(read_document({"format": "glass-spoon/sheet", "version": 1, "lines": numbered}), ResultCache())


def worst_corner(mesh: Mesh) -> float:
    """Return how near in degrees any corner of quads comes to being straight or shut."""
    places = mesh.positions[mesh.topology.face_corners.reshape(-1, 4)]
    ahead, back = np.roll(places, -1, axis=1) - places, np.roll(places, 1, axis=1) - places
    cosines = (ahead * back).sum(axis=2) / np.linalg.norm(ahead, axis=2) / np.linalg.norm(back, axis=2)
    return float(np.degrees(np.arccos(np.abs(cosines).max())))


def points_of(build: Build, item: str) -> np.ndarray:
    """Return points of all surfaces of a set."""
    shape = build.items[item].item.shape
    grids = [(one, *(np.linspace(*one.domain(axis), 9) for axis in (0, 1))) for one in shape.surfaces]
    return np.concatenate([evaluate_grid(*grid).points.reshape(-1, 3) for grid in grids])


def test_a_net_says_what_it_found_and_is_meshed_as_one_piece():
    """Three circles: eight regions, no crease, a closed mesh of quads alone."""
    build = built(*CIRCLES, {"verb": "net", "curves": ["l1", "l2", "l3"]}, {"verb": "mesh", "surface": "l4", "round": 16})
    assert build.reports["l4"].told.startswith("8 regions (8 of 3 sides); 24 patches")
    assert build.reports["l4"].status == "good"
    mesh = build.items["l5"].item.mesh
    assert set(np.diff(mesh.topology.face_offsets)) == {4}
    assert len(mesh.topology.boundary_edges) == 0


@pytest.mark.parametrize(
    ("left", "regions"), [("none", 8), ("1", 7), ("1, 2 and 5", 5), ("one", None), ("0", None), ("9", None)]
)
def test_regions_are_left_out_by_their_numbers(left, regions):
    """What is no list of numbers, or none of the regions, is refused with what may be said."""
    build = built(*CIRCLES, {"verb": "net", "curves": ["l1", "l2", "l3"], "left": left})
    report = build.reports["l4"]
    if regions is None:
        assert report.status == "failed"
        assert any(words in report.findings[0].sentence for words in ("numbers such as 2, 5", "There is no region 9"))
    else:
        assert report.told.startswith(f"{regions} regions")


def test_a_sharp_curve_keeps_its_crease_and_the_others_stay_smooth():
    """A roof over three frames: without the ridge named sharp the crease is told as a fault, with it the roof is flat."""
    frame = [{"x": -40, "y": 0}, {"x": 0, "y": 30, "sharp": True}, {"x": 40, "y": 0}]
    gable = {"verb": "draw", "plane": "front", "manner": "straight through", "points": frame}
    lines = [
        {**gable, "gives": "front gable"},
        {**gable, "gives": "back gable"},
        {"verb": "move", "item": "l2", "y": "100 mm"},
        *(
            {"verb": "line", "plane": "side", "right": 0, "up": up, "to_right": 100, "to_up": up, "gives": name}
            for up, name in ((30, "ridge"), (0, "eave"))
        ),
        {"verb": "copy", "item": "l5", "gives": "other eave"},
        {"verb": "move", "item": "l5", "x": "-40 mm"},
        {"verb": "move", "item": "l6", "x": "40 mm"},
    ]
    curves = ["l1", "l2", "l5", "l6"]
    roof = built(*lines, {"verb": "net", "curves": curves, "sharp": ["l4"]})
    assert roof.reports["l9"].told.startswith("2 regions (2 of 4 sides); 2 patches"), roof.reports["l9"]
    places = points_of(roof, "l9")
    assert places[:, 2] == pytest.approx(30 - 0.75 * np.abs(places[:, 0]), abs=0.05)
    round_ridge = built(*lines, {"verb": "net", "curves": [*curves, "l4"]})
    assert round_ridge.reports["l9"].told != roof.reports["l9"].told


def test_a_patch_goes_on_from_the_surface_beside_it():
    """The open top of a bowl of a ball is closed by the ball, within half a percent, and the sheet says how it meets."""
    bowl = (
        {
            "verb": "arc",
            "gives": "profile",
            "given_by": "its centre",
            "radius": "50 mm",
            "start_angle": "-90°",
            "end_angle": "36.87°",
        },
        {"verb": "revolve", "profile": "l1", "gives": "bowl"},
        {"verb": "isocurve", "surface": "l2", "way": "round", "share": 1, "gives": "rim"},
    )
    smooth = built(*bowl, {"verb": "patch", "curves": ["l3"], "onto": ["l2"], "gives": "cap"})
    assert "meets what is beside it within 0.005°" in smooth.reports["l4"].told
    assert np.linalg.norm(points_of(smooth, "l4"), axis=1) == pytest.approx(50, rel=5e-3)
    plain = built(*bowl, {"verb": "patch", "curves": ["l3"], "meeting": "in place", "onto": ["l2"]})
    assert points_of(plain, "l4")[:, 2] == pytest.approx(30, abs=0.01)
    astray = built(
        *bowl, {"verb": "circle", "radius": 5, "plane": "plan"}, {"verb": "patch", "curves": ["l4"], "onto": ["l2"]}
    )
    assert "None of its curves lies on the surfaces beside it" in astray.reports["l5"].findings[0].sentence


@pytest.mark.parametrize("factor", [0.8, 1.0, 1.2])
@pytest.mark.parametrize("name", ["length", "width", "depth"])
def test_the_scoop_stands_when_its_sizes_change(name, factor):
    """By a fifth either way: four regions, smooth, a closed wall without a fold."""
    data = read_document((DEMO / "bailing-scoop.json").read_bytes()).model_dump(mode="json")
    for line in data["lines"]:
        if line.get("name") == name:
            line["value"] = f"{float(line['value'].split()[0]) * factor} mm"
    build = evaluate(read_document(data), ResultCache())
    assert {report.status for report in build.reports.values()} == {"good"}


@pytest.mark.parametrize(
    ("text", "verb", "values"),
    [
        ("net over rim, keel and rib giving bowl", "net", {"gives": "bowl"}),
        ("patch within rim drawn taut by 2", "patch", {"tension": 2}),
        ("patch within rim going on with its curvature", "patch", {"meeting": "with its curvature"}),
    ],
)
def test_plain_words_give_the_line(text, verb, values):
    """Curves are found by their names; nothing is left over."""
    sheet = read_document((DEMO / "bailing-scoop.json").read_bytes())
    found = propose(text, sheet)[0]
    assert (found.verb, found.missed) == (verb, ())
    assert found.line.curves
    for field, value in values.items():
        assert str(getattr(found.line, field)) == str(value)


def between(*, bowed: bool = True, **choices: Any) -> Build:
    """A gap of 20 mm between two sheets that rise towards it, closed by bows that go on as they do, and a patch over it."""
    sheets = [
        {"id": f"s{end}", "verb": "simple", "form": "sheet", "radius": "30 mm", "second": "40 mm", "x": f"{25 * end} mm"}
        for end in (-1, 1)
    ]
    turned = [
        {"id": f"t{end}", "verb": "turn", "item": f"s{end}", "axis": "front-back axis", "angle": f"{20 * end}°",
         "x": f"{10 * end} mm"}
        for end in (-1, 1)
    ]  # fmt: skip
    lines = [
        {"id": f"c{end}", "verb": "line", "plane": "plan", "right": f"{10 * end} mm", "up": "-20 mm",
         "to_right": f"{10 * end} mm", "to_up": "20 mm"}
        for end in (-1, 1)
    ]  # fmt: skip
    slope = np.radians(20)
    inwards = [(10 - step * np.cos(slope), step * np.sin(slope)) for step in (0, 3, 6)]  # straight at their ends
    rising = [(-x, up) for x, up in inwards] + inwards[::-1]
    ends = [
        {
            "id": f"e{end}",
            "verb": "draw",
            "plane": "front",
            "manner": "pulled by",
            "points": [
                {"x": at, "y": height if bowed else 0, "out": out, "sharp": False, "weight": 1} for at, height in rising
            ],
        }
        for end, out in ((-1, -20), (1, 20))
    ]
    beyond = {"id": "beyond", "verb": "line", "plane": "plan", "right": 50, "up": 0, "to_right": 50, "to_up": 20}
    patch = {"id": "p", "verb": "patch", "curves": ["c-1", "e1", "c1", "e-1"], "onto": ["s-1", "s1"], **choices}
    return built(*sheets, *turned, *lines, *ends, beyond, patch)


def meetings(build: Build) -> list[tuple[float, float]]:
    """Return how the patch meets the sheet on the left and the one on the right, in the middle of the edge: the angle in
    radians and the jump of the bend in 1/mm.
    """
    shape = build.items["p"].item.shape
    found = []
    for side in ("s-1", "s1"):
        whole = SurfaceSet((build.items[side].item.surface, *shape.surfaces), 0.01)
        (edge,) = [one for one in read_edges(whole) if 0 in (one.edge.first.piece, one.edge.second.piece)]
        middle = len(edge.angles) // 2
        found.append((float(edge.angles[middle]), float(np.abs(np.diff(edge.curvatures[:, middle]))[0])))
    return found


def test_each_side_of_a_patch_meets_its_neighbour_as_it_is_asked():
    """Smooth on both sides; sharp along one of them alone; with the curvature along one of them alone."""
    (left, _), (right, _) = meetings(between())
    assert max(left, right) < np.radians(0.1)
    (left, _), (right, _) = meetings(between(sharp=["c-1"]))
    assert left > np.radians(0.5)
    assert right < np.radians(0.1)
    (left, jump), (right, own_jump) = meetings(between(even=["c1"]))
    assert max(left, right) < np.radians(0.1)
    assert own_jump < 0.02 * jump


@pytest.mark.parametrize(
    ("choices", "words"),
    [
        ({"sharp": ["beyond"]}, "none of its boundary"),
        ({"sharp": ["c1"], "even": ["c1"]}, "Name it once"),
        ({"even": ["c1"], "onto": []}, "Nothing is named beside it"),
    ],
)
def test_sides_that_cannot_be_meant_are_told(choices, words):
    """A curve that is none of the boundary, one named twice over, and curvature of nothing."""
    build = between(**choices)
    assert build.reports["p"].status == "look"
    assert any(words in finding.sentence for finding in build.reports["p"].findings)


def test_a_smooth_meeting_that_its_boundary_does_not_allow_is_told():
    """Level ends between sheets that rise: in the corners no surface can do both, and the line says so."""
    assert between().reports["p"].status == "good"
    found = between(bowed=False).reports["p"]
    assert found.status == "look"
    assert "do not run in the planes" in found.findings[0].sentence
    assert between(bowed=False, sharp=["c-1", "c1"]).reports["p"].status == "good"


def test_each_region_has_a_number_to_press():
    """A press leaves it open, another fills it again; each number stands within its region, also of one that is open."""
    cage = {"verb": "net", "curves": ["l1", "l2", "l3"]}
    for left, number, after in (("none", 3, "3"), ("3, 5", 3, "5"), ("3", 3, "none"), ("5", 2, "2, 5")):
        build = built(*CIRCLES, {**cage, "left": left})
        handles = build.handles(build.document.line("l4"))
        assert [one.mark for one in handles] == [str(k) for k in range(1, 9)]
        assert handles[number - 1].press == ("left", after) and handles[number - 1].off == (str(number) in left)
        places = np.array([one.place for one in handles])
        assert (np.abs(places) > 10).all() and len({tuple(np.sign(place)) for place in places}) == 8


def test_numbers_of_regions_are_gone_once_the_net_was_moved():
    """They would stand beside it."""
    move = {"verb": "move", "item": "l4", "x": "200 mm"}
    build = built(*CIRCLES, {"verb": "net", "curves": ["l1", "l2", "l3"]}, move)
    assert build.handles(build.document.line("l4")) == []


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
def test_a_boundary_with_two_holes_is_patched_and_meshed(size: float) -> None:
    """A plate with two holes: three open rims, the area that is left; a hole across the other is told with where it is."""
    circles = [("outline", 40, 0), ("eye", 8, -18), ("other eye", 6, 15)]
    lines = [
        {"verb": "circle", "plane": "plan", "gives": name, "radius": f"{radius * size} mm", "right": f"{right * size} mm"}
        for name, radius, right in circles
    ]
    patch = {"verb": "patch", "curves": ["l1", "l2", "l3"], "within": f"{0.1 * size} mm"}
    mesh = {"verb": "mesh", "surface": "l4", "sizing": "edge length", "edge_length": f"{3 * size} mm"}
    build = built(*lines, patch, mesh)
    assert build.reports["l4"].told.startswith("1 side round a hole of 1 side and one of 1 side")
    found = build.items["l5"].item.mesh
    assert len(found.topology.boundary_loops) == 3
    corners = found.positions[found.topology.face_corners.reshape(-1, 4)]
    area = np.linalg.norm(np.cross(corners[:, 2] - corners[:, 0], corners[:, 3] - corners[:, 1]), axis=1).sum() / 2
    assert area == pytest.approx(np.pi * (1600 - 64 - 36) * size**2, rel=5e-3)
    lines[2]["right"] = f"{-8 * size} mm"
    across = built(*lines, patch).reports["l4"]
    assert across.status == "failed"
    assert "apart from other holes" in across.findings[0].sentence


def test_holes_above_their_boundary_are_meshed_as_one_piece() -> None:
    """Three rims at other heights than the outline: four open rims, evenly meshed, nothing to tell."""
    places = [(60, 0, 0, 0), (9, -30, 15, 12), (7, 30, 18, 6), (11, 2, -18, 12)]
    lines = [
        {"verb": "circle", "plane": "plan", "gives": f"rim {k}", "radius": radius, "right": right, "up": up, "out": out}
        for k, (radius, right, up, out) in enumerate(places)
    ]
    patch = {"verb": "patch", "curves": ["l1", "l2", "l3", "l4"]}
    mesh = {"verb": "mesh", "surface": "l5", "sizing": "edge length", "edge_length": "3 mm"}
    build = built(*lines, patch, mesh)
    assert build.reports["l5"].status == "good", build.reports["l5"]
    found = build.items["l6"].item.mesh
    assert len(found.topology.boundary_loops) == 4
    assert (found.positions[:, 2].min(), found.positions[:, 2].max()) == pytest.approx((0, 13), abs=1.5)


@pytest.mark.parametrize("share", [0.8, 1.0, 1.2])
@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
def test_a_rounded_frame_with_holes_is_meshed_evenly(size: float, share: float) -> None:
    """Also after its lines change by a fifth, and trimmed instead: corners above 40°, even faces, told by its rims."""
    frame = {"verb": "rectangle", "plane": "plan", "width": 120 * size, "height": 80 * size, "radius": 15 * size * share}
    eyes = [(-35, 0, 12 * share), (5, 10, 14 * share), (38, -8, 10 / share)]
    lines = [{**frame, "corners": "corners"}] + [
        {"verb": "circle", "plane": "plan", "radius": radius * size, "right": right * size, "up": up * size}
        for right, up, radius in eyes
    ]
    mesh = {"verb": "mesh", "sizing": "edge length", "edge_length": 3 * size * share}
    patch = {"verb": "patch", "curves": ["l1", "l2", "l3", "l4"], "within": 0.1 * size}
    trim = {"verb": "trim_surface", "surface": "l5", "by": ["l2", "l3", "l4"], "way": "up and down"}
    corners = np.pi - 4
    area = (9600 + corners * (15 * share) ** 2 - np.pi * sum(radius**2 for *_, radius in eyes)) * size**2
    whole = built(*lines, patch, {**mesh, "surface": "l5"})
    cut = built(*lines, {**patch, "curves": ["l1"]}, trim, {**mesh, "surface": "l6"})
    for build, last in ((whole, "l6"), (cut, "l7")):
        assert {report.status for report in build.reports.values()} == {"good"}
        assert "where grids meet rims" in build.reports[last].told
        found = build.items[last].item.mesh
        assert len(found.topology.boundary_loops) == 4
        assert worst_corner(found) > 40
        places = found.positions[found.topology.face_corners.reshape(-1, 4)]
        areas = np.linalg.norm(np.cross(places[:, 2] - places[:, 0], places[:, 3] - places[:, 1]), axis=1) / 2
        assert areas.sum() == pytest.approx(area, rel=5e-3)
        assert np.exp(np.log(areas).mean()) / areas.mean() > 0.95


@pytest.mark.parametrize("more", [{"verb": "shell", "wall": 3}, {"verb": "ring", "count": 3, "y": 200}])
def test_what_is_made_of_a_frame_with_holes_is_meshed_evenly_too(more: dict[str, Any]) -> None:
    """A wall, closed, and copies in a ring: on each the patches fill their region still."""
    lines = [
        {"verb": "rectangle", "plane": "plan", "width": 120, "height": 80, "corners": "corners", "radius": 15},
        {"verb": "circle", "plane": "plan", "radius": 12, "right": -35},
        {"verb": "circle", "plane": "plan", "radius": 14, "right": 5, "up": 10},
        {"verb": "patch", "curves": ["l1", "l2", "l3"]},
        {**more, "item" if more["verb"] == "ring" else "surface": "l4"},
        {"verb": "mesh", "surface": "l5", "sizing": "edge length", "edge_length": 3},
    ]
    build = built(*lines)
    assert {report.status for report in build.reports.values()} == {"good"}, build.reports
    found = build.items["l6"].item.mesh
    assert worst_corner(found) > 40
    assert len(found.topology.boundary_loops) == (9 if more["verb"] == "ring" else 0)


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
def test_a_bent_frame_that_is_trimmed_is_meshed_evenly(size: float) -> None:
    """Bent by 60° and cut by a circle from above: eleven patches are trimmed, and meshed as one with corners above 35°."""
    frame = {"verb": "rectangle", "plane": "plan", "width": 120 * size, "height": 80 * size, "radius": 15 * size}
    lines = [
        {**frame, "corners": "corners"},
        {"verb": "patch", "curves": ["l1"], "within": 0.1 * size},
        {"verb": "bend", "item": "l2", "angle": "60°", "axis": "front-back axis", "tolerance": 0.01 * size},
        {"verb": "circle", "plane": "plan", "radius": 22 * size, "right": 10 * size, "up": 5 * size},
        {"verb": "trim_surface", "surface": "l2", "by": ["l4"], "way": "up and down"},
        {"verb": "mesh", "surface": "l5", "sizing": "edge length", "edge_length": 3 * size},
    ]
    build = built(*lines)
    assert {report.status for report in build.reports.values()} == {"good"}
    found = build.items["l6"].item.mesh
    assert len(found.topology.boundary_loops) == 2
    assert worst_corner(found) > 35


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
def test_a_flat_net_of_odd_regions_is_meshed_evenly(size: float) -> None:
    """Rounded outside, with a notch and slanted ends: no corner below 30°, edges along all curves, one rim."""

    def polyline(*places: tuple[float, float]) -> dict[str, Any]:
        points = [{"x": x * size, "y": y * size, "sharp": True} for x, y in places]
        return {"verb": "draw", "manner": "straight through", "plane": "plan", "points": points}

    frame = {"verb": "rectangle", "plane": "plan", "width": 120 * size, "height": 80 * size, "radius": 15 * size}
    lines = [
        {**frame, "corners": "corners"},
        polyline((-60, 5), (-10, 5), (-10, -40)),
        polyline((-10, 5), (20, 40)),
        polyline((20, -40), (20, 10), (60, 10)),
        polyline((-10, -10), (20, -10)),
    ]
    net = {"verb": "net", "curves": ["l1", "l2", "l3", "l4", "l5"], "within": 0.1 * size}
    build = built(*lines, net, {"verb": "mesh", "surface": "l6", "sizing": "edge length", "edge_length": 3 * size})
    assert {report.status for report in build.reports.values()} == {"good"}
    found = build.items["l7"].item.mesh
    assert len(found.topology.boundary_loops) == 1
    assert worst_corner(found) > 30
    ends = found.positions[found.topology.edges.ends]
    upright = (np.abs(ends[..., 0] + 10 * size) < 1e-6 * size).all(axis=1) & (ends[..., 1] < 5.001 * size).all(axis=1)
    assert np.abs(np.diff(ends[upright], axis=1))[..., 1].sum() == pytest.approx(45 * size)


def test_patches_that_meet_in_a_kink_say_so(monkeypatch: pytest.MonkeyPatch) -> None:
    """More than two degrees between patches of one region are worth a look, and there are ways out."""
    whole = patches._filled
    monkeypatch.setattr(patches, "_filled", lambda *args: replace(whole(*args), seam=np.radians(5.0)))
    report = built(CIRCLES[0], {"verb": "patch", "curves": ["l1"], "within": "0.11 mm"}).reports["l2"]
    assert report.status == "look"
    assert "meet each other with up to 5°" in report.findings[0].sentence


def test_a_patch_that_folds_over_itself_says_so() -> None:
    """Four sides with a corner that looks inwards: one patch runs out of them, and back."""
    points = [{"x": x, "y": y, "sharp": True} for x, y in ((35.5, 3.3), (19.1, 11.5), (3.3, 38.5), (21.2, -9.4))]
    outline = {"verb": "draw", "manner": "straight through", "shape": "closed", "points": points}
    report = built(outline, {"verb": "patch", "curves": ["l1"]}).reports["l2"]
    assert report.status == "look"
    assert "folds over itself" in report.findings[0].sentence


def test_a_region_of_a_net_that_folds_is_told_by_its_number() -> None:
    """A square whose side is dented deeply, beside a whole one: region 1 folds; left open, nothing is said."""
    rows = [[(0, 0), (60, 0)], [(60, 0), (60, 60)], [(60, 60), (0, 60)], [(0, 60), (45, 30), (0, 0)]]
    rows += [[(60, 0), (120, 0)], [(120, 0), (120, 60)], [(120, 60), (60, 60)]]
    lines = [
        {
            "verb": "draw",
            "plane": "plan",
            "manner": "straight through",
            "points": [{"x": f"{x} mm", "y": f"{y} mm"} for x, y in row],
            "gives": f"c{k}",
        }
        for k, row in enumerate(rows)
    ]
    net = {"verb": "net", "curves": [f"l{k + 1}" for k in range(len(rows))], "gives": "skin"}
    report = built(*lines, net).reports["l8"]
    assert report.status == "look" and "Region 1 folds over itself" in report.findings[0].sentence
    assert built(*lines, {**net, "left": "1"}).reports["l8"].findings == ()
