"""A knotted net in a sheet: tied, made solid and meshed; what it cannot be is refused with a way out that works."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from glass_spoon.kernel.gauges.crossings import crossing_faces
from glass_spoon.sheet.evaluate import Build
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
        ({"turn": "30°"}, "pattern", "plain"),
    ],
)
def test_what_is_refused_has_a_way_out(asked: dict[str, str], field: str, value: str) -> None:
    """The way that is offered makes the line good."""
    (report,) = (netted(**asked).reports["l1"],)
    assert report.status == "failed"
    offered = [(action.field, action.value) for finding in report.findings for action in finding.actions]
    assert (field, value) in offered
    assert netted(**(asked | {field: value})).reports["l1"].status == "good"
