"""A net of curves as a graph: where they meet, the stretches in between, the normals at the meetings, and the regions."""

from __future__ import annotations

from collections import Counter, deque
from dataclasses import dataclass, replace
from itertools import combinations, pairwise

import numpy as np
from scipy.spatial import cKDTree

from glass_spoon.kernel.arrays import Floats, cross, directions, lengths
from glass_spoon.kernel.curves.alter.edit_knots import trim_curve
from glass_spoon.kernel.curves.evaluate.closest_on_curve import closest_params
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_derivatives, curve_points, find_kinks, tangent_sides
from glass_spoon.kernel.curves.read.cross_curves import find_crossings, self_crossings
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.groups import joined_groups
from glass_spoon.kernel.patches.region import with_moved_ends

KINK = np.radians(1.0)
PARALLEL = 0.02
"""Sine of the angle up to which curves at a meeting span no plane."""
ALIKE = 1e-3
"""Radians within which stretches leave a meeting in one direction."""
OUTSIDE = 0.3
"""Radians that a way round a region turns at least: the way round the outside turns back."""
TWISTED = 0.3
"""How much an even turn of the normals weighs beside the bends of the curves."""
MOST_CURVES, MOST_CROSSINGS = 400, 40
"""Most curves of a net, and most places at which two of them meet."""
BESIDE = 1e-6
"""Share of a curve's parameters within which a meeting lies at a knot."""
PLACES = 65
"""Places of a stretch at which its normals are told."""


@dataclass(frozen=True, eq=False)
class Stretch:
    """A piece of a curve between two meetings, by its parameters; number: of the curve."""

    number: int
    curve: NurbsCurve
    start: int
    end: int

    @property
    def ways(self) -> Floats:
        """The unit directions (2, 3) in which it leaves its start, and its end backwards."""
        low, high = self.curve.domain
        first = tangent_sides(self.curve, np.array([low]))[1][0]
        last = tangent_sides(self.curve, np.array([high]))[0][0]
        return np.stack((first, -last))

    def places(self) -> tuple[Floats, Floats]:
        """Return parameters (PLACES,) and points (PLACES, 3) along it."""
        params = np.linspace(*self.curve.domain, PLACES)
        return params, curve_points(self.curve, params)


@dataclass(frozen=True, eq=False)
class NetGraph:
    """Meetings (n, 3) in mm, the stretches between them, unit normals (n, 3) there, and the regions.

    regions: each a way round as (stretch, whether it is run from its end). gap: the largest distance brought together.
    loose: places (k, 3) where a stretch ends without meeting anything. bends: second fundamental forms (n, 3, 3) in 1/mm at
    the meetings, as the stretches through them bend.
    """

    meetings: Floats
    stretches: tuple[Stretch, ...]
    normals: Floats
    regions: tuple[tuple[tuple[int, bool], ...], ...]
    gap: float
    loose: Floats
    bends: Floats | None = None


def read_net(curves: list[NurbsCurve], tolerance: float) -> NetGraph:
    """Return the graph of curves that meet within `tolerance` mm, in any order and way.

    Regions are found by turning at each meeting to the next stretch about the normal there. Raises KernelError where the
    curves close no region.
    """
    meetings, params, gap = _meet(curves, tolerance)
    stretches, loose = _without_loose(_stretches(curves, meetings, params))
    if not stretches:
        raise KernelError(
            f"The curves close no region: they meet at {len(meetings)} places within {tolerance:.3g} mm, and none comes "
            "back. Bring their ends together, or allow more."
        )
    normals = _normals(meetings, stretches)
    regions = _regions(stretches, normals)
    if not regions:
        raise KernelError("The curves close no region. Check that they cross or meet at their ends.")
    places = meetings[loose] if loose else np.zeros((0, 3))
    return _with_bends(NetGraph(meetings, tuple(stretches), normals, regions, gap, places))


