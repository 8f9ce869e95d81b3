"""A chain of places brought onto both surfaces that cross there, and parted where they touch."""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import pairwise, product

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, Ints, cross, directions, lengths
from glass_spoon.kernel.surfaces.evaluate.closest_points import closest_points
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_points_normals
from glass_spoon.kernel.trims.common_places import Parallel, common_places
from glass_spoon.kernel.trims.net_crossings import Chain

TOUCHING = 0.3
"""Sine of the angle between two surfaces below which it is asked whether they touch there."""

TOUCHED = 1e-4
"""That sine where they do."""

NARROW = 0.02
"""Places nearer together than this share of the usual step are one."""

FEW = 12
"""Knots of C2 are minded where they are no more than these."""

POINT = 1e-9
"""A way shorter than this share of its places is none."""

POLE, ON_POLE = 1e-9, 1e-8
"""Shares of the size within which an edge is one point, and within which the other surface runs through it."""

STEPS = 30
"""Most steps to a place where surfaces touch."""


@dataclass(frozen=True, eq=False)
class Way:
    """Exact places in order: params (n, 4), places (n, 3) mm; rough (n,): those on knots where a surface is not smooth
    enough for one spline. touching: whether surfaces touch at its ends.
    """

    params: Floats
    places: Floats
    rough: Bools
    closed: bool
    touching: tuple[bool, bool] = (False, False)

    @property
    def step(self) -> float:
        """The mean distance in mm from place to place; some come in pairs a hair apart."""
        return float(lengths(np.diff(self.places, axis=0)).mean())

    def part(self, rows: Ints) -> Way:
        """Return the places of some rows as an open way."""
        return Way(self.params[rows], self.places[rows], self.rough[rows], closed=False)

    def smooth_parts(self) -> list[Way]:
        """Return the ways between rough places; a closed one starts at the first of them."""
        if self.closed and self.rough[:-1].any():
            start = int(np.flatnonzero(self.rough)[0])
            rows = np.roll(np.arange(len(self.places) - 1), -start)
            return self.part(np.append(rows, rows[0])).smooth_parts()
        stops = [0, *(np.flatnonzero(self.rough[1:-1]) + 1).tolist(), len(self.places) - 1]
        return [self] if len(stops) == 2 else [self.part(np.arange(a, b + 1)) for a, b in pairwise(stops)]


def exact_ways(first: Parallel, second: Parallel, chain: Chain) -> list[Way]:
    """Return a chain on both surfaces, parted where they touch."""
    bounds = np.hstack((first.bounds, second.bounds))
    near = 1e-9 * np.ptp(bounds, axis=0)
    rough = np.zeros(chain.params.shape, dtype=bool)
    for column, (side, axis) in enumerate(product((first, second), (0, 1))):
        knots = rough_knots(side, axis)
        if len(knots):
            rough[:, column] = np.abs(chain.params[:, column, None] - knots).min(axis=1) < near[column]
    held = rough.copy()
    if not chain.closed:
        held[[0, -1]] |= np.abs(chain.params[[0, -1], None] - bounds).min(axis=1) < near
    start = np.where(
        held,
        chain.params,
        np.hstack([_feet(first, chain.places, chain.params[:, :2]), _feet(second, chain.places, chain.params[:, 2:])]),
    )
    params, places, reached = common_places(first, second, start, held)
    if not reached.all() and rough[~reached].any():  # no place on that knot: let it go where the curve is nearest
        again = np.flatnonzero(~reached)
        params[again], places[again], reached[again] = common_places(first, second, start[again])
        rough[again] = False
    whole = Way(params[reached], places[reached], np.asarray(rough[reached].any(axis=1)), chain.closed)
    if len(whole.params) < 2:
        return []
    sines = _sines(first, second, whole.params)
    if float(np.median(sines)) < TOUCHED * 10:
        return []  # they touch along a line, or lie on one another
    poles = _poles(first, second, whole)
    away = np.min([lengths(whole.places - pole.place) for pole in poles] or [np.full(len(sines), np.inf)], axis=0)
    sines = np.where(away < whole.step, 1.0, sines)  # no normal can be told there
    stops = [*poles, *_touches(first, second, whole, sines)]
    return [way for way in map(_apart, _parted(whole, stops)) if way is not None]


