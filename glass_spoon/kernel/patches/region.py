"""A region as its boundary sees it: curves put head to tail, its corners, and what it goes on from along each of them."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from itertools import pairwise

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view

from glass_spoon.kernel.arrays import Bools, Floats, Ints, cross, directions, lengths
from glass_spoon.kernel.compiled import compiled
from glass_spoon.kernel.curves.alter.edit_knots import reverse_curve, split_curve
from glass_spoon.kernel.curves.evaluate.arc_length import length_between
from glass_spoon.kernel.curves.evaluate.basis import find_spans
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_derivatives, curve_points, end_tangents, find_kinks
from glass_spoon.kernel.curves.evaluate.pace import Pace, keep_pace, keep_paces
from glass_spoon.kernel.errors import KernelError, place_text
from glass_spoon.kernel.surfaces.evaluate.closest_points import closest_points
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_derivatives
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface

CORNER = np.radians(25.0)
"""Where a boundary turns by more it has a corner; below it runs on."""
KINK = np.radians(1.0)
AROUND = 33
"""Places of a piece by which the area within a boundary is told."""
EDGE = 1e-6
"""Share of a domain within which a curve lies on the edge of a surface."""
SUDDEN = 0.5
"""Jump of a bend, times the length of the side, below which splines follow it."""


@dataclass(frozen=True, eq=False)
class Piece:
    """A smooth stretch of a boundary, with the surface that the region goes on from there, None for none.

    grade: 1 for the same tangent planes, 2 for the same curvature too. number: of the curve it is of. normals: parameters
    (m,) of the curve and the normals (m, 3) there, in place of a surface. twin: the same one the other way, if it is known.
    """

    curve: NurbsCurve
    onto: NurbsSurface | None = None
    grade: int = 0
    number: int = 0
    normals: tuple[Floats, Floats] | None = None
    twin: Piece | None = None

    @cached_property
    def ends(self) -> Floats:
        """Both ends (2, 3) in mm."""
        return self.curve.control_points[[0, -1]]

    @cached_property
    def ways(self) -> Floats:
        """The unit directions (2, 3) in which it runs at its start and its end."""
        return end_tangents(self.curve) if self.twin is None else -self.twin.ways[::-1]

    @cached_property
    def pace(self) -> Pace:
        """Its parameters over its length."""
        return keep_pace(self.curve) if self.twin is None else self.twin.pace.reversed()

    def evenly(self, count: int) -> Floats:
        """Return points (count, 3) in mm at even shares of its length."""
        if self.twin is not None:
            return self.twin.evenly(count)[::-1]
        if count not in self._evenly:
            shares = np.linspace(0, self.pace.length, count)
            self._evenly[count] = curve_points(self.curve, self.pace.at(shares))
        return self._evenly[count]

    @cached_property
    def _evenly(self) -> dict[int, Floats]:
        return {}

    def reversed(self) -> Piece:
        """Return it run through from its end."""
        low, high = self.curve.domain
        turned = None if self.normals is None else (low + high - self.normals[0][::-1], self.normals[1][::-1])
        return replace(self, curve=reverse_curve(self.curve), normals=turned, twin=self)

    def along(self, curve: NurbsCurve) -> Piece:
        """Return it with another curve."""
        return replace(self, curve=curve, twin=None)

    def forms(self, params: Floats) -> tuple[Floats, Floats]:
        """Return the normals (n, 3) that it asks for at parameters, and second fundamental forms (n, 3, 3), NaN for none."""
        if self.onto is not None:
            return _forms(self.onto, curve_points(self.curve, params))
        none = np.full((len(params), 3, 3), np.nan)
        if self.normals is None:
            return none[:, 0], none
        return directions_between(*self.normals, params), none

    def onward(self, params: Floats) -> Floats:
        """Return the unit directions (n, 3) in which what is beside leaves across its own edge at parameters.

        Rows of NaN where there is nothing beside, or it goes on past there.
        """
        if self.onto is None:
            return np.full((len(params), 3), np.nan)
        return _onward(self.onto, *curve_derivatives(self.curve, params, 1))


@compiled
def directions_between(known: Floats, ways: Floats, params: Floats) -> Floats:
    """Return unit directions (n, 3) at params (n,), evenly between known ways (m, 3) at rising params (m,)."""
    found = np.empty((len(params), 3))
    for i in range(len(params)):
        low = min(max(np.searchsorted(known, params[i], side="right") - 1, 0), len(known) - 2)
        share = min(max((params[i] - known[low]) / (known[low + 1] - known[low]), 0.0), 1.0)
        x, y, z = (1 - share) * ways[low] + share * ways[low + 1]
        size = max(np.sqrt(x * x + y * y + z * z), 1e-300)
        found[i, 0], found[i, 1], found[i, 2] = x / size, y / size, z / size
    return found


def read_paces(pieces: Iterable[Piece]) -> None:
    """Read the parameters of pieces over their lengths, all at once; each keeps its own."""
    apart = {id(one): one for piece in pieces if "pace" not in vars(one := piece.twin or piece)}
    for one, pace in zip(apart.values(), keep_paces([one.curve for one in apart.values()]), strict=True):
        vars(one)["pace"] = pace  # where the property keeps it


@dataclass(frozen=True, eq=False)
class Side:
    """A stretch of a boundary from corner to corner, of pieces that run on from one another."""

    pieces: tuple[Piece, ...]

    @cached_property
    def _starts(self) -> Floats:
        return np.concatenate(([0.0], np.cumsum([piece.pace.length for piece in self.pieces])))

    @property
    def length(self) -> float:
        """Its length in mm."""
        return float(self._starts[-1])

    @cached_property
    def breaks(self) -> Floats:
        """Shares of the length at which a piece ends, both ends of the side included."""
        return self._starts / self.length

    @cached_property
    def jumps(self) -> Floats:
        """The shares of the length inside it at which its bend jumps, as where an arc ends in a line, or its direction, less
        than at a corner.
        """
        found = []
        for piece, start in zip(self.pieces, self._starts, strict=False):
            inner, before, after = _bends_beside(piece.curve)
            jumps = lengths(after - before) * self.length > SUDDEN
            params = inner[jumps]
            if len(params):
                stops = np.concatenate((piece.curve.domain[:1], params))
                spans = np.unique(np.concatenate((stops, piece.curve.breaks)))
                totals = np.concatenate(([0.0], np.cumsum(length_between(piece.curve, spans[:-1], spans[1:]))))
                found.append(start + totals[np.searchsorted(spans, params)])
        for k, (before_it, piece) in enumerate(pairwise(self.pieces), 1):
            if self._jumps_between(before_it, piece):
                found.append(self._starts[k : k + 1])
        return np.sort(np.concatenate(found)) / self.length if found else np.zeros(0)

    @property
    def jumps_at_start(self) -> bool:
        """Whether its bend, or its direction, jumps where it closes in itself."""
        return self._jumps_between(self.pieces[-1], self.pieces[0])

    def _jumps_between(self, first: Piece, second: Piece) -> bool:
        """Say whether the bend or the direction jumps from one piece to the next."""
        if float(lengths(second.ways[0] - first.ways[1])) > KINK:
            return True
        bends = _end_bends(first.curve)[1], _end_bends(second.curve)[0]
        return bool(float(lengths(bends[1] - bends[0])) * self.length > SUDDEN)

    def _find(self, shares: Floats) -> tuple[Ints, list[Floats]]:
        """Return of which piece each share (n,) is, and for each piece the parameters of those that are its own."""
        at = np.clip(shares, 0, 1) * self.length
        which = np.clip(np.searchsorted(self._starts, at, side="right") - 1, 0, len(self.pieces) - 1)
        return which, [piece.pace.at(at[which == k] - self._starts[k]) for k, piece in enumerate(self.pieces)]

    def points(self, shares: Floats) -> Floats:
        """Return the points (n, 3) in mm at shares (n,) of its length."""
        which, params = self._find(shares)
        result = np.empty((len(shares), 3))
        for k, piece in enumerate(self.pieces):
            result[which == k] = curve_points(piece.curve, params[k])
        return result

    def evenly(self, count: int) -> Floats:
        """Return the points (count, 3) in mm at even shares of its length."""
        if len(self.pieces) == 1:
            return self.pieces[0].evenly(count)
        return self.points(np.linspace(0, 1, count))

    def contact(self, shares: Floats) -> tuple[Floats | None, Floats | None]:
        """Return normals (n, 3) and second fundamental forms (n, 3, 3) of what it goes on from; NaN for nothing."""
        if not any(piece.grade for piece in self.pieces):
            return None, None
        if len(self.pieces) == 1:
            (piece,) = self.pieces
            normals, bends = piece.forms(piece.pace.at(np.clip(shares, 0, 1) * self.length))
            return normals, bends if piece.grade > 1 else None
        which, params = self._find(shares)
        normals, bends = np.full((len(shares), 3), np.nan), np.full((len(shares), 3, 3), np.nan)
        for k, piece in enumerate(self.pieces):
            own = which == k
            if not piece.grade or not own.any():
                continue
            normals[own], found = piece.forms(params[k])
            if piece.grade > 1:
                bends[own] = found
        return normals, bends if any(piece.grade > 1 for piece in self.pieces) else None

    def onward(self, shares: Floats) -> Floats | None:
        """Return the directions (n, 3) in which what is beside leaves there; rows of NaN, or None at all, for none."""
        if not any(piece.grade and piece.onto is not None for piece in self.pieces):
            return None
        which, params = self._find(shares)
        result = np.full((len(shares), 3), np.nan)
        for k, piece in enumerate(self.pieces):
            if piece.grade:
                result[which == k] = piece.onward(params[k])
        return result


@dataclass(frozen=True, eq=False)
class Loop:
    """A closed boundary: its sides in their order, each from where the one before it ends; gap: the largest closed, mm."""

    sides: tuple[Side, ...]
    gap: float

    @cached_property
    def angles(self) -> Floats:
        """The angle in radians inside each corner, at the start of each side, seen in the mean plane."""
        before = np.array([-self.sides[k - 1].pieces[-1].ways[1] for k in range(len(self.sides))])
        after = np.array([side.pieces[0].ways[0] for side in self.sides])
        turns = np.arctan2(cross(after, before) @ self.normal, (after * before).sum(axis=1))
        return np.asarray(turns % (2 * np.pi))

    def reversed(self) -> Loop:
        """Return it run through the other way; it starts at the same place."""
        sides = [Side(tuple(piece.reversed() for piece in side.pieces[::-1])) for side in self.sides[::-1]]
        return Loop(tuple(sides), self.gap)

    @property
    def length(self) -> float:
        """Its length in mm."""
        return sum(side.length for side in self.sides)

    @cached_property
    def area(self) -> Floats:
        """Twice the area (3,) in mm² that it runs round, along its normal (Newell's)."""
        places = np.concatenate([piece.evenly(AROUND)[:-1] for side in self.sides for piece in side.pieces])
        middle = places - places.mean(axis=0)
        return np.asarray(cross(middle, np.roll(middle, -1, axis=0)).sum(axis=0))

    @property
    def normal(self) -> Floats:
        """The direction (3,) about which it runs counter-clockwise."""
        length = float(np.linalg.norm(self.area))
        return self.area / length if length > 0 else np.array([0.0, 0.0, 1.0])


def make_loop(pieces: Sequence[Piece], tolerance: float) -> Loop:
    """Return the boundary of pieces in any order and way whose ends lie within `tolerance` mm of each other.

    They are split where they turn sharply, and run on where they meet without a corner. Raises KernelError for ends that
    meet no other, with the distance and the place, and for curves that make no single loop.
    """
    loops = make_loops(pieces, tolerance)
    if len(loops) > 1:
        raise KernelError("These curves make more than one loop. Take those of one alone.")
    return loops[0]


def make_loops(pieces: Sequence[Piece], tolerance: float) -> list[Loop]:
    """Return the boundaries that pieces close, as `make_loop` does, the one round the largest area first."""
    left = [part for piece in pieces for part in _at_kinks(piece)]
    loops = []
    while left:
        ordered, left, gap = _in_order(left, tolerance)
        loops.append(_closed(ordered, gap))
    return sorted(loops, key=lambda loop: -float(lengths(loop.area))) if len(loops) > 1 else loops


def _closed(ordered: list[Piece], gap: float) -> Loop:
    """Return the boundary of pieces that run head to tail."""
    joined = [_brought_together(ordered, k) for k in range(len(ordered))]
    corners = _corners(joined)
    if not corners.any():
        return Loop((Side(tuple(joined)),), gap)
    first = int(np.argmax(corners))
    turned, flags = joined[first:] + joined[:first], np.roll(corners, -first)
    starts = [*np.flatnonzero(flags).tolist(), len(turned)]
    return Loop(tuple(Side(tuple(turned[a:b])) for a, b in pairwise(starts)), gap)


def _at_kinks(piece: Piece) -> list[Piece]:
    """Return a piece split where it turns sharply."""
    parts, rest = [], piece.curve
    for param in np.sort(find_kinks(piece.curve, KINK)):
        if rest.domain[0] < param < rest.domain[1]:
            before, rest = split_curve(rest, float(param))
            parts.append(before)
    return [piece.along(part) for part in [*parts, rest]] if parts else [piece]


def _in_order(pieces: list[Piece], tolerance: float) -> tuple[list[Piece], list[Piece], float]:
    """Return pieces head to tail until they close, each turned the way it is run, those that are left, and the largest
    distance between ends that meet.
    """
    chain, left, gap = [pieces[0]], list(pieces[1:]), 0.0
    while left:
        tip = chain[-1].ends[1]
        away = np.array([lengths(piece.ends - tip) for piece in left])
        number, end = np.unravel_index(int(away.argmin()), away.shape)
        if away[number, end] > tolerance:
            if lengths(tip - chain[0].ends[0]) <= tolerance:
                break
            raise _open(tip, float(away[number, end]), tolerance)
        piece = left.pop(int(number))
        chain.append(piece if end == 0 else piece.reversed())
        gap = max(gap, float(away[number, end]))
    last = float(lengths(chain[-1].ends[1] - chain[0].ends[0]))
    if last > tolerance:
        raise _open(chain[-1].ends[1], last, tolerance)
    return chain, left, max(gap, last)


def _open(place: Floats, distance: float, tolerance: float) -> KernelError:
    return KernelError(
        f"The boundary is open at {place_text(place)}: the nearest end is {distance:.3g} mm away, and ends meet within "
        f"{tolerance:.3g} mm. Bring these ends together, or allow more."
    )


def _brought_together(pieces: list[Piece], number: int) -> Piece:
    """Return a piece whose ends lie at the middles between it and those it meets: it is bent by a share of its length."""
    piece, before, after = pieces[number], pieces[number - 1], pieces[(number + 1) % len(pieces)]
    start, end = (before.ends[1] - piece.ends[0]) / 2, (after.ends[0] - piece.ends[1]) / 2
    if max(float(lengths(start)), float(lengths(end))) == 0:
        return piece
    return piece.along(with_moved_ends(piece.curve, start, end))


def with_moved_ends(curve: NurbsCurve, start: Floats, end: Floats) -> NurbsCurve:
    """Return a curve whose ends are moved by two vectors (3,) in mm, what lies between by a share of both."""
    low, high = curve.domain
    middles = sliding_window_view(curve.knots[1:-1], curve.degree).mean(axis=1)
    share = ((middles - low) / (high - low))[:, None]
    control = curve.control_points + (1 - share) * start + share * end
    return NurbsCurve(curve.degree, curve.knots, control, curve.weights)


def _corners(pieces: list[Piece]) -> Bools:
    """Say of each piece whether the boundary has a corner at its start."""
    turns = [float(pieces[k - 1].ways[1] @ piece.ways[0]) for k, piece in enumerate(pieces)]
    return np.arccos(np.clip(turns, -1, 1)) > CORNER


def _onward(surface: NurbsSurface, places: Floats, along: Floats) -> Floats:
    """Return the unit directions (n, 3) across an edge of a surface, out of it, at places (n, 3) of a curve on that edge.

    along: the curve's derivatives (n, 3). Rows of NaN where the curve lies within the surface.
    """
    u, v, _ = closest_points(surface, places)
    values = surface_derivatives(surface, u, v, 1)
    result = np.full((len(u), 3), np.nan)
    run = directions(along)
    for axis, (params, slope) in enumerate(((u, values[1, 0]), (v, values[0, 1]))):
        low, high = surface.domain(axis)
        near = EDGE * (high - low)
        if surface.is_closed(axis, EDGE * surface.size):
            continue
        across = slope - (slope * run).sum(axis=1)[:, None] * run
        square = lengths(across) > 0.1 * lengths(slope)
        for end, sign in ((low, -1.0), (high, 1.0)):
            own = square & (np.abs(params - end) <= near)
            result[own] = sign * directions(across[own])
    return result


def _bends_beside(curve: NurbsCurve) -> tuple[Floats, Floats, Floats]:
    """Return the inner knots (k,) at which a curve is only once smooth, and its bends (k, 3) in 1/mm before and after."""
    knots, times = curve.knots[curve.degree + 1 : -curve.degree - 1], max(curve.degree - 1, 1)
    inner = knots[: max(len(knots) - times + 1, 0)]
    inner = inner[inner == knots[times - 1 :]]  # a knot that stands so often, once for each time that it stands more often
    if len(inner):
        inner = np.unique(inner)
    else:
        return inner, np.zeros((0, 3)), np.zeros((0, 3))
    after = find_spans(curve.knots, curve.degree, inner)
    before = np.searchsorted(curve.knots, inner, side="left").astype(np.int64) - 1
    return inner, _bends(curve, inner, before), _bends(curve, inner, after)


def _end_bends(curve: NurbsCurve) -> Floats:
    """Return the bends (2, 3) in 1/mm of a curve at its ends."""
    ends = np.array(curve.domain)
    return _bends(curve, ends, find_spans(curve.knots, curve.degree, ends))


def _bends(curve: NurbsCurve, params: Floats, spans: Ints) -> Floats:
    """Return the bends (k, 3) in 1/mm, towards the middle of the circle that fits there; none where it stands still."""
    _, first, second = curve_derivatives(curve, params, 2, spans)
    speed = lengths(first)[:, None]
    bend = cross(cross(first, second), first)
    return np.divide(bend, speed**4, out=np.zeros_like(bend), where=speed > 0)


def _forms(surface: NurbsSurface, places: Floats) -> tuple[Floats, Floats]:
    """Return the unit normals (n, 3) of a surface nearest to places (n, 3), and its second fundamental forms (n, 3, 3).

    A form takes two tangents of space to the bend between them, 1/mm, along the normal (do Carmo, section 3.2).
    """
    u, v, _ = closest_points(surface, places)
    values = surface_derivatives(surface, u, v, 2)
    du, dv = values[1, 0], values[0, 1]
    normals = directions(cross(du, dv))
    frame = np.stack((du, dv), axis=2)
    inverse = np.linalg.pinv(frame)
    second = np.empty((len(u), 2, 2))
    for (a, b), key in (((0, 0), (2, 0)), ((0, 1), (1, 1)), ((1, 0), (1, 1)), ((1, 1), (0, 2))):
        second[:, a, b] = (values[key] * normals).sum(axis=1)
    return normals, np.einsum("nai,nab,nbj->nij", inverse, second, inverse)