def _meet(curves: list[NurbsCurve], tolerance: float) -> tuple[Floats, list[list[tuple[float, int]]], float]:
    """Return the meetings (n, 3), for each curve the parameters and numbers of its own in order, and the largest gap."""
    if len(curves) > MOST_CURVES:
        raise KernelError(f"{len(curves):,} curves are too many for one net; up to {MOST_CURVES:,} are taken.")
    found: list[tuple[int, float]] = []
    for number, curve in enumerate(curves):
        inner = find_kinks(curve, KINK).tolist()
        found += [(number, float(param)) for param in (*curve.domain, *inner)]
        for pair in zip(*self_crossings(curve, tolerance), strict=True):
            found += [(number, float(param)) for param in pair]
    boxes = [
        (curve.control_points.min(axis=0) - tolerance, curve.control_points.max(axis=0) + tolerance) for curve in curves
    ]
    for a, b in combinations(range(len(curves)), 2):
        if (boxes[a][0] > boxes[b][1]).any() or (boxes[b][0] > boxes[a][1]).any():
            continue
        crossings = find_crossings(curves[a], curves[b], tolerance)
        if len(crossings[0]) > MOST_CROSSINGS:
            raise KernelError(
                f"Curves {a + 1} and {b + 1} of the net lie on one another, or meet at {len(crossings[0]):,} places within "
                f"{tolerance:.3g} mm. Leave one of them out, or allow less."
            )
        for s, t in zip(*crossings, strict=True):
            found += [(a, float(s)), (b, float(t))]
        for one, other in ((a, b), (b, a)):
            ends = curve_points(curves[one], np.array(curves[one].domain))
            at, away = closest_params(curves[other], ends)
            found += [(other, float(param)) for param, off in zip(at, away, strict=True) if off <= tolerance]
    places = np.array([curve_points(curves[number], np.array([param]))[0] for number, param in found])
    pairs = cKDTree(places).query_pairs(tolerance, output_type="ndarray")
    group = joined_groups(pairs[:, 0], pairs[:, 1], len(found))
    count = int(group.max()) + 1
    meetings = np.stack([np.bincount(group, column, count) for column in places.T], axis=1) / np.bincount(group)[:, None]
    gap = 2 * float(lengths(places - meetings[group]).max())
    own: list[list[tuple[float, int]]] = [[] for _ in curves]
    for (number, param), node in zip(found, group.tolist(), strict=True):
        own[number].append((param, node))
    return meetings, [_distinct(sorted(row), curve) for row, curve in zip(own, curves, strict=True)], gap


def _distinct(row: list[tuple[float, int]], curve: NurbsCurve) -> list[tuple[float, int]]:
    """Return the meetings along a curve, one for those beside each other; its ends stay."""
    low, high = curve.domain
    kept: list[tuple[float, int]] = []
    for found, node in row:
        # Right beside a knot the knot itself: a span of nothing has no direction that could be told.
        near = float(curve.breaks[int(np.abs(curve.breaks - found).argmin())])
        param = near if abs(near - found) < BESIDE * (high - low) else found
        if kept and kept[-1][1] == node and abs(param - kept[-1][0]) < 0.25 * (high - low):
            kept[-1] = (kept[-1][0] if kept[-1][0] == low else param, node)
        else:
            kept.append((param, node))
    return kept


def _stretches(curves: list[NurbsCurve], meetings: Floats, params: list[list[tuple[float, int]]]) -> list[Stretch]:
    """Return the pieces between the meetings along each curve, their ends drawn onto the meetings."""
    result = []
    for number, (curve, row) in enumerate(zip(curves, params, strict=True)):
        for (start, a), (end, b) in pairwise(row):
            piece = trim_curve(curve, start, end)
            if a == b and float(lengths(np.ptp(piece.control_points, axis=0))) < 1e-9:
                continue
            moves = meetings[a] - piece.control_points[0], meetings[b] - piece.control_points[-1]
            result.append(Stretch(number, with_moved_ends(piece, *moves), a, b))
    return result


def _without_loose(stretches: list[Stretch]) -> tuple[list[Stretch], list[int]]:
    """Return the stretches that lead on at both ends, and the meetings at which others ended."""
    kept, loose = list(stretches), list[int]()
    while True:
        ends = Counter(node for one in kept for node in (one.start, one.end))
        alone = {node for node, times in ends.items() if times == 1}
        if not alone:
            return kept, loose
        loose += sorted(alone)
        kept = [one for one in kept if one.start not in alone and one.end not in alone]


