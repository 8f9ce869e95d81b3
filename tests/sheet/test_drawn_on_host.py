"""Curves that are drawn on what they lie on: as they are seen from their view, or, as a helix, where it is nearest."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.meshes.closest_on_mesh import NearestOnMesh
from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.edit_many import add_proposal
from glass_spoon.sheet.evaluate import Build
from glass_spoon.sheet.propose import propose
from glass_spoon.sheet.text_form.read_text import read_text
from glass_spoon.sheet.text_form.write_text import said, write_text
from tests.sheet.test_patches import built

POINTS = [(-12, -5), (0, 9), (13, 2), (6, -11)]


def buoy(size: float) -> list[dict[str, Any]]:
    """Return lines that make a ball of radius 30 mm times a size as a surface, l2, and as a mesh, l3."""
    ball = {"verb": "simple", "form": "sphere", "radius": f"{30 * size} mm", "z": "0 mm"}
    return [{"verb": "circle"}, ball, {"verb": "mesh", "surface": "l2", "gives": "ball mesh"}]


def drawn(build: Build, line: str = "l4", count: int = 400) -> Floats:
    """Return places along a curve."""
    assert build.reports[line].status == "good", build.reports[line].findings
    curve = build.items[line].item.curve
    return curve_points(curve, np.linspace(*curve.domain, count))


def corners(size: float) -> list[dict[str, str]]:
    """Return the points of a drawn curve."""
    return [{"x": f"{x * size} mm", "y": f"{y * size} mm"} for x, y in POINTS]


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
@pytest.mark.parametrize("manner", ["through", "pulled by", "straight through"])
@pytest.mark.parametrize(("plane", "axes", "towards"), [("front", (0, 2), -1), ("side", (1, 2), 1), ("plan", (0, 1), 1)])
def test_a_curve_drawn_on_a_ball_is_seen_as_it_is_drawn(
    size: float, manner: str, plane: str, axes: tuple[int, int], towards: int
) -> None:
    """On the side that is seen, at the radius; from its view as without the ball."""
    line = {"verb": "draw", "manner": manner, "plane": plane, "points": corners(size)}
    flat = drawn(built(*buoy(size), line))
    found = drawn(built(*buoy(size), {**line, "host": ["l2"]}))
    assert np.linalg.norm(found, axis=1) == pytest.approx(np.full(len(found), 30 * size), rel=1e-4)
    out = next(axis for axis in range(3) if axis not in axes)
    assert (found[:, out] * towards > 0).all()
    gaps = np.linalg.norm(found[:, None, axes] - flat[None, :, axes], axis=2)
    assert float(gaps.min(axis=1).max()) < 0.2 * size


def test_a_curve_drawn_on_a_mesh_lies_on_its_faces() -> None:
    """Also where its half is mirrored, and where it is closed."""
    for more in ({}, {"half": "with its mirror image"}, {"shape": "closed"}):
        points = corners(1)[1:] if "half" in more else corners(1)
        build = built(*buoy(1), {"verb": "draw", "points": points, "host": ["l3"], **more})
        found = drawn(build)
        nearest = NearestOnMesh(build.items["l3"].item.mesh).ask(found)[0]
        assert float(np.linalg.norm(nearest - found, axis=1).max()) < 1e-3
        assert (found[:, 1] < 0).all()


@pytest.mark.parametrize("host", ["l2", "l3"])
def test_a_line_and_what_is_swept_along_it_follow_the_body(host: str) -> None:
    """The body a fifth larger, the line lies on it still."""
    for radius in ("24 mm", "30 mm", "36 mm"):
        lines = buoy(1)
        lines[1]["radius"] = radius
        line = {"verb": "line", "right": "-15 mm", "up": "10 mm", "to_right": "15 mm", "to_up": "10 mm", "host": [host]}
        build = built(*lines, line, {"verb": "cord", "path": "l4"})
        found = drawn(build)
        assert found[:, 2] == pytest.approx(np.full(len(found), 10.0), abs=0.05)
        assert np.linalg.norm(found, axis=1) == pytest.approx(np.full(len(found), float(radius[:2])), rel=0.02)
        assert host == "l3" or build.reports["l5"].status == "good", build.reports["l5"].findings


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
def test_a_helix_on_a_cone_keeps_to_its_side(size: float) -> None:
    """Each place is the nearest of the cone's to one of the helix about it: square to its side, on the same ray."""
    ends = [{"x": f"{x * size} mm", "y": f"{y * size} mm"} for x, y in ((30, 0), (10, 60))]
    profile = {"verb": "draw", "manner": "straight through", "points": ends}
    helix = {
        "verb": "helix",
        "turns": 3,
        "pitch": f"{8 * size} mm",
        "radius": f"{30 * size} mm",
        "end_radius": f"{22 * size} mm",
    }
    lines = [profile, {"verb": "revolve", "profile": "l1"}, {**helix, "base": f"{10 * size} mm"}]
    free = drawn(built(*lines), "l3")
    found = drawn(built(*lines[:2], {**lines[2], "host": ["l2"]}), "l3")
    radius, height = np.hypot(found[:, 0], found[:, 1]), found[:, 2]
    assert radius == pytest.approx(30 * size - height / 3, rel=1e-4)
    turns = np.unwrap(np.arctan2(found[:, 1], found[:, 0]))
    assert turns[-1] - turns[0] == pytest.approx(6 * np.pi, abs=0.01)
    side = np.array([3, 1]) / np.sqrt(10)  # square to the side, in radius and height
    off = np.array([np.hypot(free[0, 0], free[0, 1]) - 30 * size, free[0, 2]]) @ side
    assert np.array([radius[0], height[0]]) == pytest.approx(
        np.array([np.hypot(free[0, 0], free[0, 1]), free[0, 2]]) - off * side, rel=1e-4
    )


