"""The base of verbs that map space: they take anything, may be held to marks, and tell how far they stretch it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Annotated, Any, Literal

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, lengths
from glass_spoon.kernel.deform.space_map import Axes, Faded, SpaceMap, how_stretched
from glass_spoon.kernel.detail.shift import distances, fading
from glass_spoon.kernel.errors import InvalidInput, KernelError
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.sheet.fields import ChoiceSpec, Items, Number, NumberSpec, ReferenceSpec, ReferencesSpec
from glass_spoon.sheet.handle import BEFORE, Handle, ItemOf, length_handle
from glass_spoon.sheet.items import (
    CurveItem,
    CurvesItem,
    Item,
    MeshItem,
    Note,
    SurfaceItem,
    SurfacesItem,
    TrimmedItem,
    as_mesh,
)
from glass_spoon.sheet.kinds import kind_of
from glass_spoon.sheet.line import Finding, Given, Line
from glass_spoon.sheet.lines.detail.detail_work import FadeLaw, Reach
from glass_spoon.sheet.lines.form.fields import Within, noted
from glass_spoon.sheet.lines.mesh_work.fields import marked_points, mesh_findings
from glass_spoon.sheet.lines.place.fields import ANY, AxisField, own_frame
from glass_spoon.sheet.planes import AXES

Shaped = Annotated[str, ReferenceSpec("What is shaped.", "curve", changes=True, also=ANY)]
OnlyMarked = Annotated[
    Items,
    ReferencesSpec("Marks of a mesh: only what they hold is shaped, and what is near them less and less.", "mark", least=0),
]
Towards = Literal["right", "left", "back", "front", "up", "down"]
TOWARDS: dict[str, tuple[float, float, float]] = {
    "right": (1, 0, 0),
    "left": (-1, 0, 0),
    "back": (0, 1, 0),
    "front": (0, -1, 0),
    "up": (0, 0, 1),
    "down": (0, 0, -1),
}
"""Directions by name."""
Spanning = Literal["whole", "between"]
SpanningField = Annotated[
    Spanning,
    ChoiceSpec(
        "Over its whole length, or between two heights; what lies beyond goes on as the last place between them does.",
        ("whole", "between"),
        ("over its whole length", "between heights"),
    ),
]
Low = Annotated[
    Number, NumberSpec("Where it begins, measured along the axis.", "length", label="lower height", least=-1e6, most=1e6)
]
High = Annotated[
    Number, NumberSpec("Where it ends, measured along the axis.", "length", label="upper height", least=-1e6, most=1e6)
]
Stays = Literal["middle", "start", "end"]
StaysField = Annotated[
    Stays,
    ChoiceSpec(
        "Which part stays where it is.", ("middle", "start", "end"), ("its middle stays", "its start stays", "its end stays")
    ),
]
ACROSS = {"upright axis": "right", "left-right axis": "up", "front-back axis": "up"}
"""The first direction across each axis."""
MARKED = "[, only near {marks}, fading over {reach} as {law}]"
TOLERANCE = "[, within {tolerance}]"
SPAN = "[, {span}]"
SPAN_FIELDS = "{span} {low} and {high}"
MOST_TRACED = 4000
"""Places at which it is told how far a map stretches what is not a mesh."""
NEAR_LENGTH = 1e-9


@dataclass(frozen=True, eq=False)
class Laid:
    """The axes in which an item is shaped, and the heights in mm between which, along the third of them.

    size: how far (3,) it reaches along the axes, low and high as rows.
    """

    axes: Axes
    low: float
    high: float
    reach: Floats

    def stays(self, what: str) -> float:
        """Return the height that stays."""
        return {"start": self.low, "end": self.high}.get(what, (self.low + self.high) / 2)


class ShapeLine(Line):
    """A verb that maps space. A subclass gives its sentence, `laid` and `space_map`."""

    chapter = "Shape"

    item: Shaped = ""
    marks: OnlyMarked = []
    reach: Reach = "0 mm"
    law: FadeLaw = "1 to 0 eased"
    tolerance: Within = "0.01 mm"

    def laid(self, given: Given, item: Item) -> Laid:
        """Return the axes and the heights for an item."""
        raise NotImplementedError

    def space_map(self, given: Given, laid: Laid) -> SpaceMap:
        """Return the map for an item as it lies."""
        raise NotImplementedError

    def notes(self, given: Given, laid: Laid, of: SpaceMap) -> list[str]:
        """Return what is worth a look in how it is mapped."""
        return []

    def also_told(self, given: Given, laid: Laid, of: SpaceMap) -> str:
        """Return what is told before how far it was stretched, with a space behind it."""
        return ""

    def build(self, given: Given) -> Item:
        """Map it, and tell what that did."""
        item = given.items["item"]
        laid = self.laid(given, item)
        of = self.space_map(given, laid)
        if given.marks("marks"):
            return self._near_marks(given, of)
        placement = of.placement
        if placement is not None:
            placed: Item = kind_of(item).place(item, placement)
            return _telling(placed, _stretch_told(item, placed, of), self.notes(given, laid, of))
        whole = as_mesh(item) or item
        made, off = kind_of(whole).deform(whole, of, given.number("tolerance"))
        told = self.also_told(given, laid, of) + _stretch_told(whole, made, of)
        told += f" At most {max(off, 1e-9):.2g} mm off." if off else ""
        return _telling(made, told, self.notes(given, laid, of))

    def _near_marks(self, given: Given, of: SpaceMap) -> Item:
        """Map what marks of a mesh hold, and what is near them in part."""
        item, held = held_points(given)
        reach = given.number("reach")
        weights = fading(distances(item.mesh, held, reach, along=True), reach, given.law("law").at)
        made, _ = kind_of(item).deform(item, Faded(of, weights), given.number("tolerance"))
        return _telling(made, _stretch_told(item, made, of), [])

    def inspect(self, item: Item) -> list[Finding]:
        """Tell the notes, and point at folded faces."""
        return mesh_findings(item) if isinstance(item, MeshItem) else noted(item, "shape")

    def laid_by_hand(self, values: Mapping[str, Any], item_of: ItemOf) -> Laid | None:
        """Return the axes and the heights for handles, None where there is no item, or no such way."""
        item = item_of(BEFORE)
        if item is None:
            return None
        marks = {name: item_of(name) for name in self.references() if name.startswith("marks.")}
        given = Given(values, {"item": item, **{name: mark for name, mark in marks.items() if mark is not None}})
        try:
            return self.laid(given, item)
        except KernelError:
            return None


class AxisLine(ShapeLine):
    """A verb that maps space along an axis, from the beginning of an item to its end."""

    axis: AxisField = "upright axis"

    def towards(self) -> str:
        """Return the direction of the first of the axes."""
        return ACROSS[self.axis]

    def through(self, given: Given, item: Item) -> Floats:
        """Return a place (3,) of the axis."""
        return own_frame(item).origin

    def heights(self, given: Given, reach: Floats) -> tuple[float, float]:
        """Return the heights in mm along the axis, of an item that reaches so far (2, 3) along the axes."""
        return float(reach[0, 2]), float(reach[1, 2])

    def laid(self, given: Given, item: Item) -> Laid:
        """Return the axes, and how far the item reaches along them."""
        way, across = np.array(AXES[self.axis]), np.array(TOWARDS[self.towards()], dtype=np.float64)
        if abs(way @ across) > 0.5:
            others = [name for name, other in TOWARDS.items() if abs(way @ np.array(other)) < 0.5]
            raise KernelError(
                f"It runs along the {self.axis}, so it cannot go {self.towards()}: it goes {', '.join(others[:-1])} or "
                f"{others[-1]}, or runs along another axis."
            )
        place = self.through(given, item)
        axes = Axes.along(place - (place @ way) * way, way, across)
        low, high = kind_of(item).extent(item, axes.rows)
        offset = axes.rows @ axes.origin
        reach = np.stack((np.asarray(low) - offset, np.asarray(high) - offset))
        ends = self.heights(given, reach)
        if ends[1] - ends[0] <= NEAR_LENGTH * max(1e-3, float(np.ptp(reach, axis=0).max())):
            raise KernelError(f"It has no length along the {self.axis}. Choose another axis, or give heights.")
        return Laid(axes, *ends, reach)


class SpanLine(AxisLine):
    """A verb that may map between two heights alone."""

    span: SpanningField = "whole"
    low: Low = "0 mm"
    high: High = "50 mm"

    def sentence_now(self) -> str:
        """Ask for heights where it goes between them."""
        text = super().sentence_now()
        return text.replace(SPAN, f", {SPAN_FIELDS}") if self.span == "between" else text

    def heights(self, given: Given, reach: Floats) -> tuple[float, float]:
        """Return the heights that were given."""
        if self.span == "whole":
            return super().heights(given, reach)
        low, high = given.number("low"), given.number("high")
        if high <= low:
            raise InvalidInput("The upper height", f"above {low:.4g} mm", f"{high:.4g} mm")
        return low, high

    def handles(self, values: Mapping[str, Any], item_of: ItemOf) -> list[Handle]:
        """Return the heights between which it goes, along the axis."""
        laid = self.laid_by_hand(values, item_of)
        if laid is None or self.span != "between":
            return []
        return [
            length_handle(name, float(values[name]), laid.axes.origin, laid.axes.rows[2], label=label)
            for name, label in (("low", "lower height"), ("high", "upper height"))
        ]


def held_points(given: Given) -> tuple[MeshItem, Bools]:
    """Return the mesh that is shaped, and which of its points (n,) the marks hold; KernelError for none."""
    item = as_mesh(given.items["item"])
    if item is None:
        raise KernelError("Marks lie on a mesh, and this is none. Shape it without marks, or make a mesh of it first.")
    held = marked_points(given, "marks", item)
    if not held.any():
        raise KernelError("The marks find nothing on this mesh now: change their rule, or what is above them.")
    return item, held


def _stretch_told(before: Item, after: Item, of: SpaceMap) -> str:
    """Say how far it was stretched: of a mesh by its edges, of anything else by the space about it."""
    one, other = as_mesh(before), as_mesh(after)
    if one is not None and other is not None:
        ratios = _edge_lengths(other.mesh) / np.maximum(_edge_lengths(one.mesh), 1e-12)
        if not len(ratios):
            return ""
        least, largest = float(ratios.min()), float(ratios.max())
        what = "Edges are"
    else:
        places = kind_of(before).trace(before)
        step = max(1, len(places) // MOST_TRACED)
        found = how_stretched(of, places[::step])
        least, largest, what = found.least, found.largest, "It is"
    if abs(least - 1) < 5e-4 and abs(largest - 1) < 5e-4:
        return f"{what} as long as before."
    return f"{what} {least:.3g} to {largest:.3g} times as long as before."


def _edge_lengths(mesh: Mesh) -> Floats:
    ends = mesh.positions[mesh.topology.edges.ends]
    return lengths(ends[:, 1] - ends[:, 0])


def _telling(item: Item, told: str, notes: list[str]) -> Item:
    """Return an item with a sentence on what was done to it, and what is worth a look."""
    if isinstance(item, MeshItem):
        return replace(item, told=told, notes=tuple(Note("shape", note) for note in notes))
    if isinstance(item, CurveItem | SurfaceItem | SurfacesItem | TrimmedItem):
        return replace(item, told=told, notes=tuple(notes))
    if isinstance(item, CurvesItem):
        return replace(item, told=told)
    return item
