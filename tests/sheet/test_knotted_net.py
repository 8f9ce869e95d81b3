"""A knotted net in a sheet: tied, made solid and meshed; what it cannot be is refused with a way out that works."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from glass_spoon.kernel.curves.evaluate.closest_on_curve import span_params
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.gauges.crossings import crossing_faces
from glass_spoon.sheet.evaluate import Build
from glass_spoon.sheet.propose import propose
from tests.sheet.test_patches import built


def netted(size: float = 1.0, **more: Any) -> Build:
    """Return a net of two by two meshes as l1, its cords solid as l2, and their mesh as l3."""
    sizes = {"width": 120, "depth": 110, "across": 40, "along": 60, "height": 1}
    net = {"verb": "weave", "pattern": "knotted"} | {name: f"{value * size} mm" for name, value in sizes.items()}
    return built(
        net | more,
        {"verb": "cord", "path": "l1", "width": f"{2 * size} mm", "tolerance": f"{0.01 * size} mm"},
        {"verb": "mesh", "surface": "l2", "sizing": "edge length", "edge_length": f"{0.7 * size} mm"},
    )


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
def test_a_net_is_tied_and_its_cords_do_not_run_into_each_other(size: float) -> None:
    """Cords as thick as told pass each other in every knot: no face of the mesh runs through another."""
    build = netted(size)
    assert [build.reports[f"l{k}"].status for k in (1, 2, 3)] == ["good"] * 3
    assert build.reports["l1"].told == f"3 rows; cords up to {2 * size:g} mm thick pass each other."
    mesh = build.items["l3"].item.mesh
    assert len(mesh.topology.boundary_edges) == 0
    assert not len(np.atleast_1d(crossing_faces(mesh)).ravel())


@pytest.mark.parametrize(
    ("asked", "field", "value"),
    [
        ({"across": "10 mm"}, "pattern", "plain"),
        ({"ends": "ring"}, "ends", "cut"),
    ],
)
def test_what_is_refused_has_a_way_out(asked: dict[str, str], field: str, value: str) -> None:
    """The way that is offered makes the line good."""
    (report,) = (netted(**asked).reports["l1"],)
    assert report.status == "failed"
    offered = [(action.field, action.value) for finding in report.findings for action in finding.actions]
    assert (field, value) in offered
    assert netted(**(asked | {field: value})).reports["l1"].status == "good"


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
@pytest.mark.parametrize("turn", ["0°", "25°"])
def test_a_net_is_tied_within_an_outline_or_turned(turn: str, size: float) -> None:
    """As a landing net's hoop asks: all of it lies within, in the hoop's plane; turned in a rectangle it fills that."""
    hoop = {"verb": "circle", "plane": "side", "radius": f"{110 * size} mm", "gives": "hoop"}
    sizes = {"across": f"{40 * size} mm", "along": f"{60 * size} mm", "height": f"{size} mm"}
    net = {"verb": "weave", "pattern": "knotted", "turn": turn, **sizes}
    build = built(
        hoop,
        net | {"within": "outline", "outline": "l1"},
        net | {"width": f"{160 * size} mm", "depth": f"{170 * size} mm", "plane": "side"},
    )
    for line, rows in (("l2", 5), ("l3", 4)):
        report = build.reports[line]
        assert report.status == "good" and int(report.told.split()[0]) >= rows
        assert report.told.endswith(f"cords up to {2 * size:g} mm thick pass each other.")
    places = np.concatenate([curve_points(cord, span_params(cord, 16)) for cord in build.items["l2"].item.curves])
    assert np.hypot(places[:, 1], places[:, 2]).max() < 110 * size and np.abs(places[:, 0]).max() < 5 * size
    assert np.hypot(places[:, 1], places[:, 2]).max() > 75 * size  # it fills it, but for its meshes
    inside = np.concatenate([curve_points(cord, span_params(cord, 16)) for cord in build.items["l3"].item.curves])
    assert np.abs(inside[:, 1]).max() < 80 * size and np.abs(inside[:, 2]).max() < 85 * size


def test_a_hoop_too_small_for_a_net_is_told_and_a_notch_parts_its_rows() -> None:
    """A star leaves rows in several cords; one that has no room for a mesh is refused, with a way out that works: larger."""
    net = {"verb": "weave", "pattern": "knotted", "within": "outline", "outline": "l1", "across": "30 mm", "along": "60 mm"}
    star = built({"verb": "star", "tips": 4, "outer": "400 mm", "inner": "150 mm", "gives": "o"}, net)
    assert star.reports["l2"].status == "good" and len(star.items["l2"].item.curves) > 10
    small, larger = (built({"verb": "circle", "radius": f"{radius} mm", "gives": "o"}, net) for radius in (40, 60))
    assert small.reports["l2"].status == "failed"
    assert "should be larger, or its meshes smaller" in small.reports["l2"].findings[0].sentence
    assert larger.reports["l2"].status == "good"


@pytest.mark.parametrize(
    ("sentence", "across", "along"),
    [
        ("landing net within hoop, meshes 40 mm", "40 mm", "60 mm"),
        ("fishing net 200 by 160, meshes 40 mm wide", "40 mm", "60 mm"),
        ("knotted net within hoop, meshes 40 by 70 mm", "40", "70 mm"),
        ("knotted net within hoop", "30 mm", "60 mm"),
        ("weave within hoop, mesh of 5 mm", "5 mm", "5 mm"),
    ],
)
def test_a_mesh_that_is_said_is_how_far_cords_lie_apart(sentence: str, across: str, along: str) -> None:
    """Not how thick they are, nor how wide the net is."""
    ring = {"verb": "circle", "plane": "plan", "radius": "100 mm", "gives": "hoop"}
    document = built(ring).document
    proposal = propose(sentence, document)[0]
    line = proposal.line
    assert (line.verb_name, line.across, line.along, line.height) == ("weave", across, along, "1 mm")
    assert not proposal.missed and line.within == ("rectangle" if "200" in sentence else "outline")
