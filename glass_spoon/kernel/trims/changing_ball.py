"""A ball whose radius changes as it rolls along an edge, or that keeps the distance of its contacts from each other.

At each place of the edge the ball's middle lies in the plane square to the edge, at one height over both faces, which is
the radius asked there, or the one at which its contacts are as far apart as asked: so its arcs leave both faces smoothly
(Chuang, Lin and Hwang, Variable-radius blending of parametric surfaces, The Visual Computer 11, 1995).
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, lengths
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.law import Law
from glass_spoon.kernel.patches.fit_rows import DEGREE, Asked, fit_rows
from glass_spoon.kernel.remembered import Remembered
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.trims.arrange import param_scale
from glass_spoon.kernel.trims.cross_surfaces import FITTED, Crossing
from glass_spoon.kernel.trims.rolled_edge import BESIDE, RolledEdge
from glass_spoon.kernel.trims.rolling_ball import Rolled
from glass_spoon.kernel.trims.seams import bounds_of, rough_knots
from glass_spoon.kernel.trims.touching_ball import equations, frames

STEPS, NEARBY = 8, 4
"""Newton steps from a place nearby, and where it is only asked whether there is one."""

GROWN = (2, 10)
"""Steps in which the ball grows from nothing to its size; more of them where few lead nowhere."""

PLACES = 96
"""Places of an edge from which others start."""

BEYOND = 3.0
"""Radii by which it is tried to roll on beyond the ends of an edge."""

LONG = 4.0
"""Radii that a contact may be from the edge that is rounded."""

ONE_TURN = 1e-6
"""Share of a round within which what turns it is one turn."""

SETTLED = 1e-10
"""Share of the size within which a place is found."""

ROUGH_STEPS = 7
"""Times that the way to a rough line is parted."""

SECTIONS, SECTIONED = 10, 24
"""How often the way to the last place is parted, and into how many parts."""


@dataclass(frozen=True)
class BallSize:
    """How large a ball is: its radius in mm, or with `chord` the distance in mm of its contacts, along chains of edges.

    flat: chamfered, straight from contact to contact.
    """

    law: Law
    chord: bool = False
    flat: bool = False

    @property
    def is_one(self) -> bool:
        """Whether one ball rolls everywhere."""
        return self.law.is_constant and not self.chord

    @property
    def most(self) -> float:
        """The largest value in mm."""
        return max(self.law.values)

    def times(self, factor: float) -> BallSize:
        """Return it with all its values times a factor."""
        law = self.law
        between = tuple((share, factor * value) for share, value in law.between)
        return replace(self, law=replace(law, start=factor * law.start, end=factor * law.end, between=between))


@dataclass(frozen=True, eq=False)
class Changing(Rolled):
    """A ball that changes along an edge. Its parameters, 0 to 1, are shares of the edge from `span[0]` to `span[1]`.

    height: the sign of the side it is on, times its usual radius. table: shares of the edge and what was found there (n, 5).
    """

    edge: RolledEdge | None = None
    size: BallSize = field(default_factory=lambda: BallSize(Law(1.0, 1.0)))
    span: tuple[float, float] = (0.0, 1.0)
    table: tuple[Floats, Floats] = (np.zeros(0), np.zeros((0, 5)))

    def contacts(self, params: Floats) -> tuple[Floats, Floats, Floats]:
        """Return the contacts on both surfaces and the middles, each (n, 3) in mm."""
        found = self.solve(self.span[0] + params * (self.span[1] - self.span[0]))[0]
        p, q = self.sides(found)
        return p[0], q[0], (p[0] + q[0] + found[:, 4:] * (p[1] + q[1])) / 2

    def solve(self, shares: Floats, steps: int = STEPS) -> tuple[Floats, Bools]:
        """Return where the ball touches and its height in mm (n, 5) at shares of the edge, and whether it does."""
        known, values = self.table
        start = np.stack([np.interp(shares, known, column) for column in values.T], axis=1)
        return self.settle(shares, start, 1.0, steps)

    def settle(self, shares: Floats, start: Floats, factor: float, steps: int) -> tuple[Floats, Bools]:
        """Return the same from a start (n, 5), for a ball of a factor of its size."""
        edge = self.edge
        assert edge is not None
        places, along, _ = edge.at(shares)
        low, high = edge.along.start, edge.along.end
        wanted = factor * self.size.law.at(low + np.clip(shares, 0.0, 1.0) * (high - low))
        found, sign = start.copy(), np.sign(self.height)
        if not self.size.chord:
            found[:, 4] = sign * wanted
        limits = np.concatenate([np.array([bounds_of(one, axis) for axis in (0, 1)]) for one in (self.first, self.second)])
        scale = max(self.first.size, self.second.size)
        off = np.full(len(shares), np.inf)
        for step in range(steps + 1):
            left, matrix = self._left(found, places, along, wanted)
            off = np.abs(left).max(axis=1)
            if step == steps or bool((off < SETTLED * scale).all()):
                break
            move = _solved(matrix, -left)
            found = found + np.where(np.isfinite(move), move, 0.0)
            found[:, :4] = np.clip(found[:, :4], limits[:, 0], limits[:, 1])
        return found, (off < 10 * SETTLED * scale) & (found[:, 4] * sign > 0)

    def _left(self, found: Floats, places: Floats, along: Floats, wanted: Floats) -> tuple[Floats, Floats]:
        """Return what is left to be nothing (n, 5), in mm, and its derivatives (n, 5, 5)."""
        first, second = (frames(surface, found[:, k : k + 2]) for surface, k in ((self.first, 0), (self.second, 2)))
        return equations(first, second, found[:, 4], places, along, wanted, chord=self.size.chord)

    def sides(self, found: Floats) -> tuple[Floats, Floats]:
        """Return places, unit normals, and the derivatives of both along u and v, for each side."""
        return frames(self.first, found[:, :2]), frames(self.second, found[:, 2:4])

    def height_at(self, param: float) -> float:
        """Return the signed radius in mm at a parameter."""
        return float(self.solve(np.array([self.span[0] + param * (self.span[1] - self.span[0])]))[0][0, 4])


def changing_ball(
    edge: RolledEdge, surfaces: tuple[NurbsSurface, NurbsSurface], sign: float, size: BallSize
) -> Changing | None:
    """Return the ball that changes along an edge between two surfaces, on the side of their normals that `sign` says.

    None where no such ball touches both half way along it.
    """
    keys = [part for use in (edge.first, edge.second) for part in (use.owner.surface.key, use.curve.key)]
    key = (*keys, *(surface.key for surface in surfaces), edge.backwards, edge.along, edge.closed, sign, size)
    return _balls.get(key, lambda: _changing_ball(edge, surfaces, sign, size))


_balls: Remembered[Changing | None] = Remembered(400)
"""Balls that were sought last, by the content of their edges and faces."""


def _changing_ball(
    edge: RolledEdge, surfaces: tuple[NurbsSurface, NurbsSurface], sign: float, size: BallSize
) -> Changing | None:
    """Seek a ball that changes."""
    nothing = NurbsCurve(1, np.array([0.0, 0.0, 1.0, 1.0]), np.zeros((2, 3)), np.ones(2))
    usual = sign * float(size.law.at(np.array([0.5]))[0])
    none = Crossing(nothing, nothing, nothing, 0.0, edge.closed)
    ball = Changing(*surfaces, none, usual, size.flat, edge, size)
    shares = np.linspace(0.0, 1.0, PLACES + 1)
    outside = np.linspace(0.0, BEYOND * size.most / edge.length, PLACES // 4 + 1)[1:]
    before, after = (outside[: 0 if goes_on or edge.closed else None] for goes_on in edge.along.goes_on)
    shares = np.concatenate((-before[::-1], shares, 1 + after))
    starts = edge.at(shares)[2]
    grown = ball
    if size.chord:  # from balls of one radius at which the contacts are about as far apart
        normals = [frames(surface, starts[:, k : k + 2])[1] for k, surface in ((0, surfaces[0]), (2, surfaces[1]))]
        apart = float(np.median(lengths(normals[0] - normals[1])[(shares > 0) & (shares < 1)]))
        grown = replace(ball, size=replace(size.times(1 / max(apart, 1e-9)), chord=False))
    bounds = None
    for steps in GROWN:
        found = np.column_stack((starts, np.zeros(len(shares))))
        touches = np.ones(len(shares), dtype=bool)
        for step in range(1, steps + 1):
            found, touches = grown.settle(shares, found, step / steps, STEPS)
        if size.chord:
            found, touches = ball.settle(shares, found, 1.0, 2 * STEPS)
        ball = replace(ball, table=(shares, found))
        bounds = _where_it_touches(ball, shares, touches)
        if bounds is not None:
            break
    else:
        return None
    low, high = bounds
    kept = (shares > low) & (shares < high)
    rows = np.concatenate(([low], shares[kept], [high]))
    ball = replace(ball, table=(rows, np.vstack((ball.solve(rows[:1])[0], found[kept], ball.solve(rows[-1:])[0]))))
    return replace(ball, span=(low, high), crossing=_runs(replace(ball, span=(low, high))))


def _where_it_touches(ball: Changing, shares: Floats, touches: Bools) -> tuple[float, float] | None:
    """Return from where to where along the edge the ball touches both surfaces; None where not half way along it."""
    middle = int(np.argmin(np.abs(shares - 0.5)))
    if not touches[middle]:
        return None
    stops = []
    for way in (-1, 1):
        k = middle
        while 0 <= k + way < len(shares) and touches[k + way]:
            k += way
        if not 0 <= k + way < len(shares):
            stops.append(float(shares[k]))
            continue
        good, bad, end = float(shares[k]), float(shares[k + way]), 0.0 if way < 0 else 1.0
        if abs(end - good) < abs(bad - good):  # most rounds end with their edge
            works = ball.solve(np.array([end, end + way * BESIDE]), NEARBY)[1]
            if works[0] and not works[1]:
                good = bad = end
        for _ in range(SECTIONS):
            if abs(bad - good) < 1e-12:
                break
            tried = good + (bad - good) * np.linspace(0.0, 1.0, SECTIONED + 1)[1:]
            works = ball.solve(tried, NEARBY)[1]
            last = len(tried) if works.all() else int(np.argmin(works))
            good, bad = float(tried[last - 1]) if last else good, float(tried[min(last, len(tried) - 1)])
        stops.append(good)
    inside = (shares > stops[0]) & (shares < stops[1])
    contacts = ball.sides(ball.table[1][inside])
    assert ball.edge is not None
    places = ball.edge.at(shares[inside])[0]
    longest = LONG * float(np.abs(ball.table[1][inside, 4]).max())
    if max(float(lengths(side[0] - places).max()) for side in contacts) > longest:
        return None
    return stops[0], stops[1]


def _runs(ball: Changing) -> Crossing:
    """Return the ways of the middle and of both contacts as curves of one parameter."""
    scales = [param_scale(surface) for surface in (ball.first, ball.second)]
    low, high = ball.span

    def at(shares: Floats) -> Floats:
        found = ball.solve(low + shares * (high - low))[0]
        place, normal = frames(ball.first, found[:, :2])[:2]
        zero = np.zeros(len(found))
        flat = [np.column_stack((found[:, k : k + 2] * scale, zero)) for k, scale in ((0, scales[0]), (2, scales[1]))]
        return np.stack((place + found[:, 4:] * normal, *flat))

    near = FITTED * max(ball.first.size, ball.second.size)
    edge = ball.edge
    assert edge is not None
    # Where the law turns, at its places and at the ends of the edge, and where the edge's bend jumps, splines may turn too.
    start, end = edge.along.start, edge.along.end
    turns = [
        0.0,
        1.0,
        *((share - start) / (end - start) for share, _ in ball.size.law.between),
        *edge.bends,
        *_over_rough_lines(ball),
    ]
    inner = np.sort((np.array(turns) - low) / (high - low))
    inner = inner[(inner > ONE_TURN) & (inner < 1 - ONE_TURN)]
    corners = inner[np.diff(inner, prepend=0.0) > ONE_TURN]  # knots that all but coincide would bear spans of nothing
    ring = ball.crossing.closed and not len(corners)
    fitted = fit_rows(Asked(at, np.array([0.0, 1.0]), corners, ring=ring), near, 4)
    curves = []
    for row, scale in zip(fitted.control, (np.ones(2), *scales), strict=True):
        control = row.copy()
        control[:, :2] /= scale
        curves.append(NurbsCurve(DEGREE, fitted.knots, control, np.ones(len(control))))
    return Crossing(curves[0], curves[1], curves[2], fitted.off, ball.crossing.closed)


def _over_rough_lines(ball: Changing) -> list[float]:
    """Return the shares of the edge at which a contact passes a line where its surface is only once smooth."""
    shares, values = ball.table
    found = list[float]()
    for column, (surface, axis) in enumerate((one, axis) for one in (ball.first, ball.second) for axis in (0, 1)):
        for knot in rough_knots(surface.knots[axis], surface.degrees[axis]).tolist():
            before = values[:, column] < knot
            for k in np.flatnonzero(before[1:] != before[:-1]).tolist():
                low, high = float(shares[k]), float(shares[k + 1])
                for _ in range(ROUGH_STEPS):
                    tried = np.linspace(low, high, SECTIONED + 1)
                    under = ball.solve(tried)[0][:, column] < knot
                    turn = int(np.argmax(under != under[0])) or SECTIONED
                    low, high = float(tried[turn - 1]), float(tried[turn])
                found.append((low + high) / 2)
    return found


def _solved(matrix: Floats, right: Floats) -> Floats:
    """Return the solutions (n, k) of systems (n, k, k), nearest ones where they are singular."""
    try:
        return np.asarray(np.linalg.solve(matrix, right[..., None])[..., 0])
    except np.linalg.LinAlgError:
        return np.asarray((np.linalg.pinv(matrix) @ right[..., None])[..., 0])
