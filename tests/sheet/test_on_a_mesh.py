"""Lines drawn on a mesh: the shortest between two places, and curves laid onto it, as a sheet has them."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from glass_spoon.sheet.document import read_document
from glass_spoon.sheet.propose import propose
from tests.sheet.test_solids import run

CRATE = {"id": "b", "verb": "block", "width": "40 mm", "depth": "30 mm", "height": "20 mm", "gives": "crate"}


def long(points: np.ndarray) -> float:
    """Return the length of a line from point to point."""
    return float(np.linalg.norm(np.diff(points, axis=0), axis=1).sum())


def taut(**fields: Any) -> dict[str, Any]:
    places = {"x": "-15 mm", "z": "20 mm", "to_x": "0 mm", "to_y": "-15 mm", "to_z": "5 mm"}
    return {"id": "t", "verb": "shortest_line", "mesh": "b", "gives": "seam", **places, **fields}


@pytest.mark.parametrize("share", [0.8, 1.0, 1.2])
def test_it_follows_its_mesh_as_sizes_change(share: float) -> None:
    """From the middle of the lid over the front edge: unfolded, and told."""
    depth, high = 30 * share, 20 * share
    crate = {**CRATE, "depth": f"{depth} mm", "height": f"{high} mm"}
    build = run(crate, taut(z=f"{high} mm", to_y=f"{-depth / 2} mm"))
    flat = np.hypot(15, depth / 2 + high - 5)
    assert build.reports["t"].status == "good" and f"{flat:.3g} mm long" in build.reports["t"].told
    assert long(build.items["t"].item.curve.control_points) == pytest.approx(flat, rel=1e-9)


def test_ends_beside_the_mesh_are_told() -> None:
    """An end beside the mesh says how far it was."""
    assert "given 5 mm off the mesh" in run(CRATE, taut(z="25 mm")).reports["t"].told


def test_a_cord_goes_along_it() -> None:
    """The line is a curve for every verb."""
    build = run(CRATE, taut(between="smooth between points"), {"id": "c", "verb": "cord", "path": "t", "gives": "strap"})
    assert build.reports["c"].status in ("good", "look") and "c" in build.items


def test_a_curve_is_projected_onto_a_mesh() -> None:
    """A circle straight down onto the lid lies at its height, and its length is its own."""
    circle = {"id": "r", "verb": "circle", "plane": "plan", "radius": "10 mm", "out": "60 mm", "gives": "ring"}
    line = {"id": "p", "verb": "project", "curve": "r", "surface": "b", "way": "straight down", "gives": "laid"}
    build = run(CRATE, circle, line)
    curve = build.items["p"].item.curve
    assert curve.control_points[:, 2] == pytest.approx(20)
    assert long(curve.control_points) == pytest.approx(20 * np.pi, rel=1e-3)
    wide = run(CRATE, {**circle, "radius": "30 mm"}, line).reports["p"]
    assert wide.status == "failed" and "passes beside the mesh" in wide.findings[0].sentence


@pytest.mark.parametrize(
    "sentence",
    [
        "shortest line on crate from -15, 0, 20 to 0, -15, 5",
        "geodesic on crate from -15,0,20 to 0,-15,5",
        "shortest path on crate from -15 mm, 0 mm, 20 mm to 0 mm, -15 mm, 5 mm",
    ],
)
def test_it_is_said_in_plain_words(sentence: str) -> None:
    """Both ends of a shortest line are read from a sentence."""
    first = propose(sentence, read_document({"format": "glass-spoon/sheet", "version": 1, "lines": [CRATE]}))[0]
    said = first.line.model_dump()
    assert (first.verb, first.missed, said["mesh"]) == ("shortest_line", (), "b")
    places = [str(said[name]).removesuffix(" mm") for name in ("x", "y", "z", "to_x", "to_y", "to_z")]
    assert places == ["-15", "0", "20", "0", "-15", "5"]
