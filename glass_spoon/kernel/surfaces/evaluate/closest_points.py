"""The closest points of a surface to given points, by damped Newton steps from near parameters.

cap                A search keeps to one part between sharp edges, whose borders it slides along: beside a rim the
o-----o  . point     face on either side may hold a minimum of its own. Where a foot comes to lie on such a border
|              the parts that may come nearer are searched too, and the nearest of all counts.
| wall
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import lru_cache
from itertools import pairwise

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Bools, Floats, Ints, lengths
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import grid_points, surface_derivatives
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.evaluate.surface_parts import SurfacePart, surface_parts

STEPS = 40
"""Most steps of one search; nearly all points settle in three."""

SETTLED = 1e-9
"""A foot that moves by less than this share of the surface's size has settled."""

KEPT = 48
"""Surfaces whose grids of places are kept: more than the sides of the bodies that one line joins."""

Feet = tuple[Floats, Floats, Floats, Floats]
"""u (n,), v (n,), distance (n,) and places (n, 3) in mm."""


def closest_points(
    surface: NurbsSurface, points: Floats, start: tuple[Floats, Floats] | None = None, tolerance: float | None = None
) -> tuple[Floats, Floats, Floats]:
    """Return u (n,), v (n,) and the distance (n,) in mm of the closest surface points to points (n, 3).

    `start` gives near parameters u (n,), v (n,); without it the nearest of a fine grid is taken. Steps end when the foot
    moves by less than `tolerance` mm, SETTLED of the surface's size where none is given. The distance is that of the
    nearest minimum to the start: true unless another sheet of the surface passes closer. The NURBS Book, section 6.1
    (equations 6.4 to 6.7), steps damped, and without the second-order terms where those would lead to a maximum.
    """
    return closest_feet(surface, points, start, SETTLED * surface.size if tolerance is None else tolerance)[:3]


def closest_feet(surface: NurbsSurface, points: Floats, start: tuple[Floats, Floats] | None, tolerance: float) -> Feet:
    """Return what `closest_points` does, and the places (n, 3) in mm on the surface."""
    parts = surface_parts(surface)
    u, v = start if start is not None else _Samples.of(surface).nearest(points, None)
    owner = _owners(surface, parts, u, v)
    feet = _search(surface, parts, points, (u, v, owner), tolerance)
    if len(parts) > 1:
        _ask_others(surface, parts, points, feet, owner, everywhere=start is None, tolerance=tolerance)
    return feet


def _ask_others(
    surface: NurbsSurface,
    parts: tuple[SurfacePart, ...],
    points: Floats,
    feet: Feet,
    owner: Ints,
    *,
    everywhere: bool,
    tolerance: float,
) -> None:
    """Search the parts that may come nearer than a foot, for all or for those that lie on a border; the nearest stays."""
    u, v, distance, _ = feet
    asked = np.flatnonzero(distance > tolerance)
    if not everywhere:
        asked = asked[_at_border(parts, u[asked], v[asked], owner[asked])]
    if not len(asked):
        return
    samples = _Samples.of(surface)
    for number, part in enumerate(parts):
        own = asked[(owner[asked] != number) & (part.apart(points[asked]) < distance[asked] - tolerance)]
        if len(own):
            start = (*samples.nearest(points[own], part), np.full(len(own), number))
            other = _search(surface, parts, points[own], start, tolerance)
            better = other[2] < distance[own]
            for found, new in zip(feet, other, strict=True):
                found[own[better]] = new[better]


def _owners(surface: NurbsSurface, parts: tuple[SurfacePart, ...], u: Floats, v: Floats) -> Ints:
    """Return the part (n,) that holds each pair of parameters."""
    if len(parts) == 1:
        return np.zeros(len(u), dtype=np.int64)
    us, vs = (np.unique([low for low, _ in ranges]) for ranges in ([part.u for part in parts], [part.v for part in parts]))
    row = np.clip(np.searchsorted(us, u, "right") - 1, 0, len(us) - 1)
    column = np.clip(np.searchsorted(vs, v, "right") - 1, 0, len(vs) - 1)
    return np.asarray(row * len(vs) + column)


