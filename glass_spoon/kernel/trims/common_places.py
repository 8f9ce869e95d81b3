"""Places that two surfaces, or their parallels, have in common, by Newton steps of all places at once."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, cross, lengths
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_derivatives
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface

STEPS = 20
"""Most Newton steps."""

NEAR = 1e-11
"""Share of the size within which places are one."""


@dataclass(frozen=True, eq=False)
class Parallel:
    """A surface, moved by a height in mm along its normals."""

    surface: NurbsSurface
    height: float = 0.0

    def at(self, params: Floats) -> tuple[Floats, Floats, Floats]:
        """Return places (n, 3) in mm and their derivatives along u and v, for params (n, 2).

        Those of a parallel by the derivatives of the normal (do Carmo, Differential Geometry, 1976, section 3.3).
        """
        u, v = params.T
        values = surface_derivatives(self.surface, u, v, 2 if self.height else 1)
        place, du, dv = values[0, 0], values[1, 0], values[0, 1]
        if not self.height:
            return place, du, dv
        over = cross(du, dv)
        size = np.maximum(lengths(over), 1e-300)[:, None]
        normal = over / size
        turned = []
        for way in (0, 1):
            change = cross(values[1 + (way == 0), int(way == 1)], dv) + cross(du, values[int(way == 0), 1 + (way == 1)])
            turned.append((change - np.einsum("ij,ij->i", change, normal)[:, None] * normal) / size)
        return place + self.height * normal, du + self.height * turned[0], dv + self.height * turned[1]

    @property
    def bounds(self) -> Floats:
        """The domain, low and high (2, 2)."""
        return np.array([self.surface.domain(0), self.surface.domain(1)]).T


@dataclass(frozen=True, eq=False)
class Guide:
    """Planes (places, unit ways, each (n, 3)) in which places are sought, so that they come evenly along a curve."""

    places: Floats
    ways: Floats


def common_places(
    first: Parallel, second: Parallel, params: Floats, held: Bools | None = None, guide: Guide | None = None
) -> tuple[Floats, Floats, Bools]:
    """Return parameters (n, 4) of places in common near params (n, 4), the places (n, 3) in mm, and which were reached.

    Steps are the shortest in space, or within planes of a guide. held (n, 4): parameters that stay.
    """
    bounds = np.hstack((first.bounds, second.bounds))
    params = np.clip(params, *bounds)
    size = max(first.surface.size, second.surface.size)
    free = np.ones(params.shape, dtype=bool) if held is None else ~held
    going = np.arange(len(params))
    gap = np.full(len(params), np.inf)
    for _ in range(STEPS):
        now = params[going]
        (p, pu, pv), (q, qu, qv) = first.at(now[:, :2]), second.at(now[:, 2:])
        slopes = np.stack((pu, pv, -qu, -qv), axis=2)
        missing = q - p
        gap[going] = lengths(missing)
        if guide is not None:
            ways = guide.ways[going]
            along = np.einsum("ij,ijk->ik", ways, np.stack((pu, pv, np.zeros_like(qu), np.zeros_like(qv)), axis=2))
            slopes = np.concatenate((slopes, along[:, None]), axis=1)
            missing = np.column_stack((missing, np.einsum("ij,ij->i", ways, guide.places[going] - p)))
        steps = _shortest(np.where(free[going][:, None], slopes, 0.0), missing)
        moved = np.clip(now + steps, *bounds)
        params[going] = moved
        change = np.abs(moved - now) / np.ptp(bounds, axis=0)
        going = going[(change.max(axis=1) > 1e-15) & (lengths(missing) > 1e-15 * size)]
        if not len(going):
            break
    places, others = first.at(params[:, :2])[0], second.at(params[:, 2:])[0]
    return params, (places + others) / 2, np.asarray(lengths(places - others) <= NEAR * max(size, 1e-300) * 1e2)


def _shortest(slopes: Floats, missing: Floats) -> Floats:
    """Return the least steps (n, 4), by their lengths in space, that make up what is missing (n, k) to first order."""
    sizes = np.maximum(np.linalg.norm(slopes[:, :3], axis=1), 1e-300)
    even = slopes / sizes[:, None]
    even[~np.isfinite(even)] = 0.0
    square = even @ even.swapaxes(1, 2)
    square += 1e-13 * np.eye(square.shape[1])
    solved = np.linalg.solve(square, missing[..., None])
    return np.asarray((even.swapaxes(1, 2) @ solved)[..., 0] / sizes)
