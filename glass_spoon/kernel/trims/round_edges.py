"""Sharp edges of faces rounded by a ball: faces cut back to its contacts, rounds between, balls where three meet."""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import permutations

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints, lengths
from glass_spoon.kernel.curves.alter.edit_knots import rescale_domain
from glass_spoon.kernel.curves.evaluate.closest_on_curve import closest_params
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.errors import KernelError, place_text
from glass_spoon.kernel.surfaces.alter.edit_surface import reverse_surface
from glass_spoon.kernel.surfaces.alter.smooth_pieces import smooth_piece
from glass_spoon.kernel.surfaces.evaluate.closest_points import closest_points
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_points_normals
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.trims.arrange import param_scale, part_face
from glass_spoon.kernel.trims.changing_ball import LONG, BallSize, changing_ball
from glass_spoon.kernel.trims.common_places import Parallel
from glass_spoon.kernel.trims.cross_surfaces import cross_surfaces
from glass_spoon.kernel.trims.cuts import within
from glass_spoon.kernel.trims.edge_chains import Along, shares_along
from glass_spoon.kernel.trims.face import Face, FaceSet, make_face_set, whole_face
from glass_spoon.kernel.trims.filled_corners import (
    Corner,
    RoundedEdge,
    corners_to_fill,
    fill_corners,
    kept_runs,
    vertices_to_fill,
)
from glass_spoon.kernel.trims.rolled_edge import RolledEdge
from glass_spoon.kernel.trims.rolling_ball import Rolled
from glass_spoon.kernel.trims.round_ends import NEAR, BallTooLarge, End, close_ends
from glass_spoon.kernel.trims.seams import wrapped
from glass_spoon.kernel.trims.shared_edges import Edges, Use, find_edges

HAIR = 1e-6
"""Share of a way by which it is asked beside a place."""

TRIES = 7
"""Balls that are tried where one does not fit."""

SAME = 1e-7
"""Parameters of a round nearer than this are one."""


@dataclass(frozen=True, eq=False)
class Rounded:
    """Faces with their rounds. rounds, balls, filled: how many, of corners closed by balls and by patches.

    off: the largest distance in mm of a round from its ball. kink: the largest angle in radians at which a patch meets what
    is beside it.
    """

    shape: FaceSet
    rounds: int
    balls: int
    off: float
    filled: int = 0
    kink: float = 0.0


@dataclass(frozen=True, eq=False)
class _Piece:
    """A stretch of a round that is needed, by the parameters of its crossing."""

    number: int
    of: RoundedEdge
    low: float
    high: float


def sharp_edges(shape: FaceSet, angle: float) -> tuple[Edges, Ints]:
    """Return the edges of faces, and those at which two of them meet with an angle of more than `angle` radians."""
    edges = find_edges(shape)
    found = [edge for edge in range(len(edges.first)) if abs(turn_of(shape, edges, edge)) > angle]
    return edges, np.array(found, dtype=np.int64)


def _sides(edges: Edges, edge: int) -> list[int]:
    """Return the uses of an edge."""
    return np.flatnonzero(edges.edge == edge).tolist()


def turn_of(shape: FaceSet, edges: Edges, edge: int) -> float:
    """Return the angle in radians by which the normal turns across an edge, below zero where it lies in; 0 for open ones."""
    uses = [edges.uses[k] for k in _sides(edges, edge)]
    if len(uses) != 2:
        return 0.0
    normals = [_normal_beside(use) for use in uses]
    first = uses[0]
    step = HAIR * float(np.ptp(first.curve.domain))
    middle = first.at_shares(np.array([0.5]))[0]
    along = np.diff(first.owner.edge_points(first.curve, np.array([middle - step, middle + step])), axis=0)[0]
    angle = float(np.arctan2(lengths(np.cross(normals[0], normals[1])), normals[0] @ normals[1]))
    return angle if np.cross(normals[0], along) @ normals[1] < 0 else -angle


def _normal_beside(use: Use) -> Floats:
    """Return the normal (3,) of a face half way along an edge, a hair inside: an edge of its surface may be sharp."""
    at = curve_points(use.curve, use.at_shares(np.array([0.5])))[:, :2]
    beside = at + HAIR * (use.owner.inner_place - at)
    return np.asarray(surface_points_normals(use.owner.surface, *beside.T)[1][0])


