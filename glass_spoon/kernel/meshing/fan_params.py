"""Places on a fan of surfaces that run to one point: how far round its rim, in edges, and how far out from the point."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints
from glass_spoon.kernel.meshing.cut_set import Sector
from glass_spoon.kernel.meshing.set_parts import Grid


def ring_of(sector: Sector, grid: Grid, cap: int) -> Ints:
    """Return the vertices of the ring that the cap stands on, along the fan."""
    row = cap if sector.end == 0 else grid.numbers.shape[1 - sector.axis] - 1 - cap
    ring = np.take(grid.numbers, row, axis=1 - sector.axis)
    return ring if sector.forward else ring[::-1]


def face_turns(turns: Floats, rim: int, *, closed: bool) -> Floats:
    """Return the mean place round (f,) of the corners (f, k) of faces."""
    if closed:
        turns = turns + np.rint((turns[:, :1] - turns) / rim) * rim
        return np.asarray(turns.mean(axis=1) % rim)
    return np.asarray(turns.mean(axis=1))


def unwrapped(turns: Floats, middle: Floats, rim: int, *, closed: bool) -> Floats:
    """Return places round (f, k) moved by whole turns to the middles (f,) of their faces."""
    return turns + np.rint((middle[:, None] - turns) / rim) * rim if closed else turns


def cap_params(sector: Sector, grid: Grid, cap: int, along: Floats, radius: Floats) -> tuple[Floats, Floats]:
    """Return u and v (n,) at places along the rim, counted in edges from the sector's start, and shares of the radius."""
    u, v = (grid.u, grid.v) if sector.axis == 0 else (grid.u.T, grid.v.T)
    if sector.end == 0:
        u, v = u[:, : cap + 1], v[:, : cap + 1]
    else:
        u, v = u[:, ::-1][:, : cap + 1], v[:, ::-1][:, : cap + 1]
    count = u.shape[0] - 1
    x = np.clip(along if sector.forward else count - along, 0, count)
    return _bilinear(u, x, radius * cap), _bilinear(v, x, radius * cap)


def _bilinear(values: Floats, x: Floats, y: Floats) -> Floats:
    """Return values (m, n) interpolated at places x, y (k,) counted in rows and columns."""
    i = np.clip(np.floor(x).astype(int), 0, values.shape[0] - 2)
    j = np.clip(np.floor(y).astype(int), 0, values.shape[1] - 2)
    a, b = x - i, y - j
    low = values[i, j] * (1 - a) + values[i + 1, j] * a
    high = values[i, j + 1] * (1 - a) + values[i + 1, j + 1] * a
    return np.asarray(low * (1 - b) + high * b)
