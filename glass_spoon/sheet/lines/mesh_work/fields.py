"""Fields and findings that verbs on meshes share."""

from __future__ import annotations

from typing import Annotated

import numpy as np

from glass_spoon.kernel.arrays import Bools
from glass_spoon.kernel.gauges.defects import nearest_twins, read_folded
from glass_spoon.kernel.gauges.face_figures import FaceFigures, figures_of
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.sheet.fields import ItemName, Items, NameSpec, ReferenceSpec, ReferencesSpec
from glass_spoon.sheet.items import Item, MeshItem
from glass_spoon.sheet.line import Action, Finding, Given

ChangedMesh = Annotated[str, ReferenceSpec("The mesh to work on.", "mesh", changes=True)]
MeshName = Annotated[ItemName, NameSpec("Name of the mesh.")]
HeldMarks = Annotated[Items, ReferencesSpec("Marks that stay as they are.", "mark", least=0)]


_OFFERED: dict[str, tuple[tuple[str, tuple[tuple[str, str], ...]], ...]] = {
    "face": (
        ("Mark the faces that look up", (("what", "faces facing"), ("towards", "up"))),
        ("Mark all its faces", (("what", "everything"),)),
    ),
    "edge": (("Mark its sharp edges", (("what", "sharp edges"),)), ("Mark its open rim", (("what", "rim"),))),
    "rim": (
        ("Mark its open rims", (("what", "rim"),)),
        ("Mark its lowest rim", (("what", "lowest rim"),)),
        ("Mark its highest rim", (("what", "highest rim"),)),
    ),
    "point": (("Mark its corners", (("what", "corners"),)),),
}
"""What may be marked at once of a mesh, by the kind of elements: the words, and the values of the mark line."""

SLIVER = 0.01
"""An edge shorter than this share of the mean edge is a sliver's."""

FLAT_CORNER = np.radians(175)
"""A face with a wider corner is a triangle by its looks."""

DOUBLED_SHARE = 1e-6
"""Vertices nearer to each other than this share of the mean edge are doubled."""


def mark_offers(kinds: tuple[str, ...]) -> tuple[Action, ...]:
    """Return marks that may be meant for a verb of some kinds of elements: all of one kind, or the first of each."""
    most = 3 if len(kinds) == 1 else 1
    offered = [one for kind in kinds for one in _OFFERED[kind][:most]]
    return tuple(Action(label, "marks", "", values, adds="mark") for label, values in offered)


def fold_findings(mesh: Mesh) -> list[Finding]:
    """Return what to tell about folded faces of a mesh: nothing when there are none."""
    return _folds(figures_of(mesh))


def _folds(figures: FaceFigures) -> list[Finding]:
    """Return what to tell about folded faces."""
    folded = read_folded(figures).offenders
    if not len(folded):
        return []
    one = len(folded) == 1
    sentence = f"{len(folded)} face{' is' if one else 's are'} folded or inside out."
    return [Finding("folded", "look", sentence, kind="face", offenders=tuple(folded.tolist()))]


def made_findings(mesh: Mesh) -> list[Finding]:
    """Return what to tell of a mesh that was just made, whatever the limits of the gauges: folds, doubled vertices, edges
    and corners that no good face has.
    """
    if not mesh.face_count:
        return []
    figures = figures_of(mesh)
    found = _folds(figures)
    mean = float(figures.edge_lengths.mean())
    twins = nearest_twins(mesh, DOUBLED_SHARE * mean)
    doubled = np.flatnonzero(twins != np.arange(mesh.point_count))
    if len(doubled):
        lie = "lies on another" if len(doubled) == 1 else "lie on others"
        sentence = f"{several(len(doubled), 'vertex')} {lie}: weld them, or move apart what lies there twice."
        found.append(Finding("doubled_points", "look", sentence, kind="point", offenders=tuple(doubled.tolist())))
    short = np.flatnonzero(figures.edge_lengths < SLIVER * mean)
    if len(short):
        are = "is" if len(short) == 1 else "are"
        sentence = f"{several(len(short), 'edge')} {are} shorter than a hundredth of the mean edge: try another density."
        found.append(Finding("slivers", "look", sentence, kind="edge", offenders=tuple(short.tolist())))
    flat = np.flatnonzero((figures.largest_corners > FLAT_CORNER) & (figures.largest_corners < 2 * np.pi - FLAT_CORNER))
    if len(flat):
        have = "has" if len(flat) == 1 else "have"
        sentence = f"{several(len(flat), 'face')} {have} a corner of more than 175°: try another density."
        found.append(Finding("flat_corners", "look", sentence, kind="face", offenders=tuple(flat.tolist())))
    return found


def noted_findings(item: MeshItem) -> list[Finding]:
    """Return a finding for each note of a mesh."""
    return [
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


def mesh_findings(item: Item) -> list[Finding]:
    """Return a finding for each note of a mesh, and those on folded faces."""
    return [*noted_findings(item), *fold_findings(item.mesh)] if isinstance(item, MeshItem) else []


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


def fitting_text(largest: float) -> str:
    """Return a length a little below the largest that fits, in mm, as it is typed."""
    return f"{float(f'{0.98 * largest:.3g}'):g} mm"


def several(count: int, noun: str) -> str:
    """Write a count with its noun, as in `1 face` and `1,204 faces`."""
    plural = {"vertex": "vertices", "body": "bodies"}.get(noun, f"{noun}s")
    return f"{count:,} {noun if count == 1 else plural}"


def length_text(value: float) -> str:
    """Write a length in mm with three digits that count, or whole from a thousand on."""
    return f"{value:,.0f} mm" if value >= 1000 else f"{value:.3g} mm"