def round_edges(shape: FaceSet, edges: Edges, chosen: Ints, size: BallSize, setback: float | None = None) -> Rounded:
    """Return faces with chosen edges rounded by a ball, inside where they stand out, outside where not; or chamfered.

    setback: how far in mm rounds stop before corners of three or more, which patches fill; None: balls close what they can,
    patches the rest. Raises KernelError, with the way out, where the ball does not fit or a corner cannot be closed.
    """
    plan = _planned(shape, edges, chosen, size, setback)
    rounds, corners, faces = plan.rounds, plan.corners, plan.faces
    made, off, ends = list[Face](), 0.0, list[End]()
    surfaces: dict[int, dict[int, NurbsSurface]] = {k: {} for k in range(len(corners))}
    for piece in plan.pieces:
        whole = piece.high - piece.low > 1 - 1e-9
        ring = whole and piece.of.rolled.crossing.closed
        surface, far = piece.of.rolled.round_between(piece.low, piece.high, ring=ring)
        off = max(off, far, piece.of.rolled.crossing.off)
        made.append(whole_face(_facing(surface, piece.of.rolled)))
        for param in () if ring else (piece.low, piece.high):
            at = _corner_at(corners, piece, param)
            if at is None:
                ends.append(End.of(piece.of.rolled, param))
            else:
                surfaces[at][piece.number] = surface
    balls = close_ends(faces, ends, shape)
    patched = fill_corners(corners, faces, rounds, [surfaces[k] for k in range(len(corners))], shape.size)
    patches = [face for one in patched for face in one.faces]
    tolerance = max([shape.tolerance, *(4 * one.off for one in patched)])
    kink = max((one.kink for one in patched), default=0.0)
    whole_set = make_face_set([*faces, *made, *balls, *patches], tolerance)
    return Rounded(whole_set, len(made), len(balls), off, len(patched), kink)


@dataclass(frozen=True, eq=False)
class _Plan:
    """Balls that roll, corners that are filled, faces cut back to both, and the stretches of rounds that are needed."""

    rounds: list[RoundedEdge]
    corners: list[Corner]
    faces: list[Face]
    pieces: list[_Piece]


def _planned(shape: FaceSet, edges: Edges, chosen: Ints, size: BallSize, setback: float | None) -> _Plan:
    """Return what rounds need, before any is made."""
    chains = shares_along(edges, chosen, size.law)
    signs = {edge: -1.0 if turn_of(shape, edges, edge) > 0 else 1.0 for edge in chosen.tolist()}
    every = setback is not None or not size.is_one
    vertices = vertices_to_fill(edges, signs, every=every)

    def rolled(edge: int, *, own_way: bool) -> RoundedEdge:
        return _rolled(shape, edges, edge, size, (signs[edge], chains[edge]), own_way=own_way)

    rounds = [rolled(edge, own_way=_keeps_to_it(edges, edge, size, vertices)) for edge in signs]
    doubled = _lying_on_others(shape, rounds)
    rounds = [rolled(one.edge, own_way=True) if k in doubled else one for k, one in enumerate(rounds)]
    corners = corners_to_fill(shape, edges, rounds, vertices, setback)
    faces = list(shape.faces)
    pieces: dict[tuple[int, int, int], _Piece] = {}
    for number, face in enumerate(shape.faces):
        own = [(k, one.faces.index(number)) for k, one in enumerate(rounds) if number in one.faces]
        if own:
            runs, of = list[NurbsCurve](), list[tuple[int, int, RoundedEdge]]()
            for k, side in own:
                found = kept_runs(rounds[k], side, k, corners, edges, face.surface)
                runs += found
                of += [(k, side, rounds[k])] * len(found)
            joins = [join.run for corner in corners for join in corner.joins if join.face == number]
            faces[number] = _cut_back(face, of, runs, joins, shape.tolerance, pieces)
    return _Plan(rounds, corners, faces, _agreed(pieces, rounds, shape))


def _keeps_to_it(edges: Edges, edge: int, size: BallSize, vertices: frozenset[int]) -> bool:
    """Say whether a ball is sought along an edge alone: it changes, or a corner at an end of it is filled."""
    return not size.is_one or any(vertex in vertices for vertex in edges.ends[edges.first[edge]].tolist())


