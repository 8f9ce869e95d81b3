"""Directions carried along curves with the least twist.

By double reflection: Wang, Jüttler, Zheng and Liu, Computation of rotation minimizing frames, ACM TOG 27 (2008).
"""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Floats


def carried(axes: Floats, steps: Floats, tangents: Floats, to_tangents: Floats) -> Floats:
    """Return axes (n, 3) across unit tangents (n, 3) carried by steps (n, 3) to places with other tangents (n, 3).

    Two reflections: in the planes midway of the places, and of the tangents. A step of no length leaves what it carries.
    """
    axis, tangent = (mirrored(part, steps) for part in (axes, tangents))
    return mirrored(axis, to_tangents - tangent)


def mirrored(vectors: Floats, across: Floats) -> Floats:
    """Return vectors (n, 3) reflected across directions (n, 3); a zero direction leaves them."""
    square = np.einsum("ij,ij->i", across, across)
    share = np.divide(2 * np.einsum("ij,ij->i", across, vectors), square, out=np.zeros_like(square), where=square > 1e-300)
    return vectors - share[:, None] * across
