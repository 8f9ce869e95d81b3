"""Bodies: one mesh and the places where it stands, not written out until something needs all its faces."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np

from glass_spoon.kernel.errors import InvalidInput, TooManyFaces
from glass_spoon.kernel.repeat.placements import Placements
from glass_spoon.kernel.repeat.repeat_mesh import repeat_mesh
from glass_spoon.kernel.repeat.repeat_set import MOST_SURFACES, repeat_set
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet, one_as_set
from glass_spoon.sheet.mesh_item import FACE_LIMIT, MeshItem, Piece, placed_mesh

MOST_COPIES = 100_000
"""Most copies of a body."""


@dataclass(frozen=True, eq=False)
class BodiesItem:
    """A mesh at many places. body: the mesh; places: of each copy, in the order in which they are counted.

    told: a sentence on what its making did, "" for none. lines: ids of the lines that repeated it and copied it, in order.
    """

    body: MeshItem
    places: Placements
    told: str = ""
    lines: tuple[str, ...] = ()
    kind: str = field(default="bodies", init=False)

    @property
    def face_count(self) -> int:
        """Faces of all copies."""
        return self.body.mesh.face_count * len(self.places)

    @cached_property
    def whole(self) -> MeshItem:
        """All copies as one mesh, nothing welded: pieces of each copy are pieces of their own. Raises TooManyFaces."""
        if self.face_count > FACE_LIMIT:
            raise TooManyFaces(self.face_count, FACE_LIMIT)
        body, pieces = self.body, self.body.every_piece
        numbers = body.mesh.faces.get("piece", np.zeros(body.mesh.face_count, dtype=np.int32))
        numbered = replace(body.mesh, faces={**body.mesh.faces, "piece": numbers})
        mesh = repeat_mesh(numbered, self.places, len(pieces))
        mirrored = np.repeat(self.places.determinants < 0, len(body.mesh.topology.face_corners))
        if "uv" in mesh.corners and body.surface is not None and mirrored.any():
            u, v = mesh.corners["uv"].T  # a mirrored surface runs the other way round
            mesh = replace(mesh, corners={**mesh.corners, "uv": np.column_stack((np.where(mirrored, 1 - u, u), v))})
        stands = _repeated(body.surface, self.places, len(pieces))
        every = (self._piece(piece, k) for k, piece in enumerate(pieces * len(self.places)))
        return MeshItem(mesh, stands, pieces=tuple(every), makers=body.makers, told=self.told)

    def one(self, number: int) -> MeshItem:
        """One body where it stands, counted from 0."""
        placed = placed_mesh(self.body, self.places[number])
        pieces = placed.every_piece
        own = (self._piece(piece, number * len(pieces) + k) for k, piece in enumerate(pieces))
        return replace(placed, pieces=tuple(own))

    def _piece(self, piece: Piece, number: int) -> Piece:
        """Return a piece of one copy: known as what came of the body's, and told from those of all other copies."""
        if not self.lines:
            return piece
        made_by = (*piece.made_by, *(line for line in self.lines if line not in piece.made_by))
        return replace(piece, key=f"{piece.key}.{self.lines[-1]}-{number}", made_by=made_by)


def stand_bodies(body: MeshItem, places: Placements) -> BodiesItem:
    """Return a mesh at places; raises InvalidInput for none, or more than can be."""
    if not 1 <= len(places) <= MOST_COPIES:
        raise InvalidInput("The number of copies", f"1 to {MOST_COPIES:,}", f"{len(places):,}")
    return BodiesItem(replace(body, notes=(), told="", done=None), places)


def _repeated(
    surface: NurbsSurface | SurfaceSet | None, places: Placements, pieces: int
) -> NurbsSurface | SurfaceSet | None:
    """Return what repeated bodies stand for, where their pieces are those of the surfaces; else None."""
    if surface is None:
        return None
    shape = one_as_set(surface) if isinstance(surface, NurbsSurface) else surface
    fits = len(shape.surfaces) == pieces and pieces * len(places) <= MOST_SURFACES
    return repeat_set(shape, places) if fits else None
