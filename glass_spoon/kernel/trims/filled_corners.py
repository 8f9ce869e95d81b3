"""Corners at which no ball closes what rounds leave, or that are set back: patches that go on from all rounds and faces.

Each round stops some way before the corner, contacts run into each other on each face, and the hole between is filled with
tangent planes kept all round (setbacks: Braid, Non-local blending of boundary models, Computer-Aided Design 29, 1997).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints, directions, lengths
from glass_spoon.kernel.curves.alter.edit_knots import trim_curve
from glass_spoon.kernel.curves.evaluate.closest_on_curve import closest_params
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_derivatives, curve_points
from glass_spoon.kernel.curves.make.fit_function import fit_places
from glass_spoon.kernel.curves.read.cross_curves import find_crossings
from glass_spoon.kernel.errors import KernelError, place_text
from glass_spoon.kernel.patches.fill_region import fill_regions
from glass_spoon.kernel.patches.region import Loop, Piece, make_loop
from glass_spoon.kernel.surfaces.alter.edit_surface import reverse_surface
from glass_spoon.kernel.surfaces.evaluate.closest_points import closest_points
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_normals, surface_points_normals
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.trims.arrange import param_scale
from glass_spoon.kernel.trims.changing_ball import Changing
from glass_spoon.kernel.trims.face import Face, FaceSet, whole_face
from glass_spoon.kernel.trims.rolling_ball import Rolled
from glass_spoon.kernel.trims.round_ends import BallTooLarge
from glass_spoon.kernel.trims.seams import within_domain
from glass_spoon.kernel.trims.shared_edges import Edges

SET_BACK = 0.5
"""Share of the ball by which a round stops before the place where its contacts meet others, unless a way in mm is given."""

ROOM = 0.3
"""Most of the room between two corners by which a round stops earlier for each of them."""

MEASURED = 257
"""Places by which ways along a round are measured."""


@dataclass(frozen=True, eq=False)
class RoundedEdge:
    """A ball that rolls along an edge: the faces on both sides, and what runs on each."""

    edge: int
    faces: tuple[int, int]
    rolled: Rolled

    def run(self, side: int) -> NurbsCurve:
        """Return where it touches a side, as (u, v, 0) by the parameter of its crossing."""
        return (self.rolled.crossing.first, self.rolled.crossing.second)[side]


@dataclass(frozen=True, eq=False)
class Arm:
    """The end of a round at a corner: its number, the parameter of the corner's place, and which way it leads away."""

    number: int
    param: float
    ahead: float


@dataclass(frozen=True, eq=False)
class Join:
    """On a face, the way (u, v, 0) from the contact of one round to that of another, about a corner."""

    face: int
    run: NurbsCurve


@dataclass(frozen=True, eq=False)
class Corner:
    """A corner that is filled. stops: for each round of it the parameter at which it ends; joins: one for each face."""

    place: Floats
    stops: dict[int, float]
    joins: tuple[Join, ...]


def vertices_to_fill(edges: Edges, signs: dict[int, float], *, every: bool) -> frozenset[int]:
    """Return the vertices of three edges or more that are filled: `every` one, else those that no ball closes.

    signs: on which side of their faces the balls of the rounded edges roll. Vertices of which not all edges are rounded are
    left out.
    """
    found = set()
    for vertex, around in edges_around(edges).items():
        if len(around) < 3 or len(set(around)) < len(around) or any(edge not in signs for edge in around):
            continue
        if every or len(around) > 3 or len({signs[edge] for edge in around}) > 1:
            found.add(vertex)
    return frozenset(found)


def corners_to_fill(
    shape: FaceSet, edges: Edges, rounds: Sequence[RoundedEdge], vertices: frozenset[int], setback: float | None
) -> list[Corner]:
    """Return the corners at some vertices. setback: in mm; None for one that suits the balls and the room there.

    Raises BallTooLarge where rounds have no room before them.
    """
    around = edges_around(edges)
    number = {one.edge: k for k, one in enumerate(rounds)}
    met = {
        vertex: _met(shape, edges, rounds, vertex, [number[edge] for edge in around[vertex]]) for vertex in sorted(vertices)
    }
    taken = [0.0] * len(rounds)
    for one in met.values():
        for k, way in one.ways.items():
            taken[k] += way
    found = []
    for one in met.values():
        stops = {}
        for arm in one.arms:
            rolled = rounds[arm.number].rolled
            curve = rolled.crossing.curve
            room = _measure(curve)[1][-1] - taken[arm.number]
            if room <= 0:
                raise BallTooLarge(
                    f"The edge at {place_text(one.place)} is too short for the corners at both its ends. Use a smaller "
                    "radius."
                )
            ball = abs(rolled.height_at(float(np.clip(arm.param, 0.0, 1.0))))
            more = min(SET_BACK * ball, ROOM * room) if setback is None else setback
            if setback is not None and 2 * setback >= room:
                raise BallTooLarge(
                    f"The rounds at {place_text(one.place)} are set back further than their edges are long. Set them back "
                    "less, or use a smaller radius."
                )
            stops[arm.number] = _param_after(curve, arm, one.ways[arm.number] + more, one.place)
        joins = []
        for face, pair in one.beside.items():
            ends = [(rounds[arm.number].run(side), stops[arm.number], -arm.ahead) for arm, side in pair]
            joins.append(Join(face, _way_across(shape.faces[face], ends)))
        found.append(Corner(one.place, stops, tuple(joins)))
    return found