def _normals(meetings: Floats, stretches: list[Stretch]) -> Floats:
    """Return unit normals (n, 3) at the meetings, all to one side: of the plane that the stretches there span."""
    ways: list[list[Floats]] = [[] for _ in meetings]
    for one in stretches:
        for node, way in zip((one.start, one.end), one.ways, strict=True):
            ways[node].append(way)
    normals = np.full((len(meetings), 3), np.nan)
    for node, own in enumerate(ways):
        if len(own) > 1:
            _, spread, axes = np.linalg.svd(np.array(own))
            if len(spread) > 1 and spread[1] > PARALLEL:
                normals[node] = axes[2]
    around: list[list[tuple[int, Stretch, bool]]] = [[] for _ in meetings]
    for one in stretches:
        around[one.start].append((one.end, one, False))
        around[one.end].append((one.start, one, True))
    _face_alike(normals, around)
    return normals


def _face_alike(normals: Floats, around: list[list[tuple[int, Stretch, bool]]]) -> None:
    """Turn normals to one side, from meeting to meeting; those not known yet are carried along the stretches."""
    known = np.isfinite(normals[:, 0])
    seen: set[int] = set()
    for seed in [*np.flatnonzero(known).tolist(), *range(len(normals))]:
        if seed in seen or not around[seed]:
            continue
        if not np.isfinite(normals[seed]).all():
            normals[seed] = _some_normal(around[seed][0])
        if (
            seed == next(iter(np.flatnonzero(known).tolist()), seed)
            and normals[seed][int(np.abs(normals[seed]).argmax())] < 0
        ):
            normals[seed] = -normals[seed]
        seen.add(seed)
        queue = deque([seed])
        while queue:
            node = queue.popleft()
            for other, one, backwards in around[node]:
                if other in seen:
                    continue
                carried = _carried(normals[node], one, backwards=backwards)
                if np.isfinite(normals[other]).all():
                    normals[other] = normals[other] if normals[other] @ carried >= 0 else -normals[other]
                else:
                    normals[other] = carried
                seen.add(other)
                queue.append(other)


def _some_normal(around: tuple[int, Stretch, bool]) -> Floats:
    """Return a normal square to a stretch where it leaves: that of the plane nearest to it, if it is not straight."""
    way = around[1].ways[1 if around[2] else 0]
    points = around[1].places()[1]
    middle = points - points.mean(axis=0)
    _, spread, axes = np.linalg.svd(middle, full_matrices=False)
    axis = axes[2] if spread[1] > PARALLEL * spread[0] else np.eye(3)[int(np.abs(way).argmin())]
    square = axis - (axis @ way) * way
    length = float(np.linalg.norm(square))
    return (
        np.asarray(square / length) if length > PARALLEL else directions(np.cross(way, np.eye(3)[int(np.abs(way).argmin())]))
    )


def _carried(normal: Floats, one: Stretch, *, backwards: bool) -> Floats:
    """Return a normal carried along a stretch, square to it all the way."""
    points = one.places()[1]
    steps = directions(np.diff(points[::-1] if backwards else points, axis=0))
    for step in steps:
        square = normal - (normal @ step) * step
        length = float(np.linalg.norm(square))
        normal = square / length if length > 1e-9 else normal
    return normal


def stretch_normals(graph: NetGraph, number: int) -> tuple[Floats, Floats]:
    """Return parameters (PLACES,) of a stretch and unit normals (PLACES, 3) that lead from one end's to the other's.

    They turn about the stretch against a frame that twists least (Bishop 1975), evenly, or where the bends at its ends are
    known so that their changes there are symmetric: only then do patches on both sides of both curves meet without a crease.
    """
    frame, angle, length = _turn(graph, number)
    first, last = angle / length, angle / length
    one = graph.stretches[number]
    if graph.bends is not None:
        first, last = (
            _twist(graph.bends[node], frame.along[k], graph.normals[node]) for k, node in ((0, one.start), (-1, one.end))
        )
    t = frame.totals / length
    turned = length * first * t * (1 - t) ** 2 + angle * t * t * (3 - 2 * t) + length * last * t * t * (t - 1)
    side = cross(frame.along, frame.normals)
    return frame.params, directions(np.cos(turned)[:, None] * frame.normals + np.sin(turned)[:, None] * side)


