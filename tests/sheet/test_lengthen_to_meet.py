"""Surfaces that go on past an edge until it lies on others."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.surfaces.evaluate.closest_points import closest_points
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import evaluate_grid
from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.edit_many import add_proposal
from glass_spoon.sheet.evaluate import Build
from glass_spoon.sheet.propose import propose
from tests.sheet.test_patches import built

MEETING = {"verb": "lengthen", "reach": "until it meets"}


def drawn(plane: str, size: float, *places: tuple[float, float]) -> dict[str, Any]:
    """Return a drawn curve through places times a size."""
    return {"verb": "draw", "plane": plane, "points": [{"x": size * x, "y": size * y} for x, y in places]}


def wall_and_roof(size: float, **more: Any) -> Build:
    """Return a wall on a drawn line, as l2, and a roof over it, as l4; the wall goes on until it meets that."""
    return built(
        drawn("plan", size, (-40, 0), (0, 15), (40, -5)),
        {"verb": "extrude", "profile": "l1", "distance": f"{30 * size} mm"},
        drawn("front", size, (-90, 60), (0, 80), (90, 50)),
        {"verb": "extrude", "profile": "l3", "distance": f"{200 * size} mm", "sides": "to both sides"},
        {"verb": "lengthen", "surface": "l2", "reach": "until it meets", "other": "l4", **more},
    )


def grid(build: Build, item: str, across: int = 41) -> np.ndarray:
    """Return places (n, m, 3) over a surface."""
    surface = build.items[item].item.surface
    return evaluate_grid(surface, *(np.linspace(*surface.domain(axis), across) for axis in (0, 1))).points


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
@pytest.mark.parametrize("going", ["straight", "bending on"])
def test_a_wall_goes_up_to_its_roof(size: float, going: str) -> None:
    """Every place of its upper edge is on the roof, by the roof's own curve; below it is the wall that it was."""
    build = wall_and_roof(size, going=going)
    assert build.reports["l5"].status == "good", build.reports["l5"].findings
    points = grid(build, "l2")
    roof = build.items["l4"].item.surface
    top = points[:, -1]

    assert closest_points(roof, top)[2].max() < 1e-6 * 200 * size
    assert points[:, 0, 2] == pytest.approx(0, abs=1e-12 * size)
    # It stays upright: each place stands over the line that it was drawn on.
    assert points[:, -1, :2] == pytest.approx(points[:, 0, :2], abs=1e-9 * size)


def test_a_piece_of_a_cylinder_bends_on_as_that_cylinder() -> None:
    """A sixth of a turn goes on round its axis to the ground: all of it keeps the radius."""
    build = built(
        drawn("front", 1, (-60, 15), (60, 15)),
        {"verb": "extrude", "profile": "l1", "distance": "100 mm", "sides": "to both sides"},
        {"verb": "circle", "plane": "front", "radius": "30 mm"},
        {"verb": "split", "curve": "l3", "share": 0.2, "part": "first", "gives": "bow"},
        {"verb": "extrude", "profile": "l4", "distance": "60 mm", "sides": "to both sides"},
        {
            "verb": "lengthen",
            "surface": "l5",
            "way": "round",
            "reach": "until it meets",
            "other": "l2",
            "going": "bending on",
        },
    )
    assert build.reports["l6"].status == "good", build.reports["l6"].findings
    points = grid(build, "l5")
    assert np.hypot(points[..., 0], points[..., 2]) == pytest.approx(30, abs=1e-6)
    assert points[-1, :, 2] == pytest.approx(15, abs=1e-5)
    assert points[-1, :, 0] == pytest.approx(-30 * np.cos(np.pi / 6), abs=1e-5)


def test_a_pipe_goes_on_to_a_slanting_plane() -> None:
    """A closed edge: its new rim is the ellipse in which the plane cuts the pipe."""
    build = built(
        {"verb": "circle", "plane": "plan", "radius": "20 mm"},
        {"verb": "extrude", "profile": "l1", "distance": "30 mm", "start": "open", "end": "open"},
        drawn("front", 1, (-100, 20), (100, 120)),
        {"verb": "extrude", "profile": "l3", "distance": "200 mm", "sides": "to both sides"},
        {"verb": "lengthen", "surface": "l2", "reach": "until it meets", "other": "l4"},
    )
    assert build.reports["l5"].status == "good", build.reports["l5"].findings
    rim = grid(build, "l2")[:, -1]
    assert rim[:, 2] == pytest.approx(70 + rim[:, 0] / 2, abs=1e-5)
    assert np.hypot(rim[:, 0], rim[:, 1]) == pytest.approx(20, abs=1e-5)


