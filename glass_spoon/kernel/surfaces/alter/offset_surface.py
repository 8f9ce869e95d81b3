"""The surface at a distance from another, sharp edges mitred, with the place where it would fold."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.curves.evaluate.arc_length import ArcLength
from glass_spoon.kernel.curves.evaluate.basis import basis_matrix
from glass_spoon.kernel.errors import FoldsBack, InvalidInput, KernelError, NotFollowed, place_text
from glass_spoon.kernel.surfaces.alter.edit_surface import isocurve, split_surface
from glass_spoon.kernel.surfaces.alter.rebuild_surface import longest_isocurve, rebuild_surface
from glass_spoon.kernel.surfaces.alter.rework_surface import swap_directions
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import (
    evaluate_grid,
    surface_curvature,
    surface_derivatives,
    surface_points_normals,
)
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.evaluate.surface_kinks import is_smooth_ring, surface_kinks
from glass_spoon.kernel.surfaces.make.fit_patch import GridPlaces, fit_patch
from glass_spoon.kernel.surfaces.make.section_runs import SectionRun, join_runs

LOOKED_AT = 33
"""Places along either axis at which the bend is looked at …"""

INSIDE = 1e-4
"""… this share of the domain inside its ends, where poles have none."""

SWING = 0.2
"""Share of its size by which the control points of an offset may lie outside of where it can be."""

_Cut = Callable[[Floats], Floats]

STEP = 1e-5
"""Share of a run over which slopes of its offset are taken."""

ROUNDS = 30
"""Newton steps that find where two offset runs cross."""


@dataclass(frozen=True, eq=False)
class OffsetSurface:
    """An offset surface. fold: the place (3,) in mm of the original that bends closer than the distance, or None.

    radius: the least radius in mm to which it bends on that side. largest: how far in mm it was found to be off.
    """

    surface: NurbsSurface
    fold: Floats | None
    radius: float
    largest: float


def offset_surface(surface: NurbsSurface, distance: float, tolerance: float = 1e-3) -> OffsetSurface:
    """Return the surface `distance` mm along the normals (against them when negative), within `tolerance` mm.

    Smooth runs are followed by bicubic patches; across a sharp edge that the offset opens they go on straight to the mitre,
    across one that it closes they are cut where they cross. Sharp edges may run along one axis.
    Raises InvalidInput for no distance, KernelError for sharp edges both ways and runs that are lost altogether.
    """
    if distance == 0:
        raise InvalidInput("The distance", "other than 0 mm", "0 mm")
    kinks = [surface_kinks(surface, axis) for axis in (0, 1)]
    if len(kinks[0]) and len(kinks[1]):
        raise KernelError("The surface is sharp both ways. Cut it along its sharp edges one way and offset the parts.")
    fold, radius = _sharpest_bend(surface, distance)
    try:
        if len(kinks[0]):
            swapped, off = _offset_runs(swap_directions(surface), distance, tolerance / 2)
            offset = swap_directions(swap_directions(swap_directions(swapped)))
        else:
            offset, off = _offset_runs(surface, distance, tolerance / 2)
    except NotFollowed as error:
        if fold is None:
            raise
        raise FoldsBack(abs(distance), radius, fold) from error
    if fold is not None and _runs_away(surface, offset, distance):
        raise FoldsBack(abs(distance), radius, fold)
    lighter, more = _lighter(offset, tolerance / 2)
    return OffsetSurface(lighter, fold, radius, off + more)


def _runs_away(surface: NurbsSurface, offset: NurbsSurface, distance: float) -> bool:
    """Say whether control points of an offset lie far from where it can be: a fold was followed by a fit that swings out."""
    control = surface.control_points.reshape(-1, 3)
    room = abs(distance) + SWING * surface.size
    net = offset.control_points.reshape(-1, 3)
    return bool(((net < control.min(axis=0) - room) | (net > control.max(axis=0) + room)).any())


def _lighter(surface: NurbsSurface, tolerance: float) -> tuple[NurbsSurface, float]:
    """Return the surface with fewer control points where it can do with fewer, and how far in mm it moved."""
    try:
        fewer = rebuild_surface(surface, tolerance)
    except KernelError:
        return surface, 0.0
    good = fewer.largest <= tolerance and fewer.surface.weights.size < surface.weights.size
    return (fewer.surface, fewer.largest) if good else (surface, 0.0)


def _sharpest_bend(surface: NurbsSurface, distance: float) -> tuple[Floats | None, float]:
    """Return the place where the surface bends most to the side of the offset if that folds it, and the radius there."""
    params = []
    for axis in (0, 1):
        low, high = surface.domain(axis)
        breaks = np.unique(np.concatenate((surface.knots[axis], np.linspace(low, high, LOOKED_AT))))
        step = INSIDE * (high - low)
        params.append(np.unique(np.clip(np.concatenate((breaks - step, breaks + step)), low + step, high - step)))
    u, v = (grid.ravel() for grid in np.meshgrid(*params, indexing="ij"))
    gaussian, mean = surface_curvature(surface, u, v)
    side = np.sign(distance)
    largest = side * mean + np.sqrt(np.maximum(mean**2 - gaussian, 0.0))
    largest[~np.isfinite(largest)] = 0.0
    at = int(np.argmax(largest))
    radius = 1 / float(largest[at]) if largest[at] > 0 else np.inf
    if radius > abs(distance) * (1 + 1e-6):
        return None, radius
    return surface_derivatives(surface, u[at : at + 1], v[at : at + 1], 0)[0, 0][0], radius


@dataclass(frozen=True, eq=False)
class _Run:
    """A smooth run of a surface, its places by shares of length (round: of the whole surface)."""

    piece: NurbsSurface
    arcs: tuple[ArcLength, ArcLength]

    def params(self, axis: int, shares: Floats) -> Floats:
        """Return parameters (n,) at shares (n,) of the length."""
        arc = self.arcs[axis]
        return arc.to_params(shares * arc.length)

    def at(self, distance: float, u: Floats, v: Floats) -> Floats:
        """Return offset places (n, 3) at shares u (n,) and v (n,)."""
        return _offset_at(self.piece, self.params(0, u), self.params(1, v), distance)

    def grid(self, distance: float, u: Floats, v: Floats) -> Floats:
        """Return offset places (m, n, 3) at shares u (m,) by v (n,)."""
        values = evaluate_grid(self.piece, self.params(0, u), self.params(1, v))
        return values.points + distance * values.normals


def _offset_runs(surface: NurbsSurface, distance: float, tolerance: float) -> tuple[NurbsSurface, float]:
    """Return the offset of a surface whose sharp edges, if any, run round (at values of v), and how far in mm it is off."""
    pieces = [surface]
    for stop in surface_kinks(surface, 1):
        pieces[-1:] = split_surface(pieces[-1], 1, float(stop))
    around = longest_isocurve(surface, 0)
    runs = [_Run(piece, (around, longest_isocurve(piece, 1))) for piece in pieces]
    joints = [_joint(before, after, distance) for before, after in pairwise(runs)]
    closed = surface.is_closed(1, 1e-6)
    ring = closed and is_smooth_ring(surface, 1)
    if closed and not ring:
        joints.append(_joint(runs[-1], runs[0], distance))
    patches = []
    rings = is_smooth_ring(surface, 0), ring and len(runs) == 1
    for k, run in enumerate(runs):
        first = joints[k - 1].after if k or (closed and not ring) else None
        last = joints[k].before if k < len(joints) else None
        patches.append(_trimmed_places(run, distance, first, last))
    return _joined(patches, joints, rings, tolerance, closing=closed and not ring)


@dataclass(frozen=True, eq=False)
class _Joint:
    """How the offsets of two runs meet, at shares round: a function to the mitre (n, 3), or to where each of them ends.

    before, after: functions of shares u (n,) to the share v (n,) of the run at which it is cut; None where it runs out.
    """

    opens: bool
    before: _Cut | None = None
    after: _Cut | None = None
    mitre: _Cut | None = None


def _joint(before: _Run, after: _Run, distance: float) -> _Joint:
    """Return how the offsets of two runs meet across the sharp edge between them."""
    u = np.linspace(0, 1, 17)
    ends = before.at(distance, u, np.ones_like(u)), after.at(distance, u, np.zeros_like(u))
    ahead = after.at(distance, u, np.full_like(u, 1e-3)) - ends[1]
    opening = np.einsum("ij,ij->i", ends[1] - ends[0], ahead)
    if (opening > -1e-12).all():
        return _Joint(opens=True, mitre=lambda shares: _mitres(before, after, distance, shares))
    if (opening < 1e-12).all():
        return _Joint(
            opens=False,
            before=lambda shares: _crossings(before, after, distance, shares)[0],
            after=lambda shares: _crossings(before, after, distance, shares)[1],
        )
    raise KernelError("A sharp edge turns from outwards to inwards on its way. Cut the surface there and offset the parts.")


def _mitres(before: _Run, after: _Run, distance: float, u: Floats) -> Floats:
    """Return the places (n, 3) where the tangent planes of both offsets meet, in the plane of both normals."""
    points = before.at(0.0, u, np.ones_like(u))
    first = before.at(1.0, u, np.ones_like(u)) - points
    second = after.at(1.0, u, np.zeros_like(u)) - points
    lean = 1 + np.einsum("ij,ij->i", first, second)
    if lean.min() < 0.05:
        raise KernelError("The surface folds back so sharply that its edge cannot be mitred. Round the edge first.")
    return np.asarray(points + distance * (first + second) / lean[:, None])


def _crossings(before: _Run, after: _Run, distance: float, u: Floats) -> tuple[Floats, Floats]:
    """Return the shares v (n,) of both runs at which their offsets cross, by Gauss-Newton steps on their distance."""
    around = before.params(0, u)
    one, two = before.piece, after.piece
    (low_one, high_one), (low_two, high_two) = one.domain(1), two.domain(1)
    s: Floats = np.full(len(u), low_one + 0.95 * (high_one - low_one))
    t: Floats = np.full(len(u), low_two + 0.05 * (high_two - low_two))
    step_one, step_two = STEP * (high_one - low_one), STEP * (high_two - low_two)
    for _ in range(ROUNDS):
        here, there = _offset_at(one, around, s, distance), _offset_at(two, around, t, distance)
        gap = there - here
        along_one = (here - _offset_at(one, around, s - step_one, distance)) / step_one
        along_two = (_offset_at(two, around, t + step_two, distance) - there) / step_two
        pairs = ((along_one, along_one), (along_one, along_two), (along_two, along_two))
        a, b, c = (np.einsum("ij,ij->i", x, y) for x, y in pairs)
        right = np.einsum("ij,ij->i", along_one, gap), -np.einsum("ij,ij->i", along_two, gap)
        det = np.maximum(a * c - b * b, 1e-300)
        ds, dt = (c * right[0] + b * right[1]) / det, (a * right[1] + b * right[0]) / det
        most = 0.2 * (high_one - low_one), 0.2 * (high_two - low_two)
        s = np.clip(s + np.clip(ds, -most[0], most[0]), low_one + 2 * step_one, high_one)
        t = np.clip(t + np.clip(dt, -most[1], most[1]), low_two, high_two - 2 * step_two)
        if max(np.abs(ds).max() / most[0], np.abs(dt).max() / most[1]) < 1e-11:
            break
    apart = lengths(_offset_at(one, around, s, distance) - _offset_at(two, around, t, distance))
    if apart.max() > 1e-4 * abs(distance):
        place = before.at(0.0, u, np.ones_like(u))[int(np.argmax(apart))]
        raise KernelError(
            f"Offset by {distance:g} mm nothing is left of the surface beside the sharp edge at {place_text(place)}. "
            "Offset it by less."
        )
    first, second = before.arcs[1], after.arcs[1]
    return first.at_params(s) / first.length, second.at_params(t) / second.length


def _offset_at(surface: NurbsSurface, u: Floats, v: Floats, distance: float) -> Floats:
    """Return offset places (n, 3) at parameters u (n,) and v (n,)."""
    points, normals = surface_points_normals(surface, u, v)
    return points + distance * normals


def _trimmed_places(run: _Run, distance: float, first: _Cut | None, last: _Cut | None) -> GridPlaces:
    """Return the offset of a run as a function of shares, cut at its ends where it is to be."""
    if first is None and last is None:
        return lambda u, v: run.grid(distance, u, v)

    def places(u: Floats, v: Floats) -> Floats:
        start = first(u) if first else np.zeros_like(u)
        end = last(u) if last else np.ones_like(u)
        there = start[:, None] + (end - start)[:, None] * v
        return run.at(distance, np.repeat(u, len(v)), there.ravel()).reshape(len(u), len(v), 3)

    return places


def _joined(
    patches: list[GridPlaces],
    joints: list[_Joint],
    rings: tuple[bool, bool],
    tolerance: float,
    *,
    closing: bool,
) -> tuple[NurbsSurface, float]:
    """Fit all runs over one set of shares round and put them together, mitres between them."""
    fitted = [fit_patch(places, tolerance, (8, 4), rings=rings) for places in patches]
    fits = [one.surface for one in fitted]
    steps = max(len(np.unique(fit.knots[0])) for fit in fits)
    count = next(fit for fit in fits if len(np.unique(fit.knots[0])) == steps).control_points.shape[0]
    while any(fit.control_points.shape[0] != count for fit in fits):
        round_steps = count - 1
        fitted = [fit_patch(places, tolerance, (round_steps, 4), rings=rings) for places in patches]
        fits = [one.surface for one in fitted]
        count = max(fit.control_points.shape[0] for fit in fits)
    runs = []
    for k, fit in enumerate(fits):
        size = float(lengths(np.diff(fit.control_points, axis=1)).sum(axis=1).max()) or 1.0
        runs.append(SectionRun(fit.homogeneous.copy(), fit.degrees[1], fit.knots[1] * size))
        if k < len(joints) and (k + 1 < len(fits) or closing):
            runs += _mitre_runs(fit, fits[(k + 1) % len(fits)], joints[k])
    _close_gaps(runs, closing=closing)
    return join_runs(isocurve(fits[0], 0, 0.0), runs), max(one.largest for one in fitted)


def _mitre_runs(before: NurbsSurface, after: NurbsSurface, joint: _Joint) -> list[SectionRun]:
    """Return the straight runs to and from the mitre of an edge that the offset opens."""
    if joint.mitre is None:
        return []
    knots, degree = before.knots[0], before.degrees[0]
    greville = np.array([knots[i + 1 : i + degree + 1].mean() for i in range(len(knots) - degree - 1)])
    net = np.linalg.solve(basis_matrix(knots, degree, greville), joint.mitre(greville))
    middle = np.column_stack((net, np.ones(len(net))))
    runs = []
    for first, second in ((before.homogeneous[:, -1], middle), (middle, after.homogeneous[:, 0])):
        size = float(lengths((second - first)[:, :3]).max())
        if size > 1e-9:
            runs.append(SectionRun(np.stack((first, second), axis=1), 1, np.array([0.0, 0.0, size, size])))
    return runs


def _close_gaps(runs: list[SectionRun], *, closing: bool) -> None:
    """Make the ends of runs that follow each other one row, midway between what each was fitted to."""
    pairs = list(pairwise(range(len(runs)))) + ([(len(runs) - 1, 0)] if closing else [])
    for before, after in pairs:
        shared = (runs[before].net[:, -1] + runs[after].net[:, 0]) / 2
        runs[before].net[:, -1], runs[after].net[:, 0] = shared, shared
