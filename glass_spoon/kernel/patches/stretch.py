"""A piece of a curve of a net between two meetings."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.curve_bundle import CurveBundle
from glass_spoon.kernel.curves.evaluate.evaluate_curve import end_tangents

PLACES = 65
"""Places of a stretch at which its normals are told."""


@dataclass(frozen=True, eq=False)
class Stretch:
    """A piece of a curve between two meetings, by its parameters; number: of the curve.

    places: parameters (PLACES,) and points (PLACES, 3) in mm along it. bends: the curvature vectors (2, 3) in 1/mm at its
    start and its end.
    """

    number: int
    curve: NurbsCurve
    start: int
    end: int
    places: tuple[Floats, Floats]
    bends: Floats

    @cached_property
    def ways(self) -> Floats:
        """The unit directions (2, 3) in which it leaves its start, and its end backwards."""
        return end_tangents(self.curve) * np.array([[1.0], [-1.0]])


def make_stretches(pieces: Sequence[tuple[int, NurbsCurve, int, int]]) -> list[Stretch]:
    """Return the stretches of curves' numbers, pieces of them, and the meetings at which those start and end."""
    curves = [curve for _, curve, _, _ in pieces]
    params = [np.linspace(*curve.domain, PLACES) for curve in curves]
    bundle = CurveBundle(curves)
    points = [own[0] for own in bundle.of_each(params, 0)]
    bends = [_bends(*own) for own in bundle.of_each([np.array(curve.domain) for curve in curves], 2)]
    return [Stretch(*piece, (at, own), bend) for piece, at, own, bend in zip(pieces, params, points, bends, strict=True)]


def _bends(_: Floats, first: Floats, second: Floats) -> Floats:
    """Return the curvature vectors (n, 3) in 1/mm where a curve has derivatives (n, 3); none where it stands still."""
    speed = np.einsum("ij,ij->i", first, first)[:, None]
    along = np.einsum("ij,ij->i", second, first)[:, None]
    scale = np.where(speed > 0, speed, 1.0)
    return np.where(speed > 0, (second - along / scale * first) / scale, 0.0)
