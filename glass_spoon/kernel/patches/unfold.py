"""Patches drawn apart until none folds, on the flat or as they are seen from one side: nothing that folds is finite.

The measure is that of Garanzha, Kaporin, Kudryavtseva, Protais, Ray and Sokolov (Foldover-free maps in 50 lines of code, ACM
Transactions on Graphics 40(4), 2021): the squared stretches over the area, which is kept above nothing by a share that
shrinks until no area is below it.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import numpy as np
import scipy
from numpy.lib.stride_tricks import sliding_window_view

from glass_spoon.kernel.arrays import Floats, Ints, lengths, sum_by_index
from glass_spoon.kernel.patches.patch_layout import Layout, Numbering, runs_up
from glass_spoon.kernel.patches.patch_space import DEGREE, LOOKED_AT, PatchSpace, grid_derivatives, inward
from glass_spoon.kernel.surfaces.sets.surface_set import plane_axes

FLAT = 1e-7
"""Share of a region's size within which its boundary lies in a plane."""

ALONG = 1e-4
"""Radians from that plane's normal within which directions ask for nothing else."""

ROUNDS, STEPS = 12, 60
"""Most times that the share shrinks, and steps before it does."""

LEAST, NOTHING = 1e-3, 1e-9
"""Share of an area at which what folds is kept at least, and the one for what does not."""

SLIGHT = 1e-2
"""That with which patches begin that were drawn apart in another space."""

EVEN = 1.0
"""How much an even area weighs beside round shapes."""

PLACES = 2
"""Places for each control point along an axis of a patch at which its areas are read, beside those at its edges."""

HELD = 1e6
"""How much heavier it weighs that heights go on evenly than that they are fair."""

UPRIGHT = 0.1
"""What is beside is not followed where it rises more steeply: the cosine between its normal and the way it is seen."""

DIGITS = 10
"""Digits of what is seen that count: steps that end before they settle would go elsewhere at another size."""

SHORT = 1e-3
"""Least length of a patch's sides, of a region of size 1, by which its stretches are seen."""


def lies_flat(layout: Layout) -> Floats | None:
    """Return the normal (3,) of the plane in which all of a boundary lies and which it goes on in, None for none."""
    places = np.concatenate([edge.control for edge in layout.held.values()])
    middle = places.mean(axis=0)
    _, sizes, axes = np.linalg.svd(places - middle, full_matrices=False)
    normal = np.asarray(axes[2])
    if np.abs((places - middle) @ normal).max() > FLAT * float(np.ptp(places, axis=0).max()) or sizes[1] == 0:
        return None
    for edge in layout.held.values():
        known = None if edge.normals is None else edge.normals[np.isfinite(edge.normals).all(axis=1)]
        if known is not None and len(known) and lengths(known - np.sign(known @ normal)[:, None] * normal).max() > ALONG:
            return None
    return normal


@dataclass(frozen=True, eq=False)
class _View:
    """Patches as they are seen: numbering, control points (n, 3) in mm, axes (3, 3), the last along the view, the origin and
    the size in mm that are taken for 0 and 1, and the control points (n, 3) so.
    """

    grid: Numbering
    points: Floats
    axes: Floats
    origin: Floats
    size: float
    seen: Floats

    @classmethod
    def along(cls, layout: Layout, space: PatchSpace, nets: Floats, normal: Floats) -> _View:
        """Look along a normal (3,)."""
        grid, axes = Numbering.of(layout, space.count), np.vstack((plane_axes(normal), normal))
        points = np.zeros((len(grid.free), 3))
        points[grid.rows] = nets
        origin, size = points.mean(axis=0), float(np.ptp(points, axis=0).max())
        return cls(grid, points, axes, origin, size, np.round((points - origin) @ axes.T / size, DIGITS))

    def opened(self, space: PatchSpace, before: Floats | None) -> Floats:
        """Return the control points (n, 2) of patches drawn apart on the flat: from straight edges, or from patches before
        (quads, m, m, 3) that were.
        """
        start = self.seen[:, :2].copy()
        if before is not None:
            known = np.empty_like(start)
            known[self.grid.rows] = np.round((space.finer(before) - self.origin) @ self.axes[:2].T / self.size, DIGITS)
            start[self.grid.free] = known[self.grid.free]
            return _Sheet(space, self.grid, start).opened(SLIGHT)
        return _Sheet(space, self.grid, _straight(space, self.grid, self.seen[:, :2])).opened()

    def nets(self, seen: Floats) -> Floats:
        """Return the control points (quads, count, count, 3) in mm of what is seen (n, 3); given ones stay as they are."""
        points = np.where(self.grid.free[:, None], self.origin + self.size * seen @ self.axes, self.points)
        return np.asarray(points[self.grid.rows])


