"""Meshes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import ClassVar

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.alter.place_curve import Placement
from glass_spoon.kernel.errors import TooManyFaces
from glass_spoon.kernel.mesh_edits.keep_and_merge import keep_faces
from glass_spoon.kernel.repeat.place_mesh import place_mesh
from glass_spoon.kernel.repeat.repeat_mesh import repeat_mesh
from glass_spoon.kernel.surfaces.alter.edit_surface import place_surface
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet, one_as_set, place_set
from glass_spoon.sheet.items import MeshItem
from glass_spoon.sheet.kinds.kind import Kind
from glass_spoon.sheet.kinds.surface import MOST_SURFACES, repeated_set
from glass_spoon.sheet.line import FACE_LIMIT

Stands = NurbsSurface | SurfaceSet | None


class MeshKind(Kind[MeshItem]):
    """A mesh: it goes with the surface that it stands for, and what is known of its faces goes with it."""

    name: ClassVar[str] = "mesh"
    noun: ClassVar[str] = "mesh"
    plural: ClassVar[str] = "meshes"
    several: ClassVar[str] = "mesh"
    single: ClassVar[str] = "mesh"
    parts: ClassVar[str] = "islands"

    def places(self, item: MeshItem) -> Floats:
        """Return its vertices."""
        return item.mesh.positions

    def place(self, item: MeshItem, placement: Placement) -> MeshItem:
        """Place it; a mirrored one faces as before, and its surface runs the other way round."""
        mesh = place_mesh(item.mesh, placement)
        if "uv" in mesh.corners and item.surface is not None and float(np.linalg.det(placement.matrix)) < 0:
            u, v = mesh.corners["uv"].T
            mesh = replace(mesh, corners={**mesh.corners, "uv": np.column_stack((1 - u, v))})
        surface = _placed(item.surface, placement)
        return replace(item, mesh=mesh, surface=surface, notes=(), told="", done=None)

    def repeat(self, item: MeshItem, placements: Sequence[Placement]) -> MeshItem:
        """Repeat it as one mesh, nothing welded: pieces of each copy are pieces of their own."""
        times, pieces = len(placements), item.every_piece
        if item.mesh.face_count * times > FACE_LIMIT:
            raise TooManyFaces(item.mesh.face_count * times, FACE_LIMIT)
        numbers = item.mesh.faces.get("piece", np.zeros(item.mesh.face_count, dtype=np.int32))
        mesh = repeat_mesh(replace(item.mesh, faces={**item.mesh.faces, "piece": numbers}), tuple(placements), len(pieces))
        return MeshItem(mesh, _repeated(item.surface, placements, len(pieces)), pieces=pieces * times, makers=item.makers)

    def size(self, item: MeshItem) -> int:
        """Count the islands: parts that no edge joins."""
        return int(item.mesh.topology.components.max(initial=-1)) + 1

    def take(self, item: MeshItem, number: int) -> MeshItem:
        """Take one island, in the order of their first faces."""
        islands = item.mesh.topology.components
        order = islands[np.sort(np.unique(islands, return_index=True)[1])]
        kept = keep_faces(item.mesh, np.flatnonzero(islands == order[number]))
        return MeshItem(kept.mesh, item.surface, pieces=item.pieces, makers=item.makers)


def _placed(surface: Stands, placement: Placement) -> Stands:
    """Return what a mesh stands for, placed."""
    if surface is None:
        return None
    return place_surface(surface, placement) if isinstance(surface, NurbsSurface) else place_set(surface, placement)


def _repeated(surface: Stands, placements: Sequence[Placement], pieces: int) -> Stands:
    """Return what a repeated mesh stands for, where its pieces are those of the surfaces; else None."""
    if surface is None:
        return None
    shape = one_as_set(surface) if isinstance(surface, NurbsSurface) else surface
    fits = len(shape.surfaces) == pieces and pieces * len(placements) <= MOST_SURFACES
    return repeated_set(shape, placements) if fits else None