def _at_border(parts: tuple[SurfacePart, ...], u: Floats, v: Floats, owner: Ints) -> Bools:
    """Mark feet on the border of their part."""
    result = np.zeros(len(u), dtype=bool)
    for values, ranges in ((u, [part.u for part in parts]), (v, [part.v for part in parts])):
        low, high = np.array(ranges)[owner].T
        result |= np.minimum(values - low, high - values) < 1e-9 * (high - low)
    return result


def _search(
    surface: NurbsSurface,
    parts: tuple[SurfacePart, ...],
    points: Floats,
    start: tuple[Floats, Floats, Ints],
    tolerance: float,
) -> Feet:
    """Return the nearest minimum to each start (u, v, part) within its part; see `closest_points`."""
    bounds = tuple(_Bounds.of(parts, start[2], axis) for axis in (0, 1))
    u, v = bounds[0].inside(start[0]), bounds[1].inside(start[1])
    active = np.arange(len(points))
    distance, places = np.full(len(points), np.inf), np.empty((len(points), 3))
    damping = np.full(len(points), 1e-9)
    step_u, step_v = np.zeros(len(points)), np.zeros(len(points))
    for _ in range(STEPS):
        if not len(active):
            break
        here = bounds[0].take(active), bounds[1].take(active)
        try_u, try_v = here[0].inside(u[active] + step_u[active]), here[1].inside(v[active] + step_v[active])
        values = surface_derivatives(surface, try_u, try_v, 2)
        offset = points[active] - values[0, 0]
        size = lengths(offset)
        better = size <= distance[active]
        gain = distance[active] - size
        taken = active[better]
        u[taken], v[taken], distance[taken] = try_u[better], try_v[better], size[better]
        places[taken] = values[0, 0][better]
        damping[active] = np.where(better, np.maximum(damping[active] * 0.1, 1e-9), damping[active] * 100 + 1e-3)
        new_u, new_v, moved = _solve_step((try_u, try_v), values, offset, damping[active], here)
        step_u[active] = np.where(better, new_u, step_u[active] / 4)
        step_v[active] = np.where(better, new_v, step_v[active] / 4)
        settled = better & ((moved <= tolerance) | ((gain >= 0) & (gain <= 1e-3 * tolerance)))
        active = active[~settled & (damping[active] < 1e6)]
    return u, v, distance, places


@dataclass(frozen=True, eq=False)
class _Bounds:
    """The ranges of one parameter: low (n,), high (n,), whether it comes back to its start there (wraps), and its domain."""

    low: Floats
    high: Floats
    wraps: bool
    whole: float

    @classmethod
    def of(cls, parts: tuple[SurfacePart, ...], owner: Ints, axis: int) -> _Bounds:
        """Return the ranges of the parts of points."""
        ranges = np.array([part.u if axis == 0 else part.v for part in parts])
        low, high = ranges[owner].T
        inner = high < ranges.max()
        # A hair inside: on the border itself the derivatives would be those of the next part.
        return cls(low, np.where(inner, high - 1e-12 * (high - low), high), parts[0].wraps[axis], float(np.ptp(ranges)))

    def take(self, points: Ints) -> _Bounds:
        """Return the ranges of some points."""
        return _Bounds(self.low[points], self.high[points], self.wraps, self.whole)

    def inside(self, params: Floats) -> Floats:
        """Wrap parameters, or clip them."""
        return self.low + (params - self.low) % self.whole if self.wraps else np.clip(params, self.low, self.high)


