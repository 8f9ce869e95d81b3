"""Crossings, trimmed surfaces and exact bodies as lines: what they say, what works on them, changed sizes, plain words."""

from __future__ import annotations

import re
from typing import Any

import numpy as np
import pytest

from glass_spoon.formats.step import NamedSurfaces, write_step
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.meshes.mesh import check_mesh
from glass_spoon.sheet.document import read_document
from glass_spoon.sheet.files_out import write_surfaces
from glass_spoon.sheet.propose import propose
from tests.kernel.trims import volume_of
from tests.sheet.test_patches import built

TUBE: list[dict[str, Any]] = [
    {"verb": "circle", "gives": "ring", "plane": "plan", "radius": "20 mm"},
    {"verb": "extrude", "gives": "tube", "profile": "l1", "distance": "50 mm"},
    {"verb": "circle", "gives": "hole", "plane": "front", "radius": "8 mm", "up": "25 mm"},
]
OPENED = [*TUBE, {"verb": "trim_surface", "gives": "opened", "surface": "l2", "by": ["l3"], "way": "front to back"}]
ROD: list[dict[str, Any]] = [
    *TUBE,
    {"verb": "extrude", "gives": "rod", "profile": "l3", "distance": "80 mm"},
    {"verb": "move", "item": "l4", "y": "40 mm"},
]


@pytest.mark.parametrize("keep", ["outside", "inside", "largest", "smallest", "nearest", "every"])
def test_a_surface_is_trimmed_and_meshed_by_every_way_to_keep(keep: str) -> None:
    """Says what was cut, and gives a sound mesh of quads whatever is kept."""
    line = {**OPENED[3], "keep": keep, "y": "-20 mm", "z": "25 mm"}
    build = built(*TUBE, line, {"verb": "mesh", "surface": "l4", "sizing": "edge length", "edge_length": "2 mm"})
    assert build.reports["l4"].status == "good"
    assert build.reports["l4"].told.startswith("2 cuts, at most")
    mesh = build.items["l5"].item.mesh
    check_mesh(mesh)
    assert mesh.topology.is_quads
    rims = {"outside": 2, "largest": 2, "inside": 2, "smallest": 1, "nearest": 1, "every": 0}[keep]
    assert len(mesh.topology.boundary_loops) == rims


@pytest.mark.parametrize("sizing", ["counts", "edge length", "chord", "faces", "tolerance"])
def test_every_sizing_of_a_mesh_serves(sizing: str) -> None:
    """Counts and a count of faces give about as many; a chord and a tolerance are kept."""
    line = {
        "verb": "mesh",
        "surface": "l4",
        "sizing": sizing,
        "round": 40,
        "along": 25,
        "tolerance": "0.3 mm",
        "chord": "0.1 mm",
    }
    build = built(*OPENED, line)
    assert build.reports["l5"].status in ("good", "look")
    count = build.items["l5"].item.mesh.face_count
    if sizing in ("counts", "faces"):
        assert count == pytest.approx(1000, rel=0.06)


def test_all_that_places_and_shapes_works_on_trimmed_surfaces() -> None:
    """Moved, mirrored, copied in a ring, bent, flipped, one taken: each is meshed."""
    for line in (
        {"verb": "move", "item": "l4", "x": "9 mm"},
        {"verb": "mirror", "item": "l4", "across": "side plane", "kept": "beside itself", "at": "30 mm"},
        {"verb": "scale", "item": "l4", "factor": 2},
        {"verb": "bend", "item": "l4", "angle": "40°"},
        {"verb": "flip", "surface": "l4"},
    ):
        build = built(*OPENED, line, {"verb": "mesh", "surface": "l4", "sizing": "edge length", "edge_length": "4 mm"})
        assert build.reports["l5"].status != "failed", (line, build.reports["l5"].findings)
        check_mesh(build.items["l6"].item.mesh)
    build = built(
        *OPENED, {"verb": "ring", "item": "l4", "count": 3, "x": "80 mm"}, {"verb": "take", "item": "l5", "number": 2}
    )
    assert len(build.items["l5"].item.shape.faces) == 3 * len(build.items["l4"].item.shape.faces)
    assert len(build.items["l6"].item.shape.faces) == 1


def test_a_trim_is_undone_and_follows_what_is_above_it() -> None:
    """Untrim gives the surface; a larger hole, a longer tube and a hole beside it are followed or told."""
    build = built(*OPENED, {"verb": "untrim", "item": "l4"})
    assert build.items["l5"].item.shape.surfaces[0].key == build.items["l2"].item.surface.key
    for change in (0.8, 1.2):
        lines = [dict(line) for line in OPENED]
        lines[2]["radius"] = f"{8 * change} mm"
        lines[1]["distance"] = f"{50 * change} mm"
        assert built(*lines).reports["l4"].status == "good"
    beside = [*TUBE[:2], {**TUBE[2], "right": "60 mm"}, OPENED[3]]
    report = built(*beside).reports["l4"]
    assert report.status == "failed"
    assert "Nothing cuts it" in report.findings[0].sentence


def test_bodies_are_joined_in_all_ways_and_add_up() -> None:
    """United and common hold as much as both bodies; less and common as the first."""
    found = {}
    for way in ("united", "first less second", "common"):
        body = {"verb": "exact_body", "first": "l2", "second": "l4", "way": way}
        build = built(*ROD, body, {"verb": "mesh", "surface": "l6", "sizing": "edge length", "edge_length": "1.5 mm"})
        assert build.reports["l6"].status == "good", build.reports["l6"].findings
        assert "closed" in build.reports["l6"].told
        mesh = build.items["l7"].item.mesh
        assert not len(mesh.topology.boundary_edges)
        found[way] = volume_of(mesh)
    assert found["first less second"] + found["common"] == pytest.approx(np.pi * 400 * 50, rel=5e-3)
    assert found["united"] + found["common"] == pytest.approx(np.pi * (400 * 50 + 64 * 80), rel=5e-3)


