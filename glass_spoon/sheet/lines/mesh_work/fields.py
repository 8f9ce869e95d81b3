"""Fields and findings that verbs on meshes share."""

from __future__ import annotations

from typing import Annotated

import numpy as np

from glass_spoon.kernel.arrays import Bools
from glass_spoon.kernel.gauges.defects import read_folded
from glass_spoon.kernel.gauges.face_figures import figures_of
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.sheet.fields import ItemName, Items, NameSpec, ReferenceSpec, ReferencesSpec
from glass_spoon.sheet.items import Item, MeshItem
from glass_spoon.sheet.line import Action, Finding, Given

ChangedMesh = Annotated[str, ReferenceSpec("The mesh to work on.", "mesh", changes=True)]
MeshName = Annotated[ItemName, NameSpec("Name of the mesh.")]
HeldMarks = Annotated[Items, ReferencesSpec("Marks that stay as they are.", "mark", least=0)]


def fold_findings(mesh: Mesh) -> list[Finding]:
    """Return what to tell about folded faces of a mesh: nothing when there are none."""
    folded = read_folded(figures_of(mesh)).offenders
    if not len(folded):
        return []
    one = len(folded) == 1
    sentence = f"{len(folded)} face{' is' if one else 's are'} folded or inside out."
    return [Finding("folded", "look", sentence, kind="face", offenders=tuple(folded.tolist()))]


def mesh_findings(item: Item) -> list[Finding]:
    """Return a finding for each note of a mesh, and those on folded faces."""
    if not isinstance(item, MeshItem):
        return []
    noted = [
        Finding(
            note.code,
            "look",
            note.sentence,
            tuple(Action(label, field, value) for label, field, value in note.ways_out),
            note.kind,
            note.offenders,
        )
        for note in item.notes
    ]
    return [*noted, *fold_findings(item.mesh)]


def marked_points(given: Given, name: str, item: MeshItem) -> Bools:
    """Return the vertices (n,) that the marks of a field touch on a mesh."""
    found = np.zeros(item.mesh.point_count, dtype=bool)
    for mark in given.marks(name):
        found |= mark.on(item).points()
    return found


def marked_edges(given: Given, name: str, item: MeshItem) -> Bools:
    """Return the edges (e,) that the marks of a field hold on a mesh."""
    found = np.zeros(len(item.mesh.topology.edges.ends), dtype=bool)
    for mark in given.marks(name):
        found |= mark.on(item).edges()
    return found


def marked_faces(given: Given, name: str, item: MeshItem) -> Bools:
    """Return the faces (f,) that the marks of a field hold on a mesh."""
    found = np.zeros(item.mesh.face_count, dtype=bool)
    for mark in given.marks(name):
        found |= mark.on(item).faces()
    return found


def several(count: int, noun: str) -> str:
    """Write a count with its noun, as in `1 face` and `1,204 faces`."""
    plural = {"vertex": "vertices"}.get(noun, f"{noun}s")
    return f"{count:,} {noun if count == 1 else plural}"


def length_text(value: float) -> str:
    """Write a length in mm with three digits that count."""
    return f"{value:.3g} mm"
