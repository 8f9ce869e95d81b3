"""Fill regions that are meshed as one: quads within their rims as they are seen on the flat, each vertex on its piece."""

from __future__ import annotations

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats, Ints, lengths
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.meshing.close_flat import seen_rings
from glass_spoon.kernel.meshing.cut_set import CutSet
from glass_spoon.kernel.meshing.fill_with_grid import fill_with_grid
from glass_spoon.kernel.meshing.plane_fill import least_angle
from glass_spoon.kernel.meshing.set_parts import Grid, Parts, edge_numbers, scaled_params
from glass_spoon.kernel.meshing.whole_regions import WholeRegion
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import (
    evaluate_grid,
    surface_derivatives,
    surface_normals,
    surface_points_normals,
)
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.sets.surface_set import edge_loops

SAMPLES = 17
"""Places along either way of a piece from which it is sought where one of its points is seen."""

CLOSEST, STEPS, LEAST_SHARE = 4, 24, 0.05
"""How many of them are asked of which pieces they are, Newton's steps from the nearest, and the least share of one."""

FEW_STEPS = 6
"""Steps to corners of faces that may lie beyond the piece that the face is of: their uv is the nearest on it."""

EXACT = 1e-9
"""Share of a region's size within which a place is found."""


def give_rim_normals(parts: Parts, cut: CutSet, whole: WholeRegion, grids: list[Grid]) -> None:
    """Give the vertices of skirts on the rim of a region its normals, the others none; before they are one with others."""
    assert cut.before is not None
    for name, edge in zip(whole.rim, whole.edges, strict=True):
        piece, grid = cut.before.pieces[edge.piece], grids[name.piece]
        along = np.take(grid.u if edge.axis == 0 else grid.v, 0, axis=1 - edge.axis)
        fixed = np.full_like(along, piece.domain(1 - edge.axis)[edge.end])
        own = np.zeros_like(parts.normals[name.piece])
        row = edge_numbers(grid, name) - grid.numbers[0, 0]
        own[row] = surface_normals(piece, *((along, fixed) if edge.axis == 0 else (fixed, along)))
        parts.normals[name.piece] = own


def fill_whole(parts: Parts, cut: CutSet, whole: WholeRegion, grids: list[Grid]) -> None:
    """Fill a region with quads within the vertices of its rim; raises KernelError where they are too coarse for it."""
    assert cut.before is not None
    loops = edge_loops(cut.shape, whole.rim)
    rings, outlines = seen_rings(parts, grids, loops, np.zeros(3), whole.axes[:2])
    rim = sum(map(len, rings))
    step = sum(float(cut.shape.edges.lengths[cut.shape.edges.number[name]]) for name in whole.rim) / rim
    fill = fill_with_grid(outlines, step)
    if least_angle(fill) == 0.0:
        raise KernelError("The rim is too coarse for its shape. Use shorter edges there.")
    pieces = [cut.before.pieces[member] for member in whole.members]
    seen = SeenPieces(pieces, whole.axes[:2])
    owner, params = seen.find(fill.points)
    inner, normals = np.empty((len(owner) - rim, 3)), np.empty((len(owner) - rim, 3))
    for k in np.unique(owner[rim:]).tolist():
        own = owner[rim:] == k
        inner[own], normals[own] = surface_points_normals(pieces[k], *params[rim:][own].T)
    first = parts.add_vertices(inner, normals)
    vertices = np.concatenate((*rings, first + np.arange(len(inner))))
    of_face, middles = seen.find(fill.points[fill.faces].mean(axis=1))
    for k in np.unique(of_face).tolist():
        faces, at = fill.faces[of_face == k], params[fill.faces[of_face == k]]
        face, corner = np.nonzero(owner[faces] != k)
        at[face, corner] = seen.on_piece(k, fill.points[faces[face, corner]], middles[of_face == k][face], FEW_STEPS)[0]
        uv = scaled_params(cut.before, whole.members[k], at[..., 0], at[..., 1])
        parts.add_faces(vertices[faces], uv, cut.before.parents[whole.members[k]])


