"""The parts of a surface between its sharp edges, each smooth in itself."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.curves.alter.round_corners import SHARP_ANGLE
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface

SHARP_SINE = float(np.sin(SHARP_ANGLE))
"""Sine of the angle that control points turn by at an edge taken as sharp."""


@dataclass(frozen=True, eq=False)
class SurfacePart:
    """A part: its ranges of u and v, the box round its control points in mm; wraps: axes that close smoothly."""

    u: tuple[float, float]
    v: tuple[float, float]
    low: Floats
    high: Floats
    wraps: tuple[bool, bool]

    def apart(self, points: Floats) -> Floats:
        """Return a distance (n,) in mm that the part is away from points (n, 3) at least."""
        return lengths(np.maximum(np.maximum(self.low - points, points - self.high), 0.0))


@lru_cache(maxsize=256)
def surface_parts(surface: NurbsSurface) -> tuple[SurfacePart, ...]:
    """Return the parts, those of one range of u after another; a ring with a sharp seam is parted in the middle as well."""
    tolerance = 1e-9 * surface.size
    breaks, rows, wraps = [], [], []
    for axis in (0, 1):
        low, high = surface.domain(axis)
        inner = _turns(surface, axis, tolerance)
        closed = surface.is_closed(axis, tolerance)
        net = np.moveaxis(surface.control_points, axis, 0)
        rings = closed and not len(inner) and not _is_turn(net[-1] - net[-2], net[1] - net[0], tolerance)
        if closed and not len(inner) and not rings:
            inner = np.array([(low + high) / 2])
        breaks.append([low, *inner.tolist(), high])
        rows.append(_control_rows(surface, axis, inner))
        wraps.append(rings)
    found = []
    for i, across in enumerate(rows[0]):
        for k, along in enumerate(rows[1]):
            net = surface.control_points[across, along].reshape(-1, 3)
            ranges = (breaks[0][i], breaks[0][i + 1]), (breaks[1][k], breaks[1][k + 1])
            found.append(SurfacePart(*ranges, net.min(axis=0), net.max(axis=0), (wraps[0], wraps[1])))
    return tuple(found)


def _turns(surface: NurbsSurface, axis: int, tolerance: float) -> Floats:
    """Return the inner parameters of an axis at which control points leave in another direction than they came from.

    Only knots of full multiplicity hold such; where the surface is smooth nevertheless, nothing but time is lost. A tenth of
    the time that `surface_kinks` takes, which is asked of each new surface while a point is dragged.
    """
    knots, degree = surface.knots[axis], surface.degrees[axis]
    values, counts = np.unique(knots[degree + 1 : -degree - 1], return_counts=True)
    values = values[counts >= degree]
    net = np.moveaxis(surface.control_points, axis, 0)
    rows = np.searchsorted(knots, values, "left") - 1
    return np.array(
        [value for value, row in zip(values, rows, strict=True)
         if _is_turn(net[row] - net[row - 1], net[row + 1] - net[row], tolerance)]
    )  # fmt: skip


def _is_turn(before: Floats, after: Floats, tolerance: float) -> bool:
    """Say whether a row of steps (n, 3) between control points is followed by one in another direction."""
    size = lengths(before) * lengths(after)
    off = lengths(np.cross(before, after)) > SHARP_SINE * size
    back = (before * after).sum(axis=1) < 0
    return bool(((off | back) & (size > tolerance**2)).any())


def _control_rows(surface: NurbsSurface, axis: int, inner: Floats) -> list[slice]:
    """Return the rows of control points that decide each part between inner parameters."""
    knots, degree = surface.knots[axis], surface.degrees[axis]
    first = [0, *(np.searchsorted(knots, inner, "right") - degree - 1).tolist()]
    last = [*(np.searchsorted(knots, inner, "left") - 1).tolist(), surface.control_points.shape[axis] - 1]
    return [slice(max(a, 0), b + 1) for a, b in zip(first, last, strict=True)]
