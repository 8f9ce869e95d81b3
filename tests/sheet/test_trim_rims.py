"""Walls that end exactly on what they cut: their rim is the cut."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import numpy as np
import pytest

from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.sheet.evaluate import Build
from tests.sheet.test_patches import built

OUTLINES = {
    "circle": ({"verb": "circle", "plane": "plan", "radius": 30}, np.pi * 900, 60 * np.pi),
    "sharp": ({"verb": "rectangle", "plane": "plan", "width": 60, "height": 40, "radius": 0}, 2400.0, 200.0),
    "rounded": (
        {"verb": "rectangle", "plane": "plan", "width": 60, "height": 40, "radius": 10},
        2400 - (4 - np.pi) * 100,
        200 - (8 - 2 * np.pi) * 10,
    ),
}
"""Outlines with their areas in mm² and lengths in mm."""


def surface_area(mesh: Mesh) -> float:
    """Return the area in mm² of a mesh, by the triangles about the first corner of each face."""
    total = 0.0
    for start, end in pairwise(mesh.topology.face_offsets.tolist()):
        corners = mesh.positions[mesh.topology.face_corners[start:end]]
        normals = np.cross(corners[1:-1] - corners[0], corners[2:] - corners[0])
        total += float(np.linalg.norm(normals.sum(axis=0))) / 2
    return total


def wall_under_a_sheet(outline: str, size: float, height: float, *more: dict[str, Any]) -> Build:
    """Return a wall on an outline, l2, up to a height, and a level sheet 40 mm up, l4, all times a size; and more lines."""
    shape = {name: f"{value * size} mm" if isinstance(value, int) else value for name, value in OUTLINES[outline][0].items()}
    line = {
        "right": f"{-100 * size} mm",
        "up": f"{40 * size} mm",
        "to_right": f"{100 * size} mm",
        "to_up": f"{40 * size} mm",
    }
    across = {"direction": "front-back axis", "sides": "to both sides", "start": "open", "end": "open"}
    return built(
        shape,
        {"verb": "extrude", "profile": "l1", "distance": f"{height * size} mm", "start": "open", "end": "open"},
        {"verb": "line", "plane": "front", **line},
        {"verb": "extrude", "profile": "l3", "distance": f"{200 * size} mm", **across},
        *more,
    )


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
@pytest.mark.parametrize("outline", OUTLINES)
def test_a_wall_that_ends_on_a_sheet_cuts_it(outline: str, size: float) -> None:
    """The lid within has the outline's area, what crosses has its length; both are sewn without a gap."""
    build = wall_under_a_sheet(
        outline,
        size,
        40,
        {"verb": "trim_surface", "surface": "l4", "by": ["l2"], "keep": "inside"},
        {"verb": "sew", "items": ["l2", "l5"]},
        {"verb": "mesh", "surface": "l5"},
        {"verb": "cross", "surface": "l4", "other": "l2"},
    )
    assert {key: report.status for key, report in build.reports.items() if report.status != "good"} == {}
    _, area, length = OUTLINES[outline]
    assert surface_area(build.items["l7"].item.mesh) == pytest.approx(area * size**2, rel=0.01)
    foot = "5 faces, open at 4 edges" if outline == "sharp" else "2 faces, open at 1 edge"
    assert build.reports["l6"].told.startswith(foot)
    curves = build.items["l8"].item.curves
    places = [curve_points(curve, np.linspace(*curve.domain, 4001)) for curve in curves]
    assert sum(float(np.linalg.norm(np.diff(own, axis=0), axis=1).sum()) for own in places) == pytest.approx(
        length * size, rel=1e-5
    )


@pytest.mark.parametrize("height", [32.0, 48.0])
@pytest.mark.parametrize("outline", OUTLINES)
def test_a_wall_that_grows_or_shrinks_by_a_fifth_cuts_or_does_not(outline: str, height: float) -> None:
    """Longer it runs through the sheet and cuts it as before; shorter it does not reach it, and that is told."""
    cut = {"verb": "trim_surface", "surface": "l4", "by": ["l2"], "keep": "inside"}
    build = wall_under_a_sheet(outline, 1.0, height, cut, {"verb": "mesh", "surface": "l5"})
    if height < 40:
        assert "does not cross it" in build.reports["l5"].findings[0].sentence
    else:
        assert surface_area(build.items["l6"].item.mesh) == pytest.approx(OUTLINES[outline][1], rel=0.01)
