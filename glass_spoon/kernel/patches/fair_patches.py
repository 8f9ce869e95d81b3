"""Patches that are as fair as their boundary lets them be: their mean curvature varies as little as may be.

The measure is that of Moreton and Séquin (Functional Optimization for Fair Surface Design, SIGGRAPH 1992), with the mean
curvature in place of the principal ones: pieces of planes, cylinders and balls have none of it, so they are given back by
their boundaries. It is made quadratic by holding the metric and the normals of the patch of the step before; a step is one
linear system. Where no side asks for a direction, the thin plate's energy alone decides.
Patches meet in common control points; across an inner edge c the derivatives into both sides add up to a multiple of c'
that runs evenly from 2 cos(2π/n) at one end to the other's, n being how many patches meet there: so they are G1.
Layouts of one kind are sought together: each array has an axis for them, and no layout knows of another.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from functools import cached_property

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints, lengths
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.patches.least_form import Asked, LeastForms
from glass_spoon.kernel.patches.patch_layout import Edge, HeldEdge, Layout, Numbering, runs_up
from glass_spoon.kernel.patches.patch_space import PatchSpace, inward, roughness
from glass_spoon.kernel.patches.unfairness import Curving, openness

HELD = 1e6
"""How much heavier conditions weigh than fairness."""
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
MOST_NUMBERS = 6_000_000
"""Numbers in the systems of the layouts that are sought together."""


def fair_patches(layouts: Sequence[Layout], space: PatchSpace, tension: float = 0.0) -> list[Floats]:
    """Return the control points (quads, count, count, 3) in mm of every quad of each layout.

    Raises KernelError where an edge is neither given nor between two quads, or where nothing can be found.
    """
    kinds: dict[object, list[int]] = {}
    for number, layout in enumerate(layouts):
        kinds.setdefault(layout.kind, []).append(number)
    found: list[Floats] = [np.zeros(0)] * len(layouts)
    for members in kinds.values():
        numbering = Numbering.of(layouts[members[0]], space.count)
        most = max(1, MOST_NUMBERS // max(1, int(3 * numbering.free.sum()) ** 2))
        for start in range(0, len(members), most):
            part = members[start : start + most]
            for number, nets in zip(
                part, _Solver([layouts[k] for k in part], numbering, space, tension).found(), strict=True
            ):
                found[number] = nets
    return found


class _Solver:
    """The unknowns of some layouts of one kind, and the forms that find them; all lengths as shares of the regions' sizes.

    Control points that are given are no unknowns: what they give to a form stands in its right side. A layout that asks for
    places, bends or ways on is alone.
    """

    def __init__(self, layouts: list[Layout], numbering: Numbering, space: PatchSpace, tension: float) -> None:
        self.layouts, self.grid, self.space, self.tension = layouts, numbering, space, tension
        self.first, self.everyone = layouts[0], np.arange(len(layouts))
        keys = list(self.first.held)
        given = np.array([np.concatenate([layout.held[key].control for key in keys]) for layout in layouts])
        self.origin = given.mean(axis=1, keepdims=True)
        self.size = np.maximum(np.ptp(given, axis=1).max(axis=1), 1e-12)[:, None, None]
        self.start = np.zeros((len(layouts), len(numbering.free), 3))
        self.start[:, np.concatenate([numbering.edges[key] for key in keys])] = (given - self.origin) / self.size
        self.tangled = self.first.tangled
        self.is_directed = any(edge.normals is not None for edge in self.first.held.values())
        self._hold()

    def found(self) -> Floats:
        """Return the control points (m, quads, count, count, 3) in mm."""
        points = self.plate()
        if self.is_directed:
            points = self.fair(points)
        if not np.isfinite(points).all():
            raise KernelError("No surface was found within these boundaries. Look for one that runs back on itself.")
        return np.asarray((points * self.size + self.origin)[:, self.grid.rows])

    def _hold(self) -> None:
        """Write down what holds whatever the fairness: directions at given edges, and G1 across inner ones."""
        total, free = len(self.grid.free), int(self.grid.free.sum())
        self.alike = np.zeros((total, total))
        self.held = LeastForms.empty(len(self.layouts), 3 * free)
        directed: dict[int, list[tuple[Floats, Floats]]] = {}
        for key, sides in self.grid.sides.items():
            held = self.first.held.get(key)
            if held is None:
                self._join(key, sides)
            elif held.normals is not None:
                for number, side in sides:
                    directed.setdefault(number, []).append(self._directed(number, side, key))
        for number, asked in directed.items():
            rows, aims = (np.concatenate(parts, axis=1) for parts in zip(*asked, strict=True))
            self.held.ask(rows, aims, self.grid.where[number])

    def _join(self, key: Edge, sides: list[tuple[int, int]]) -> None:
        """Hold two quads together smoothly across an inner edge."""
        shares = self.space.samples
        rows = [self._inward(number, side) for number, side in sides]
        turn = (1 - shares) * self.first.fan(key[0]) - shares * self.first.fan(key[1])
        rows.append(-turn[:, None] * self.space.matrix(shares, 1))
        columns = [self.grid.columns[number] for number, _ in sides]
        matrix, where = np.hstack(rows), np.concatenate([*columns, self.grid.edges[key]])
        np.add.at(self.alike, (where[:, None], where[None, :]), HELD / len(shares) * matrix.T @ matrix)

    def _inward(self, number: int, side: int, order: int = 1) -> Floats:
        """Return the derivatives (samples, count²) into a quad at one of its sides, along it from the lower vertex."""
        return inward(self.space.spans, side, order, up=runs_up(self.first.quads[number], side))

    def _directed(self, number: int, side: int, key: Edge) -> tuple[Floats, Floats]:
        """Return the rows and aims that ask a quad to have some normals along a side."""
        normals = np.array([layout.held[key].normals for layout in self.layouts])
        normals = np.where(np.isfinite(normals).all(axis=2, keepdims=True), normals, 0.0)
        into = self._inward(number, side)
        weight = np.sqrt(HELD / max(len(into), 1))
        given = ((into @ self._given(number)) * normals).sum(axis=2)
        rows = ((weight * into)[None, :, self.grid.own[number], None] * normals[:, :, None, :]).reshape(*given.shape, -1)
        return rows, -weight * given

    def _given(self, number: int) -> Floats:
        """Return the control points (m, count², 3) of a quad, unknown ones at the origin."""
        return self.start[:, self.grid.columns[number]]

    def _alike(self, orders: Mapping[int, float]) -> LeastForms:
        """Return what holds, with the parameters' own energies by their order."""
        whole = self.alike.copy()
        block = sum(weight * roughness(self.space.spans, order) for order, weight in orders.items() if weight)
        for row in self.grid.columns:
            whole[row[:, None], row] += block
        form, free, given = self.held.copy(), self.grid.free, self.start[:, ~self.grid.free]
        inside, across = whole[free][:, free], whole[free][:, ~free]
        for axis in range(3):
            form.system[:, axis::3, axis::3] += inside
        form.right -= (across @ given).reshape(len(given), -1)
        form.rest += (given * (whole[~free][:, ~free] @ given)).sum(axis=(1, 2))
        return form

    def _placed(self, unknowns: Floats, which: Ints | None = None) -> Floats:
        """Return all points (m, n, 3) of some layouts, the given ones where they are."""
        points = self.start[self.everyone if which is None else which]
        points[:, self.grid.free] = unknowns.reshape(len(points), -1, 3)
        return points

    def plate(self) -> Floats:
        """Return the points (m, n, 3) of thin plates, which need no start."""
        form = self._alike({1: TAUT * self.tension, 2: 1.0})
        points = self._placed(form.least() if self.is_directed else form.least_by_axes())
        if self._turns_back(points):  # as where a tube is closed: what is flat within its rim is as far from either side
            self.tangled *= TURNED
            for asked in self._led():
                form.ask(*asked)
            points = self._placed(form.least())
        if not len(self.first.places):
            return points
        for _ in range(STEPS):
            points = self._placed(form.least(self._through(points)))
        return points

    def _onward(self) -> Iterator[tuple[int, Floats, Floats]]:
        """Yield quads with derivatives (r, count²) into them at sides, and directions (r, 3) in which those should run."""
        for held, number, side in self._held_sides():
            if held.onward is None:
                continue
            known = np.isfinite(held.onward).all(axis=1)
            if known.any():
                yield number, self._inward(number, side)[known], held.onward[known]

    def _held_sides(self) -> Iterator[tuple[HeldEdge, int, int]]:
        """Yield the given edges of the first layout with the quads they are of, and their sides."""
        for key, held in self.first.held.items():
            for number, side in self.grid.sides.get(key, ()):
                yield held, number, side

    def _turns_back(self, points: Floats) -> bool:
        """Say whether patches leave what is beside them by much less than across it, or back over it."""
        for number, into, ways in self._onward():
            slopes = into @ points[0, self.grid.columns[number]]
            if float(((slopes * ways).sum(axis=1)).min()) < LEAVING * float(lengths(into @ self.flat[number]).mean()):
                return True
        return False

    def _led(self) -> Iterator[Asked]:
        """Ask for patches to leave what is beside them as it runs there, as fast as they would lie flat."""
        for number, into, ways in self._onward():
            speed = float(lengths(into @ self.flat[number]).mean())
            weight = np.sqrt(LED / len(ways))
            rows = (into[:, self.grid.own[number], None] * ways[:, None, :]).reshape(len(into), -1)
            given = ((into @ self._given(number)[0]) * ways).sum(axis=1)
            yield weight * rows[None], weight * (speed - given)[None], self.grid.where[number]

    @cached_property
    def flat(self) -> list[Floats]:
        """The control points (count², 3) of each quad of the first layout as thin plates that ask for no directions."""
        free = self.held
        self.held = LeastForms.empty(*free.right.shape)
        points = self._placed(self._alike({1: TAUT * self.tension, 2: 1.0}).least())
        self.held = free
        return [points[0, row] for row in self.grid.columns]

    def fair(self, points: Floats) -> Floats:
        """Return the points (m, n, 3) whose mean curvature varies least, from a start.

        Each step goes as far as the measure falls and no patch folds; it ends where neither a whole step nor parts of it do.
        """
        still = self._alike({1: TAUT * self.tension, 3: self.tangled})
        least = UNFOLDED * self._openness(points)
        value = self._unfairness(points, still)
        going = self.everyone
        for _ in range(STEPS):
            now = points[going]
            step = self._placed(still.least(self._asked(now), going), going) - now
            left = np.flatnonzero(lengths(step).max(axis=1) >= SETTLED)
            moved = [left[:0]]
            for share in SHARES if len(left) else ():
                tried = now[left] + share * step[left]
                found = np.where(
                    self._openness(tried) < least[going[left]], np.inf, self._unfairness(tried, still, going[left])
                )
                better = found < value[going[left]]
                chosen = going[left[better]]
                points[chosen], value[chosen] = tried[better], found[better]
                moved.append(chosen)
                left = left[~better]
                if not len(left):
                    break
            going = np.sort(np.concatenate(moved))
            if not len(going):
                break
        return points

    def _nets(self, points: Floats) -> Floats:
        """Return the control points (m quads, count², 3) of all points (m, n, 3)."""
        return points[:, self.grid.columns].reshape(-1, self.grid.columns.shape[1], 3)

    def _openness(self, points: Floats) -> Floats:
        """Return for points (m, n, 3) the least area of a patch to one of parameters, against its mean; below 0 folded."""
        return openness(self.space.spans, self._nets(points), OPENNESS).reshape(len(points), -1).min(axis=1)

    def _unfairness(self, points: Floats, still: LeastForms, which: Ints | None = None) -> Floats:
        """Return how unfair points (m, n, 3) of some layouts are, and how far from what is asked for."""
        unknowns = points[:, self.grid.free].reshape(len(points), -1)
        varied = Curving.of(self.space.spans, self._nets(points)).variations.reshape(len(points), -1).sum(axis=1)
        found = still.values(unknowns, which) + varied
        if self._is_asked:
            found += sum(_missed(one, unknowns) for one in self._wished(points))
        return found

    def _asked(self, points: Floats) -> Iterator[Asked]:
        """Ask for all that a step from points (m, n, 3) asks for."""
        count = len(self.grid.columns)
        curving = Curving.of(self.space.spans, self._nets(points))
        for number, (own, where) in enumerate(zip(self.grid.own, self.grid.where, strict=True)):
            rows, now = curving.rows(slice(number, None, count), own)
            control = points[:, self.grid.columns[number, own]].reshape(len(points), -1, 1)
            yield rows, (rows @ control)[..., 0] - now, where
        yield from self._wished(points)

    @cached_property
    def _is_asked(self) -> bool:
        return bool(len(self.first.places)) or any(edge.bends is not None for edge in self.first.held.values())

    def _wished(self, points: Floats) -> Iterator[Asked]:
        """Ask for places and bends, as they are asked for from points (1, n, 3)."""
        yield from self._through(points)
        yield from self._bent(points)

    def _bent(self, points: Floats) -> Iterator[Asked]:
        """Ask for the bends of what the patches go on from, at the slopes of now."""
        for held, number, side in self._held_sides():
            if held.bends is None or held.normals is None:
                continue
            asked = np.isfinite(held.normals).all(axis=1) & np.isfinite(held.bends).all(axis=(1, 2))
            weight = np.sqrt(HELD / 10 / max(len(held.normals), 1))
            into, second = (self._inward(number, side, order) for order in (1, 2))
            slope = into @ points[0, self.grid.columns[number]]
            towards = np.einsum("sij,sj->si", held.bends * self.size[0], slope)
            # The bend goes with the square of the slope: near the present one it runs straight (a step of Newton's).
            aim = -(towards * slope).sum(axis=1)
            square = second[:, :, None] * held.normals[:, None, :]
            rows = (square - 2 * into[:, :, None] * towards[:, None, :])[asked]
            given = np.einsum("sij,ij->s", rows, self._given(number)[0])
            inner = rows[:, self.grid.own[number]].reshape(len(rows), -1)
            yield weight * inner[None], weight * (aim[asked] - given)[None], self.grid.where[number]

    def _through(self, points: Floats) -> Iterator[Asked]:
        """Ask for the patches to pass places, where they are nearest to now."""
        places = (self.first.places - self.origin[0]) / self.size[0]
        if not len(places):
            return
        shares = np.linspace(0, 1, 33)
        basis = self.space.matrix(shares)
        nets = np.array([np.einsum("xi,yj,ijk->xyk", basis, basis, points[0, rows]) for rows in self.grid.rows])
        away = ((nets.reshape(-1, 1, 3) - places) ** 2).sum(axis=2)
        patch, x, y = np.unravel_index(away.argmin(axis=0), nets.shape[:3])
        for number in np.unique(patch).tolist():
            here = patch == number
            u, v = self._nearest(points[0, self.grid.rows[number]], shares[x[here]], shares[y[here]], places[here])
            rows = np.einsum("ki,kj->kij", self.space.matrix(u), self.space.matrix(v)).reshape(len(u), -1)
            left = places[here] - rows @ self._given(number)[0]
            weight = np.sqrt(HELD)
            inner = np.kron(rows[:, self.grid.own[number]], np.eye(3))
            yield weight * np.asarray(inner, dtype=np.float64)[None], weight * left.ravel()[None], self.grid.where[number]

    def _nearest(self, control: Floats, u: Floats, v: Floats, places: Floats) -> tuple[Floats, Floats]:
        """Return the parameters (k,), (k,) of a patch nearest to places (k, 3), by a few steps from near ones."""
        for _ in range(3):
            at_u, at_v = ([self.space.matrix(shares, order) for order in (0, 1)] for shares in (u, v))
            here, du, dv = (np.einsum("ki,kj,ijc->kc", at_u[a], at_v[b], control) for a, b in ((0, 0), (1, 0), (0, 1)))
            step = np.einsum("kac,kc->ka", np.linalg.pinv(np.stack((du, dv), axis=2)), places - here)
            u, v = np.clip(u + step[:, 0], 0, 1), np.clip(v + step[:, 1], 0, 1)
        return u, v


def _missed(asked: Asked, unknowns: Floats) -> Floats:
    """Return by how much unknowns (m, n) miss what is asked for, squared (m,)."""
    rows, aims, where = asked
    left = (rows @ unknowns[:, where, None])[..., 0] - aims
    return np.asarray((left * left).sum(axis=1))
