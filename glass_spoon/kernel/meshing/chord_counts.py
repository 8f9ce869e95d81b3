"""How many even edges keep to a chord tolerance or to an angle, for many surfaces at once."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.even_lengths import alike, measure_alike
from glass_spoon.kernel.curves.read.largest_bends import largest_bends
from glass_spoon.kernel.surfaces.alter.edit_surface import isocurves
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface

MOST = 4096
"""Most edges of a count."""

SMALL = 1 - np.sqrt(0.5)
"""A quarter turn stands off its chord by this share of its radius: one that small needs no edges of its own."""


def counts_for_chord(surfaces: tuple[NurbsSurface, ...], chord: float) -> Floats:
    """Return counts (surfaces, 2) along u and v whose even edges stand at most about `chord` mm off their isocurves.

    Looked at are both edges and the middle one. An edge of length h over a bend k stands off by h² k / 8, so each length l
    takes l √(k / 8 chord) edges, k its largest bend. Not whole numbers; at most MOST.
    """
    curves = _looked_at(surfaces)
    counts = np.zeros(len(curves))
    for numbers in alike(curves):
        group = [curves[number] for number in numbers]
        bends = largest_bends(group, SMALL / chord)
        counts[numbers] = measure_alike(group).lengths * np.sqrt(bends / (8 * chord))
    return np.minimum(counts.reshape(-1, 2, 3).max(axis=2), MOST)


def counts_for_turn(surfaces: tuple[NurbsSurface, ...], turn: float) -> Floats:
    """Return counts (surfaces, 2) along u and v whose even edges turn by about `turn` rad at most.

    Looked at are both edges and the middle one: length times the largest bend, over the angle. A bend tighter than a face's
    own size does not count.
    """
    curves = _looked_at(surfaces)
    counts = np.zeros(len(curves))
    for numbers in alike(curves):
        group = [curves[number] for number in numbers]
        sizes = measure_alike(group).lengths
        counts[numbers] = sizes * largest_bends(group, MOST * turn / max(float(sizes.max()), 1e-9)) / turn
    return np.minimum(counts.reshape(-1, 2, 3).max(axis=2), MOST)


def _looked_at(surfaces: tuple[NurbsSurface, ...]) -> list[NurbsCurve]:
    """Return both edges and the middle isocurve of every surface, along u, then along v."""
    curves: list[NurbsCurve] = []
    for surface in surfaces:
        for axis in (0, 1):
            low, high = surface.domain(1 - axis)
            curves += isocurves(surface, axis, np.array([low, (low + high) / 2, high]))
    return curves