def edges_around(edges: Edges) -> dict[int, list[int]]:
    """Return the edges that end at each vertex, one that does so twice two times."""
    found: dict[int, list[int]] = {}
    for edge, first in enumerate(edges.first.tolist()):
        for vertex in edges.ends[first].tolist():
            found.setdefault(vertex, []).append(edge)
    return found


def _ends(edges: Edges, one: RoundedEdge) -> Ints:
    return edges.ends[edges.first[one.edge]]


def _params_at_ends(edges: Edges, one: RoundedEdge) -> Floats:
    """Return the parameters (2,) of a round at the start and the end of its edge."""
    if isinstance(one.rolled, Changing):
        low, high = one.rolled.span
        return (np.array([0.0, 1.0]) - low) / (high - low)
    return closest_params(one.rolled.crossing.curve, edges.vertices[_ends(edges, one)])[0]


@dataclass(frozen=True, eq=False)
class _Met:
    """The rounds at a vertex: which two of them each face has, and how far from it, in mm, contacts of each meet others."""

    place: Floats
    arms: list[Arm]
    beside: dict[int, list[tuple[Arm, int]]]
    ways: dict[int, float]


def _met(shape: FaceSet, edges: Edges, rounds: Sequence[RoundedEdge], vertex: int, own: list[int]) -> _Met:
    """Return how the rounds at a vertex meet."""
    place = edges.vertices[vertex]
    arms = []
    for k in own:
        params = _params_at_ends(edges, rounds[k])
        end = int(np.flatnonzero(_ends(edges, rounds[k]) == vertex)[0])
        arms.append(Arm(k, float(params[end]), float(np.sign(params[1 - end] - params[end]))))
    beside: dict[int, list[tuple[Arm, int]]] = {}
    for arm in arms:
        for side, face in enumerate(rounds[arm.number].faces):
            beside.setdefault(face, []).append((arm, side))
    if any(len(pair) != 2 for pair in beside.values()):
        raise KernelError(f"The corner at {place_text(place)} meets a face more than once: round fewer edges there.")
    ways = {arm.number: 0.0 for arm in arms}
    for face, pair in beside.items():
        met = _where_contacts_meet(shape.faces[face], rounds, pair)
        for (arm, _), way in zip(pair, met, strict=True):
            ways[arm.number] = max(ways[arm.number], way)
    return _Met(place, arms, beside, ways)


def _scaled(run: NurbsCurve, scale: Floats) -> NurbsCurve:
    return replace(run, control_points=run.control_points * np.append(scale, 1.0))


def _where_contacts_meet(face: Face, rounds: Sequence[RoundedEdge], pair: list[tuple[Arm, int]]) -> list[float]:
    """Return how far along each of two rounds, in mm from the corner, their contacts on a face meet; 0 where beyond it."""
    scale = param_scale(face.surface)
    runs = [_scaled(rounds[arm.number].run(side), scale) for arm, side in pair]
    params = find_crossings(runs[0], runs[1], 1e-7 * face.surface.size)
    if not len(params[0]):
        return [0.0, 0.0]
    curves = [rounds[arm.number].rolled.crossing.curve for arm, _ in pair]
    ways = np.array(
        [[_way_to(curve, arm, float(at)) for at in own] for curve, (arm, _), own in zip(curves, pair, params, strict=True)]
    )
    nearest = int(np.abs(ways).max(axis=0).argmin())
    return ways[:, nearest].tolist()


def _measure(curve: NurbsCurve) -> tuple[Floats, Floats]:
    """Return parameters and the way in mm along a curve up to them."""
    params = np.linspace(0.0, 1.0, MEASURED)
    return params, np.concatenate(([0.0], np.cumsum(lengths(np.diff(curve_points(curve, params), axis=0)))))


def _way_to(curve: NurbsCurve, arm: Arm, param: float) -> float:
    """Return how far in mm from a corner a parameter lies along a round; below 0 beyond the corner."""
    params, totals = _measure(curve)
    return float(np.interp(param, params, totals) - np.interp(arm.param, params, totals)) * arm.ahead


