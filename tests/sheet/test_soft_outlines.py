"""Patches within outlines that run from lines into arcs: cut where they do, flat where they are flat, never folded."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from glass_spoon.kernel.gauges.face_figures import figures_of
from glass_spoon.sheet.evaluate import Build
from tests.sheet.test_patches import built, points_of

OUTLINES: dict[str, tuple[str, list[float], float]] = {
    "tight corners": ("rectangle", [60, 40, 3], 2400 - (4 - np.pi) * 9),
    "round corners": ("rectangle", [60, 40, 9], 2400 - (4 - np.pi) * 81),
    "tall": ("rectangle", [25, 90, 8], 2250 - (4 - np.pi) * 64),
    "short lines": ("rectangle", [60, 40, 19.9], 2400 - (4 - np.pi) * 19.9**2),
    "slot": ("slot", [70, 20], 70 * 20 + np.pi * 100),
    "circle": ("circle", [30], np.pi * 900),
}
FIELDS = {"rectangle": ("width", "height", "radius"), "slot": ("length", "width"), "circle": ("radius",)}


def outline(name: str, size: float = 1.0, **more: str) -> dict[str, Any]:
    """Return an outline on the ground, its measures times a size."""
    verb, values, _ = OUTLINES[name]
    measures = {key: f"{value * size:g} mm" for key, value in zip(FIELDS[verb], values, strict=True)}
    return {"verb": verb, "plane": "plan", **measures, **more}


def area_and_folds(build: Build, item: str) -> tuple[float, float]:
    """Return the area in mm² of a mesh in the plane, and the share of its faces that lie the other way up than the first."""
    figures = figures_of(build.items[item].item.mesh)
    up = np.sign(figures.normal_z)
    return float(figures.areas.sum()), float((up != up[0]).mean())


@pytest.mark.parametrize("name", list(OUTLINES))
@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
def test_a_soft_outline_is_filled_flat(name: str, size: float) -> None:
    """Its area is that of the outline to what its mesh leaves of the arcs, and no face is folded."""
    build = built(
        outline(name, size),
        {"verb": "patch", "curves": ["l1"], "within": f"{0.1 * size:g} mm"},
        {"verb": "mesh", "surface": "l2", "round": 24, "along": 24},
    )
    assert [report.status for report in build.reports.values()] == ["good"] * 3, build.reports["l3"].findings
    found, folded = area_and_folds(build, "l3")
    assert folded == 0
    assert found == pytest.approx(OUTLINES[name][2] * size**2, rel=5e-3)


@pytest.mark.parametrize("inner", ["circle", "slot"])
def test_a_soft_outline_round_a_hole_is_filled_flat(inner: str) -> None:
    """Cut at the jumps of both: edges follow both, nothing folds."""
    build = built(
        outline("round corners"),
        outline(inner, 0.3),
        {"verb": "patch", "curves": ["l1", "l2"]},
        {"verb": "mesh", "surface": "l3", "round": 24, "along": 12},
    )
    assert [report.status for report in build.reports.values()] == ["good"] * 4, build.reports["l3"].findings
    found, folded = area_and_folds(build, "l4")
    assert folded == 0
    assert found == pytest.approx(OUTLINES["round corners"][2] - 0.09 * OUTLINES[inner][2], rel=8e-3)


@pytest.mark.parametrize("name", ["round corners", "tall", "slot", "circle"])
@pytest.mark.parametrize("way", ["up", "down"])
def test_an_open_tube_is_closed_by_a_dome(name: str, way: str) -> None:
    """What is flat within its rim is as far from both sides: the patch goes on as the walls run, away from them."""
    level = "20 mm" if way == "up" else "0 mm"
    build = built(
        outline(name),
        {"verb": "extrude", "profile": "l1", "distance": "20 mm", "start": "open", "end": "open"},
        outline(name, out=level),
        {"verb": "patch", "curves": ["l3"], "onto": ["l2"]},
    )
    report = build.reports["l4"]
    assert report.status == "good", report.findings
    points = points_of(build, "l4")
    width = min(OUTLINES[name][1][:2]) * (2 if name == "circle" else 1)
    rise = (points[:, 2] - 20).max() if way == "up" else -points[:, 2].min()
    assert 0.25 * width < rise < width
    assert points[:, 2].min() > 20 - 1e-6 if way == "up" else points[:, 2].max() < 1e-6
    if name == "circle":  # nothing bends more evenly than half a ball
        away = np.linalg.norm(points - [0, 0, 20 if way == "up" else 0], axis=1)
        assert away == pytest.approx(30, rel=0.02)
