"""What a plate is to be: its heights, draft and edges."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

EdgeKind = Literal["sharp", "rounded", "chamfered"]
CornerKind = Literal["mitred", "rounded"]


@dataclass(frozen=True)
class PlateEdge:
    """An edge of a plate: sharp, or rounded or chamfered by `size` mm over `steps` faces of a mesh (0 for any number)."""

    kind: EdgeKind = "sharp"
    size: float = 0.0
    steps: int = 0


SHARP = PlateEdge()


@dataclass(frozen=True)
class PlateShape:
    """How outlines in the xy plane become a plate.

    low, high: heights in mm of the lower and the upper side. draft: angle in radians by which sides lean inwards away from
    height 0. corners: of outlines where a lean opens them. lower, upper: the edges; outside: they grow out of the outline
    instead of being kept inside. capped: whether the (lower, upper) side is closed.
    """

    low: float
    high: float
    draft: float = 0.0
    corners: CornerKind = "mitred"
    lower: PlateEdge = SHARP
    upper: PlateEdge = SHARP
    outside: bool = False
    capped: tuple[bool, bool] = (True, True)
