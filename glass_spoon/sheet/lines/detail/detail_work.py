"""What verbs on marks share: the mesh, its marks, and what is told of what was made."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Annotated, Any, Literal

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, Ints, directions, first_least, lengths
from glass_spoon.kernel.detail.rails import Rails
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.meshes.closest_on_mesh import NearestOnMesh
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.origin import Reworked
from glass_spoon.kernel.surfaces.evaluate.closest_points import closest_points
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_points
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet
from glass_spoon.sheet.fields import ChoiceSpec, Items, LawSpec, LawText, Number, NumberSpec, ReferencesSpec
from glass_spoon.sheet.handle import Handle, ItemOf, length_handle
from glass_spoon.sheet.items import Aim, Done, Item, MeshItem, Note
from glass_spoon.sheet.line import Action, Given
from glass_spoon.sheet.lines.mesh_work.fields import mark_offers, marked_edges, marked_faces, marked_points, several
from glass_spoon.sheet.lines.mesh_work.mesh_work import MeshWork
from glass_spoon.sheet.phrase import Phrase

SINGLY = Phrase(
    r"each(?: (?:one )?by itself)?|one (?:by one|at a time)|separately|singly",
    {"grouping": "each by itself"},
    finds=False,
)
"""Words that say that faces are worked on one by one."""

MarkedFaces = Annotated[Items, ReferencesSpec("Marks of the faces.", "mark", least=1)]
MarkedEdges = Annotated[Items, ReferencesSpec("Marks of the edges.", "mark", least=1)]
MarkedAny = Annotated[Items, ReferencesSpec("Marks of what is worked on.", "mark", least=1)]
Reach = Annotated[
    Number,
    NumberSpec("How far about them points follow, less and less; 0 for none.", "length", least=0, most=1e6, named=True),
]
FadeLaw = Annotated[
    LawText, LawSpec("How they follow: from 1 where marked or dragged to 0 at the reach.", said=("as", "law"))
]
FadeThrough = Annotated[
    Literal["along the mesh", "in space"], ChoiceSpec("How the distance is taken.", ("along the mesh", "in space"))
]
OTHER_SIDE = {"left and right": 0, "front and back": 1}
"""The coordinate that is turned over, of each way in which something is mirrored."""

Mirrored = Annotated[
    Literal["this side alone", "left and right", "front and back"],
    ChoiceSpec(
        "Whether what lies across the middle of the space goes too, mirrored.",
        ("this side alone", "left and right", "front and back"),
        ("as they are", "mirrored left and right", "mirrored front and back"),
    ),
]
Held = Annotated[
    Literal["free", "on its surface"],
    ChoiceSpec(
        "Whether points lie where they come, or are brought onto the surface that the mesh stands for, or its faces.",
        ("free", "on its surface"),
        ("left where they come", "held to its surface"),
    ),
]


class DetailWork(MeshWork):
    """A verb on marks of a mesh, which it leaves under its name."""

    chapter = "Detail"

    def ways_to_start(self) -> tuple[Action, ...]:
        """Offer marks that may be meant where there is none."""
        return mark_offers(("rim",) if self.ends_are_rims else self.acts_on)

    def aimed(self) -> str:
        """Return the field whose value is drawn where the work is, "" for none."""
        return ""

    def handles(self, values: Mapping[str, Any], item_of: ItemOf) -> list[Handle]:
        """Return the value that is drawn where the work is."""
        item, field = item_of("mesh"), self.aimed()
        aim = item.done.aim if isinstance(item, MeshItem) and item.done is not None else None
        if aim is None or not field:
            return []
        return [length_handle(field, float(values[field]), aim.place, aim.way, aim.size)]

    def faces_of(self, given: Given, item: MeshItem) -> Bools:
        """Return the marked faces (f,); KernelError for none."""
        return _some(marked_faces(given, "marks", item), "faces")

    def edges_of(self, given: Given, item: MeshItem) -> Bools:
        """Return the marked edges (e,); KernelError for none."""
        return _some(marked_edges(given, "marks", item), "edges")

    def points_of(self, given: Given, item: MeshItem) -> Bools:
        """Return the marked points (n,); KernelError for none."""
        return _some(marked_points(given, "marks", item), "points")

    def rims_of(self, given: Given, item: MeshItem) -> tuple[Bools, Bools]:
        """Return the edges (e,) that marks of edges hold, and the faces (f,) that marks of faces do, to be taken out."""
        edges = np.zeros(len(item.mesh.topology.edges.ends), dtype=bool)
        faces = np.zeros(item.mesh.face_count, dtype=bool)
        for mark in given.marks("marks"):
            found = mark.on(item)
            if found.kind == "face":
                faces |= found.faces()
            else:
                edges |= found.edges()
        if not edges.any() and not faces.any():
            raise KernelError("The marks find nothing on this mesh now: change their rule, or what is above them.")
        return edges, faces


def rim_edges(given: Given, item: MeshItem) -> Bools:
    """Return the edges (e,) that the marks hold: of marked faces those along their rim. KernelError for none."""
    topology = item.mesh.topology
    found = np.zeros(len(topology.edges.ends), dtype=bool)
    for mark in (one.on(item) for one in given.marks("marks")):
        if mark.kind == "face":
            inside = mark.faces()[topology.face_of_corner]
            found |= np.bincount(topology.edges.of_corner[inside], minlength=len(found)) == 1
        else:
            found |= mark.edges()
    return _some(found, "edges")


def _some(found: Bools, what: str) -> Bools:
    """Return marks; KernelError where there are none."""
    if not found.any():
        raise KernelError(f"The marks find no {what} on this mesh now: change their rule, or what is above them.")
    return found


def done_faces(done: Reworked, role: str, aim: Aim | None = None) -> Done:
    """Return the faces of a role, to be shown, and where the value is drawn."""
    return Done("face", np.flatnonzero(done.origin.faces_in(role)), aim)


def edge_aim(mesh: Mesh, edges: Bools, faces: Bools | None = None) -> Aim | None:
    """Return the middle of the marked edge (e,) nearest to the middle of all, and the way from it into a face beside it.

    faces (f,): the faces into which it may go, all for None; None where there is no such edge.
    """
    topology = mesh.topology
    corner = np.flatnonzero(edges[topology.edges.of_corner])
    if faces is not None:
        corner = corner[faces[topology.face_of_corner[corner]]]
    if not len(corner):
        return None
    start = mesh.positions[topology.face_corners[corner]]
    end = mesh.positions[topology.face_corners[topology.next_corner[corner]]]
    middles = (start + end) / 2
    best = int(first_least(lengths(middles - middles.mean(axis=0))))
    normal = mesh.face_normals[topology.face_of_corner[corner[best]]]
    way = directions(np.cross(normal, end[best] - start[best]))
    return Aim(middles[best], way) if float(np.abs(way).max()) > 0 else None


def across_aim(mesh: Mesh, edges: Sequence[int]) -> Aim | None:
    """Return the first of some edges as the way of a share: from its lower end to its upper."""
    if not edges:
        return None
    start, end = mesh.positions[mesh.topology.edges.ends[edges[0]]]
    size = float(np.linalg.norm(end - start))
    return Aim(start, (end - start) / size, size) if size > 0 else None


def rails_aim(mesh: Mesh, rails: Rails, *, share: bool = False, back: bool = False) -> Aim | None:
    """Return the rail nearest to the middle of all, as the way of a distance, or of a share of it; back: the other way."""
    places = mesh.positions[rails.points]
    best = int(first_least(lengths(places - places.mean(axis=0))))
    size = float(lengths(rails.ways[best : best + 1])[0])
    if not size > 0:
        return None
    way = rails.ways[best] / size
    return Aim(places[best], -way if back else way, size if share else 1.0)


def fold_note(folded: Ints, fits: float, size: float, field: str, unit: str = "mm") -> tuple[Note, ...]:
    """Return a note on faces that fold, with the largest size that folds none as a way out."""
    if not len(folded):
        return ()
    largest = float(f"{0.99 * fits * abs(size):.3g}") * (1 if size > 0 else -1)
    sentence = f"{several(len(folded), 'face')} would fold: the largest that folds none is {largest:g} {unit}."
    ways = ((f"Take {largest:g} {unit}", field, f"{largest:g} {unit}"),) if abs(largest) > 0 else ()
    return (Note("folds", sentence, ways, "face"),)


def worked_place(item: Item | None) -> tuple[Floats, Floats] | None:
    """Return the middle (3,) of what a line worked on, as it is now, and the mean normal (3,) there; None where not known."""
    if not isinstance(item, MeshItem) or item.done is None or not len(item.done.elements):
        return None
    mesh, elements = item.mesh, item.done.elements
    if item.done.kind == "face":
        places, normals = mesh.face_centers[elements], mesh.face_vectors[elements]
    elif item.done.kind == "point":
        places, normals = mesh.positions[elements], mesh.vertex_normals[elements]
    else:
        return None
    return places.mean(axis=0), directions(normals.sum(axis=0))


def on_surface(item: MeshItem, places: Floats, points: Ints, held: str) -> Floats:
    """Return places (n, 3) with some points (k,) brought onto the mesh's surface, or its own faces; as they are when free."""
    if held == "free" or not len(points):
        return places
    shape = item.surface
    own = places[points]
    if shape is None or (isinstance(shape, SurfaceSet) and shape.caps):
        feet = NearestOnMesh(item.mesh).ask(own)[0]
    else:
        surfaces = shape.surfaces if isinstance(shape, SurfaceSet) else (shape,)
        found = [closest_points(surface, own) for surface in surfaces]
        nearest = np.stack([away for _, _, away in found]).argmin(axis=0)
        every = np.stack([surface_points(surface, u, v) for surface, (u, v, _) in zip(surfaces, found, strict=True)])
        feet = every[nearest, np.arange(len(own))]
    result = places.copy()
    result[points] = feet
    return result


def mirror_turn(mirrored: str) -> Floats:
    """Return the factors (3,) of coordinates that turn one side over to the other."""
    turn = np.ones(3)
    turn[OTHER_SIDE[mirrored]] = -1.0
    return turn