def test_an_edge_that_passes_by_says_which_would_meet() -> None:
    """The way out names the upper edge, and works."""
    refused = wall_and_roof(1, end="start").reports["l5"]
    assert refused.status == "failed"
    assert "passes by" in refused.findings[0].sentence
    (action,) = refused.findings[0].actions
    assert wall_and_roof(1, **dict(action.values)).reports["l5"].status == "good"


@pytest.mark.parametrize(
    "text",
    [
        "lengthen wall until it meets roof",
        "extend wall up to the roof",
        "extend wall to meet roof",
        "Lengthen wall along it past its end until it meets roof.",
    ],
)
def test_typed(text: str) -> None:
    """The line is found by plain words, and its own sentence."""
    document = SheetDocument(name="x")
    for line in (
        "draw foot on the plan plane through -40 0, 0 15, 40 -5",
        "extrude foot by 30 giving wall",
        "draw crest through -90 60, 0 80, 90 50",
        "extrude crest by 200 to both sides giving roof",
    ):
        document, _ = add_proposal(document, propose(line, document, "mm")[0], None)
    proposal = propose(text, document, "mm")[0]
    document, line = add_proposal(document, proposal, None)
    assert (line.verb_name, line.reach, line.other) == ("lengthen", "until it meets", document.lines[3].id)
    assert not proposal.missed


def tube_and_roof(size: float, *more: dict[str, Any]) -> Build:
    """Return a tube, l2, that goes on until it meets a roof, l4, and lines after it."""
    return built(
        {"verb": "circle", "plane": "plan", "radius": f"{30 * size} mm"},
        {"verb": "extrude", "profile": "l1", "distance": f"{30 * size} mm", "start": "open", "end": "open"},
        drawn("front", size, (-90, 60), (0, 80), (90, 50)),
        {"verb": "extrude", "profile": "l3", "distance": f"{200 * size} mm", "sides": "to both sides"},
        {"verb": "lengthen", "surface": "l2", "reach": "until it meets", "other": "l4"},
        *more,
    )


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
def test_what_was_met_is_trimmed_by_what_goes_up_to_it(size: float) -> None:
    """The tube's rim lies on the roof, a rounding above or below: it cuts a lid that is closed, and sews on to the tube."""
    build = tube_and_roof(
        size,
        {"verb": "trim_surface", "surface": "l4", "by": ["l2"], "keep": "inside"},
        {"verb": "sew", "items": ["l2", "l6"]},
        {"verb": "mesh", "surface": "l7"},
        {"verb": "cross", "surface": "l4", "other": "l2"},
    )
    assert [build.reports[f"l{k}"].status for k in range(1, 10)] == ["good"] * 9
    assert "open at 1 edge" in build.reports["l7"].told  # the tube's foot
    mesh = build.items["l8"].item.mesh
    rims = mesh.topology.boundary_edges
    assert mesh.positions[np.unique(mesh.topology.edges.ends[rims]), 2] == pytest.approx(0, abs=1e-9 * size)
    (rim,) = build.items["l9"].item.curves
    places = curve_points(rim, np.linspace(*rim.domain, 200))
    assert np.hypot(*places[:, :2].T) == pytest.approx(30 * size, rel=1e-6)
    assert closest_points(build.items["l4"].item.surface, places)[2].max() < 1e-6 * 200 * size


def test_what_ends_on_the_other_is_not_cut_by_it() -> None:
    """The tube has nothing above the roof: that is told, and the roof's outside is kept with a hole."""
    build = tube_and_roof(1.0, {"verb": "trim_surface", "surface": "l2", "by": ["l4"], "keep": "largest"})
    assert build.reports["l6"].status == "failed"
    assert "Nothing cuts it" in str(build.reports["l6"].findings)
    outside = tube_and_roof(1.0, {"verb": "trim_surface", "surface": "l4", "by": ["l2"], "keep": "outside"})
    assert len(outside.items["l6"].item.shape.faces[0].loops) == 2
