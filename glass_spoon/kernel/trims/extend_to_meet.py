"""A surface that goes on past an edge until that lies on others: as far as their exact crossing with its long extension."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.curves.alter.edit_knots import trim_curve
from glass_spoon.kernel.curves.evaluate.basis import basis_matrix
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_derivatives, curve_points
from glass_spoon.kernel.errors import KernelError, place_text
from glass_spoon.kernel.surfaces.alter.edit_surface import refine_surface, reverse_surface, split_surface
from glass_spoon.kernel.surfaces.alter.rework_surface import Going, extend_surface
from glass_spoon.kernel.surfaces.evaluate.closest_points import closest_points
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_points
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface, surface_from_homogeneous
from glass_spoon.kernel.trims.common_places import Parallel
from glass_spoon.kernel.trims.cross_surfaces import cross_surfaces
from glass_spoon.kernel.trims.cuts import within
from glass_spoon.kernel.trims.face import FaceSet

FARTHEST = 4.0
"""Ways to the far side of what is met by which it is tried to go on at most: bent or slanting ways are longer."""

SHORTEST = 1e-3
"""Share of that below which it is not tried to go on further."""

FITTED = 1e-7
"""Share of the size within which the new edge lies on what it meets."""

MOST_ROWS = 400
"""Most control points across."""

SAMPLED = 400
"""Places of a crossing among which it is looked for a parameter."""

BESIDE = 1e-7
"""Share of an axis within which a crossing starts at its border."""


@dataclass(frozen=True, eq=False)
class Met:
    """A surface that meets others with an edge.

    off: the largest distance in mm of that edge from them. least, most: how far it went on, in mm.
    """

    surface: NurbsSurface
    off: float
    least: float
    most: float


class MeetsNothing(KernelError):
    """A surface that passes by what it should meet."""


def extend_to_meet(surface: NurbsSurface, axis: int, end: Literal[0, -1], others: FaceSet, going: Going) -> Met:
    """Return a surface with its edge at one end of an axis moved on until it lies on other faces.

    It stays the surface that it is before that edge, and four-sided. Raises MeetsNothing where a stretch of the edge meets
    none of them, with its place, and KernelError as `extend_surface` does.
    """
    if end == 0:
        met = extend_to_meet(reverse_surface(surface, axis), axis, -1, others, going)
        return Met(reverse_surface(met.surface, axis), met.off, met.least, met.most)
    high, (low_v, high_v) = surface.domain(axis)[1], surface.domain(1 - axis)
    edge = _edge(surface, axis, high, np.linspace(low_v, high_v, 33))
    away = np.linalg.norm(edge[:, None] - others.trace, axis=2)
    missed, far = edge[16], FARTHEST * float(away.max())
    reach, reached, refused = max(float(away.min()), far / 64), 0.0, np.inf
    while reached < far and refused - reached > SHORTEST * far:
        try:
            longer = extend_surface(surface, axis, -1, reach, going)
        except KernelError:  # bent on so far it runs to infinity
            if not reached:
                raise
            refused, reach = reach, (reach + reached) / 2
            continue
        reached, reach = reach, min(2 * reach, far, (reach + refused) / 2)
        body, more = split_surface(longer, axis, high)
        runs = _crossings(more, others)
        shares = _first_met(runs, more, axis, np.linspace(low_v, high_v, 33))
        if np.isfinite(shares).all():
            return _cut_to(body, more, axis, runs, others)
        missed = edge[int(np.argmin(np.isfinite(shares)))]
    raise MeetsNothing(
        f"Going on it passes by, at {place_text(missed)}: not all of the edge meets the other. Choose another edge, let it "
        "go on the other way, or make the other larger."
    )


def _edge(surface: NurbsSurface, axis: int, along: float, across: Floats) -> Floats:
    """Return places (n, 3) in mm at one parameter along an axis, and others across it."""
    at = np.full(len(across), along)
    return surface_points(surface, *((at, across) if axis == 0 else (across, at)))


def _crossings(more: NurbsSurface, others: FaceSet) -> list[NurbsCurve]:
    """Return where an extension crosses faces, as runs (u, v, 0) on it; those beyond the faces' own boundaries left out."""
    runs = []
    for face in others.faces:
        for crossing in cross_surfaces(Parallel(more), Parallel(face.surface)):
            for low, high in within(crossing.second, face):
                if high - low > 1e-6:
                    runs.append(crossing.first if (low, high) == (0.0, 1.0) else trim_curve(crossing.first, low, high))
    return runs