def test_a_curve_beside_its_host_says_so() -> None:
    """It is seen past the ball; and caps of flat faces are meshed first."""
    past = built(*buoy(1), {"verb": "line", "right": "-60 mm", "to_right": "60 mm", "host": ["l2"]}).reports["l4"]
    assert past.status == "failed"
    assert "miss the surface" in past.findings[0].sentence
    two = built(*buoy(1), {"verb": "line", "right": "-6 mm", "to_right": "6 mm", "host": ["l2", "l3"]}).reports["l4"]
    assert "leave one out" in two.findings[0].sentence


@pytest.mark.parametrize(
    ("text", "verb", "values"),
    [
        ("draw seam through 0, 0; 10, 5; 20, 0 on float", "draw", {"gives": "seam"}),
        (
            "draw a closed curve over float through 0, 0; 10, 0; 5, 8 on the plan",
            "draw",
            {"shape": "closed", "plane": "plan"},
        ),
        ("line from 0, 10 mm to 10, 20 on the side plane, laid on float", "line", {"plane": "side", "up": "10 mm"}),
        ("helix around float, 5 turns of 8 mm", "helix", {"turns": "5", "pitch": "8 mm"}),
        ("left-handed helix on float with 5 turns", "helix", {"hand": "left-handed"}),
    ],
)
def test_typed_curves_on_a_body(text: str, verb: str, values: dict[str, str]) -> None:
    """What it lies on is read from words, and its sentence reads back."""
    lines = [{"id": f"l{k}", **line} for k, line in enumerate(buoy(1), 1)]
    lines[1]["gives"] = "float"
    document = SheetDocument.model_validate({"format": "glass-spoon/sheet", "version": 1, "lines": lines})
    proposal = propose(text, document)[0]
    assert (proposal.verb, proposal.missed) == (verb, ())
    after, line = add_proposal(document, proposal, None)
    assert line.model_dump()["host"] == ["l2"]
    assert {name: getattr(line, name) for name in values} == values
    assert "laid on float" in said(after, line.id)
    assert read_text(write_text(after)).lines[-1].model_dump(exclude={"id", "host"}) == line.model_dump(
        exclude={"id", "host"}
    )
    assert len(read_text(write_text(after)).lines[-1].model_dump()["host"]) == 1
