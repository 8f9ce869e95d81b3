"""An edge of two faces along which a ball rolls, by shares of its length."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Floats, directions
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_derivatives
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_derivatives
from glass_spoon.kernel.trims.edge_chains import Along
from glass_spoon.kernel.trims.seams import rough_knots, wrapped
from glass_spoon.kernel.trims.shared_edges import Use

BESIDE = 1e-9
"""Share of an edge beside its end at which it is asked there."""


@dataclass(frozen=True, eq=False)
class RolledEdge:
    """An edge along which a ball rolls: its uses by two faces, and where it lies along its chain.

    backwards: whether the second use runs against the first.
    """

    first: Use
    second: Use
    backwards: bool
    along: Along
    closed: bool

    @property
    def length(self) -> float:
        """Its length in mm."""
        return self.first.length

    @property
    def bends(self) -> list[float]:
        """The shares of its length at which its bend jumps, as from a line to an arc."""
        found = []
        for use, turned in ((self.first, False), (self.second, self.backwards)):
            shares = np.interp(rough_params(use), use.params, use.totals) / use.length
            found += (1 - shares if turned else shares).tolist()
        return [share for share in found if 1e-6 < share < 1 - 1e-6]

    def at(self, shares: Floats) -> tuple[Floats, Floats, Floats]:
        """Return places and unit directions, each (n, 3), and where both faces have them (n, 4), at shares of its length.

        Beyond its ends it goes straight on.
        """
        # A hair inside, as its surface may have a sharp edge at its end.
        inside = np.clip(shares, BESIDE, 1.0 - BESIDE)
        params = self.first.at_shares(inside)
        own, way = (value[:, :2] for value in curve_derivatives(self.first.curve, params, 1))
        surface = self.first.owner.surface
        own = wrapped(own, surface)
        values = surface_derivatives(surface, own[:, 0], own[:, 1], 1)
        along = directions(values[1, 0] * way[:, :1] + values[0, 1] * way[:, 1:])
        other = curve_derivatives(self.second.curve, self.second.at_shares(1 - inside if self.backwards else inside), 0)[0]
        starts = np.hstack((own, wrapped(other[:, :2], self.second.owner.surface)))
        return values[0, 0] + ((shares - inside) * self.length)[:, None] * along, along, starts


def rough_params(use: Use) -> Floats:
    """Return the parameters (n,) of a boundary curve at which it is only once smooth in space."""
    curve, surface = use.curve, use.owner.surface
    low, high = curve.domain
    found = [rough_knots(curve.knots, curve.degree)]
    if curve.degree == 1 and len(curve.control_points) == 2:
        ends = curve.control_points[:, :2]
        for axis in (0, 1):
            way = ends[1, axis] - ends[0, axis]
            if way:
                shares = (rough_knots(surface.knots[axis], surface.degrees[axis]) - ends[0, axis]) / way
                found.append(low + shares[(shares > 0) & (shares < 1)] * (high - low))
    return np.concatenate(found)
