"""Strands that go over and under each other along a curve."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.curves.make.fit_function import fit_places
from glass_spoon.kernel.curves.make.helix import carry_frame
from glass_spoon.kernel.errors import InvalidInput

TURN_PLACES = 16
"""Places a turn of a braid from which it is followed."""


@dataclass(frozen=True, eq=False)
class Woven:
    """Middles of cords, and how far apart in mm those of two that cross come at the nearest: so thick they may be.

    left_out: how many ends were too short to be cords. loose: how many stay over or under a ring, beside others.
    """

    curves: tuple[NurbsCurve, ...]
    apart: float
    left_out: int = 0
    loose: int = 0


def braid(curve: NurbsCurve, strands: int, size: tuple[float, float], turn: float, tolerance: float) -> Woven:
    """Return strands braided along a curve: each goes from side to side, over and under the others.

    size: how wide and how high the middles of the strands lie, in mm; turn: how much of the curve one takes from side to
    side and back, in mm; along a closed curve a whole number of turns. Raises InvalidInput for an even number of strands,
    which would meet, and for fewer than three.
    """
    if strands < 3 or strands % 2 == 0:
        raise InvalidInput("The number of strands", "odd and three or more", str(strands))
    arc, frame = measure_length(curve), carry_frame(curve)
    turns = arc.length / turn
    closed = curve.is_closed(1e-6)
    if closed:
        turns = max(1.0, float(round(turns)))
    elif turns < 0.25:
        raise InvalidInput("A turn", f"at most {4 * arc.length:.4g} mm, four times the curve", f"{turn:.4g} mm")

    def strand(start: float) -> Callable[[Floats], Floats]:
        def places(shares: Floats) -> Floats:
            middle, across, beside = frame.at(arc.to_params(shares * arc.length))
            angle = 2 * np.pi * (turns * shares + start)
            # A closed figure of Lissajous: as often up and down as there are others to pass.
            side = size[0] / 2 * np.cos(angle)
            up = size[1] / 2 * np.sin((strands - 1) * angle)
            return middle + side[:, None] * beside + up[:, None] * across

        return places

    count = int(np.ceil(TURN_PLACES * max(turns, 1.0) * (strands - 1) / 2))
    made = [fit_places(strand(k / strands), count, tolerance).curve for k in range(strands)]
    own = [curve_points(one, np.linspace(*one.domain, min(4000, 8 * count))) for one in made]
    apart = min(float(scipy.spatial.distance.cdist(own[0], other).min()) for other in own[1:])
    return Woven(tuple(made), apart)
