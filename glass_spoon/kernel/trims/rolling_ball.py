"""The round that a ball leaves where it rolls along two surfaces: rational arcs from one contact to the other.

The middle of the ball runs where parallels of both surfaces cross, so that the contacts are known by their parameters on
both (Rossignac and Requicha, Constant-radius blending in solid modelling, 1984).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.patches.fit_rows import DEGREE, Asked, fit_rows
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_points_normals
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface, surface_from_homogeneous
from glass_spoon.kernel.trims.cross_surfaces import Crossing

FITTED = 1e-8
"""Share of the size within which a round is fitted."""

ACROSS = np.array([0.0, 0.0, 0.0, 1.0, 1.0, 1.0])
"""Knots of an arc."""

STRAIGHT = np.array([0.0, 0.0, 1.0, 1.0])
"""Knots of a straight line."""


@dataclass(frozen=True, eq=False)
class Rolled:
    """A ball that rolls between two surfaces, where its middle runs, and its height over both: the radius in mm.

    flat: straight from contact to contact in place of an arc: a chamfer.
    """

    first: NurbsSurface
    second: NurbsSurface
    crossing: Crossing
    height: float
    flat: bool = False

    def contacts(self, params: Floats) -> tuple[Floats, Floats, Floats]:
        """Return the contacts on both surfaces and the middles, each (n, 3) in mm, at parameters of the crossing."""
        places = []
        for surface, run in ((self.first, self.crossing.first), (self.second, self.crossing.second)):
            at = curve_points(run, params)[:, :2]
            bounds = np.array([surface.domain(axis) for axis in (0, 1)]).T
            u, v = np.clip(at, *bounds).T
            place, normal = surface_points_normals(surface, u, v)
            places.append((place, normal))
        middles = (places[0][0] + places[1][0] + self.height * (places[0][1] + places[1][1])) / 2
        return places[0][0], places[1][0], middles

    def arcs(self, params: Floats) -> Floats:
        """Return arcs (n, 3, 4), or straight lines (n, 2, 4): weighted control points from contact to contact."""
        p, q, middle = self.contacts(params)
        one = np.ones((len(params), 1))
        if self.flat:
            return np.stack((np.hstack((p, one)), np.hstack((q, one))), axis=1)
        a, b = p - middle, q - middle
        cosine = np.einsum("ij,ij->i", a, b) / (lengths(a) * lengths(b))
        tip = middle + (a + b) / (1 + cosine)[:, None]
        weight = np.sqrt((1 + cosine) / 2)[:, None]
        return np.stack((np.hstack((p, one)), np.hstack((tip * weight, weight)), np.hstack((q, one))), axis=1)

    def round_between(self, low: float, high: float, *, ring: bool) -> tuple[NurbsSurface, float]:
        """Return the round between two parameters, and how far in mm it is off: along the crossing first, then across."""
        inner = self.crossing.curve.breaks
        inner = inner[(inner > low + 1e-9) & (inner < high - 1e-9)]
        rough = [knot for knot in inner if (np.abs(self.crossing.curve.knots - knot) < 1e-12).sum() >= DEGREE]
        corners = (np.array(rough) - low) / (high - low)

        def at(shares: Floats) -> Floats:
            arcs = self.arcs(low + shares * (high - low))
            # Weights of the middle are followed as a fourth row, in mm.
            weights = np.column_stack((arcs[:, 1, 3] * abs(self.height), np.zeros((len(shares), 2))))
            return np.stack((*(arcs[:, k, :3] for k in range(arcs.shape[1])), weights))

        near = FITTED * max(self.first.size, self.second.size)
        spans = max(1, round(len(inner) / max(1, len(corners) + 1)))
        fitted = fit_rows(Asked(at, np.array([0.0, 1.0]), corners, ring=ring and not len(corners)), near, spans)
        rows = fitted.control
        one = np.ones((rows.shape[1], 1))
        weights = [one, one] if self.flat else [one, rows[-1][:, :1] / abs(self.height), one]
        net = np.stack([np.hstack((row, weight)) for row, weight in zip(rows, weights, strict=False)], axis=1)
        return surface_from_homogeneous((DEGREE, len(weights) - 1), (fitted.knots, self._across), net), fitted.off

    @property
    def _across(self) -> Floats:
        """Knots from contact to contact."""
        return STRAIGHT if self.flat else ACROSS

    def height_at(self, param: float) -> float:
        """Return the radius in mm at a parameter, below 0 on the far side of the faces."""
        del param
        return self.height

    def end_arc(self, param: float) -> NurbsCurve:
        """Return the arc at a parameter."""
        arc = self.arcs(np.array([param]))[0]
        return NurbsCurve(len(arc) - 1, self._across, arc[:, :3] / arc[:, 3:], arc[:, 3])