def _param_after(curve: NurbsCurve, arm: Arm, way: float, place: Floats) -> float:
    """Return the parameter some way in mm along a round from a corner."""
    params, totals = _measure(curve)
    wanted = float(np.interp(arm.param, params, totals)) + arm.ahead * way
    if not 0.0 < wanted < totals[-1]:
        raise BallTooLarge(f"The rounds at {place_text(place)} are longer than an edge there. Use a smaller radius.")
    return float(np.interp(wanted, totals, params))


def _way_across(face: Face, ends: list[tuple[NurbsCurve, float, float]]) -> NurbsCurve:
    """Return the way (u, v, 0) on a face from one contact to another, leaving and arriving along them: (run, stop, way)."""
    scale = np.append(param_scale(face.surface), 1.0)
    places, ways = [], []
    for run, stop, way in ends:
        at, along = curve_derivatives(run, np.array([stop]), 1)
        places.append(at[0] * scale)
        ways.append(way * directions(along[0] * scale))
    apart = places[1] - places[0]
    span = float(lengths(apart))
    matrix = np.stack((ways[0][:2], -ways[1][:2]), axis=1)
    reach = np.full(2, span / 3)
    if abs(np.linalg.det(matrix)) > 1e-3:
        met = np.linalg.solve(matrix, apart[:2])
        if (met > 0).all() and (met < 4 * span).all():
            reach = met * 2 / 3
    control = np.array([places[0], places[0] + reach[0] * ways[0], places[1] + reach[1] * ways[1], places[1]]) / scale
    return NurbsCurve(3, np.array([0.0] * 4 + [1.0] * 4), control, np.ones(4))


def kept_runs(
    one: RoundedEdge, side: int, number: int, corners: Sequence[Corner], edges: Edges, surface: NurbsSurface
) -> list[NurbsCurve]:
    """Return where a round touches a side, a surface, up to the corners that are filled and between seams."""
    run = one.run(side)
    low, high = run.domain
    params = _params_at_ends(edges, one)
    for corner in corners:
        if number not in corner.stops:
            continue
        stop = corner.stops[number]
        if abs(stop - params.min()) < abs(stop - params.max()):
            low = max(low, stop)
        else:
            high = min(high, stop)
    return within_domain(trim_curve(run, low, high), surface)


@dataclass(frozen=True, eq=False)
class Patched:
    """The faces that fill a corner, the largest distance in mm from its boundary, and angle in radians to what is beside."""

    faces: list[Face]
    off: float
    kink: float


def fill_corners(
    corners: Sequence[Corner],
    faces: Sequence[Face],
    rounds: Sequence[RoundedEdge],
    surfaces: Sequence[dict[int, NurbsSurface]],
    size: float,
) -> list[Patched]:
    """Return corners filled. faces: those that they join. surfaces: the rounds at each, by their numbers."""
    grades = [0 if any(rounds[k].rolled.flat for k in corner.stops) else 1 for corner in corners]
    loops = list[Loop]()
    for corner, beside, grade in zip(corners, surfaces, grades, strict=True):
        pieces = list[Piece]()
        for k, stop in corner.stops.items():
            pieces.append(Piece(rounds[k].rolled.end_arc(stop), beside[k], grade, len(pieces)))
        for join in corner.joins:
            face = faces[join.face]

            def places(shares: Floats, face: Face = face, run: NurbsCurve = join.run) -> Floats:
                return face.edge_points(run, shares)

            curve = fit_places(places, 8, 1e-8 * size, most=512).curve
            pieces.append(Piece(curve, face.surface, grade, len(pieces)))
        loops.append(make_loop(pieces, 1e-5 * size))
    result = []
    for corner, filled, grade in zip(corners, fill_regions(loops), grades, strict=True):
        made = [whole_face(_facing_as_beside(surface, corner, faces, size)) for surface in filled.surfaces]
        result.append(Patched(made, filled.off, filled.crease if grade else 0.0))
    return result


def _facing_as_beside(surface: NurbsSurface, corner: Corner, faces: Sequence[Face], size: float) -> NurbsSurface:
    """Return a patch at a corner turned as the faces are that it joins, the nearest most."""
    us, vs = (np.array([np.mean(surface.domain(axis))]) for axis in (0, 1))
    place, normal = surface_points_normals(surface, us, vs)
    beside = np.zeros(3)
    for join in corner.joins:
        u, v, away = closest_points(faces[join.face].surface, place)
        beside += surface_normals(faces[join.face].surface, u, v)[0] / (float(away[0]) + 1e-3 * size)
    return surface if float(normal[0] @ beside) > 0 else reverse_surface(surface, 0)
