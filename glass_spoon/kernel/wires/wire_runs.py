"""Curves that meet, as runs of wire between joints: at bends they run on, where three or more meet there is a joint."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.alter.edit_knots import reverse_curve
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points, curve_tangents, end_tangents
from glass_spoon.kernel.curves.evaluate.pace import Pace, keep_pace
from glass_spoon.kernel.patches.net_graph import meet_curves, stretches_between

FLAT = 0.4
"""How much less wires spread out of a plane than in it, to lie near to it."""
PARALLEL = 0.02
"""Sine of the angle up to which wires at a joint span no plane."""


@dataclass(frozen=True, eq=False)
class WirePiece:
    """A smooth piece of a run."""

    curve: NurbsCurve

    @cached_property
    def pace(self) -> Pace:
        """Its parameters over its length in mm."""
        return keep_pace(self.curve)

    @cached_property
    def ends(self) -> Floats:
        """The unit directions (2, 3) in which it runs at its start and its end."""
        return end_tangents(self.curve)

    def at(self, totals: Floats) -> tuple[Floats, Floats]:
        """Return the points (n, 3) in mm and unit tangents (n, 3) at lengths (n,) in mm."""
        params = self.pace.at(totals)
        return curve_points(self.curve, params), curve_tangents(self.curve, params)


@dataclass(frozen=True, eq=False)
class Run:
    """Pieces from joint to joint, head to tail; start and end: the numbers of the joints, -1 for a loose end.

    A run without any joint that comes back to its start is closed.
    """

    pieces: tuple[WirePiece, ...]
    start: int
    end: int
    is_closed: bool = False

    @property
    def length(self) -> float:
        """Its length in mm."""
        return sum(piece.pace.length for piece in self.pieces)


@dataclass(frozen=True, eq=False)
class WireRuns:
    """Runs, the places (n, 3) in mm of the joints, and the largest distance in mm that was brought together."""

    runs: tuple[Run, ...]
    joints: Floats
    gap: float

    @cached_property
    def ends(self) -> tuple[tuple[tuple[int, bool], ...], ...]:
        """The ends of runs at each joint, as (run, whether it is its end)."""
        found: list[list[tuple[int, bool]]] = [[] for _ in self.joints]
        for number, run in enumerate(self.runs):
            for joint, last in ((run.start, False), (run.end, True)):
                if joint >= 0:
                    found[joint].append((number, last))
        return tuple(tuple(row) for row in found)


def read_runs(curves: Sequence[NurbsCurve], tolerance: float) -> WireRuns:
    """Return the runs of curves that meet within `tolerance` mm, in any order and way. Raises KernelError for too many."""
    meetings, params, gap = meet_curves(list(curves), tolerance)
    stretches = stretches_between(list(curves), meetings, params)
    around: list[list[tuple[int, bool]]] = [[] for _ in meetings]
    for number, one in enumerate(stretches):
        around[one.start].append((number, False))
        around[one.end].append((number, True))
    joints = [node for node, ends in enumerate(around) if len(ends) > 2]
    number_of = {node: number for number, node in enumerate(joints)}
    left, runs = set(range(len(stretches))), []

    def follow(first: int, *, backwards: bool) -> tuple[list[WirePiece], int]:
        """Return the pieces from a stretch on, and the meeting at which they end."""
        pieces, number, turned = [], first, backwards
        while True:
            left.discard(number)
            one = stretches[number]
            pieces.append(WirePiece(reverse_curve(one.curve) if turned else one.curve))
            node = one.start if turned else one.end
            others = [end for end in around[node] if end[0] != number]
            if len(around[node]) != 2 or not others or others[0][0] not in left:
                return pieces, node
            number, turned = others[0]

    starts = [(number, last) for node, ends in enumerate(around) if len(ends) != 2 for number, last in ends]
    for number, last in starts:
        if number in left:
            node = stretches[number].end if last else stretches[number].start
            pieces, end = follow(number, backwards=last)
            runs.append(Run(tuple(pieces), number_of.get(node, -1), number_of.get(end, -1)))
    while left:
        pieces, _ = follow(min(left), backwards=False)
        runs.append(Run(tuple(pieces), -1, -1, is_closed=True))
    return WireRuns(tuple(runs), meetings[joints] if joints else np.zeros((0, 3)), gap)


def ups_at(ways: Floats) -> list[Floats | None]:
    """Return the directions (3,) that are up for each of some wires, which leave a joint by unit ways (k, 3).

    That square to their plane where they lie near to one; else for each the way of the one that is most square to it. None
    where all run along one line.
    """
    _, spread, axes = np.linalg.svd(ways)
    if len(spread) < 2 or spread[1] <= PARALLEL:
        return [None] * len(ways)
    if len(spread) < 3 or spread[2] < FLAT * spread[1]:
        return [axes[2]] * len(ways)
    return [ways[int(np.round(np.abs(ways @ way), 6).argmin())] for way in ways]
