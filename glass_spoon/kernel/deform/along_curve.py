"""What lies along a straight line laid along a curve, and what lies along a curve laid straight."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
import scipy

from glass_spoon.kernel.arrays import AnyInts, Floats, lengths
from glass_spoon.kernel.curves.alter.place_curve import Placement
from glass_spoon.kernel.curves.evaluate.arc_length import ArcLength, measure_length
from glass_spoon.kernel.curves.evaluate.closest_on_curve import closest_params
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_derivatives
from glass_spoon.kernel.deform.space_map import Axes
from glass_spoon.kernel.repeat.along_curve import Facing, frames_along

CLOSED = 1e-6
TORN = 5.0
"""Times as far from each other along a curve as they were, at which neighbours are torn apart."""
NEAR, NEVER = 1e-6, 1e-3
"""Share of a domain by which a last step goes at most, and that of the squared speed below which the middle of the curve's
circle is too near for one.
"""
TABLE = 4096
"""Places of which more are not looked up one by one."""


@dataclass(frozen=True, eq=False)
class AlongCurve:
    """The third of some axes, from a height `low` on, laid along a curve; the first stands up from it.

    begins: how far along the curve in mm `low` comes; rate: mm of the curve for each mm of the line. facing: how frames
    are carried. scale: what is across grows by a factor at shares of the way to `high`. Past the ends of an open curve it
    goes straight on; round a closed one it goes round again.
    """

    axes: Axes
    low: float
    high: float
    curve: NurbsCurve
    begins: float = 0.0
    rate: float = 1.0
    facing: Facing = "turned with it"
    scale: Callable[[Floats], Floats] = field(default=lambda shares: np.ones_like(shares))

    @property
    def placement(self) -> Placement | None:
        """None: it bends straight lines."""
        return None

    @cached_property
    def arc(self) -> ArcLength:
        """The table of the curve's length."""
        return measure_length(self.curve)

    @cached_property
    def _table(self) -> scipy.interpolate.CubicHermiteSpline:
        """Parameters by length, between places that are exact: even ones, and the curve's own breaks."""
        even = np.linspace(0.0, self.arc.length, TABLE + 1)
        nodes = np.unique(np.concatenate((even, self.arc.at_params(self.curve.breaks[1:-1]))))
        nodes = nodes[np.concatenate(([True], np.diff(nodes) > 1e-9 * self.arc.length))]
        params = self.arc.to_params(nodes)
        speed = lengths(curve_derivatives(self.curve, params, 1)[1])
        return scipy.interpolate.CubicHermiteSpline(nodes, params, 1 / np.maximum(speed, 1e-12 * self.arc.length))

    def _params(self, way: Floats) -> Floats:
        """Return the parameters (n,) of the curve at lengths (n,) in mm; of very many by a table."""
        if len(way) <= TABLE:
            return self.arc.to_params(way)
        return np.clip(self._table(way), *self.curve.domain)

    def apply(self, points: Floats) -> Floats:
        """Return where points (n, 3) go."""
        up, beside, along = self.axes.inside(points).T
        factor = self.scale(np.clip((along - self.low) / max(self.high - self.low, 1e-300), 0.0, 1.0))
        way = self.begins + self.rate * (along - self.low)
        whole = self.arc.length
        at = np.mod(way, whole) if self.curve.is_closed(CLOSED) else np.clip(way, 0.0, whole)
        beyond = np.zeros_like(way) if self.curve.is_closed(CLOSED) else way - at
        # Places share their heights: a mesh has few of them, and each is looked up once.
        heights, which = np.unique(np.round(at / whole, 12) * whole, return_inverse=True)
        places, frames = frames_along(self.curve, self._params(np.clip(heights, 0.0, whole)), self.facing)
        places, frames = places[which], frames[which]
        return (
            places
            + beyond[:, None] * frames[:, :, 0]
            + (factor * beside)[:, None] * -frames[:, :, 1]
            + (factor * up)[:, None] * frames[:, :, 2]
        )


@dataclass(frozen=True, eq=False)
class FromCurve:
    """What lies along an open curve laid along the third of some axes from their origin on: `AlongCurve` taken back.

    A point is laid by the place of the curve that it is square to: the nearest one, and upright along it the one beside that
    as it is seen from above. Past its ends a curve goes straight on.
    """

    axes: Axes
    curve: NurbsCurve
    facing: Facing = "turned with it"

    @property
    def placement(self) -> Placement | None:
        """None: it bends straight lines."""
        return None

    @cached_property
    def _foot(self) -> NurbsCurve:
        """The curve that a point is square to: upright along it, as it is seen from above."""
        if self.facing == "turned with it":
            return self.curve
        flat = self.curve.control_points * [1.0, 1.0, 0.0]
        return NurbsCurve(self.curve.degree, self.curve.knots, flat, self.curve.weights)

    def feet(self, points: Floats) -> tuple[Floats, Floats, Floats]:
        """Return the parameters (n,) at which points (n, 3) are laid, and the curve's points (n, 3) and frames (n, 3, 3)."""
        params, _ = closest_params(self.curve, points)
        if self.facing != "turned with it":  # the nearest from there on: a path may lie over itself, seen from above
            params, _ = closest_params(self._foot, points * [1.0, 1.0, 0.0], params)
        params = self._squared(params, points)
        order = np.argsort(params)
        places, frames = frames_along(self.curve, params[order], self.facing)
        back = np.argsort(order)
        return params, places[back], frames[back]

    def _squared(self, params: Floats, points: Floats) -> Floats:
        """Return parameters (n,) one step of Newton's on: distances tell a place to half of their digits alone."""
        place, slope, bend = curve_derivatives(self._foot, params, 2)
        seen = points if self._foot is self.curve else points * [1.0, 1.0, 0.0]
        pull, plain = ((place - seen) * slope).sum(axis=1), (slope * slope).sum(axis=1)
        full = plain + ((place - seen) * bend).sum(axis=1)
        step = np.divide(pull, full, out=np.zeros_like(pull), where=full > NEVER * plain)
        near = np.abs(step) < NEAR * (self.curve.domain[1] - self.curve.domain[0])
        return np.clip(np.where(near, params - step, params), *self.curve.domain)

    def apply(self, points: Floats) -> Floats:
        """Return where points (n, 3) go."""
        params, places, frames = self.feet(points)
        along, beside, up = np.einsum("nij,ni->jn", frames, points - places)
        return self.axes.outside(np.column_stack((up, -beside, measure_length(self.curve).at_params(params) + along)))

    def jumps(self, points: Floats, pairs: AnyInts) -> int:
        """Return how many pairs (k, 2) of points (n, 3) that lie beside each other are torn apart along the curve: what lies
        farther inside a bend than the middle of its circle belongs to no one place of it.
        """
        params, _, _ = self.feet(points)
        along = measure_length(self.curve).at_params(params)[pairs]
        apart = lengths(points[pairs[:, 1]] - points[pairs[:, 0]])
        return int((np.abs(along[:, 1] - along[:, 0]) > TORN * apart).sum())
