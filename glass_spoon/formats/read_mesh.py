"""Meshes out of files: what every reader gives, and the sentences for what cannot be read."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from glass_spoon.kernel.arrays import AnyInts, Floats, Ints
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.topology import make_topology

MOST_TRIANGLES = 2_000_000
"""Largest mesh that is taken in, its faces counted as triangles."""

MOST_BYTES = 200_000_000
"""Largest file that is read."""

MILLIMETRES = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "inch": 25.4, "foot": 304.8}
"""Millimetres of one of each unit that may be chosen."""


Progress = Callable[[float], None]
"""Takes the share of a file that is read, 0 to 1; what it raises ends the reading."""


def untold(share: float) -> None:
    """Tell nobody the share of a file that is read."""


class UnreadableMesh(ValueError):
    """A file that holds no mesh that can be used; the text is a sentence for the modeler."""


@dataclass(frozen=True, eq=False)
class ReadMesh:
    """A mesh that was read. unit: millimetres of one unit of the file, None where it says none. groups: names of its pieces.

    left_out: sentences on what could not be taken. colors: of the groups, linear red, green, blue, where the file has any.
    """

    mesh: Mesh
    unit: float | None
    groups: tuple[str, ...] = ()
    left_out: tuple[str, ...] = ()
    colors: tuple[tuple[float, float, float] | None, ...] = ()

    def in_millimetres(self, unit: float) -> Mesh:
        """Return the mesh with one unit of the file as `unit` millimetres."""
        return replace(self.mesh, positions=self.mesh.positions * unit) if unit != 1.0 else self.mesh


def checked_mesh(
    positions: Floats, corners: AnyInts, offsets: Ints, uv: Floats | None, pieces: Ints | None
) -> tuple[Mesh, tuple[str, ...]]:
    """Return a mesh of what a file holds, faces that are none left out and told; uv (h, 2) at corners, pieces (f,).

    Raises UnreadableMesh where nothing is left, where it is too large, or where numbers are not finite or vertices missing.
    """
    if not len(offsets) or len(offsets) < 2:
        raise UnreadableMesh("The file holds no faces. Export the mesh with its faces and try again.")
    triangles = int((np.diff(offsets) - 2).clip(0).sum())
    if triangles > MOST_TRIANGLES:
        raise UnreadableMesh(f"The mesh has {triangles:,} triangles; the most is {MOST_TRIANGLES:,}. Reduce it before.")
    if not np.isfinite(positions).all():
        raise UnreadableMesh("Some points of the file are no numbers. Export it again.")
    if corners.min(initial=0) < 0 or corners.max(initial=-1) >= len(positions):
        raise UnreadableMesh("Some faces name points that the file does not hold. Export it again.")
    good = _good_faces(corners, offsets)
    bad = int((~good).sum())
    told: tuple[str, ...] = ()
    if bad:
        if not good.any():
            raise UnreadableMesh("No face of the file has three different points.")
        kept = np.repeat(good, np.diff(offsets))
        corners, uv = corners[kept], None if uv is None else uv[kept]
        pieces = None if pieces is None else pieces[good]
        offsets = np.concatenate(([0], np.cumsum(np.diff(offsets)[good])))
        told = (f"{bad:,} face{' was' if bad == 1 else 's were'} left out: fewer than three points, or one point twice.",)
    try:
        topology = make_topology(len(positions), corners, offsets=offsets)
    except KernelError as error:
        raise UnreadableMesh(f"The faces of the file cannot be used. {error}") from error
    faces = {} if pieces is None else {"piece": pieces.astype(np.float64)}
    return Mesh(topology, positions, corners={} if uv is None else {"uv": uv}, faces=faces), told


def _good_faces(corners: AnyInts, offsets: Ints) -> np.ndarray:
    """Mark faces (f,) with three corners or more, all different."""
    sides = np.diff(offsets)
    face = np.repeat(np.arange(len(sides)), sides)
    order = np.lexsort((corners, face))
    twice = (face[order][1:] == face[order][:-1]) & (corners[order][1:] == corners[order][:-1])
    good = sides >= 3
    good[face[order][1:][twice]] = False
    return np.asarray(good)


def merged_alike(points: Floats) -> tuple[Floats, Ints]:
    """Return the different rows of points (n, 3), in the order in which they come, and the row (n,) of each point.

    Only the very same numbers are one; -0 counts as 0.
    """
    bits = np.ascontiguousarray(points + 0.0).view(np.int64)
    order = np.lexsort(bits.T)
    ordered = bits[order]
    starts = np.concatenate(([True], (ordered[1:] != ordered[:-1]).any(axis=1)))[: len(points)]
    group = np.empty(len(points), dtype=np.int64)
    group[order] = np.cumsum(starts) - 1
    first = order[starts]
    in_order = np.argsort(first)
    rank = np.empty(len(first), dtype=np.int64)
    rank[in_order] = np.arange(len(first))
    return points[first[in_order]], rank[group]
