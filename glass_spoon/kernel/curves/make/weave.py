"""Cords that go over and under each other: woven on the flat, and braided along a curve."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.curves.make.fit_function import fit_places
from glass_spoon.kernel.curves.make.helix import carry_frame
from glass_spoon.kernel.errors import InvalidInput

Pattern = Literal["plain", "twill"]
MOST_CORDS = 400
PLACES = 24
"""Places between two crossings at which it is told how far cords lie apart."""
TURN_PLACES = 16
"""Places a turn of a braid from which it is followed."""


@dataclass(frozen=True, eq=False)
class Woven:
    """Middles of cords, and how far apart in mm those of two that cross come at the nearest: so thick they may be."""

    curves: tuple[NurbsCurve, ...]
    apart: float


def weave(size: tuple[float, float], steps: tuple[float, float], height: float, pattern: Pattern = "plain") -> Woven:
    """Return cords that run along y, then those that run along x, over a sheet of size mm in the plane z = 0.

    steps: about how far they lie apart, along x and along y, in mm; whole numbers of them fill the size. height: how far
    they go above and below it. Raises InvalidInput for more than MOST_CORDS, or fewer than two each way.
    """
    counts = [round(length / step) for length, step in zip(size, steps, strict=True)]
    for count, way in zip(counts, ("left to right", "front to back"), strict=True):
        if not 2 <= count <= MOST_CORDS:
            raise InvalidInput(f"The number of cords from {way}", f"2 to {MOST_CORDS}", str(count))
    x, y = (length * ((np.arange(count) + 0.5) / count - 0.5) for length, count in zip(size, counts, strict=True))
    over = _first_over(counts, pattern)
    heights = np.where(over, height, -height)
    first = [_cord(y, heights[k], at, axis=1, reach=size[1] / 2) for k, at in enumerate(x)]
    second = [_cord(x, -heights[:, k], at, axis=0, reach=size[0] / 2) for k, at in enumerate(y)]
    return Woven((*first, *second), _apart(first[:5], second[:5], min(size[0] / counts[0], size[1] / counts[1])))


def _first_over(counts: list[int], pattern: Pattern) -> np.ndarray:
    """Say of each crossing (m, n) whether the cord along y is above: by turns, or two over and two under, a step aside."""
    total = np.add.outer(np.arange(counts[0]), np.arange(counts[1]))
    return np.asarray(total % 2 == 0 if pattern == "plain" else total % 4 < 2)


def _cord(along: Floats, heights: Floats, at: float, *, axis: int, reach: float) -> NurbsCurve:
    """Return a cord that runs along an axis through heights (n,) at places (n,), and levels out at both ends."""
    places = np.concatenate(([-reach], along, [reach]))
    values = np.concatenate(([0.0], heights, [0.0]))
    rows = np.zeros((len(places), 3))
    rows[:, axis], rows[:, 1 - axis], rows[:, 2] = places, at, values
    slopes = scipy.interpolate.PchipInterpolator(places, rows)(places, 1)
    third = (np.diff(places) / 3)[:, None]
    inner = np.stack((rows[:-1] + third * slopes[:-1], rows[1:] - third * slopes[1:]), axis=1).reshape(-1, 3)
    knots = np.concatenate((np.full(4, places[0]), np.repeat(places[1:-1], 2), np.full(4, places[-1])))
    control = np.concatenate((rows[:1], inner, rows[-1:]))
    return NurbsCurve(3, knots, control, np.ones(len(control)))


def _apart(first: list[NurbsCurve], second: list[NurbsCurve], step: float) -> float:
    """Return the least distance in mm between cords of two ways, and beside each other."""
    one, other = (
        np.concatenate([curve_points(cord, np.linspace(*cord.domain, PLACES * len(cord.breaks))) for cord in cords])
        for cords in (first, second)
    )
    return min(float(scipy.spatial.distance.cdist(one, other).min()), step)


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
