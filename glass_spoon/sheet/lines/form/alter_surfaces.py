"""Work on surfaces."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Annotated, Any, Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.errors import FoldsBack, KernelError, floor_text
from glass_spoon.kernel.surfaces.alter.edit_surface import isocurve, reverse_surface, split_surface
from glass_spoon.kernel.surfaces.alter.offset_surface import offset_surface
from glass_spoon.kernel.surfaces.alter.pull_net import NetMove, pull_net
from glass_spoon.kernel.surfaces.alter.rebuild_surface import rebuild_surface
from glass_spoon.kernel.surfaces.alter.rework_surface import move_seam, swap_directions
from glass_spoon.kernel.surfaces.evaluate.closest_points import closest_points
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.sets.orient_set import orient_set
from glass_spoon.kernel.surfaces.sets.split_to_meet import NearMiss, find_near_misses, split_to_meet
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet, gather_sets, reverse_set
from glass_spoon.kernel.trims.face import reverse_face
from glass_spoon.sheet.fields import (
    ChoiceSpec,
    Column,
    ItemName,
    Items,
    NameSpec,
    Number,
    NumberSpec,
    ReferenceSpec,
    ReferencesSpec,
    Rows,
    TableSpec,
)
from glass_spoon.sheet.handle import SPACE, Change, Handle, ItemOf, vector_of
from glass_spoon.sheet.items import CurveItem, Item, SurfaceItem, SurfacesItem, TrimmedItem
from glass_spoon.sheet.line import Action, Finding, Given, Line
from glass_spoon.sheet.lines.form.fields import SurfaceName, Within, a_place, how_near, noted
from glass_spoon.sheet.phrase import Phrase

Running = Literal["round", "along"]
OneSurface = Annotated[str, ReferenceSpec("A surface.", "surface")]
ChangedSurface = Annotated[str, ReferenceSpec("The surface to work on.", "surface", changes=True)]
Way = Annotated[Running, ChoiceSpec("Which way on the surface.", ("round", "along"))]


X = Annotated[Number, a_place("x", "The place, along left-right.")]
Y = Annotated[Number, a_place("y", "The place, along front-back.")]
Z = Annotated[Number, a_place("z", "The place, upwards.")]
Found = Annotated[
    Literal["share", "place"],
    ChoiceSpec("Found by a share of the way, or nearest to a place.", ("share", "place"), ("at the share", "nearest to")),
]


def axis_of(way: Running) -> int:
    """Return the number of an axis."""
    return 0 if way == "round" else 1


class PlacedLine(Line):
    """What lines have in common that find an isocurve: at a share of the way, or nearest to a place."""

    chapter = "Form"

    found: Found = "share"
    x: X = "0 mm"
    y: Y = "0 mm"
    z: Z = "0 mm"

    def param(self, given: Given, surface: NurbsSurface, axis: int) -> float:
        """Return the parameter of an axis at which the isocurve lies."""
        low, high = surface.domain(axis)
        if self.found == "share":
            return low + given.number("share") * (high - low)
        place = np.array([[given.number(name) for name in "xyz"]])
        params: Floats = closest_points(surface, place)[axis]
        return float(params[0])


class Isocurve(PlacedLine):
    """A curve that lies on a surface."""

    summary = "Take an isocurve or an edge of a surface as a curve."
    words = ("edge", "rim", "extract", "border", "line on a surface")
    sentence = "**Isocurve** {gives} of {surface}, running {way} it, {found} {share} of the way across."
    wording_field = "found"
    wordings = {"place": "**Isocurve** {gives} of {surface}, running {way} it, {found} x {x}, y {y}, z {z}."}
    gives_kind = "curve"

    verb: Literal["isocurve"] = "isocurve"
    gives: Annotated[ItemName, NameSpec("Name of the curve.")] = "isocurve"
    surface: OneSurface = ""
    way: Annotated[Running, ChoiceSpec("Which way it runs on the surface.", ("round", "along"))] = "round"
    share: Annotated[Number, NumberSpec("Where: 0 and 1 are the edges.", least=0, most=1, step=0.05)] = 1

    def build(self, given: Given) -> CurveItem:
        """Take it, exactly."""
        surface = given.surface("surface").surface
        axis = axis_of(self.way)
        curve = isocurve(surface, axis, self.param(given, surface, 1 - axis))
        if lengths(curve.control_points - curve.control_points[0]).max() < 1e-9:
            raise KernelError("The surface is one point there. Choose another share.")
        return CurveItem(curve)


class SplitSurface(PlacedLine):
    """One part of a surface cut in two."""

    summary = "Cut a surface at an isocurve and take one part; the surface itself stays."
    words = ("cut", "divide", "collar", "part of a surface", "split")
    sentence = "**Cut** {surface} across, {found} {share} of the way {way} it, giving its {part} part as {gives}."
    wording_field = "found"
    wordings = {
        "place": "**Cut** {surface} across the way {way} it, {found} x {x}, y {y}, z {z}, giving its {part} part as {gives}."
    }
    gives_kind = "surface"

    verb: Literal["cut_surface"] = "cut_surface"
    surface: OneSurface = ""
    share: Annotated[Number, NumberSpec("Where: 0 is the start, 1 the end.", least=0.001, most=0.999, step=0.05)] = 0.5
    way: Annotated[Running, ChoiceSpec("The way that is shared.", ("round", "along"))] = "along"
    part: Annotated[Literal["first", "second"], ChoiceSpec("Which part is given.", ("first", "second"))] = "first"
    gives: SurfaceName = "part"

    def build(self, given: Given) -> SurfaceItem:
        """Cut at the parameter."""
        surface = given.surface("surface").surface
        axis = axis_of(self.way)
        at = self.param(given, surface, axis)
        low, high = surface.domain(axis)
        if not low < at < high:
            raise KernelError("The place is nearest to an edge of the surface, where there is nothing to cut off.")
        return SurfaceItem(split_surface(surface, axis, at)[0 if self.part == "first" else 1])


class Flip(Line):
    """Turn a surface inside out."""

    chapter = "Form"
    summary = "Turn a surface round, so that its other side faces out."
    words = ("reverse", "normals", "reverse normals", "flip normals", "inside out", "facing")
    sentence = "**Flip** {surface}, so that its other side faces out."

    verb: Literal["flip"] = "flip"
    surface: Annotated[
        str, ReferenceSpec("The surface, or the set, to turn.", "surface", changes=True, also=("surfaces", "trimmed"))
    ] = ""

    def build(self, given: Given) -> Item:
        """Run it backwards round."""
        item = given.items["surface"]
        if isinstance(item, SurfacesItem):
            return SurfacesItem(reverse_set(item.shape), item.parts, sources=item.sources)
        if isinstance(item, TrimmedItem):
            return replace(
                item, shape=replace(item.shape, faces=tuple(map(reverse_face, item.shape.faces))), told="", notes=()
            )
        return SurfaceItem(reverse_surface(given.surface("surface").surface, 0))


class Swap(Line):
    """Change round and along."""

    chapter = "Form"
    summary = "Change over which way of a surface is round and which is along; its sides stay."
    words = ("directions", "u and v", "transpose")
    sentence = "**Swap** round and along of {surface}."

    verb: Literal["swap"] = "swap"
    surface: ChangedSurface = ""

    def build(self, given: Given) -> SurfaceItem:
        """Change the axes over."""
        return SurfaceItem(swap_directions(given.surface("surface").surface))


class Seam(PlacedLine):
    """Move the seam of a closed surface."""

    summary = "Move the seam of a surface that closes on itself."
    words = ("start", "join line", "closed")
    sentence = "**Seam** of {surface}, {way} it, moved {found} {share} of the way."
    wording_field = "found"
    wordings = {"place": "**Seam** of {surface}, {way} it, moved {found} x {x}, y {y}, z {z}."}

    verb: Literal["seam"] = "seam"
    surface: ChangedSurface = ""
    way: Way = "round"
    share: Annotated[Number, NumberSpec("Where: a share of the way from the old seam.", least=0, most=1, step=0.05)] = 0.25

    def build(self, given: Given) -> SurfaceItem:
        """Start it elsewhere."""
        surface = given.surface("surface").surface
        axis = axis_of(self.way)
        low, high = surface.domain(axis)
        return SurfaceItem(move_seam(surface, axis, (self.param(given, surface, axis) - low) / (high - low)))


class OffsetSurface(Line):
    """A surface at a distance from another."""

    chapter = "Form"
    summary = "Make a surface at a distance from another, its sharp edges mitred: linings, skins, walls."
    words = ("parallel", "thickness", "wall", "inner", "shell", "distance", "offset surface")
    phrases = (
        Phrase(r"outwards?", {"side": "outside"}, finds=False),
        Phrase(r"inwards?", {"side": "inside"}, finds=False),
    )
    sentence = "**Parallel** surface {gives} to {surface}, {distance} to its {side}[, within {tolerance}]."
    gives_kind = "surface"

    verb: Literal["parallel"] = "parallel"
    gives: SurfaceName = "lining"
    surface: OneSurface = ""
    distance: Annotated[Number, NumberSpec("How far away.", "length", least=0, above=True, most=1e6)] = "2 mm"
    side: Annotated[
        Literal["outside", "inside"], ChoiceSpec("To the side that faces out, or to the other.", ("outside", "inside"))
    ] = "inside"
    tolerance: Within = "0.01 mm"

    def build(self, given: Given) -> SurfaceItem:
        """Offset it, and tell where it folds."""
        distance = given.number("distance")
        made = offset_surface(
            given.surface("surface").surface, distance if self.side == "outside" else -distance, given.number("tolerance")
        )
        told = how_near(made.largest)
        if made.fold is None:
            return SurfaceItem(made.surface, told=told)
        x, y, z = made.fold
        note = (
            f"It folds at x {x:.1f}, y {y:.1f}, z {z:.1f} mm, where the surface bends with a radius of only {made.radius:.3g} mm. "
            f"Less than {floor_text(made.radius)} mm does not fold."
        )
        return SurfaceItem(made.surface, (note,), told)

    def inspect(self, item: Item) -> list[Finding]:
        """Tell where it folds."""
        return noted(item, "folds")

    def ways_out(self, error: Exception) -> tuple[Action, ...]:
        """Offer the largest distance that does not fold, and the other side."""
        other = "inside" if self.side == "outside" else "outside"
        if not isinstance(error, FoldsBack):
            return ()
        largest = f"{floor_text(error.largest)} mm"
        return (Action(f"Use {largest}", "distance", largest), Action(f"To its {other}", "side", other))


class Rebuild(Line):
    """Fewer control points."""

    chapter = "Form"
    summary = "Write a surface anew with fewer control points, within a tolerance; sharp edges stay."
    words = ("simplify", "reduce", "fewer control points", "refit", "lighter")
    sentence = "**Rebuild** {surface} with fewer control points[, within {tolerance}]."

    verb: Literal["rebuild"] = "rebuild"
    surface: ChangedSurface = ""
    tolerance: Within = "0.05 mm"

    def build(self, given: Given) -> SurfaceItem:
        """Fit it anew; one that needs no fewer stays as it is."""
        surface, tolerance = given.surface("surface").surface, given.number("tolerance")
        made = rebuild_surface(surface, tolerance)
        before, after = (" by ".join(map(str, one.weights.shape)) for one in (surface, made.surface))
        if made.surface.weights.size >= surface.weights.size:
            note = f"Within {tolerance:.3g} mm it takes {after} control points, no fewer than its own {before}: it stays as it is."
            return SurfaceItem(surface, (note,))
        return SurfaceItem(made.surface, told=f"{before} control points became {after}, at most {made.largest:.2g} mm off.")

    def inspect(self, item: Item) -> list[Finding]:
        """Tell when nothing was won."""
        return noted(item, "no fewer")


class Gather(Line):
    """Surfaces taken together as one."""

    chapter = "Form"
    summary = "Take surfaces together that meet: they are cut where an edge lies on part of another, face alike and are meshed as one piece."
    words = ("join", "set", "group", "weld", "together", "one piece", "sew")
    sentence = "**Gather** {surfaces} where edges lie within {tolerance}, giving {gives}."
    gives_kind = "surfaces"
    signs = True

    verb: Literal["gather"] = "gather"
    surfaces: Annotated[Items, ReferencesSpec("The surfaces, or sets of them.", "surface", also=("surfaces",), least=1)] = []
    tolerance: Annotated[
        Number, NumberSpec("How far apart shared edges may lie.", "length", least=1e-6, most=10, step=0.01)
    ] = "0.01 mm"
    gives: SurfaceName = "shell"

    def build(self, given: Given) -> SurfacesItem:
        """Put them together and let them face alike."""
        every = given.every_set("surfaces")
        whole, parents = split_to_meet(gather_sets(every, given.number("tolerance")))
        of_surface = [number for number, own in enumerate(every) for _ in own.surfaces]
        parts = [of_surface[parent] for parent in parents]
        oriented = orient_set(whole)
        keys = [name for name in given.items if name.partition(".")[0] == "surfaces"]
        notes = tuple(_set_notes(oriented.shape, one_sided=oriented.one_sided, parts=tuple(parts)))
        return SurfacesItem(oriented.shape, tuple(parts), notes, sources=tuple(given.ids[keys[part]] for part in parts))

    def inspect(self, item: Item) -> list[Finding]:
        """Tell of surfaces that meet nothing, and of edges that nearly meet."""
        found = noted(item, "apart")
        if not isinstance(item, SurfacesItem) or not any("nearly meet" in finding.sentence for finding in found):
            return found
        wanted = _closing_tolerance(item.shape, item.parts)
        if wanted is None:
            return found
        way = Action(f"Allow {wanted:g} mm", "tolerance", f"{wanted:g} mm")
        return [replace(one, actions=(way,)) if "nearly meet" in one.sentence else one for one in found]


MOST_TOLERANCE = 10.0
"""The largest distance in mm that gathered edges may lie apart."""


def _misses(shape: SurfaceSet, parts: tuple[int, ...]) -> list[NearMiss]:
    """Return where edges nearly meet of what came from different items, the widest gap first."""
    return [miss for miss in find_near_misses(shape) if parts[miss.pieces[0]] != parts[miss.pieces[1]]]


def _closing_tolerance(shape: SurfaceSet, parts: tuple[int, ...]) -> float | None:
    """Return the distance in mm that closes what nearly meets, None where none does."""
    gap = max(miss.gap for miss in _misses(shape, parts))
    wanted = float(f"{1.05 * gap:.2g}")
    if not shape.tolerance < wanted <= MOST_TOLERANCE:
        return None
    closed, parents = split_to_meet(replace(shape, tolerance=wanted))
    return None if _misses(closed, tuple(parts[parent] for parent in parents)) else wanted


def _set_notes(shape: SurfaceSet, *, one_sided: bool, parts: tuple[int, ...]) -> list[str]:
    """Return what is worth a look in a set that was put together."""
    notes = []
    misses = _misses(shape, parts)
    if misses:
        first = misses[0]
        x, y, z = first.place
        where = f"{first.gap:.2g} mm apart at x {x:.1f}, y {y:.1f}, z {z:.1f} mm"
        more = f"; {len(misses) - 1} other places are like it" if len(misses) > 1 else ""
        notes.append(
            f"Edges nearly meet and stay open: {where}{more}. Move or cut them to meet, or allow a larger distance."
        )
    if one_sided:
        notes.append("The surfaces meet like a band with half a twist: they cannot all face out.")
    told = {piece for miss in misses for piece in miss.pieces}
    alone = [k for k in range(len(shape.surfaces)) if not shape.neighbours(k) and k not in told]
    if len(shape.surfaces) > 1 and alone:
        count = len(alone)
        are = "surface shares" if count == 1 else "surfaces share"
        notes.append(f"{count} {are} no whole edge with another. Cut edges to meet, or allow a larger distance.")
    return notes


MOST_HANDLES = 900
"""Most control points that are all taken by the hand; of larger nets those already moved are."""

NET_COLUMNS = (
    Column("round", "round", "number", least=1, whole=True),
    Column("along", "along", "number", least=1, whole=True),
    Column("x", "x", "length"),
    Column("y", "y", "length"),
    Column("z", "z", "length"),
)


class Pull(Line):
    """Control points moved by hand."""

    chapter = "Form"
    summary = "Move control points of a surface by hand: singly, in rows, with neighbours that follow."
    words = ("control points", "sculpt", "net", "tweak", "push", "falloff", "shape")
    sentence = "**Pull** {surface} by {moves} of its control points[, {reach}][, {spread} beside following]."

    verb: Literal["pull"] = "pull"
    surface: ChangedSurface = ""
    moves: Annotated[
        Rows,
        TableSpec(
            "Which control points, counted from 1 round and along, move how far.",
            columns=NET_COLUMNS,
            noun=("move", "moves"),
        ),
    ] = []
    reach: Annotated[
        Literal["points", "rows round", "rows along"],
        ChoiceSpec(
            "Whether the point moves, or its whole row.",
            ("points", "rows round", "rows along"),
            ("point by point", "in rows round", "in rows along"),
        ),
    ] = "points"
    spread: Annotated[
        Number, NumberSpec("How many control points beside it follow, less and less.", least=0, most=200, whole=True)
    ] = 0

    def build(self, given: Given) -> SurfaceItem:
        """Move them."""
        moves = [NetMove(int(around) - 1, int(along) - 1, (x, y, z)) for around, along, x, y, z in given.values["moves"]]
        return SurfaceItem(pull_net(given.surface("surface").surface, moves, given.count("spread"), self.reach))

    def handles(self, values: Mapping[str, Any], item_of: ItemOf) -> list[Handle]:
        """Return the control points; of a large net those that are moved already."""
        item = item_of("surface")
        if not isinstance(item, SurfaceItem):
            return []
        surface, moves = item.surface, values["moves"]
        rows, columns = surface.weights.shape
        numbers = [(int(around), int(along)) for around, along, *_ in moves]
        if rows * columns <= MOST_HANDLES:
            last = [size - surface.is_closed(axis, 1e-6) for axis, size in ((0, rows), (1, columns))]
            numbers = [(i + 1, j + 1) for i in range(last[0]) for j in range(last[1])]
        moved = {(int(around), int(along)): by for around, along, *by in moves}
        return [_net_handle(surface, number, moved.get(number, (0.0, 0.0, 0.0))) for number in numbers]


def _net_handle(surface: NurbsSurface, number: tuple[int, int], by: Sequence[float]) -> Handle:
    """Return the handle of a control point, counted from 1 round and along, that is moved `by` mm itself."""
    row = dict(zip(("round", "along"), number, strict=True))
    changes = tuple(Change("moves", way, value, axis, row) for (axis, way), value in zip(SPACE.items(), by, strict=True))
    place = surface.control_points[number[0] - 1, number[1] - 1]
    return Handle(f"control point {number[0]}, {number[1]}", vector_of(np.round(place, 4)), changes)