@dataclass(frozen=True, eq=False)
class _Frame:
    """A frame along a stretch that twists least: parameters, lengths so far, unit directions and normals there."""

    params: Floats
    totals: Floats
    along: Floats
    normals: Floats


def _turn(graph: NetGraph, number: int) -> tuple[_Frame, float, float]:
    """Return the frame of a stretch from its first normal, by how much the last one is turned from it, and the length."""
    one = graph.stretches[number]
    params, points = one.places()
    along = directions(np.gradient(points, axis=0))
    along[0], along[-1] = one.ways[0], -one.ways[1]
    totals = np.concatenate(([0.0], np.cumsum(lengths(np.diff(points, axis=0)))))
    normals = [_square(graph.normals[one.start], along[0])]
    for k in range(1, len(points)):  # double reflection (Wang and others 2008)
        chord = points[k] - points[k - 1]
        scale = chord @ chord
        normal = normals[-1] - 2 / scale * (chord @ normals[-1]) * chord
        way = along[k - 1] - 2 / scale * (chord @ along[k - 1]) * chord
        mirror = along[k] - way
        size = mirror @ mirror
        normals.append(_square(normal - (2 / size * (mirror @ normal) * mirror if size > 1e-24 else 0.0), along[k]))
    last = _square(graph.normals[one.end], along[-1])
    angle = np.arctan2(last @ np.cross(along[-1], normals[-1]), last @ normals[-1])
    return _Frame(params, totals, along, np.array(normals)), float(angle), float(totals[-1])


def _twist(bend: Floats, along: Floats, normal: Floats) -> float:
    """Return how fast the normal turns about a direction (rad/mm) on a surface of a second fundamental form (3, 3)."""
    return float(-along @ bend @ np.cross(along, normal))


def _with_bends(graph: NetGraph) -> NetGraph:
    """Return the graph with the second fundamental form (3, 3) at each meeting: it has the bends of all stretches there, and
    turns nearest to evenly along them.
    """
    rows: list[list[Floats]] = [[] for _ in graph.meetings]
    values: list[list[float]] = [[] for _ in graph.meetings]
    for number, one in enumerate(graph.stretches):
        frame, angle, length = _turn(graph, number)
        for k, node in ((0, one.start), (-1, one.end)):
            first, second, normal = frame.along[k], np.cross(frame.along[k], graph.normals[node]), graph.normals[node]
            values[node] += [_bend(one.curve, k) @ normal, TWISTED * -angle / length]
            rows[node] += [np.outer(first, first), TWISTED * (np.outer(first, second) + np.outer(second, first)) / 2]
    bends = np.zeros((len(graph.meetings), 3, 3))
    for node, (own, wanted) in enumerate(zip(rows, values, strict=True)):
        if not own or not np.isfinite(graph.normals[node]).all():
            continue
        axis = np.eye(3)[int(np.abs(graph.normals[node]).argmin())]
        right = directions(np.cross(axis, graph.normals[node]))
        up = np.cross(graph.normals[node], right)
        basis = [np.outer(right, right), np.outer(up, up), np.outer(right, up) + np.outer(up, right)]
        matrix = np.array([[float((row * one).sum()) for one in basis] for row in own])
        found = np.linalg.lstsq(matrix, np.array(wanted), rcond=None)[0]
        bends[node] = sum(share * one for share, one in zip(found, basis, strict=True))
    return replace(graph, bends=bends)


def _bend(curve: NurbsCurve, end: int) -> Floats:
    """Return the curvature vector (3,) in 1/mm of a curve at an end."""
    low, high = curve.domain
    param = np.array([low if end == 0 else high])
    _, first, second = curve_derivatives(curve, param, 2)[:, 0]
    speed = first @ first
    return np.asarray((second - (second @ first) / speed * first) / speed) if speed > 0 else np.zeros(3)


