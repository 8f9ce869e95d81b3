"""A lattice round anything, and anything laid along a curve, or straight."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from itertools import product
from typing import Annotated, Any, Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.deform.along_curve import AlongCurve, FromCurve
from glass_spoon.kernel.deform.lattice import Lattice
from glass_spoon.kernel.deform.space_map import Axes, SpaceMap
from glass_spoon.kernel.errors import InvalidInput, KernelError
from glass_spoon.sheet.fields import ChoiceSpec, Column, LawSpec, LawText, Number, NumberSpec, ReferenceSpec, Rows, TableSpec
from glass_spoon.sheet.handle import SPACE, Change, Handle, ItemOf, vector_of
from glass_spoon.sheet.items import CurveItem, Item, as_mesh
from glass_spoon.sheet.kinds import kind_of
from glass_spoon.sheet.line import Given
from glass_spoon.sheet.lines.place.fields import AxisField
from glass_spoon.sheet.lines.shape.shape_work import MARKED, TOLERANCE, TOWARDS, AxisLine, Laid, ShapeLine, held_points
from glass_spoon.sheet.phrase import Phrase
from glass_spoon.sheet.planes import AXES

MOST_HANDLES = 400
"""Most lattice points that are all taken by the hand; of finer lattices those on its faces are."""
MOVE_COLUMNS = (
    Column("i", "point from left", least=1, whole=True),
    Column("j", "from front", least=1, whole=True),
    Column("k", "from below", least=1, whole=True),
    Column("right", "goes right", "length", blank="0"),
    Column("back", "goes back", "length", blank="0"),
    Column("rise", "goes up", "length", blank="0"),
)
_GOES = ("right", "back", "rise")
FacingField = Annotated[
    Literal["turned with it", "upright along it"],
    ChoiceSpec("Whether it twists as little as can be, or stays upright.", ("turned with it", "upright along it")),
]


def _count(way: str) -> NumberSpec:
    """Return the field of how many points there are in a way."""
    return NumberSpec(f"Points {way}.", label=f"points {way}", least=2, most=12, whole=True)


class LatticeLine(ShapeLine):
    """A lattice of points that is moved, and what is in it with it."""

    summary = "Shape anything by a lattice round it: its points are moved by hand or typed, and space follows smoothly."
    words = ("cage", "free form", "soft box", "warp", "deform")
    phrases = (
        Phrase(
            r"^\W*(?:(?:put|lay|set|add|place|use) )?(?:a |the )?(?:lattice|cage)(?: (?:of|round|around|about|over|on))?"
        ),
    )
    sentence = (
        "**Lattice** round {item}, {across} by {deep} by {tall} points, {moves}[, {smooth}][, {sides}]"
        + MARKED
        + TOLERANCE
        + "."
    )

    verb: Literal["lattice"] = "lattice"
    across: Annotated[Number, _count("left to right")] = 3
    deep: Annotated[Number, _count("front to back")] = 3
    tall: Annotated[Number, _count("upwards")] = 3
    moves: Annotated[
        Rows,
        TableSpec(
            "Which points of the lattice go, counted from the left, the front and below, and how far.",
            columns=MOVE_COLUMNS,
            noun=("point moved", "points moved"),
            said="{i}, {j}, {k} by {right}, {back}, {rise}",
        ),
    ] = []
    smooth: Annotated[
        Literal["all following", "neighbours following"],
        ChoiceSpec(
            "Whether every point reaches all of it, or its neighbours alone.", ("all following", "neighbours following")
        ),
    ] = "all following"
    sides: Annotated[
        Literal["as it is", "left and right alike", "front and back alike"],
        ChoiceSpec(
            "Whether points across the middle go too, mirrored.",
            ("as it is", "left and right alike", "front and back alike"),
        ),
    ] = "as it is"

    def laid(self, given: Given, item: Item) -> Laid:
        """Return the box of the item, or of what marks of it hold; it may be flat."""
        if given.marks("marks"):
            mesh, held = held_points(given)
            own = mesh.mesh.positions[held]
            low, high = own.min(axis=0), own.max(axis=0)
        else:
            low, high = (np.asarray(end) for end in kind_of(item).extent(item, np.eye(3)))
        return Laid(Axes(np.zeros(3), np.eye(3)), float(low[2]), float(high[2]), np.stack((low, high)))

    def space_map(self, given: Given, laid: Laid) -> SpaceMap:
        """Move its points."""
        return self._lattice(given.values, laid)

    def _lattice(self, values: Mapping[str, Any], laid: Laid) -> Lattice:
        """Return the lattice, about the box."""
        counts = tuple(int(values[name]) for name in ("across", "deep", "tall"))
        moves = np.zeros((*counts, 3))
        for number, row in enumerate(values["moves"], 1):
            at = tuple(int(cell) - 1 for cell in row[:3])
            if any(cell >= count for cell, count in zip(at, counts, strict=True)):
                raise InvalidInput(
                    f"The lattice point of row {number}",
                    f"within {counts[0]} by {counts[1]} by {counts[2]}",
                    ", ".join(str(cell + 1) for cell in at),
                )
            moves[at] += [float(cell or 0.0) for cell in row[3:]]
        turn = {"left and right alike": 0, "front and back alike": 1}.get(self.sides)
        if turn is not None:
            sign = np.where(np.arange(3) == turn, -1.0, 1.0)
            own = np.abs(moves).max(axis=3, keepdims=True) > 0
            other = np.flip(moves, turn) * sign
            moves = np.where(own & np.flip(own, turn), moves, moves + other)
        low, high = laid.reach
        grow = np.where(high - low > 0, 0.0, 1e-6 * max(float((high - low).max()), 1e-9))
        return Lattice(low - grow, high + grow, moves, self.smooth == "all following")

    def handles(self, values: Mapping[str, Any], item_of: ItemOf) -> list[Handle]:
        """Return the points of the lattice, where they have gone."""
        laid = self.laid_by_hand(values, item_of)
        if laid is None:
            return []
        lattice = self._lattice(values, laid)
        typed: dict[tuple[int, ...], Floats] = {}
        for row in values["moves"]:
            at = tuple(int(cell) for cell in row[:3])
            typed[at] = typed.get(at, np.zeros(3)) + [float(cell or 0.0) for cell in row[3:]]
        counts = lattice.moves.shape[:3]
        every = list(product(*(range(1, count + 1) for count in counts)))
        if len(every) > MOST_HANDLES:
            every = [at for at in every if any(cell in (1, count) for cell, count in zip(at, counts, strict=True))]
        places = lattice.places + lattice.moves
        number, found = {at: k for k, at in enumerate(every)}, []
        for at in every:
            by = typed.get(at, np.zeros(3))
            row = dict(zip("ijk", at, strict=True))
            changes = tuple(
                Change("moves", SPACE[axis], float(value), name, row)
                for axis, name, value in zip(SPACE, _GOES, by, strict=True)
            )
            place = places[tuple(cell - 1 for cell in at)]
            still = lattice.places[tuple(cell - 1 for cell in at)]
            start = vector_of(np.round(still, 4)) if np.abs(place - still).max() > 0 else None
            name = f"lattice point {at[0]}, {at[1]}, {at[2]}"
            joins = tuple(number[other] for other in _ahead(at) if other in number)
            found.append(Handle(name, vector_of(np.round(place, 4)), changes, None, start, joins=joins))
        return found


def _ahead(at: tuple[int, ...]) -> Iterator[tuple[int, ...]]:
    """Yield the next lattice point along each direction."""
    for axis in range(3):
        yield tuple(cell + (k == axis) for k, cell in enumerate(at))


class FollowLine(AxisLine):
    """Anything that lies straight, laid along a curve."""

    summary = "Lay anything that is straight along a curve: a ladder, a chain, a row of letters, a moulding."
    words = ("along a curve", "path deform", "bend along", "run along", "follow the curve", "lay along")
    phrases = (Phrase(r"fill(?:ing)? (?:it|the curve|all of it)", {"fit": "filling it"}, finds=False),)
    sentence = (
        "**Follow** {curve} with {item}, which lies along the {axis}[, {fit}][, begun {begins} from its start][, {facing}]"
        "[, scaled {scale} on the way]" + MARKED + TOLERANCE + "."
    )

    verb: Literal["follow"] = "follow"
    curve: Annotated[str, ReferenceSpec("The curve that it is laid along.", "curve")] = ""
    axis: AxisField = "left-right axis"
    fit: Annotated[
        Literal["as long as it is", "filling it"],
        ChoiceSpec("Whether it keeps its length, or is made as long as the curve.", ("as long as it is", "filling it")),
    ] = "as long as it is"
    begins: Annotated[
        Number, NumberSpec("How far along the curve it begins.", "length", label="start", least=-1e6, most=1e6)
    ] = "0 mm"
    facing: FacingField = "turned with it"
    scale: Annotated[LawText, LawSpec("Factor across it on its way.", least=0.001, said=("scaled",))] = "1"

    def space_map(self, given: Given, laid: Laid) -> SpaceMap:
        """Lay it along."""
        curve = given.curve("curve").curve
        rate = measure_length(curve).length / (laid.high - laid.low) if self.fit == "filling it" else 1.0
        law = given.law("scale")
        return AlongCurve(laid.axes, laid.low, laid.high, curve, given.number("begins"), rate, self.facing, law.at)

    def notes(self, given: Given, laid: Laid, of: SpaceMap) -> list[str]:
        """Tell where it runs on past the end of the curve."""
        curve = given.curve("curve").curve
        if self.fit == "filling it":
            return []
        if curve.is_closed(1e-6):
            over = laid.high - laid.low - measure_length(curve).length
            if over <= 1e-6 * (laid.high - laid.low):
                return []
            return [
                f"It is {over:.3g} mm longer than the way round the curve, and lies over itself. Let it fill the curve, or shorten it."
            ]
        over = given.number("begins") + laid.high - laid.low - measure_length(curve).length
        if over <= 1e-6 * (laid.high - laid.low):
            return []
        return [
            f"It is {over:.3g} mm longer than what is left of the curve, and goes straight on past its end. Let it fill the curve, "
            "or lengthen that."
        ]


class UnbendLine(AxisLine):
    """Anything that lies along a curve, laid straight."""

    summary = "Lay anything that runs along a curve straight, as thick and as long as it is: Follow, taken back."
    words = ("uncurl", "straighten out", "lay straight", "take the bend out", "unroll along")
    sentence = "**Unbend** {item}, which lies along {curve}, to the {axis}[, {facing}]" + MARKED + TOLERANCE + "."

    verb: Literal["unbend"] = "unbend"
    curve: Annotated[str, ReferenceSpec("The open curve along which it lies now.", "curve")] = ""
    axis: AxisField = "left-right axis"
    facing: FacingField = "turned with it"

    def laid(self, given: Given, item: Item) -> Laid:
        """Return the axes, from the curve's start."""
        curve = given.curve("curve").curve
        if curve.is_closed(1e-6):
            raise KernelError("That curve is closed, and has no ends to be drawn out by. Choose one that is open.")
        if (
            self.facing == "upright along it"
            and np.ptp(curve.control_points[:, :2], axis=0).max() < 1e-6 * measure_length(curve).length
        ):
            raise KernelError("That curve stands upright, and has no way over the ground. Choose: turned with it.")
        axes = Axes.along(curve.control_points[0], AXES[self.axis], TOWARDS[self.towards()])
        length = measure_length(curve).length
        return Laid(axes, 0.0, length, np.array([[0.0, 0.0, 0.0], [0.0, 0.0, length]]))

    def space_map(self, given: Given, laid: Laid) -> SpaceMap:
        """Lay it straight."""
        return FromCurve(laid.axes, given.curve("curve").curve, self.facing)

    def notes(self, given: Given, laid: Laid, of: SpaceMap) -> list[str]:
        """Tell of what lies so far inside a bend that no one place of the curve is its own."""
        item = given.items["item"]
        mesh = as_mesh(item)
        if not isinstance(of, FromCurve) or (mesh is None and not isinstance(item, CurveItem)):
            return []
        points = kind_of(item).trace(item) if mesh is None else mesh.mesh.positions
        steps = np.stack((np.arange(len(points) - 1), np.arange(1, len(points))), axis=1)
        torn = of.jumps(points, steps if mesh is None else mesh.mesh.topology.edges.ends)
        if not torn:
            return []
        return [
            f"It is torn apart at {torn:,} {'place' if torn == 1 else 'places'}, which lie farther inside a bend of the curve than "
            "the middle of its circle. Draw the curve through the middle of what lies along it."
        ]
