"""Rows of points laid on a curve: by shares of its length, started and turned so that they go the shortest way."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.errors import KernelError

SAMPLES = 1024
"""Places on a closed curve at which a row is tried to start."""


def shares_along(places: Floats, *, closed: bool) -> Floats:
    """Return how far along a row each of its points (k, 3) lies, 0 to 1 of its length; of a closed one once round."""
    steps = lengths(np.diff(places, axis=0, append=places[:1]))
    way = np.concatenate(([0.0], np.cumsum(steps)))
    return way[:-1] / way[-1] if closed else way[:-1] / max(way[-2], 1e-300)


def places_on_curve(own: Floats, shares: Floats, curve: NurbsCurve, *, closed: bool) -> Floats:
    """Return places (k, 3) on a curve for points (k, 3) of a row at shares (k,) of its length, those nearest on the whole.

    Raises KernelError for a closed row and an open curve, or the other way round.
    """
    size = float(np.ptp(curve.control_points, axis=0).max())
    if curve.is_closed(1e-6 * max(size, 1e-9)) != closed:
        kinds = ("closed", "open") if closed else ("open", "closed")
        raise KernelError(f"The marked row is {kinds[0]}, the curve {kinds[1]}. Mark a row of the curve's kind.")
    arc = measure_length(curve)
    if not closed:
        found = [curve_points(curve, arc.to_params(at * arc.length)) for at in (shares, 1 - shares)]
        return min(found, key=lambda places: float(((places - own) ** 2).sum()))
    grid = np.arange(SAMPLES + 1) / SAMPLES
    table = curve_points(curve, arc.to_params(grid * arc.length))
    starts = np.arange(SAMPLES) / SAMPLES
    best = []
    for way in (1.0, -1.0):
        at = np.mod(starts[:, None] + way * shares, 1.0)
        tried = np.stack([np.interp(at, grid, column) for column in table.T], axis=-1)
        away = ((tried - own) ** 2).sum(axis=(1, 2))
        start = int(away.argmin())
        best.append((float(away[start]), way, starts[start]))
    _, way, start = min(best, key=lambda one: one[0])
    return curve_points(curve, arc.to_params(np.mod(start + way * shares, 1.0) * arc.length))
