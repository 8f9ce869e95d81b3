"""A mesh of a set of surfaces in the making: the grids of its pieces, and which of their vertices are one."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from glass_spoon.kernel.arrays import Floats, Ints
from glass_spoon.kernel.groups import joined_groups
from glass_spoon.kernel.meshing.cut_set import CutSet
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_points_normals
from glass_spoon.kernel.surfaces.sets.surface_set import EdgeName

Scalar = TypeVar("Scalar", np.float64, np.int64)

PARAM_DIGITS = 9
"""Parameters that agree to so many digits are one."""


@dataclass(eq=False)
class Parts:
    """A mesh in the making: vertices of all grids and caps, before shared ones are one."""

    points: list[Floats]
    normals: list[Floats]
    faces: list[Ints]
    uvs: list[Floats]
    owners: list[Ints]
    total: int = 0

    def add_vertices(self, points: Floats, normals: Floats) -> int:
        """Keep vertices (n, 3); return the number of the first."""
        first = self.total
        self.points.append(points)
        self.normals.append(normals)
        self.total += len(points)
        return first

    def add_faces(self, faces: Ints, uv: Floats, owner: int) -> None:
        """Keep faces (f, k) with the uv (f, k, 2) of their corners, and the number of the surface that they are of."""
        if len(faces):
            self.faces.append(faces)
            self.uvs.append(uv)
            self.owners.append(np.full(len(faces), owner))


@dataclass(frozen=True, eq=False)
class Grid:
    """The grid of a piece: vertex numbers and parameters u, v, each (nu + 1, nv + 1)."""

    numbers: Ints
    u: Floats
    v: Floats


def _grid_params(cut: CutSet, piece: int, counts: Ints, even: list[Floats]) -> tuple[Floats, Floats]:
    """Return u and v (nu + 1, nv + 1) of a piece's grid: even by length along its four edges, blended between them."""
    surface, edges = cut.pieces[piece], cut.shape.edges
    params: list[list[Floats]] = []
    for axis in (0, 1):
        rows = [edges.number[EdgeName(piece, axis, end)] for end in (0, -1)]  # type: ignore[arg-type]  # 0 or -1
        solid = [row for row in rows if not edges.is_pole[row]]
        plain = np.linspace(*surface.domain(axis), int(counts[axis]) + 1)
        # An edge that is one point takes the parameters of the edge across.
        both = [even[row] if not edges.is_pole[row] else even[solid[0]] if solid else plain for row in rows]
        params.append(both)
    (u_first, u_last), (v_first, v_last) = params
    s, t = (np.linspace(0.0, 1.0, int(count) + 1) for count in counts)
    return u_first[:, None] * (1 - t) + u_last[:, None] * t, v_first * (1 - s[:, None]) + v_last * s[:, None]


def make_grids(
    cut: CutSet, counts: Ints, parts: Parts, bend: float = 0.0, steps: tuple[float, float] = (np.inf, np.inf)
) -> list[Grid]:
    """Return the grids of all pieces with `counts` (pieces, 2) edges along u and v, their vertices kept in `parts`.

    Even along the edges of each piece, denser by `bend` where they bend, meeting the bends that edges of `steps` mm along u
    and v would step over.
    """
    names = cut.shape.edges.names
    even = cut.shape.edges.even_params(np.array([counts[name.piece, name.axis] for name in names]), bend, steps)
    params = [_grid_params(cut, piece, counts[piece], even) for piece in range(len(cut.pieces))]
    grids = []
    for surface, (u, v) in zip(cut.pieces, params, strict=True):
        first = parts.add_vertices(*surface_points_normals(surface, u.ravel(), v.ravel()))
        grids.append(Grid(first + np.arange(u.size).reshape(u.shape), u, v))
    return grids


def quads(rows: NDArray[Scalar]) -> NDArray[Scalar]:
    """Return the corners (faces, 4, ...) of the quads of a grid (m, n, ...), counter-clockwise in u and v."""
    corners = (rows[:-1, :-1], rows[1:, :-1], rows[1:, 1:], rows[:-1, 1:])
    return np.stack(corners, axis=2).reshape(-1, 4, *rows.shape[2:])


def scaled_params(cut: CutSet, piece: int, u: Floats, v: Floats) -> Floats:
    """Return parameters (..., 2) of the surface that a piece was cut from, scaled to 0 .. 1."""
    result = []
    for axis, params in enumerate((u, v)):
        low, high = cut.pieces[piece].domain(axis)
        first, last = cut.place[piece, axis]
        result.append(first + (params - low) / (high - low) * (last - first))
    return np.stack(result, axis=-1)


def merged_numbers(total: int, grids: list[Grid], cut: CutSet) -> Ints:
    """Return for each vertex (total,) the number of the one that it is with others: on shared edges, and at poles."""
    pairs = [np.zeros((2, 0), dtype=np.int64)]
    for name, pole in zip(cut.shape.edges.names, cut.shape.edges.is_pole, strict=True):
        if pole:
            row = edge_numbers(grids[name.piece], name)
            pairs.append(np.stack((row[:-1], row[1:])))
    for pair in cut.shape.shared:
        rows = [edge_numbers(grids[name.piece], name) for name in (pair.first, pair.second)]
        pairs.append(np.stack((rows[0], rows[1][::-1] if pair.reversed else rows[1])))
    rows, columns = np.concatenate(pairs, axis=1)
    return joined_groups(rows, columns, total)


def edge_numbers(grid: Grid, name: EdgeName) -> Ints:
    """Return the vertices on an edge, as the edge runs."""
    return np.asarray(np.take(grid.numbers, name.end, axis=1 - name.axis))
