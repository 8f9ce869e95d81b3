"""How many edges run along a seam, so that the skins on both sides of it can be joined to it by quads alone.

Creases of the two skins cut the seam into parts. Between two cuts of one skin the edges of its border and of the seam differ
by an even number, or quads could not lie between them: the parts' counts are solved for that, nearest to what the lengths
ask for.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.imprint.kept_side import Border
from glass_spoon.kernel.imprint.seam_line import SeamLine

MOST_PARTS = 16
"""Parts of a seam whose counts are solved together."""

LEAST, FEWEST = 16, 24
"""Edges round a seam without creases, at least; and round one that all beside it is filled from."""

SAME = 1e-6
"""Places on a seam nearer to each other than this share of it are one."""

ODD = "The seam cannot be made of quads alone: give the body an even count of faces round, or one face more or less."


@dataclass(frozen=True, eq=False)
class Ring:
    """The points on a seam. ways (n,): how far along it, in mm, rising; cuts: for each border the number of the point that
    each of its cuts ends at.
    """

    ways: Floats
    cuts: list[list[int]]


def ring_for(line: SeamLine, borders: list[Border], edge: float) -> Ring:
    """Return the points on a seam for the borders in front of it; raises KernelError where counts cannot be solved.

    A border that lies on the seam gives its own points. edge: the usual length of an edge there, in mm.
    """
    least = LEAST
    if all(border.is_disc for border in borders):
        least = max(FEWEST, 2 * round(line.length / edge / 2))
    if not line.closed:
        return _open_ring(line, borders)
    fixed = [border for border in borders if border.lies_on]
    if fixed:
        return _as_border(line, borders, fixed[0])
    stops = np.sort(np.array([cut.way for border in borders for cut in border.cuts]))
    if len(stops):
        apart = np.diff(stops, prepend=stops[-1] - line.length)
        stops = stops[apart > 1e-9 * line.length] if (apart > 1e-9 * line.length).any() else stops[:1]
    if not len(stops):
        finest = max(borders, key=lambda border: len(border.points))
        count, start = _plain_count(borders, least), 0.0 if finest.is_disc else start_beside(line, finest)
        return Ring(start + np.arange(count) / count * line.length, [[] for _ in borders])
    parts = np.diff(np.append(stops, stops[0] + line.length))
    at = [[int(np.argmin(_round_apart(stops, cut.way, line.length))) for cut in border.cuts] for border in borders]
    counts = _solved(parts, line.length, borders, at, least)
    first = np.concatenate(([0], np.cumsum(counts)))
    ways = np.concatenate(
        [stop + np.arange(count) / count * part for stop, count, part in zip(stops, counts, parts, strict=True)]
    )
    return Ring(ways, [[int(first[k]) for k in own] for own in at])


def _open_ring(line: SeamLine, borders: list[Border]) -> Ring:
    """Return the points on a seam from rim to rim, as many as its only border has."""
    (border,) = borders
    cuts = border.cuts[::-1] if border.against else border.cuts
    counts = border.counts()[::-1] if border.against else border.counts()
    ways = [
        cut.way + np.arange(count) / count * (after.way - cut.way)
        for (cut, after), count in zip(pairwise(cuts), counts, strict=True)
    ]
    at = np.concatenate(([0], np.cumsum(counts))).tolist()
    return Ring(np.concatenate((*ways, [cuts[-1].way])), [at[::-1] if border.against else at])


def _round_apart(stops: Floats, way: float, length: float) -> Floats:
    """Return how far stops (k,) on a closed line are from a place on it."""
    gap = np.abs(stops - way)
    return np.minimum(gap, length - gap)


def _plain_count(borders: list[Border], least: int) -> int:
    """Return the count of a ring without cuts: that of the finer border, so that one of them needs no change."""
    counts = [len(border.points) for border in borders]
    if len({count % 2 for count in counts}) > 1:
        raise KernelError(ODD)
    count = max(counts)
    return count if count >= least else least + (least - count) % 2


def start_beside(line: SeamLine, border: Border) -> float:
    """Return how far along a closed seam the first point of a border without cuts belongs, all of them looked at, in mm."""
    even = np.arange(len(border.points)) / len(border.points)
    at = border.ways / line.length
    turned = at + even if border.against else at - even
    return float(np.angle(np.exp(2j * np.pi * turned).mean()) / (2 * np.pi) % 1.0) * line.length


def _as_border(line: SeamLine, borders: list[Border], own: Border) -> Ring:
    """Return the points of a border that lies on the seam, in the order of the seam."""
    ways = np.sort(np.mod(own.ways, line.length))
    cuts = []
    for border in borders:
        if border.lies_on and not _alike(np.sort(np.mod(border.ways, line.length)), ways, line.length):
            raise KernelError(
                "The bodies meet along edges of both, and their points differ. Give both the same counts there."
            )
        at = [int(np.argmin(_round_apart(ways, cut.way, line.length))) for cut in border.cuts]
        if any(
            _round_apart(ways[k : k + 1], cut.way, line.length)[0] > SAME * line.length
            for k, cut in zip(at, border.cuts, strict=True)
        ):
            raise KernelError("The bodies meet along edges that end beside a crease of the other. Move one a little.")
        for rule, odd in _rules(border, at, len(ways)) if not border.lies_on else []:
            if len(rule) % 2 != odd:
                raise KernelError(ODD)
        cuts.append(at)
    return Ring(ways, cuts)


def _alike(first: Floats, second: Floats, length: float) -> bool:
    """Return whether two rows of places on a closed line are the same."""
    return len(first) == len(second) and all(
        _round_apart(second, way, length).min() <= SAME * length for way in first.tolist()
    )


def _solved(parts: Floats, length: float, borders: list[Border], at: list[list[int]], least: int) -> Ints:
    """Return the counts (k,) of edges on the parts of a seam."""
    if len(parts) > MOST_PARTS:
        raise KernelError("The seam crosses too many creases of the bodies. Cut it into several, or smooth them first.")
    total = max(least, *(sum(border.counts()) for border in borders))
    wanted = np.maximum(parts / length * total, 1.0)
    if len(borders) == 1:
        return np.array(_along(borders[0], at[0], len(parts)))
    rules = [rule for border, own in zip(borders, at, strict=True) for rule in _rules(border, own, len(parts))]
    low = np.maximum(np.floor(wanted), 1).astype(np.int64)
    tries = low + (np.arange(2 ** len(parts))[:, None] >> np.arange(len(parts)) & 1)
    good = np.ones(len(tries), dtype=bool)
    for members, odd in rules:
        good &= tries[:, members].sum(axis=1) % 2 == odd
    if not good.any():
        raise KernelError(ODD)
    cost = ((tries - wanted) ** 2 / wanted).sum(axis=1)
    return tries[good][np.argmin(cost[good])]


def _along(border: Border, at: list[int], parts: int) -> list[int]:
    """Return the counts of the border itself for each part of a seam that it alone is in front of."""
    counts = border.counts()
    result = [1] * parts
    for k, start in enumerate(at):
        part = at[(k + 1) % len(at)] if border.against else start
        result[part] = counts[k]
    return result


def _rules(border: Border, at: list[int], parts: int) -> list[tuple[list[int], int]]:
    """Return which parts each stretch of a border between its cuts faces, and whether their counts add up to an odd one."""
    counts = border.counts()
    if not at:
        return [(list(range(parts)), counts[0] % 2)]
    result = []
    for k, start in enumerate(at):
        stop = at[(k + 1) % len(at)]
        if border.against:
            start, stop = stop, start
        span = (stop - start) % parts or parts
        result.append(([(start + step) % parts for step in range(span)], counts[k] % 2))
    return result
