"""Exact plane shapes by their measures, all in the xy plane, in mm and radians, counter-clockwise; placed by affine maps.

Each is a NURBS curve: straight runs and arcs of exactly the sizes asked for, sharp points as full knots.
"""

from __future__ import annotations

import numpy as np
import scipy
from numpy.typing import ArrayLike

from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.curves.alter.follow_length import chain_curves
from glass_spoon.kernel.curves.alter.round_corners import round_corners
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.make.line_and_arc import make_arc, make_polyline
from glass_spoon.kernel.errors import InvalidInput, RadiusTooLarge

TURN = 2 * np.pi
X, Y = np.array([1.0, 0.0, 0.0]), np.array([0.0, 1.0, 0.0])


def flat_points(points: ArrayLike | list[np.ndarray]) -> Floats:
    """Return points (n, 3) in the xy plane from (n, 2)."""
    array = np.atleast_2d(np.asarray(points, dtype=np.float64))
    return np.column_stack((array, np.zeros(len(array))))


def make_circle(center: ArrayLike, radius: float, start: float = 0.0) -> NurbsCurve:
    """Return the whole circle about center (2,), from the angle `start`."""
    return make_elliptic_arc(center, radius, radius, 0.0, start, start + TURN)


def make_elliptic_arc(center: ArrayLike, first: float, second: float, tilt: float, start: float, end: float) -> NurbsCurve:
    """Return the arc of the ellipse with half axes `first`, `second` mm about center (2,), its first axis at angle `tilt`.

    `start` and `end` are angles of the parameter: first cos t along the first axis, second sin t along the second.
    """
    for name, value in (("The first half axis", first), ("The second half axis", second)):
        if not value > 0:
            raise InvalidInput(name, "above 0 mm", f"{value:g} mm")
    axis = np.array([np.cos(tilt), np.sin(tilt), 0.0])
    across = np.array([-np.sin(tilt), np.cos(tilt), 0.0])
    return make_arc(flat_points(center)[0], first * axis, second * across, start, end)


def arc_by_bulge(start: ArrayLike, end: ArrayLike, bulge: float) -> NurbsCurve:
    """Return the arc from start (2,) to end (2,) whose `bulge` is the tangent of a quarter of its angle.

    Positive bulges turn counter-clockwise; 0 gives the straight line. The convention of DXF polylines (group code 42).
    """
    a, b = flat_points([np.asarray(start), np.asarray(end)])
    chord = b - a
    length = float(lengths(chord))
    if not length > 0:
        raise InvalidInput("The end", "apart from the start", "at the same place")
    if abs(bulge) < 1e-12:
        return make_polyline([a, b])
    angle = 4 * np.arctan(bulge)
    # Centre: from the middle of the chord, towards its left for bulges below 1.
    left = np.array([-chord[1], chord[0], 0.0])
    center = (a + b) / 2 + left * (1 - bulge**2) / (4 * bulge)
    out = a - center
    side = np.array([-out[1], out[0], 0.0])
    arc = make_arc(center, out, side, 0.0, angle)
    control = arc.control_points.copy()
    control[0], control[-1] = a, b
    return NurbsCurve(arc.degree, arc.knots, control, arc.weights)


def bulge_through(start: ArrayLike, middle: ArrayLike, end: ArrayLike) -> float:
    """Return the bulge of the arc from start (2,) through middle (2,) to end (2,); InvalidInput when two coincide."""
    a, m, b = (np.asarray(point, dtype=np.float64) for point in (start, middle, end))
    to_start, to_end = a - m, b - m
    if not min(np.hypot(*to_start), np.hypot(*to_end), np.hypot(*(b - a))) > 0:
        raise InvalidInput("The three points", "apart from each other", "partly at the same place")
    # The angle seen from the middle point is half of the arc left over, so a quarter
    # of the arc is 90 degrees less half of it: bulge = -cot(seen / 2), seen signed by the side.
    seen = np.arctan2(to_start[0] * to_end[1] - to_start[1] * to_end[0], to_start @ to_end)
    if abs(abs(seen) - np.pi) < 1e-12:
        return 0.0
    if abs(seen) < 1e-12:
        raise InvalidInput("The middle point", "between the ends", "outside them on the same line")
    return float(-1 / np.tan(seen / 2))


