"""What faces are cut by: other faces, or curves let through along a direction or along the normals of what they lie on."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats, directions, lengths
from glass_spoon.kernel.curves.alter.edit_knots import reverse_curve, split_curve
from glass_spoon.kernel.curves.alter.work_on_ends import extend_curve
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points, find_kinks
from glass_spoon.kernel.curves.make.fit_function import Places, fit_places
from glass_spoon.kernel.curves.make.line_and_arc import make_polyline
from glass_spoon.kernel.errors import CurveOff, KernelError, place_text
from glass_spoon.kernel.surfaces.evaluate.closest_points import closest_points
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_points_normals
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface, surface_from_homogeneous
from glass_spoon.kernel.surfaces.make.polygons import signed_area
from glass_spoon.kernel.surfaces.sets.surface_set import plane_axes
from glass_spoon.kernel.trims.face import FaceSet, make_face_set, whole_face
from glass_spoon.kernel.trims.shared_edges import find_edges

PLACES = 257
"""Places by which it is told which way a curve runs round."""

STANDS = 0.02
"""How far a curve that lies on faces is let through them, as a share of its size."""

LYING = 1e-3
"""Share of its size that a curve may lie off the faces."""

FITTED = 1e-7
"""Share of its size within which a curve is put onto the faces."""

LONGER = 1e-3
"""Share of its size by which an open curve runs on past its ends, so that one that ends on an edge reaches it."""

STRAIGHT = 1e-7
"""A curve that is seen this near to a line, as a share of its length, is one."""

BEND = np.radians(1.0)
"""A curve that turns by more at once has a corner."""


@dataclass(frozen=True, eq=False)
class Cutter:
    """Faces that cut. closed: whether they have an inside, behind their normals. of_curve: whether a curve decides them."""

    shape: FaceSet
    closed: bool
    of_curve: bool = False


def let_through(curve: NurbsCurve, direction: Floats, shape: FaceSet) -> Cutter:
    """Return the sheets that a curve sweeps along a direction (3,) through all of some faces; outwards is to its outside."""
    down = directions(direction)
    trace = shape.trace @ down
    reach = max(float(np.ptp(trace)), shape.size) * 0.1
    low, high = float(trace.min() - reach), float(trace.max() + reach)
    right, up = plane_axes(down)
    flat = curve_points(curve, np.linspace(*curve.domain, PLACES)) @ np.stack((right, up)).T
    closed = _is_closed(curve)
    if float(np.ptp(flat, axis=0).max()) < 1e-6 * shape.size:
        raise KernelError("Seen along that way the curve is a point: choose another way.")
    straight = _as_line(flat, curve_points(curve, np.linspace(*curve.domain, PLACES)))
    if straight is not None:
        closed, run = False, _longer(straight)
    else:
        run = _running_left(curve, flat) if closed else _longer(curve)
    sheets = [_swept(piece, down, low, high) for piece in _pieces(run)]
    return Cutter(make_face_set([whole_face(sheet) for sheet in sheets]), closed, of_curve=True)


def standing_on(curve: NurbsCurve, shape: FaceSet) -> Cutter:
    """Return the sheets that stand on faces along a curve that lies on them. Raises KernelError where it does not."""
    size = float(np.ptp(curve.control_points, axis=0).max())
    closed = _is_closed(curve)
    run = curve if closed else _longer(curve)
    places = curve_points(run, np.linspace(*run.domain, PLACES))
    feet, normals = _feet(shape, places)
    inner = slice(None) if closed else slice(2, -2)
    off = lengths(feet - places)[inner]
    if float(off.max()) > LYING * max(size, 1e-300):
        worst = int(off.argmax())
        raise CurveOff(
            f"The curve lies up to {float(off.max()):.3g} mm off, at {place_text(places[inner][worst])}: Project it onto "
            "the surface first, or let it through along a direction."
        )
    if closed:
        mean = directions(normals.sum(axis=0)) if lengths(normals.sum(axis=0)) > 1e-9 else normals[0]
        run = _running_left(run, places @ plane_axes(mean).T)
    sheets = []
    for piece in _pieces(run):
        rows: list[Places] = []
        for step in (-STANDS * size, STANDS * size):

            def moved(shares: Floats, piece: NurbsCurve = piece, step: float = step) -> Floats:
                at = curve_points(piece, piece.domain[0] + shares * (piece.domain[1] - piece.domain[0]))
                foot, normal = _feet(shape, at)
                return foot + step * normal

            rows.append(moved)

        def both(shares: Floats, rows: list[Places] = rows) -> Floats:
            return np.hstack([row(shares) for row in rows])

        sheets.append(_ruled(both, FITTED * size))
    return Cutter(make_face_set([whole_face(sheet) for sheet in sheets]), closed, of_curve=True)


def _is_closed(curve: NurbsCurve) -> bool:
    """Say whether a curve comes back to its start."""
    return curve.is_closed(1e-6 * float(np.ptp(curve.control_points, axis=0).max() or 1.0))


def _as_line(flat: Floats, places: Floats) -> NurbsCurve | None:
    """Return the straight line that places (n, 3) look like, where flat (n, 2) they lie in one; else None."""
    middle = flat.mean(axis=0)
    ways = np.linalg.svd(flat - middle, full_matrices=False)[2]
    along, across = (flat - middle) @ ways.T[:, 0], (flat - middle) @ ways.T[:, 1]
    if float(np.abs(across).max()) > STRAIGHT * float(np.ptp(along)):
        return None
    return make_polyline(places[[int(along.argmin()), int(along.argmax())]])


def _running_left(curve: NurbsCurve, flat: Floats) -> NurbsCurve:
    """Return a closed curve as it runs counter-clockwise, seen as flat (n, 2) along it."""
    return curve if signed_area(flat[:-1]) > 0 else reverse_curve(curve)


def _longer(curve: NurbsCurve) -> NurbsCurve:
    """Return an open curve drawn out a little at both ends."""
    size = float(np.ptp(curve.control_points, axis=0).max())
    return extend_curve(extend_curve(curve, "start", LONGER * size), "end", LONGER * size)


def _pieces(curve: NurbsCurve) -> list[NurbsCurve]:
    """Return a curve parted at its corners."""
    pieces, rest = [], curve
    for param in find_kinks(curve, BEND).tolist():
        first, rest = split_curve(rest, float(param))
        pieces.append(first)
    return [*pieces, rest]


def _swept(curve: NurbsCurve, down: Floats, low: float, high: float) -> NurbsSurface:
    """Return a sheet of straight lines along a direction between two heights, outwards to the right of the curve."""
    net = curve.homogeneous
    flat = net[:, :3] - np.outer(net[:, :3] @ down, down)
    rows = [np.column_stack((flat + height * net[:, 3:] * down, net[:, 3])) for height in (low, high)]
    return surface_from_homogeneous((curve.degree, 1), (curve.knots, np.array([0.0, 0.0, 1.0, 1.0])), np.stack(rows, axis=1))


def _ruled(both: Places, tolerance: float) -> NurbsSurface:
    """Return the sheet of straight lines between two runs of places, given side by side (n, 6)."""
    middle = fit_places(lambda shares: both(shares)[:, :3], 16, tolerance, most=512)
    knots = middle.curve.knots
    count = len(middle.curve.control_points)
    shares = np.array([knots[k + 1 : k + 1 + middle.curve.degree].mean() for k in range(count)])
    spline = scipy.interpolate.make_interp_spline(shares, both(shares), k=middle.curve.degree, t=knots)
    control = np.asarray(spline.c)
    points = np.stack((control[:, :3], control[:, 3:]), axis=1)
    return NurbsSurface((middle.curve.degree, 1), (knots, np.array([0.0, 0.0, 1.0, 1.0])), points, np.ones(points.shape[:2]))


def _feet(shape: FaceSet, places: Floats) -> tuple[Floats, Floats]:
    """Return the nearest places (n, 3) on faces, on all of their surfaces, and the normals there."""
    best, feet, normals = np.full(len(places), np.inf), np.zeros_like(places), np.zeros_like(places)
    for face in shape.faces:
        u, v, _ = closest_points(face.surface, places)
        points, upright = surface_points_normals(face.surface, u, v)
        away = lengths(points - places)
        inside = face.holds(np.column_stack((u, v)))
        away = np.where(inside, away, away + 1e-9 * shape.size)
        nearer = away < best
        best[nearer], feet[nearer], normals[nearer] = away[nearer], points[nearer], upright[nearer]
    return feet, normals


def faces_as_cutter(shape: FaceSet) -> Cutter:
    """Return faces as a cutter; they have an inside where no edge is open."""
    return Cutter(shape, not len(find_edges(shape).open_uses))
