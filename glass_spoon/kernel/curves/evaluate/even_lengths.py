"""Arc lengths of many curves at once: those of one degree and one set of knots are measured together.

`arc_length` is exact for one curve; here a table of cells serves.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints, lengths
from glass_spoon.kernel.curves.evaluate.basis import basis_matrix
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve

CELLS = 16
"""Most cells of a knot span …"""

ENOUGH = 128
"""… and cells of a curve that are enough where it has many spans."""

_NODES, _WEIGHTS = np.polynomial.legendre.leggauss(4)


@dataclass(frozen=True, eq=False)
class LengthTable:
    """Lengths along curves that share knots: totals and speeds (curves, cells + 1) in mm at params (cells + 1,)."""

    curves: list[NurbsCurve]
    params: Floats
    totals: Floats
    speeds: Floats

    @property
    def lengths(self) -> Floats:
        """Whole lengths (curves,) in mm."""
        return self.totals[:, -1]

    def to_params(self, rows: Ints, shares: Floats, *, exact: bool = False) -> Floats:
        """Return the parameters (rows, n) at shares (n,) of the length of curves `rows`.

        Cubic Hermite inverse within a cell, from the speeds at its ends; the plain share where a curve stands still. With
        `exact` a Newton step on the true length follows, which squares what error is left.
        """
        totals, speeds = self.totals[rows], self.speeds[rows]
        wanted = np.multiply.outer(totals[:, -1], shares)
        # One search for all rows: each row's totals are moved clear of the row before.
        step = float(totals[:, -1].max()) + 1.0
        shift = step * np.arange(len(rows))[:, None]
        flat = np.searchsorted((totals + shift).ravel(), (wanted + shift).ravel(), side="right").reshape(wanted.shape)
        cell = np.clip(flat - np.arange(len(rows))[:, None] * totals.shape[1] - 1, 0, totals.shape[1] - 2)
        low, high = (np.take_along_axis(totals, cell + k, axis=1) for k in (0, 1))
        size, width = high - low, np.diff(self.params)[cell]
        t = np.divide(wanted - low, size, out=np.zeros_like(wanted), where=size > 0)
        slopes = []
        for k in (0, 1):
            speed = np.take_along_axis(speeds, cell + k, axis=1) * width
            slopes.append(np.divide(size, speed, out=np.ones_like(size), where=speed > size / 3))
        inside = (t**3 - 2 * t**2 + t) * slopes[0] + (3 * t**2 - 2 * t**3) + (t**3 - t**2) * slopes[1]
        result: Floats = self.params[cell] + width * np.clip(inside, 0.0, 1.0)
        if exact:
            result = self._corrected(rows, result, cell, wanted - low)
        result[:, shares == 0.0], result[:, shares == 1.0] = self.params[0], self.params[-1]
        return result

    def _corrected(self, rows: Ints, params: Floats, cell: Ints, rest: Floats) -> Floats:
        """Return parameters (rows, n) moved by the length that is missing to `rest` (rows, n) within their cells."""
        start = self.params[cell]
        half = (params - start) / 2
        nodes = (start + half)[..., None] + half[..., None] * _NODES
        places = np.concatenate((nodes.reshape(len(rows), -1), params), axis=1)
        speeds = _own_speeds([self.curves[row] for row in rows], places)
        inner, speed = speeds[:, : nodes[0].size].reshape(nodes.shape), speeds[:, nodes[0].size :]
        missing = rest - half * (inner @ _WEIGHTS)
        better = params + np.divide(missing, speed, out=np.zeros_like(speed), where=speed > 0)
        return np.clip(better, self.params[cell], self.params[cell + 1])


def alike(curves: list[NurbsCurve]) -> list[list[int]]:
    """Return the numbers of curves that have one degree and one set of knots, group by group."""
    groups: dict[tuple[int, bytes], list[int]] = {}
    for number, curve in enumerate(curves):
        groups.setdefault((curve.degree, curve.knots.tobytes()), []).append(number)
    return list(groups.values())


def measure_alike(curves: list[NurbsCurve]) -> LengthTable:
    """Return the lengths of curves that have one degree and one set of knots."""
    first = curves[0]
    ends = first.breaks
    cells = int(np.clip(ENOUGH // (len(ends) - 1), 2, CELLS))
    params = np.append((ends[:-1, None] + np.diff(ends)[:, None] * np.arange(cells) / cells).ravel(), ends[-1])
    half = np.diff(params) / 2
    nodes = ((params[:-1] + half)[:, None] + half[:, None] * _NODES).ravel()
    control = np.array([curve.homogeneous for curve in curves])
    inner = _speeds(first, control, nodes).reshape(len(curves), -1, len(_NODES))
    totals = np.concatenate((np.zeros((len(curves), 1)), np.cumsum(half * (inner @ _WEIGHTS), axis=1)), axis=1)
    return LengthTable(curves, params, totals, _speeds(first, control, params))


def _speeds(first: NurbsCurve, control: Floats, params: Floats) -> Floats:
    """Return the speeds (curves, n) in mm at params (n,) of curves with homogeneous control points (curves, k, 4)."""
    return _rational_speeds(*(basis_matrix(first.knots, first.degree, params, k) @ control for k in (0, 1)))


def _own_speeds(curves: list[NurbsCurve], params: Floats) -> Floats:
    """Return the speeds (curves, n) in mm of curves that share knots, each at its own params (curves, n)."""
    return _rational_speeds(*(_own_values(curves, params, k) for k in (0, 1)))


def _own_values(curves: list[NurbsCurve], params: Floats, order: int) -> Floats:
    """Return homogeneous derivatives (curves, n, 4) of curves that share knots, each at its own params (curves, n)."""
    first = curves[0]
    basis = basis_matrix(first.knots, first.degree, params.ravel(), order).reshape(*params.shape, -1)
    return np.asarray(basis @ np.array([curve.homogeneous for curve in curves]))


def _rational_speeds(value: Floats, slope: Floats) -> Floats:
    """Return speeds (...) of homogeneous values and slopes (..., 4)."""
    weight = value[..., 3:]
    return lengths((slope[..., :3] - value[..., :3] / weight * slope[..., 3:]) / weight)


def points_alike(curves: list[NurbsCurve], params: Floats) -> Floats:
    """Return the places (curves, n, 3) in mm of curves that share knots at params (curves, n)."""
    value = _own_values(curves, params, 0)
    return np.asarray(value[..., :3] / value[..., 3:])
