"""Place curves: move, turn, scale, mirror, repeat, project; and take curves from sets and from meshes."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats, directions
from glass_spoon.kernel.curves.arc_length import measure_length
from glass_spoon.kernel.curves.evaluate_curve import curve_tangents
from glass_spoon.kernel.curves.helix import carry_frame
from glass_spoon.kernel.curves.interpolate import interpolate_points
from glass_spoon.kernel.curves.line_and_arc import make_polyline
from glass_spoon.kernel.curves.mirror_weld import weld_mirrored
from glass_spoon.kernel.curves.place_curve import (
    Placement,
    flattening,
    mirroring,
    moving,
    place_curve,
    scaling,
    turning,
)
from glass_spoon.kernel.errors import InvalidInput, KernelError
from glass_spoon.kernel.meshes.mesh_loops import VertexLoop, edge_loop, nearest_edge
from glass_spoon.kernel.surfaces.edit_surface import place_surface
from glass_spoon.kernel.surfaces.project_curve import project_along, project_nearest
from glass_spoon.kernel.surfaces.surface_set import place_set
from glass_spoon.sheet.fields import ChoiceSpec, Number, NumberSpec, Plane, ReferenceSpec
from glass_spoon.sheet.items import CurveItem, CurvesItem, Item, SurfaceItem, SurfacesItem
from glass_spoon.sheet.line import Given, Line
from glass_spoon.sheet.lines.draw.fields import (
    CurveName,
    CurvesName,
    Mirrored,
    OneCurve,
    Placed,
    SomeCurves,
    Tolerance,
    a_coordinate,
    a_place,
    an_angle,
)
from glass_spoon.sheet.planes import AXES, PLANE_AXES

Axis = Literal["upright axis", "left-right axis", "front-back axis"]
AxisField = Annotated[Axis, ChoiceSpec("The direction of the axis.", tuple(AXES))]
X = Annotated[Number, a_coordinate("Along left-right, to the right.", "x")]
Y = Annotated[Number, a_coordinate("Along front-back, away from the front.", "y")]
Z = Annotated[Number, a_coordinate("Upwards.", "z")]
AtX = Annotated[Number, a_place("x", "The place, along left-right.", "x")]
AtY = Annotated[Number, a_place("y", "The place, along front-back.", "y")]
AtZ = Annotated[Number, a_place("z", "The place, upwards.", "z")]
Count = Annotated[Number, NumberSpec("How many, the first included.", label="count", least=1, most=2000, whole=True)]
NORMALS: dict[str, tuple[float, float, float]] = {"side": (1, 0, 0), "front": (0, 1, 0), "plan": (0, 0, 1)}
"""The normal of the plane of each view."""


def _placed(given: Given, placement: Placement) -> Item:
    """Return a curve or a set of curves, placed."""
    item = given.items["curve"]
    if isinstance(item, SurfaceItem):
        return SurfaceItem(place_surface(item.surface, placement))
    if isinstance(item, SurfacesItem):
        return SurfacesItem(place_set(item.shape, placement), item.parts, sources=item.sources)
    if isinstance(item, CurvesItem):
        return CurvesItem(tuple(place_curve(curve, placement) for curve in item.curves))
    return CurveItem(place_curve(given.curve("curve").curve, placement))


def _vector(given: Given, *names: str) -> Floats:
    return np.array([given.number(name) for name in names])


class Copy(Line):
    """A copy of a curve, to be worked on by itself."""

    chapter = "Draw"
    summary = "Copy a curve, so that the copy may be worked on and the curve stays."
    words = ("duplicate", "clone", "another")
    sentence = "**Copy** {curve} as {gives}."
    gives_kind = "curve"

    verb: Literal["copy"] = "copy"
    curve: OneCurve = ""
    gives: CurveName = "copy"

    def build(self, given: Given) -> Item:
        """Give the same curve under another name."""
        return CurveItem(given.curve("curve").curve)


class Move(Line):
    """Move a curve."""

    chapter = "Draw"
    summary = "Move a curve or a surface by x, y and z."
    words = ("shift", "translate", "displace")
    sentence = "**Move** {curve} by {x} right, {y} back and {z} up."

    verb: Literal["move"] = "move"
    curve: Placed = ""
    x: X = "0 mm"
    y: Y = "0 mm"
    z: Z = "0 mm"

    def build(self, given: Given) -> Item:
        """Move it."""
        return _placed(given, moving(_vector(given, "x", "y", "z")))


class Turn(Line):
    """Turn a curve."""

    chapter = "Draw"
    summary = "Turn a curve or a surface about an axis through a place."
    words = ("rotate", "spin", "angle")
    sentence = "**Turn** {curve} by {angle} about the {axis} through x {x}, y {y}, z {z}."

    verb: Literal["turn"] = "turn"
    curve: Placed = ""
    angle: Annotated[Number, an_angle("How far, counter-clockwise seen against the axis.")] = 90
    axis: AxisField = "upright axis"
    x: AtX = "0 mm"
    y: AtY = "0 mm"
    z: AtZ = "0 mm"

    def build(self, given: Given) -> Item:
        """Turn it."""
        return _placed(given, turning(_vector(given, "x", "y", "z"), AXES[self.axis], given.number("angle")))


class Scale(Line):
    """Scale a curve."""

    chapter = "Draw"
    summary = "Scale a curve or a surface about a place, evenly or by own factors."
    words = ("size", "stretch", "bigger", "smaller", "factor")
    sentence = "**Scale** {curve} {evenly} by {factor} about x {x}, y {y}, z {z}."
    wording_field = "evenly"
    wordings = {"by own factors": "**Scale** {curve} {evenly} {fx} right, {fy} back, {fz} up about x {x}, y {y}, z {z}."}

    verb: Literal["scale"] = "scale"
    curve: Placed = ""
    evenly: Annotated[
        Literal["evenly", "by own factors"], ChoiceSpec("One factor, or one each way.", ("evenly", "by own factors"))
    ] = "evenly"
    factor: Annotated[Number, NumberSpec("Factor.", least=-1000, most=1000, step=0.05)] = 1
    fx: Annotated[Number, NumberSpec("Factor left-right.", label="factor right", least=-1000, most=1000, step=0.05)] = 1
    fy: Annotated[Number, NumberSpec("Factor front-back.", label="factor back", least=-1000, most=1000, step=0.05)] = 1
    fz: Annotated[Number, NumberSpec("Factor upwards.", label="factor up", least=-1000, most=1000, step=0.05)] = 1
    x: AtX = "0 mm"
    y: AtY = "0 mm"
    z: AtZ = "0 mm"

    def build(self, given: Given) -> Item:
        """Scale it."""
        factors = [given.number("factor")] * 3 if self.evenly == "evenly" else _vector(given, "fx", "fy", "fz")
        return _placed(given, scaling(_vector(given, "x", "y", "z"), factors))


class Mirror(Line):
    """Mirror a curve."""

    chapter = "Draw"
    summary = "Mirror a curve or a surface across the middle: alone, or a curve joined with itself at the axis."
    words = ("symmetry", "reflect", "flip", "other half", "weld")
    sentence = "**Mirror** {curve} across the {across}, moved {at} off the middle, {kept}."

    verb: Literal["mirror"] = "mirror"
    curve: Mirrored = ""
    across: Annotated[
        Literal["side plane", "front plane", "plan plane"],
        ChoiceSpec(
            "The mirror: the side plane swaps left and right, the front plane front and back, the plan plane up and down.",
            ("side plane", "front plane", "plan plane"),
        ),
    ] = "side plane"
    at: Annotated[Number, a_coordinate("Where the mirror stands, off the middle.", "mirror's place")] = "0 mm"
    kept: Annotated[
        Literal["joined with itself", "alone"],
        ChoiceSpec("Whether both halves become one curve, welded at the mirror.", ("joined with itself", "alone")),
    ] = "joined with itself"

    def build(self, given: Given) -> Item:
        """Reflect, and weld at the mirror."""
        normal, at = np.array(NORMALS[self.across.split()[0]], dtype=np.float64), given.number("at")
        if self.kept == "alone":
            return _placed(given, mirroring(at * normal, normal))
        if isinstance(given.items["curve"], SurfaceItem | SurfacesItem):
            raise KernelError("A surface is mirrored alone. Mirror its sections joined with themselves, and form the whole.")
        return CurveItem(weld_mirrored(given.curve("curve").curve, normal, at))


class Row(Line):
    """Curves in a row."""

    chapter = "Draw"
    summary = "Repeat a curve in a row."
    words = ("array", "repeat", "copies", "linear", "pattern", "slats")
    sentence = (
        "**Row** of {count} copies of {curve}, each {x} right, {y} back and {z} up from the one before, giving {gives}."
    )
    gives_kind = "curves"

    verb: Literal["row"] = "row"
    curve: SomeCurves = ""
    count: Count = 5
    x: X = "20 mm"
    y: Y = "0 mm"
    z: Z = "0 mm"
    gives: CurvesName = "row"

    def build(self, given: Given) -> Item:
        """Repeat it."""
        step = _vector(given, "x", "y", "z")
        return _repeated(given, [moving(step * k) for k in range(given.count("count"))])


MOST_CURVES = 20_000


def _repeated(given: Given, placements: list[Placement]) -> CurvesItem:
    """Return all curves of a field at all placements."""
    curves = given.curves("curve")
    if len(curves) * len(placements) > MOST_CURVES:
        raise InvalidInput("The number of copies", f"at most {MOST_CURVES // len(curves):,} here", f"{len(placements):,}")
    return CurvesItem(tuple(place_curve(curve, placement) for placement in placements for curve in curves))


class Ring(Line):
    """Curves in a ring."""

    chapter = "Draw"
    summary = "Repeat a curve in a ring about an axis."
    words = ("array", "polar", "circular", "repeat", "copies", "spokes")
    sentence = (
        "**Ring** of {count} copies of {curve} over {angle} about the {axis} through x {x}, y {y}, z {z}, giving {gives}."
    )
    gives_kind = "curves"

    verb: Literal["ring"] = "ring"
    curve: SomeCurves = ""
    count: Count = 6
    angle: Annotated[Number, an_angle("The angle that all of them share; 360° spreads them all round.")] = 360
    axis: AxisField = "upright axis"
    x: AtX = "0 mm"
    y: AtY = "0 mm"
    z: AtZ = "0 mm"
    gives: CurvesName = "ring"

    def build(self, given: Given) -> Item:
        """Repeat it; all round the last step leads back to the first."""
        count, whole = given.count("count"), given.number("angle")
        all_round = abs(abs(whole) - 2 * np.pi) < 1e-9
        steps = count if all_round else max(1, count - 1)
        origin = _vector(given, "x", "y", "z")
        return _repeated(given, [turning(origin, AXES[self.axis], whole * k / steps) for k in range(count)])


class Spread(Line):
    """Curves at points of another curve."""

    chapter = "Draw"
    summary = "Spread copies of a curve along another, evenly by its length, upright or turned with it."
    words = ("along", "path", "copies", "array", "ribs", "repeat", "points")
    sentence = "**Spread** {count} copies of {curve} along {path}, {turned}, giving {gives}."
    gives_kind = "curves"

    verb: Literal["spread"] = "spread"
    curve: SomeCurves = ""
    path: OneCurve = ""
    count: Count = 8
    turned: Annotated[
        Literal["kept upright", "turned with it"],
        ChoiceSpec(
            "Whether the copies keep their direction, or turn as the curve does.", ("kept upright", "turned with it")
        ),
    ] = "turned with it"
    gives: CurvesName = "copies"

    def build(self, given: Given) -> Item:
        """Place a copy at each point: the first curve's own place counts from the start of the path."""
        path, count = given.curve("path").curve, given.count("count")
        arc = measure_length(path)
        closed = path.is_closed(1e-6)
        shares = np.arange(count) / (count if closed else max(1, count - 1))
        params = arc.to_params(shares * arc.length)
        points, axis, side = carry_frame(path).at(params)
        if self.turned == "kept upright":
            return _repeated(given, [moving(point - points[0]) for point in points])
        frames = np.stack((directions(curve_tangents(path, params)), axis, side), axis=2)
        turns = frames @ frames[0].T
        return _repeated(
            given, [Placement(turn, point - turn @ points[0]) for turn, point in zip(turns, points, strict=True)]
        )


