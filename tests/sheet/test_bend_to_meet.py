"""Bends that find their angle: the free end comes onto the plane of a curve or a rim, by the formula of the arc."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from scipy.optimize import brentq

from glass_spoon.kernel.deform.bends import Bend, angle_to_meet
from glass_spoon.kernel.deform.space_map import Axes
from glass_spoon.sheet.document import read_document
from glass_spoon.sheet.propose import propose
from tests.sheet.test_solids import run


def lines(size: float, away: float, **fields: Any) -> list[dict[str, Any]]:
    """A hose 60 long that stands upright, and a circle on a wall to its right."""
    return [
        {"id": "s", "verb": "simple", "form": "cylinder", "radius": f"{5 * size} mm", "height": f"{60 * size} mm"},
        {"id": "m", "verb": "mesh", "surface": "s", "round": 24, "along": 30, "gives": "spout"},
        {
            "id": "w",
            "verb": "circle",
            "plane": "side",
            "radius": f"{20 * size} mm",
            "out": f"{away * size} mm",
            "gives": "wall",
        },
        {
            "id": "b",
            "verb": "bend",
            "item": "m",
            "way": "right",
            "given_by": "to meet",
            "target": "w",
            "axis": "upright axis",
            "stays": "start",
            **fields,
        },
    ]


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
@pytest.mark.parametrize("away", [24.0, 30.0, 36.0])
def test_the_end_of_a_hose_comes_onto_a_wall(size: float, away: float) -> None:
    """L (1 - cos t) / t is how far the end of an arc of length L has gone sideways."""
    build = run(*lines(size, away))
    angle = brentq(lambda t: 60 * (1 - np.cos(t)) / t - away, 1e-6, 2.0)
    assert f"Bent by {np.degrees(angle):.4g}°" in build.reports["b"].told
    points = build.items["m"].item.mesh.positions
    ends = [points[:24].mean(axis=0), points[-24:].mean(axis=0)]
    assert max(end[0] for end in ends) == pytest.approx(away * size, rel=1e-9)


@pytest.mark.parametrize("high", [16.0, 20.0, 24.0])
def test_it_meets_the_nearer_rim_of_a_mesh(high: float) -> None:
    """An open tube below: L sin t / t is how high the end comes, and its upper rim is the plane."""
    tube = [
        {"id": "c", "verb": "simple", "form": "cylinder", "radius": "8 mm", "height": f"{high} mm", "gives": "pipe"},
        {"id": "t", "verb": "mesh", "surface": "c", "round": 24, "along": 8, "gives": "tube"},
    ]
    hose, mesh, _, bend = lines(1.0, 0.0)
    build = run(hose, mesh, *tube, {**bend, "target": "t"})
    angle = brentq(lambda t: 60 * np.sin(t) / t - high, 1e-6, np.pi)
    assert build.reports["b"].status == "good" and f"Bent by {np.degrees(angle):.4g}°" in build.reports["b"].told
    middles = build.items["m"].item.mesh.positions.reshape(-1, 24, 3).mean(axis=1)
    assert min(abs(middles[0, 2] - high), abs(middles[-1, 2] - high)) < 1e-9


@pytest.mark.parametrize(
    ("target", "sentence"),
    [
        ({"id": "w", "verb": "circle", "plane": "plan", "out": "200 mm", "gives": "wall"}, "does not reach that plane"),
        ({"id": "w", "verb": "line", "gives": "wall"}, "no one plane"),
        ({"id": "w", "verb": "block", "gives": "wall"}, "has no open rim"),
    ],
)
def test_what_cannot_be_met_is_refused_with_a_way_out(target: dict[str, Any], sentence: str) -> None:
    """Too far away, without a plane, without a rim."""
    hose, mesh, _, bend = lines(1.0, 0.0)
    finding = run(hose, mesh, target, bend).reports["b"].findings[0]
    assert sentence in finding.sentence and any(word in finding.sentence for word in ("Bend it", "hoose"))


def test_where_the_end_lies_in_the_plane_the_next_angle_is_found() -> None:
    """No bend is none: the end comes back to its height after more than half a turn, or never."""
    bend = Bend(Axes.along(np.zeros(3), (0, 0, 1), (1, 0, 0)), 0.0, 60.0, 0.0, 0.0)
    back = angle_to_meet(bend, 60.0, np.zeros(3), np.array([1.0, 0.0, 0.0]))
    assert back == pytest.approx(2 * np.pi, abs=1e-5)
    assert angle_to_meet(bend, 60.0, np.array([0.0, 0.0, 60.0]), np.array([0.0, 0.0, 1.0])) is None


def test_it_is_said_in_plain_words() -> None:
    """`until it meets the rim of` as well as `to meet`."""
    document = read_document({"format": "glass-spoon/sheet", "version": 1, "lines": lines(1.0, 30.0)[:3]})
    for sentence in ("bend spout to the right to meet wall", "bend spout right until it meets the rim of wall"):
        first = propose(sentence, document)[0]
        said = first.line.model_dump()
        assert (first.verb, first.missed) == ("bend", ())
        assert (said["item"], said["target"], said["given_by"], said["way"]) == ("m", "w", "to meet", "right")
