"""Several meshes made one."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.imprint.solids import count_together
from glass_spoon.kernel.mesh_edits.gather_meshes import gather_meshes
from glass_spoon.kernel.mesh_edits.weld import weld
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.sheet.fields import Items, ReferencesSpec
from glass_spoon.sheet.items import Done, Item, Maker, MeshItem, Note
from glass_spoon.sheet.line import Action, Finding, Given, Line
from glass_spoon.sheet.lines.mesh_work.fields import MeshName, mesh_findings, several
from glass_spoon.sheet.lines.mesh_work.weld import Distance, WeldedPoints, weld_notes, weld_told

TOGETHER = "together"


class Unite(Line):
    """Several meshes made one, welded where they meet."""

    chapter = "Mesh"
    summary = "Unite several meshes to one, welded where their open edges meet."
    words = ("join", "merge", "attach", "combine", "weld", "shells", "one")
    sentence = "**Unite** {meshes}[, welding {points} within {distance}], giving {gives}."
    gives_kind = "mesh"
    signs = True
    uses_up = ("meshes",)

    verb: Literal["unite"] = "unite"
    meshes: Annotated[Items, ReferencesSpec("The meshes.", "mesh", least=2)] = []
    points: WeldedPoints = "open"
    distance: Distance = "0.01 mm"
    gives: MeshName = "whole"

    def predict_faces(self, given: Given) -> int:
        """Return the faces of all: no more come."""
        return sum(item.mesh.face_count for item in given.meshes("meshes"))

    def build(self, given: Given) -> MeshItem:
        """Lay the meshes together and weld them."""
        items = given.meshes("meshes")
        whole, makers = gather_makers(items)
        distance = given.number("distance")
        welded = weld(whole, distance, self.points)
        pieces = tuple(piece for item in items for piece in item.every_piece)
        notes = weld_notes(welded.plan, distance) + _together_notes([item.mesh for item in items])
        done = Done("point", welded.places)
        return MeshItem(welded.mesh, None, notes, weld_told(welded), pieces=pieces, makers=makers, done=done)

    def inspect(self, item: Item) -> list[Finding]:
        """Warn as a weld does, and offer to fuse bodies whose inner walls stay."""
        found = mesh_findings(item)
        fuse = (Action("Fuse them instead", "", "", instead="fuse"),)
        return [replace(one, actions=fuse) if one.code == TOGETHER else one for one in found]


def _together_notes(meshes: list[Mesh]) -> tuple[Note, ...]:
    """Tell of closed bodies that share space: a weld leaves their inner walls."""
    count = count_together(meshes)
    if not count:
        return ()
    sentence = (
        f"{several(count, 'body')} run into each other, or touch: Unite welds open edges alone and leaves the walls between "
        "them inside. Fuse makes one skin."
    )
    return (Note(TOGETHER, sentence),)


def gather_makers(items: list[MeshItem]) -> tuple[Mesh, tuple[Maker, ...]]:
    """Return the meshes laid together, and all their makers: numbers of each mesh are those of the common list."""
    makers: tuple[Maker, ...] = tuple(dict.fromkeys(maker for item in items for maker in item.makers))
    return gather_meshes([_renumbered(item, makers) for item in items]), makers


def _renumbered(item: MeshItem, makers: tuple[Maker, ...]) -> Mesh:
    """Return the mesh of an item whose faces and edges carry the numbers of another list of makers."""
    table = np.array([0, *(makers.index(maker) + 1 for maker in item.makers)], dtype=np.int32)
    mesh = item.mesh
    if "maker" in mesh.faces:
        mesh = replace(mesh, faces={**mesh.faces, "maker": table[mesh.faces["maker"]]})
    if "maker" in mesh.edges:
        mesh = replace(mesh, edges={**mesh.edges, "maker": table[mesh.edges["maker"]]})
    return mesh
