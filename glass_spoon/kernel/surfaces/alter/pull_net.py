"""Control points of a surface moved by hand: singly, in whole rows, with neighbours that follow less and less."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface

Reach = Literal["points", "rows round", "rows along"]


SAME = 1e-9
"""Share of the size of a surface within which places are one."""


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
    one, and so are those of a pole. Raises InvalidInput for a control point that is not there.
    """
    rows, columns = surface.weights.shape
    total = np.zeros((rows, columns, 3))
    near = SAME * surface.size
    closed = surface.is_closed(0, near), surface.is_closed(1, near)
    pole = [[surface.is_pole(axis, end, near) for end in (0, -1)] for axis in (0, 1)]
    for move in moves:
        if not (0 <= move.round < rows and 0 <= move.along < columns):
            raise InvalidInput(
                "The control point", f"round 1 to {rows} and along 1 to {columns}", f"{move.round + 1}, {move.along + 1}"
            )
        on_pole = [
            (poles[0] and at == 0) or (poles[1] and at == last)
            for poles, at, last in zip(pole, (move.round, move.along), (rows - 1, columns - 1), strict=True)
        ]
        first = np.ones(rows) if reach == "rows round" or on_pole[1] else _shares(rows, move.round, spread, closed=closed[0])
        second = (
            np.ones(columns)
            if reach == "rows along" or on_pole[0]
            else _shares(columns, move.along, spread, closed=closed[1])
        )
        total += (first[:, None] * second)[..., None] * np.array(move.by)
    for axis, ends in enumerate(pole):
        for end, is_pole in zip((0, -1), ends, strict=True):
            if is_pole:  # neighbours that follow by unlike shares are one point
                row = np.take(total, end, axis=axis)
                total[(end,) if axis == 0 else (slice(None), end)] = row[np.argmax((row**2).sum(axis=1))]
    return NurbsSurface(surface.degrees, surface.knots, surface.control_points + total, surface.weights)


def _shares(count: int, at: int, spread: int, *, closed: bool) -> Floats:
    """Return by how much (count,) points of a row follow the one at a number: all of it there, nothing past the spread."""
    distance = np.abs(np.arange(count) - at).astype(np.float64)
    if closed:  # the first and the last point are one
        distance = np.minimum(distance, (count - 1) - distance)
    t = np.minimum(distance / (spread + 1), 1.0)
    return np.asarray((1 - t**2) ** 2)
