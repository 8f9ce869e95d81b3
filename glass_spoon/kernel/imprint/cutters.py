"""What a mesh is cut by: a plane, or a surface that reaches through all of it."""

from __future__ import annotations

from typing import Protocol

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, directions, lengths
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.surfaces.evaluate.closest_points import closest_points
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_derivatives, surface_points, surface_points_normals
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.sets.surface_set import plane_axes

AT_EDGE = 1e-7
"""A foot within this share of the domain of its end lies on the edge of a surface."""

STEEP = 0.3
"""A surface is seen from one side where its normals keep this cosine to the way of looking."""

STEPS = 40
"""Most steps to where an edge crosses a surface; most take six."""


class Cutter(Protocol):
    """What a mesh is cut by. What its normals point to is kept; flat: whether it is a plane."""

    flat: bool

    def turned_over(self) -> Cutter:
        """Return the same, what it drops kept."""

    def away(self, points: Floats) -> Floats:
        """Return how far (n,) in mm points (n, 3) are on the side that is kept, below zero on the other."""

    def foot(self, points: Floats) -> tuple[Floats, Floats]:
        """Return the nearest places (n, 3) on it, and its normals (n, 3) there."""

    def unrolled(self, loops: list[Floats]) -> list[Floats]:
        """Return loops (n, 3) on it in a plane (n, 2) whose upper side is the one that goes."""

    def rolled(self, places: Floats) -> Floats:
        """Return the places (n, 3) on it of places (n, 2) in that plane."""


class FlatCutter:
    """A plane through a place (3,) in mm; its normal (3,) points to what is kept."""

    flat = True

    def __init__(self, place: Floats, normal: Floats) -> None:
        self.place, self.normal = place, directions(normal)
        self._frame = plane_axes(-self.normal)

    def turned_over(self) -> FlatCutter:
        """See Cutter."""
        return FlatCutter(self.place, -self.normal)

    def away(self, points: Floats) -> Floats:
        """See Cutter."""
        return np.asarray((points - self.place) @ self.normal)

    def foot(self, points: Floats) -> tuple[Floats, Floats]:
        """See Cutter."""
        return points - np.outer(self.away(points), self.normal), np.broadcast_to(self.normal, points.shape)

    def unrolled(self, loops: list[Floats]) -> list[Floats]:
        """See Cutter."""
        return [(loop - self.place) @ self._frame.T for loop in loops]

    def rolled(self, places: Floats) -> Floats:
        """See Cutter."""
        return np.asarray(self.place + places @ self._frame)


