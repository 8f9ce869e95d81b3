"""Points on a drawing plane."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field

from glass_spoon.sheet.expressions import Quantity, names_in, rename_in
from glass_spoon.sheet.fields.number import COORDINATE, FARTHEST, Number
from glass_spoon.sheet.fields.spec import Spec


class SheetPoint(BaseModel):
    """A point by a drawing plane: right, up and out of it towards the viewer, numbers or expressions.

    sharp: the curve has a corner there. weight: how strongly a point pulls, where points pull.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    x: Number
    y: Number
    out: Number = 0
    sharp: bool = False
    weight: Annotated[float, Field(gt=0, le=1000)] = 1.0


@dataclass(frozen=True)
class PointsSpec(Spec):
    """A list of points on a plane, edited on the board."""

    def resolve(
        self, name: str, raw: list[SheetPoint], sizes: Mapping[str, Quantity]
    ) -> list[tuple[float, float, float, bool, float]]:
        """Return of each point right, up and out in mm, sharp, and the weight."""
        return [_resolve_point(number, point, sizes) for number, point in enumerate(raw, 1)]

    def sizes_in(self, raw: list[SheetPoint]) -> set[str]:
        """Return the names in all coordinates."""
        return {name for point in raw for value in (point.x, point.y, point.out) for name in names_in(value)}

    def with_renamed(self, raw: list[SheetPoint], old: str, new: str) -> list[SheetPoint]:
        """Rename in all coordinates."""
        return [_renamed(point, old, new) for point in raw]


def _renamed(point: SheetPoint, old: str, new: str) -> SheetPoint:
    """Return a point whose expressions call a size by its new name."""
    texts = {axis: getattr(point, axis) for axis in ("x", "y", "out")}
    return point.model_copy(update={k: rename_in(v, old, new) for k, v in texts.items() if isinstance(v, str)})


def _resolve_point(number: int, point: SheetPoint, sizes: Mapping[str, Quantity]) -> tuple[float, float, float, bool, float]:
    """Return right, up and out in mm, sharp, and the weight."""
    typed = (point.x, point.y, point.out)
    if all(isinstance(value, int | float) and -FARTHEST <= value <= FARTHEST for value in typed):
        return float(point.x), float(point.y), float(point.out), point.sharp, point.weight
    x, y, out = (
        COORDINATE.resolve(f"{word} of point {number}", value, sizes)
        for word, value in zip(("right coordinate", "up coordinate", "coordinate out of the plane"), typed, strict=True)
    )
    return x, y, out, point.sharp, point.weight
