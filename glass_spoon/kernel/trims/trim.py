"""Cut faces by others, tell which side each part lies on, and put what is kept together."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise
from typing import Literal

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, Ints, cross, directions
from glass_spoon.kernel.curves.evaluate.closest_on_curve import closest_params
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_derivatives, curve_points
from glass_spoon.kernel.errors import KernelError, place_text
from glass_spoon.kernel.groups import joined_groups
from glass_spoon.kernel.surfaces.evaluate.closest_points import closest_points
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_points_normals
from glass_spoon.kernel.trims.arrange import Beside, part_face
from glass_spoon.kernel.trims.cuts import Cut, cuts_of
from glass_spoon.kernel.trims.cutters import Cutter
from glass_spoon.kernel.trims.face import Face, FaceSet, make_face_set, reverse_face
from glass_spoon.kernel.trims.inside import is_inside
from glass_spoon.kernel.trims.shared_edges import find_edges

Side = Literal["inside", "outside"]

PARALLEL = 0.9999
"""Cosine of normals from which faces that touch lie in each other."""

GRAZING = 1e-3
"""Sine of the angle below which faces leave a cut alike: on which side a part lies is told by its places then."""

LOST = 1e-4
"""Share of the size by which a cut may be off what cuts; more is refused."""


@dataclass(frozen=True, eq=False)
class Parted:
    """Parts of faces. owner: the face that each is of. inside (parts, cutters): 1 behind a cutter, -1 in front, 0 in a face
    of it; lying (parts, cutters) is then 1 where both face alike, -1 where not, else 0.

    links: pairs of parts that share an edge which no cutter cuts. torn: cutters of which no side can be told. crossings: how
    many curves part something. touches: places (k, 3) at which surfaces touch. short: places at which cuts end within a
    face. off: the largest distance in mm of a cut from either surface.
    """

    faces: tuple[Face, ...]
    owner: tuple[int, ...]
    inside: np.ndarray
    lying: np.ndarray
    links: tuple[tuple[int, int], ...]
    torn: frozenset[int]
    crossings: int
    touches: Floats
    short: Floats
    off: float

    @cached_property
    def pieces(self) -> list[list[int]]:
        """The parts that hang together without running over a cut."""
        first, second = ([pair[k] for pair in self.links] for k in (0, 1))
        group = joined_groups(first, second, len(self.faces))
        return [np.flatnonzero(group == number).tolist() for number in np.unique(group)]


def part_by(shape: FaceSet, cutters: list[Cutter]) -> Parted:
    """Return faces parted by cutters, each part with the side of every cutter that it lies on.

    Raises KernelError where a cut cannot be followed, ends without parting anything, or a face lies in one of a cutter.
    """
    faces, owner, rows, cuts = list[Face](), list[int](), list[list[int]](), list[Cut]()
    short = [np.zeros((0, 3))]
    sides: dict[tuple[int, int, float], tuple[Cut, list[int]]] = {}
    for number, face in enumerate(shape.faces):
        every = cuts_of(face, cutters)
        cuts += every
        own = [cut for cut in every if not cut.idle]
        if not own:
            faces.append(face)
            owner.append(number)
            rows.append([0] * len(cutters))
            continue
        parts = part_face(face, [cut.run for cut in own], shape.tolerance)
        short.append(parts.short)
        for part, beside in zip(parts.faces, parts.beside, strict=True):
            row = [0] * len(cutters)
            for one in beside:
                cut = own[one.cut]
                row[cut.cutter] = row[cut.cutter] or _side(face, cut, one)
                sides.setdefault((number, one.cut, round(one.param, 9)), (cut, []))[1].append(len(faces))
            faces.append(part)
            owner.append(number)
            rows.append(row)
    off = max((cut.crossing.off for cut in cuts), default=0.0)
    if off > LOST * shape.size:
        worst = max(cuts, key=lambda cut: cut.crossing.off)
        raise KernelError(
            f"A cut cannot be followed nearer than {off:.2g} mm, about {place_text(_middle(worst.crossing.curve))}: what "
            "cuts nearly lies along the surface there. Turn or move it."
        )
    inside = np.array(rows).reshape(len(faces), len(cutters))
    lying = _lying_in(faces, [cutter.shape for cutter in cutters], shape.tolerance)
    inside[lying != 0] = 0
    links, torn = _spread(make_face_set(faces, shape.tolerance), inside, lying, cutters, cuts)
    ends = [curve_points(cut.crossing.curve, np.array([0.0, 1.0]))[list(cut.crossing.touching)] for cut in cuts]
    touches = np.concatenate((np.zeros((0, 3)), *ends))
    crossings = sum(not cut.idle for cut in cuts)
    ends_short = np.concatenate(short)
    parted = Parted(
        tuple(faces), tuple(owner), inside, lying, tuple(links), frozenset(torn), crossings, touches, ends_short, off
    )
    _refuse_slits(parted, sides, cutters)
    return parted


def _refuse_slits(parted: Parted, sides: dict[tuple[int, int, float], tuple[Cut, list[int]]], cutters: list[Cutter]) -> None:
    """Raise KernelError where both sides of a cut hang together without it; sides: the parts beside each stretch of one."""
    piece = {part: number for number, parts in enumerate(parted.pieces) for part in parts}
    for cut, parts in sides.values():
        if len(parts) > 1 and len({piece[part] for part in parts}) == 1:
            place = place_text(_middle(cut.crossing.curve))
            if cutters[cut.cutter].closed and not cutters[cut.cutter].of_curve:
                raise KernelError(
                    f"What cuts touches it along a line alone, about {place}, and parts nothing there. Let one reach "
                    "into the other, or stand off it, by a little."
                )
            raise KernelError(
                f"A cut, about {place}, parts nothing: both its sides hang together elsewhere. Lengthen it beyond the edge, "
                "or cut there too."
            )


def _middle(curve: NurbsCurve) -> Floats:
    """Return the place (3,) half way along a curve."""
    return np.asarray(curve_points(curve, np.array([np.mean(curve.domain)]))[0])


def _side(face: Face, cut: Cut, beside: Beside) -> int:
    """Return 1 where a part beside a cut lies behind the face that cut it, -1 in front, 0 where both touch."""
    at = np.array([np.clip(beside.param, 0.0, 1.0)])
    own = curve_points(cut.crossing.first, at)[:, :2]
    other = curve_points(cut.crossing.second, at)[:, :2]
    normal = surface_points_normals(face.surface, *own.T)[1]
    theirs = surface_points_normals(cut.against.surface, *other.T)[1]
    along = curve_derivatives(cut.crossing.curve, at, 1)[1]
    left = cross(directions(normal), along) * (1.0 if beside.left else -1.0)
    towards = float((left * theirs).sum()) / max(float(np.linalg.norm(along)), 1e-300)
    return 0 if abs(towards) < GRAZING else -int(np.sign(towards))


def _lying_in(faces: list[Face], others: list[FaceSet], tolerance: float) -> Ints:
    """Return for faces (parts,) and sets (cutters,) whether one lies in a face of the other: 1 facing as it does, -1 not."""
    found = np.zeros((len(faces), len(others)), dtype=np.int64)
    places = np.array([face.inner_point for face in faces])
    for column, other in enumerate(others):
        for against in other.faces:
            u, v, away = closest_points(against.surface, places)
            near = np.flatnonzero((away <= tolerance) & against.holds(np.column_stack((u, v))))
            for k in near.tolist():
                normals = [
                    surface_points_normals(surface, *params[:, None])[1][0]
                    for surface, params in (
                        (faces[k].surface, faces[k].inner_place),
                        (against.surface, np.array([u[k], v[k]])),
                    )
                ]
                if abs(float(normals[0] @ normals[1])) > PARALLEL:
                    found[k, column] = 1 if float(normals[0] @ normals[1]) > 0 else -1
    return found


def _spread(
    shape: FaceSet, inside: np.ndarray, lying: Ints, cutters: list[Cutter], cuts: list[Cut]
) -> tuple[list[tuple[int, int]], set[int]]:
    """Tell the sides of parts that no cut bounds: as their neighbours, or by where they lie; what lies in a face has none.

    Return the uncut links of parts, and the cutters of which parts that hang together lie on both sides.
    """
    edges = find_edges(shape)
    links: list[tuple[int, int, set[int]]] = []
    for edge, first in enumerate(edges.first.tolist()):
        own = sorted({edges.uses[k].face for k in np.flatnonzero(edges.edge == edge)})
        if len(own) > 1:
            use = edges.uses[first]
            middle = shape.faces[use.face].edge_points(use.curve, use.at_shares(np.array([0.5])))[0]
            cutting = _cutting(middle, cuts, 2 * shape.tolerance)
            links += [(a, b, cutting) for a, b in pairwise(own)]
    torn = set[int]()
    for column, cutter in enumerate(cutters):
        apart = lying[:, column] != 0
        whole = [(a, b) for a, b, cutting in links if column not in cutting and not (apart[a] or apart[b])]
        _tell(shape, inside[:, column], apart, whole, cutter)
        if any(inside[a, column] != inside[b, column] for a, b in whole):
            torn.add(column)
    return [(a, b) for a, b, cutting in links if not cutting], torn


def _cutting(place: Floats, cuts: list[Cut], reach: float) -> set[int]:
    """Return the numbers of the cutters that cut at a place (3,)."""
    found = set[int]()
    for cut in cuts:
        control = cut.crossing.curve.control_points
        near = (control.min(axis=0) - reach <= place).all() and (place <= control.max(axis=0) + reach).all()
        if near and cut.cutter not in found and closest_params(cut.crossing.curve, place[None])[1][0] <= reach:
            found.add(cut.cutter)
    return found


def _tell(shape: FaceSet, sides: np.ndarray, apart: Bools, links: list[tuple[int, int]], cutter: Cutter) -> None:
    """Tell the sides (parts,) that are not told (0), but for those apart: as neighbours along links, or as they lie."""
    beside: dict[int, list[int]] = {}
    for a, b in links:
        beside.setdefault(a, []).append(b)
        beside.setdefault(b, []).append(a)
    waiting = np.flatnonzero(sides).tolist()
    while True:
        while waiting:
            here = waiting.pop()
            for other in beside.get(here, ()):
                if not sides[other]:
                    sides[other] = sides[here]
                    waiting.append(other)
        left = np.flatnonzero((sides == 0) & ~apart)
        if not len(left):
            return
        first = int(left[0])
        sides[first] = 1 if is_inside(cutter, shape.faces[first].inner_point) else -1
        waiting = [first]


def keep_side(shape: FaceSet, parted: Parted, side: Side) -> FaceSet:
    """Return the parts that lie inside any cutter, or outside all of them. Raises KernelError where one lies in a cutter."""
    if parted.lying.any():
        lying = parted.faces[int(np.flatnonzero(parted.lying.any(axis=1))[0])]
        raise KernelError(_no_inside(lying.inner_point))
    if parted.torn:
        raise KernelError(
            "What cuts has no inside here: the same part lies on both its sides. Keep the part nearest to a place, or the "
            "largest."
        )
    held: list[bool] = np.asarray((parted.inside > 0).any(axis=1)).tolist()
    kept = [face for face, behind in zip(parted.faces, held, strict=True) if behind == (side == "inside")]
    if not kept:
        raise KernelError(f"Nothing lies {side} of what cuts: keep the other side, or move it.")
    return make_face_set(kept, shape.tolerance, shape.regions)


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
    # Of what lies in both the first's part stays where it still bounds one side of the two.
    lying = -1 if way == "first less second" else 1
    kept = _kept(first, mine, (mine.inside[:, 0] == ways[0]) | (mine.lying[:, 0] == lying))
    others = _kept(second, theirs, theirs.inside[:, 0] == ways[1])
    if way == "first less second":
        others = [reverse_face(face) for face in others]
    if not kept and not others:
        raise KernelError(
            "Nothing is left: the bodies do not meet that way." if way == "common" else "Nothing is left of them."
        )
    made = make_face_set([*kept, *others], max(first.tolerance, second.tolerance))
    within = [
        face.inner_point for one in (mine, theirs) for face, lies in zip(one.faces, one.lying[:, 0], strict=True) if lies
    ]
    if within and len(find_edges(made).open_uses):
        raise KernelError(_no_inside(within[0]))
    return made, mine


def _no_inside(place: Floats) -> str:
    """Say that faces lie in each other about a place (3,)."""
    return (
        f"A face lies in a face of the other, at {place_text(place)}: there is no inside to tell. Let one reach through the "
        "other, or stand off it, by a little."
    )


def _kept(shape: FaceSet, parted: Parted, chosen: Bools) -> list[Face]:
    """Return chosen parts of faces (parts,); a face of which all are chosen as it was."""
    owner = np.array(parted.owner)
    result = list[Face]()
    for number, face in enumerate(shape.faces):
        own = owner == number
        result += [face] if chosen[own].all() else [parted.faces[k] for k in np.flatnonzero(own & chosen)]
    return result
