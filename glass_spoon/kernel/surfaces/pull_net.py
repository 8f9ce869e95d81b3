"""Control points of a surface moved by hand: singly, in whole rows, with neighbours that follow less and less."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.surfaces.surface import NurbsSurface

Reach = Literal["points", "rows round", "rows along"]


@dataclass(frozen=True)
class NetMove:
    """A control point, by its numbers round and along counted from 0, and how far it is moved (3,) in mm."""

    round: int
    along: int
    by: tuple[float, float, float]


def pull_net(surface: NurbsSurface, moves: list[NetMove], spread: int = 0, reach: Reach = "points") -> NurbsSurface:
    """Return the surface with control points moved.

    spread: how many control points beside a moved one follow it, by (1 - t^2)^2 of the distance t in points over spread + 1.
    reach: whole rows round, or along, move with the point. A surface that closes stays closed: the points at its seam are
    one. Raises InvalidInput for a control point that is not there.
    """
    rows, columns = surface.weights.shape
    total = np.zeros((rows, columns, 3))
    closed = surface.is_closed(0, 1e-6), surface.is_closed(1, 1e-6)
    for move in moves:
        if not (0 <= move.round < rows and 0 <= move.along < columns):
            raise InvalidInput(
                "The control point", f"round 1 to {rows} and along 1 to {columns}", f"{move.round + 1}, {move.along + 1}"
            )
        first = np.ones(rows) if reach == "rows round" else _shares(rows, move.round, spread, closed[0])
        second = np.ones(columns) if reach == "rows along" else _shares(columns, move.along, spread, closed[1])
        total += (first[:, None] * second)[..., None] * np.array(move.by)
    return NurbsSurface(surface.degrees, surface.knots, surface.control_points + total, surface.weights)


def _shares(count: int, at: int, spread: int, closed: bool) -> Floats:
    """Return by how much (count,) points of a row follow the one at a number: all of it there, nothing past the spread."""
    distance = np.abs(np.arange(count) - at).astype(np.float64)
    if closed:  # the first and the last point are one
        distance = np.minimum(distance, (count - 1) - distance)
    t = np.minimum(distance / (spread + 1), 1.0)
    return np.asarray((1 - t**2) ** 2)
