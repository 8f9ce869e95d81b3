"""Flat maps of faces, in which they are filled: a look at a mild face, its parameters, or rings about a pole."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Protocol

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats, directions, lengths
from glass_spoon.kernel.surfaces.alter.project_curve import run_rays
from glass_spoon.kernel.surfaces.evaluate.closest_points import closest_points
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import evaluate_grid, surface_derivatives, surface_points_normals
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.sets.surface_set import plane_axes
from glass_spoon.kernel.trims.face import Face

MILD = np.cos(np.radians(50))
"""A face whose normals lie this near to their mean is mapped by looking at it."""

STRETCHED, ALMOST = 15, 1.1
"""Places each way at which stretch is told; a face is looked at unless its parameters are better by more than this."""

LOOKED = 25
"""Places each way at which a face is looked at."""


class Chart(Protocol):
    """A flat map of a face. wraps: whether its seam vanishes in the map."""

    @property
    def wraps(self) -> bool:
        """Say whether its seam vanishes in the map."""
        ...

    def flat(self, params: Floats) -> Floats:
        """Return places (n, 2) in mm in the map of parameters (n, 2)."""
        ...

    def params(self, flat: Floats) -> Floats:
        """Return parameters (n, 2) of places (n, 2) in the map."""
        ...


def chart_of(face: Face, *, closes: bool) -> Chart:
    """Return the map that stretches a face least; closes: whether it meets itself along a seam."""
    poles = [(axis, end) for axis in (0, 1) for end in (0, -1) if reaches_pole(face, axis, end)]
    if len(poles) == 1 and closes:
        return _Rings.of(face.surface, *poles[0])
    unrolled = _Unrolled.of(face)
    seen = None if closes else _Seen.of(face)
    if seen is None:
        return unrolled
    return seen if poles or stretch(face, seen) <= ALMOST * stretch(face, unrolled) else unrolled


def stretch(face: Face, chart: Chart) -> float:
    """Return how many times more a map stretches a face in one place and way than in another, but for the worst."""
    low, high = (getattr(face.outlines[0], which)(axis=0) for which in ("min", "max"))
    shares = (np.arange(STRETCHED) + 0.5) / STRETCHED
    grid = np.stack(np.meshgrid(shares, shares, indexing="ij"), axis=-1).reshape(-1, 2) * (high - low) + low
    inside = grid[face.holds(grid)]
    if not len(inside):
        return 1.0
    values = surface_derivatives(face.surface, inside[:, 0], inside[:, 1], 1)
    slopes = np.stack((values[1, 0], values[0, 1]), axis=2)
    metric = slopes.swapaxes(1, 2) @ slopes
    step = 1e-5 * (high - low)
    turns = np.stack(
        [(chart.flat(inside + way) - chart.flat(inside - way)) / (2 * way.sum()) for way in np.diag(step)], axis=2
    )
    good = np.abs(np.linalg.det(turns)) > 0
    back = np.linalg.inv(turns[good])
    sizes = np.sqrt(np.maximum(np.linalg.eigvalsh(back.swapaxes(1, 2) @ metric[good] @ back), 0.0))
    if not len(sizes):
        return 1.0
    least, most = np.quantile(sizes[:, 0], 0.05), np.quantile(sizes[:, 1], 0.95)
    return float(most / max(float(least), 1e-300))


def reaches_pole(face: Face, axis: int, end: int) -> bool:
    """Say whether a face reaches the pole at an end across an axis."""
    if not face.surface.is_pole(axis, end, 1e-6 * face.surface.size):
        return False
    level = face.surface.domain(axis)[end]
    return any(float(np.abs(one[:, axis] - level).min()) < 1e-9 * np.ptp(face.surface.domain(axis)) for one in face.outlines)


@dataclass(frozen=True, eq=False)
class _Seen:
    """A face seen along its mean normal."""

    face: Face
    normal: Floats
    axes: Floats
    origin: Floats
    tree: scipy.spatial.cKDTree
    places: Floats
    wraps: bool = False

    @classmethod
    def of(cls, face: Face) -> _Seen | None:
        """Return the view of a face, None where it bends too far for one."""
        low, high = (getattr(np.concatenate(face.outlines), which)(axis=0) for which in ("min", "max"))
        us, vs = (np.linspace(low[axis], high[axis], LOOKED) for axis in (0, 1))
        grid = evaluate_grid(face.surface, us, vs)
        places = np.stack(np.meshgrid(us, vs, indexing="ij"), axis=-1).reshape(-1, 2)
        inside = face.holds(places)
        inside |= np.isin(np.arange(len(places)), [int(np.abs(places - face.inner_place).sum(axis=1).argmin())])
        normals = grid.normals.reshape(-1, 3)
        mean = normals[inside].sum(axis=0)
        if lengths(mean) < 1e-9:
            return None
        normal = directions(mean)
        rim = np.concatenate(face.outlines)
        every = np.concatenate((normals[inside], surface_points_normals(face.surface, *rim.T)[1]))
        if float((every @ normal).min()) < MILD:
            return None
        along = directions(grid.along_u.reshape(-1, 3)[inside].mean(axis=0))
        along = along - (along @ normal) * normal
        axes = (
            plane_axes(normal)
            if lengths(along) < 1e-6
            else np.stack((directions(along), np.cross(normal, directions(along))))
        )
        points = grid.points.reshape(-1, 3)
        return cls(
            face,
            normal,
            axes,
            points[inside].mean(axis=0),
            scipy.spatial.cKDTree((points - points[inside].mean(axis=0)) @ axes.T),
            places,
        )

    def flat(self, params: Floats) -> Floats:
        """Look at places."""
        points = surface_points_normals(self.face.surface, *params.T)[0]
        return np.asarray((points - self.origin) @ self.axes.T)

    def params(self, flat: Floats) -> Floats:
        """Run rays down the view."""
        start = self.places[self.tree.query(flat)[1]]
        points = self.origin + flat @ self.axes
        found, hit = run_rays(self.face.surface, start[:, 0], start[:, 1], points, self.normal)
        u, v, _ = closest_points(self.face.surface, found)
        result = np.column_stack((u, v))
        if not hit.all():
            result[~hit] = start[~hit]
        return result


@dataclass(frozen=True, eq=False)
class _Unrolled:
    """The parameters of a face, drawn to their mean lengths."""

    params_of: tuple[Floats, Floats]
    lengths_of: tuple[Floats, Floats]
    wraps: bool = False

    @classmethod
    def of(cls, face: Face) -> _Unrolled:
        """Measure the face along both ways."""
        return cls(*zip(*(_measured(face.surface, axis, face) for axis in (0, 1)), strict=True))  # type: ignore[arg-type]  # two pairs

    def flat(self, params: Floats) -> Floats:
        """Draw to length."""
        return np.column_stack([np.interp(params[:, k], self.params_of[k], self.lengths_of[k]) for k in (0, 1)])

    def params(self, flat: Floats) -> Floats:
        """Go back."""
        return np.column_stack([np.interp(flat[:, k], self.lengths_of[k], self.params_of[k]) for k in (0, 1)])


def _measured(surface: NurbsSurface, axis: int, face: Face | None) -> tuple[Floats, Floats]:
    """Return parameters along an axis and the mean lengths up to them in mm, over what a face reaches across."""
    own = np.linspace(*surface.domain(axis), 257)
    ends = surface.domain(1 - axis)
    if face is not None:
        rim = np.concatenate(face.outlines)[:, 1 - axis]
        ends = max(ends[0], float(rim.min())), min(ends[1], float(rim.max()))
    across = np.linspace(*ends, 9)
    grid = evaluate_grid(surface, own, across) if axis == 0 else evaluate_grid(surface, across, own)
    points = grid.points if axis == 0 else grid.points.swapaxes(0, 1)
    steps = lengths(np.diff(points, axis=0)).mean(axis=1)
    return own, np.concatenate(([0.0], np.cumsum(np.maximum(steps, 1e-12 * max(float(steps.max()), 1e-300)))))


@dataclass(frozen=True, eq=False)
class _Rings:
    """A face about a pole: the way round as an angle, the way from the pole as a radius."""

    axis: int
    end: int
    round: tuple[float, float]
    out: tuple[Floats, Floats]
    wraps: bool = True

    @classmethod
    def of(cls, surface: NurbsSurface, axis: int, end: int) -> _Rings:
        """Measure the way from the pole."""
        own, total = _measured(surface, axis, None)
        out = (own, total) if end == 0 else (own, total[-1] - total)
        return cls(axis, end, surface.domain(1 - axis), out)

    @property
    def _handed(self) -> float:
        """1 where the angle runs with the parameter so that the map is not mirrored."""
        return 1.0 if (self.axis == 0) == (self.end == 0) else -1.0

    def flat(self, params: Floats) -> Floats:
        """Return where places lie about the pole."""
        low, high = self.round
        angle = self._handed * 2 * np.pi * (params[:, 1 - self.axis] - low) / (high - low)
        radius = np.interp(params[:, self.axis], *self.out)
        return radius[:, None] * np.column_stack((np.cos(angle), np.sin(angle)))

    def params(self, flat: Floats) -> Floats:
        """Go back."""
        low, high = self.round
        turn = (self._handed * np.arctan2(flat[:, 1], flat[:, 0]) / (2 * np.pi)) % 1.0
        own, total = self.out
        order = np.argsort(total)
        result = np.empty((len(flat), 2))
        result[:, 1 - self.axis] = low + turn * (high - low)
        result[:, self.axis] = np.interp(np.hypot(*flat.T), total[order], own[order])
        return result
