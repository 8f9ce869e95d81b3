"""Cut faces by others, tell which side each part lies on, and put what is kept together."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from itertools import pairwise
from typing import Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats, cross, directions, lengths
from glass_spoon.kernel.curves.alter.edit_knots import trim_curve
from glass_spoon.kernel.curves.evaluate.closest_on_curve import closest_params
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_derivatives, curve_points
from glass_spoon.kernel.curves.read.cross_curves import find_crossings
from glass_spoon.kernel.errors import KernelError, place_text
from glass_spoon.kernel.groups import joined_groups
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_points_normals
from glass_spoon.kernel.trims.arrange import Beside, param_scale, part_face
from glass_spoon.kernel.trims.common_places import Parallel
from glass_spoon.kernel.trims.cross_surfaces import Crossing, cross_surfaces
from glass_spoon.kernel.trims.cutters import Cutter
from glass_spoon.kernel.trims.face import Face, FaceSet, make_face_set, reverse_face
from glass_spoon.kernel.trims.inside import is_inside
from glass_spoon.kernel.trims.shared_edges import find_edges

Side = Literal["inside", "outside"]

NARROW = 1e-9
"""Stretches of a curve, 0 to 1, shorter than this are none."""

ON = 1e-7
"""Share of the size within which a cut lies on the boundary of a face."""


@dataclass(frozen=True, eq=False)
class Parted:
    """Parts of faces. owner: the face that each is of. inside (parts, cutters): 1 behind a cutter, -1 in front, 0 not told.

    crossings: how many curves the cutters cut. touches: places (k, 3) at which surfaces touch. short: places at which cuts
    end within a face. off: the largest distance in mm of a cut from either surface.
    """

    faces: tuple[Face, ...]
    owner: tuple[int, ...]
    inside: np.ndarray
    crossings: int
    touches: Floats
    short: Floats
    off: float
    tolerance: float

    @cached_property
    def pieces(self) -> list[list[int]]:
        """The parts that hang together without running over a cut."""
        return _pieces(self)


def part_by(shape: FaceSet, cutters: list[Cutter]) -> Parted:
    """Return faces parted by cutters, each part with the side of every cutter that it lies on."""
    faces, owner, rows = list[Face](), list[int](), list[list[int]]()
    crossings, off = 0, 0.0
    touches, short = [np.zeros((0, 3))], [np.zeros((0, 3))]
    for number, face in enumerate(shape.faces):
        cuts, which, other = list[NurbsCurve](), list[int](), list[tuple[Crossing, Face]]()
        for k, cutter in enumerate(cutters):
            for against in cutter.shape.faces:
                for crossing in cross_surfaces(Parallel(face.surface), Parallel(against.surface)):
                    off = max(off, crossing.off)
                    ends = curve_points(crossing.curve, np.array([0.0, 1.0]))
                    touches.append(ends[list(crossing.touching)])
                    for piece in in_both(within(crossing.first, face), within(crossing.second, against)):
                        run = trim_curve(crossing.first, *piece) if piece != (0.0, 1.0) else crossing.first
                        if not _along_rim(face, run):
                            cuts.append(run)
                            which.append(k)
                            other.append((crossing, against))
        crossings += len(cuts)
        if not cuts:
            faces.append(face)
            owner.append(number)
            rows.append([0] * len(cutters))
            continue
        parts = part_face(face, cuts, shape.tolerance)
        short.append(parts.short)
        for part, beside in zip(parts.faces, parts.beside, strict=True):
            row = [0] * len(cutters)
            for one in beside:
                row[which[one.cut]] = row[which[one.cut]] or _side(face, *other[one.cut], one)
            faces.append(part)
            owner.append(number)
            rows.append(row)
    found = np.array(rows).reshape(len(faces), len(cutters))
    _spread(make_face_set(faces, shape.tolerance), found, cutters)
    places = np.concatenate(touches), np.concatenate(short)
    return Parted(tuple(faces), tuple(owner), found, crossings, *places, off, shape.tolerance)


def in_both(first: list[tuple[float, float]], second: list[tuple[float, float]]) -> list[tuple[float, float]]:
    """Return the stretches that two lists of stretches have in common."""
    both = [(max(a, c), min(b, d)) for a, b in first for c, d in second]
    return [(low, high) for low, high in both if high - low > NARROW]


def within(curve: NurbsCurve, face: Face) -> list[tuple[float, float]]:
    """Return the stretches of a curve (u, v, 0), 0 to 1, that lie in a face."""
    if face.is_whole:
        return [(0.0, 1.0)]
    scale = np.append(param_scale(face.surface), 1.0)
    stops = {0.0, 1.0}
    own = replace(curve, control_points=curve.control_points * scale)
    for loop in face.loops:
        for rim in loop:
            stops |= set(
                find_crossings(own, replace(rim, control_points=rim.control_points * scale), ON * face.surface.size)[
                    0
                ].tolist()
            )
    bounds = sorted(stops)
    pieces = [(a, b) for a, b in pairwise(bounds) if b - a > NARROW]
    middles = curve_points(curve, np.array([(a + b) / 2 for a, b in pieces]))[:, :2]
    inside = face.holds(middles)
    return [piece for piece, held in zip(pieces, inside, strict=True) if held]


def _along_rim(face: Face, run: NurbsCurve) -> bool:
    """Say whether a cut runs along the boundary of a face, where there is nothing to part."""
    places = face.edge_points(run, np.linspace(*run.domain, 9)[1:-1])
    for loop in face.loops:
        for rim in loop:
            own = face.edge_points(rim, np.linspace(*rim.domain, 257))
            step = float(lengths(np.diff(own, axis=0)).max())
            if np.linalg.norm(own[:, None] - places, axis=2).min(axis=0).max() > step:
                continue
            flat = curve_points(run, np.linspace(*run.domain, 9)[1:-1])
            scale = np.append(param_scale(face.surface), 1.0)
            if (
                closest_params(replace(rim, control_points=rim.control_points * scale), flat * scale)[1].max()
                < 1e-5 * face.surface.size
            ):
                return True
    return False


def _side(face: Face, crossing: Crossing, against: Face, beside: Beside) -> int:
    """Return 1 where a part beside a cut lies behind the face that cut it, -1 in front, 0 where both touch."""
    at = np.array([np.clip(beside.param, 0.0, 1.0)])
    own = curve_points(crossing.first, at)[:, :2]
    other = curve_points(crossing.second, at)[:, :2]
    normal = surface_points_normals(face.surface, *own.T)[1]
    theirs = surface_points_normals(against.surface, *other.T)[1]
    along = curve_derivatives(crossing.curve, at, 1)[1]
    left = cross(directions(normal), along) * (1.0 if beside.left else -1.0)
    return -int(np.sign((left * theirs).sum()))


def _spread(shape: FaceSet, inside: np.ndarray, cutters: list[Cutter]) -> None:
    """Tell the sides of parts that no cut bounds: as their neighbours, or by where they lie."""
    edges = find_edges(shape)
    beside: dict[int, set[int]] = {}
    for edge in range(len(edges.first)):
        own = {edges.uses[k].face for k in np.flatnonzero(edges.edge == edge)}
        for one in own:
            beside.setdefault(one, set()).update(own - {one})
    for column, cutter in enumerate(cutters):
        known = [k for k in range(len(inside)) if inside[k, column]]
        while True:
            waiting = list(known)
            while waiting:
                here = waiting.pop()
                for other in beside.get(here, ()):
                    if not inside[other, column]:
                        inside[other, column] = inside[here, column]
                        waiting.append(other)
            left = np.flatnonzero(inside[:, column] == 0)
            if not len(left):
                break
            first = int(left[0])
            inside[first, column] = 1 if is_inside(cutter, shape.faces[first].inner_point) else -1
            known = [first]


def _pieces(parted: Parted) -> list[list[int]]:
    """Return the parts in groups: those of different faces that share an edge on the same side of all cutters."""
    edges = find_edges(make_face_set(parted.faces, parted.tolerance))
    first, second = list[int](), list[int]()
    for edge in range(len(edges.first)):
        own = sorted({edges.uses[k].face for k in np.flatnonzero(edges.edge == edge)})
        for a, b in pairwise(own):
            if parted.owner[a] != parted.owner[b] and (parted.inside[a] == parted.inside[b]).all():
                first.append(a)
                second.append(b)
    group = joined_groups(first, second, len(parted.faces))
    return [np.flatnonzero(group == number).tolist() for number in np.unique(group)]


def keep_side(shape: FaceSet, parted: Parted, side: Side) -> FaceSet:
    """Return the parts that lie inside any cutter, or outside all of them."""
    held: list[bool] = np.asarray((parted.inside > 0).any(axis=1)).tolist()
    kept = [face for face, behind in zip(parted.faces, held, strict=True) if behind == (side == "inside")]
    if not kept:
        raise KernelError(f"Nothing lies {side} of what cuts: keep the other side, or move it.")
    return make_face_set(kept, shape.tolerance)


def join_bodies(
    first: FaceSet, second: FaceSet, way: Literal["united", "first less second", "common"]
) -> tuple[FaceSet, Parted]:
    """Return the faces of what two closed bodies hold together, the first without the second, or both hold.

    Raises KernelError for bodies that are open, or that do not meet.
    """
    cutters = []
    for name, body in (("first", first), ("second", second)):
        edges = find_edges(body)
        if len(edges.open_uses):
            use = edges.uses[int(edges.open_uses[0])]
            raise KernelError(
                f"The {name} body is open, at {place_text(use.places[len(use.places) // 2])}: close it with caps or more "
                "surfaces, or trim by it as a sheet."
            )
        cutters.append(Cutter(body, closed=True))
    mine, theirs = part_by(first, [cutters[1]]), part_by(second, [cutters[0]])
    ways = {"united": (-1, -1), "first less second": (-1, 1), "common": (1, 1)}[way]
    kept = [face for face, side in zip(mine.faces, mine.inside[:, 0], strict=True) if side == ways[0]]
    others = [face for face, side in zip(theirs.faces, theirs.inside[:, 0], strict=True) if side == ways[1]]
    if way == "first less second":
        others = [reverse_face(face) for face in others]
    if not kept and not others:
        raise KernelError(
            "Nothing is left: the bodies do not meet that way." if way == "common" else "Nothing is left of them."
        )
    return make_face_set([*kept, *others], max(first.tolerance, second.tolerance)), mine