def bulge_from_tangent(start: ArrayLike, tangent: ArrayLike, end: ArrayLike) -> float:
    """Return the bulge of the arc that leaves start (2,) along tangent (2,) and ends at end (2,).

    The angle between tangent and chord is half the arc's. Raises InvalidInput when the tangent points straight back.
    """
    chord = np.asarray(end, dtype=np.float64) - np.asarray(start, dtype=np.float64)
    along = np.asarray(tangent, dtype=np.float64)
    half = np.arctan2(along[0] * chord[1] - along[1] * chord[0], along @ chord)
    if abs(half) > np.pi - 1e-9:
        raise InvalidInput("The end", "not straight behind the start", "straight behind it")
    return float(np.tan(half / 2))


def polyline_with_bulges(points: ArrayLike, bulges: ArrayLike, *, closed: bool) -> NurbsCurve:
    """Return straight runs and arcs through points (n, 2); bulges (n,) say how each run to the next point bends.

    Neighbours at one place are skipped. Raises InvalidInput when nothing is left.
    """
    array, bend = np.asarray(points, dtype=np.float64), np.asarray(bulges, dtype=np.float64)
    ends = np.roll(array, -1, axis=0) if closed else array[1:]
    runs = [(a, b, w) for a, b, w in zip(array, ends, bend, strict=False) if np.hypot(*(b - a)) > 0]
    if not runs:
        raise InvalidInput("The points", "two or more apart from each other", "all at one place")
    if not any(bulge for _, _, bulge in runs):
        return make_polyline(flat_points([runs[0][0], *(run[1] for run in runs)]))
    return chain_curves([arc_by_bulge(*run) for run in runs])


def close_exactly(curve: NurbsCurve) -> NurbsCurve:
    """Return the curve with its last control point put on its first."""
    control = curve.control_points.copy()
    control[-1] = control[0]
    return NurbsCurve(curve.degree, curve.knots, control, curve.weights)


def make_rectangle(width: float, height: float, radii: ArrayLike = 0.0, center: ArrayLike = (0.0, 0.0)) -> NurbsCurve:
    """Return the closed rectangle about center (2,) with one corner radius or four (right-top first, counter-clockwise).

    It starts in the middle of its right side. Raises InvalidInput for sides not above zero, RadiusTooLarge otherwise.
    """
    if not min(width, height) > 0:
        raise InvalidInput("The sides", "above 0 mm", f"{width:g} and {height:g} mm")
    r = np.broadcast_to(np.asarray(radii, dtype=np.float64), (4,))
    _check_corner_radii(width, height, r)
    w, h = width / 2, height / 2
    corners = np.array([[w, h], [-w, h], [-w, -h], [w, -h]])
    inward = -np.sign(corners)
    along = np.array([[0, 1], [1, 0], [0, 1], [1, 0]])  # which coordinate of a corner gives way before it
    points, bulges = [np.array([w, 0.0])], [0.0]
    for corner, towards, before, radius in zip(corners, inward, along, r, strict=True):
        points += [corner + towards * before * radius, corner + towards * (1 - before) * radius]
        bulges += [np.tan(np.pi / 8) if radius else 0.0, 0.0]
    curve = polyline_with_bulges(np.array(points) + np.asarray(center), bulges, closed=True)
    return close_exactly(curve)


def _check_corner_radii(width: float, height: float, radii: Floats) -> None:
    """Raise when a corner radius is negative, or two neighbours do not fit their side."""
    if (radii < 0).any() or not np.isfinite(radii).all():
        raise InvalidInput("A corner radius", "0 mm or more", f"{radii.min():g} mm")
    sides = np.array([width, height, width, height])
    pairs = radii + np.roll(radii, -1)
    if (pairs > sides * (1 + 1e-12)).any():
        k = int(np.argmin(sides / np.maximum(pairs, 1e-300)))
        worst = float(max(radii[k], radii[(k + 1) % 4]))
        place = np.array([[1, 1], [-1, 1], [-1, -1], [1, -1]])[k] * (width / 2, height / 2)
        raise RadiusTooLarge(worst, worst * float(sides[k] / pairs[k]), np.append(place, 0.0))