def unfolded(layout: Layout, space: PatchSpace, nets: Floats, normal: Floats, before: Floats | None = None) -> Floats:
    """Return the control points (quads, count, count, 3) of flat patches drawn apart, their boundary and the plane kept.

    before: patches (quads, m, m, 3) drawn apart in another space, from which it goes on. Raises LinAlgError where a side has
    no length.
    """
    view = _View.along(layout, space, nets, normal)
    return view.nets(np.column_stack((view.opened(space, before), view.seen[:, 2])))


def raised(layout: Layout, space: PatchSpace, nets: Floats, normal: Floats, before: Floats | None = None) -> Floats:
    """Return the control points (quads, count, count, 3) of patches drawn apart as they are seen along a normal (3,), and
    raised to their boundary as a thin plate over what is seen; smooth across inner edges, and on from what is beside.

    Across an edge the plate's slopes into both patches are those that the flat patches have there: where these go on evenly
    so does the plate, however uneven they are in size. For boundaries that lie over each other nowhere, seen so. before: as
    `unfolded` takes it. Raises LinAlgError where a side has no length, or a patch no area as it is seen.
    """
    view = _View.along(layout, space, nets, normal)
    grid, axes, seen = view.grid, view.axes, view.seen.copy()
    seen[:, :2] = view.opened(space, before)
    system, right = np.zeros((len(seen), len(seen))), np.zeros(len(seen))
    for columns in grid.columns:
        rows = _bending(space.spans, seen[columns, :2])
        system[columns[:, None], columns] += rows.T @ rows
    for key, sides in grid.sides.items():
        parts = [(inward(space.spans, side, 1, up=runs_up(layout.quads[k], side)), grid.columns[k]) for k, side in sides]
        held = layout.held.get(key)
        if held is None:
            along = space.matrix(space.samples, 1), grid.edges[key]
            _ask(system, right, *_even_across(parts, along, seen[:, :2]))
        elif held.normals is not None:
            _ask(system, right, *_onto(parts[0], held.normals @ axes.T, seen[:, :2]))
    known, free = ~grid.free, grid.free
    seen[free, 2] = scipy.linalg.solve(
        system[free][:, free], right[free] - system[free][:, known] @ seen[known, 2], assume_a="sym"
    )
    return view.nets(seen)


def _ask(system: Floats, right: Floats, rows: Floats, aims: Floats, where: Ints) -> None:
    """Ask for rows (r, k) of heights numbered where (k,), some more than once, to be aims (r,)."""
    if len(rows):
        weight = HELD / len(rows)
        np.add.at(system, (where[:, None], where), weight * rows.T @ rows)
        np.add.at(right, where, weight * aims @ rows)


def _bending(spans: int, net: Floats) -> Floats:
    """Return rows (r, count²) whose squares are the thin plate's energy of heights over a flat patch (count², 2)."""
    by = {key: value.reshape(-1, value.shape[2]) for key, value in grid_derivatives(spans).items()}
    first = np.stack((by[1, 0], by[0, 1]), axis=1)
    second = np.stack((by[2, 0], by[1, 1], by[1, 1], by[0, 2]), axis=1).reshape(len(first), 2, 2, -1)
    stretch = np.einsum("kac,ci->kia", first, net)
    back, areas = np.linalg.inv(stretch), np.abs(np.linalg.det(stretch))
    slopes = np.einsum("kai,kac->kic", back, first)
    bends = second - np.einsum("kic,kabi->kabc", slopes, np.einsum("kabc,ci->kabi", second, net))
    over = np.einsum("kai,kbj,kabc->ijkc", back, back, bends) * np.sqrt(areas / len(areas))[:, None]
    return np.concatenate((over[0, 0], np.sqrt(2) * over[0, 1], over[1, 1]))


def _even_across(parts: list[tuple[Floats, Ints]], along: tuple[Floats, Ints], flat: Floats) -> tuple[Floats, Floats, Ints]:
    """Return rows, aims and numbers that ask heights to go on evenly across an edge, from the slopes (samples, k) into both
    patches and along it with the numbers of their control points.
    """
    run = along[0] @ flat[along[1]]
    square = np.stack((-run[:, 1], run[:, 0]), axis=1) / np.maximum(_sizes(run), SHORT)[:, None]
    rows, total = [], np.zeros_like(run)
    for slopes, where in parts:
        into = slopes @ flat[where]
        share = 1 / np.maximum(np.abs((into * square).sum(axis=1)), SHORT)[:, None]
        rows.append(share * slopes)
        total += share * into
    turn = (total * run).sum(axis=1, keepdims=True) / np.maximum((run * run).sum(axis=1, keepdims=True), SHORT**2)
    rows.append(-turn * along[0])
    return np.hstack(rows), np.zeros(len(run)), np.concatenate([*(where for _, where in parts), along[1]])


