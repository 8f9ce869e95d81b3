"""Several curves written as splines of one space, as near as asked to how they run."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.curves.evaluate.basis import basis_matrix

DEGREE = 5
MOST_SPANS = 128
"""Most spans; more are not tried."""
CHECKS = 6
"""Places a span at which the splines are held against what they follow."""
SAME = 1e-9
"""Shares nearer than this are one."""


@dataclass(frozen=True, eq=False)
class Followed:
    """Splines over 0 to 1 of DEGREE. control: (rows, n, 3) mm; off: the largest distance in mm found."""

    knots: Floats
    control: Floats
    off: float


@dataclass(frozen=True, eq=False)
class Asked:
    """What rows of splines should follow.

    at: takes shares (k,), returns places (rows, k, 3) in mm. held: shares (h,) at which it is met exactly, both ends among
    them. corners: shares (c,) at which some row turns sharply. ring: whether all come back to their start smoothly.
    """

    at: Callable[[Floats], Floats]
    held: Floats
    corners: Floats
    ring: bool = False


def fit_rows(asked: Asked, near: float, first: int = 1) -> Followed:
    """Return splines within `near` mm of what is asked, or as near as MOST_SPANS let them be; first: spans tried first."""
    stops = np.union1d(asked.held, asked.corners)
    per = first
    while True:
        found = _fitted(asked, stops, per)
        if found.off <= near or 2 * per * (len(stops) - 1) > MOST_SPANS:
            return found
        per *= 2


def _fitted(asked: Asked, stops: Floats, per: int) -> Followed:
    """Return the nearest splines with `per` spans between stops."""
    single = np.concatenate([np.linspace(low, high, per + 1)[1:] for low, high in pairwise(stops)])[:-1]
    corners = asked.corners[(asked.corners > 0) & (asked.corners < 1)]
    repeats = np.where(np.abs(single[:, None] - corners).min(axis=1, initial=np.inf) < SAME, DEGREE, 1)
    knots = np.concatenate((np.zeros(DEGREE + 1), np.repeat(single, repeats), np.ones(DEGREE + 1)))
    edges = np.concatenate(([0.0], single, [1.0]))
    samples = np.unique(np.concatenate([np.linspace(a, b, CHECKS + 1) for a, b in pairwise(edges)]))
    wanted = asked.at(samples)
    matrix = basis_matrix(knots, DEGREE, samples)
    conditions = basis_matrix(knots, DEGREE, asked.held)
    right = np.moveaxis(asked.at(asked.held), 1, 0)
    if asked.ring:
        joins = [basis_matrix(knots, DEGREE, np.array([0.0, 1.0]), order) for order in (1, 2)]
        conditions = np.vstack((conditions, *(both[:1] - both[1:] for both in joins)))
        right = np.concatenate((right, np.zeros((2, *right.shape[1:]))))
    count, more = matrix.shape[1], len(conditions)
    system = np.block([[matrix.T @ matrix, conditions.T], [conditions, np.zeros((more, more))]])
    sides = np.concatenate((np.einsum("sn,csd->ncd", matrix, wanted), right))
    solved = np.linalg.lstsq(system, sides.reshape(count + more, -1), rcond=None)[0]
    control = np.moveaxis(solved[:count].reshape(count, len(wanted), 3), 0, 1)
    off = float(lengths(np.einsum("sn,cnd->csd", matrix, control) - wanted).max())
    return Followed(knots, control, off)
