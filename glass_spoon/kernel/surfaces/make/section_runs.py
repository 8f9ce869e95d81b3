"""Surfaces put together of runs of sections: each run a net whose columns go along, all over the same knots round.

A run ends where the next begins, in a knot of full multiplicity, so an edge between them may be sharp.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.curves.evaluate.blossom import conversion_matrix, raised_knots
from glass_spoon.kernel.curves.evaluate.closest_on_curve import span_params
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.curves.make.line_and_arc import unit_arc
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface, surface_from_homogeneous

EndShape = Literal["open", "flat", "domed", "pointed"]

MIDDLE_PLACES = 512
"""Chords whose centroid is taken for the middle of a section."""


@dataclass(frozen=True, eq=False)
class SectionRun:
    """A run: homogeneous net (round, along, 4), its degree and clamped knots along."""

    net: Floats
    degree: int
    knots: Floats


def join_runs(section: NurbsCurve, runs: list[SectionRun]) -> NurbsSurface:
    """Return one surface of runs that follow each other; round it has the degree and knots of `section`.

    Runs are raised to the highest degree among them; each keeps the length of its domain.
    """
    degree = max(run.degree for run in runs)
    nets: list[Floats] = []
    knots = [np.zeros(1)]
    at = 0.0
    for run in runs:
        raised = _raised(run, degree)
        nets.append(raised.net if not nets else raised.net[:, 1:])
        moved = at + raised.knots - raised.knots[0]
        knots.append(moved[1:-1] if len(knots) == 1 else moved[degree + 1 : -1])
        at = float(moved[-1])
    along = np.concatenate([*knots, [at]])
    return surface_from_homogeneous((section.degree, degree), (section.knots, along), np.concatenate(nets, axis=1))


def _raised(run: SectionRun, degree: int) -> SectionRun:
    """Return the run written with a higher degree."""
    if run.degree == degree:
        return run
    knots = raised_knots(run.knots, run.degree, degree - run.degree)
    matrix = conversion_matrix(run.knots, run.degree, knots, degree)
    return SectionRun(np.einsum("ij,njk->nik", matrix, run.net), degree, knots)


def ruled_run(first: Floats, second: Floats, length: float) -> SectionRun:
    """Return the straight run from one homogeneous row of control points (n, 4) to another over `length` of parameter."""
    return SectionRun(np.stack((first, second), axis=1), 1, np.array([0.0, 0.0, length, length]))


def end_run(
    section: NurbsCurve,
    outward: Floats,
    shape: EndShape,
    *,
    at_start: bool,
    middle: Floats | None = None,
    point: float = 0.0,
) -> SectionRun | None:
    """Return the run that closes an end: flat to its middle, domed out of it, or pointed; None for an open end.

    outward: unit direction (3,) out of the end. middle (3,): what the end is closed about, the section's own when None. A
    dome is as high as the section reaches from there: over a circle a half sphere, exactly. A pointed end runs straight to
    a tip `point` mm outwards, as far as the section reaches when 0.
    """
    if shape == "open":
        return None
    if middle is None:
        middle = middle_of(section)
    radius = float(lengths(curve_points(section, span_params(section, 16)) - middle).max())
    if shape == "domed":
        run = _dome_run(section, middle, radius * outward)
    else:
        tip = middle if shape == "flat" else middle + (point or radius) * outward
        weights = section.weights
        pole = np.column_stack((tip * weights[:, None], weights))
        run = ruled_run(section.homogeneous, pole, float(np.hypot(radius, lengths(tip - middle))))
    return reversed_run(run) if at_start else run


def _dome_run(section: NurbsCurve, middle: Floats, rise: Floats) -> SectionRun:
    """Return the quarter-elliptic run from a section to the pole at middle + rise."""
    angles, arc_weights, knots = unit_arc(np.pi / 2)
    cosines, sines = np.cos(angles) / arc_weights, np.sin(angles) / arc_weights
    places = middle + cosines[:, None, None] * (section.control_points - middle) + sines[:, None, None] * rise
    places[-1] = middle + rise
    mass = np.outer(arc_weights, section.weights)
    net = np.concatenate((places * mass[..., None], mass[..., None]), axis=2).transpose(1, 0, 2)
    return SectionRun(net, 2, knots * (float(lengths(rise)) * np.pi / 2))


def reversed_run(run: SectionRun) -> SectionRun:
    """Return the run from its end to its start."""
    return SectionRun(run.net[:, ::-1], run.degree, (run.knots[0] + run.knots[-1] - run.knots)[::-1])


def middle_of(section: NurbsCurve) -> Floats:
    """Return the middle (3,) of a section: the centroid of chords along it, so that crowded points do not draw it."""
    places = curve_points(section, span_params(section, max(4, MIDDLE_PLACES // (len(section.breaks) - 1))))
    sizes = lengths(np.diff(places, axis=0))
    middle: Floats = sizes @ (places[:-1] + places[1:]) / 2 / sizes.sum()
    return middle