def _square(normal: Floats, along: Floats) -> Floats:
    """Return a normal made square to a direction."""
    square = normal - (normal @ along) * along
    length = float(np.linalg.norm(square))
    return np.asarray(square / length if length > 1e-9 else normal)


def _regions(stretches: list[Stretch], normals: Floats) -> tuple[tuple[tuple[int, bool], ...], ...]:
    """Return the ways round all regions, counter-clockwise seen against the normals."""
    leaving: list[list[tuple[float, float, int, bool]]] = [[] for _ in normals]
    for number, one in enumerate(stretches):
        for backwards, node in ((False, one.start), (True, one.end)):
            way, normal = one.ways[int(backwards)], normals[node]
            bend = float(_bend(one.curve, -1 if backwards else 0) @ np.cross(normal, way))
            leaving[node].append((_angle(normal, way), bend, number, backwards))
    rows = [_round_about(row) for row in leaving]
    order = [[(number, backwards) for _, _, number, backwards in row] for row in rows]
    angles = {(number, backwards): angle for row in rows for angle, _, number, backwards in row}
    turns = [_geodesic(one, normals) for one in stretches]
    seen: set[tuple[int, bool]] = set()
    regions = []
    for half in sorted(angles):
        if half in seen:
            continue
        way, turned = _round(half, stretches, order, angles, turns)
        seen |= set(way)
        if turned > OUTSIDE:
            regions.append(tuple(way))
    return tuple(regions)


def _round(
    half: tuple[int, bool],
    stretches: list[Stretch],
    order: list[list[tuple[int, bool]]],
    angles: dict[tuple[int, bool], float],
    turns: list[float],
) -> tuple[list[tuple[int, bool]], float]:
    """Return the way round to the left of a stretch, and by how much it turns left on the whole."""
    way, turned, now = [], 0.0, half
    while True:
        way.append(now)
        number, backwards = now
        turned += -turns[number] if backwards else turns[number]
        node = stretches[number].start if backwards else stretches[number].end
        back = (number, not backwards)
        row = order[node]
        at = row.index(back)
        following = row[at - 1]
        turned += np.pi - (angles[back] - angles[following] + (0 if at else 2 * np.pi))
        now = following
        if now == half:
            return way, float(turned)


def _round_about(row: list[tuple[float, float, int, bool]]) -> list[tuple[float, float, int, bool]]:
    """Return what leaves a meeting (angle, bend to the left, stretch, backwards) in its order about the normal.

    The angles rise from the widest gap on; where stretches leave in one direction, the one that bends more to the left lies
    more to the left.
    """
    if not row:
        return []
    ranked = sorted(row)
    angles = np.array([one[0] for one in ranked])
    gaps = np.diff(angles, append=angles[0] + 2 * np.pi)
    first = int(gaps.argmax() + 1) % len(ranked)
    turned = [(angle + 2 * np.pi * (k < first), *rest) for k, (angle, *rest) in enumerate(ranked)]
    turned = turned[first:] + turned[:first]
    groups = np.concatenate(([0], np.cumsum(np.diff([one[0] for one in turned]) > ALIKE)))
    return [one for _, one in sorted(zip(groups.tolist(), turned, strict=True), key=lambda pair: (pair[0], pair[1][1]))]  # type: ignore[misc]


def _angle(normal: Floats, way: Floats) -> float:
    """Return the angle of a direction about a normal, from some direction that the normal alone decides."""
    right = directions(np.cross(np.eye(3)[int(np.abs(normal).argmin())], normal))
    return float(np.arctan2(np.cross(normal, right) @ way, right @ way))


def _geodesic(one: Stretch, normals: Floats) -> float:
    """Return by how much a stretch turns left on the surface, between its ends (the integral of its geodesic curvature)."""
    graph = NetGraph(np.zeros((0, 3)), (one,), normals, (), 0.0, np.zeros((0, 3)))
    points = one.places()[1]
    along = directions(np.diff(points, axis=0))
    square = stretch_normals(graph, 0)[1][1:-1]
    return float((np.diff(along, axis=0) * cross(square, (along[1:] + along[:-1]) / 2)).sum())
