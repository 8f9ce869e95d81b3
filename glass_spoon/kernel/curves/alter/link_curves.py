"""Link curves that touch end to end into chains."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import lengths
from glass_spoon.kernel.curves.alter.edit_knots import reverse_curve
from glass_spoon.kernel.curves.alter.follow_length import chain_curves
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve


def link_curves(curves: list[NurbsCurve], tolerance: float) -> list[NurbsCurve]:
    """Return the curves, those whose ends lie within `tolerance` mm of each other's linked into one, turned where needed.

    A chain starts with the first curve not yet used and grows at its end, then at its start. Closed curves stay alone.
    """
    left = list(range(len(curves)))
    ends = np.array([curve.control_points[[0, -1]] for curve in curves]).reshape(-1, 2, 3)
    chains: list[NurbsCurve] = []
    while left:
        chain = [curves[left.pop(0)]]
        grown = not chain[0].is_closed(tolerance)
        while grown and left:
            grown = _grow(chain, curves, ends, left, tolerance)
        chains.append(chain_curves(chain) if len(chain) > 1 else chain[0])
    return chains


def _grow(chain: list[NurbsCurve], curves: list[NurbsCurve], ends: np.ndarray, left: list[int], tolerance: float) -> bool:
    """Set one more curve on a chain, at its end or its start; say whether one was found."""
    first, last = chain[0].control_points[0], chain[-1].control_points[-1]
    if lengths(first - last) <= tolerance:
        return False
    for place, at_end in ((last, True), (first, False)):
        gaps = lengths(ends[left] - place)
        row, side = np.unravel_index(int(np.argmin(gaps)), gaps.shape)
        if gaps[row, side] <= tolerance and lengths(ends[left[row], 0] - ends[left[row], 1]) > tolerance:
            found = curves[left.pop(int(row))]
            turned = found if (side == 0) == at_end else reverse_curve(found)
            chain.insert(len(chain) if at_end else 0, turned)
            return True
    return False
