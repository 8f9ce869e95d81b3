"""Pieces of a region as they are seen on the flat, and what is filled there laid onto them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats, Ints, lengths
from glass_spoon.kernel.meshing.plane_fill import PlaneFill
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import (
    evaluate_grid,
    surface_derivatives,
    surface_points_normals,
)
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface

SAMPLES = 17
"""Places along either way of a piece from which it is sought where one of its points is seen."""

CLOSEST, STEPS, LEAST_SHARE = 4, 24, 0.05
"""How many of them are asked of which pieces they are, Newton's steps from the nearest, and the least share of one."""

FEW_STEPS = 6
"""Steps to corners of faces that may lie beyond the piece that the face is of: their uv is the nearest on it."""

EXACT = 1e-9
"""Share of a region's size within which a place is found."""


@dataclass(frozen=True, eq=False)
class Laid:
    """A fill on pieces: its vertices (n, 3) in mm within the rim and the normals there, the piece (f,) of each face with the
    parameters (f, 2) of its middle, and those (f, 4, 2) of its corners, the nearest on that piece.
    """

    inner: Floats
    normals: Floats
    of_face: Ints
    middles: Floats
    params: Floats


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

    def laid(self, fill: PlaneFill, rim: int) -> Laid:
        """Return a fill, whose first vertices are those of its rim, as it lies on the pieces."""
        owner, params = self.find(fill.points)
        inner, normals = np.empty((len(owner) - rim, 3)), np.empty((len(owner) - rim, 3))
        for k in np.unique(owner[rim:]).tolist():
            own = owner[rim:] == k
            inner[own], normals[own] = surface_points_normals(self.pieces[k], *params[rim:][own].T)
        of_face, middles = self.find(fill.points[fill.faces].mean(axis=1))
        at = params[fill.faces]
        for k in np.unique(of_face).tolist():
            rows = np.flatnonzero(of_face == k)
            face, corner = np.nonzero(owner[fill.faces[rows]] != k)
            asked = fill.points[fill.faces[rows[face], corner]]
            at[rows[face], corner] = self.on_piece(k, asked, middles[rows[face]], FEW_STEPS)[0]
        return Laid(inner, normals, of_face, middles, at)

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
