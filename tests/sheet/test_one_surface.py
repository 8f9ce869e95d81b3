"""A patch between four curves is a set of one surface: it serves where one is asked for, and stays what it is."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.sheet.document import read_document
from glass_spoon.sheet.items import SurfacesItem
from glass_spoon.sheet.propose import propose
from tests.sheet.test_everyday_words import FRAME
from tests.sheet.test_solids import run


def test_it_is_changed_in_place_and_stays_a_set() -> None:
    """Lengthened by 10 past its end: 10 longer, and still what Patch gave."""
    before = run(*FRAME).items["p5"].item
    build = run(*FRAME, {"id": "w", "verb": "lengthen", "surface": "p5", "length": "10 mm"})
    after = build.items["p5"].item
    assert build.reports["w"].status == "good"
    assert isinstance(before, SurfacesItem) and isinstance(after, SurfacesItem) and len(after.shape.surfaces) == 1
    sizes = [np.ptp(item.shape.surfaces[0].control_points.reshape(-1, 3), axis=0).sum() for item in (before, after)]
    assert sizes[1] == pytest.approx(sizes[0] + 10)


@pytest.mark.parametrize(
    "line",
    [
        {"verb": "parallel", "surface": "p5", "distance": "2 mm"},
        {"verb": "isocurve", "surface": "p5"},
        {"verb": "project", "curve": "p1", "surface": "p5"},
    ],
)
def test_other_verbs_take_it(line: dict[str, Any]) -> None:
    """Verbs that change one surface take a set of one, and give one surface."""
    build = run(*FRAME, {"id": "w", **line})
    assert build.reports["w"].status == "good" and not isinstance(build.items["w"].item, SurfacesItem)


def test_it_goes_on_to_be_meshed_and_shown() -> None:
    """After it was changed as one surface."""
    lines = [
        {"id": "w", "verb": "swap", "surface": "p5"},
        {"id": "m", "verb": "mesh", "surface": "p5", "round": 6, "along": 4},
    ]
    build = run(*FRAME, *lines)
    assert build.reports["m"].status == "good" and build.items["m"].item.mesh.face_count == 24


def test_a_set_of_several_is_refused_with_what_to_do() -> None:
    """A patch within five sides: Take one of its surfaces."""
    lines = [
        {"id": "r", "verb": "polygon", "sides": 5, "gives": "ring"},
        {"id": "e", "verb": "patch", "curves": ["r"], "gives": "lid"},
    ]
    count = len(run(*lines).items["e"].item.shape.surfaces)
    report = run(*lines, {"id": "w", "verb": "lengthen", "surface": "e", "length": "5 mm"}).reports["w"]
    assert count > 1 and report.status == "failed"
    assert f"It holds {count} surfaces" in report.findings[0].sentence and "Take the one" in report.findings[0].sentence


def test_holes_in_a_boundary_are_left_open_and_one_across_another_is_told() -> None:
    """A rim and a smaller ring over it are filled between, one beside it too; a ring across the other is refused."""
    rim = {"id": "r", "verb": "circle", "plane": "plan", "radius": "40 mm", "gives": "rim"}
    hole = {"id": "h", "verb": "circle", "plane": "plan", "radius": "10 mm", "out": "8 mm", "gives": "hole"}
    lid = {"id": "p", "verb": "patch", "curves": ["r", "h"], "gives": "lid"}
    mesh = {"id": "m", "verb": "mesh", "surface": "p", "gives": "mesh"}
    build = run(rim, hole, lid, mesh)
    assert build.reports["p"].told.startswith("1 side round a hole of 1 side, 4 patches")
    topology = build.items["m"].item.mesh.topology
    assert build.reports["m"].status == "good" and len(topology.boundary_loops) == 2
    third = {"id": "t", "verb": "circle", "plane": "plan", "radius": "4 mm", "right": "25 mm", "gives": "third"}
    both = run(rim, hole, third, {**lid, "curves": ["r", "h", "t"]}, mesh)
    topology = both.items["m"].item.mesh.topology
    assert both.reports["m"].status == "good" and len(topology.boundary_loops) == 3
    told = run(rim, hole, {**third, "right": "12 mm"}, {**lid, "curves": ["r", "h", "t"]}).reports["p"]
    assert told.status == "failed" and "apart from other holes" in told.findings[0].sentence


@pytest.mark.parametrize(
    ("sentence", "way"),
    [
        ("trim lid by hole from above", "up and down"),
        ("trim lid by hole, let through front to back", "front to back"),
        ("trim lid by hole seen from the side", "left to right"),
        ("trim lid by hole", "where they lie on it"),
    ],
)
def test_a_hole_is_let_through_a_patch(sentence: str, way: str) -> None:
    """Said, or pressed where a curve beside it was refused: then there is an opening."""
    lines = [
        {"id": "r", "verb": "circle", "plane": "plan", "radius": "40 mm", "gives": "rim"},
        {"id": "h", "verb": "circle", "plane": "plan", "radius": "10 mm", "out": "8 mm", "gives": "hole"},
        {"id": "p", "verb": "patch", "curves": ["r"], "gives": "lid"},
    ]
    first = propose(sentence, read_document({"format": "glass-spoon/sheet", "version": 1, "lines": lines}))[0]
    assert (first.verb, first.missed, first.line.model_dump()["way"]) == ("trim_surface", (), way)
    if way == "where they lie on it":
        line = {"id": "t", "verb": "trim_surface", "surface": "p", "by": ["h"], "gives": "opened"}
        (finding,) = run(*lines, line).reports["t"].findings
        assert [action.value for action in finding.actions] == ["up and down", "front to back", "left to right"]
        assert run(*lines, {**line, "way": finding.actions[0].value}).reports["t"].status == "good"


def sheets(size: float, *corners: tuple[tuple[float, float], tuple[float, float]]) -> list[dict[str, Any]]:
    """Return lines that gather sheets `g`, each 40 deep over a line of the front view."""
    lines: list[dict[str, Any]] = []
    for k, ((right, up), (to_right, to_up)) in enumerate(corners):
        ends = {"right": right, "up": up, "to_right": to_right, "to_up": to_up}
        lines.append({"id": f"c{k}", "verb": "line", **{name: f"{value * size} mm" for name, value in ends.items()}})
        lines.append(
            {"id": f"e{k}", "verb": "extrude", "profile": f"c{k}", "distance": f"{40 * size} mm", "sides": "to both sides"}
        )
    return [*lines, {"id": "g", "verb": "gather", "surfaces": [f"e{k}" for k in range(len(corners))]}]


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
@pytest.mark.parametrize("way", ["to the nearest places", "straight down"])
def test_a_curve_falls_on_a_set_of_several(way: str, size: float) -> None:
    """Over a roof of 45°: it lies on both sides, with a corner at the ridge, where the nearest places of much of it are."""
    roof = sheets(size, ((-30, 0), (0, 30)), ((0, 30), (30, 0)))
    ends = {"right": f"{-20 * size} mm", "up": f"{40 * size} mm", "to_right": f"{20 * size} mm", "to_up": f"{40 * size} mm"}
    tolerance = f"{0.001 * size} mm" if size > 0.1 else "0.0001 mm"
    line = {"id": "l", "verb": "line", **ends}
    fallen = {"id": "p", "verb": "project", "curve": "l", "surface": "g", "way": way, "tolerance": tolerance}
    build = run(*roof, line, fallen)
    assert build.reports["p"].status == "good"
    curve = build.items["p"].item.curve
    x, y, z = curve_points(curve, np.linspace(*curve.domain, 801)).T / size
    assert z == pytest.approx(30 - np.abs(x), abs=0.02) and np.abs(y).max() < 1e-6
    assert x.max() == pytest.approx(20 if way == "straight down" else 5, abs=0.02)
    assert np.hypot(x, z - 30).min() < 0.1


def test_flat_faces_are_refused_with_a_way_out_that_works() -> None:
    """A plate's lids are flat faces: meshed, it takes the curve."""
    slab = [{"id": "r", "verb": "rectangle", "plane": "plan"}, {"id": "s", "verb": "plate", "outline": "r"}]
    line = {"id": "l", "verb": "line", "up": "80 mm", "to_right": "20 mm", "to_up": "80 mm"}
    onto = {"id": "p", "verb": "project", "curve": "l", "way": "straight down"}
    told = run(*slab, line, {**onto, "surface": "s"}).reports["p"]
    assert told.status == "failed" and "Mesh it" in told.findings[0].sentence
    mesh = {"id": "m", "verb": "mesh", "surface": "s"}
    assert run(*slab, line, mesh, {**onto, "surface": "m"}).reports["p"].status == "good"


