"""A net of curves as a graph: where they meet, the stretches in between, the normals at the meetings, and the regions."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats, cross, directions, lengths
from glass_spoon.kernel.curves.alter.edit_knots import cut_curve
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.curve_bundle import CurveBundle
from glass_spoon.kernel.curves.evaluate.evaluate_curve import find_kinks
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.groups import joined_groups
from glass_spoon.kernel.patches.meetings import curve_meetings, own_crossings
from glass_spoon.kernel.patches.net_normals import (
    Frames,
    carry_frames,
    end_turns,
    meeting_bends,
    meeting_normals,
    turned_normals,
)
from glass_spoon.kernel.patches.region import with_moved_ends
from glass_spoon.kernel.patches.stretch import Stretch, make_stretches

KINK = np.radians(1.0)
ALIKE = 1e-3
"""Radians within which stretches leave a meeting in one direction."""
OUTSIDE = 0.3
"""Radians that a way round a region turns at least: the way round the outside turns back."""
MOST_CURVES, MOST_CROSSINGS = 400, 40
"""Most curves of a net, and most places at which two of them meet."""
BESIDE = 1e-6
"""Share of a curve's parameters within which a meeting lies at a knot."""


@dataclass(frozen=True, eq=False)
class NetGraph:
    """Meetings (n, 3) in mm, the stretches between them, unit normals (n, 3) there, and the regions.

    regions: each a way round as (stretch, whether it is run from its end). gap: the largest distance brought together.
    loose: places (k, 3) where a stretch ends without meeting anything. along: unit normals (stretches, PLACES, 3).
    """

    meetings: Floats
    stretches: tuple[Stretch, ...]
    normals: Floats
    regions: tuple[tuple[tuple[int, bool], ...], ...]
    gap: float
    loose: Floats
    along: Floats


def read_net(curves: list[NurbsCurve], tolerance: float) -> NetGraph:
    """Return the graph of curves that meet within `tolerance` mm, in any order and way.

    Regions are found by turning at each meeting to the next stretch about the normal there. Raises KernelError where the
    curves close no region.
    """
    meetings, params, gap = meet_curves(curves, tolerance)
    stretches, loose = without_loose(stretches_between(curves, meetings, params))
    if not stretches:
        raise KernelError(
            f"The curves close no region: they meet at {len(meetings)} places within {tolerance:.3g} mm, and none comes "
            "back. Bring their ends together, or allow more."
        )
    normals = meeting_normals(meetings, stretches)
    frames = carry_frames(stretches, normals)
    regions = _regions(stretches, normals, frames)
    if not regions:
        raise KernelError("The curves close no region. Check that they cross or meet at their ends.")
    places = meetings[loose] if loose else np.zeros((0, 3))
    turns = end_turns(stretches, frames, normals, meeting_bends(stretches, frames, normals))
    return NetGraph(meetings, tuple(stretches), normals, regions, gap, places, turned_normals(frames, *turns))


def meet_curves(curves: list[NurbsCurve], tolerance: float) -> tuple[Floats, list[list[tuple[float, int]]], float]:
    """Return the meetings (n, 3), for each curve the parameters and numbers of its own in order, and the largest gap."""
    if len(curves) > MOST_CURVES:
        raise KernelError(f"{len(curves):,} curves are too many for one net; up to {MOST_CURVES:,} are taken.")
    found: list[tuple[int, float]] = []
    for number, curve in enumerate(curves):
        inner = find_kinks(curve, KINK).tolist()
        found += [(number, float(param)) for param in (*curve.domain, *inner)]
        found += [(number, param) for param in own_crossings(curve, tolerance)]
    for (a, b), (crossings, ends) in curve_meetings(curves, tolerance).items():
        if len(crossings) > MOST_CROSSINGS:
            raise KernelError(
                f"Curves {a + 1} and {b + 1} of the net lie on one another, or meet at {len(crossings):,} places within "
                f"{tolerance:.3g} mm. Leave one of them out, or allow less."
            )
        for s, t in crossings:
            found += [(a, s), (b, t)]
        for number, there in zip((b, a), ends, strict=True):
            found += [(number, param) for param in there]
    places = _places(curves, found)
    pairs = scipy.spatial.cKDTree(places).query_pairs(tolerance, output_type="ndarray")
    group = joined_groups(pairs[:, 0], pairs[:, 1], len(found))
    count = int(group.max()) + 1
    meetings = np.stack([np.bincount(group, column, count) for column in places.T], axis=1) / np.bincount(group)[:, None]
    gap = 2 * float(lengths(places - meetings[group]).max())
    own: list[list[tuple[float, int]]] = [[] for _ in curves]
    for (number, param), node in zip(found, group.tolist(), strict=True):
        own[number].append((param, node))
    return meetings, [_distinct(sorted(row), curve) for row, curve in zip(own, curves, strict=True)], gap


