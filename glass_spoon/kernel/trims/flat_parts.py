"""Flat stretches of a surface as pieces of planes: ends filled to a point, sides that start half way along, discs.

As parts of the surface they have seams, points where all isocurves meet, and edges across which nothing turns; a cut or a
ball that runs over them would have to be followed from part to part. As one piece of a plane they have their outline alone.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import groupby

import numpy as np

from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.curves.alter.edit_knots import reverse_curve
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.make.line_and_arc import make_polyline
from glass_spoon.kernel.groups import joined_groups
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_points_normals
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface, edge_curve
from glass_spoon.kernel.surfaces.sets.surface_set import FlatCap

FLAT = 1e-9
"""Share of the size of a surface that its control points may lie off a plane."""

ALIKE = 1e-7
"""Planes face alike where the sine of the angle between their normals is below this."""

Part = tuple[int, int]
"""A part of a surface between its sharp edges, counted along both axes."""

Side = tuple[int, int, int]
"""A side of parts: the axis that it runs along, the number of the stop of the other axis, and of the stretch along it."""


@dataclass(frozen=True, eq=False)
class _Rim:
    """A side of a part: which, its curve in mm, run counter-clockwise, and the part across it (itself for an open one)."""

    side: Side
    curve: NurbsCurve
    across: Part


@dataclass(frozen=True, eq=False)
class FlatPart:
    """Parts of a surface in one plane. loops: their outline and holes, as curves in mm end to end, the parts on the left."""

    parts: tuple[Part, ...]
    plane: FlatCap
    loops: list[list[NurbsCurve]]


def flat_parts(surface: NurbsSurface, pieces: dict[Part, NurbsSurface]) -> list[FlatPart]:
    """Return the flat stretches of a surface, of its pieces between sharp edges, that are better taken as planes: those of
    several parts, or with a seam or a side that is one point.
    """
    tolerance = FLAT * surface.size
    planes = {part: plane for part, piece in pieces.items() if (plane := _plane_of(piece, tolerance)) is not None}
    counts = tuple(1 + max(part[axis] for part in pieces) for axis in (0, 1))
    closed = tuple(surface.is_closed(axis, tolerance) for axis in (0, 1))
    order = list(planes)
    at = {part: number for number, part in enumerate(order)}
    pairs = [
        (at[part], at[other])
        for part in order
        for axis in (0, 1)
        if (other := _next(part, axis, counts[axis], closed=closed[axis])) in at
        and _is_one(planes[part], planes[other], tolerance)
    ]
    first, second = np.array(pairs, dtype=np.int64).reshape(-1, 2).T
    group = joined_groups(first, second, len(order)) if order else np.zeros(0, dtype=np.int64)
    stretch = {part: int(group[number]) for part, number in at.items()}
    found = []
    for number in range(int(group.max(initial=-1)) + 1):
        members = tuple(order[k] for k in np.flatnonzero(group == number))
        every = [side for part in members for side in _sides(part, pieces[part], counts, closed)]
        shared = Counter(one.side for one in every)
        rim = [one for one in every if shared[one.side] == 1 and _length(one.curve) > tolerance]
        if len(rim) == len(every) or not rim:
            continue  # a piece with four sides of its own stays as it is
        loops = _chained(rim, 10 * tolerance)
        if loops is not None:
            found.append(FlatPart(members, planes[members[0]], [_straightened(loop, stretch) for loop in loops]))
    return found


def _straightened(loop: list[_Rim], stretch: dict[Part, int]) -> list[NurbsCurve]:
    """Return the curves of a loop; those beside one other flat stretch, which lie in a line, as one."""

    def beside(one: _Rim) -> int:
        return stretch.get(one.across, -1)

    first = next((k for k, one in enumerate(loop) if beside(one) != beside(loop[k - 1])), 0)
    turned = [*loop[first:], *loop[:first]]
    curves: list[NurbsCurve] = []
    for number, run in groupby(turned, key=beside):
        own = [one.curve for one in run]
        ends = np.array([own[0].control_points[0], own[-1].control_points[-1]])
        curves += [make_polyline(ends)] if number >= 0 and len(own) > 1 and lengths(ends[1] - ends[0]) > 0 else own
    return curves


def _plane_of(piece: NurbsSurface, tolerance: float) -> FlatCap | None:
    """Return the plane of a piece, facing as it does; None where it is not flat."""
    points = piece.control_points.reshape(-1, 3)
    normal = plane_of(points, tolerance)
    if normal is None:
        return None
    facing = surface_points_normals(piece, *(np.array([np.mean(piece.domain(axis))]) for axis in (0, 1)))[1][0]
    return FlatCap(points.mean(axis=0), normal if float(normal @ facing) > 0 else -normal)


def plane_of(points: Floats, tolerance: float) -> Floats | None:
    """Return a normal (3,) of the plane in which points (n, 3) lie within a tolerance in mm; None for none."""
    away = points - points.mean(axis=0)
    normal = np.linalg.svd(away, full_matrices=False)[2][2]
    return None if float(np.abs(away @ normal).max()) > tolerance else np.asarray(normal)


def _is_one(plane: FlatCap, other: FlatCap, tolerance: float) -> bool:
    """Say whether two planes are one, and face alike."""
    turned, off = np.cross(plane.normal, other.normal), (other.origin - plane.origin) @ plane.normal
    return bool(plane.normal @ other.normal > 0 and lengths(turned) <= ALIKE and abs(off) <= 10 * tolerance)


def _next(part: Part, axis: int, count: int, *, closed: bool) -> Part:
    """Return the part behind another along an axis; itself behind the last of an open one."""
    step = part[axis] + 1
    if step == count:
        if not closed:
            return part
        step = 0
    return (step, part[1]) if axis == 0 else (part[0], step)


def _sides(part: Part, piece: NurbsSurface, counts: tuple[int, ...], closed: tuple[bool, ...]) -> Iterator[_Rim]:
    """Yield the four sides of a part; at a seam both are one."""
    for axis in (0, 1):
        for end in (0, -1):
            other = 1 - axis
            stop, behind = part[other] + (0 if end == 0 else 1), part[other] + (-1 if end == 0 else 1)
            if closed[other]:
                stop, behind = stop % counts[other], behind % counts[other]
            across = part if not 0 <= behind < counts[other] else (behind, part[1]) if other == 0 else (part[0], behind)
            curve = edge_curve(piece, axis, end)
            forward = (end == 0) == (axis == 0)
            yield _Rim((axis, stop, part[axis]), curve if forward else reverse_curve(curve), across)


def _length(curve: NurbsCurve) -> float:
    """Return the length of a curve's polygon in mm."""
    return float(lengths(np.diff(curve.control_points, axis=0)).sum())


def _chained(rim: list[_Rim], tolerance: float) -> list[list[_Rim]] | None:
    """Return sides end to end in closed loops; None where they do not close."""
    left, loops = list(rim), []
    while left:
        loop = [left.pop(0)]
        start = loop[0].curve.control_points[0]
        while float(lengths((here := loop[-1].curve.control_points[-1]) - start)) > tolerance:
            starts = np.array([one.curve.control_points[0] for one in left]).reshape(-1, 3)
            away = lengths(starts - here)
            if not len(left) or float(away.min()) > tolerance:
                return None
            nearest = left.pop(int(away.argmin()))
            loop.append(nearest)
        loops.append(loop)
    return loops
