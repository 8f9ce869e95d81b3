"""Unbend: what Follow laid along a curve lies straight again, at every size and of every kind."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from glass_spoon.sheet.evaluate import Build
from glass_spoon.sheet.kinds import kind_of
from tests.sheet.test_patches import built

Lines = list[dict[str, Any]]


def wave(size: float) -> dict[str, Any]:
    """Return a curve in plan that bends both ways."""
    places = ((-45, -15), (-10, 12), (20, -10), (48, 15))
    return {"verb": "draw", "plane": "plan", "points": [{"x": x * size, "y": y * size} for x, y in places]}


RAMP = {"verb": "draw", "plane": "front", "points": [{"x": 0, "y": 0}, {"x": 40, "y": 20}, {"x": 90, "y": 10}]}
SPIRE = {"verb": "helix", "radius": "40 mm", "pitch": "30 mm", "height": "60 mm"}
BAR = {"verb": "block", "width": "60 mm", "depth": "6 mm", "height": "4 mm", "edge": "2 mm"}


def traced(build: Build, item: str) -> np.ndarray:
    """Return the places by which an item is seen, about their middle."""
    found = build.items[item].item
    places = kind_of(found).trace(found)
    return np.asarray(places - places.mean(axis=0))


def there_and_back(lines: Lines, path: dict[str, Any], facing: str, size: float = 1.0) -> tuple[Build, float]:
    """Return the build of an item laid along a path and unbent again, and how far it, or its box, is from what it was."""
    count = len(lines)
    curve, item = f"l{count + 1}", f"l{len(lines)}" if lines[-1]["verb"] == "row" else "l1"
    follow = {"verb": "follow", "item": item, "curve": curve, "facing": facing, "begins": f"{8 * size} mm"}
    build = built(*lines, path, follow, {"verb": "unbend", "item": item, "curve": curve, "facing": facing})
    now, before = traced(build, item), traced(built(*lines), item)
    if now.shape == before.shape:
        return build, float(np.abs(now - before).max())
    return build, float(np.abs(np.ptp(now, axis=0) - np.ptp(before, axis=0)).max())  # it was fitted anew


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
def test_a_bar_that_follows_a_wave_is_straight_again(size: float) -> None:
    """It starts as far along the line as it was begun on the curve, and is as long as it was."""
    bar = BAR | {name: f"{float(BAR[name].split()[0]) * size} mm" for name in ("width", "depth", "height", "edge")}
    build, off = there_and_back([bar], wave(size), "turned with it", size)
    assert off < 1e-6 * size
    assert build.reports["l4"].status == "good"
    mesh = build.items["l1"].item.mesh
    assert mesh.positions[:, 0].min() == pytest.approx((-45 + 8) * size, abs=1e-6 * size)


@pytest.mark.parametrize("facing", ["turned with it", "upright along it"])
@pytest.mark.parametrize("path", [RAMP, SPIRE], ids=["ramp", "helix"])
def test_paths_that_climb_are_taken_back_too(path: dict[str, Any], facing: str) -> None:
    """Turned with it and upright along it; a helix lies over itself, seen from above."""
    build, off = there_and_back([BAR], path, facing)
    assert off < 1e-6
    assert build.reports["l4"].status == "good"


@pytest.mark.parametrize(
    "lines",
    [
        [{"verb": "line", "plane": "front", "right": 0, "up": 0, "to_right": 60, "to_up": 0}],
        [{"verb": "simple", "radius": 4}, {"verb": "scale", "item": "l1", "factor": 1.1}],
        [{"verb": "block", "width": 8, "depth": 4, "height": 4}, {"verb": "row", "item": "l1", "count": 3, "x": "12 mm"}],
    ],
    ids=["curve", "surface", "bodies"],
)
def test_every_kind_is_unbent(lines: Lines) -> None:
    """Curves and surfaces are fitted anew within their tolerance; bodies go as one mesh."""
    build, off = there_and_back(lines, wave(1.0), "turned with it")
    assert build.reports[f"l{len(lines) + 3}"].status == "good"
    assert off < 0.05


def test_a_bend_of_an_arc_is_taken_back_along_it() -> None:
    """A bar bent upwards round a radius of 40 mm, its core kept: along the arc of its core it is straight again."""
    bent = {"verb": "bend", "item": "l1", "given_by": "to a radius of", "radius": "40 mm", "stays": "start"}
    arc = {"verb": "arc", "plane": "front", "given_by": "its centre", "center_right": "-30 mm", "center_up": "42 mm"}
    arc |= {"radius": "40 mm", "start_angle": "-90°", "end_angle": "0°"}
    build = built(BAR, bent, arc, {"verb": "unbend", "item": "l1", "curve": "l3"})
    assert build.reports["l4"].status == "good", build.reports["l4"]
    assert np.abs(traced(build, "l1") - traced(built(BAR), "l1")).max() < 1e-6


def test_what_cannot_be_unbent_says_why() -> None:
    """A closed curve, one that stands upright, and what lies beyond the middle of a bend."""
    around = {"verb": "circle", "plane": "plan", "radius": "50 mm"}
    closed = built(BAR, around, {"verb": "unbend", "item": "l1", "curve": "l2"})
    assert "Choose one that is open" in closed.reports["l3"].findings[0].sentence
    post = {"verb": "line", "plane": "front", "right": 0, "up": 0, "to_right": 0, "to_up": 60}
    upright = {"verb": "unbend", "item": "l1", "curve": "l2", "facing": "upright along it"}
    assert "turned with it" in built(BAR, post, upright).reports["l3"].findings[0].sentence
    tight = {"verb": "draw", "plane": "plan", "points": [{"x": -20, "y": 9}, {"x": 0, "y": 0}, {"x": 20, "y": 9}]}
    inside = built(BAR | {"depth": "60 mm"}, tight, {"verb": "unbend", "item": "l1", "curve": "l2"})
    assert inside.reports["l3"].status == "look"
    assert any("torn apart at" in finding.sentence for finding in inside.reports["l3"].findings)
