"""Curves laid onto planes and surfaces, and taken from meshes."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.alter.place_curve import (
    flattening,
)
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.make.interpolate import interpolate_points
from glass_spoon.kernel.curves.make.line_and_arc import make_polyline
from glass_spoon.kernel.errors import InvalidInput, KernelError
from glass_spoon.kernel.meshes.edge_chains import diagonal_chains, edge_chains
from glass_spoon.kernel.meshes.geodesic import shortest_line
from glass_spoon.kernel.meshes.mesh_loops import VertexLoop, edge_loop, nearest_edge
from glass_spoon.sheet.fields import ChoiceSpec, Number, Plane, ReferenceSpec
from glass_spoon.sheet.items import CurveItem, CurvesItem, Item
from glass_spoon.sheet.kinds import kind_of
from glass_spoon.sheet.line import Finding, Given, Line
from glass_spoon.sheet.lines.draw.fields import (
    AtX,
    AtY,
    AtZ,
    CurveName,
    CurvesName,
    Flattened,
    OneCurve,
    Tolerance,
    a_coordinate,
    a_place,
)
from glass_spoon.sheet.lines.draw.on_host import laid_onto
from glass_spoon.sheet.lines.form.fields import noted
from glass_spoon.sheet.lines.mesh_work.fields import HeldMarks, length_text, marked_edges, marked_faces, several
from glass_spoon.sheet.phrase import Phrase
from glass_spoon.sheet.planes import PLANE_AXES

BETWEEN = ("straight between points", "smooth between points")
MOST_WIRES = 5_000
"""Most curves that are taken from the edges of a mesh."""


class Flatten(Line):
    """Flatten a curve onto a plane."""

    chapter = "Draw"
    summary = "Flatten a curve onto a drawing plane, exactly."
    words = ("project", "plane", "flat", "drop")
    sentence = "**Flatten** {curve} onto the {plane} plane[, {at} out of the middle]."

    verb: Literal["flatten"] = "flatten"
    curve: Flattened = ""
    plane: Annotated[
        Plane, ChoiceSpec("The plane it is laid onto.", ("front", "side", "plan"), trailing=("view", "plane"))
    ] = "front"
    at: Annotated[Number, a_coordinate("Where the plane stands, towards the viewer.", "plane's place")] = "0 mm"

    def build(self, given: Given) -> Item:
        """Project it square onto the plane."""
        right, up = PLANE_AXES[self.plane]
        normal = np.cross(right, up)
        item = given.items["curve"]
        flat: Item = kind_of(item).place(item, flattening(given.number("at") * normal, normal))
        return flat


class Project(Line):
    """Project a curve onto a surface."""

    chapter = "Draw"
    summary = "Project a curve onto a surface or a mesh: along a direction, or to the nearest places."
    words = ("drape", "surface", "onto", "drop", "shadow")
    sentence = "**Project** {curve} onto {surface} {way}[, within {tolerance}], giving {gives}."
    gives_kind = "curve"

    verb: Literal["project"] = "project"
    curve: OneCurve = ""
    surface: Annotated[
        str, ReferenceSpec("The surfaces, or the mesh, that it falls on.", "surface", also=("surfaces", "mesh"))
    ] = ""
    way: Annotated[
        Literal["to the nearest places", "along front-back", "along left-right", "straight down"],
        ChoiceSpec(
            "How places find the surface; along a direction the first side met counts.",
            ("to the nearest places", "along front-back", "along left-right", "straight down"),
        ),
    ] = "to the nearest places"
    tolerance: Tolerance = "0.01 mm"
    gives: CurveName = "projected"

    def build(self, given: Given) -> Item:
        """Project it."""
        ways = {"along front-back": (0.0, 1.0, 0.0), "along left-right": (-1.0, 0.0, 0.0), "straight down": (0.0, 0.0, -1.0)}
        way = np.array(ways[self.way]) if self.way in ways else None
        return laid_onto(given, ["surface"], given.curve("curve").curve, way, given.number("tolerance"))

    def inspect(self, item: Item) -> list[Finding]:
        """Tell of a jump."""
        return noted(item, "jump")


class ShortestLine(Line):
    """The shortest line on a mesh between two places."""

    chapter = "Draw"
    summary = "Draw the shortest line on a mesh between two places, as a string pulled taut over it: seams, straps, inlays."
    words = ("geodesic", "shortest path", "path on", "taut", "string", "strap", "along the surface")
    phrases = (
        Phrase(r"from {x}, ?{y}, ?{z} to {to_x}, ?{to_y}, ?{to_z}", finds=False),
        Phrase(r"smooth(?: between points)?", {"between": "smooth between points"}, finds=False),
        Phrase(r"^\W*(?:(?:a|the) )?(?:shortest|geodesic|taut)(?: (?:line|path|way|string))?"),
    )
    sentence = "**Shortest line** {gives} on {mesh} from x {x}, y {y}, z {z} to x {to_x}, y {to_y}, z {to_z}[, {between}]."
    gives_kind = "curve"

    verb: Literal["shortest_line"] = "shortest_line"
    gives: CurveName = "taut"
    mesh: Annotated[str, ReferenceSpec("The mesh that it lies on.", "mesh")] = ""
    x: AtX = "-50 mm"
    y: AtY = "0 mm"
    z: AtZ = "0 mm"
    to_x: Annotated[Number, a_place("x", "Its end, along left-right.", "end x")] = "50 mm"
    to_y: Annotated[Number, a_place("y", "Its end, along front-back.", "end y")] = "0 mm"
    to_z: Annotated[Number, a_place("z", "Its end, upwards.", "end z")] = "0 mm"
    between: Annotated[
        Literal["straight between points", "smooth between points"],
        ChoiceSpec("Whether it lies on every face, or runs smoothly through where it crosses edges.", BETWEEN),
    ] = "straight between points"

    def build(self, given: Given) -> CurveItem:
        """Pull it taut between the places on the mesh nearest to those given."""
        ends = [np.array([given.number(f"{which}{axis}") for axis in "xyz"]) for which in ("", "to_")]
        found = shortest_line(given.mesh("mesh").mesh, *ends)
        off = max(found.off)
        beside = f" Its ends were given {length_text(off)} off the mesh at most." if off > 1e-6 * found.length else ""
        curve = _along(found.places, closed=False, between=self.between)
        return CurveItem(curve, told=f"{length_text(found.length)} long.{beside}")


class Loop(Line):
    """A loop of mesh edges as a curve."""

    chapter = "Draw"
    summary = "Take an edge loop or a rim of a mesh as a curve."
    words = ("boundary", "rim", "edge", "mesh", "extract", "border")
    sentence = "**Loop** {gives} from the {which} of {mesh} nearest x {x}, y {y}, z {z}[, {between}]."
    gives_kind = "curve"

    verb: Literal["loop"] = "loop"
    gives: CurveName = "loop"
    which: Annotated[
        Literal["rim", "edge loop"],
        ChoiceSpec("A rim of open edges, or the loop of edges that runs on across four-edged points.", ("rim", "edge loop")),
    ] = "rim"
    mesh: Annotated[str, ReferenceSpec("The mesh.", "mesh")] = ""
    x: AtX = "0 mm"
    y: AtY = "0 mm"
    z: AtZ = "0 mm"
    between: Annotated[
        Literal["straight between points", "smooth between points"],
        ChoiceSpec("How the curve runs from point to point.", ("straight between points", "smooth between points")),
    ] = "straight between points"

    def build(self, given: Given) -> Item:
        """Find the loop nearest the place."""
        mesh = given.mesh("mesh").mesh
        place = np.array([given.number(axis) for axis in "xyz"])
        if self.which == "rim":
            loops = [VertexLoop(rim, closed=True) for rim in mesh.topology.boundary_loops]
            if not loops:
                raise KernelError("This mesh is closed: it has no rim. Take an edge loop instead.")
            loop = min(loops, key=lambda ring: float(np.linalg.norm(mesh.positions[ring.vertices] - place, axis=1).min()))
        else:
            loop = edge_loop(mesh.topology, nearest_edge(mesh, place))
        return CurveItem(_along(mesh.positions[loop.vertices], closed=loop.closed, between=self.between))


class Wires(Line):
    """Edges of a mesh as curves."""

    chapter = "Draw"
    summary = "Take the edges of a mesh as curves that run straight on where they cross: cages, frames, nets. Cord makes them solid."
    words = ("edges", "cage", "frame", "wireframe", "lattice of wires", "net of cords", "extract")
    sentence = "**Wires** along the {which} of {mesh}[, only what {marks} hold][, {between}], giving {gives}."
    gives_kind = "curves"

    verb: Literal["wires"] = "wires"
    which: Annotated[
        Literal["edges", "diagonals"],
        ChoiceSpec("Along the edges, or from corner to corner of faces with four sides.", ("edges", "diagonals")),
    ] = "edges"
    mesh: Annotated[str, ReferenceSpec("The mesh.", "mesh")] = ""
    marks: HeldMarks = []
    between: Annotated[
        Literal["straight between points", "smooth between points"],
        ChoiceSpec("How curves run from point to point.", ("straight between points", "smooth between points")),
    ] = "smooth between points"
    gives: CurvesName = "wires"

    def build(self, given: Given) -> CurvesItem:
        """Put edges together to curves."""
        item = given.mesh("mesh")
        topology = item.mesh.topology
        if self.which == "diagonals":
            faces = marked_faces(given, "marks", item) if self.marks else np.ones(topology.face_count, dtype=bool)
            loops = diagonal_chains(topology, faces)
        else:
            every = np.ones(len(topology.edges.ends), dtype=bool)
            loops = edge_chains(topology, marked_edges(given, "marks", item) if self.marks else every)
        if not loops:
            raise KernelError("The marks hold none of these on the mesh as it is here. Mark some, or take all.")
        if len(loops) > MOST_WIRES:
            raise InvalidInput("The number of wires", f"at most {MOST_WIRES:,}", f"{len(loops):,}")
        curves = tuple(
            _along(item.mesh.positions[loop.vertices], closed=loop.closed, between=self.between) for loop in loops
        )
        rings = sum(loop.closed for loop in loops)
        return CurvesItem(curves, f"{several(len(curves), 'wire')}, {rings:,} of them closed.")


def _along(points: Floats, *, closed: bool, between: str) -> NurbsCurve:
    """Return a curve from point to point (n, 3)."""
    if between == "smooth between points" and len(points) > 2:
        return interpolate_points(points, closed=closed)
    return make_polyline(np.vstack((points, points[:1])) if closed else points)