def _onto(part: tuple[Floats, Ints], normals: Floats, flat: Floats) -> tuple[Floats, Floats, Ints]:
    """Return rows, aims and numbers that ask heights to leave an edge square to normals (samples, 3), seen alike."""
    slopes, where = part
    into = slopes @ flat[where]
    known = np.isfinite(normals).all(axis=1) & (np.abs(np.nan_to_num(normals[:, 2])) > UPRIGHT)
    scale = 1 / np.maximum(_sizes(into), SHORT)
    aims = -(into * normals[:, :2]).sum(axis=1) / np.where(known, normals[:, 2], 1.0)
    return (scale[:, None] * slopes)[known], (scale * aims)[known], where


def _straight(space: PatchSpace, grid: Numbering, flat: Floats) -> Floats:
    """Return the control points (n, 2) of patches whose inner edges are straight, each Coons' within its edges.

    Inner vertices lie at the middles of those that they are joined to.
    """
    points = flat.copy()
    ends = np.array([[own[0], own[-1]] for own in grid.edges.values()])
    vertices, place = np.unique(ends, return_inverse=True)
    free, joined = grid.free[vertices], np.zeros((len(vertices), len(vertices)))
    np.add.at(joined, (place[:, 0], place[:, 1]), 1.0)
    np.add.at(joined, (place[:, 1], place[:, 0]), 1.0)
    if free.any():
        pulls = np.diag(joined.sum(axis=1)) - joined
        points[vertices[free]] = np.linalg.solve(pulls[free][:, free], -pulls[free][:, ~free] @ points[vertices[~free]])
    shares = sliding_window_view(space.knots[1:-1], DEGREE).mean(axis=1)
    for own in grid.edges.values():
        if grid.free[own[1]]:
            points[own] = (1 - shares)[:, None] * points[own[0]] + shares[:, None] * points[own[-1]]
    both = np.stack((1 - shares, shares), axis=1)
    nets = points[grid.rows]
    across = np.einsum("ik,qkjc->qijc", both, nets[:, [0, -1]]) + np.einsum("jk,qikc->qijc", both, nets[:, :, [0, -1]])
    corners = np.einsum("ik,jl,qklc->qijc", both, both, nets[:, [0, -1]][:, :, [0, -1]])
    points[grid.rows[:, 1:-1, 1:-1]] = (across - corners)[:, 1:-1, 1:-1]
    return points


