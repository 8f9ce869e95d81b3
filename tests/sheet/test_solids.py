"""Fuse, Subtract, Meet and Slice as lines: on exact surfaces, again and again, as sizes change, in plain words."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from scipy.integrate import quad

from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.document import read_document
from glass_spoon.sheet.evaluate import Build, evaluate
from glass_spoon.sheet.items import MeshItem, as_mesh
from glass_spoon.sheet.propose import propose
from tests.mesh_checker import check_result


def run(*lines: dict[str, Any]) -> Build:
    numbered = [{"id": f"l{number}", **line} for number, line in enumerate(lines, 1)]
    return evaluate(read_document({"format": "glass-spoon/sheet", "version": 1, "lines": numbered}), ResultCache())


def rod(name: str, radius: str, length: str, edge: str, plane: str = "plan") -> list[dict[str, Any]]:
    """A closed cylinder about the middle of the space."""
    return [
        {"id": f"{name}c", "verb": "circle", "radius": radius, "plane": plane, "gives": f"{name} circle"},
        {
            "id": f"{name}e",
            "verb": "extrude",
            "profile": f"{name}c",
            "distance": length,
            "sides": "to both sides",
            "gives": f"{name} wall",
        },
        {"id": name, "verb": "mesh", "surface": f"{name}e", "sizing": "edge length", "edge_length": edge, "gives": name},
    ]


def result(build: Build, name: str) -> MeshItem:
    report = build.reports[name]
    assert report.status in ("good", "look"), [finding.sentence for finding in report.findings]
    item = build.items[name].item
    assert isinstance(item, MeshItem)
    return item


def rim_of(item: MeshItem) -> np.ndarray:
    """Return the points along seams."""
    numbers = [k for k, maker in enumerate(item.makers, 1) if maker.role == "seam"]
    edges = np.isin(item.mesh.edges["maker"], numbers)
    return item.mesh.positions[np.unique(item.mesh.topology.edges.ends[edges])]


@pytest.mark.parametrize("share", [0.8, 1.0, 1.2])
def test_a_bore_lies_on_both_cylinders(share: float) -> None:
    """r 30 bored by r 8, and ±20 %: rim points on both to 1e-9, volume right to 0.1 % (quadrature)."""
    bore = 8 * share
    build = run(
        {"id": "s", "verb": "size", "name": "bore", "value": f"{bore} mm"},
        *rod("a", "30 mm", "80 mm", "2 mm"),
        *rod("b", "bore", "100 mm", "2 mm", "front"),
        {"id": "x", "verb": "subtract", "others": ["b"], "mesh": "a", "gives": "bored"},
    )
    item = result(build, "x")
    check_result(item.mesh, closed=True)
    rim = rim_of(item)
    assert np.abs(np.hypot(rim[:, 0], rim[:, 1]) - 30).max() < 1e-9
    assert np.abs(np.hypot(rim[:, 0], rim[:, 2]) - bore).max() < 1e-9
    taken = quad(lambda x: 4 * np.sqrt(bore**2 - x**2) * np.sqrt(900 - x**2), -bore, bore)[0]
    assert enclosed_volume(item.mesh) == pytest.approx(np.pi * 900 * 80 - taken, rel=1e-3)
    assert build.reports["x"].told.startswith("2 seams, ")


def test_a_ball_and_a_rod_hold_what_both_do() -> None:
    """r 30 and r 7: the analytic union to 0.2 % (ball, rod and two caps of a ball: common mensuration, no source)."""
    ball = {"id": "b", "verb": "block", "form": "ball", "radius": "30 mm", "sizing": "counts", "across": 32}
    build = run(ball, *rod("r", "7 mm", "100 mm", "2 mm"), {"id": "x", "verb": "fuse", "meshes": ["b", "r"]})
    item = result(build, "x")
    check_result(item.mesh, closed=True)
    depth = np.sqrt(900 - 49)
    shared = 2 * (np.pi * 49 * depth + np.pi * (30 - depth) ** 2 * (90 - (30 - depth)) / 3)
    whole = 4 / 3 * np.pi * 27000 + np.pi * 49 * 100 - shared
    assert enclosed_volume(item.mesh) == pytest.approx(whole, rel=2e-3)
    assert item.mesh.topology.components.max() == 0


def test_a_ring_of_bores_from_one_body_of_copies() -> None:
    """Six copies of a rod are taken out of a plate at once, sharp and rounded; twice in one sheet."""
    build = run(
        {"id": "p", "verb": "block", "form": "box", "width": "100 mm", "depth": "100 mm", "height": "12 mm", "edge": "3 mm"},
        *rod("r", "6 mm", "60 mm", "2 mm"),
        {"id": "mv", "verb": "move", "item": "r", "x": "32 mm"},
        {"id": "ring", "verb": "ring", "item": "r", "count": 6, "gives": "bores"},
        {"id": "x", "verb": "subtract", "others": ["ring"], "mesh": "p", "gives": "plate"},
        {
            "id": "y",
            "verb": "subtract",
            "others": ["ring"],
            "mesh": "p",
            "seam": "rounded",
            "radius": "1.5 mm",
            "gives": "soft",
        },
    )
    for name in ("x", "y"):
        mesh = result(build, name).mesh
        check_result(mesh, closed=True)
        assert mesh.point_count - len(mesh.topology.edges.ends) + mesh.face_count == 2 - 2 * 6
        assert enclosed_volume(mesh) == pytest.approx(100 * 100 * 12 - 6 * np.pi * 36 * 12, rel=0.01)
    assert "12 seams" in build.reports["x"].told
    assert enclosed_volume(result(build, "y").mesh) < enclosed_volume(result(build, "x").mesh)


def test_the_marks_of_a_seam_are_supported_and_smoothed() -> None:
    """The line after takes the seam by its role; the smoothed skin is closed."""
    build = run(
        {"id": "b", "verb": "block", "form": "ball", "radius": "30 mm", "sizing": "counts", "across": 16},
        {"id": "c", "verb": "block", "form": "capsule", "radius": "8 mm", "height": "90 mm", "z": "-45 mm", "edge": "3 mm"},
        {"id": "x", "verb": "fuse", "meshes": ["b", "c"], "gives": "knob"},
        {"id": "m", "verb": "mark", "mesh": "x", "what": "edges made by", "maker": "x", "role": "seam", "gives": "seam"},
        {"id": "k", "verb": "crease", "mesh": "x", "marks": ["m"]},
        {"id": "s", "verb": "smooth", "mesh": "x"},
    )
    assert build.reports["k"].status == "good", build.reports["k"].findings
    check_result(build.items["x"].item.mesh, closed=True)


def test_a_radius_too_large_offers_the_one_that_fits() -> None:
    """The offer, taken, works."""
    lines = [
        {"id": "b", "verb": "block", "form": "ball", "radius": "30 mm", "sizing": "counts", "across": 24},
        *rod("r", "7 mm", "100 mm", "2 mm"),
    ]
    join = {"id": "x", "verb": "subtract", "others": ["r"], "mesh": "b", "seam": "rounded", "radius": "26 mm"}
    report = run(*lines, join).reports["x"]
    assert report.status == "failed"
    action = report.findings[0].actions[0]
    assert action.field == "radius"
    assert report.findings[0].actions[-1].value == "sharp"
    assert run(*lines, join | {"seam": "sharp"}).reports["x"].status == "good"


def test_an_open_body_is_refused_by_its_own_words() -> None:
    """The open cylinder is named as not closed."""
    build = run(
        {"id": "b", "verb": "block", "form": "ball", "radius": "30 mm"},
        {"id": "s", "verb": "simple", "form": "cylinder", "radius": "7 mm", "height": "100 mm"},
        {"id": "m", "verb": "mesh", "surface": "s"},
        {"id": "x", "verb": "fuse", "meshes": ["b", "m"]},
    )
    (finding,) = build.reports["x"].findings
    assert finding.sentence.startswith("The second body is not closed")
    assert [(way.label, way.value, way.adds) for way in finding.actions] == [("Fill its rims", "m", "fill")]
    three = {"id": "x", "verb": "fuse", "meshes": ["b", "c", "m"], "seam": "rounded", "radius": "1 mm"}
    ball = {"id": "c", "verb": "block", "form": "ball", "radius": "10 mm"}
    more = run(
        {"id": "b", "verb": "block", "form": "ball", "radius": "30 mm"},
        ball,
        {"id": "r", "verb": "move", "item": "c", "x": "28 mm"},
        {"id": "s", "verb": "simple", "form": "cylinder", "radius": "7 mm", "height": "100 mm"},
        {"id": "m", "verb": "mesh", "surface": "s"},
        three,
    )
    (finding,) = more.reports["x"].findings
    assert finding.sentence.startswith("The third body is not closed"), "counted among all that are joined"
    assert finding.actions[0].value == "m"


def test_a_fitted_piece_is_cut_from_a_copy_and_the_master_stays() -> None:
    """Slice gives a mesh of its own; two lines give both halves."""
    ball = {"id": "b", "verb": "block", "form": "ball", "radius": "30 mm", "sizing": "counts", "across": 24}
    build = run(
        ball,
        {"id": "u", "verb": "slice", "mesh": "b", "at": "10 mm", "side": "above", "gives": "lid"},
        {"id": "d", "verb": "slice", "mesh": "b", "at": "10 mm", "side": "below", "gives": "pot"},
        {"id": "o", "verb": "slice", "mesh": "b", "at": "10 mm", "side": "below", "end": "left open", "gives": "bowl"},
    )
    lid, pot = result(build, "u").mesh, result(build, "d").mesh
    assert enclosed_volume(lid) == pytest.approx(np.pi * 400 * 70 / 3, rel=0.01)
    assert enclosed_volume(pot) == pytest.approx(4 / 3 * np.pi * 27000 - np.pi * 400 * 70 / 3, rel=0.01)
    assert build.items["b"].item.mesh.face_count == 6 * 24 * 24
    assert "closed flat" in build.reports["u"].told
    bowl = result(build, "o")
    rim = bowl.mesh.positions[np.unique(bowl.mesh.topology.edges.ends[bowl.mesh.topology.boundary_edges])]
    assert np.abs(np.hypot(rim[:, 0], rim[:, 1]) - np.sqrt(800)).max() < 1e-9


GROUND = read_document(
    {
        "format": "glass-spoon/sheet",
        "version": 1,
        "lines": [
            {"id": "l1", "verb": "block", "form": "ball", "gives": "float"},
            {"id": "l2", "verb": "block", "form": "capsule", "gives": "stem"},
        ],
    }
)


@pytest.mark.parametrize(
    ("text", "verb", "values"),
    [
        ("fuse float and stem", "fuse", {"meshes": ["l1", "l2"], "seam": "sharp"}),
        ("subtract stem from float", "subtract", {"others": ["l2"], "mesh": "l1"}),
        ("subtract stem from float, seam rounded by 3 mm", "subtract", {"seam": "rounded", "radius": "3 mm"}),
        ("union of float and stem rounded by 0.5 cm in 5 steps", "fuse", {"seam": "rounded", "radius": "0.5 cm"}),
        ("intersection of float and stem", "meet", {"meshes": ["l1", "l2"]}),
        ("slice float at 12 mm keeping the upper half", "slice", {"mesh": "l1", "at": "12 mm", "side": "above"}),
        ("slice stem at -2 cm, keep what is to the left, left open", "slice", {"side": "to the left", "end": "left open"}),
    ],
)
def test_plain_words(text: str, verb: str, values: dict[str, Any]) -> None:
    """A sentence as one would say it fills the line."""
    line = propose(text, GROUND)[0].line
    assert line.verb_name == verb
    assert {name: getattr(line, name) for name in values} == values


def test_things_are_set_down_on_a_level_and_on_each_other() -> None:
    """A curve, a mesh and bodies; with a gap; after the block below grows by 20 %."""
    for height in (30.0, 36.0):
        build = run(
            {"id": "b", "verb": "block", "form": "box", "width": "60 mm", "depth": "60 mm", "height": f"{height} mm"},
            {"id": "f", "verb": "block", "form": "ball", "radius": "8 mm", "z": "100 mm"},
            {"id": "r", "verb": "row", "item": "f", "count": 3, "x": "12 mm"},
            {"id": "s", "verb": "set_down", "item": "r", "onto": "a body", "body": "b", "gap": "2 mm"},
            {"id": "c", "verb": "circle", "radius": "20 mm", "plane": "front"},
            {"id": "d", "verb": "set_down", "item": "c", "level": "5 mm"},
        )
        assert build.reports["s"].status == "good"
        places = as_mesh(build.items["r"].item).mesh.positions
        assert places[:, 2].min() == pytest.approx(height + 2)
        curve = build.items["c"].item.curve.control_points
        assert curve[:, 2].min() == pytest.approx(5)


@pytest.mark.parametrize("scale", [0.01, 1.0, 100.0])
@pytest.mark.parametrize(("onto", "rests"), [("a body", [8, 8, 0, 0, 0]), ("a level", [0] * 5)])
def test_copies_fall_together_or_each_by_itself(scale: float, onto: str, rests: list[int]) -> None:
    """Five cubes over two steps of a stair: together by the highest step; by themselves each onto its own."""
    row = [
        {"id": "step", "verb": "block", "form": "box", "width": f"{30 * scale} mm", "depth": f"{20 * scale} mm",
         "height": f"{8 * scale} mm", "edge": f"{4 * scale} mm"},
        {"id": "floor", "verb": "block", "form": "box", "width": f"{200 * scale} mm", "depth": f"{20 * scale} mm",
         "height": f"{scale} mm", "edge": f"{9 * scale} mm"},
        {"id": "low", "verb": "move", "item": "floor", "z": f"{-scale} mm"},
        {"id": "stair", "verb": "unite", "meshes": ["step", "floor"]},
        {"id": "cube", "verb": "block", "form": "box", "width": f"{4 * scale} mm", "depth": f"{4 * scale} mm",
         "height": f"{4 * scale} mm", "edge": f"{2 * scale} mm"},
        {"id": "up", "verb": "move", "item": "cube", "z": f"{50 * scale} mm"},
        {"id": "row", "verb": "row", "item": "cube", "joints": "apart", "count": 5, "x": f"{10 * scale} mm",
         "z": f"{2 * scale} mm"},
    ]  # fmt: skip
    down = {"id": "down", "verb": "set_down", "item": "row", "onto": onto, "body": "stair"}
    each = run(*row, {**down, "each": "each by itself"})
    assert each.reports["down"].status == "good"
    bodies = each.items["row"].item
    lowest = [bodies.one(k).mesh.positions[:, 2].min() / scale for k in range(5)]
    assert lowest == pytest.approx(rests, abs=1e-3)
    together = run(*row, down).items["row"].item
    steps = np.diff([together.one(k).mesh.positions[:, 2].min() / scale for k in range(5)])
    assert steps == pytest.approx([2, 2, 2, 2])
    assert "each by itself" in each.reports["down"].told
    one = run(*row, {**down, "item": "cube", "each": "each by itself"}).reports["down"]
    assert "falls as one" in one.findings[0].sentence