class Take(Line):
    """One curve of a set."""

    chapter = "Draw"
    summary = "Take one curve out of a row, a ring or a set of copies."
    words = ("pick", "single", "extract", "one")
    sentence = "**Take** curve {number} of {curves} as {gives}."
    gives_kind = "curve"

    verb: Literal["take"] = "take"
    number: Annotated[Number, NumberSpec("Which one, counted from 1.", label="number", least=1, most=20000, whole=True)] = 1
    curves: Annotated[str, ReferenceSpec("The set of curves.", "curves")] = ""
    gives: CurveName = "curve"

    def build(self, given: Given) -> Item:
        """Take it."""
        curves, number = given.curves("curves"), given.count("number")
        if number > len(curves):
            raise InvalidInput("The number", f"1 to {len(curves)}: there are {len(curves)} curves", str(number))
        return CurveItem(curves[number - 1])


class Flatten(Line):
    """Flatten a curve onto a plane."""

    chapter = "Draw"
    summary = "Flatten a curve onto a drawing plane, exactly."
    words = ("project", "plane", "flat", "drop")
    sentence = "**Flatten** {curve} onto the {plane} plane, {at} out of the middle."

    verb: Literal["flatten"] = "flatten"
    curve: Placed = ""
    plane: Annotated[Plane, ChoiceSpec("The plane it is laid onto.", ("front", "side", "plan"))] = "front"
    at: Annotated[Number, a_coordinate("Where the plane stands, towards the viewer.", "plane's place")] = "0 mm"

    def build(self, given: Given) -> Item:
        """Project it square onto the plane."""
        right, up = PLANE_AXES[self.plane]
        normal = np.cross(right, up)
        return _placed(given, flattening(given.number("at") * normal, normal))