def _solve_step(
    at: tuple[Floats, Floats],
    values: dict[tuple[int, int], Floats],
    offset: Floats,
    damping: Floats,
    bounds: tuple[_Bounds, _Bounds],
) -> tuple[Floats, Floats, Floats]:
    """Return the step in u and v (n,) and the length (n,) in mm that the foot would move.

    A step that leaves the border of a part slides along it.
    """
    along_u, along_v = values[1, 0], values[0, 1]
    a, b, c = (np.einsum("ij,ij->i", x, y) for x, y in ((along_u, along_u), (along_u, along_v), (along_v, along_v)))
    bent = [plain - np.einsum("ij,ij->i", offset, values[key]) for plain, key in ((a, (2, 0)), (b, (1, 1)), (c, (0, 2)))]
    convex = (bent[0] > 1e-6 * a) & (bent[2] > 1e-6 * c) & (bent[0] * bent[2] - bent[1] ** 2 > 1e-6 * a * c)
    a, b, c = (np.where(convex, full, plain) for full, plain in zip(bent, (a, b, c), strict=True))
    right_u, right_v = np.einsum("ij,ij->i", along_u, offset), np.einsum("ij,ij->i", along_v, offset)
    a, c = a * (1 + damping) + 1e-300, c * (1 + damping) + 1e-300
    for axis, right in ((0, right_u), (1, right_v)):
        own = bounds[axis]
        if not own.wraps:
            stuck = ((at[axis] <= own.low) & (right < 0)) | ((at[axis] >= own.high) & (right > 0))
            right[stuck], b = 0.0, np.where(stuck, 0.0, b)
    det = np.maximum(a * c - b * b, 1e-14 * a * c)
    du, dv = (c * right_u - b * right_v) / det, (a * right_v - b * right_u) / det
    # Steps keep within a quarter of the domain.
    du, dv = (np.clip(step, -own.whole / 4, own.whole / 4) for step, own in zip((du, dv), bounds, strict=True))
    return du, dv, lengths(du[:, None] * along_u + dv[:, None] * along_v)


@dataclass(frozen=True, eq=False)
class _Samples:
    """A grid of places on a surface: u (m,), v (k,), places (m, k, 3) in mm."""

    us: Floats
    vs: Floats
    places: Floats
    _trees: dict[tuple[float, float, float, float] | None, tuple[Floats, Floats, scipy.spatial.cKDTree]] = field(
        default_factory=dict
    )

    @staticmethod
    @lru_cache(maxsize=KEPT)
    def of(surface: NurbsSurface) -> _Samples:
        """Return a grid of twelve places a knot span."""
        us, vs = (_sample_params(surface, axis, 12) for axis in (0, 1))
        return _Samples(us, vs, grid_points(surface, us, vs))

    def nearest(self, points: Floats, part: SurfacePart | None) -> tuple[Floats, Floats]:
        """Return the parameters (n,), (n,) of the nearest places to points (n, 3), of one part where it is given."""
        us, vs, tree = self._tree(part)
        _, index = tree.query(points)
        return us[index // len(vs)], vs[index % len(vs)]

    def _tree(self, part: SurfacePart | None) -> tuple[Floats, Floats, scipy.spatial.cKDTree]:
        """Return the parameters (m,), (k,) of the places of one part or of all, and the tree of these."""
        key = None if part is None else (*part.u, *part.v)
        if key not in self._trees:
            rows, columns = slice(None), slice(None)
            if part is not None:
                rows, columns = _within(self.us, part.u), _within(self.vs, part.v)
            places = self.places[rows, columns].reshape(-1, 3)
            self._trees[key] = (self.us[rows], self.vs[columns], scipy.spatial.cKDTree(places))
        return self._trees[key]


def _within(params: Floats, limits: tuple[float, float]) -> slice:
    """Return where rising parameters lie strictly between two others."""
    return slice(int(np.searchsorted(params, limits[0], "right")), int(np.searchsorted(params, limits[1], "left")))


def nearest_grid(surface: NurbsSurface, count: int) -> tuple[Floats, Floats, Floats]:
    """Return parameters u (n,), v (n,) and places (n, 3) of a grid of about `count` places each way, without poles."""
    per_span = [max(2, count // max(1, len(np.unique(surface.knots[axis])) - 1)) for axis in (0, 1)]
    us, vs = (_sample_params(surface, axis, per_span[axis]) for axis in (0, 1))
    places = grid_points(surface, us, vs).reshape(-1, 3)
    return np.repeat(us, len(vs)), np.tile(vs, len(us)), places


def _sample_params(surface: NurbsSurface, axis: int, per_span: int) -> Floats:
    """Return parameters along an axis, without poles: from there a search cannot tell which way to go."""
    spans = [np.linspace(a, b, per_span + 1) for a, b in pairwise(surface.knots[axis]) if b > a]
    params = np.unique(np.concatenate(spans))
    tolerance = 1e-9 * surface.size
    first = 1 if surface.is_pole(axis, 0, tolerance) else 0
    last = len(params) - 1 if surface.is_pole(axis, -1, tolerance) else len(params)
    return params[first:last]
