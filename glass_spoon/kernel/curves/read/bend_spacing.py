"""Steps along a curve that are shorter where it bends: equal in the integral of a density over the length."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.evaluate.arc_length import ArcLength
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_derivatives

SAMPLES = 256
"""Places of a run at which its bend is read."""

SHARPEST = 8.0
"""Most that a bend counts, in means of its run: a single tight place does not draw all edges to itself."""


def bend_shares(bends: Floats, strength: float) -> Floats:
    """Return the shares (..., n) of the density up to n even places of runs whose bends (..., n) in 1/mm are given.

    The density is 1 + strength * bend / mean bend, each bend at most SHARPEST means; where nothing bends it is even.
    """
    mean = bends.mean(axis=-1, keepdims=True)
    relative = np.divide(bends, mean, out=np.zeros_like(bends), where=mean > 0)
    density = 1 + strength * np.minimum(relative, SHARPEST)
    steps = (density[..., 1:] + density[..., :-1]) / 2
    total = np.concatenate((np.zeros((*bends.shape[:-1], 1)), np.cumsum(steps, axis=-1)), axis=-1)
    return np.asarray(total / total[..., -1:])


def curve_bends(curve: NurbsCurve, params: Floats) -> Floats:
    """Return the curvature (n,) in 1/mm at params (n,); 0 where the curve stands still."""
    values = curve_derivatives(curve, params, 2)
    turn = np.linalg.norm(np.cross(values[1], values[2]), axis=1)
    speed = np.linalg.norm(values[1], axis=1) ** 3
    return np.divide(turn, speed, out=np.zeros_like(turn), where=speed > 1e-12 * max(float(speed.max(initial=0.0)), 1e-300))


def divide_by_bend(arc: ArcLength, start: float, end: float, count: int, strength: float) -> Floats:
    """Return the lengths (count + 1,) in mm along a curve, between two of them, that share out the density of its bend."""
    lengths = np.linspace(start, end, SAMPLES + 1)
    inside = np.clip(lengths, start + 1e-6 * (end - start), end - 1e-6 * (end - start))
    shares = bend_shares(curve_bends(arc.curve, arc.to_params(inside)), strength)
    return np.asarray(np.interp(np.linspace(0.0, 1.0, count + 1), shares, lengths))


def run_weights(sizes: Floats, turns: Floats, strength: float) -> Floats:
    """Return lengths (k,) in mm of runs, weighed by how much they bend, adding up to what they did.

    sizes: (k,) mm. turns: (k,) rad over each run. The density of a run is 1 + strength * its mean bend over the mean of all,
    at most SHARPEST means.
    """
    bends = np.divide(turns, sizes, out=np.zeros_like(turns), where=sizes > 0)
    mean = float(turns.sum() / max(float(sizes.sum()), 1e-300))
    if mean <= 0 or strength <= 0:
        return sizes
    weighed = sizes * (1 + strength * np.minimum(bends / mean, SHARPEST))
    return np.asarray(weighed * (sizes.sum() / weighed.sum()))
