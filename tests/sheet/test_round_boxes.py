"""Edges of drawn and extruded bodies rounded: any outline, any size, whatever side the drawing starts on."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
from OCP.BRepCheck import BRepCheck_Analyzer

from glass_spoon.formats.step import NamedSurfaces, write_step
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet
from glass_spoon.kernel.trims.from_set import faces_of_set
from glass_spoon.kernel.trims.shared_edges import find_edges
from glass_spoon.sheet.evaluate import Build
from tests.formats.test_step_faces import figures, read_back
from tests.sheet.test_patches import built

RECTANGLE = {"verb": "rectangle", "plane": "plan", "width": "60 mm", "height": "40 mm", "radius": "0 mm"}


def body(outline: dict[str, Any], height: float, radius: float, **more: Any) -> list[dict[str, Any]]:
    """Return an outline extruded, with all its edges rounded, and the mesh of that."""
    return [
        outline,
        {"verb": "extrude", "profile": "l1", "distance": f"{height} mm", **more},
        {"verb": "round_edges", "shape": "l2", "radius": f"{radius} mm"},
    ]


def volume_in_file(build: Build, folder: Path, item: str = "l3") -> float:
    """Return the volume in mm³ of the rounded body, as Open CASCADE integrates what is read from its STEP file."""
    shape = read_back(write_step([NamedSurfaces("body", build.items[item].item.shape)]), folder)
    assert BRepCheck_Analyzer(shape).IsValid()
    return figures(shape)[0]


def rounded_box(a: float, b: float, c: float, r: float) -> float:
    """Return the volume in mm³ of a box with edges rounded by r: an inner box, slabs, quarter rods and a ball (Steiner)."""
    x, y, z = a - 2 * r, b - 2 * r, c - 2 * r
    return x * y * z + 2 * r * (x * y + y * z + z * x) + np.pi * r**2 * (x + y + z) + 4 / 3 * np.pi * r**3


@pytest.mark.parametrize("size", [0.1, 1.0, 30.0])
@pytest.mark.parametrize(("width", "depth", "height"), [(60, 40, 22), (40, 40, 40), (33, 57, 12)])
def test_every_edge_of_a_box_is_rounded(size: float, width: float, depth: float, height: float, tmp_path: Path) -> None:
    """Twelve edges and eight corners, closed, whatever its sides; as much as the formula says."""
    a, b, c, r = (size * value for value in (width, depth, height, 5.0))
    build = built(*body({**RECTANGLE, "width": f"{a} mm", "height": f"{b} mm"}, c, r))
    report = build.reports["l3"]
    assert report.status == "good", report.findings
    assert report.told.startswith("12 edges rounded, 8 corners closed")
    assert not len(find_edges(build.items["l3"].item.shape).open_uses)
    assert volume_in_file(build, tmp_path) == pytest.approx(rounded_box(a, b, c, r), rel=1e-6)


@pytest.mark.parametrize(
    ("outline", "edges", "corners"),
    [
        ({"verb": "polygon", "plane": "plan", "sides": 5, "radius": "30 mm"}, 15, 10),
        ({"verb": "polygon", "plane": "plan", "sides": 6, "radius": "30 mm"}, 18, 12),
        ({"verb": "slot", "plane": "plan"}, 2, 0),
        ({**RECTANGLE, "radius": "9 mm"}, 2, 0),
        ({"verb": "circle", "plane": "plan", "radius": "30 mm"}, 2, 0),
        ({"verb": "ellipse", "plane": "plan"}, 2, 0),
    ],
)
def test_flat_ends_of_any_outline_are_one_face(outline: dict[str, Any], edges: int, corners: int) -> None:
    """An end that is filled to a point is a piece of a plane: the ball rolls round it, and the body stays closed."""
    build = built(*body(outline, 24, 2))
    report = build.reports["l3"]
    assert report.status == "good", report.findings
    assert report.told.startswith(f"{edges} edges rounded" + (f", {corners} corners closed" if corners else ""))
    assert not len(find_edges(build.items["l3"].item.shape).open_uses)


def rounded_frustum(half: tuple[float, float], top: tuple[float, float], height: float, r: float) -> float:
    """Return the volume in mm³ of a box tapered upwards with edges rounded by r (Steiner's formula over the inner body).

    half, top: half its width and depth below and above, in mm.
    """
    slope = np.array([(half[k] - top[k]) / height for k in (0, 1)])
    steep = np.hypot(1, slope)
    inner = [np.array(half) - slope * z - r * steep for z in (r, height - r)]
    (a, b), (c, d), high = inner[0], inner[1], height - 2 * r
    volume = high / 6 * (4 * a * b + 4 * (a + c) * (b + d) + 4 * c * d)
    area = 4 * (a * b + c * d) + 2 * high * ((a + c) * steep[1] + (b + d) * steep[0])
    aside, behind = np.array([1, 0, slope[0]]) / steep[0], np.array([0, 1, slope[1]]) / steep[1]
    below, above = (np.arccos(sign * np.array([aside[2], behind[2]])) for sign in (-1, 1))
    upright = np.sqrt((a - c) ** 2 + (b - d) ** 2 + high**2)
    bent = 4 * (a * below[1] + b * below[0] + c * above[1] + d * above[0]) + 4 * upright * np.arccos(aside @ behind)
    return float(volume + r * area + r**2 * bent / 2 + 4 / 3 * np.pi * r**3)


@pytest.mark.parametrize("radius", [1.0, 3.0, 5.0])
def test_a_tapered_box_is_rounded(radius: float, tmp_path: Path) -> None:
    """Corners that are not square are closed by a ball too; as much as the formula says."""
    build = built(*body(RECTANGLE, 22, radius, scale="1 to 0.5"))
    assert build.reports["l3"].status == "good", build.reports["l3"].findings
    assert build.reports["l3"].told.startswith("12 edges rounded, 8 corners closed")
    assert volume_in_file(build, tmp_path) == pytest.approx(rounded_frustum((30, 20), (15, 10), 22, radius), rel=1e-6)


@pytest.mark.parametrize(
    ("lines", "faces"),
    [
        ([RECTANGLE, {"verb": "extrude", "profile": "l1", "distance": "22 mm"}], 6),
        ([{"verb": "polygon", "plane": "plan"}, {"verb": "extrude", "profile": "l1", "distance": "9 mm"}], 8),
        ([{"verb": "circle", "plane": "plan"}, {"verb": "extrude", "profile": "l1", "distance": "9 mm"}], 3),
        ([{"verb": "simple", "form": "disc", "second": "0 mm"}], 1),
        ([{"verb": "simple", "form": "sheet"}], 1),
        ([{"verb": "simple", "form": "sphere"}], 1),
    ],
)
def test_a_body_has_the_faces_that_one_sees(lines: list[dict[str, Any]], faces: int) -> None:
    """A box has six, whatever side its outline starts on; shared edges are found between all of them."""
    shape = built(*lines).items[f"l{len(lines)}"].item.surface
    found = faces_of_set(shape if isinstance(shape, SurfaceSet) else SurfaceSet((shape,)))
    assert len(found.faces) == faces
    if faces > 1:
        assert not len(find_edges(found).open_uses)