class CurvedCutter:
    """A surface; what is kept lies where its normals look, or turned over where they do not."""

    flat = False

    def __init__(self, surface: NurbsSurface, *, turned: bool = False) -> None:
        self.surface, self.turned = surface, turned
        self._domains = [surface.domain(axis) for axis in (0, 1)]
        self._closed = [surface.is_closed(axis, 1e-9 * surface.size) for axis in (0, 1)]
        self._scale = (1.0, 1.0)
        self._seen: tuple[Floats, Floats] | None = None

    def turned_over(self) -> CurvedCutter:
        """See Cutter."""
        return CurvedCutter(self.surface, turned=not self.turned)

    def away(self, points: Floats) -> Floats:
        """See Cutter; a place beyond the edge of the surface is judged by the normal at the edge."""
        places, normals = self.foot(points)
        off = points - places
        side = np.einsum("ni,ni->n", off, normals)
        return np.asarray(np.where(side < 0, -1.0, 1.0) * lengths(off))

    def foot(self, points: Floats) -> tuple[Floats, Floats]:
        """See Cutter."""
        u, v, _ = closest_points(self.surface, points)
        places, normals = surface_points_normals(self.surface, u, v)
        return places, -normals if self.turned else normals

    def leaves(self, points: Floats) -> Bools:
        """Mark points (n, 3) whose feet lie on an open edge of the surface: there it does not reach through."""
        params = closest_points(self.surface, points)[:2]
        found = np.zeros(len(points), dtype=bool)
        for axis, values in enumerate(params):
            low, high = self._domains[axis]
            ends = [self.surface.is_pole(axis, end, 1e-9 * self.surface.size) for end in (0, -1)]
            if not self._closed[axis]:
                for pole, gap in zip(ends, (values - low, high - values), strict=True):
                    found |= (gap <= AT_EDGE * (high - low)) & (not pole)
        return found

    def unrolled(self, loops: list[Floats]) -> list[Floats]:
        """See Cutter: seen along its mean normal, or where it turns away from that its parameters, stretched to lengths."""
        normals = self.foot(np.concatenate(loops))[1]
        middle = directions(normals.mean(axis=0))
        if float((normals @ middle).min()) > STEEP:
            self._seen = (np.concatenate(loops).mean(axis=0), plane_axes(-middle))
            return [(loop - self._seen[0]) @ self._seen[1].T for loop in loops]
        self._seen = None
        params = [np.column_stack(closest_points(self.surface, loop)[:2]) for loop in loops]
        for axis in (0, 1):
            if self._closed[axis]:
                _unwind(params, axis, self._domains[axis][1] - self._domains[axis][0])
        lows, highs = np.array(self._domains).T
        at = (lows + (np.concatenate(params).mean(axis=0) - lows) % (highs - lows))[:, None]
        slopes = surface_derivatives(self.surface, at[0], at[1], 1)
        self._scale = (float(lengths(slopes[1, 0])[0]), float(lengths(slopes[0, 1])[0]))
        flat = [own * self._scale for own in params]
        # Seen from the side that goes: its normals look to what is kept, unless it is turned.
        return flat if self.turned else [own[:, ::-1] for own in flat]

    def rolled(self, places: Floats) -> Floats:
        """See Cutter."""
        if self._seen is not None:
            return self._below(places, *self._seen)
        params = (places if self.turned else places[:, ::-1]) / self._scale
        for axis, (low, high) in enumerate(self._domains):
            own = params[:, axis]
            params[:, axis] = low + (own - low) % (high - low) if self._closed[axis] else np.clip(own, low, high)
        return surface_points(self.surface, params[:, 0], params[:, 1])

    def _below(self, places: Floats, middle: Floats, frame: Floats) -> Floats:
        """Return where lines square to a plane through places (n, 2) of it meet the surface, by Newton's steps."""
        way = np.cross(frame[0], frame[1])
        found = middle + places @ frame
        for _ in range(STEPS):
            feet, normals = self.foot(found)
            lean = normals @ way
            if float(np.abs(lean).min(initial=1.0)) < STEEP / 3:
                break
            step = np.einsum("ni,ni->n", feet - found, normals) / lean
            found = found + step[:, None] * way
            if float(np.abs(step).max(initial=0.0)) < 1e-13 * self.surface.size:
                return found
        raise KernelError("The surface bends too far between the sides of the cut to be closed there. Leave it open.")


def mean_facing(surface: NurbsSurface, points: Floats) -> Floats:
    """Return the mean unit normal (3,) of a surface where it is near points (n, 3): at the feet of the nearest quarter."""
    u, v, away = closest_points(surface, points)
    near = away <= np.quantile(away, 0.25)
    return directions(surface_points_normals(surface, u[near], v[near])[1].mean(axis=0))


def _unwind(loops: list[Floats], axis: int, period: float) -> None:
    """Let the parameters of loops run on where the surface comes back to its start; changes the loops (n, 2)."""
    for loop in loops:
        values = np.unwrap(loop[:, axis], period=period)
        if abs(values[-1] - values[0]) > period / 2:
            raise KernelError("The cut runs all round the surface: Thicken or Mesh it, and Subtract that body instead.")
        loop[:, axis] = values
    first = loops[0][:, axis].mean()
    for loop in loops[1:]:
        loop[:, axis] -= period * np.rint((loop[:, axis].mean() - first) / period)


def crossing_shares(cutter: Cutter, low: Floats, high: Floats, away: tuple[Floats, Floats]) -> Floats:
    """Return at which share (k,) of the way from places low (k, 3) to high (k, 3) a cutter is crossed; away: of both ends.

    Exact at once for a plane; else by false position with the weight of an end that stays halved (the Illinois method,
    Dowell and Jarratt, BIT 11, 1971).
    """
    start, end = np.zeros(len(low)), np.ones(len(low))
    first, last = away[0].copy(), away[1].copy()
    share = np.asarray(first / (first - last))
    if cutter.flat:
        return share
    tolerance = 1e-12 * float(max(np.abs(first).max(initial=0.0), np.abs(last).max(initial=0.0)))
    side = np.zeros(len(low))
    for _ in range(STEPS):
        here = cutter.away(low + share[:, None] * (high - low))
        if float(np.abs(here).max(initial=0.0)) <= tolerance:
            break
        as_first = (here > 0) == (first > 0)
        last = np.where(as_first & (side > 0), last / 2, np.where(as_first, last, here))
        first = np.where(~as_first & (side < 0), first / 2, np.where(as_first, here, first))
        start, end = np.where(as_first, share, start), np.where(as_first, end, share)
        side = np.where(as_first, 1.0, -1.0)
        gap = first - last
        share = np.clip(start + (end - start) * first / np.where(gap == 0, 1.0, gap), start, end)
    return share