def _places(curves: list[NurbsCurve], found: list[tuple[int, float]]) -> Floats:
    """Return the points (n, 3) at parameters of curves by number."""
    numbers, params = np.array([number for number, _ in found]), np.array([param for _, param in found])
    return CurveBundle(curves).points(numbers, params)


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


def stretches_between(curves: list[NurbsCurve], meetings: Floats, params: list[list[tuple[float, int]]]) -> list[Stretch]:
    """Return the pieces between the meetings along each curve, their ends drawn onto the meetings."""
    result = []
    for number, (curve, row) in enumerate(zip(curves, params, strict=True)):
        pieces = cut_curve(curve, [param for param, _ in row[1:-1]])
        for piece, ((_, a), (_, b)) in zip(pieces, pairwise(row), strict=True):
            if a == b and float(lengths(np.ptp(piece.control_points, axis=0))) < 1e-9:
                continue
            moves = meetings[a] - piece.control_points[0], meetings[b] - piece.control_points[-1]
            result.append((number, with_moved_ends(piece, *moves), a, b))
    return make_stretches(result)


def without_loose(stretches: list[Stretch]) -> tuple[list[Stretch], list[int]]:
    """Return the stretches that lead on at both ends, and the meetings at which others ended."""
    kept, loose = list(stretches), list[int]()
    while True:
        ends = Counter(node for one in kept for node in (one.start, one.end))
        alone = {node for node, times in ends.items() if times == 1}
        if not alone:
            return kept, loose
        loose += sorted(alone)
        kept = [one for one in kept if one.start not in alone and one.end not in alone]


def _regions(stretches: list[Stretch], normals: Floats, frames: Frames) -> tuple[tuple[tuple[int, bool], ...], ...]:
    """Return the ways round all regions, counter-clockwise seen against the normals."""
    leaving: list[list[tuple[float, float, int, bool]]] = [[] for _ in normals]
    nodes = np.array([[one.start, one.end] for one in stretches])
    ways, bends = (np.array([getattr(one, name) for one in stretches]) for name in ("ways", "bends"))
    angles = _angles(normals[nodes], ways)
    lefts = np.einsum("nki,nki->nk", bends, cross(normals[nodes], ways))
    for number, (pair, both, left) in enumerate(zip(nodes.tolist(), angles.tolist(), lefts.tolist(), strict=True)):
        for backwards, (node, angle, bend) in enumerate(zip(pair, both, left, strict=True)):
            leaving[node].append((angle, bend, number, bool(backwards)))
    rows = [_round_about(row) for row in leaving]
    order = [[(number, backwards) for _, _, number, backwards in row] for row in rows]
    about = {(number, backwards): angle for row in rows for angle, _, number, backwards in row}
    turns = _geodesics(stretches, frames).tolist()
    seen: set[tuple[int, bool]] = set()
    regions = []
    for half in sorted(about):
        if half in seen:
            continue
        way, turned = _round(half, stretches, order, about, turns)
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


def _angles(normals: Floats, ways: Floats) -> Floats:
    """Return the angles (...) of directions (..., 3) about normals, from some direction that the normal alone decides."""
    right = directions(cross(np.eye(3)[np.abs(normals).argmin(axis=-1)], normals))
    up = cross(normals, right)
    return np.asarray(np.arctan2((up * ways).sum(axis=-1), (right * ways).sum(axis=-1)))


def _geodesics(stretches: list[Stretch], frames: Frames) -> Floats:
    """Return by how much stretches turn left on the surface, between their ends (the integral of geodesic curvature)."""
    even = frames.angles / frames.lengths
    square = turned_normals(frames, even, even)[:, 1:-1]
    along = directions(np.diff(np.array([one.places[1] for one in stretches]), axis=1))
    left = cross(square, (along[:, 1:] + along[:, :-1]) / 2)
    return np.asarray(np.einsum("nki,nki->n", np.diff(along, axis=1), left))
