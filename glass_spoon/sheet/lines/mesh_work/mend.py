"""Weld, clean, unite, pair triangles, even out, turn over."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.meshes.clean_mesh import clean_mesh, reverse_faces
from glass_spoon.kernel.meshes.gather_meshes import gather_meshes
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.pair_triangles import pair_triangles
from glass_spoon.kernel.meshes.relax_mesh import relax_mesh
from glass_spoon.kernel.meshes.weld import Welded, WeldPlan, weld
from glass_spoon.sheet.fields import ChoiceSpec, Items, Number, NumberSpec, ReferencesSpec
from glass_spoon.sheet.items import Done, Item, MeshItem, Note
from glass_spoon.sheet.line import Finding, Given, Line
from glass_spoon.sheet.lines.mesh_work.fields import (
    ChangedMesh,
    HeldMarks,
    MeshName,
    length_text,
    marked_edges,
    marked_faces,
    marked_points,
    mesh_findings,
    several,
)
from glass_spoon.sheet.phrase import Phrase

Distance = Annotated[Number, NumberSpec("Points nearer than this become one.", "length", least=0, most=1e5, step=0.01)]
WeldedPoints = Annotated[
    Literal["all", "open", "edges"],
    ChoiceSpec(
        "Which points: all, only those on open edges, or those and the open edges that they lie on.",
        ("all", "open", "edges"),
        ("all points", "points of open edges", "open edges and points on them"),
    ),
]


class Weld(Line):
    """Points that lie together made one."""

    chapter = "Mesh"
    summary = "Weld the points of a mesh that lie within a distance; says first what would be lost."
    words = ("merge", "stitch", "close", "gaps", "doubles", "join points", "split", "seam", "doubled points")
    phrases = (Phrase(r"(?:close |small )*gaps(?: (?:of|up to|within) {distance})?", {"points": "edges"}),)
    sentence = "**Weld** {points} of {mesh} that lie within {distance}."

    verb: Literal["weld"] = "weld"
    mesh: ChangedMesh = ""
    points: WeldedPoints = "all"
    distance: Distance = "0.01 mm"

    def build(self, given: Given) -> MeshItem:
        """Weld, and tell what it did."""
        item = given.mesh("mesh")
        welded = weld(item.mesh, given.number("distance"), self.points)
        notes = weld_notes(welded.plan, given.number("distance"))
        return MeshItem(welded.mesh, item.surface, notes, weld_told(welded), done=Done("point", welded.places))

    def inspect(self, item: Item) -> list[Finding]:
        """Warn of detail that was lost, and of splits that were left."""
        return mesh_findings(item)


def weld_told(welded: Welded) -> str:
    """Say what a weld did."""
    low, high = welded.plan.safe
    range_text = f"up to {length_text(high)}" if low == 0 else f"from {length_text(low)} to {length_text(high)}"
    safe = f" Safe distances are {range_text}." if np.isfinite(high) else ""
    put_in = f", {several(welded.put_in, 'point')} put into open edges" if welded.put_in else ""
    return f"{several(welded.plan.merged, 'point')} become one with others{put_in}.{safe}"


def weld_notes(plan: WeldPlan, distance: float) -> tuple[Note, ...]:
    """Warn of a distance that takes detail, or that leaves splits."""
    low, high = plan.safe
    between = float(np.sqrt(max(low, high / 100) * high)) if np.isfinite(high) else 0.0
    way = (f"Try {between:.2g} mm", "distance", f"{between:.2g} mm")
    if plan.collapses:
        gone = f", {several(plan.faces, 'face')} vanish" if plan.faces else ""
        sentence = f"{several(plan.features, 'edge')} shrink to a point{gone}: the distance is larger than real detail."
        return (Note("weld_collapse", sentence, (way,) if between else ()),)
    if low > 0 and distance < low:
        return (
            Note("weld_split", f"Points {length_text(low)} apart stay split: the distance is too small for them.", (way,)),
        )
    return ()


class Clean(Line):
    """What a mesh should not have, taken out."""

    chapter = "Mesh"
    summary = "Clean a mesh: doubled faces and stray points go, it is parted where it is no manifold, faces face alike."
    words = ("repair", "fix", "mend", "tidy", "manifold", "doubled", "stray", "normals", "orientation")
    sentence = "**Clean** {mesh}."

    verb: Literal["clean"] = "clean"
    mesh: ChangedMesh = ""

    def build(self, given: Given) -> MeshItem:
        """Clean, and tell what was done."""
        item = given.mesh("mesh")
        done = clean_mesh(item.mesh)
        parts = [
            (done.doubled_faces, "doubled face", "taken out"),
            (done.stray_points, "stray point", "taken out"),
            (done.parted_points, "point", "parted where it was no manifold"),
            (done.turned_faces, "face", "turned to face like its neighbours"),
        ]
        told = "; ".join(f"{several(count, noun)} {words}" for count, noun, words in parts if count)
        told = f"{told}." if told else "There was nothing to clean."
        return MeshItem(done.mesh, item.surface, (), told, done=Done("face", done.faces))

    def inspect(self, item: Item) -> list[Finding]:
        """Point at folded faces."""
        return mesh_findings(item)


class Unite(Line):
    """Several meshes made one, welded where they meet."""

    chapter = "Mesh"
    summary = "Unite several meshes to one, welded where their open edges meet."
    words = ("join", "merge", "attach", "combine", "weld", "shells", "one")
    sentence = "**Unite** {meshes}, welding {points} within {distance}, giving {gives}."
    gives_kind = "mesh"
    signs = True

    verb: Literal["unite"] = "unite"
    meshes: Annotated[Items, ReferencesSpec("The meshes.", "mesh", least=2)] = []
    points: WeldedPoints = "open"
    distance: Distance = "0.01 mm"
    gives: MeshName = "whole"

    def build(self, given: Given) -> MeshItem:
        """Lay the meshes together and weld them."""
        items = given.meshes("meshes")
        whole, makers = gather_makers(items)
        distance = given.number("distance")
        welded = weld(whole, distance, self.points)
        own = given.ids[""]
        pieces = tuple(replace(one, made_by=(*one.made_by, own)) for item in items for one in item.every_piece)
        notes, done = weld_notes(welded.plan, distance), Done("point", welded.places)
        return MeshItem(welded.mesh, None, notes, weld_told(welded), pieces=pieces, makers=makers, done=done)

    def inspect(self, item: Item) -> list[Finding]:
        """Warn as a weld does."""
        return mesh_findings(item)


def gather_makers(items: list[MeshItem]) -> tuple[Mesh, tuple[str, ...]]:
    """Return the meshes laid together, and the ids of all makers, the numbers of each mesh after those of the ones before."""
    meshes: list[Mesh] = []
    makers: list[str] = []
    for item in items:
        mesh = item.mesh
        if makers and item.makers:
            numbers = mesh.faces["maker"]
            mesh = replace(mesh, faces={**mesh.faces, "maker": np.where(numbers > 0, numbers + len(makers), 0.0)})
        meshes.append(mesh)
        makers += item.makers
    return gather_meshes(meshes), tuple(makers)


class PairTriangles(Line):
    """Triangles joined to quads."""

    chapter = "Mesh"
    summary = "Pair the triangles of a mesh to quads, as many and as square as can be."
    words = ("quads", "triangles", "tris", "convert", "join triangles", "triangles quads", "quadrangulate", "untriangulate")
    sentence = "**Pair** the triangles of {mesh} that turn by less than {angle}, keeping the edges {held}."

    verb: Literal["pair"] = "pair"
    mesh: ChangedMesh = ""
    angle: Annotated[
        Number,
        NumberSpec(
            "Neighbours that turn by more stay apart.",
            "angle",
            label="largest turn",
            least=0,
            above=True,
            most=np.pi,
            step=5,
        ),
    ] = "40°"
    held: HeldMarks = []

    def build(self, given: Given) -> MeshItem:
        """Pair by the best matching."""
        item = given.mesh("mesh")
        done = pair_triangles(item.mesh, given.number("angle"), marked_edges(given, "held", item.mesh))
        left = f"{several(done.left, 'triangle')} left." if done.left else "No triangle is left."
        return MeshItem(done.mesh, item.surface, (), f"{several(done.pairs, 'pair')} made. {left}")

    def inspect(self, item: Item) -> list[Finding]:
        """Point at folded faces."""
        return mesh_findings(item)


class Relax(Line):
    """Points evened out on the surface that they came from."""

    chapter = "Mesh"
    summary = "Relax a mesh: even out its points on the surface they came from; creases, rims and marks stay."
    words = ("even", "even out", "smooth points", "respace", "evenness", "spread", "regular")
    sentence = "**Relax** {mesh} by {strength} in {rounds} rounds, at most {off} off the surface, holding {held}."

    verb: Literal["relax"] = "relax"
    mesh: ChangedMesh = ""
    strength: Annotated[
        Number, NumberSpec("How far a point goes in a round, 0 to 1.", least=0, above=True, most=1, step=0.1)
    ] = 0.5
    rounds: Annotated[Number, NumberSpec("How many rounds.", label="number of rounds", least=1, most=500, whole=True)] = 20
    off: Annotated[
        Number,
        NumberSpec(
            "Most that the shape may change, between its points too; where it lies off the surface already, as much as that.",
            "length",
            label="distance off the surface",
            least=1e-6,
            most=1e5,
            step=0.05,
        ),
    ] = "0.1 mm"
    held: HeldMarks = []

    def build(self, given: Given) -> MeshItem:
        """Relax, and tell what it gained."""
        item = given.mesh("mesh")
        done = relax_mesh(
            item.mesh,
            item.surface,
            given.number("strength"),
            given.count("rounds"),
            marked_points(given, "held", item.mesh),
            given.number("off"),
        )
        if done.rounds == 0:
            return MeshItem(
                done.mesh, item.surface, (), f"Evenness {done.before:.3f} could not be raised; nothing was moved."
            )
        off = length_text(max(done.off, 1e-6))
        told = f"Evenness rose from {done.before:.3f} to {done.after:.3f}; the shape changed by {off} at most."
        return MeshItem(done.mesh, item.surface, (), told)

    def inspect(self, item: Item) -> list[Finding]:
        """Point at folded faces."""
        return mesh_findings(item)


class TurnOver(Line):
    """Faces turned inside out on purpose."""

    chapter = "Mesh"
    summary = "Turn a mesh, or marked faces of it, over: the other side faces out."
    words = ("reverse", "flip", "normals", "reverse normals", "flip normals", "inside out", "invert")
    sentence = "**Turn over** {mesh}, only {faces}."

    verb: Literal["turn_over"] = "turn_over"
    mesh: ChangedMesh = ""
    faces: Annotated[Items, ReferencesSpec("Marks of the faces to turn; none turns all.", "mark", least=0)] = []

    def build(self, given: Given) -> MeshItem:
        """Run the faces the other way round."""
        item = given.mesh("mesh")
        chosen = marked_faces(given, "faces", item.mesh) if self.faces else np.ones(item.mesh.face_count, dtype=bool)
        if not chosen.any():
            raise KernelError("The marks hold no faces of this mesh. Pick other marks, or none to turn all.")
        return MeshItem(_turned(item.mesh, chosen), item.surface, (), f"{several(int(chosen.sum()), 'face')} turned over.")

    def inspect(self, item: Item) -> list[Finding]:
        """Point at faces that look against their neighbours."""
        return mesh_findings(item)


def _turned(mesh: Mesh, chosen: np.ndarray) -> Mesh:
    return reverse_faces(mesh, np.flatnonzero(chosen))