def test_sections_and_crossings_are_curves() -> None:
    """Eight planes cut eight circles; where a rod runs through a tube there are two rings."""
    sections = {
        "verb": "cross",
        "surface": "l2",
        "against": "sections",
        "plane": "plan",
        "at": "5 mm",
        "count": 8,
        "step": "5 mm",
    }
    build = built(*ROD, sections, {"verb": "cross", "surface": "l2", "other": "l4"})
    assert build.reports["l6"].told.startswith("8 curves, 8 of them closed")
    assert build.reports["l7"].told.startswith("2 curves, 2 of them closed")


def test_a_file_with_trims_offers_to_take_them() -> None:
    """Whole surfaces alone leave faces out, and the press takes them."""
    build = built(*ROD, {"verb": "exact_body", "first": "l2", "second": "l4", "way": "first less second"})
    text = write_surfaces(build, "l6").decode()
    line = {"verb": "import_step", "step": text}
    report = built(line).reports["l1"]
    actions = [action for finding in report.findings for action in finding.actions]
    assert [(action.field, action.value) for action in actions] == [("taken", "faces")]
    taken = built(
        {**line, "taken": "faces"}, {"verb": "mesh", "surface": "l1", "sizing": "edge length", "edge_length": "2 mm"}
    )
    assert taken.reports["l1"].told.endswith("0 open edges.")
    assert not len(taken.items["l2"].item.mesh.topology.boundary_edges)
    assert write_step([NamedSurfaces("again", taken.items["l1"].item.shape)]).startswith(b"ISO-10303-21")


@pytest.mark.parametrize(
    ("text", "verb", "fields"),
    [
        (
            "trim surface tube by hole let through front to back",
            "trim_surface",
            {"surface": "l2", "by": ["l3"], "way": "front to back"},
        ),
        ("trim tube by hole, front to back, keep the inside", "trim_surface", {"keep": "inside"}),
        ("subtract rod from tube", "exact_body", {"first": "l2", "second": "l4", "way": "first less second"}),
        ("tube minus rod", "exact_body", {"first": "l2", "second": "l4", "way": "first less second"}),
        ("union of tube and rod", "exact_body", {"first": "l2", "second": "l4", "way": "united"}),
        ("common body of tube and rod", "exact_body", {"way": "common"}),
        (
            "sections of tube in plan from 5 mm, 4 of them 6 mm apart",
            "cross",
            {"against": "sections", "plane": "plan", "step": "6 mm"},
        ),
        ("intersection of tube and rod", "cross", {"surface": "l2", "other": "l4", "against": "the other"}),
    ],
)
def test_what_people_say_gives_the_line_they_mean(text: str, verb: str, fields: dict[str, Any]) -> None:
    """Items in the order or the role in which they are said, nothing missed."""
    lines = [{"id": f"l{k}", **line} for k, line in enumerate(ROD[:4], 1)]
    document = read_document({"format": "glass-spoon/sheet", "version": 1, "lines": lines})
    first = propose(text, document)[0]
    assert first.verb == verb
    assert not first.missed
    assert {name: getattr(first.line, name) for name in fields} == fields


@pytest.mark.parametrize("keep", ["outside", "every"])
def test_the_same_cut_again_is_told_at_once(keep: str) -> None:
    """It runs along the boundary that it made: nothing is left to part."""
    report = built(*OPENED, {**OPENED[3], "surface": "l4", "keep": keep}).reports["l5"]
    assert report.status == "failed"
    assert "Nothing cuts it" in report.findings[0].sentence


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
def test_sections_all_through_a_ball_by_formula(size: float) -> None:
    """Every 5 mm of a ball of 20 mm: seven circles of the lengths of their heights; the planes that touch cut nothing."""
    ball = {"verb": "simple", "form": "sphere", "radius": f"{20 * size} mm"}
    cut = {"verb": "cross", "surface": "l1", "against": "sections", "plane": "plan", "step": f"{5 * size} mm"}
    build = built(ball, {**cut, "many": "all through"})
    assert build.reports["l2"].status == "good"
    curves = build.items["l2"].item.curves
    heights = sorted(float(curve.control_points[:, 2].mean()) / size for curve in curves)
    heights = [height for height in heights if abs(height) < 19.9]
    assert heights == pytest.approx([-15, -10, -5, 0, 5, 10, 15], abs=1e-6)
    for curve in curves:
        height = float(curve.control_points[:, 2].mean()) / size
        places = curve_points(curve, np.linspace(*curve.domain, 9))[:, :2] / size
        assert np.hypot(*places.T) == pytest.approx(np.sqrt(max(400 - height**2, 0)), abs=1e-5)


def test_too_many_planes_are_refused_with_a_step_that_fits() -> None:
    """The step that the sentence names makes nearly as many as there may be, and no more."""
    ball = {"verb": "simple", "form": "sphere", "radius": "20 mm"}
    cut = {"verb": "cross", "surface": "l1", "against": "sections", "plane": "plan", "many": "all through"}
    (finding,) = built(ball, {**cut, "step": "0.001 mm"}).reports["l2"].findings
    step = re.search(r"set them ([\d.]+) mm apart", finding.sentence)
    assert step is not None
    assert 390 < 40 / float(step[1]) + 1 <= 400
