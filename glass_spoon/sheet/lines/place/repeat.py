"""Anything repeated: in a row, in a ring, along a curve; and one of several."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, Literal

import numpy as np

from glass_spoon.kernel.arrays import directions
from glass_spoon.kernel.curves.alter.place_curve import Placement, moving, turning
from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_tangents
from glass_spoon.kernel.curves.make.helix import carry_frame
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.sheet.fields import ChoiceSpec, Number, NumberSpec, ReferenceSpec
from glass_spoon.sheet.handle import Handle, ItemOf, vector_handle
from glass_spoon.sheet.items import Item
from glass_spoon.sheet.kinds import kind_of
from glass_spoon.sheet.line import Given, Line
from glass_spoon.sheet.lines.draw.fields import AtX, AtY, AtZ, OneCurve, an_angle
from glass_spoon.sheet.lines.place.fields import (
    SAID_WAYS,
    AxisField,
    ItemNameField,
    ItemsName,
    SomeItem,
    X,
    Y,
    Z,
    middle_of_box,
    repeated,
    vector,
)
from glass_spoon.sheet.phrase import Phrase
from glass_spoon.sheet.planes import AXES

Count = Annotated[Number, NumberSpec("How many, the first included.", label="count", least=1, most=2000, whole=True)]


class Row(Line):
    """Anything in a row."""

    chapter = "Place"
    summary = "Repeat anything in a row: curves, surfaces and meshes give one set, or one mesh."
    words = ("array", "repeat", "copies", "linear", "pattern", "slats")
    phrases = (SAID_WAYS, Phrase("{x} apart", {"y": "0 mm", "z": "0 mm"}))
    sentence = (
        "**Row** of {count} copies of {item}, each {x} right, {y} back and {z} up from the one before, giving {gives}."
    )
    gives_kind = "curves"
    gives_like = "item"
    signs = True
    gives_several = True

    verb: Literal["row"] = "row"
    item: SomeItem = ""
    count: Count = 5
    x: X = "20 mm"
    y: Y = "0 mm"
    z: Z = "0 mm"
    gives: ItemsName = "row"

    def build(self, given: Given) -> Item:
        """Repeat it."""
        step = vector(given, "x", "y", "z")
        return repeated(given, [moving(step * k) for k in range(given.count("count"))])

    def handles(self, values: Mapping[str, Any], item_of: ItemOf) -> list[Handle]:
        """Return the step, from the middle of the first one."""
        item = item_of("item")
        return [] if item is None else [vector_handle(values, "xyz", middle_of_box(item), "step")]


class Ring(Line):
    """Anything in a ring."""

    chapter = "Place"
    summary = "Repeat anything in a ring about an axis."
    words = ("array", "polar", "circular", "repeat", "copies", "spokes")
    sentence = (
        "**Ring** of {count} copies of {item} over {angle} about the {axis} through x {x}, y {y}, z {z}, giving {gives}."
    )
    gives_kind = "curves"
    gives_like = "item"
    signs = True
    gives_several = True

    verb: Literal["ring"] = "ring"
    item: SomeItem = ""
    count: Count = 6
    angle: Annotated[Number, an_angle("The angle that all of them share; 360° spreads them all round.")] = 360
    axis: AxisField = "upright axis"
    x: AtX = "0 mm"
    y: AtY = "0 mm"
    z: AtZ = "0 mm"
    gives: ItemsName = "ring"

    def build(self, given: Given) -> Item:
        """Repeat it; all round the last step leads back to the first."""
        count, whole = given.count("count"), given.number("angle")
        all_round = abs(abs(whole) - 2 * np.pi) < 1e-9
        steps = count if all_round else max(1, count - 1)
        origin = vector(given, "x", "y", "z")
        return repeated(given, [turning(origin, AXES[self.axis], whole * k / steps) for k in range(count)])


class Spread(Line):
    """Anything at points of a curve."""

    chapter = "Place"
    summary = "Spread copies of anything along a curve, evenly by its length, upright or turned with it."
    words = ("along", "path", "copies", "array", "ribs", "repeat", "points")
    sentence = "**Spread** {count} copies of {item} along {path}, {turned}, giving {gives}."
    gives_kind = "curves"
    gives_like = "item"
    signs = True
    gives_several = True

    verb: Literal["spread"] = "spread"
    item: SomeItem = ""
    path: OneCurve = ""
    count: Count = 8
    turned: Annotated[
        Literal["kept upright", "turned with it"],
        ChoiceSpec(
            "Whether the copies keep their direction, or turn as the curve does.", ("kept upright", "turned with it")
        ),
    ] = "turned with it"
    gives: ItemsName = "copies"

    def build(self, given: Given) -> Item:
        """Place a copy at each point: the first curve's own place counts from the start of the path."""
        path, count = given.curve("path").curve, given.count("count")
        arc = measure_length(path)
        closed = path.is_closed(1e-6)
        shares = np.arange(count) / (count if closed else max(1, count - 1))
        params = arc.to_params(shares * arc.length)
        points, axis, side = carry_frame(path).at(params)
        if self.turned == "kept upright":
            return repeated(given, [moving(point - points[0]) for point in points])
        frames = np.stack((directions(curve_tangents(path, params)), axis, side), axis=2)
        turns = frames @ frames[0].T
        return repeated(
            given, [Placement(turn, point - turn @ points[0]) for turn, point in zip(turns, points, strict=True)]
        )


class Take(Line):
    """One of several."""

    chapter = "Place"
    summary = "Take one out of several: a curve or a surface of a set, an island of a mesh."
    words = ("pick", "single", "extract", "one")
    sentence = "**Take** number {number} of {item} as {gives}."
    gives_kind = "curve"
    gives_like = "item"
    signs = True
    gives_one = True

    verb: Literal["take"] = "take"
    number: Annotated[Number, NumberSpec("Which one, counted from 1.", label="number", least=1, most=20000, whole=True)] = 1
    item: Annotated[
        str, ReferenceSpec("The set of curves or of surfaces, or the mesh.", "curves", also=("surfaces", "mesh"))
    ] = ""
    gives: ItemNameField = "one"

    def build(self, given: Given) -> Item:
        """Take it."""
        item, number = given.items["item"], given.count("number")
        kind = kind_of(item)
        if number > kind.size(item):
            raise InvalidInput(
                "The number", f"1 to {kind.size(item):,}: there are {kind.size(item):,} {kind.parts}", str(number)
            )
        return kind.take(item, number - 1)
