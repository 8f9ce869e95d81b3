"""Patches: sixty regions of a net over a height field, beside Open CASCADE's filling of the same boundaries."""

from __future__ import annotations

from typing import Any

import numpy as np
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge
from OCP.BRepFill import BRepFill_Filling
from OCP.GeomAbs import GeomAbs_C0

from bench.measure import median_seconds
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.make.interpolate import interpolate_points
from glass_spoon.kernel.patches import fill_net as net
from glass_spoon.kernel.patches.net_graph import read_net
from glass_spoon.kernel.remembered import forget_all
from tests.kernel.test_against_occt import as_occt

ACROSS, ALONG = 11, 7
"""Curves each way: ten by six regions."""


def height(x: Any, y: Any) -> Any:
    """Return a field of 20 mm over 200 by 120 mm."""
    return 10 * np.sin(np.asarray(x) / 30) * np.cos(np.asarray(y) / 25)


def cage() -> list[NurbsCurve]:
    """Return the curves."""
    x, y = np.linspace(0, 200, 41), np.linspace(0, 120, 31)
    up = [np.stack((0 * y + at, y, height(at, y)), axis=1) for at in np.linspace(0, 200, ACROSS)]
    over = [np.stack((x, 0 * x + at, height(x, at)), axis=1) for at in np.linspace(0, 120, ALONG)]
    return [interpolate_points(row) for row in up + over]


def run() -> dict[str, Any]:
    """Return seconds and the ratio."""
    curves = cage()

    def ours() -> None:
        forget_all()
        net.fill_net(curves, 0.01)

    graph = read_net(curves, 0.01)

    def peer() -> None:
        for region in graph.regions:
            filling = BRepFill_Filling()
            for number, _ in region:
                edge = BRepBuilderAPI_MakeEdge(as_occt(graph.stretches[number].curve)).Edge()
                filling.Add(edge, GeomAbs_C0)
            filling.Build()

    own, other = median_seconds(ours, 3), median_seconds(peer, 3)
    y = np.linspace(0, 120, 31)
    bump = 2 * np.sin(np.pi * np.clip((y - 60) / 20, 0, 1)) ** 2
    moved = list(curves)
    moved[3] = interpolate_points(np.stack((0 * y + 60, y, height(60, y) + bump), axis=1))

    def one_point() -> None:
        net.fill_net(curves, 0.01)
        net.fill_net(moved, 0.01)

    return {
        "sixty regions, joined smoothly": own,
        "Open CASCADE's filling of each, meeting in place": other,
        "times as fast": other / own,
        "one point moved": median_seconds(one_point, 1),
    }