def _first_met(runs: list[NurbsCurve], more: NurbsSurface, axis: int, across: Floats) -> Floats:
    """Return the parameters (n,) along an axis at which an extension first meets runs, given those across; inf for none."""
    found = np.full(len(across), np.inf)
    near = BESIDE * float(np.ptp(more.domain(1 - axis)))
    for run in runs:
        params = np.linspace(*run.domain, SAMPLED)
        v = curve_points(run, params)[:, 1 - axis]
        below = v[:, None] - across
        step, which = np.nonzero(below[:-1] * below[1:] <= 0)
        low, high = v[step], v[step + 1]
        share = np.divide(across[which] - low, high - low, out=np.zeros(len(step)), where=high != low)
        ends, beside = np.nonzero(np.abs(below[[0, -1]]) <= near)
        guesses = np.concatenate((params[step] + (params[step + 1] - params[step]) * share, params[[0, -1]][ends]))
        owners = np.concatenate((which, beside))
        at = _at_across(run, axis, guesses, across[owners])
        ahead = at >= more.domain(axis)[0]
        np.minimum.at(found, owners[ahead], at[ahead])
    return found


def _at_across(run: NurbsCurve, axis: int, params: Floats, wanted: Floats) -> Floats:
    """Return the parameters (n,) along an axis where a run has wanted ones (n,) across, by Newton steps from params (n,)."""
    for _ in range(6):
        place, way = curve_derivatives(run, params, 1)
        slope = way[:, 1 - axis]
        move = np.divide(place[:, 1 - axis] - wanted, slope, out=np.zeros(len(params)), where=np.abs(slope) >= 1e-300)
        params = np.clip(params - move, *run.domain)
    return curve_points(run, params)[:, axis]


def _cut_to(body: NurbsSurface, more: NurbsSurface, axis: int, runs: list[NurbsCurve], others: FaceSet) -> Met:
    """Return a surface with as much of its extension as lies before runs on it."""
    size = max(body.size, others.size)
    other = 1 - axis
    while True:
        degree, knots = more.degrees[other], more.knots[other]
        count = more.weights.shape[other]
        greville = np.array([knots[k + 1 : k + degree + 1].mean() for k in range(count)])
        stops = _first_met(runs, more, axis, greville)
        made = _shortened(more, axis, greville, stops)
        between = np.unique(np.concatenate([np.linspace(a, b, 7) for a, b in pairwise(greville)]))
        rim = _edge(made, axis, made.domain(axis)[1], between)
        off = float(np.min([closest_points(face.surface, rim)[2] for face in others.faces], axis=0).max())
        if off <= FITTED * size or 2 * count > MOST_ROWS:
            break
        spans = np.unique(knots)
        middles = (spans[:-1] + spans[1:]) / 2
        body, more = (refine_surface(one, other, middles) for one in (body, more))
    start = _edge(body, axis, body.domain(axis)[1], between)
    went = lengths(rim - start)
    return Met(_joined(body, made, axis), off, float(went.min()), float(went.max()))


def _shortened(more: NurbsSurface, axis: int, greville: Floats, stops: Floats) -> NurbsSurface:
    """Return an extension of one span cut at parameters (n,) along an axis, given for those across (n,): by its blossom."""
    low, high = more.domain(axis)
    degree, other = more.degrees[axis], 1 - axis
    shares = ((stops - low) / (high - low))[:, None]
    matrix = basis_matrix(more.knots[other], more.degrees[other], greville)
    net = np.moveaxis(more.homogeneous, axis, 0)
    layer = np.einsum("gn,knc->kgc", matrix, net)
    rows = [layer[0]]
    while len(layer) > 1:  # de Casteljau: its first points are those of the piece up to the share
        layer = layer[:-1] * (1 - shares) + layer[1:] * shares
        rows.append(layer[0])
    solved = np.linalg.solve(matrix, np.stack(rows).transpose(1, 0, 2).reshape(len(greville), -1))
    cut = solved.reshape(len(greville), degree + 1, 4).transpose(1, 0, 2)
    end = low + float(stops.mean() - low)
    knots = np.concatenate((np.full(degree + 1, low), np.full(degree + 1, end)))
    both = (knots, more.knots[1]) if axis == 0 else (more.knots[0], knots)
    return surface_from_homogeneous(more.degrees, both, np.moveaxis(cut, 0, axis))


def _joined(body: NurbsSurface, more: NurbsSurface, axis: int) -> NurbsSurface:
    """Return a surface and its extension as one."""
    degree = body.degrees[axis]
    first, second = (np.moveaxis(one.homogeneous, axis, 0) for one in (body, more))
    net = np.concatenate((first, second[1:]))
    knots = np.concatenate((body.knots[axis][:-1], more.knots[axis][degree + 1 :]))
    both = (knots, body.knots[1]) if axis == 0 else (body.knots[0], knots)
    return surface_from_homogeneous(body.degrees, both, np.moveaxis(net, 0, axis))
