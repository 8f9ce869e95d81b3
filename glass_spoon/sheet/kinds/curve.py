"""Curves, one and several."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.alter.place_curve import Placement, place_curve
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.deform.refit import deform_curve
from glass_spoon.kernel.deform.space_map import SpaceMap
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.repeat.placements import Placements
from glass_spoon.kernel.surfaces.evaluate.extents import Extent, curve_extent, curve_trace, widest
from glass_spoon.sheet.items import CurveItem, CurvesItem
from glass_spoon.sheet.kinds.kind import Kind

MOST_CURVES = 20_000
"""Most curves of a set."""


def repeated_curves(curves: Sequence[NurbsCurve], places: Placements) -> CurvesItem:
    """Return all curves at all placements; raises InvalidInput for too many."""
    if len(curves) * len(places) > MOST_CURVES:
        raise InvalidInput("The number of copies", f"at most {MOST_CURVES // len(curves):,} here", f"{len(places):,}")
    return CurvesItem(tuple(place_curve(curve, move) for move in places for curve in curves))


class CurveKind(Kind[CurveItem]):
    """A curve."""

    name: ClassVar[str] = "curve"
    noun: ClassVar[str] = "curve"
    plural: ClassVar[str] = "curves"
    several: ClassVar[str] = "curves"
    single: ClassVar[str] = "curve"
    parts: ClassVar[str] = "curves"

    def places(self, item: CurveItem) -> Floats:
        """Return its control points."""
        return item.curve.control_points

    def trace(self, item: CurveItem) -> Floats:
        """Return places along it."""
        return curve_trace(item.curve)

    def extent(self, item: CurveItem, axes: Floats) -> Extent:
        """Return how far it reaches."""
        return curve_extent(item.curve, axes)

    def place(self, item: CurveItem, placement: Placement) -> CurveItem:
        """Place it."""
        return CurveItem(place_curve(item.curve, placement))

    def deform(self, item: CurveItem, of: SpaceMap, tolerance: float) -> tuple[CurveItem, float]:
        """Map it."""
        made = deform_curve(item.curve, of, tolerance)
        return CurveItem(made.curve), made.off

    def repeat(self, item: CurveItem, places: Placements) -> CurvesItem:
        """Repeat it as a set of curves."""
        return repeated_curves([item.curve], places)


class CurvesKind(Kind[CurvesItem]):
    """A set of curves."""

    name: ClassVar[str] = "curves"
    noun: ClassVar[str] = "set of curves"
    plural: ClassVar[str] = "sets of curves"
    several: ClassVar[str] = "curves"
    single: ClassVar[str] = "curve"
    parts: ClassVar[str] = "curves"

    def places(self, item: CurvesItem) -> Floats:
        """Return the control points of all."""
        return np.concatenate([curve.control_points for curve in item.curves])

    def trace(self, item: CurvesItem) -> Floats:
        """Return places along all of them."""
        return np.concatenate([curve_trace(curve) for curve in item.curves])

    def extent(self, item: CurvesItem, axes: Floats) -> Extent:
        """Return how far they reach."""
        return widest([curve_extent(curve, axes) for curve in item.curves])

    def place(self, item: CurvesItem, placement: Placement) -> CurvesItem:
        """Place all of them."""
        return CurvesItem(tuple(place_curve(curve, placement) for curve in item.curves))

    def deform(self, item: CurvesItem, of: SpaceMap, tolerance: float) -> tuple[CurvesItem, float]:
        """Map all of them."""
        made = [deform_curve(curve, of, tolerance) for curve in item.curves]
        return CurvesItem(tuple(one.curve for one in made)), max((one.off for one in made), default=0.0)

    def repeat(self, item: CurvesItem, places: Placements) -> CurvesItem:
        """Repeat all of them, placement by placement."""
        return repeated_curves(item.curves, places)

    def size(self, item: CurvesItem) -> int:
        """Count the curves."""
        return len(item.curves)

    def take(self, item: CurvesItem, number: int) -> CurveItem:
        """Take one."""
        return CurveItem(item.curves[number])