@dataclass(frozen=True, eq=False)
class _Stop:
    """A place at which a way is parted: beside which of its places, its params (4,), not a number where any will do, and
    where it is (3,). touching: whether surfaces touch there; else it is a pole.
    """

    near: int
    params: Floats
    place: Floats
    touching: bool


def _poles(first: Parallel, second: Parallel, way: Way) -> list[_Stop]:
    """Return the poles of either surface that a way runs through."""
    found = []
    for k, (side, other) in enumerate(((first, second), (second, first))):
        for axis, end in product((0, 1), (0, -1)):
            if not side.surface.is_pole(axis, end, POLE * side.surface.size):
                continue
            middle = np.mean(side.surface.domain(1 - axis))
            at = np.empty(2)
            at[axis], at[1 - axis] = side.surface.domain(axis)[end], middle
            point, normal = surface_points_normals(side.surface, at[:1], at[1:])
            place = point[0] + side.height * normal[0]
            away = lengths(way.places - place)
            if float(away.min()) > 1.5 * way.step:
                continue
            u, v, _ = closest_points(other.surface, place[None])
            foot, upright = surface_points_normals(other.surface, u, v)
            if float(lengths(foot[0] + other.height * upright[0] - place)) > ON_POLE * side.surface.size:
                continue
            params = np.empty(4)
            params[2 * k : 2 * k + 2], params[2 - 2 * k : 4 - 2 * k] = at, (u[0], v[0])
            params[2 * k + 1 - axis] = np.nan
            found.append(_Stop(int(away.argmin()), params, place, touching=False))
    return found


def _feet(side: Parallel, places: Floats, params: Floats) -> Floats:
    """Return the params (n, 2) of the feet of places (n, 3), near given ones: those between the corners of a cell may be far
    from the place.
    """
    low, high = side.bounds
    u, v, _ = closest_points(side.surface, places, (params[:, 0], params[:, 1]))
    moved = np.column_stack((u, v)) - params
    over = np.abs(moved) > 0.5 * (high - low)  # to the other side of a seam
    moved = np.where(over, 0.0, moved)
    return np.clip(params + moved, low, high)


def rough_knots(side: Parallel, axis: int) -> Floats:
    """Return inner knots of a surface at which it is less than C3; those of C2 only where they are few."""
    degree = side.surface.degrees[axis]
    values, times = np.unique(side.surface.knots[axis][degree + 1 : -degree - 1], return_counts=True)
    smooth = degree - times
    rough: Bools = smooth < (3 if (smooth < 3).sum() <= FEW else 2)
    return np.asarray(values[rough])


def _apart(way: Way) -> Way | None:
    """Return a way without places that lie beside each other, None where nothing is left; rough ones stay before others."""
    steps = lengths(np.diff(way.places, axis=0))
    if not len(steps) or float(np.ptp(way.places, axis=0).max()) <= POINT * float(np.abs(way.places).max()):
        return None
    least = NARROW * way.step
    kept: list[int] = []
    for k in range(len(way.places)):
        if kept and lengths(way.places[k] - way.places[kept[-1]]) <= least:
            last = k == len(way.places) - 1
            if not last and (kept[-1] == 0 or not way.rough[k] or way.rough[kept[-1]]):
                continue
            if kept[-1] == 0:
                continue
            kept.pop()
        kept.append(k)
    if len(kept) < 2 or (way.closed and len(kept) < 4):
        return None
    return Way(way.params[kept], way.places[kept], way.rough[kept], way.closed, way.touching)


def _normals(side: Parallel, params: Floats) -> Floats:
    """Return unit normals (n, 3)."""
    _, du, dv = side.at(params)
    return directions(cross(du, dv))


def _sines(first: Parallel, second: Parallel, params: Floats) -> Floats:
    """Return the sines (n,) of the angles at which surfaces cross."""
    return lengths(cross(_normals(first, params[:, :2]), _normals(second, params[:, 2:])))


def _touches(first: Parallel, second: Parallel, way: Way, sines: Floats) -> list[_Stop]:
    """Return the places along a way at which surfaces touch; sines (n,): of the angles between them."""
    padded = np.concatenate(([np.inf], sines, [np.inf]))
    low: Ints = np.flatnonzero((sines < TOUCHING) & (sines <= padded[:-2]) & (sines <= padded[2:]))
    found: list[_Stop] = []
    for at in low.tolist():
        got = _touch_near(first, second, way.params[at])
        if got is None or lengths(got[1] - way.places[at]) > 3 * way.step:
            continue
        near = int(lengths(way.places - got[1]).argmin())
        if not any(lengths(got[1] - other.place) < NARROW * way.step for other in found):
            found.append(_Stop(near, *got, touching=True))
    return found


