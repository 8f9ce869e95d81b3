"""Sharp edges of faces rounded by a ball: faces cut back to its contacts, rounds between, balls where three meet."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints, lengths
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.errors import KernelError, place_text
from glass_spoon.kernel.surfaces.alter.edit_surface import reverse_surface
from glass_spoon.kernel.surfaces.alter.smooth_pieces import smooth_piece
from glass_spoon.kernel.surfaces.evaluate.closest_points import closest_points
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_points_normals
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.trims.arrange import part_face
from glass_spoon.kernel.trims.common_places import Parallel
from glass_spoon.kernel.trims.cross_surfaces import cross_surfaces
from glass_spoon.kernel.trims.cuts import within
from glass_spoon.kernel.trims.face import Face, FaceSet, make_face_set, whole_face
from glass_spoon.kernel.trims.rolling_ball import Rolled
from glass_spoon.kernel.trims.round_ends import NEAR, BallTooLarge, End, close_ends
from glass_spoon.kernel.trims.shared_edges import Edges, Use, find_edges

HAIR = 1e-6
"""Share of a way by which it is asked beside a place."""

TRIES = 7
"""Balls that are tried where one does not fit."""

LONG = 4.0
"""Radii that a contact may be from the edge that is rounded."""


@dataclass(frozen=True, eq=False)
class Rounded:
    """Faces with their rounds. rounds, balls: how many. off: the largest distance in mm of a round from its ball."""

    shape: FaceSet
    rounds: int
    balls: int
    off: float


@dataclass(frozen=True, eq=False)
class _Round:
    """A ball that rolls along an edge: the faces on both sides, and what runs on each."""

    edge: int
    faces: tuple[int, int]
    rolled: Rolled


@dataclass(frozen=True, eq=False)
class _Piece:
    """A stretch of a round that is needed, by the parameters of its crossing."""

    of: _Round
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


def round_edges(shape: FaceSet, edges: Edges, chosen: Ints, radius: float, *, flat: bool = False) -> Rounded:
    """Return faces with chosen edges rounded by a ball of a radius in mm, inside where they stand out, outside where not.

    flat: chamfered, from where the ball would touch to where it would touch.

    Raises KernelError, with the way out, where the ball does not fit or a corner is none that a ball closes.
    """
    rounds = [_rolled(shape, edges, int(edge), radius, flat=flat) for edge in chosen]
    faces = list(shape.faces)
    pieces: dict[tuple[int, int, int], _Piece] = {}
    for number, face in enumerate(shape.faces):
        own = [(k, one.faces.index(number)) for k, one in enumerate(rounds) if number in one.faces]
        if own:
            faces[number] = _cut_back(face, [(k, side, rounds[k]) for k, side in own], shape.tolerance, pieces)
    made, off, ends = list[Face](), 0.0, list[End]()
    for piece in _agreed(pieces, rounds, shape):
        whole = piece.high - piece.low > 1 - 1e-9
        ring = whole and piece.of.rolled.crossing.closed
        surface, far = piece.of.rolled.round_between(piece.low, piece.high, ring=ring)
        off = max(off, far)
        made.append(whole_face(_facing(surface, piece.of.rolled)))
        ends += [] if ring else [End.of(piece.of.rolled, param) for param in (piece.low, piece.high)]
    balls = close_ends(faces, ends, shape)
    return Rounded(make_face_set([*faces, *made, *balls], shape.tolerance), len(made), len(balls), off)


def largest_ball(shape: FaceSet, edges: Edges, chosen: Ints, radius: float, *, flat: bool = False) -> float:
    """Return about the largest radius in mm, below one that does not fit, of a ball that does; 0 where none was found."""
    fits, fails = 0.0, radius
    for _ in range(TRIES):
        tried = (fits + fails) / 2 if fits else fails * 0.6
        try:
            round_edges(shape, edges, chosen, tried, flat=flat)
        except BallTooLarge:
            fails = tried
        except KernelError:
            return 0.0
        else:
            fits = tried
    return float(f"{fits:.2g}") if float(f"{fits:.2g}") <= fits else float(f"{fits * 0.95:.2g}")


def _rolled(shape: FaceSet, edges: Edges, edge: int, radius: float, *, flat: bool) -> _Round:
    """Return the ball that rolls along an edge: of all crossings of the parallels the one whose contacts lie nearest."""
    uses = [edges.uses[k] for k in _sides(edges, edge)]
    height = -radius if turn_of(shape, edges, edge) > 0 else radius
    first, second = (smooth_piece(use.owner.surface, use.owner.inner_place) for use in uses)
    places = uses[0].owner.edge_points(uses[0].curve, uses[0].at_shares(np.linspace(0.05, 0.95, 13)))
    best: tuple[float, Rolled] | None = None
    for crossing in cross_surfaces(Parallel(first, height), Parallel(second, height)):
        one = Rolled(first, second, crossing, height, flat)
        p, q, _ = one.contacts(np.linspace(0.0, 1.0, 129))
        away = max(float(np.linalg.norm(places[:, None] - side, axis=2).min(axis=1).max()) for side in (p, q))
        if best is None or away < best[0]:
            best = (away, one)
    if best is None or best[0] > LONG * radius:
        raise BallTooLarge(
            f"A ball of {radius:.4g} mm does not fit along the edge about {place_text(places[6])}: it does not touch both "
            "faces there. Use a smaller radius."
        )
    return _Round(edge, (uses[0].face, uses[1].face), best[1])


def _cut_back(
    face: Face, own: list[tuple[int, int, _Round]], tolerance: float, pieces: dict[tuple[int, int, int], _Piece]
) -> Face:
    """Return a face cut back to the contacts of the balls that roll on it; the stretches that bound it are noted."""
    runs = [(one.rolled.crossing.first, one.rolled.crossing.second)[side] for _, side, one in own]
    for (_, _, one), run in zip(own, runs, strict=True):
        if not within(run, face):
            middle = one.rolled.contacts(np.array([0.5]))[0][0]
            raise BallTooLarge(
                f"The ball runs off a face about {place_text(middle)}: the face is narrower than the round. Use a "
                "smaller radius."
            )
    parts = part_face(face, runs, tolerance)
    kept = []
    for part, beside in zip(parts.faces, parts.beside, strict=True):
        if beside and all(_is_inner(face, own[one.cut], one.param, left=one.left) for one in beside):
            kept.append((part, beside))
    if len(kept) != 1:
        raise BallTooLarge(
            f"The rounds meet on the face about {place_text(face.inner_point)} and leave "
            f"{'nothing' if not kept else 'more than one part'} of it. Use a smaller radius."
        )
    part, beside = kept[0]
    for stretch in beside:
        number, side, of = own[stretch.cut]
        pieces[number, side, len(pieces)] = _Piece(of, stretch.low, stretch.high)
    return part


def _is_inner(face: Face, own: tuple[int, int, _Round], param: float, *, left: bool) -> bool:
    """Say whether a part beside a contact lies away from the edge that is rounded."""
    _, side, one = own
    contacts = one.rolled.contacts(np.array([param]))
    towards = contacts[1 - side][0] - contacts[side][0]
    run = (one.rolled.crossing.first, one.rolled.crossing.second)[side]
    near = np.clip(np.array([param - HAIR, param, param + HAIR]), 0.0, 1.0)
    bounds = np.array([face.surface.domain(axis) for axis in (0, 1)]).T
    places, normals = surface_points_normals(face.surface, *np.clip(curve_points(run, near)[:, :2], *bounds).T)
    to_left = np.cross(normals[1], places[2] - places[0])
    return bool((to_left @ towards < 0) == left)


def _agreed(pieces: dict[tuple[int, int, int], _Piece], rounds: list[_Round], shape: FaceSet) -> list[_Piece]:
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
        found += [_Piece(one, *stretch) for stretch in sides[0]]
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
