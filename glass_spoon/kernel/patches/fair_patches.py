"""Patches that are as fair as their boundary lets them be: their mean curvature varies as little as may be.

The measure is that of Moreton and Séquin (Functional Optimization for Fair Surface Design, SIGGRAPH 1992), with the mean
curvature in place of the principal ones: pieces of planes, cylinders and balls have none of it, so they are given back by
their boundaries. It is made quadratic by holding the metric and the normals of the patch of the step before; a step is one
linear system. Where no side asks for a direction, the thin plate's energy alone decides.
Patches meet in common control points; across an inner edge c the derivatives into both sides add up to a multiple of c'
that runs evenly from 2 cos(2π/n) at one end to the other's, n being how many patches meet there: so they are G1.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints, lengths
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.patches.least_form import LeastForm
from glass_spoon.kernel.patches.patch_space import PatchSpace, inward, roughness
from glass_spoon.kernel.patches.unfairness import Curving, openness

HELD = 1e6
"""How much heavier conditions weigh than fairness."""
TANGLED = 1e-2
"""How much the smoothness of the parameters weighs beside the fairness of the shape: less leaves folds in them."""
LEAVING, LED = 0.2, 1e3
"""Share of its usual slope below which a patch does not leave what is beside it, and how much it weighs that it does."""
TURNED = 0.1
"""Share of the weight of its parameters' smoothness for a patch that turns far, whose parameters have to bend with it."""
TAUT = 0.2
"""How much a tension of one weighs."""
STEPS, SETTLED = 9, 4e-5
"""Most steps, and the move (of a region of size 1) at which they end."""
SHARES = (1.0, 0.5, 0.25, 0.1)
"""Shares of a step that are tried, until the measure falls."""
UNFOLDED, OPENNESS = 0.3, 12
"""Share of its start that the least area of a patch keeps, and places along it where that is read."""

Quad = tuple[int, int, int, int]
Edge = tuple[int, int]
Asked = tuple[Floats, Floats, Ints]
"""Rows (m, k) and aims (m,) of squares that should be small, and which unknowns (k,) they are of."""


@dataclass(frozen=True, eq=False)
class HeldEdge:
    """A given edge from a lower vertex to a higher one. control: (count, 3) in mm.

    normals: (samples, 3) that the patches should have there, rows of NaN where they are free; None for all free.
    bends: second fundamental forms (samples, 3, 3) in 1/mm of what the patches go on from, None for G1 alone.
    onward: unit directions (samples, 3) in which that leaves there, rows of NaN or None where that is not known.
    """

    control: Floats
    normals: Floats | None = None
    bends: Floats | None = None
    onward: Floats | None = None


@dataclass(frozen=True, eq=False)
class Layout:
    """Patches by their corners, counter-clockwise: u from the first to the second, v from the first to the last.

    held: the given edges by their vertices, the lower first. fans: how many quads of a given angle (radians) meet at
    vertices on the boundary, where inner edges end there. places: points (k, 3) in mm that the patches should pass.
    tangled: how much the smoothness of the parameters weighs.
    """

    quads: tuple[Quad, ...]
    held: Mapping[Edge, HeldEdge]
    fans: Mapping[int, tuple[int, float]] = field(default_factory=dict)
    places: Floats = field(default_factory=lambda: np.zeros((0, 3)))
    tangled: float = TANGLED


def fair_patches(layout: Layout, space: PatchSpace, tension: float = 0.0) -> list[Floats]:
    """Return the control points (count, count, 3) in mm of every quad of a layout.

    Raises KernelError where an edge is neither given nor between two quads, or where nothing can be found.
    """
    solver = _Solver(layout, space, tension)
    points = solver.plate()
    if solver.is_directed:
        points = solver.fair(points)
    if not np.isfinite(points).all():
        raise KernelError("No surface was found within these boundaries. Look for one that runs back on itself.")
    return [points[rows] * solver.size + solver.origin for rows in solver.rows]