def _touch_near(first: Parallel, second: Parallel, params: Floats) -> tuple[Floats, Floats] | None:
    """Return the params (4,) and the place (3,) at which surfaces touch, found from near one; None where they do not.

    Gauss and Newton steps on: one place, and the first's normal square to the second's derivatives.
    """
    bounds = np.hstack((first.bounds, second.bounds))
    span = np.ptp(bounds, axis=0)
    size = max(first.surface.size, second.surface.size)

    def missing(at: Floats) -> Floats:
        (p, pu, pv), (q, qu, qv) = first.at(at[None, :2]), second.at(at[None, 2:])
        normal = directions(cross(pu, pv))[0]
        return np.concatenate(((p - q)[0] / size, [normal @ directions(qu)[0], normal @ directions(qv)[0]]))

    at = params.copy()
    for _ in range(STEPS):
        value = missing(at)
        slopes = np.stack(
            [(missing(at + h) - missing(at - h)) / (2e-6 * span[k]) for k, h in enumerate(1e-6 * np.diag(span))], axis=1
        )
        move = np.linalg.lstsq(slopes * span, -value, rcond=1e-10)[0] * span
        at = np.clip(at + move, *bounds)
        if float(np.abs(move / span).max()) < 1e-13:
            break
    if float(np.abs(missing(at)[:3]).max()) > 1e-9 or float(np.abs(missing(at)[3:]).max()) > TOUCHED:
        return None
    return at, first.at(at[None, :2])[0][0]


def _parted(way: Way, stops: list[_Stop]) -> list[Way]:
    """Return the ways between stops, these their ends; without any the way itself."""
    if not stops:
        return [way]
    whole = way
    if way.closed:
        turn = stops[0].near
        rows = np.roll(np.arange(len(way.places) - 1), -turn)
        whole = way.part(np.append(rows, rows[0]))
        stops = [replace(stop, near=(stop.near - turn) % len(rows)) for stop in stops]
        stops = [*stops, replace(stops[0], near=len(rows))]
    found, start, before = [], 0, None
    for stop in (*sorted(stops, key=lambda stop: stop.near), None):
        end = len(whole.places) - 1 if stop is None else stop.near
        made = _between(whole, (start, end), before, stop)
        if made is not None and not (way.closed and (before is None or stop is None)):
            found.append(made)
        start, before = end, stop
    return found


def _between(way: Way, reach: tuple[int, int], before: _Stop | None, after: _Stop | None) -> Way | None:
    """Return the way between two stops, None where nothing lies there."""
    rows = np.arange(reach[0], reach[1] + 1)
    for stop in (before, after):
        if stop is not None:
            rows = rows[lengths(way.places[rows] - stop.place) > 0.5 * way.step]
    if not len(rows):
        return None
    inner = way.part(rows)
    params, places, rough = [inner.params], [inner.places], [inner.rough]
    for stop, where, beside in ((before, 0, 0), (after, len(params), -1)):
        if stop is None:
            continue
        at = np.where(np.isnan(stop.params), _running_on(inner, stop.place, beside), stop.params)
        params.insert(where and len(params), at[None])
        places.insert(where and len(places), stop.place[None])
        rough.insert(where and len(rough), np.zeros(1, dtype=bool))
    if sum(map(len, places)) < 2:
        return None
    touching = before is not None and before.touching, after is not None and after.touching
    every = np.concatenate(params), np.concatenate(places), np.concatenate(rough)
    return Way(*every, closed=False, touching=touching)


def _running_on(way: Way, place: Floats, end: int) -> Floats:
    """Return the params (4,) to which a way runs on straight from an end to a place, as far as it is long enough."""
    if len(way.params) < 2:
        return np.asarray(way.params[end])
    one, other = (way.params[0], way.params[1]) if end == 0 else (way.params[-1], way.params[-2])
    near, far = (float(lengths(way.places[k] - place)) for k in ((0, 1) if end == 0 else (-1, -2)))
    share = near / (far - near) if far > 1.2 * near else 0.0
    return np.asarray(one + (one - other) * share)
