"""Closed outlines in a plane told apart: which are outlines, and which are holes in which."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.curves.evaluate.closest_on_curve import span_params
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.surfaces.make.outline_crossings import is_inside
from glass_spoon.kernel.surfaces.make.outline_loop import signed_area

PLACES = 6
"""Places a span of an outline."""


def nest_outlines(curves: list[NurbsCurve]) -> list[tuple[NurbsCurve, list[NurbsCurve]]]:
    """Return closed curves in the xy plane as outlines, each with its holes: what lies in an odd number of others is a hole
    in the smallest of them, what lies in an even number an outline again.
    """
    lines = [curve_points(curve, span_params(curve, PLACES))[:-1, :2] for curve in curves]
    every = range(len(curves))
    within = np.array([[a != b and is_inside(lines[b], lines[a][0]) for b in every] for a in every])
    depth = within.sum(axis=1)
    found: list[tuple[NurbsCurve, list[NurbsCurve]]] = []
    number = {}
    for k in np.flatnonzero(depth % 2 == 0).tolist():
        number[k] = len(found)
        found.append((curves[k], []))
    for k in np.flatnonzero(depth % 2 == 1).tolist():
        about = [other for other in np.flatnonzero(within[k]).tolist() if depth[other] == depth[k] - 1]
        found[number[min(about, key=lambda other: abs(signed_area(curves[other])))]][1].append(curves[k])
    return found
