"""Curves of two ways that all cross each other: which is of which way, in what order, and where they cross."""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass
from itertools import product

import numpy as np

from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.curves.alter.edit_knots import reverse_curve
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.patches.meetings import curve_meetings

NET = "Fill them with Net, which takes any order of crossings."
MOST_CURVES = 200
"""Most curves of a grid."""


@dataclass(frozen=True, eq=False)
class Family:
    """Curves of one way in their order. params: (curves, crossings) where each crosses those of the other way, rising.

    ring: whether they come back to their start; the last crossing is then the first one again, one period later.
    """

    curves: tuple[NurbsCurve, ...]
    params: Floats
    ring: bool

    def places(self, params: Floats) -> Floats:
        """Return the points (curves, k, 3) in mm at a row of parameters (k,) for each curve; those of rings may run on."""
        rows = []
        for curve, own in zip(self.curves, params, strict=True):
            low, high = curve.domain
            rows.append(curve_points(curve, low + np.mod(own - low, high - low) if self.ring else own))
        return np.array(rows)


@dataclass(frozen=True, eq=False)
class CurveGrid:
    """Two families that cross; places: (first, second, 3) mm, midway between both; gap: the largest miss in mm."""

    first: Family
    second: Family
    places: Floats
    gap: float


def read_grid(curves: list[NurbsCurve], tolerance: float) -> CurveGrid:
    """Return curves in any order and way as two families; crossings may miss by `tolerance` mm.

    Raises KernelError, with the numbers of the curves, where they do not all cross each other just once in one order.
    """
    if len(curves) > MOST_CURVES:
        raise KernelError(f"{len(curves):,} curves are too many for one surface; up to {MOST_CURVES:,} are taken.")
    if len(curves) < 4:
        raise KernelError(f"Two curves each way are needed at least, but there are {len(curves)} in all. Name more of them.")
    table = _crossing_table(curves, tolerance)
    closed = [curve.is_closed(tolerance) for curve in curves]
    first, second = _two_ways(table, closed)
    for a, b in product(first, second):
        if (a, b) not in table:
            raise KernelError(
                f"Curves {a + 1} and {b + 1} run across each other but do not meet within {tolerance:.3g} mm. Bring them "
                "together, allow more, or fill them with Net."
            )
    params = np.array([[table[a, b][0] for b in second] for a in first])
    others = np.array([[table[a, b][1] for a in first] for b in second])
    rings = closed[first[0]], closed[second[0]]
    if min(len(first), len(second)) < 2 or (all(rings) and min(len(first), len(second)) < 3):
        raise KernelError(f"{len(first)} curves one way and {len(second)} the other are too few. Name more of them.")
    along, across = np.argsort(params[0]).tolist(), np.argsort(others[0]).tolist()
    one = _family(curves, first, params, across, along, ring=rings[0])
    other = _family(curves, second, others, along, across, ring=rings[1])
    here, there = one.places(one.params), other.places(other.params).swapaxes(0, 1)
    if one.ring:
        there = np.concatenate((there, there[:, :1]), axis=1)
    if other.ring:
        here = np.concatenate((here, here[:1]), axis=0)
    return CurveGrid(one, other, (here + there) / 2, float(lengths(here - there).max()))


def _crossing_table(curves: list[NurbsCurve], tolerance: float) -> dict[tuple[int, int], tuple[float, float]]:
    """Return the parameters of two curves where they cross, both ways round; at most one place for a pair."""
    table: dict[tuple[int, int], tuple[float, float]] = {}
    for (a, b), (crossings, (at_first, at_second)) in curve_meetings(curves, tolerance).items():
        one, other = curves[a], curves[b]
        found = list(crossings)
        found += [(end, t) for end, t in zip(_near_ends(one, other, at_first), at_first, strict=True)]
        found += [(s, end) for end, s in zip(_near_ends(other, one, at_second), at_second, strict=True)]
        places = _distinct(one, other, found, tolerance)
        if len(places) > 1:
            raise KernelError(
                f"Curves {a + 1} and {b + 1} meet at {len(places)} places; here each curve crosses another once. "
                f"Split one of them, or allow less. {NET}"
            )
        if places:
            s, t = places[0]
            table[a, b], table[b, a] = (s, t), (t, s)
    return table


def _near_ends(one: NurbsCurve, other: NurbsCurve, params: list[float]) -> list[float]:
    """Return for parameters of another curve the end of the first one that lies there."""
    if not params:
        return []
    ends = curve_points(one, np.array(one.domain))
    places = curve_points(other, np.array(params))
    nearest = lengths(places[:, None] - ends[None]).argmin(axis=1)
    return [one.domain[int(k)] for k in nearest]


def _distinct(
    one: NurbsCurve, other: NurbsCurve, found: list[tuple[float, float]], tolerance: float
) -> list[tuple[float, float]]:
    """Return one pair of parameters for each place; those nearest to ends stand for the others beside them."""
    kept: list[tuple[float, float]] = []
    places: list[Floats] = []
    ends = [*one.domain], [*other.domain]
    for s, t in sorted(found, key=lambda pair: -((pair[0] in ends[0]) + (pair[1] in ends[1]))):
        place = (curve_points(one, np.array([s]))[0] + curve_points(other, np.array([t]))[0]) / 2
        if all(float(lengths(place - before)) > 4 * tolerance for before in places):
            kept.append((s, t))
            places.append(place)
    return kept


def _two_ways(table: dict[tuple[int, int], tuple[float, float]], closed: list[bool]) -> tuple[list[int], list[int]]:
    """Return the curves of both ways, that of the first one before: those that meet are of different ways."""
    ways = {0: 0}
    queue = deque([0])
    while queue:
        one = queue.popleft()
        for other in (b for a, b in table if a == one):
            if other not in ways:
                ways[other] = 1 - ways[one]
                queue.append(other)
            elif ways[other] == ways[one]:
                raise KernelError(
                    f"Curves {one + 1} and {other + 1} meet, and both cross the same curves: they cannot be told apart into "
                    f"two ways. {NET}"
                )
    alone = next((k for k in range(len(closed)) if k not in ways), None)
    if alone is not None:
        raise KernelError(f"Curve {alone + 1} meets none of the others. Bring it to them, allow more, or leave it out.")
    rows = [k for k in sorted(ways) if ways[k] == 0], [k for k in sorted(ways) if ways[k] == 1]
    for own in rows:
        odd = next((k for k in own if closed[k] != closed[own[0]]), None)
        if odd is not None:
            raise KernelError(f"Curves {own[0] + 1} and {odd + 1} run the same way, but only one of them is closed. {NET}")
    return rows


def _family(
    curves: list[NurbsCurve], own: list[int], params: Floats, order: list[int], crossed: list[int], *, ring: bool
) -> Family:
    """Return curves in their order, each turned so that it crosses the others in theirs."""
    found, rows = [], []
    for k in order:
        curve, row = curves[own[k]], params[k, crossed]
        low, high = curve.domain
        if ring:
            ahead = np.mod(row - row[0], high - low)
            if not (np.diff(ahead) > 0).all():
                curve, row = reverse_curve(curve), low + high - row
                ahead = np.mod(row - row[0], high - low)
            row = np.append(row[0] + ahead, row[0] + high - low)
        elif len(row) > 1 and row[-1] < row[0]:
            curve, row = reverse_curve(curve), low + high - row
        if not (np.diff(row) > 0).all():
            raise KernelError(
                f"Curve {own[k] + 1} crosses the others in another order than curve {own[order[0]] + 1} does. {NET}"
            )
        found.append(curve)
        rows.append(row)
    return Family(tuple(found), np.array(rows), ring)
