"""Where the rings of a wire stand along a run: even between its bends, mitred at them, carried without twist."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Floats, cross, directions, lengths
from glass_spoon.kernel.curves.evaluate.least_twist import carried
from glass_spoon.kernel.errors import place_text
from glass_spoon.kernel.wires.wire_runs import Run, WirePiece
from glass_spoon.kernel.wires.wire_shape import FULL, TooThick, WireShape

BEND = np.radians(2.0)
"""Where a run turns by more its wire is mitred."""
CLEAR = 0.4
"""Share of its reach that the rings of a wire keep off a mitre."""
SHARPEST = 2.4
"""Radians up to which the room that a mitre takes grows."""
MOST_MITRE = 4.0
"""How much longer a mitre is than the wire is wide, at most."""


@dataclass(frozen=True, eq=False)
class Begin:
    """Where the wire of a run begins: how many mm from its joint along the run, and the unit way (3,) in which it leaves."""

    total: float
    way: Floats


@dataclass(frozen=True, eq=False)
class Rings:
    """Places (n, 3) and unit axes (n, 3) of rings; bends (n, 3): the directions in which mitres are stretched, as long as by
    how much, zero elsewhere.
    """

    places: Floats
    axes: Floats
    bends: Floats

    def stretched(self, offsets: Floats) -> Floats:
        """Return offsets (n, k, 3) of rings as mitres stretch them."""
        size = lengths(self.bends)
        factor = np.divide(size - 1, size**2, out=np.zeros_like(size), where=size > 1)
        along = np.einsum("nki,ni->nk", offsets, self.bends) * factor[:, None]
        return np.asarray(offsets + along[..., None] * self.bends[:, None])


def stand_rings(run: Run, shape: WireShape, first: Begin | None, last: Begin | None) -> Rings:
    """Return where the rings of a run stand that begins and ends at joints, None for loose ends.

    Raises TooThick where joints at both ends meet, or bends.
    """
    low_end, high_end = (first.total if first else 0.0), run.length - (last.total if last else 0.0)
    if high_end - low_end < (1 - FULL) * run.length:
        piece = run.pieces[len(run.pieces) // 2]
        taken = run.length - (high_end - low_end)
        raise TooThick(
            f"At {place_text(_middle(piece))} the joints at both ends of a wire meet: it is {run.length:.3g} mm long, and "
            f"they take {taken:.3g}.",
            FULL * run.length / taken,
            run.length if run.length < 2 * shape.width else 0.0,
        )
    turns = [_turn(a.ends[1], b.ends[0]) for a, b in zip(run.pieces, run.pieces[1:], strict=False)]
    closing = _turn(run.pieces[-1].ends[1], run.pieces[0].ends[0]) if run.is_closed else 0.0
    room, start = [closing, *turns, closing], 0.0
    rows: list[tuple[Floats, Floats, Floats]] = []
    for k, piece in enumerate(run.pieces):
        if k or run.is_closed:
            mitre = _mitre(run.pieces[k - 1].ends[1], piece.ends[0], room[k])
            rows.append((piece.curve.control_points[:1], mitre[0][None], mitre[1][None]))
        begins, ends = bool(k or run.is_closed), bool(k + 1 < len(run.pieces) or run.is_closed)
        clear = [shape.reach * (np.tan(min(turn, SHARPEST) / 2) + CLEAR) if turn > BEND else 0.0 for turn in room[k : k + 2]]
        low, high = max(clear[0], low_end - start), min(piece.pace.length - clear[1], high_end - start)
        if high < low:
            raise TooThick(
                f"At {place_text(_middle(piece))} a wire turns twice within {piece.pace.length:.3g} mm: so thick it runs "
                "into itself.",
                piece.pace.length / max(sum(clear), 1e-12),
            )
        totals = np.linspace(low, high, max(1, round((high - low) / shape.edge)) + 1)
        totals = totals[int(begins and not clear[0]) : len(totals) - int(ends and not clear[1])]
        at, ways = piece.at(totals)
        rows.append((at, ways, np.zeros_like(at)))
        start += piece.pace.length
    places, axes, bends = (np.concatenate(part) for part in zip(*rows, strict=True))
    if first is not None:
        axes[0] = first.way
    if last is not None:
        axes[-1] = -last.way
    return Rings(places, axes, bends)


def carry_ups(rings: Rings, start: Floats | None, end: Floats | None, alike: float, *, is_closed: bool) -> Floats:
    """Return the unit ups (n, 3) of rings: carried without twist from a normal at the start, turned evenly to the end's.

    start, end: None for any. alike: the angle in radians by which a wire may be turned and is the same.
    """
    given = start if start is not None else end
    ups = np.empty_like(rings.places)
    ups[0] = _square_to(rings.axes[0], given if given is not None else _upright(rings.axes[0]))
    for k in range(1, len(ups)):
        ups[k] = _carried(ups[k - 1], rings.places[k] - rings.places[k - 1], rings.axes[k - 1], rings.axes[k])
    axis, turned, wanted = rings.axes[-1], ups[-1], end if start is not None else None
    whole = np.concatenate((rings.places, rings.places[:1])) if is_closed else rings.places
    if is_closed:
        axis, wanted, alike = rings.axes[0], ups[0], 2 * np.pi
        turned = _carried(ups[-1], rings.places[0] - rings.places[-1], rings.axes[-1], axis)
    if wanted is None:
        return ups
    goal = _square_to(axis, wanted)
    angle = float(np.arctan2(np.cross(turned, goal) @ axis, turned @ goal))
    angle -= alike * round(angle / alike)
    totals = np.concatenate(([0.0], np.cumsum(lengths(np.diff(whole, axis=0)))))
    by = (angle * totals / max(totals[-1], 1e-300))[: len(ups), None]
    return np.asarray(np.cos(by) * ups + np.sin(by) * cross(rings.axes, ups))


def _middle(piece: WirePiece) -> Floats:
    """Return the place (3,) half way along a piece."""
    return piece.at(np.array([piece.pace.length / 2]))[0][0]


def _turn(before: Floats, after: Floats) -> float:
    """Return the angle in radians by which a run turns from one direction to another."""
    return float(np.arctan2(np.linalg.norm(np.cross(before, after)), before @ after))


def _mitre(before: Floats, after: Floats, turn: float) -> tuple[Floats, Floats]:
    """Return the axis (3,) of the ring between two directions, and towards where it is stretched, by its length."""
    axis = directions(before + after) if turn < np.pi - 1e-6 else before
    if turn <= BEND:
        return axis, np.zeros(3)
    inwards = after - before
    return axis, directions(inwards) * min(1 / np.cos(turn / 2), MOST_MITRE)


def _square_to(axis: Floats, way: Floats) -> Floats:
    """Return the unit direction (3,) square to a unit axis that is nearest to a way."""
    flat = way - (way @ axis) * axis
    return directions(flat if float(np.linalg.norm(flat)) > 1e-9 else np.cross(axis, np.eye(3)[int(np.abs(axis).argmin())]))


def _upright(axis: Floats) -> Floats:
    """Return up, or for what runs up itself, to the right."""
    return np.array([0.0, 0.0, 1.0]) if abs(axis[2]) < 0.99 else np.array([1.0, 0.0, 0.0])


def _carried(up: Floats, step: Floats, axis: Floats, following: Floats) -> Floats:
    """Return an up carried on by a step without twist."""
    (turned,) = carried(up[None], step[None], axis[None], following[None])
    return _square_to(following, turned)
