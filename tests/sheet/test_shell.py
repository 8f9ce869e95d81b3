"""Surfaces given a wall of true parallels: volumes by formula, at any size, twice, in words, and what is refused."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import evaluate_grid
from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.document import read_document
from glass_spoon.sheet.evaluate import Build, evaluate
from glass_spoon.sheet.propose import propose
from tests.mesh_checker import check_result
from tests.zoo import enclosed_by


def run(*lines: dict[str, Any]) -> Build:
    return evaluate(read_document({"format": "glass-spoon/sheet", "version": 1, "lines": list(lines)}), ResultCache())


def solid(build: Build, name: str = "w") -> float:
    """Return the volume that a set encloses, by quadrature of its surfaces."""
    for line, report in build.reports.items():
        assert report.status == "good", (line, [finding.sentence for finding in report.findings])
    return enclosed_by(build.items[name].item.shape)


def tube(radius: float, height: float, size: float = 1.0) -> list[dict[str, Any]]:
    values = {"right": f"{radius * size} mm", "to_right": f"{radius * size} mm", "up": 0, "to_up": f"{height * size} mm"}
    return [
        {"id": "p", "verb": "line", "gives": "p", **values},
        {"id": "s", "verb": "revolve", "profile": "p", "gives": "s"},
    ]


def walled(wall: float, size: float = 1.0, **values: Any) -> dict[str, Any]:
    return {
        "id": "w",
        "verb": "shell",
        "surface": "s",
        "wall": f"{wall * size} mm",
        "tolerance": f"{0.001 * size} mm",
        **values,
    }


@pytest.mark.parametrize("size", [0.1, 1.0, 100.0])
@pytest.mark.parametrize(("side", "out", "inn"), [("outside", 3, 0), ("inside", 0, 3), ("both sides", 1.5, 1.5)])
def test_a_tube_with_a_wall_is_two_cylinders_and_two_rings(size: float, side: str, out: float, inn: float) -> None:
    """Its volume to both sides, and its mesh: closed, all quads, genus one, within a thousandth."""
    build = run(
        *tube(20, 40, size),
        walled(3, size, side=side),
        {"id": "m", "verb": "mesh", "surface": "w", "round": 96, "along": 12},
    )
    wanted = np.pi * ((20 + out) ** 2 - (20 - inn) ** 2) * 40 * size**3
    assert solid(build) == pytest.approx(wanted, rel=1e-4)
    mesh = build.items["m"].item.mesh
    check_result(mesh, closed=True)
    assert mesh.topology.is_quads
    assert mesh.point_count - len(mesh.topology.edges.ends) + mesh.face_count == 0
    assert enclosed_volume(mesh) == pytest.approx(wanted, rel=2e-3)


@pytest.mark.parametrize("wall", [2.4, 3.0, 3.6])
def test_a_zone_of_a_ball_keeps_its_wall(wall: float) -> None:
    """A zone of r 50 with a wall inside: every point of the inner side lies at 50 less the wall."""
    zone = {"id": "s", "verb": "simple", "form": "sphere", "radius": "50 mm", "low": "-40°", "high": "50°", "gives": "s"}
    build = run(zone, walled(wall))
    shape = build.items["w"].item.shape
    names = build.items["w"].item.names
    inner = shape.surfaces[names.index("inside")]
    places = evaluate_grid(inner, *(np.linspace(*inner.domain(axis), 25) for axis in (0, 1))).points
    assert np.linalg.norm(places, axis=2) == pytest.approx(np.full((25, 25), 50 - wall), abs=0.01)
    heights = np.sin(np.radians(50)) + np.sin(np.radians(40))
    assert solid(build) == pytest.approx(2 / 3 * np.pi * (50**3 - (50 - wall) ** 3) * heights, rel=1e-3)


def test_a_sheet_a_smooth_set_and_a_closed_body() -> None:
    """A flat sheet is a box; halves of a tube gathered are the tube; a ball holds a hollow of its own."""
    sheet = {"id": "s", "verb": "simple", "form": "sheet", "radius": "200 mm", "second": "100 mm", "gives": "s"}
    assert abs(solid(run(sheet, walled(3)))) == pytest.approx(60_000, rel=1e-6)
    cut = {"id": "a", "verb": "cut_surface", "surface": "t", "share": 0.4, "gives": "a"}
    lines = [
        *({**line, "gives": "t"} if line["id"] == "s" else line for line in tube(20, 40)),
    ]
    lines[1] = {**lines[1], "id": "t"}
    both = [{**cut, "part": "first"}, {**cut, "id": "c", "part": "second", "gives": "c"}]
    gathered = {"id": "s", "verb": "gather", "surfaces": ["a", "c"], "gives": "s"}
    assert solid(run(*lines, *both, gathered, walled(3, side="outside"))) == pytest.approx(
        np.pi * (23**2 - 20**2) * 40, rel=1e-4
    )
    ball = {"id": "s", "verb": "simple", "form": "sphere", "radius": "30 mm", "gives": "s"}
    assert solid(run(ball, walled(5))) == pytest.approx(4 / 3 * np.pi * (30**3 - 25**3), rel=1e-3)


def test_what_has_no_parallel_is_told_with_its_place_and_a_way_out() -> None:
    """A bend tighter than the wall offers the wall that does not fold; sharp corners and caps name Thicken."""
    ring = {"id": "s", "verb": "simple", "form": "torus", "radius": "30 mm", "second": "8 mm", "gives": "s"}
    build = run(ring, walled(9))
    sentence = build.reports["w"].findings[0].sentence
    assert "folds" in sentence
    assert "8" in sentence
    outline = {
        "id": "o",
        "verb": "rectangle",
        "plane": "plan",
        "width": "30 mm",
        "height": "20 mm",
        "radius": 0,
        "gives": "o",
    }
    block = {"id": "s", "verb": "extrude", "profile": "o", "distance": "10 mm", "gives": "s"}
    report = run(outline, block, walled(2)).reports["w"]
    assert report.status == "failed"
    assert "Thicken" in report.findings[0].sentence


def test_the_wall_is_said_in_words_and_its_surface_rests() -> None:
    """ "A wall of 4 mm outwards" fills the fields; the surface it is made of is no longer drawn."""
    sheet = read_document({"format": "glass-spoon/sheet", "version": 1, "lines": tube(20, 40)})
    found = propose("shell s with a wall of 4 mm outwards", sheet)[0]
    assert (found.verb, found.line.surface, found.line.wall, found.line.side) == ("shell", "s", "4 mm", "outside")
    assert "s" in run(*tube(20, 40), walled(3)).resting
