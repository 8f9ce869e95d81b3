"""Offsets of plane curves: exact for lines and arcs, fitted elsewhere; corners joined, loops cut away."""

from __future__ import annotations

from itertools import pairwise
from typing import Literal

import numpy as np
from numpy.typing import ArrayLike

from glass_spoon.kernel.arrays import Floats, cross, lengths
from glass_spoon.kernel.curves.alter.edit_knots import bezier_pieces, join_curves, rescale_domain, trim_curve
from glass_spoon.kernel.curves.alter.place_curve import unit_direction
from glass_spoon.kernel.curves.evaluate.closest_on_curve import closest_params
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve, from_homogeneous
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_derivatives, curve_points, curve_tangents
from glass_spoon.kernel.curves.make.fit_function import fit_function
from glass_spoon.kernel.curves.make.line_and_arc import make_arc, make_polyline
from glass_spoon.kernel.curves.read.cross_curves import self_crossings
from glass_spoon.kernel.errors import InvalidInput, KernelError

Corner = Literal["round", "sharp"]

EXACT = 1e-10
"""Share of its size by which a piece may differ from a line or an arc and still be offset as one."""

MITRE_LIMIT = np.radians(150)
"""A sharp joint is made up to this turn; sharper corners are joined round, or the tip would run away."""

SLACK = 1e-3
"""Share of the distance by which a place of the offset may be nearer to the curve before it counts as cut away."""


def offset_curve(
    curve: NurbsCurve, distance: float, normal: ArrayLike, corner: Corner = "round", tolerance: float = 1e-4
) -> list[NurbsCurve]:
    """Return the offset of a plane curve by `distance` mm to its left, seen against `normal` (3,); right when negative.

    Offsets of lines and circular arcs are exact, others within `tolerance` mm. Outer corners are joined by arcs ("round")
    or straight on to a point ("sharp"). Parts nearer to the curve than the distance (cusps, loops) are cut away, so the
    offset may fall into several curves: the longest comes first.
    Raises InvalidInput for a distance of zero or a curve that is not flat across `normal`, KernelError when nothing is left.
    """
    if distance == 0 or not np.isfinite(distance):
        raise InvalidInput("The distance", "other than 0 mm", f"{distance:g} mm")
    up = unit_direction(normal)
    off = np.ptp(curve.control_points @ up)
    if off > 1e-6 * (1 + np.abs(curve.control_points).max()):
        raise InvalidInput("The curve", "flat on the plane of the offset", f"{off:.3g} mm out of it")
    raw = _joined(curve, _raw_pieces(curve, distance, up, tolerance), distance, up, corner)
    kept = _clean(curve, raw, abs(distance), tolerance)
    if not kept:
        raise KernelError(f"At {abs(distance):.4g} mm nothing of the offset is left. Use a smaller distance.")
    return kept


def _raw_pieces(curve: NurbsCurve, distance: float, up: Floats, tolerance: float) -> list[tuple[NurbsCurve, float]]:
    """Return the offsets of all runs, exact or fitted, each with the parameter at which it begins."""
    breaks = curve.breaks
    exact = [exact_offset(piece, curve.degree, distance, up) for piece in bezier_pieces(curve)]
    pieces: list[tuple[NurbsCurve, float]] = []
    start = 0
    while start < len(exact):
        end = start + 1
        found = exact[start]
        if found is None:
            while end < len(exact) and exact[end] is None and not _is_kink(curve, float(breaks[end])):
                end += 1
            run = breaks[start : end + 1]
            found = fit_function(lambda t: _offset_values(curve, t, distance, up), run, tolerance).curve
        pieces.append((rescale_domain(found, float(breaks[start]), float(breaks[end])), float(breaks[start])))
        start = end
    return pieces


def _is_kink(curve: NurbsCurve, param: float) -> bool:
    """Say whether the tangent jumps at an inner knot."""
    step = 1e-9 * (curve.domain[1] - curve.domain[0])
    ends = curve_tangents(curve, np.array([param - step, param + step]))
    return float(lengths(ends[1] - ends[0])) > 1e-4


def exact_offset(piece: Floats, degree: int, distance: float, up: Floats) -> NurbsCurve | None:
    """Return the offset of a Bezier piece (degree + 1, 4) that is a line or a circular arc, None for any other."""
    knots = np.repeat([0.0, 1.0], degree + 1)
    curve = from_homogeneous(degree, knots, piece)
    chord = curve.control_points[-1] - curve.control_points[0]
    size = float(lengths(curve.control_points - curve.control_points[0]).max())
    if lengths(cross(curve.control_points - curve.control_points[0], chord[None])).max() <= EXACT * size**2:
        left = np.cross(up, chord / lengths(chord))
        return NurbsCurve(degree, knots, curve.control_points + distance * left, curve.weights)
    values = curve_derivatives(curve, np.linspace(0, 1, 9), 2)
    speed = lengths(values[1])
    if not speed.min() > 0:
        return None
    bend = np.einsum("ij,j->i", cross(values[1], values[2]), up) / speed**3
    if np.ptp(bend) > 1e-9 * np.abs(bend).max():
        return None
    radius = 1 / float(bend.mean())
    center = values[0, 0] + radius * np.cross(up, values[1, 0] / speed[0])
    factor = 1 - distance / radius
    if abs(factor) < 1e-12:
        return NurbsCurve(degree, knots, center + 1e-12 * (curve.control_points - center), curve.weights)
    return NurbsCurve(degree, knots, center + factor * (curve.control_points - center), curve.weights)