def test_a_curve_that_falls_on_surfaces_apart_is_told() -> None:
    """From the upper of two sheets to the lower one, seen from above."""
    line = {"id": "l", "verb": "line", "right": "-20 mm", "up": "50 mm", "to_right": "20 mm", "to_up": "50 mm"}
    apart = sheets(1.0, ((-30, 20), (2, 20)), ((-2, 0), (30, 0)))
    build = run(*apart, line, {"id": "p", "verb": "project", "curve": "l", "surface": "g", "way": "straight down"})
    assert "jumps by 20 mm at (2" in build.reports["p"].findings[0].sentence


@pytest.mark.parametrize(
    ("sentence", "side", "distance"),
    [
        ("offset welt by 6 outwards along dome", "outside", "6"),
        ("offset welt by 6 inside on the dome", "inside", "6"),
        ("offset welt by 1/4 inch to the left over the dome", "left", "1/4 inch"),
    ],
)
def test_a_curve_is_moved_along_its_surface(sentence: str, side: str, distance: str) -> None:
    """A circle on a ball of 50 mm: another circle, as many mm along the ball farther out or in."""
    ball = {"id": "d", "verb": "simple", "form": "sphere", "radius": "50 mm", "gives": "dome"}
    ring = {"id": "c", "verb": "circle", "plane": "plan", "radius": "20 mm", "out": f"{np.sqrt(2100)} mm", "gives": "welt"}
    sheet = read_document({"format": "glass-spoon/sheet", "version": 1, "lines": [ball, ring]})
    first = propose(sentence, sheet)[0]
    said = first.line.model_dump()
    assert (first.verb, first.missed, said["surface"], said["side"], said["distance"]) == (
        "offset",
        (),
        ["d"],
        side,
        distance,
    )
    build = run(ball, ring, {**said, "id": "o"})
    assert build.reports["o"].status == "good"
    curve = build.items["o"].item.curve
    x, y, z = curve_points(curve, np.linspace(*curve.domain, 101)).T
    by = {"outside": 6, "inside": -6, "left": -6.35}[side]
    assert np.arctan2(np.hypot(x, y), z) == pytest.approx(np.arcsin(20 / 50) + by / 50, abs=1e-4)


def test_a_set_of_several_is_no_surface_to_be_moved_along() -> None:
    """It says to take one of them."""
    roof = sheets(1.0, ((-30, 0), (0, 30)), ((0, 30), (30, 0)))
    line = {"id": "l", "verb": "line", "right": "-20 mm", "up": "10 mm", "to_right": "-10 mm", "to_up": "20 mm"}
    told = run(*roof, line, {"id": "o", "verb": "offset", "curve": "l", "surface": ["g"], "side": "left"}).reports["o"]
    assert "Take it by its number" in told.findings[0].sentence
