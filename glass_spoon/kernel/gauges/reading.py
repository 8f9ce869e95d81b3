"""What a gauge says."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

import numpy as np

from glass_spoon.kernel.arrays import AnyInts, Ints

Kind = Literal["face", "edge", "point"]


def _nobody() -> Ints:
    return np.zeros(0, dtype=np.int64)


@dataclass(frozen=True, eq=False)
class Reading:
    """One measured figure.

    code: stable name of the gauge. value: the figure in `unit` ("", "mm", "mm2", "mm3", "rad"). limit: the bound that it is
    held against, or None; `at_least` says on which side it must stay. offenders: indices (k,) of the `kind` of elements
    that break the limit. NaN means that the gauge does not apply.
    """

    code: str
    value: float
    unit: str = ""
    limit: float | None = None
    at_least: bool = False
    kind: Kind = "face"
    offenders: AnyInts = field(default_factory=_nobody)

    @property
    def is_good(self) -> bool:
        """True when the value keeps its limit, or there is none."""
        if self.limit is None or np.isnan(self.value):
            return True
        return self.value >= self.limit if self.at_least else self.value <= self.limit


@dataclass(frozen=True)
class Limits:
    """The limits of the gauges.

    four_sided, evenness, edge_evenness, scaled_jacobian: least shares, 0 to 1. smallest_corner and largest_corner: rad.
    aspect_ratio, warpage: most. off_surface: mm. face_budget: faces. weld_distance: mm, points nearer are doubled. kink: rad
    between limit normals at the ends of an edge.
    """

    four_sided: float = 1.0
    evenness: float = 0.8
    edge_evenness: float = 0.8
    smallest_corner: float = float(np.radians(45))
    largest_corner: float = float(np.radians(135))
    scaled_jacobian: float = 0.5
    aspect_ratio: float = 4.0
    warpage: float = 0.1
    off_surface: float = 0.5
    face_budget: int = 20_000
    weld_distance: float = 1e-4
    kink: float = float(np.radians(40))