class _Sheet:
    """Flat patches by their control points (n, 2), of which some are free, and how they stretch at the places of a grid.

    Stretches are seen as shares of each patch's own lengths along its sides, so that a long one is drawn no rounder.
    """

    def __init__(self, space: PatchSpace, grid: Numbering, flat: Floats) -> None:
        self.columns, self.free, self.flat = grid.columns, grid.free, flat
        nets = flat[grid.rows]
        sides = ((nets[:, :, 0], nets[:, :, -1]), (nets[:, 0], nets[:, -1]))
        sizes = [sum(np.linalg.norm(np.diff(one, axis=1), axis=2).sum(axis=1) for one in pair) / 2 for pair in sides]
        self.sizes = np.maximum(np.array(sizes), SHORT)[:, :, None, None]
        self.slopes = _slopes(space.spans)
        areas = self._areas(*self._stretches(flat)).mean(axis=1)
        self.turn = 1.0 if float((areas * self.sizes.prod(axis=0).ravel()).sum()) > 0 else -1.0
        self.sizes *= np.sqrt(np.maximum(self.turn * areas, SHORT))[:, None, None]
        self.root = self._root()

    def _root(self) -> Floats:
        """Return the root (free, free), an upper triangle, of the sum of all squared stretches."""
        whole = np.zeros((len(self.flat), len(self.flat)))
        for slopes, sizes in zip(self.slopes, self.sizes[..., 0, 0], strict=True):
            square = slopes.T @ slopes
            for row, size in zip(self.columns, sizes.tolist(), strict=True):
                whole[row[:, None], row] += square / size**2
        return np.asarray(scipy.linalg.cholesky(whole[self.free][:, self.free]))

    def _stretches(self, points: Floats) -> tuple[Floats, Floats]:
        """Return the first derivatives (quads, places², 2) along u and along v."""
        nets = points[self.columns]
        return self.slopes[0] @ nets / self.sizes[0], self.slopes[1] @ nets / self.sizes[1]

    def _areas(self, du: Floats, dv: Floats) -> Floats:
        return np.asarray(du[..., 0] * dv[..., 1] - du[..., 1] * dv[..., 0])

    def opened(self, folded: float = 1.0) -> Floats:
        """Return the control points (n, 2) at which the stretches are least, or the nearest to it that were found.

        folded: the share of an area to begin with where some fold.
        """
        points, before = self.flat.copy(), np.inf
        least = float((self.turn * self._areas(*self._stretches(points))).min())
        share = NOTHING if least > 0 else folded
        for _ in range(ROUNDS):
            start = (self.root @ points[self.free]).ravel()
            found = scipy.optimize.minimize(self._measure, start, (share,), "L-BFGS-B", jac=True, options={"maxiter": STEPS})
            points[self.free] = self._placed(found.x)
            if share == NOTHING:
                break
            least, fall = float((self.turn * self._areas(*self._stretches(points))).min()), 1 - found.fun / before
            before = float(found.fun)
            # What the least area is kept at falls by as much as the measure did, a tenth at least (section 3.4).
            kept = (1 - max(fall, 0.1) if np.isfinite(fall) else 0.5) * (least + np.hypot(least, share)) / 2
            share = max(2 * np.sqrt(kept * (kept - least)), LEAST) if least < 0 else NOTHING
        return points

    def _placed(self, unknowns: Floats) -> Floats:
        """Return the free control points (free, 2) of unknowns in which squared stretches weigh alike in all directions."""
        return self._by_root(unknowns.reshape(-1, 2))

    def _by_root(self, values: Floats, turned: Literal["N", "T"] = "N") -> Floats:
        return np.asarray(scipy.linalg.solve_triangular(self.root, values, trans=turned, check_finite=False))

    def _measure(self, unknowns: Floats, share: float) -> tuple[float, Floats]:
        """Return the squared stretches over the areas, and how that changes with the unknowns."""
        points = self.flat.copy()
        points[self.free] = self._placed(unknowns)
        du, dv = self._stretches(points)
        areas = self.turn * self._areas(du, dv)
        root = np.sqrt(areas**2 + share**2)
        kept = np.where(areas > 0, (areas + root) / 2, share**2 / (2 * np.maximum(root - areas, 1e-300)))
        squares = (du * du).sum(axis=2) + (dv * dv).sum(axis=2) + EVEN * (1 + areas**2)
        pull = (self.turn * (2 * EVEN * areas - squares / root) / kept)[..., None]  # kept rises by kept / root
        by_du = 2 * du / kept[..., None] + pull * np.stack((dv[..., 1], -dv[..., 0]), axis=2)
        by_dv = 2 * dv / kept[..., None] + pull * np.stack((-du[..., 1], du[..., 0]), axis=2)
        back = self.slopes[0].T @ (by_du / self.sizes[0]) + self.slopes[1].T @ (by_dv / self.sizes[1])
        total = sum_by_index(self.columns.ravel(), back.reshape(-1, 2), len(points))[self.free]
        return float((squares / kept).sum()), self._by_root(total, "T").ravel()


@lru_cache(16)
def _slopes(spans: int) -> Floats:
    """Return the first derivatives (2, k, count²) along u and v of all splines of a patch, at places over it, and on its
    edges where it is looked how patches meet.
    """
    space, count = PatchSpace(spans), PLACES * PatchSpace(spans).count
    inner = (np.arange(count) + 0.5) / count
    around, ends = np.concatenate(([0.0], LOOKED_AT, [1.0])), np.array([0.0, 1.0])
    found = []
    for u, v in ((inner, inner), (around, ends), (ends, LOOKED_AT)):
        along, slopes = ([space.matrix(shares, order) for shares in (u, v)] for order in (0, 1))
        pairs = ((slopes[0], along[1]), (along[0], slopes[1]))
        found.append(np.stack([np.einsum("xi,yj->xyij", a, b).reshape(len(u) * len(v), -1) for a, b in pairs]))
    return np.concatenate(found, axis=1)


def _sizes(ways: Floats) -> Floats:
    """Return the lengths (n,) of flat vectors (n, 2)."""
    return np.asarray(np.hypot(ways[:, 0], ways[:, 1]))
