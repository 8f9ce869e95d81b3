"""A curve that follows a function as closely as asked: quintic Hermite pieces, or splines through places."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.errors import NotFollowed

Places = Callable[[Floats], Floats]
"""Takes shares (n,) of the way, 0 to 1, returns points (n, 3)."""

Sampler = Callable[[Floats], Floats]
"""Takes parameters (n,), returns value, first and second derivative, (3, n, 3)."""

CHECKS = np.array([0.25, 0.5, 0.75])
"""Places of each piece where the deviation is looked at; that of a quintic Hermite piece is largest at its middle."""

_INSIDE = 1e-9
"""Share of a piece by which one-sided values at its ends are taken inside it."""


@dataclass(frozen=True, eq=False)
class Fit:
    """A fitted curve, and the largest distance in mm found between it and what it was fitted to."""

    curve: NurbsCurve
    largest: float


def fit_function(sample: Sampler, breaks: Floats, tolerance: float, most: int = 20_000) -> Fit:
    """Return the degree-5 curve, C2 at all knots between breaks, within `tolerance` mm of a function.

    breaks: (k,) parameters, both ends included, between which the function is smooth; slopes at breaks are taken from
    inside, so the tangent may jump there. Pieces are halved until the function's own values at CHECKS agree.
    Raises KernelError when more than `most` pieces would be needed.
    """
    low, high = breaks[:-1].astype(np.float64), breaks[1:].astype(np.float64)
    done: list[tuple[Floats, Floats]] = []
    largest = 0.0
    while len(low):
        control = _pieces(sample, low, high)
        off = _deviations(sample, low, high, control)
        good = off <= tolerance
        largest = max(largest, float(off[good].max(initial=0.0)))
        done.append((low[good], control[good]))
        middle = (low[~good] + high[~good]) / 2
        low, high = np.concatenate((low[~good], middle)), np.concatenate((middle, high[~good]))
        if len(low) + sum(len(part[0]) for part in done) > most or (len(low) and (high - low).min() < 1e-9 * np.ptp(breaks)):
            raise NotFollowed("The curve", tolerance)
    starts = np.concatenate([part[0] for part in done])
    order = np.argsort(starts)
    return Fit(_chain(starts[order], float(breaks[-1]), np.concatenate([part[1] for part in done])[order]), largest)


def _pieces(sample: Sampler, low: Floats, high: Floats) -> Floats:
    """Return Bezier control points (k, 6, 3) that meet value, slope and bend at both ends of each piece."""
    width = (high - low)[:, None]
    inside = width[:, 0] * _INSIDE
    (a, da, dda), (b, db, ddb) = sample(low + inside), sample(high - inside)
    a, b = a - inside[:, None] * da, b + inside[:, None] * db  # back to the ends, where a value may be another side's
    return np.stack(
        (
            a,
            a + width * da / 5,
            a + 2 * width * da / 5 + width**2 * dda / 20,
            b - 2 * width * db / 5 + width**2 * ddb / 20,
            b - width * db / 5,
            b,
        ),
        axis=1,
    )


def _deviations(sample: Sampler, low: Floats, high: Floats, control: Floats) -> Floats:
    """Return the largest distance (k,) in mm of each piece from the function at CHECKS."""
    worst = np.zeros(len(low))
    for share in CHECKS:
        layer = control
        while layer.shape[1] > 1:
            layer = layer[:, :-1] * (1 - share) + layer[:, 1:] * share
        worst = np.maximum(worst, lengths(layer[:, 0] - sample(low + (high - low) * share)[0]))
    return worst


def _chain(starts: Floats, end: float, control: Floats) -> NurbsCurve:
    """Return one curve of Bezier pieces (k, 6, 3); joints, which agree to rounding, are knots of full multiplicity."""
    stops = np.append(starts, end)
    knots = np.concatenate((stops[:1], np.repeat(stops, 5), stops[-1:]))
    points = np.concatenate((control[:, :-1].reshape(-1, 3), control[-1:, -1]))
    return NurbsCurve(5, knots, points, np.ones(len(points)))


def fit_places(places: Places, count: int, tolerance: float, most: int = 20_000) -> Fit:
    """Return the degree-5 spline through evenly shared places, `count` of them or more, within `tolerance` mm in between.

    Raises KernelError when more than `most` places would be needed.
    """
    while count <= most:
        shares = np.linspace(0, 1, count + 1)
        spline = scipy.interpolate.make_interp_spline(shares, places(shares), k=5)
        between = (shares[:-1, None] + np.diff(shares)[:, None] * CHECKS).ravel()
        off = float(lengths(spline(between) - places(between)).max())
        if off <= tolerance:
            control = np.asarray(spline.c)
            return Fit(NurbsCurve(5, spline.t, control, np.ones(len(control))), off)
        count *= 2
    raise NotFollowed("The curve", tolerance)


def more_spans(count: int, off: float, tolerance: float) -> int:
    """Return how many even spans a cubic needs that is `off` mm away with `count`: its error falls with their fourth power.

    A tenth more than that, between one and a quarter times and four times as many.
    """
    wanted = 1.1 * count * (off / tolerance) ** 0.25
    return int(np.ceil(np.clip(wanted, 1.25 * count, 4 * count)))
