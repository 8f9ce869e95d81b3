"""Rounds of a box: by one ball, by a ball that changes, and with all corners filled, beside Open CASCADE's fillet."""

from __future__ import annotations

from typing import Any

import numpy as np
from OCP.BRepFilletAPI import BRepFilletAPI_MakeFillet
from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox
from OCP.TopAbs import TopAbs_EDGE
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS

from bench.measure import median_seconds
from glass_spoon.kernel.law import Law
from glass_spoon.kernel.remembered import forget_all
from glass_spoon.kernel.trims.changing_ball import BallSize
from glass_spoon.kernel.trims.round_edges import round_edges, sharp_edges
from tests.formats.test_step_faces import block

SIDES = (60.0, 40.0, 30.0)


def run() -> dict[str, Any]:
    """Return seconds and ratios."""
    shape = block(SIDES)
    edges, sharp = sharp_edges(shape, 0.3)
    upright = [e for e in sharp if np.ptp(edges.uses[edges.first[e]].places[:, 2]) > 1]

    def ours(size: BallSize, chosen: Any, setback: float | None = None) -> float:
        def make() -> None:
            forget_all()
            round_edges(shape, edges, np.array(chosen), size, setback)

        return median_seconds(make, 3)

    body = BRepPrimAPI_MakeBox(*SIDES).Shape()

    def theirs(first: float, last: float) -> float:
        def make() -> None:
            fillet = BRepFilletAPI_MakeFillet(body)
            found = TopExp_Explorer(body, TopAbs_EDGE)
            fillet.Add(first, last, TopoDS.Edge(found.Current()))
            fillet.Build()

        return median_seconds(make, 3)

    one, changing = ours(BallSize(Law(5, 5)), upright[:1]), ours(BallSize(Law(3, 5)), upright[:1])
    peers = theirs(5, 5), theirs(3, 5)
    return {
        "one_edge_seconds": round(one, 3),
        "one_edge_open_cascade_seconds": round(peers[0], 4),
        "one_edge_times_as_fast": round(peers[0] / one, 3),
        "changing_edge_seconds": round(changing, 3),
        "changing_edge_open_cascade_seconds": round(peers[1], 4),
        "changing_edge_times_as_fast": round(peers[1] / changing, 3),
        "twelve_edges_and_balls_seconds": round(ours(BallSize(Law(5, 5)), sharp), 3),
        "twelve_edges_and_filled_corners_seconds": round(ours(BallSize(Law(5, 5)), sharp, 2.0), 3),
        "twelve_changing_edges_seconds": round(ours(BallSize(Law(3, 5)), sharp), 3),
    }
