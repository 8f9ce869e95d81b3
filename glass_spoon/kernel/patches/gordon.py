"""One surface through curves of two ways that all cross (Gordon 1969; The NURBS Book, section 10.5).

It is the surface blended through the curves of one way, plus that through those of the other, less the one through the
crossings alone; with two curves each way that is the patch of Coons (1967). The three are sums of the same splines, so they
are added exactly. Where crossings lie at unlike parameters the curves are run through anew, smoothly, first.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats, cross, lengths
from glass_spoon.kernel.curves.alter.align_sections import merged_knots
from glass_spoon.kernel.curves.alter.edit_knots import elevate_degree, rescale_domain, trim_curve
from glass_spoon.kernel.curves.evaluate.arc_length import ArcLength, measure_length
from glass_spoon.kernel.curves.evaluate.basis import basis_matrix
from glass_spoon.kernel.curves.evaluate.blossom import conversion_matrix
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import closed_at_kink, find_kinks
from glass_spoon.kernel.curves.read.plane_of_curve import TOWARDS
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.patches.curve_grid import CurveGrid, Family, read_grid
from glass_spoon.kernel.patches.fit_rows import DEGREE, Asked, fit_rows
from glass_spoon.kernel.surfaces.alter.edit_surface import reverse_surface
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import grid_points
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface

ALIKE = 1e-9
"""Parameters nearer than this, of a domain from 0 to 1, are the same."""
NEAR = 1e-6
"""Share of the size within which curves are run through anew."""
MOST_KNOTS = 200
"""Most knots that curves of one way may have together and still be taken as they are."""
KINK = np.radians(1.0)
SLOWEST = 0.2
"""How slow a curve may be run through, as a share of its slowest stretch between crossings in the mean."""


@dataclass(frozen=True, eq=False)
class Gordon:
    """A surface through curves. counts: of the curves of both ways; gap: the largest miss of their crossings in mm.

    off: the largest distance in mm between the curves and the surface; over: the longest that was left out, in mm, where
    curves run on past the others.
    """

    surface: NurbsSurface
    counts: tuple[int, int]
    gap: float
    off: float
    over: float


@dataclass(frozen=True, eq=False)
class _Rows:
    """Curves of one way as splines of one space over 0 to 1: control (curves, n, 3) mm, at the shares of their crossings.

    ways: how each runs, as a function from shares to parameters. over: the longest that was left out, in mm.
    """

    degree: int
    knots: Floats
    control: Floats
    shares: Floats
    runs: tuple[_Run, ...]
    ring: bool
    over: float


@dataclass(frozen=True, eq=False)
class _Run:
    """How a curve is run through: its length so far at a share, and the parameter there."""

    arc: ArcLength
    start: float
    along: scipy.interpolate.BSpline | scipy.interpolate.PchipInterpolator | scipy.interpolate.CubicSpline | None
    low: float
    high: float

    def params(self, shares: Floats) -> Floats:
        """Return parameters (n,) of the curve at shares (n,); of a ring they may run on past its end."""
        if self.along is None:
            return self.low + shares * (self.high - self.low)
        own, whole = self.start + self.along(shares), self.arc.length
        rounds = np.floor(np.round(own / whole, 12))
        low, high = self.arc.curve.domain
        return self.arc.to_params(np.clip(own - rounds * whole, 0, whole)) + rounds * (high - low)


def gordon_surface(curves: list[NurbsCurve], tolerance: float) -> Gordon:
    """Return the surface through curves of two ways, in any order, whose crossings miss by `tolerance` mm at most.

    It ends at the outermost crossings; u runs along the way of the first curve. Raises KernelError where the curves do not
    all cross each other just once.
    """
    grid = read_grid(curves, tolerance)
    size = float(np.ptp(grid.places.reshape(-1, 3), axis=0).max())
    first = _rows(grid.first, grid.places[: len(grid.first.curves)], size)
    second = _rows(grid.second, grid.places.swapaxes(0, 1)[: len(grid.second.curves)], size)
    surface = _sum(first, second, _corrected(grid, first, second))
    off = max(_off(grid.first, first, second.shares, surface, 0), _off(grid.second, second, first.shares, surface, 1))
    return Gordon(
        _facing_out(surface, closed=first.ring or second.ring),
        (len(grid.first.curves), len(grid.second.curves)),
        grid.gap,
        off,
        max(first.over, second.over),
    )


def _rows(family: Family, places: Floats, size: float) -> _Rows:
    """Return the curves of a family as splines of one space, through places (curves, crossings, 3)."""
    arcs = [measure_length(curve) for curve in family.curves]
    ends = [(float(row[0]), float(row[-1])) for row in family.params]
    over = 0.0
    if not family.ring:
        over = max(
            max(float(arc.at_params(np.array([low]))[0]), arc.length - float(arc.at_params(np.array([high]))[0]))
            for arc, (low, high) in zip(arcs, ends, strict=True)
        )
    shares = np.array([(row - row[0]) / (row[-1] - row[0]) for row in family.params])
    plain = not any(curve.is_rational for curve in family.curves)
    knots = {float(knot) for curve in family.curves for knot in np.round(curve.breaks / np.ptp(curve.domain), 9)}
    smooth_start = not family.ring or all(
        low == curve.domain[0] for curve, (low, _) in zip(family.curves, ends, strict=True)
    )
    if plain and np.ptp(shares, axis=0).max() <= ALIKE and len(knots) <= MOST_KNOTS and smooth_start:
        return _as_they_are(family, arcs, shares.mean(axis=0), ends, over)
    return _run_anew(family, arcs, places, size, over)


def _as_they_are(
    family: Family, arcs: list[ArcLength], shares: Floats, ends: list[tuple[float, float]], over: float
) -> _Rows:
    """Return curves whose crossings lie at the same shares already, unchanged."""
    shares[0], shares[-1] = 0.0, 1.0
    parts = [rescale_domain(trim_curve(curve, *end), 0.0, 1.0) for curve, end in zip(family.curves, ends, strict=True)]
    degree = max(part.degree for part in parts)
    parts = [elevate_degree(part, degree) for part in parts]
    inner = [_snapped(part.knots[degree + 1 : -degree - 1], shares) for part in parts]
    merged = merged_knots(inner, ALIKE)
    knots = np.concatenate((np.zeros(degree + 1), merged, np.ones(degree + 1)))
    control = []
    for part, own in zip(parts, inner, strict=True):
        before = np.concatenate((np.zeros(degree + 1), own, np.ones(degree + 1)))
        control.append(_rewritten((degree, before), degree, knots) @ part.control_points)
    runs = tuple(_Run(arc, 0.0, None, *end) for arc, end in zip(arcs, ends, strict=True))
    return _Rows(degree, knots, np.array(control), shares, runs, family.ring, over)


def _run_anew(family: Family, arcs: list[ArcLength], places: Floats, size: float, over: float) -> _Rows:
    """Return curves run through so that crossings lie at the same shares: those of the length in the mean."""
    totals = []
    for arc, row in zip(arcs, family.params, strict=True):
        low, high = arc.curve.domain
        rounds = np.floor((row - low) / (high - low) * (1 - 1e-12)) if family.ring else np.zeros(len(row))
        totals.append(arc.at_params(np.clip(row - rounds * (high - low), low, high)) + rounds * arc.length)
    own = np.array(totals) - np.array(totals)[:, :1]
    shares = (own / own[:, -1:]).mean(axis=0)
    shares[0], shares[-1] = 0.0, 1.0
    runs = tuple(
        _Run(arc, float(total[0]), _smooth_way(shares, row, ring=family.ring), 0.0, 0.0)
        for arc, total, row in zip(arcs, totals, own, strict=True)
    )
    kinks = _kinks(family, runs, totals, shares)
    smooth = family.ring and not any(closed_at_kink(curve, KINK) for curve in family.curves)
    moves = places - family.places(np.array([run.params(shares) for run in runs]))

    def at(samples: Floats) -> Floats:
        return family.places(np.array([run.params(samples) for run in runs])) + _spread(shares, moves, samples)

    found = fit_rows(Asked(at, shares, kinks, smooth), NEAR * size)
    return _Rows(DEGREE, found.knots, found.control, shares, runs, family.ring, over)


def _smooth_way(
    shares: Floats, totals: Floats, *, ring: bool
) -> scipy.interpolate.CubicSpline | scipy.interpolate.PchipInterpolator:
    """Return a rising function of shares through totals (mm): a cubic with a smooth bend where that rises all the way."""
    if len(shares) < 3 and not ring:
        return scipy.interpolate.PchipInterpolator(shares, totals)
    if ring:
        ahead = np.append((totals - shares * totals[-1])[:-1], 0.0)
        way = scipy.interpolate.CubicSpline(shares, ahead, bc_type="periodic")
        way = scipy.interpolate.CubicSpline.construct_fast(way.c + _straight(totals[-1], shares), shares)
    else:
        way = scipy.interpolate.CubicSpline(shares, totals, bc_type="natural")
    if (way(np.linspace(0, 1, 40 * len(shares)), 1) > SLOWEST * (np.diff(totals) / np.diff(shares)).min()).all():
        return way
    return scipy.interpolate.PchipInterpolator(shares, totals)


def _straight(rise: float, shares: Floats) -> Floats:
    """Return the coefficients (4, spans, ) of a cubic that rises evenly from 0 to 1 by so much."""
    zero = np.zeros(len(shares) - 1)
    return np.stack((zero, zero, zero + rise, rise * shares[:-1]))


def _kinks(family: Family, runs: tuple[_Run, ...], totals: list[Floats], shares: Floats) -> Floats:
    """Return the shares (k,) at which some curve has a corner, those at crossings exactly."""
    found: list[float] = []
    fine = np.linspace(0, 1, 2001)
    for curve, run, total in zip(family.curves, runs, totals, strict=True):
        corners = run.arc.at_params(find_kinks(curve, KINK))
        if family.ring and closed_at_kink(curve, KINK):
            corners = np.append(corners, 0.0)
        for extra in (0.0, run.arc.length) if family.ring else (0.0,):
            own = corners + extra - total[0]
            own = own[(own > -1e-9 * total[-1]) & (own < (total[-1] - total[0]) * (1 + 1e-9))]
            assert run.along is not None
            guess = np.interp(own, run.along(fine), fine)
            for _ in range(4):
                guess = np.clip(guess - (run.along(guess) - own) / run.along(guess, 1), 0, 1)
            found += guess.tolist()
    if not found:
        return np.zeros(0)
    near = shares[np.abs(np.array(found)[:, None] - shares).argmin(axis=1)]
    snapped = np.where(np.abs(near - found) < 1e-6, near, found)
    return np.unique(np.round(snapped, 9)) if len(snapped) else snapped


def _spread(shares: Floats, moves: Floats, samples: Floats) -> Floats:
    """Return moves (curves, crossings, 3) spread smoothly along shares: (curves, samples, 3)."""
    if not np.abs(moves).max(initial=0.0):
        return np.zeros((len(moves), len(samples), 3))
    return np.asarray(np.moveaxis(scipy.interpolate.PchipInterpolator(shares, np.moveaxis(moves, 1, 0))(samples), 0, 1))


def _corrected(grid: CurveGrid, first: _Rows, second: _Rows) -> Floats:
    """Return the crossings (first, second, 3) as the curves have them now: midway between both ways."""
    one = np.einsum("sn,cnd->csd", basis_matrix(first.knots, first.degree, first.shares), first.control)
    other = np.einsum("sn,cnd->scd", basis_matrix(second.knots, second.degree, second.shares), second.control)
    if grid.first.ring:
        other = np.concatenate((other, other[:, :1]), axis=1)
    if grid.second.ring:
        one = np.concatenate((one, one[:1]), axis=0)
    return (one + other) / 2


def _sum(first: _Rows, second: _Rows, places: Floats) -> NurbsSurface:
    """Return the surface blended through the first rows, plus that through the second, less that through the places."""
    rows, columns = first.control, second.control
    if second.ring:  # the second way comes round, so the first curve is the last one too
        rows = np.concatenate((rows, rows[:1]))
    if first.ring:
        columns = np.concatenate((columns, columns[:1]))
    across = _through(second.shares, ring=second.ring)
    along = _through(first.shares, ring=first.ring)
    u_spaces = [(first.degree, first.knots), (along.k, along.t), (along.k, along.t)]
    v_spaces = [(across.k, across.t), (second.degree, second.knots), (across.k, across.t)]
    nets = [
        np.einsum("bi,iad->abd", across.c, rows),
        np.einsum("aj,jbd->abd", along.c, columns),
        -np.einsum("aj,bi,ijd->abd", along.c, across.c, places),
    ]
    (p, u), (q, v) = _common(u_spaces), _common(v_spaces)
    net = sum(
        np.einsum("ai,ijd,bj->abd", _rewritten(own_u, p, u), control, _rewritten(own_v, q, v))
        for own_u, own_v, control in zip(u_spaces, v_spaces, nets, strict=True)
    )
    return NurbsSurface((p, q), (u, v), net, np.ones(net.shape[:2]))


def _through(shares: Floats, *, ring: bool) -> scipy.interpolate.BSpline:
    """Return the spline through unit values at shares, its coefficients (n, values): cubic, lower where they are few."""
    values = np.eye(len(shares))
    if not ring:
        return scipy.interpolate.make_interp_spline(shares, values, k=min(3, len(shares) - 1))
    values[-1] = values[0]
    slope = scipy.interpolate.CubicSpline(shares, values, bc_type="periodic")(0.0, 1)
    return scipy.interpolate.make_interp_spline(shares, values, k=3, bc_type=([(1, slope)], [(1, slope)]))  # type: ignore[arg-type]


def _snapped(inner: Floats, stops: Floats) -> Floats:
    """Return knots, those that all but coincide with stops exactly there."""
    if not len(inner):
        return inner
    near = stops[np.abs(inner[:, None] - stops).argmin(axis=1)]
    return np.where(np.abs(near - inner) <= ALIKE, near, inner)


_Space = tuple[int, Floats]
"""The degree and the knots of splines."""


def _common(spaces: list[_Space]) -> _Space:
    """Return the space that holds the splines of all."""
    degree = max(own for own, _ in spaces)
    inner = merged_knots([_raised(knots, own, degree) for own, knots in spaces], ALIKE)
    return degree, np.concatenate((np.zeros(degree + 1), inner, np.ones(degree + 1)))


def _rewritten(space: _Space, degree: int, knots: Floats) -> Floats:
    """Return the matrix that writes splines of a space in another one that holds them."""
    own = knots[np.abs(space[1][:, None] - knots).argmin(axis=1)]
    return conversion_matrix(own, space[0], knots, degree)


def _raised(knots: Floats, degree: int, to: int) -> Floats:
    """Return the inner knots of a spline raised to a degree."""
    values, counts = np.unique(knots[degree + 1 : -degree - 1], return_counts=True)
    return np.repeat(values, counts + to - degree)


def _off(family: Family, rows: _Rows, shares: Floats, surface: NurbsSurface, axis: int) -> float:
    """Return the largest distance in mm between curves of a family, along an axis, and the surface."""
    samples = np.unique(np.concatenate((np.linspace(0, 1, 161), rows.shares)))
    wanted = family.places(np.array([run.params(samples) for run in rows.runs]))
    across = shares[: len(wanted)]
    found = grid_points(surface, *((samples, across) if axis == 0 else (across, samples)))
    return float(lengths((found.swapaxes(0, 1) if axis == 0 else found) - wanted).max())


def _facing_out(surface: NurbsSurface, *, closed: bool) -> NurbsSurface:
    """Return a surface run so that it faces out where it closes, else up, forward and to the right."""
    shares = np.linspace(0, 1, 25)
    points = grid_points(surface, shares, shares)
    middles = (points[1:, 1:] + points[:-1, :-1] + points[1:, :-1] + points[:-1, 1:]) / 4
    areas = cross(points[1:, 1:] - points[:-1, :-1], points[:-1, 1:] - points[1:, :-1])
    towards = middles - middles.reshape(-1, 3).mean(axis=0) if closed else np.broadcast_to(TOWARDS, areas.shape)
    if not np.isfinite(areas).all():
        raise KernelError("No surface was found through these curves.")
    return reverse_surface(surface, 0) if float((areas * towards).sum()) < 0 else surface
