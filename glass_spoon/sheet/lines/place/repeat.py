"""Anything repeated in a row, in a grid, in a ring."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats, directions, lengths
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.repeat.placements import Placements, fill_length, grid_places, moved_by, ring_places
from glass_spoon.sheet.bodies_item import MOST_COPIES
from glass_spoon.sheet.fields import ChoiceSpec, Number, NumberSpec
from glass_spoon.sheet.handle import Handle, ItemOf, angle_handle, length_handle, turned_back, vector_handle
from glass_spoon.sheet.items import Item
from glass_spoon.sheet.kinds import kind_of
from glass_spoon.sheet.line import Given
from glass_spoon.sheet.lines.draw.fields import AtX, AtY, AtZ, OneCurve, a_coordinate, a_length, an_angle
from glass_spoon.sheet.lines.place.fields import SAID_WAYS, ItemsName, X, Y, Z, middle_of_box, vector
from glass_spoon.sheet.lines.place.repeated import JOINED, Count, RepeatedLine
from glass_spoon.sheet.phrase import Phrase
from glass_spoon.sheet.planes import AXES

_END = "[, {joints}][, with {own}], giving {gives}."


class Row(RepeatedLine):
    """Anything in a row."""

    summary = "Repeat anything in a row: curves and surfaces give one set, meshes give bodies, or one mesh."
    words = ("array", "repeat", "copies", "linear", "pattern", "slats")
    phrases = (
        Phrase(
            r"copy(?= .*\d ?(?:mm|cm|m|in|inch(?:es)?)? (?:(?:to the )?(?:right|left|back)|up|down|forwards?)(?!\w))",
            {"count": "2"},
        ),
        *JOINED,
        SAID_WAYS,
        Phrase("{x} apart", {"y": "0 mm", "z": "0 mm"}),
        Phrase(r"about {step} apart", {"spacing": "filling"}),
        Phrase(r"(?:repeat(?:ed)?|copy|copied)(?=(?!.*\b(?:a?round|about)\b).* times)"),
        Phrase(r"{count} times", finds=False),
        Phrase(r"in all|from end to end", {"spacing": "between"}, finds=False),
    )
    sentence = f"**Row** of {{count}} copies of {{item}}, {{spacing}} {{x}} right, {{y}} back and {{z}} up{_END}"
    wording_field = "spacing"
    wordings = {
        "filling": f"**Row** of copies of {{item}} {{spacing}} {{x}} right, {{y}} back and {{z}} up, about {{step}} apart{_END}"
    }

    verb: Literal["row"] = "row"
    count: Count = 5
    spacing: Annotated[
        Literal["step", "between", "filling"],
        ChoiceSpec(
            "Whether the way given is that from one copy to the next, from the first to the last, or one that copies fill.",
            ("step", "between", "filling"),
            ("each further by", "the last one further by", "filling"),
        ),
    ] = "step"
    x: X = "20 mm"
    y: Y = "0 mm"
    z: Z = "0 mm"
    step: Annotated[Number, a_length("About how far copies are apart; the step that fills the way evenly is taken.")] = (
        "20 mm"
    )
    gives: ItemsName = "row"

    def build(self, given: Given) -> Item:
        """Repeat it."""
        way, told = vector(given, "x", "y", "z"), ""
        if self.spacing == "filling":
            length, wish = float(lengths(way)), given.number("step")
            count = fill_length(length, wish)
            if count > MOST_COPIES:
                raise InvalidInput("The step", f"at least {length / (MOST_COPIES - 1):.4g} mm here", f"{wish:g} mm")
            told = f"{count:,} copies, {length / max(1, count - 1):.4g} mm apart."
        else:
            count = given.count("count")
        whole = way * (count - 1) if self.spacing == "step" else way
        return self.repeated(given, moved_by(_shares(count)[:, None] * whole), told)

    def handles(self, values: Mapping[str, Any], item_of: ItemOf) -> list[Handle]:
        """Return the way, from the middle of the first one."""
        item = item_of("item")
        label = "step" if self.spacing == "step" else "way"
        return [] if item is None else [vector_handle(values, "xyz", middle_of_box(item), label)]


def _shares(count: int) -> Floats:
    """Return the shares of the way (n,) at which copies stand."""
    return np.asarray(np.arange(count) / max(1, count - 1))


Step = Annotated[Number, a_coordinate("From one to the next that way.", "step")]


class Grid(RepeatedLine):
    """Anything in a grid: a row of rows, or a row of those."""

    summary = "Repeat anything in a grid of two or three directions: tiles, blocks, perforations."
    words = ("array", "matrix", "rows", "columns", "repeat", "copies", "tiles", "pattern", "blocks")
    phrases = (
        *JOINED,
        Phrase(r"(?:\d+ \w+ in (?:a |one )?grid (?:of )?)?{across} (?:by|x|×) {deep} (?:by|x|×) {high}"),
        Phrase(r"(?:\d+ \w+ in (?:a |one )?grid (?:of )?)?{across} (?:by|x|×) {deep}", {"high": "1"}),
        Phrase(r"{x} (?:by|x|×) {y} (?:by|x|×) {z} apart"),
        Phrase(r"{x} (?:by|x|×) {y} apart"),
        Phrase(r"{x} apart", {"x": "{x}", "y": "{x}", "z": "{x}"}),
    )
    sentence = (
        f"**Grid** of {{across}} by {{deep}} by {{high}} copies of {{item}}, {{x}} right, {{y}} back and {{z}} up from one to "
        f"the next{_END}"
    )

    verb: Literal["grid"] = "grid"
    across: Annotated[
        Number, NumberSpec("How many to the right.", label="count across", least=1, most=10_000, whole=True)
    ] = 4
    deep: Annotated[Number, NumberSpec("How many to the back.", label="count deep", least=1, most=10_000, whole=True)] = 3
    high: Annotated[Number, NumberSpec("How many upwards.", label="count high", least=1, most=10_000, whole=True)] = 1
    x: Annotated[Number, a_coordinate("From one to the next, to the right.", "step right")] = "20 mm"
    y: Annotated[Number, a_coordinate("From one to the next, to the back.", "step back")] = "20 mm"
    z: Annotated[Number, a_coordinate("From one to the next, upwards.", "step up")] = "20 mm"
    gives: ItemsName = "grid"

    def build(self, given: Given) -> Item:
        """Repeat it: those to the right count first, then those to the back, then those above."""
        counts = [given.count(name) for name in ("across", "deep", "high")]
        if (total := int(np.prod(counts))) > MOST_COPIES:
            raise InvalidInput("The number of copies", f"at most {MOST_COPIES:,} in all", f"{total:,}")
        return self.repeated(given, grid_places(np.diag(vector(given, "x", "y", "z")), counts))

    def handles(self, values: Mapping[str, Any], item_of: ItemOf) -> list[Handle]:
        """Return the steps, from the middle of the first one."""
        item = item_of("item")
        return [] if item is None else [vector_handle(values, "xyz", middle_of_box(item), "step")]


ON_AXIS = 1e-9
"""A middle nearer to an axis than this share of its size lies on it."""


class Ring(RepeatedLine):
    """Anything in a ring."""

    summary = "Repeat anything in a ring about an axis, from an angle, also rising as a helix does."
    words = ("array", "polar", "circular", "repeat", "copies", "spokes", "stairs")
    phrases = (
        *JOINED,
        Phrase(r"(?:copy|repeat|array)(?=.* times (?:a?round|about) )"),
        *(
            Phrase(
                rf"{{count}} times (?:a?round|about) (?:the )?(?:{axis})(?:[- ]axis)?",
                {"axis": name},
                finds=False,
            )
            for axis, name in (
                ("z|upright|vertical", "upright axis"),
                ("x|left-right", "left-right axis"),
                ("y|front-back", "front-back axis"),
            )
        ),
        *(
            Phrase(rf"(?:a?round|about) (?:the )?{letter}(?:[- ]axis)?", {"axis": name}, finds=False)
            for letter, name in (("z", "upright axis"), ("x", "left-right axis"), ("y", "front-back axis"))
        ),
        Phrase(r"(?:all round|whole (?:turn|circle))", {"angle": "360°"}, finds=False),
        Phrase(r"rising (?:by )?{rise}", finds=False),
        Phrase(r"(?<=ring of ){count}(?! ?(?:mm|cm|inch|°))", finds=False),
        Phrase(r"(?:(?:at|with|on) )?(?:a )?radius (?:of )?{radius}|{radius} (?:away )?from the axis", finds=False),
    )
    sentence = (
        "**Ring** of {count} copies of {item}[, {radius} from the axis,][ from {first} over {angle}] about the {axis}[ through x {x}, y {y}, z {z}][, rising "
        f"{{rise}}]{_END}"
    )
    wording_field = "axis"
    wordings = {
        "axis of a line": (
            f"**Ring** of {{count}} copies of {{item}}[, {{radius}} from the axis,][ from {{first}} over {{angle}}] about the {{axis}} {{line}}[, rising "
            f"{{rise}}]{_END}"
        )
    }

    verb: Literal["ring"] = "ring"
    count: Count = 6
    radius: Annotated[
        Number,
        NumberSpec("How far their middles stand from the axis; 0 as far as the item stands.", "length", least=0, most=1e6),
    ] = "0 mm"
    first: Annotated[Number, an_angle("The angle by which the first copy is turned from where the item stands.", "from")] = 0
    angle: Annotated[Number, an_angle("The angle that all of them share; 360° spreads them all round.")] = 360
    axis: Annotated[
        Literal["upright axis", "left-right axis", "front-back axis", "axis of a line"],
        ChoiceSpec("The direction of the axis: upright, level, or that of a straight line.", (*AXES, "axis of a line")),
    ] = "upright axis"
    line: OneCurve = ""
    x: AtX = "0 mm"
    y: AtY = "0 mm"
    z: AtZ = "0 mm"
    rise: Annotated[Number, a_coordinate("How far it rises along the axis from the first to the last.", "rise")] = "0 mm"
    gives: ItemsName = "ring"

    def build(self, given: Given) -> Item:
        """Repeat it; all round the last step leads back to the first."""
        origin, along = self._axis(given)
        places = ring_places(
            origin,
            along,
            given.count("count"),
            given.number("angle"),
            first=given.number("first"),
            rise=given.number("rise"),
        )
        if given.number("radius") > 0:
            out, far = self._out(given.items["item"], origin, along)
            shift = (given.number("radius") - far) * out
            places = Placements(places.matrices, places.offsets + places.matrices @ shift)
        return self.repeated(given, places)

    @staticmethod
    def _out(item: Item, origin: Floats, along: Floats) -> tuple[Floats, float]:
        """Return the way (3,) from the axis to the middle of an item, and its distance in mm; of one on it to the right, or up."""
        axis = directions(along)
        away = middle_of_box(item) - origin
        out = away - (away @ axis) * axis
        far, extent = float(np.linalg.norm(out)), np.ptp(kind_of(item).places(item), axis=0)
        if far > ON_AXIS * float(np.abs(away).max() + extent.max()):
            return out / far, far
        beside = next(way for way in (np.eye(3)[0], np.eye(3)[2]) if abs(float(way @ axis)) < 0.9)
        return directions(beside - (beside @ axis) * axis), 0.0

    def handles(self, values: Mapping[str, Any], item_of: ItemOf) -> list[Handle]:
        """Return the place of the axis, and at the middle of the item the angles: where it starts, and what they share."""
        found, item = super().handles(values, item_of), item_of("item")
        if item is None:
            return found
        given = Given(values, {"item": item} | {name: line for name in ("line",) if (line := item_of(name)) is not None})
        origin, along = self._axis(given)
        axis = directions(along)
        centre = origin + ((middle_of_box(item) - origin) @ axis) * axis
        out, far = self._out(item, origin, along)
        far, first = float(values["radius"]) or far, float(values["first"])
        if not far > 0:
            return found
        out = far * out
        found = [*found, length_handle("radius", far, centre, directions(out), label="radius")]
        start = angle_handle("first", first, centre, axis, out, far, "from")
        zero = turned_back(axis, out, -first)
        return [*found, start, angle_handle("angle", float(values["angle"]), centre, axis, zero, 1.2 * far)]

    def _axis(self, given: Given) -> tuple[Floats, Floats]:
        """Return a place (3,) on the axis and its direction (3,)."""
        if self.axis != "axis of a line":
            return vector(given, "x", "y", "z"), np.array(AXES[self.axis], dtype=np.float64)
        line = given.curve("line").curve
        start, end = curve_points(line, np.array(line.domain))
        if float(lengths(end - start)) <= 1e-9 * float(np.abs(line.control_points).max()):
            raise InvalidInput("The line of the axis", "one with two ends", "one that closes")
        return start, end - start