def _lying_on_others(shape: FaceSet, rounds: list[RoundedEdge]) -> set[int]:
    """Return the rounds whose contact on a face lies on that of another: their edges are parts of one line."""
    found = set[int]()
    beside: dict[int, list[tuple[int, NurbsCurve]]] = {}
    for k, one in enumerate(rounds):
        for side, face in enumerate(one.faces):
            scale = np.append(param_scale(shape.faces[face].surface), 1.0)
            run = one.run(side)
            beside.setdefault(face, []).append((k, replace(run, control_points=run.control_points * scale)))
    for runs in beside.values():
        for (a, run), (b, other) in permutations(runs, 2):
            places = curve_points(run, np.array([0.3, 0.5, 0.7]))
            box = other.control_points.min(axis=0) - shape.tolerance, other.control_points.max(axis=0) + shape.tolerance
            if ((places < box[0]) | (places > box[1])).any():
                continue
            if float(closest_params(other, places)[1].max()) <= shape.tolerance:
                found |= {a, b}
    return found


def _corner_at(corners: list[Corner], piece: _Piece, param: float) -> int | None:
    """Return the number of the filled corner at which a stretch of a round ends, None for none."""
    return next((k for k, one in enumerate(corners) if abs(one.stops.get(piece.number, np.inf) - param) < SAME), None)


def largest_ball(shape: FaceSet, edges: Edges, chosen: Ints, size: BallSize, setback: float | None = None) -> float:
    """Return about the largest share, below 1, of a ball that does not fit that does; 0 where none was found."""
    fits, fails = 0.0, 1.0
    for _ in range(TRIES):
        tried = (fits + fails) / 2 if fits else fails * 0.6
        try:
            plan = _planned(shape, edges, chosen, size.times(tried), None if setback is None else tried * setback)
            ends = [
                End.of(piece.of.rolled, param)
                for piece in plan.pieces
                if not (piece.high - piece.low > 1 - 1e-9 and piece.of.rolled.crossing.closed)
                for param in (piece.low, piece.high)
                if _corner_at(plan.corners, piece, param) is None
            ]
            close_ends(plan.faces, ends, shape)
        except KernelError:
            fails = tried
        else:
            fits = tried
    return fits


def _rolled(
    shape: FaceSet, edges: Edges, edge: int, size: BallSize, run: tuple[float, Along], *, own_way: bool
) -> RoundedEdge:
    """Return the ball that rolls along an edge. run: its side, and where the edge lies along its chain.

    Of all crossings of the parallels the one whose contacts lie nearest; or, with own_way, a ball sought along the edge.
    """
    sign, along = run
    numbers = _sides(edges, edge)
    uses = [edges.uses[k] for k in numbers]
    first, second = (smooth_piece(use.owner.surface, use.owner.inner_place) for use in uses)
    faces = uses[0].face, uses[1].face
    places = uses[0].owner.edge_points(uses[0].curve, uses[0].at_shares(np.linspace(0.05, 0.95, 13)))
    unfit = BallTooLarge(
        f"A ball of {size.most:.4g} mm does not fit along the edge about {place_text(places[6])}: it does not touch both "
        "faces there. Use a smaller radius."
    )
    if own_way:
        ends = edges.ends[numbers[0]]
        backwards = bool(edges.backwards[numbers[0]] != edges.backwards[numbers[1]])
        found = changing_ball(
            RolledEdge(uses[0], uses[1], backwards, along, bool(ends[0] == ends[1])), (first, second), sign, size
        )
        if found is None:
            raise unfit
        return RoundedEdge(edge, faces, found)
    height = sign * size.most
    best: tuple[float, Rolled] | None = None
    for crossing in cross_surfaces(Parallel(first, height), Parallel(second, height)):
        one = Rolled(first, second, crossing, height, size.flat)
        p, q, _ = one.contacts(np.linspace(0.0, 1.0, 129))
        away = max(float(np.linalg.norm(places[:, None] - side, axis=2).min(axis=1).max()) for side in (p, q))
        if best is None or away < best[0]:
            best = (away, one)
    if best is None or best[0] > LONG * size.most:
        raise unfit
    return RoundedEdge(edge, faces, best[1])