class SeenPieces:
    """Pieces as they are seen on two axes (2, 3): where on which of them a place of the plane lies."""

    def __init__(self, pieces: list[NurbsSurface], axes: Floats) -> None:
        self.pieces, self.axes = pieces, axes
        self.params, places = list[Floats](), list[Floats]()
        for piece in pieces:
            us, vs = (np.linspace(*piece.domain(axis), SAMPLES) for axis in (0, 1))
            places.append(evaluate_grid(piece, us, vs).points.reshape(-1, 3) @ axes.T)
            self.params.append(np.stack(np.meshgrid(us, vs, indexing="ij"), axis=2).reshape(-1, 2))
        self.trees = [scipy.spatial.cKDTree(own) for own in places]
        self.near = scipy.spatial.cKDTree(np.concatenate(places))
        self.within = EXACT * float(np.ptp(self.near.data, axis=0).max())

    def find(self, places: Floats) -> tuple[Ints, Floats]:
        """Return the piece (n,) on which places (n, 2) lie, the nearest where none does, and their parameters (n, 2)."""
        nearest = np.asarray(self.near.query(places, k=CLOSEST)[1]) // SAMPLES**2
        off, owner, params = np.full(len(places), np.inf), nearest[:, 0].copy(), np.zeros((len(places), 2))
        for pieces in (
            nearest[:, :1],
            nearest,
            np.broadcast_to(np.arange(len(self.pieces)), (len(places), len(self.pieces))),
        ):
            left = off > self.within
            for k in np.unique(pieces[left]).tolist():
                rows = np.flatnonzero(left & (pieces == k).any(axis=1))
                found, away = self.on_piece(k, places[rows], self.params[k][self.trees[k].query(places[rows])[1]])
                nearer = away < off[rows]
                rows = rows[nearer]
                off[rows], owner[rows], params[rows] = away[nearer], k, found[nearer]
        return owner, params

    def on_piece(self, k: int, places: Floats, start: Floats, steps: int = STEPS) -> tuple[Floats, Floats]:
        """Return the parameters (n, 2) at which places (n, 2) are seen on a piece, the nearest within its domain, and how
        far off (n,) that is; by Newton's steps, halved until they come nearer, along an edge where they would leave it.
        """
        found, share = start.copy(), np.ones(len(start))
        off, step = self._step(k, places, found)
        low, high = self._domain(k)
        for _ in range(steps):
            rows = np.flatnonzero((off > self.within) & (share > LEAST_SHARE))
            if not len(rows):
                break
            tried = np.clip(found[rows] + share[rows, None] * step[rows], low, high)
            left, following = self._step(k, places[rows], tried)
            nearer = left < off[rows]
            share[rows] = np.where(nearer, 1.0, share[rows] / 2)
            rows = rows[nearer]
            found[rows], off[rows], step[rows] = tried[nearer], left[nearer], following[nearer]
        return found, off

    def _domain(self, k: int) -> tuple[Floats, Floats]:
        low, high = np.array([self.pieces[k].domain(axis) for axis in (0, 1)]).T
        return low, high

    def _step(self, k: int, places: Floats, params: Floats) -> tuple[Floats, Floats]:
        """Return how far (n,) places (n, 2) are from those seen at parameters (n, 2), and Newton's step (n, 2) to them."""
        values = surface_derivatives(self.pieces[k], params[:, 0], params[:, 1], 1)
        here, along_u, along_v = (values[key] @ self.axes.T for key in ((0, 0), (1, 0), (0, 1)))
        off = places - here
        area = along_u[:, 0] * along_v[:, 1] - along_u[:, 1] * along_v[:, 0]
        area = np.where(np.abs(area) > 1e-300, area, np.inf)
        step = (
            np.stack(
                (
                    off[:, 0] * along_v[:, 1] - off[:, 1] * along_v[:, 0],
                    along_u[:, 0] * off[:, 1] - along_u[:, 1] * off[:, 0],
                ),
                axis=1,
            )
            / area[:, None]
        )
        low, high = self._domain(k)
        held = ((params <= low) & (step < 0)) | ((params >= high) & (step > 0))
        for axis, along in ((0, along_v), (1, along_u)):
            slides = held[:, axis]
            step[slides, axis] = 0.0
            step[slides, 1 - axis] = (off * along).sum(axis=1)[slides] / np.maximum(
                (along * along).sum(axis=1)[slides], 1e-300
            )
        return lengths(off), step
