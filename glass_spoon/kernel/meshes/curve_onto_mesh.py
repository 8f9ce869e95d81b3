"""A curve laid onto a mesh: to the nearest places, or along a direction to the side that is met first."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.curves.make.line_and_arc import make_polyline
from glass_spoon.kernel.errors import KernelError, place_text
from glass_spoon.kernel.meshes.closest_on_mesh import NearestOnMesh
from glass_spoon.kernel.meshes.mesh import Mesh

FIRST = 8
"""Places on each stretch between knots at which a curve is laid on at first."""

MOST_PLACES = 20_000
"""Places of a curve on a mesh, at most."""

STEEP = 20.0
"""How many times as long as what is drawn a stretch on the mesh may be: more is a jump, as over the edge of a step."""

ROUNDS = 14
"""Times stretches are halved, at most: an edge over which the curve jumps is drawn in so far."""


@dataclass(frozen=True, eq=False)
class OntoMesh:
    """A curve on a mesh, and the length of its largest jump in mm: where neighbours fall on places far apart; 0 for none."""

    curve: NurbsCurve
    jump: float


def curve_onto_mesh(curve: NurbsCurve, mesh: Mesh, way: Floats | None, tolerance: float) -> OntoMesh:
    """Return the curve of degree 1 that follows a curve laid onto a mesh within `tolerance` mm; its points lie on the mesh.

    way: the direction (3,) along which its places fall, the side first met; None for the nearest places. Stretches are
    halved until the places in their middles lie near them. Raises KernelError where places miss the mesh along the way, or
    where more than MOST_PLACES would be needed.
    """
    nearest = NearestOnMesh(mesh)
    unit = None if way is None else np.asarray(way, dtype=np.float64) / np.linalg.norm(way)

    def onto(params: Floats) -> Floats:
        places = curve_points(curve, params)
        if unit is None:
            return nearest.ask(places)[0]
        found, faces = nearest.seen(places, unit)
        missed = np.flatnonzero(faces < 0)
        if len(missed):
            raise KernelError(
                f"The curve passes beside the mesh, as at {place_text(places[missed[0]])}. Make it shorter, or let it fall "
                "another way."
            )
        return nearest.ask(found)[0]  # a ray that runs along an edge is led a little beside it

    knots = np.unique(curve.knots[curve.degree : len(curve.knots) - curve.degree])
    params = np.unique(np.concatenate([np.linspace(low, high, FIRST + 1) for low, high in pairwise(knots)]))
    points = onto(params)
    jump = 0.0
    for _ in range(ROUNDS):
        middles = (params[:-1] + params[1:]) / 2
        between = onto(middles)
        off = _off_chords(points[:-1], points[1:], between) > tolerance
        steps, drawn = lengths(points[1:] - points[:-1]), lengths(np.diff(curve_points(curve, params), axis=0))
        off |= (steps > STEEP * drawn) & (steps > tolerance)
        if not off.any():
            jump = 0.0
            break
        jump = float(steps[off].max())
        params = np.concatenate((params, middles[off]))
        order = np.argsort(params, kind="stable")
        params, points = params[order], np.concatenate((points, between[off]))[order]
        if len(params) > MOST_PLACES:
            raise KernelError("The curve needs too many points to follow this mesh so closely. Allow a larger tolerance.")
    steps = lengths(np.diff(points, axis=0))
    kept = np.concatenate(([True], steps > 1e-9 * max(float(steps.sum()), 1e-300)))
    if kept.sum() < 2:
        raise KernelError("All of the curve falls onto one place of the mesh. Let it fall another way.")
    return OntoMesh(make_polyline(points[kept]), jump)


def _off_chords(starts: Floats, ends: Floats, places: Floats) -> Floats:
    """Return how far (n,) places lie from the straight pieces between starts and ends (n, 3)."""
    way, away = ends - starts, places - starts
    square = np.maximum(np.einsum("ni,ni->n", way, way), 1e-300)
    share = np.clip(np.einsum("ni,ni->n", away, way) / square, 0.0, 1.0)
    return lengths(away - share[:, None] * way)
