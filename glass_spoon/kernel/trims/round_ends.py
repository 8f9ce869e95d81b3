"""How rounds end: in a ball where three of them meet, or on a face that lies square across them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Floats, directions, lengths
from glass_spoon.kernel.curves.alter.edit_knots import reverse_curve
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.curves.make.fit_function import fit_places
from glass_spoon.kernel.curves.make.line_and_arc import make_arc, make_polyline
from glass_spoon.kernel.errors import KernelError, place_text
from glass_spoon.kernel.surfaces.evaluate.closest_points import closest_points
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface, make_surface
from glass_spoon.kernel.surfaces.make.polygons import signed_area
from glass_spoon.kernel.surfaces.make.revolve import revolve_curve
from glass_spoon.kernel.surfaces.sets.surface_set import plane_axes
from glass_spoon.kernel.trims.arrange import part_face
from glass_spoon.kernel.trims.face import Face, FaceSet, Loop, outline, reverse_face
from glass_spoon.kernel.trims.rolling_ball import Rolled

NEAR = 1e-4
"""Share of the size within which ends of rounds are one."""

BROAD = np.radians(85)
"""Half the angle of the largest part of a ball that is made as one span."""


class BallTooLarge(KernelError):
    """A ball that does not fit."""


@dataclass(frozen=True, eq=False)
class End:
    """Where a round ends: its arc, the middle (3,) of the ball there, and the side of the faces that it is on."""

    arc: NurbsCurve
    middle: Floats
    height: float

    @classmethod
    def of(cls, rolled: Rolled, param: float) -> End:
        """Return the end of a round at a parameter."""
        return cls(rolled.end_arc(param), rolled.contacts(np.array([param]))[2][0], rolled.height_at(param))


def close_ends(faces: list[Face], ends: list[End], shape: FaceSet) -> list[Face]:
    """Close what rounds leave at their ends: three about one middle by a ball, which is returned, others by the face that
    they end on, which is changed in its place.
    """
    near = NEAR * shape.size
    left, balls = list(ends), []
    while left:
        first = left[0]
        group = [end for end in left if lengths(end.middle - first.middle) <= near]
        left = [end for end in left if not any(end is other for other in group)]
        alike = np.ptp([end.height for end in group]) <= near
        if len(group) == 1:
            _end_on(faces, first.arc, shape)
        elif len(group) == 3 and alike:
            balls.append(_ball([end.arc for end in group], first, near))
        elif len(group) != 2 or not _same(group[0].arc, group[1].arc, near):
            raise KernelError(
                f"{len(group)} rounds end in one corner, at {place_text(first.middle)}: a ball closes three that all "
                "stand out or all lie in. Round fewer edges there."
            )
    return balls


def _same(one: NurbsCurve, other: NurbsCurve, near: float) -> bool:
    """Say whether two arcs are one: rounds that go on into each other."""
    mine, theirs = (curve_points(arc, np.array([0.0, 0.5, 1.0])) for arc in (one, other))
    return min(float(lengths(mine - row).max()) for row in (theirs, theirs[::-1])) <= near


def _ball(arcs: list[NurbsCurve], at: End, near: float) -> Face:
    """Return the piece of a ball between three arcs that meet end to end."""
    middle, radius = at.middle, abs(at.height)
    way, runs = [arcs[0]], list(arcs[1:])
    while runs:
        end = way[-1].control_points[-1]
        both = [(k, run) for k, arc in enumerate(runs) for run in (arc, reverse_curve(arc))]
        k, run = min(both, key=lambda pair: _apart(pair[1], end))
        if _apart(run, end) > near:
            raise BallTooLarge(f"The rounds at {place_text(middle)} do not meet end to end. Use a smaller radius.")
        runs.pop(k)
        way.append(run)
    if way[0].degree == 1:
        return _triangle(way, at)
    places = np.concatenate([curve_points(arc, np.linspace(0, 1, 9)) for arc in way])
    towards = _middle_way([run.control_points[0] - middle for run in way])
    across = directions(np.cross(towards, np.eye(3)[int(np.abs(towards).argmin())]))
    surface = _ball_about(middle, radius, np.stack((towards, np.cross(across, towards), across)), places)
    loop: list[NurbsCurve] = []
    for arc in way:

        def run_of(shares: Floats, arc: NurbsCurve = arc) -> Floats:
            u, v, _ = closest_points(surface, curve_points(arc, shares))
            return np.column_stack((u, v, np.zeros(len(u))))

        scale = max(np.ptp(surface.domain(axis)) for axis in (0, 1)) / radius
        loop.append(fit_places(run_of, 16, 1e-7 * radius * scale, most=512).curve)
    closed: Loop = tuple(loop)
    if signed_area(outline(closed)) < 0:
        closed = tuple(reverse_curve(run) for run in reversed(closed))
    face = Face(surface, (closed,))
    return face if at.height < 0 else reverse_face(face)


def _middle_way(corners: list[Floats]) -> Floats:
    """Return the direction (3,) that makes one angle with those of three corners of a ball, on their side."""
    first, second, third = corners
    square = directions(np.cross(second - first, third - first))
    return square if float(square @ (first + second + third)) > 0 else -square


def _ball_about(middle: Floats, radius: float, axes: Floats, places: Floats) -> NurbsSurface:
    """Return the part of a ball about places (n, 3) on it, seen along the first of three axes (3, 3), its poles on the last.

    One span each way where they lie within a cone of BROAD, so that curves on it have no joints in its parameters; else the
    whole ball, its seam and its poles on the far side.
    """
    reach = float(np.arccos(np.clip((directions(places - middle) @ axes[0]).min(), -1.0, 1.0))) * 1.03 + 0.01
    if reach > BROAD:
        profile = make_arc(middle, -radius * axes[0], radius * axes[2], -np.pi / 2, np.pi / 2)
        return revolve_curve(profile, middle, axes[2], 2 * np.pi)
    cosine, sine = np.cos(reach), np.sin(reach)
    bow, weights = np.array([[cosine, -sine], [1 / cosine, 0], [cosine, sine]]), np.array([1.0, cosine, 1.0])
    # Round by the first index, from pole to pole by the second: a surface of revolution.
    level = np.einsum("ik,kx->ix", bow, axes[:2])
    net = middle + radius * (level[:, None] * bow[None, :, :1] + bow[None, :, 1:] * axes[2])
    knots = np.array([0.0] * 3 + [2 * reach * radius] * 3)
    return NurbsSurface((2, 2), (knots, knots), net, np.outer(weights, weights))


def _triangle(way: list[NurbsCurve], at: End) -> Face:
    """Return the flat face between three straight ends of chamfers."""
    corners = np.array([run.control_points[0] for run in way])
    middle = corners.mean(axis=0)
    normal = directions(np.cross(corners[1] - corners[0], corners[2] - corners[0]))
    outwards = normal if float((normal * (middle - at.middle)).sum()) * -at.height > 0 else -normal
    axes = plane_axes(outwards)
    flat = (corners - middle) @ axes.T
    reach = 1.5 * float(np.abs(flat).max())
    net = middle + np.array([[[-reach, -reach], [-reach, reach]], [[reach, -reach], [reach, reach]]]) @ axes
    knots = np.array([-reach, -reach, reach, reach])
    order = flat if signed_area(flat) > 0 else flat[::-1]
    ring = np.column_stack((np.vstack((order, order[:1])), np.zeros(4)))
    return Face(make_surface((1, 1), (knots, knots), net), (tuple(make_polyline(ring[k : k + 2]) for k in range(3)),))


def _apart(run: NurbsCurve, place: Floats) -> float:
    """Return the distance in mm of the start of a curve from a place."""
    return float(lengths(run.control_points[0] - place))


def _end_on(faces: list[Face], arc: NurbsCurve, shape: FaceSet) -> None:
    """Cut back the face on which a round ends, along its arc; faces: changed in place."""
    places = curve_points(arc, np.linspace(0, 1, 9))
    for number, face in enumerate(faces):
        u, v, away = closest_points(face.surface, places)
        if float(away.max()) > shape.tolerance or not face.holds(np.column_stack((u, v))[2:-2]).any():
            continue

        def run_of(shares: Floats, face: Face = face) -> Floats:
            s, t, _ = closest_points(face.surface, curve_points(arc, shares))
            return np.column_stack((s, t, np.zeros(len(s))))

        size = min(float(np.ptp(face.surface.domain(axis))) for axis in (0, 1))
        run = fit_places(run_of, 16, 1e-7 * size, most=512).curve
        parts = part_face(face, [run], shape.tolerance).faces
        if len(parts) == 2:
            faces[number] = max(parts, key=lambda part: float(np.abs(signed_area(part.outlines[0]))))
            return
    raise KernelError(
        f"A round ends in the open, at {place_text(places[4])}: no face lies square across it there. Round the edges that "
        "go on there too, or choose others."
    )