class _Solver:
    """The unknowns of a layout, and the forms that find them; all lengths as shares of the region's size.

    Control points that are given are no unknowns: what they give to a form stands in its right side.
    """

    def __init__(self, layout: Layout, space: PatchSpace, tension: float) -> None:
        self.layout, self.space, self.tension = layout, space, tension
        given = np.concatenate([edge.control for edge in layout.held.values()])
        self.origin = given.mean(axis=0)
        self.size = max(float(np.ptp(given, axis=0).max()), 1e-12)
        self.known: list[Floats | None] = []
        self.edges: dict[Edge, Ints] = {}
        self.sides: dict[Edge, list[tuple[int, int]]] = {}
        self.vertices: dict[int, int] = {}
        self._number()
        self.free = np.array([place is None for place in self.known])
        self.start = np.array([np.zeros(3) if place is None else place for place in self.known])
        self.tangled = layout.tangled
        self.is_directed = any(edge.normals is not None for edge in layout.held.values())
        ranks = np.cumsum(self.free) - 1
        flat = [rows.ravel() for rows in self.rows]
        self.own = [np.flatnonzero(self.free[row]) for row in flat]
        self.where = [(3 * ranks[row[own]][:, None] + np.arange(3)).ravel() for row, own in zip(flat, self.own, strict=True)]
        self.columns = np.array(flat)
        self._hold()

    def _number(self) -> None:
        """Give every control point its number: those of vertices and edges are shared by the quads that meet there."""
        count = self.space.count
        for (low, high), held in self.layout.held.items():
            control = (held.control - self.origin) / self.size
            ends = [self._vertex(low, control[0]), self._vertex(high, control[-1])]
            inner = [self._new(place) for place in control[1:-1]]
            self.edges[low, high] = np.array([ends[0], *inner, ends[1]])
        self.rows = []
        for number, quad in enumerate(self.layout.quads):
            rows = np.full((count, count), -1)
            for side, line in enumerate(_lines(rows)):
                a, b = _ends(quad, side)
                line[:] = self._edge(a, b)
                self.sides.setdefault((min(a, b), max(a, b)), []).append((number, side))
            inside = rows[1:-1, 1:-1]
            inside[:] = np.arange(len(self.known), len(self.known) + inside.size).reshape(inside.shape)
            self.known += [None] * inside.size
            self.rows.append(rows)
        loose = [edge for edge, sides in self.sides.items() if edge not in self.layout.held and len(sides) != 2]
        if loose:
            raise KernelError("The regions do not close: an edge belongs to one region alone.")

    def _new(self, place: Floats | None) -> int:
        self.known.append(place)
        return len(self.known) - 1

    def _vertex(self, vertex: int, place: Floats | None = None) -> int:
        if vertex not in self.vertices:
            self.vertices[vertex] = self._new(place)
        return self.vertices[vertex]

    def _edge(self, a: int, b: int) -> Ints:
        """Return the control points of an edge from one vertex to another."""
        key = (min(a, b), max(a, b))
        if key not in self.edges:
            ends = self._vertex(key[0]), self._vertex(key[1])
            inner = [self._new(None) for _ in range(self.space.count - 2)]
            self.edges[key] = np.array([ends[0], *inner, ends[1]])
        return self.edges[key] if a < b else self.edges[key][::-1]

    def _hold(self) -> None:
        """Write down what holds whatever the fairness: directions at given edges, and G1 across inner ones."""
        total = len(self.known)
        self.alike = np.zeros((total, total))
        self.held = LeastForm.empty(3 * int(self.free.sum()))
        for key, sides in self.sides.items():
            held = self.layout.held.get(key)
            if held is None:
                self._join(key, sides)
            elif held.normals is not None:
                for number, side in sides:
                    self._direct(number, side, held.normals)

    def _join(self, key: Edge, sides: list[tuple[int, int]]) -> None:
        """Hold two quads together smoothly across an inner edge."""
        shares, own = self.space.samples, self.edges[key]
        rows = [np.zeros((len(shares), 0))]
        columns = [np.zeros(0, dtype=np.int64)]
        for number, side in sides:
            rows.append(self._inward(number, side, key))
            columns.append(self.rows[number].ravel())
        turn = (1 - shares) * self._fan(key[0]) - shares * self._fan(key[1])
        rows.append(-turn[:, None] * self.space.matrix(shares, 1))
        matrix, where = np.hstack(rows), np.concatenate([*columns, own])
        np.add.at(self.alike, (where[:, None], where[None, :]), HELD / len(shares) * matrix.T @ matrix)

    def _fan(self, vertex: int) -> float:
        """Return what the derivatives into both sides of an edge add up to at its end, as a share of that along it."""
        if vertex in self.layout.fans:
            quads, angle = self.layout.fans[vertex]
            return float(2 * np.cos(angle / quads))
        around = sum(vertex in quad for quad in self.layout.quads)
        return float(2 * np.cos(2 * np.pi / around))

    def _inward(self, number: int, side: int, key: Edge, order: int = 1) -> Floats:
        """Return the derivatives (samples, count²) into a quad at one of its sides, along it from the lower vertex."""
        return inward(self.space.spans, side, order, up=_runs_up(self.layout.quads[number], side, key))

    def _direct(self, number: int, side: int, normals: Floats) -> None:
        """Ask a quad to have some normals along a side."""
        key = _key(self.layout.quads[number], side)
        asked = np.isfinite(normals).all(axis=1)
        into = self._inward(number, side, key)[asked]
        weight = np.sqrt(HELD / max(len(normals), 1))
        given = ((into @ self._given(number)) * normals[asked]).sum(axis=1)
        rows = (into[:, self.own[number], None] * normals[asked, None, :]).reshape(len(into), -1)
        self.held.ask(weight * rows, -weight * given, self.where[number])

    def _given(self, number: int) -> Floats:
        """Return the control points (count², 3) of a quad, unknown ones at the origin."""
        return self.start[self.rows[number].ravel()]

    def _alike(self, orders: Mapping[int, float]) -> LeastForm:
        """Return what holds, with the parameters' own energies by their order."""
        whole = self.alike.copy()
        block = sum(weight * roughness(self.space.spans, order) for order, weight in orders.items() if weight)
        for rows in self.rows:
            whole[rows.ravel()[:, None], rows.ravel()] += block
        form, free, given = self.held.copy(), self.free, self.start[~self.free]
        inside, across = whole[free][:, free], whole[free][:, ~free]
        for axis in range(3):
            form.system[axis::3, axis::3] += inside
        form.right -= (across @ given).ravel()
        form.rest += float((given * (whole[~free][:, ~free] @ given)).sum())
        return form

    def _placed(self, unknowns: Floats) -> Floats:
        """Return all points (n, 3), the given ones where they are."""
        points = self.start.copy()
        points[self.free] = unknowns.reshape(-1, 3)
        return points

    def plate(self) -> Floats:
        """Return the points (n, 3) of thin plates, which need no start."""
        form = self._alike({1: TAUT * self.tension, 2: 1.0})
        points = self._placed(form.least())
        if self._turns_back(points):  # as where a tube is closed: what is flat within its rim is as far from either side
            self.tangled *= TURNED
            for asked in self._led():
                form.ask(*asked)
            points = self._placed(form.least())
        if not len(self.layout.places):
            return points
        for _ in range(STEPS):
            drawn = form.copy()
            for asked in self._through(points):
                drawn.ask(*asked)
            points = self._placed(drawn.least())
        return points

    def _onward(self) -> Iterator[tuple[int, Floats, Floats]]:
        """Yield quads with derivatives (m, count²) into them at sides, and directions (m, 3) in which those should run."""
        for key, sides in self.sides.items():
            held = self.layout.held.get(key)
            if held is None or held.onward is None:
                continue
            known = np.isfinite(held.onward).all(axis=1)
            if known.any():
                for number, side in sides:
                    yield number, self._inward(number, side, key)[known], held.onward[known]

    def _turns_back(self, points: Floats) -> bool:
        """Say whether patches leave what is beside them by much less than across it, or back over it."""
        for number, into, ways in self._onward():
            slopes = into @ points[self.rows[number].ravel()]
            if float(((slopes * ways).sum(axis=1)).min()) < LEAVING * float(lengths(into @ self.flat[number]).mean()):
                return True
        return False

    def _led(self) -> Iterator[Asked]:
        """Ask for patches to leave what is beside them as it runs there, as fast as they would lie flat."""
        for number, into, ways in self._onward():
            speed = float(lengths(into @ self.flat[number]).mean())
            weight = np.sqrt(LED / len(ways))
            rows = (into[:, self.own[number], None] * ways[:, None, :]).reshape(len(into), -1)
            given = ((into @ self._given(number)) * ways).sum(axis=1)
            yield weight * rows, weight * (speed - given), self.where[number]

    @cached_property
    def flat(self) -> list[Floats]:
        """The control points (count², 3) of each quad as thin plates that ask for no directions."""
        free = self.held
        self.held = LeastForm.empty(len(free.right))
        points = self._placed(self._alike({1: TAUT * self.tension, 2: 1.0}).least())
        self.held = free
        return [points[rows.ravel()] for rows in self.rows]

    def fair(self, points: Floats) -> Floats:
        """Return the points (n, 3) whose mean curvature varies least, from a start.

        Each step goes as far as the measure falls and no patch folds; it ends where neither a whole step nor parts of it do.
        """
        still = self._alike({1: TAUT * self.tension, 3: self.tangled})
        least = UNFOLDED * float(self._openness(points[None])[0])
        value = float(self._unfairness(points[None], still)[0])
        for _ in range(STEPS):
            form = still.copy()
            for one in self._asked(points):
                form.ask(*one)
            step = self._placed(form.least()) - points
            if float(lengths(step).max()) < SETTLED:
                return points
            tried = points + np.array(SHARES)[:, None, None] * step
            found = np.where(self._openness(tried) < least, np.inf, self._unfairness(tried, still))
            better = np.flatnonzero(found < value)
            if not len(better):
                return points
            points, value = tried[better[0]], float(found[better[0]])
        return points

    def _nets(self, points: Floats) -> Floats:
        """Return the control points (quads k, count², 3) of k tries of all points (k, n, 3), by quad."""
        return points[:, self.columns].swapaxes(0, 1).reshape(-1, self.columns.shape[1], 3)

    def _openness(self, points: Floats) -> Floats:
        """Return for tries (k, n, 3) the least area of a patch to an area of parameters, against its mean; below 0 folded."""
        return openness(self.space.spans, self._nets(points), OPENNESS).reshape(-1, len(points)).min(axis=0)

    def _unfairness(self, points: Floats, still: LeastForm) -> Floats:
        """Return how unfair tries (k, n, 3) are, and how far from what is asked for."""
        unknowns = points[:, self.free].reshape(len(points), -1)
        varied = Curving.of(self.space.spans, self._nets(points)).variations.reshape(-1, len(points)).sum(axis=0)
        asked = [sum(_missed(one, own) for one in self._wished(try_)) for own, try_ in zip(unknowns, points, strict=True)]
        return still.values(unknowns) + varied + np.array(asked)

    def _asked(self, points: Floats) -> Iterator[Asked]:
        """Ask for all that a step from points (n, 3) asks for."""
        curving = Curving.of(self.space.spans, points[self.columns])
        for number, own in enumerate(self.own):
            rows, now = curving.rows(number, own)
            yield rows, rows @ points[self.columns[number, own]].ravel() - now, self.where[number]
        yield from self._wished(points)

    def _wished(self, points: Floats) -> Iterator[Asked]:
        """Ask for places and bends, as they are asked for from points (n, 3)."""
        yield from self._through(points)
        yield from self._bent(points)

    def _bent(self, points: Floats) -> Iterator[Asked]:
        """Ask for the bends of what the patches go on from, at the slopes of now."""
        for key, sides in self.sides.items():
            held = self.layout.held.get(key)
            if held is None or held.bends is None or held.normals is None:
                continue
            asked = np.isfinite(held.normals).all(axis=1) & np.isfinite(held.bends).all(axis=(1, 2))
            weight = np.sqrt(HELD / 10 / max(len(held.normals), 1))
            for number, side in sides:
                into, second = (self._inward(number, side, key, order) for order in (1, 2))
                slope = into @ points[self.rows[number].ravel()]
                towards = np.einsum("sij,sj->si", held.bends * self.size, slope)
                # The bend goes with the square of the slope: near the present one it runs straight (a step of Newton's).
                aim = -(towards * slope).sum(axis=1)
                square = second[:, :, None] * held.normals[:, None, :]
                rows = (square - 2 * into[:, :, None] * towards[:, None, :])[asked]
                given = np.einsum("sij,ij->s", rows, self._given(number))
                inner = rows[:, self.own[number]].reshape(len(rows), -1)
                yield weight * inner, weight * (aim[asked] - given), self.where[number]

    def _through(self, points: Floats) -> Iterator[Asked]:
        """Ask for the patches to pass places, where they are nearest to now."""
        places = (self.layout.places - self.origin) / self.size
        if not len(places):
            return
        shares = np.linspace(0, 1, 33)
        basis = self.space.matrix(shares)
        nets = np.array([np.einsum("xi,yj,ijk->xyk", basis, basis, points[rows]) for rows in self.rows])
        away = ((nets.reshape(-1, 1, 3) - places) ** 2).sum(axis=2)
        patch, x, y = np.unravel_index(away.argmin(axis=0), nets.shape[:3])
        for number in np.unique(patch).tolist():
            here = patch == number
            u, v = self._nearest(points[self.rows[number]], shares[x[here]], shares[y[here]], places[here])
            rows = np.einsum("ki,kj->kij", self.space.matrix(u), self.space.matrix(v)).reshape(len(u), -1)
            left = places[here] - rows @ self._given(number)
            weight = np.sqrt(HELD)
            inner = np.kron(rows[:, self.own[number]], np.eye(3))
            yield weight * np.asarray(inner, dtype=np.float64), weight * left.ravel(), self.where[number]

    def _nearest(self, control: Floats, u: Floats, v: Floats, places: Floats) -> tuple[Floats, Floats]:
        """Return the parameters (k,), (k,) of a patch nearest to places (k, 3), by a few steps from near ones."""
        for _ in range(3):
            at_u, at_v = ([self.space.matrix(shares, order) for order in (0, 1)] for shares in (u, v))
            here, du, dv = (np.einsum("ki,kj,ijc->kc", at_u[a], at_v[b], control) for a, b in ((0, 0), (1, 0), (0, 1)))
            step = np.einsum("kac,kc->ka", np.linalg.pinv(np.stack((du, dv), axis=2)), places - here)
            u, v = np.clip(u + step[:, 0], 0, 1), np.clip(v + step[:, 1], 0, 1)
        return u, v


def _missed(asked: Asked, unknowns: Floats) -> float:
    """Return by how much unknowns miss what is asked for, squared."""
    rows, aims, where = asked
    left = rows @ unknowns[where] - aims
    return float(left @ left)


def _lines(rows: Ints) -> tuple[Ints, Ints, Ints, Ints]:
    """Return the sides of a net as views: at v = 0, u = 1, v = 1 and u = 0, each along its parameter."""
    return rows[:, 0], rows[-1, :], rows[:, -1], rows[0, :]


def quad_edges(quad: Quad) -> tuple[Edge, Edge, Edge, Edge]:
    """Return the vertices of its sides v = 0, u = 1, v = 1 and u = 0, as the parameter runs along them."""
    a, b, c, d = quad
    return (a, b), (b, c), (d, c), (a, d)


def _ends(quad: Quad, side: int) -> Edge:
    return quad_edges(quad)[side]


def _key(quad: Quad, side: int) -> Edge:
    a, b = _ends(quad, side)
    return min(a, b), max(a, b)


def _runs_up(quad: Quad, side: int, key: Edge) -> bool:
    """Say whether the parameter of a side runs from the lower vertex to the higher one."""
    return _ends(quad, side) == key
