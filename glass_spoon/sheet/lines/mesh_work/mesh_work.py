"""The base of verbs that work on one mesh: a verb says its fields, its sentence, how many faces come, and does its work."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import ClassVar

import numpy as np

from glass_spoon.kernel.arrays import Ints
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.origin import KEPT, Reworked
from glass_spoon.sheet.items import Done, Item, Maker, MeshItem, Note, Piece
from glass_spoon.sheet.line import Finding, Given, Line
from glass_spoon.sheet.lines.mesh_work.fields import ChangedMesh, mesh_findings
from glass_spoon.sheet.lines.mesh_work.gauges_told import change_told


@dataclass(frozen=True, eq=False)
class Worked:
    """What a verb made of a mesh: the change, a sentence on it, what is worth a look, and what the sentence speaks of.

    pieces: by the numbers that faces carry now, None where they are as before. stands: it still stands for its surface.
    """

    reworked: Reworked
    told: str = ""
    notes: tuple[Note, ...] = ()
    done: Done | None = None
    pieces: tuple[Piece, ...] | None = None
    stands: bool = True


class MeshWork(Line):
    """A verb that works on a mesh and leaves it under its name.

    A subclass gives its sentence with {mesh}, `predict_faces` and `work`. Attributes are carried by their rules, what the
    work made is signed with this line and its roles, the result is checked, and what it did to the worst faces is told.
    """

    chapter = "Mesh"
    signs: ClassVar[bool] = True
    stays_put: ClassVar[bool] = True

    mesh: ChangedMesh = ""

    def predict_faces(self, given: Given) -> int:
        """Return the number of faces that there will be, before the work."""
        raise NotImplementedError

    def work(self, given: Given, item: MeshItem) -> Worked:
        """Do the work on a mesh; raises KernelError with a sentence when it cannot."""
        raise NotImplementedError

    def build(self, given: Given) -> MeshItem:
        """Work, sign, and tell what became of the gauges."""
        item = given.mesh("mesh")
        worked = self.work(given, item)
        signed, makers = sign(worked.reworked, item.makers, given.ids[""])
        told = " ".join(part for part in (worked.told, change_told(item.mesh, signed)) if part)
        pieces = item.pieces if worked.pieces is None else worked.pieces
        surface = item.surface if worked.stands else None
        return MeshItem(signed, surface, worked.notes, told, None, pieces, makers, worked.done, item.frame)

    def inspect(self, item: Item) -> list[Finding]:
        """Tell the notes, and point at folded faces."""
        return mesh_findings(item)


def sign(reworked: Reworked, makers: tuple[Maker, ...], line: str) -> tuple[Mesh, tuple[Maker, ...]]:
    """Return the mesh with what a line made numbered as its own, and the makers with those of its roles that occur."""
    mesh, origin = reworked.mesh, reworked.origin
    faces, edges = origin.face_roles, origin.edge_roles
    for number, role in enumerate(origin.roles):
        if role == KEPT or not any(part is not None and (part == number).any() for part in (faces, edges)):
            continue
        maker = Maker(line, role)
        makers = makers if maker in makers else (*makers, maker)
        own = makers.index(maker) + 1
        if faces is not None and (faces == number).any():
            mesh = replace(mesh, faces={**mesh.faces, "maker": _numbered(mesh.faces.get("maker"), faces == number, own)})
        if edges is not None and (edges == number).any():
            mesh = replace(mesh, edges={**mesh.edges, "maker": _numbered(mesh.edges.get("maker"), edges == number, own)})
    return mesh, makers


def _numbered(values: Ints | None, chosen: np.ndarray, number: int) -> Ints:
    """Return numbers with some elements given another."""
    return np.where(chosen, number, 0 if values is None else values).astype(np.int32)
