"""What lies on the flat laid onto a surface or a mesh, its height kept over it."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any, Literal, Protocol

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, Ints
from glass_spoon.kernel.curves.alter.place_curve import Placement
from glass_spoon.kernel.deform.space_map import Axes
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.meshes.closest_on_mesh import BESIDE, NearestOnMesh, box_tree
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.surfaces.alter.project_curve import run_rays
from glass_spoon.kernel.surfaces.evaluate.closest_points import closest_points
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import grid_points, surface_normals, surface_points
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface

GRID = 65
"""Places along each way of a surface by which rays find it, before they are brought onto it exactly."""
SMOOTH = 1e-12
SETTLING, SETTLED = 60, 1e-9
"""Turns taken between a line and a surface, and how near in shares of its size both have then to be."""


class Host(Protocol):
    """What things are laid onto."""

    def nearest(self, points: Floats) -> tuple[Floats, Floats]:
        """Return the nearest places (n, 3) in mm and the unit normals (n, 3) there."""

    def seen(self, points: Floats, way: Floats) -> tuple[Floats, Floats, Bools]:
        """Return where lines through points (n, 3) that run the unit way (3,) first meet it, the normals there, and which
        of them (n,) do.
        """


@dataclass(frozen=True, eq=False)
class MeshHost:
    """A mesh: normals are those of its points, mixed across its faces."""

    mesh: Mesh

    @cached_property
    def _near(self) -> NearestOnMesh:
        return NearestOnMesh(self.mesh)

    def nearest(self, points: Floats) -> tuple[Floats, Floats]:
        """Return the nearest places and the normals there."""
        places = self._near.ask(points)[0]
        return places, self._normals(places)

    def seen(self, points: Floats, way: Floats) -> tuple[Floats, Floats, Bools]:
        """Return what is seen along a way."""
        places, faces = self._near.seen(points, way)
        return places, self._normals(places), faces >= 0

    def _normals(self, places: Floats) -> Floats:
        weights, corners = self._near.weights(places)
        own = self.mesh.topology.face_corners[corners]
        mixed = np.einsum("nk,nkd->nd", weights, self.mesh.vertex_normals[own])
        return mixed / np.maximum(np.linalg.norm(mixed, axis=1), SMOOTH)[:, None]


@dataclass(frozen=True, eq=False)
class SurfacesHost:
    """Surfaces: places and normals are exact."""

    surfaces: tuple[NurbsSurface, ...]

    def nearest(self, points: Floats) -> tuple[Floats, Floats]:
        """Return the nearest places of all surfaces and the normals there."""
        best = np.full(len(points), np.inf)
        places, normals = np.zeros_like(points), np.zeros_like(points)
        for surface in self.surfaces:
            u, v, away = closest_points(surface, points)
            own = np.flatnonzero(away < best)
            if len(own):
                places[own] = surface_points(surface, u[own], v[own])
                normals[own] = surface_normals(surface, u[own], v[own])
                best[own] = away[own]
        return places, normals

    @cached_property
    def _triangles(self) -> tuple[Any, Floats, Ints, Floats, Ints]:
        """A tree of triangles of all surfaces: points, corners, the parameters (points, 2) and the surface of each point."""
        places, params, owner, faces = [], [], [], []
        square = np.arange((GRID - 1) * (GRID - 1))
        corner = (square // (GRID - 1)) * GRID + square % (GRID - 1)
        for number, surface in enumerate(self.surfaces):
            us, vs = (np.linspace(*surface.domain(axis), GRID) for axis in (0, 1))
            start = number * GRID * GRID
            places.append(np.ascontiguousarray(grid_points(surface, us, vs)).reshape(-1, 3))
            params.append(np.stack(np.meshgrid(us, vs, indexing="ij"), axis=2).reshape(-1, 2))
            owner.append(np.full(GRID * GRID, number))
            faces.append(start + np.column_stack((corner, corner + GRID, corner + GRID + 1)))
            faces.append(start + np.column_stack((corner, corner + GRID + 1, corner + 1)))
        points, triangles = np.concatenate(places), np.concatenate(faces).astype(np.int64)
        return box_tree(points, triangles), points, triangles, np.concatenate(params), np.concatenate(owner)

    def seen(self, points: Floats, way: Floats) -> tuple[Floats, Floats, Bools]:
        """Return what is seen along a way: found by triangles, then brought onto the surface."""
        tree, corners, triangles, params, owner = self._triangles
        size = float(np.ptp(corners, axis=0).max()) + float(np.linalg.norm(points - corners[0], axis=1).max(initial=0.0))
        triangle, at = np.full(len(points), -1, dtype=np.int64), points.copy()
        first = np.full(len(points), np.inf)
        aside, ways = np.roll(way, 1) + 0.3 * np.roll(way, 2), np.tile(way, (len(points), 1))
        for shift in (
            0.0,
            BESIDE,
            -BESIDE,
        ):  # a ray that runs along an edge of triangles may miss both, and hit what is behind
            start = np.ascontiguousarray(points + shift * size * aside - 2 * size * way)
            found, share, _ = tree.intersect_ray_first(corners, triangles, start, ways)
            nearer = (found >= 0) & np.isfinite(share) & (share < first * (1 - BESIDE))
            triangle[nearer], first[nearer] = found[nearer], share[nearer]
            at[nearer] = start[nearer] + share[nearer, None] * way
        met = triangle >= 0
        places, normals = points.copy(), np.tile(-way, (len(points), 1))
        for number, surface in enumerate(self.surfaces):
            own = np.flatnonzero(met & (owner[triangles[np.maximum(triangle, 0), 0]] == number))
            if not len(own):
                continue
            u, v = _mixed(params, triangles[triangle[own]], at[own], corners).T
            exact, on = run_rays(surface, u, v, points[own], way)
            cell = np.linalg.norm(np.ptp(corners[triangles[triangle[own]]], axis=1), axis=1)
            astray = np.flatnonzero(~on | (np.abs((exact - at[own]) @ way) > cell))
            if len(astray):  # at a pole, or over a seam, where parameters do not lead on
                exact[astray], on[astray] = _settled(surface, points[own[astray]], at[own[astray]], way)
            met[own[~on]] = False
            kept = own[on]
            u, v, _ = closest_points(surface, exact[on])
            places[kept], normals[kept] = exact[on], surface_normals(surface, u, v)
        return places, normals, met


def _settled(surface: NurbsSurface, points: Floats, near: Floats, way: Floats) -> tuple[Floats, Bools]:
    """Return where lines through points (n, 3) meet a surface, sought from near places by turns on the line and the surface,
    and for which of them (n,) that settles.
    """
    for _ in range(SETTLING):
        found = surface_points(surface, *closest_points(surface, near)[:2])
        on_line = points + ((found - points) @ way)[:, None] * way
        away = np.linalg.norm(found - on_line, axis=1)
        near = on_line
        if away.max(initial=0.0) <= SETTLED * surface.size:
            break
    return on_line, away <= SETTLED * surface.size


def _mixed(params: Floats, triangles: Ints, places: Floats, corners: Floats) -> Floats:
    """Return the parameters (n, 2) of places (n, 3) in triangles (n, 3)."""
    a, b, c = (corners[triangles[:, k]] for k in range(3))
    first, second, third = b - a, c - a, places - a
    e, f, g = (first * first).sum(axis=1), (first * second).sum(axis=1), (second * second).sum(axis=1)
    p, q = (third * first).sum(axis=1), (third * second).sum(axis=1)
    whole = np.maximum(e * g - f * f, 1e-300)
    s, t = (g * p - f * q) / whole, (e * q - f * p) / whole
    pa, pb, pc = (params[triangles[:, k]] for k in range(3))
    return np.asarray(pa + s[:, None] * (pb - pa) + t[:, None] * (pc - pa))


@dataclass(frozen=True, eq=False)
class OntoHost:
    """What stands on the plane of the first two axes laid onto a host; heights along the third stay heights over it.

    way: by the nearest place of the host to each foot, or straight along the third axis, backwards: from where it looks, the
    first that it meets. gap: how far over the host it floats in mm.
    """

    axes: Axes
    host: Host
    way: Literal["straight", "nearest"] = "straight"
    gap: float = 0.0

    @property
    def placement(self) -> Placement | None:
        """None: it bends straight lines."""
        return None

    def missed(self, points: Floats) -> int:
        """Return how many of points (n, 3) the host does not lie under."""
        if self.way == "nearest":
            return 0
        return int((~self.host.seen(self._feet(points)[0], -self.axes.rows[2])[2]).sum())

    def _feet(self, points: Floats) -> tuple[Floats, Floats]:
        """Return the feet (n, 3) of points on the plane, and their heights (n,)."""
        own = self.axes.inside(points)
        heights = own[:, 2].copy()
        own[:, 2] = 0.0
        return self.axes.outside(own), heights

    def apply(self, points: Floats) -> Floats:
        """Return where points (n, 3) go; what the host does not lie under goes to the nearest place of it."""
        feet, heights = self._feet(points)
        if self.way == "nearest":
            places, normals = self.host.nearest(feet)
            side = float(((feet - places) * normals).sum())
            normals = -normals if side < -SMOOTH * len(feet) else normals
        else:
            places, normals, met = self.host.seen(feet, -self.axes.rows[2])
            away = np.flatnonzero(~met)
            if len(away) == len(feet):
                raise KernelError(
                    "Nothing of the host lies under it that way. Move it over the host, or take the nearest place."
                )
            if len(away):
                places[away], normals[away] = self.host.nearest(feet[away])
            normals = np.where((normals @ self.axes.rows[2] < 0)[:, None], -normals, normals)
        return places + (heights + self.gap)[:, None] * normals
