"""The crossings of two sets of faces as whole curves: clipped to the faces, and joined where they go on."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import lengths
from glass_spoon.kernel.curves.alter.edit_knots import join_curves, reverse_curve, trim_curve
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.trims.cuts import in_both, within
from glass_spoon.kernel.trims.face import FaceSet
from glass_spoon.kernel.trims.rim_crossings import cross_with_rims

JOINED = 1e-6
"""Share of the size within which ends are one."""


def crossing_curves(first: FaceSet, second: FaceSet) -> tuple[list[NurbsCurve], float]:
    """Return the curves in which faces cross, and the largest distance in mm of one from either."""
    found: list[NurbsCurve] = []
    off = 0.0
    for face in first.faces:
        for other in second.faces:
            for crossing in cross_with_rims(face, other, both=True):
                off = max(off, crossing.off)
                for low, high in in_both(within(crossing.first, face), within(crossing.second, other)):
                    found.append(crossing.curve if (low, high) == (0.0, 1.0) else trim_curve(crossing.curve, low, high))
    size = max(first.size, second.size)
    return _joined(found, JOINED * size), off


def _joined(curves: list[NurbsCurve], reach: float) -> list[NurbsCurve]:
    """Return curves put together where just two ends meet."""
    left = list(curves)
    ends = [curve.control_points[[0, -1]] for curve in left]

    def meeting(place: np.ndarray) -> list[tuple[int, int]]:
        return [(k, end) for k, pair in enumerate(ends) for end in (0, 1) if lengths(pair[end] - place) <= reach]

    used = [False] * len(left)
    made = []
    for first, curve in enumerate(left):
        if used[first]:
            continue
        used[first] = True
        run = [curve]
        for forward in (True, False):
            while True:
                place = run[-1].control_points[-1] if forward else run[0].control_points[0]
                at = meeting(place)
                following = [(k, end) for k, end in at if not used[k]]
                if len(at) != 2 or len(following) != 1:
                    break
                k, end = following[0]
                used[k] = True
                piece = left[k] if (end == 0) == forward else reverse_curve(left[k])
                run = [*run, piece] if forward else [piece, *run]
        made.append(join_curves(run) if len(run) > 1 else curve)
    return made