class Project(Line):
    """Project a curve onto a surface."""

    chapter = "Draw"
    summary = "Project a curve onto a surface: along a direction, or to the nearest places."
    words = ("drape", "surface", "onto", "drop", "shadow")
    sentence = "**Project** {curve} onto {surface} {way}, within {tolerance}, giving {gives}."
    gives_kind = "curve"

    verb: Literal["project"] = "project"
    curve: OneCurve = ""
    surface: Annotated[str, ReferenceSpec("The surface that it falls on.", "surface")] = ""
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
        curve, surface, tolerance = given.curve("curve").curve, given.surface("surface").surface, given.number("tolerance")
        if self.way == "to the nearest places":
            return CurveItem(project_nearest(curve, surface, tolerance).curve)
        ways = {"along front-back": (0.0, 1.0, 0.0), "along left-right": (-1.0, 0.0, 0.0), "straight down": (0.0, 0.0, -1.0)}
        return CurveItem(project_along(curve, surface, np.array(ways[self.way]), tolerance).curve)


class Loop(Line):
    """A loop of mesh edges as a curve."""

    chapter = "Draw"
    summary = "Take an edge loop or a rim of a mesh as a curve."
    words = ("boundary", "rim", "edge", "mesh", "extract", "border")
    sentence = "**Loop** {gives} from the {which} of {mesh} nearest x {x}, y {y}, z {z}, {between}."
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
        place = _vector(given, "x", "y", "z")
        if self.which == "rim":
            loops = [VertexLoop(rim, closed=True) for rim in mesh.topology.boundary_loops]
            if not loops:
                raise KernelError("This mesh is closed: it has no rim. Take an edge loop instead.")
            loop = min(loops, key=lambda ring: float(np.linalg.norm(mesh.positions[ring.vertices] - place, axis=1).min()))
        else:
            loop = edge_loop(mesh.topology, nearest_edge(mesh, place))
        points = mesh.positions[loop.vertices]
        if self.between == "smooth between points" and len(points) > 2:
            return CurveItem(interpolate_points(points, closed=loop.closed))
        return CurveItem(make_polyline(np.vstack((points, points[:1])) if loop.closed else points))
