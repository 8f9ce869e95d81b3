"""The boundary curves of faces as edges of one net: parted where others end on them, and which of them are one."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from itertools import pairwise

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats, Ints, lengths
from glass_spoon.kernel.curves.alter.edit_knots import trim_curve
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_derivatives
from glass_spoon.kernel.groups import joined_groups
from glass_spoon.kernel.remembered import Remembered
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_derivatives
from glass_spoon.kernel.trims.face import Face, FaceSet, inner_places

INTERVALS = 64
"""Intervals of an edge by which its length is told, where its knots do not ask for more."""

NEWTON, SETTLED = 4, 1e-10
"""Most steps to the parameter of a length, and the share of it that is near enough."""

GAUSS = np.polynomial.legendre.leggauss(6)
"""Places and weights of the quadrature in each."""

AROUND = 1.5
"""How far along an edge the nearest place to a vertex is sought, against how far its nearest known place is from it."""

COMPARED = np.array([0.23, 0.5, 0.77])
"""Shares of the length at which edges between the same ends are held against each other."""


@dataclass(frozen=True, eq=False)
class Use:
    """A piece of the boundary of a face, as its loop runs. params, totals (n,): lengths in mm up to its parameters."""

    owner: Face
    face: int
    loop: int
    curve: NurbsCurve
    params: Floats
    totals: Floats
    places: Floats

    @property
    def length(self) -> float:
        """Its length in mm."""
        return float(self.totals[-1])

    @cached_property
    def compared(self) -> Floats:
        """Places (3, 3) in mm at COMPARED shares of the length."""
        return self.owner.edge_points(self.curve, self.at_shares(COMPARED))

    def at_shares(self, shares: Floats) -> Floats:
        """Return parameters at shares of its length."""
        wanted = shares * self.length
        interval = np.clip(np.searchsorted(self.totals, wanted, side="right") - 1, 0, len(self.params) - 2)
        low, high = self.params[interval], self.params[interval + 1]
        found = np.interp(wanted, self.totals, self.params)
        for _ in range(NEWTON):
            half = (found - low)[:, None] / 2
            inner = low[:, None] + half * (1 + GAUSS[0])
            speeds = _speeds(self.owner, self.curve, inner.ravel()).reshape(inner.shape)
            run = self.totals[interval] + (speeds * GAUSS[1] * half).sum(axis=1)
            if float(np.abs(run - wanted).max()) < SETTLED * self.length:
                break
            speed = np.maximum(_speeds(self.owner, self.curve, found), 1e-300)
            found = np.clip(found - (run - wanted) / speed, low, high)
        return np.asarray(found)


@dataclass(frozen=True, eq=False)
class Edges:
    """The edges of a set of faces. uses: in the order of faces and loops, poles left out. vertices (v, 3) mm.

    ends (uses, 2): the vertices of each use. edge (uses,): which edge each is; backwards (uses,): whether it runs against
    the first use of its edge. first (edges,): the first use of each. gap: the largest distance in mm between uses of one.
    """

    uses: tuple[Use, ...]
    vertices: Floats
    ends: Ints
    edge: Ints
    backwards: np.ndarray
    first: Ints
    gap: float

    @property
    def open_uses(self) -> Ints:
        """The uses that no other meets."""
        times = np.bincount(self.edge, minlength=len(self.first))
        return np.flatnonzero(times[self.edge] == 1)


def find_edges(shape: FaceSet) -> Edges:
    """Return the edges of faces: within the tolerance of each other they are one."""
    whole = [
        _measured(face, number, k, curve)
        for number, face in enumerate(shape.faces)
        for k, loop in enumerate(face.loops)
        for curve in loop
    ]
    tolerance = max(shape.tolerance, 1e-300)
    whole = [use for use in whole if use.length > tolerance]
    ends = np.concatenate([use.places[[0, -1]] for use in whole])
    vertices, _ = _merged(ends, tolerance)
    uses = [piece for use in whole for piece in _parted(shape.faces[use.face], use, vertices, tolerance)]
    ends = np.concatenate([use.places[[0, -1]] for use in uses])
    vertices, number = _merged(ends, tolerance)
    pairs = number.reshape(-1, 2)
    edge, backwards, first, gap = np.full(len(uses), -1), np.zeros(len(uses), dtype=bool), list[int](), 0.0
    beside: dict[tuple[int, int], list[int]] = {}
    for k, use in enumerate(uses):
        a, b = int(pairs[k, 0]), int(pairs[k, 1])
        key = (min(a, b), max(a, b))
        places = use.compared
        for one in beside.get(key, []):
            other = uses[first[one]]
            theirs = other.compared
            ahead, back = (float(lengths(places - row).max()) for row in (theirs, theirs[::-1]))
            if min(ahead, back) <= tolerance * 2:
                edge[k], backwards[k] = one, back < ahead
                gap = max(gap, min(ahead, back))
                break
        else:
            edge[k] = len(first)
            beside.setdefault(key, []).append(len(first))
            first.append(k)
    return Edges(tuple(uses), vertices, pairs, edge, backwards, np.array(first), gap)


def even_places(shape: FaceSet, count: int = 17) -> Floats:
    """Return places (n, 3) in mm on faces: evenly along each boundary curve, whatever its parameter does, and inside."""
    shares = np.linspace(0.0, 1.0, count)
    found = []
    for number, face in enumerate(shape.faces):
        for k, loop in enumerate(face.loops):
            for curve in loop:
                use = _measured(face, number, k, curve)
                found.append(face.edge_points(curve, use.at_shares(shares)) if use.length > 0 else use.places[:1])
        found.append(inner_places(face))
    return np.concatenate(found)


def connected_parts(shape: FaceSet) -> list[FaceSet]:
    """Return the faces in sets of those that hang together by shared edges."""
    edges = find_edges(shape)
    first, second = list[int](), list[int]()
    for edge in range(len(edges.first)):
        own = [edges.uses[k].face for k in np.flatnonzero(edges.edge == edge)]
        for a, b in pairwise(own):
            first.append(a)
            second.append(b)
    group = joined_groups(first, second, len(shape.faces))
    every = [np.flatnonzero(group == number) for number in np.unique(group)]
    return [replace(shape, faces=tuple(shape.faces[k] for k in own)) for own in every]


def _measured(face: Face, number: int, loop: int, curve: NurbsCurve) -> Use:
    """Measure a boundary curve, once for each that is the same on the same surface."""
    known = _uses.get((face.surface.key, curve.key), lambda: _measure(face, number, loop, curve))
    if (known.face, known.loop) == (number, loop):
        return known
    other = replace(known, face=number, loop=loop)
    if "compared" in known.__dict__:
        other.__dict__["compared"] = known.compared
    return other


_uses: Remembered[Use] = Remembered(4_000)
"""Boundary curves that were measured, by their content."""


def _measure(face: Face, number: int, loop: int, curve: NurbsCurve) -> Use:
    """Measure a boundary curve by Gauss' quadrature between its knots, and those of the surface that a line crosses."""
    breaks = _breaks(face, curve)
    per = max(1, INTERVALS // (len(breaks) - 1))
    params = np.unique(np.concatenate([np.linspace(a, b, per + 1) for a, b in pairwise(breaks)]))
    half = np.diff(params) / 2
    inner = (params[:-1] + half)[:, None] + half[:, None] * GAUSS[0]
    steps = (_speeds(face, curve, inner.ravel()).reshape(inner.shape) * GAUSS[1]).sum(axis=1) * half
    steps = np.maximum(steps, 1e-12 * max(float(steps.sum()), 1e-300))
    totals = np.concatenate(([0.0], np.cumsum(steps)))
    return Use(face, number, loop, curve, params, totals, face.edge_points(curve, params))


def _breaks(face: Face, curve: NurbsCurve) -> Floats:
    """Return the parameters (n,) between which a boundary curve is smooth in space."""
    found = [np.unique(curve.knots)]
    if curve.degree == 1 and len(curve.control_points) == 2:
        low, high = curve.domain
        ends = curve.control_points[:, :2]
        for axis in (0, 1):
            way = ends[1, axis] - ends[0, axis]
            if way:
                shares = (np.unique(face.surface.knots[axis]) - ends[0, axis]) / way
                found.append(low + shares[(shares > 1e-9) & (shares < 1 - 1e-9)] * (high - low))
    return np.unique(np.concatenate(found))


def _speeds(face: Face, curve: NurbsCurve, params: Floats) -> Floats:
    """Return the speeds (n,) in mm of a boundary curve in space."""
    at, way = (value[:, :2] for value in curve_derivatives(curve, params, 1))
    bounds = [face.surface.domain(axis) for axis in (0, 1)]
    u, v = (np.clip(at[:, axis], *bounds[axis]) for axis in (0, 1))
    values = surface_derivatives(face.surface, u, v, 1)
    return lengths(values[1, 0] * way[:, :1] + values[0, 1] * way[:, 1:])


def _merged(places: Floats, tolerance: float) -> tuple[Floats, Ints]:
    """Return places with those within a tolerance made one, and the number of each."""
    pairs = scipy.spatial.cKDTree(places).query_pairs(tolerance, output_type="ndarray")
    number = joined_groups(pairs[:, 0], pairs[:, 1], len(places))
    count = int(number.max()) + 1
    sums = np.stack([np.bincount(number, column, count) for column in places.T], axis=1)
    return sums / np.bincount(number, minlength=count)[:, None], number


def _windows(use: Use, vertices: Ints, near: Ints, reach: Floats) -> tuple[Ints, Floats, Floats]:
    """Return where along a use vertices (n,) are sought that are nearest to places of it: (m,), from and to params (m,).

    As far as the neighbours of those places and some mm along it; on both sides of the end of one that is closed.
    """
    last, here = len(use.params) - 1, use.totals[near]
    low = np.minimum(use.totals[np.maximum(near - 1, 0)], here - reach)
    high = np.maximum(use.totals[np.minimum(near + 1, last)], here + reach)
    if lengths(use.places[-1:] - use.places[0])[0] <= float(reach.min()):
        over, under = high >= use.length, low <= 0.0
        step = np.maximum(high - low, max(use.totals[1], use.length - use.totals[-2]))
        vertices = np.concatenate((vertices, vertices[over], vertices[under]))
        ends = use.length + np.zeros(int(under.sum()))
        low, high = (
            np.concatenate((low, 0 * step[over], ends - step[under])),
            np.concatenate((high, step[over], ends)),
        )
    return vertices, np.interp(low, use.totals, use.params), np.interp(high, use.totals, use.params)


def _parted(face: Face, use: Use, vertices: Floats, tolerance: float) -> list[Use]:
    """Return the pieces of a use between the vertices that lie on it."""
    step = float(np.diff(use.totals).max())
    tree = scipy.spatial.cKDTree(use.places)
    away, near = (np.asarray(part) for part in tree.query(vertices, distance_upper_bound=step + tolerance))
    at_ends = lengths(use.places[[0, -1], None] - vertices).min(axis=0) <= 2 * tolerance
    inside = np.flatnonzero(np.isfinite(away) & ~at_ends)
    if not len(inside):
        return [use]
    inside, low, high = _windows(use, inside, near[inside], AROUND * (away[inside] + tolerance))
    own = np.arange(len(inside))
    for _ in range(12):
        tried = np.linspace(low, high, 9, axis=1)
        off = lengths(face.edge_points(use.curve, tried.ravel()).reshape(*tried.shape, 3) - vertices[inside, None])
        best = off.argmin(axis=1)
        low, high = tried[own, np.maximum(best - 1, 0)], tried[own, np.minimum(best + 1, 8)]
    stops = tried[own, best][off[own, best] <= tolerance].tolist()
    if not stops:
        return [use]
    bounds = [float(use.curve.domain[0]), *sorted(stops), float(use.curve.domain[1])]
    pieces = [trim_curve(use.curve, a, b) for a, b in pairwise(bounds) if b - a > 1e-12 * (bounds[-1] - bounds[0])]
    found = [_measured(face, use.face, use.loop, piece) for piece in pieces]
    return [one for one in found if one.length > tolerance]