def _cut_back(
    face: Face,
    own: list[tuple[int, int, RoundedEdge]],
    runs: list[NurbsCurve],
    joins: list[NurbsCurve],
    tolerance: float,
    pieces: dict[tuple[int, int, int], _Piece],
) -> Face:
    """Return a face cut back to the contacts of the balls that roll on it; the stretches that bound it are noted.

    joins: ways about its corners from contact to contact.
    """
    for (_, _, one), run in zip(own, runs, strict=True):
        if not within(rescale_domain(run, 0.0, 1.0), face):
            middle = one.rolled.contacts(np.array([0.5]))[0][0]
            raise BallTooLarge(
                f"The ball runs off a face about {place_text(middle)}: the face is narrower than the round. Use a "
                "smaller radius."
            )
    parts = part_face(face, [*runs, *joins], tolerance)
    kept = []
    for part, beside in zip(parts.faces, parts.beside, strict=True):
        stretches = [one for one in beside if one.cut < len(own)]
        if stretches and all(_is_inner(face, own[one.cut], one.param, left=one.left) for one in stretches):
            kept.append((part, stretches))
    if len(kept) != 1:
        raise BallTooLarge(
            f"The rounds meet on the face about {place_text(face.inner_point)} and leave "
            f"{'nothing' if not kept else 'more than one part'} of it. Use a smaller radius."
        )
    part, bounding = kept[0]
    for stretch in bounding:
        number, side, of = own[stretch.cut]
        pieces[number, side, len(pieces)] = _Piece(number, of, stretch.low, stretch.high)
    return part


def _is_inner(face: Face, own: tuple[int, int, RoundedEdge], param: float, *, left: bool) -> bool:
    """Say whether a part beside a contact lies away from the edge that is rounded."""
    _, side, one = own
    contacts = one.rolled.contacts(np.array([param]))
    towards = contacts[1 - side][0] - contacts[side][0]
    run = (one.rolled.crossing.first, one.rolled.crossing.second)[side]
    near = np.clip(np.array([param - HAIR, param, param + HAIR]), 0.0, 1.0)
    places, normals = surface_points_normals(face.surface, *wrapped(curve_points(run, near)[:, :2], face.surface).T)
    to_left = np.cross(normals[1], places[2] - places[0])
    return bool((to_left @ towards < 0) == left)


def _agreed(pieces: dict[tuple[int, int, int], _Piece], rounds: list[RoundedEdge], shape: FaceSet) -> list[_Piece]:
    """Return the stretches of rounds that both their faces ask for. Raises KernelError where they differ."""
    found = []
    for number, one in enumerate(rounds):
        sides = [
            _joined([piece for (k, side, _), piece in pieces.items() if (k, side) == (number, which)]) for which in (0, 1)
        ]
        apart = [abs(a[k] - b[k]) for a, b in zip(*sides, strict=False) for k in (0, 1)]
        length = float(lengths(np.diff(one.rolled.crossing.curve.control_points, axis=0)).sum())
        if len(sides[0]) != len(sides[1]) or max(apart, default=0.0) * length > NEAR * shape.size:
            middle = one.rolled.contacts(np.array([0.5]))[2][0]
            raise KernelError(
                f"The round about {place_text(middle)} ends at another place on each of its faces: a corner there is none "
                "that a ball closes. Round all edges of that corner, or choose others."
            )
        found += [_Piece(number, one, *stretch) for stretch in sides[0]]
    return found


def _joined(pieces: list[_Piece]) -> list[tuple[float, float]]:
    """Return stretches with those that go on from one to the next put together."""
    rows = sorted((piece.low, piece.high) for piece in pieces)
    found: list[tuple[float, float]] = []
    for low, high in rows:
        if found and low - found[-1][1] < 1e-7:
            found[-1] = found[-1][0], high
        else:
            found.append((low, high))
    return found


def _facing(surface: NurbsSurface, rolled: Rolled) -> NurbsSurface:
    """Return a round that faces as its faces do."""
    middle = [np.array([np.mean(surface.domain(axis))]) for axis in (0, 1)]
    place, normal = surface_points_normals(surface, *middle)
    beside = [surface_points_normals(one, *closest_points(one, place)[:2])[1] for one in (rolled.first, rolled.second)]
    return surface if float((normal * (beside[0] + beside[1])).sum()) > 0 else reverse_surface(surface, 0)
