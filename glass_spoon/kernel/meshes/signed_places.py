"""Elements of a mesh told by where they lie on the surface of their piece, and found again by that when it has another size,
place or count.

A sign is three numbers: the parameters u and v, 0 .. 1, and the number of the piece. Faces have the mean of their corners,
edges their middle in each of their faces, points their own in each.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import scipy

from glass_spoon.kernel.arrays import AnyInts, Floats, Ints, first_least, lengths
from glass_spoon.kernel.meshes.marked import MarkKind, element_middles
from glass_spoon.kernel.meshes.mesh import Mesh

REACH = 2.0
"""A sign is found no farther off than so many times what its face reaches from its middle."""

HERE = 1e-4
"""A place that is this near in mm is the same, as places are kept to so many digits."""

SAME = 1e-6
"""Signs nearer to each other than this are the same; then the place decides."""


@dataclass(frozen=True, eq=False)
class Signs:
    """All signs of the elements of a kind: elements (s,), parameters (s, 2), pieces (s,), reach of the face of each (s,)."""

    elements: Ints
    uv: Floats
    pieces: Ints
    reach: Floats


def signs_of(mesh: Mesh, kind: MarkKind) -> Signs | None:
    """Return the signs of all elements of a kind; None for a mesh without parameters."""
    uv = mesh.corners.get("uv")
    if uv is None or not mesh.face_count:
        return None
    topology = mesh.topology
    offsets, face_of = topology.face_offsets[:-1], topology.face_of_corner
    middles = np.add.reduceat(uv, offsets, axis=0) / topology.face_sides[:, None]
    reach = np.maximum.reduceat(lengths(uv - middles[face_of]), offsets)
    piece = mesh.faces.get("piece")
    pieces = np.zeros(mesh.face_count, dtype=np.int64) if piece is None else np.asarray(piece, dtype=np.int64)
    if kind == "face":
        return Signs(np.arange(mesh.face_count), middles, pieces, reach)
    if kind == "point":
        return Signs(np.asarray(topology.face_corners, dtype=np.int64), uv, pieces[face_of], reach[face_of])
    halfway = (uv + uv[topology.next_corner]) / 2
    return Signs(np.asarray(topology.edges.of_corner, dtype=np.int64), halfway, pieces[face_of], reach[face_of])


def sign_elements(mesh: Mesh, kind: MarkKind, elements: AnyInts) -> Floats:
    """Return a sign (k, 3) of each of some elements: u, v, piece; NaN where the mesh has no parameters."""
    signs = signs_of(mesh, kind)
    result = np.full((len(elements), 3), np.nan)
    if signs is None:
        return result
    first = np.full(int(signs.elements.max()) + 1, -1, dtype=np.int64)
    first[signs.elements[::-1]] = np.arange(len(signs.elements))[::-1]
    known = np.array([element < len(first) and first[element] >= 0 for element in elements], dtype=bool)
    at = first[np.asarray(elements)[known]]
    result[known, :2], result[known, 2] = signs.uv[at], signs.pieces[at]
    return result


def find_signed(mesh: Mesh, kind: MarkKind, places: Floats, uv: Floats, pieces: Sequence[Sequence[int] | None]) -> Ints:
    """Return the element (k,) of each sign, parameters uv (k, 2) on one of some pieces, -1 for one that none has now; of
    several the nearest to places (k, 3) mm.

    A sign without pieces, None, is found by its place alone; so are all of a mesh without parameters. What lies at its place
    still, with its parameters, is it whatever its piece: pieces are numbered anew where bodies come in before them.
    """
    there, middles = signs_of(mesh, kind), element_middles(mesh, kind)
    found = np.full(len(places), -1, dtype=np.int64)
    if not len(middles) or not len(places):
        return found
    search = None if there is None else _Search(there, middles)
    for row, (place, sign, allowed) in enumerate(zip(places, uv, pieces, strict=True)):
        if search is None or allowed is None:
            near = np.arange(len(middles))
        else:
            near = search.still_at(place, sign)
            near = near if len(near) else search.alike(sign, tuple(allowed))
        if len(near):
            found[row] = near[first_least(lengths(middles[near] - place))]
    return found


class _Search:
    """Looks for signs among all of a mesh: trees are made when first asked for."""

    def __init__(self, signs: Signs, middles: Floats) -> None:
        self.signs = signs
        self.middles = scipy.spatial.cKDTree(middles)
        self.order = np.argsort(signs.elements, kind="stable")
        self.sorted = signs.elements[self.order]
        self.trees: dict[tuple[int, ...], tuple[Ints, scipy.spatial.cKDTree]] = {}

    def still_at(self, place: Floats, sign: Floats) -> Ints:
        """Return the element (1,) at a place (3,) that has a sign's parameters (2,), else none (0,)."""
        away, nearest = self.middles.query(place)
        if away > HERE:
            return np.zeros(0, dtype=np.int64)
        own = self.order[slice(*np.searchsorted(self.sorted, (nearest, nearest + 1)))]
        is_same = len(own) > 0 and lengths(self.signs.uv[own] - sign).min() <= 2 * SAME
        return np.array([nearest] if is_same else [], dtype=np.int64)

    def alike(self, sign: Floats, pieces: tuple[int, ...]) -> Ints:
        """Return the elements (k,) of some pieces whose parameters are those of a sign (2,), or the nearest within reach."""
        if pieces not in self.trees:
            own = np.flatnonzero(np.isin(self.signs.pieces, pieces))
            self.trees[pieces] = own, scipy.spatial.cKDTree(self.signs.uv[own])
        own, tree = self.trees[pieces]
        if not len(own):
            return own
        off, best = tree.query(sign)
        if off > REACH * self.signs.reach[own[best]] + SAME:
            return own[:0]
        return np.unique(self.signs.elements[own[tree.query_ball_point(sign, off + SAME)]])