def _offset_values(curve: NurbsCurve, params: Floats, distance: float, up: Floats) -> Floats:
    """Return value, first and second derivative (3, n, 3) of C + d N: C' (1 - d k), C'' (1 - d k) - d k' C'.

    N = up x T, N' = -k C', with k the signed curvature det(C', C'') / |C'|^3.
    """
    c = curve_derivatives(curve, params, 3)
    speed = lengths(c[1])
    det = np.einsum("ij,j->i", cross(c[1], c[2]), up)
    bend = det / speed**3
    rate = np.einsum("ij,j->i", cross(c[1], c[3]), up) / speed**3
    rate -= 3 * det * np.einsum("ij,ij->i", c[1], c[2]) / speed**5
    left = cross(np.broadcast_to(up, c[1].shape), c[1]) / speed[:, None]
    share = (1 - distance * bend)[:, None]
    return np.stack((c[0] + distance * left, c[1] * share, c[2] * share - distance * rate[:, None] * c[1]))


def _joined(
    curve: NurbsCurve, pieces: list[tuple[NurbsCurve, float]], distance: float, up: Floats, corner: Corner
) -> NurbsCurve:
    """Return one curve of all pieces, the gaps at corners closed."""
    chain = [pieces[0][0]]
    ring = curve.is_closed(1e-9 * (1 + np.abs(curve.control_points).max()))
    order = [*pieces[1:], pieces[0]] if ring else pieces[1:]
    for piece, param in order:
        vertex = curve_points(curve, np.array([param]))[0]
        gap = _gap(chain[-1], piece, vertex, distance, up, corner)
        if gap is not None:
            chain.append(gap)
        if piece is not pieces[0][0]:
            chain.append(piece)
    return join_curves(chain)


def _gap(
    before: NurbsCurve, after: NurbsCurve, vertex: Floats, distance: float, up: Floats, corner: Corner
) -> NurbsCurve | None:
    """Return the piece from the end of one offset to the start of the next, None where they meet."""
    a, b = before.control_points[-1], after.control_points[0]
    if lengths(b - a) <= 1e-7 * abs(distance):
        return None
    out, to = a - vertex, b - vertex
    turn = float(np.arctan2(np.cross(out, to) @ up, out @ to))
    outer = turn * distance < 0
    if corner == "sharp" and outer and abs(turn) < MITRE_LIMIT:
        tip = vertex + (out + to) / (1 + np.cos(turn))
        return make_polyline([a, tip, b])
    side = np.cross(up, out)
    return make_arc(vertex, out, side, 0.0, turn)


def _clean(curve: NurbsCurve, raw: NurbsCurve, distance: float, tolerance: float) -> list[NurbsCurve]:
    """Cut the raw offset where it crosses itself, keep the parts that hold the distance, and chain them again."""
    s, t = self_crossings(raw, max(tolerance, 1e-6))
    stops = np.unique(np.concatenate((raw.domain, s, t)))
    wide = np.diff(stops) > 1e-9 * (raw.domain[1] - raw.domain[0])
    starts, ends = stops[:-1][wide], stops[1:][wide]
    shares = np.array([0.15, 0.5, 0.85])
    places = curve_points(raw, (starts[:, None] + (ends - starts)[:, None] * shares).ravel())
    held = closest_params(curve, places)[1].reshape(-1, len(shares)).min(axis=1)
    good = held >= distance * (1 - SLACK) - 2 * tolerance
    pieces = [trim_curve(raw, float(a), float(b)) for a, b in zip(starts[good], ends[good], strict=True)]
    chains = chain_pieces(pieces, max(20 * tolerance, 1e-6))
    return sorted(chains, key=lambda chain: -float(lengths(np.diff(chain.control_points, axis=0)).sum()))


def chain_pieces(pieces: list[NurbsCurve], tolerance: float) -> list[NurbsCurve]:
    """Return curves of pieces chained end to start, in their order and round the ring."""
    groups: list[list[NurbsCurve]] = []
    for piece in pieces:
        if groups and lengths(groups[-1][-1].control_points[-1] - piece.control_points[0]) <= tolerance:
            groups[-1].append(piece)
        else:
            groups.append([piece])
    merged = True
    while merged and len(groups) > 1:
        merged = False
        for a, b in [*pairwise(range(len(groups))), (len(groups) - 1, 0)]:
            if lengths(groups[a][-1].control_points[-1] - groups[b][0].control_points[0]) <= tolerance:
                groups[a] = groups[a] + groups[b]
                del groups[b]
                merged = True
                break
    return [join_curves(group) for group in groups]