def make_polygon(sides: int, radius: float, across: str = "corners", start: float = np.pi / 2) -> NurbsCurve:
    """Return the closed regular polygon about the origin.

    radius: to its corners, or to the middles of its sides with across = "sides". start: angle of its first corner.
    """
    if not 3 <= sides <= 1000:
        raise InvalidInput("The number of sides", "3 to 1000", str(sides))
    if not radius > 0:
        raise InvalidInput("The radius", "above 0 mm", f"{radius:g} mm")
    reach = radius if across == "corners" else radius / np.cos(np.pi / sides)
    angles = start + TURN * np.arange(sides + 1) / sides
    points = flat_points(reach * np.column_stack((np.cos(angles), np.sin(angles))))
    points[-1] = points[0]
    return make_polyline(points)


def make_star(
    tips: int, outer: float, inner: float, tip_radius: float = 0.0, root_radius: float = 0.0, start: float = np.pi / 2
) -> NurbsCurve:
    """Return the closed star about the origin, tips at radius `outer` and roots at `inner` mm, rounded or sharp.

    It starts in the middle of a flank, so that a whole tip or root is never cut by the seam.
    """
    if not 2 <= tips <= 500:
        raise InvalidInput("The number of tips", "2 to 500", str(tips))
    if not 0 < inner < outer:
        raise InvalidInput("The inner radius", f"above 0 and below {outer:g} mm", f"{inner:g} mm")
    angles = start + np.pi * np.arange(2 * tips) / tips
    reach = np.where(np.arange(2 * tips) % 2, inner, outer)
    points = reach[:, None] * np.column_stack((np.cos(angles), np.sin(angles)))
    seam = (points[0] + points[-1]) / 2
    sharp = make_polyline(flat_points([seam, *points, seam]))
    radii = np.tile([tip_radius, root_radius], tips)
    return sharp if not radii.any() else close_exactly(round_corners(sharp, radii))


def sharp_star_radii(tips: int, outer: float, inner: float, tip_radius: float, root_radius: float) -> tuple[float, float]:
    """Return the radii in mm of the sharp star whose tips, once rounded, reach `outer` and whose roots `inner`.

    A corner with half angle h between its flanks loses r (1 / sin h - 1) to a rounding of radius r; both corners hang on
    both radii, so they are solved for together. Raises InvalidInput where no such star is found.
    """
    half = np.pi / tips

    def corners(radii: Floats) -> Floats:
        tip, root = radii
        at_tip = np.arctan2(root * np.sin(half), tip - root * np.cos(half))
        at_root = np.arctan2(tip * np.sin(half), tip * np.cos(half) - root)
        hollow = 1.0 if at_root < np.pi / 2 else -1.0
        return np.array(
            [
                tip - tip_radius * (1 / np.sin(at_tip) - 1) - outer,
                root + hollow * root_radius * (1 / np.sin(at_root) - 1) - inner,
            ]
        )

    found = scipy.optimize.root(corners, np.array([outer, inner]), tol=1e-13 * outer)
    tip, root = (float(value) for value in found.x)
    if np.abs(found.fun).max() > 1e-9 * outer or not 0 < root < tip:
        raise InvalidInput("The star", f"wide enough for roundings of {tip_radius:g} and {root_radius:g} mm", "too narrow")
    return tip, root


def make_slot(length: float, width: float) -> NurbsCurve:
    """Return the closed slot about the origin along x: `length` between the centres of its half circles, `width` across."""
    if not (length > 0 and width > 0):
        raise InvalidInput("Length and width", "above 0 mm", f"{length:g} and {width:g} mm")
    half, radius = length / 2, width / 2
    points = [[half, -radius], [half, radius], [-half, radius], [-half, -radius]]
    return close_exactly(polyline_with_bulges(points, [1.0, 0.0, 1.0, 0.0], closed=True))


def make_conic(start: ArrayLike, tip: ArrayLike, end: ArrayLike, rho: float) -> NurbsCurve:
    """Return the conic from start (2,) to end (2,), tangent there to the lines to tip (2,).

    `rho` is the share of the way from the chord's middle to the tip at which the curve passes: below 0.5 an ellipse,
    0.5 a parabola, above a hyperbola. The weight of the tip is rho / (1 - rho) (The NURBS Book, section 7.3).
    """
    if not 0 < rho < 1:
        raise InvalidInput("Rho", "above 0 and below 1", f"{rho:g}")
    control = flat_points([np.asarray(start), np.asarray(tip), np.asarray(end)])
    return NurbsCurve(2, np.array([0.0, 0, 0, 1, 1, 1]), control, np.array([1.0, rho / (1 - rho), 1.0]))
