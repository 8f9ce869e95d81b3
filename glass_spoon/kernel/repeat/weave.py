"""Cords woven on the flat, over a rectangle or within any outline: two ways or three, ends cut, in a ring or looped.

A weave goes on for ever; the outline cuts its part out of it, so that cords pass each other at its edge as they do inside.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats, Ints
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.curves.make.braid import Woven
from glass_spoon.kernel.curves.make.line_and_arc import make_polyline
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.surfaces.evaluate.extents import curve_extent
from glass_spoon.kernel.surfaces.make.outline_crossings import is_inside_all

Pattern = Literal["plain", "twill", "three ways", "laid"]
Ends = Literal["cut", "ring", "looped"]
MOST_CORDS = 400
PLACES = 24
"""Places between two crossings at which it is told how far cords lie apart."""
ON = 1e-9
"""Share of the outline's size within which places are the same."""
AROUND = 64
"""Places on each span of an outline by which it is told what lies within."""
BEYOND = 1.2
"""Crossings beyond the ends of a cord that have their say in its heights, in steps."""
TOUCHING = 1e-6
"""Pieces of a line no farther apart than this share of the step are one."""
HALVINGS = 44
"""How often a span of an outline is halved in which it crosses a line."""
ROOMY = 8.0
"""How many times the height of a weave ends lie apart in a ring, to come down into its middle."""
STUB = 0.25
"""What is shorter than this share of the way between cords is left out."""
QUARTER = 4 / 3 * (np.sqrt(2) - 1) * 3
"""Length of the parameters of a quarter of a circle of radius one, at which a cubic with speed one follows it."""


@dataclass(frozen=True)
class Manner:
    """How cords are woven: steps, about how far those of the first way and of the second lie apart, in mm; of three ways the
    first counts. height: how far they go above and below the middle, in mm. turn: of the whole, in rad. ends: cut at the
    outline, which itself is the first of the curves where they end in a ring, in its middle where no other end is beside; or
    joined to their neighbours by loops.
    """

    steps: tuple[float, float]
    height: float
    pattern: Pattern = "plain"
    ends: Ends = "cut"
    turn: float = 0.0


@dataclass(frozen=True, eq=False)
class _Way:
    """Straight cords side by side: unit directions across and along (2,), the step between lines and the place of line 0 in
    mm; of each cord its line's number, and from where to where it runs along (m,), in mm.
    """

    across: Floats
    along: Floats
    step: float
    first: float
    numbers: Ints
    starts: Floats
    ends: Floats

    def at(self, number: Floats | Ints | int) -> Floats:
        """Return where lines lie across, in mm."""
        return np.asarray(self.first + self.step * np.asarray(number, dtype=np.float64))

    @cached_property
    def tips(self) -> Floats:
        """Both ends of all its cords (2 m, 2)."""
        lines = self.at(self.numbers)[:, None] * self.across
        return np.concatenate([lines + totals[:, None] * self.along for totals in (self.starts, self.ends)])


def sheet_outline(size: tuple[float, float]) -> NurbsCurve:
    """Return the outline of a sheet of size mm about the origin of the plane z = 0."""
    x, y = size[0] / 2, size[1] / 2
    return make_polyline(np.array([(-x, -y, 0), (x, -y, 0), (x, y, 0), (-x, y, 0), (-x, -y, 0)]))


def weave(size: tuple[float, float], manner: Manner) -> Woven:
    """Return cords over a sheet of size mm about the origin of the plane z = 0; see `weave_within`."""
    outline = sheet_outline(size)
    if manner.ends != "looped":
        return weave_within(outline, manner)
    if manner.pattern == "three ways" or manner.turn % (np.pi / 2) > ON:
        raise InvalidInput("Loops", "at the ends of two ways that are not turned", "three ways, or turned ones")
    ways = _ways(outline, manner)[0]
    made = [_serpentine(ways, number, manner) for number in (0, 1)]
    return Woven(tuple(made), _apart([[cord] for cord in made], ways))


def weave_within(outline: NurbsCurve, manner: Manner) -> Woven:
    """Return cords within a closed outline in the plane z = 0, way by way: those along y first, then along x.

    Of two ways whole numbers of steps fill the outline. Three ways at 60° cross by twos, each over the next and under the
    one after it (hexagonal cane; common practice, no source). Raises InvalidInput for more than MOST_CORDS a way, fewer than
    two, loops, which only a rectangle has, and an open outline.
    """
    if manner.ends == "looped":
        raise InvalidInput("The ends within an outline", "cut, or in a ring", "looped")
    ways, short = _ways(outline, manner)
    if not any(len(way.numbers) for way in ways):
        raise InvalidInput("The outline", "wide enough for a cord", "too narrow for all of them")
    made = _straight(ways, manner)
    cords = [curve for own in made for curve in own]
    if manner.ends != "ring":
        return Woven(tuple(cords), _apart(made, ways), short)
    tips = np.array([curve.control_points[[0, -1], 2] for curve in cords])
    loose = int((np.abs(tips) > ON * manner.height).sum())
    return Woven((outline, *cords), _apart(made, ways), short, loose)


def _ways(outline: NurbsCurve, manner: Manner) -> tuple[list[_Way], int]:
    """Return the ways of a weave, clipped at its outline, and how many ends were too short."""
    size = float(np.ptp(outline.control_points, axis=0).max())
    if not outline.is_closed(ON * size):
        raise InvalidInput("The outline", "closed", "open")
    laid = [_lay(outline, manner, way) for way in range(3 if manner.pattern == "three ways" else 2)]
    return [way for way, _ in laid], sum(short for _, short in laid)


def _straight(ways: Sequence[_Way], manner: Manner) -> list[list[NurbsCurve]]:
    """Return the cords of every way, cut at the outline."""
    return [[_through(*_run(ways, number, k, manner)) for k in range(len(way.numbers))] for number, way in enumerate(ways)]


def _lay(outline: NurbsCurve, manner: Manner, way: int) -> tuple[_Way, int]:
    """Return the cords of one way, clipped at the outline, and how many ends were too short."""
    three = manner.pattern == "three ways"
    angle = manner.turn + way * (2 * np.pi / 3 if three else np.pi / 2)
    across = np.array([np.cos(angle), np.sin(angle)])
    along = np.array([-across[1], across[0]]) if way == 0 or three else np.array([across[1], -across[0]])
    low, high = (bound[:2] for bound in curve_extent(outline, np.array([[*across, 0.0], [*along, 0.0], [0.0, 0.0, 1.0]])))
    step = manner.steps[0 if three else way]
    name = f"way {way + 1}" if three else ("left to right", "front to back")[way]
    if three:
        first = float(_middle(outline, manner.turn) @ across) + step / 2
        numbers = np.arange(np.ceil((low[0] - first) / step + ON), np.floor((high[0] - first) / step - ON) + 1)
    else:
        numbers = np.arange(round((high[0] - low[0]) / step))
        step = (high[0] - low[0]) / max(len(numbers), 1)
        first = low[0] + step / 2
    if not 2 <= len(numbers) <= MOST_CORDS:
        raise InvalidInput(f"The number of cords from {name}", f"2 to {MOST_CORDS}", str(len(numbers)))
    lines = _Way(across, along, float(step), float(first), numbers.astype(np.int64), np.zeros(0), np.zeros(0))
    return _clipped(outline, lines)


def _middle(outline: NurbsCurve, turn: float) -> Floats:
    """Return the middle (2,) of the box about the outline that is turned by an angle."""
    axes = np.array([[np.cos(turn), np.sin(turn), 0], [-np.sin(turn), np.cos(turn), 0], [0, 0, 1]])
    low, high = curve_extent(outline, axes)
    return ((low + high) / 2 @ axes)[:2]


def _clipped(outline: NurbsCurve, lines: _Way) -> tuple[_Way, int]:
    """Return what of lines lies within the outline, and how many pieces were too short."""
    spans = zip(outline.breaks[:-1], outline.breaks[1:], strict=True)
    params = np.append(np.concatenate([np.linspace(*span, AROUND, endpoint=False) for span in spans]), outline.breaks[-1])
    round_about = curve_points(outline, params)[:, :2]
    number, place = _crossings(outline, params, round_about @ lines.across, lines)
    crossing = place @ lines.along
    kept: list[tuple[int, float, float]] = []
    short = 0
    for line, at in zip(lines.numbers.tolist(), lines.at(lines.numbers).tolist(), strict=True):
        found = np.sort(crossing[number == line])
        pieces = np.column_stack((found[:-1], found[1:]))
        middles = at * lines.across + np.multiply.outer(pieces.mean(axis=1), lines.along)
        within = is_inside_all(round_about[:-1], middles)
        for start, end in _runs(pieces[within], TOUCHING * lines.step):
            short += end - start < STUB * lines.step
            kept += [(line, start, end)] if end - start >= STUB * lines.step else []
    rows = np.array(kept, dtype=np.float64).reshape(-1, 3)
    return replace(lines, numbers=rows[:, 0].astype(np.int64), starts=rows[:, 1], ends=rows[:, 2]), short


def _crossings(outline: NurbsCurve, params: Floats, across: Floats, lines: _Way) -> tuple[Ints, Floats]:
    """Return the numbers (k,) of lines and the places (k, 2) at which the outline crosses them; all are halved together.

    params (n,): places on the outline, and how far across it lies there (n,).
    """
    beyond = across > lines.at(lines.numbers)[:, None]
    line, span = np.nonzero(beyond[:, 1:] != beyond[:, :-1])
    low, high, at = params[span], params[span + 1], lines.at(lines.numbers[line])
    rises = beyond[line, span + 1]
    for _ in range(HALVINGS):
        middle = (low + high) / 2
        is_past = (curve_points(outline, middle)[:, :2] @ lines.across > at) == rises
        low, high = np.where(is_past, low, middle), np.where(is_past, middle, high)
    return lines.numbers[line], curve_points(outline, (low + high) / 2)[:, :2]


def _runs(pieces: Floats, near: float) -> list[tuple[float, float]]:
    """Return pieces (n, 2) of a line, in order, those no farther apart than `near` as one: a line through a corner."""
    runs: list[tuple[float, float]] = []
    for start, end in pieces.tolist():
        if runs and start - runs[-1][1] <= near:
            runs[-1] = (runs[-1][0], end)
        else:
            runs.append((start, end))
    return runs


def _run(ways: Sequence[_Way], number: int, k: int, manner: Manner, shorter: float = 0.0) -> tuple[Floats, Floats, Floats]:
    """Return parameters (n,), points and slopes (n, 3) of cord k of a way from end to end, or `shorter` at both."""
    way = ways[number]
    low, high = way.starts[k] + shorter, way.ends[k] - shorter
    places, heights = _heights(ways, number, k, manner)
    inner = (places > low + ON * way.step) & (places < high - ON * way.step)
    params = np.concatenate(([low], places[inner], [high]))
    level = scipy.interpolate.PchipInterpolator(places, heights)
    points = np.column_stack((way.at(way.numbers[k]) * way.across + np.multiply.outer(params, way.along), level(params)))
    slopes = np.column_stack((np.tile(way.along, (len(params), 1)), level(params, 1)))
    return params, points, slopes


def _heights(ways: Sequence[_Way], number: int, k: int, manner: Manner) -> tuple[Floats, Floats]:
    """Return where along cord k of a way it crosses the lines of others (n,), to beyond its ends, and its heights there."""
    way, line = ways[number], int(ways[number].numbers[k])
    places, heights = [], []
    for g, other in enumerate(ways):
        if g == number:
            continue
        slant = float(way.along @ other.across)
        beside = float(way.at(line) * way.across @ other.across)
        reach = np.array([way.starts[k], way.ends[k]]) + np.array([-BEYOND, BEYOND]) * 2 * other.step / abs(slant)
        first, last = np.sort((beside + slant * reach - other.first) / other.step)
        lines = np.arange(np.ceil(first), np.floor(last) + 1).astype(np.int64)
        low, high = min(number, g), max(number, g)
        over = _over(lines + line, (low, high), manner.pattern) == (number == low)
        places.append((other.at(lines) - beside) / slant)
        heights.append(np.where(over, manner.height, -manner.height))
    at, up = np.concatenate(places), np.concatenate(heights)
    order = np.argsort(at)
    at, up = at[order], up[order]
    if manner.ends == "ring":
        for end, is_low in ((float(way.starts[k]), True), (float(way.ends[k]), False)):
            past = at < end + ON * way.step if is_low else at > end - ON * way.step
            if not _has_room(ways, number, k, end, float(np.abs(at[~past] - end).min(initial=np.inf)), manner.height):
                continue  # beside another it would meet that
            at, up = np.append(at[~past], end), np.append(up[~past], 0.0)
            order = np.argsort(at)
            at, up = at[order], up[order]
    return at, up


def _has_room(ways: Sequence[_Way], number: int, k: int, end: float, crossing: float, height: float) -> bool:
    """Say whether an end of cord k of a way may come down into the middle of a ring, so far in mm from its last crossing:
    that lies two heights off, and the ends of other ways ROOMY of them.
    """
    way = ways[number]
    place = way.at(way.numbers[k]) * way.across + end * way.along
    ends = [other.tips for g, other in enumerate(ways) if g != number]
    nearest = float(np.linalg.norm(np.concatenate(ends) - place, axis=1).min(initial=np.inf))
    return crossing >= 2 * height and nearest >= ROOMY * height


def _over(total: Ints, ways: tuple[int, int], pattern: Pattern) -> np.ndarray:
    """Say of crossings, by the sum of the numbers of both cords, whether the cord of the first way is above."""
    if pattern == "plain":
        return np.asarray(total % 2 == 0)
    if pattern == "twill":
        return np.asarray(total % 4 < 2)
    return np.full(len(total), pattern == "laid" or ways[1] == (ways[0] + 1) % 3)


def _through(params: Floats, points: Floats, slopes: Floats) -> NurbsCurve:
    """Return the cubic through points (n, 3) with slopes (n, 3) at parameters (n,)."""
    third = (np.diff(params) / 3)[:, None]
    inner = np.stack((points[:-1] + third * slopes[:-1], points[1:] - third * slopes[1:]), axis=1).reshape(-1, 3)
    knots = np.concatenate((np.full(4, params[0]), np.repeat(params[1:-1], 2), np.full(4, params[-1])))
    control = np.concatenate((points[:1], inner, points[-1:]))
    return NurbsCurve(3, knots, control, np.ones(len(control)))


def _serpentine(ways: Sequence[_Way], number: int, manner: Manner) -> NurbsCurve:
    """Return the cords of a way as one, there and back, joined by half circles that touch the outline."""
    params, points, slopes = np.zeros(0), np.zeros((0, 3)), np.zeros((0, 3))
    radius = ways[number].step / 2
    for k in range(len(ways[number].numbers)):
        own, at, way = _run(ways, number, k, manner, radius)
        if k % 2:
            own, at, way = own.max() - own[::-1], at[::-1], -way[::-1]
        if k:
            out, step = way[0] * (-1, -1, 0), at[0] - points[-1]
            top = (points[-1] + at[0]) / 2 + radius * out
            params = np.concatenate((params, [params[-1] + QUARTER * radius]))
            points, slopes = np.concatenate((points, [top])), np.concatenate((slopes, [step / (2 * radius)]))
            own = params[-1] + QUARTER * radius + own - own[0]
        params, points, slopes = np.concatenate((params, own)), np.concatenate((points, at)), np.concatenate((slopes, way))
    return _through(params, points, slopes)


def _apart(made: Sequence[Sequence[NurbsCurve]], ways: Sequence[_Way]) -> float:
    """Return the least distance in mm between cords of different ways, beside each other, and across a notch."""
    places = [
        np.concatenate([curve_points(cord, np.linspace(*cord.domain, PLACES * len(cord.breaks))) for cord in cords])
        for cords in made
        if cords
    ]
    gaps = [(way.starts[1:] - way.ends[:-1])[np.diff(way.numbers) == 0] for way in ways]
    least = min(way.step for way in ways)
    least = float(np.concatenate(gaps).min(initial=least))
    for k, own in enumerate(places):
        tree = scipy.spatial.cKDTree(own)
        for other in places[k + 1 :]:
            least = min(least, float(np.min(tree.query(other, distance_upper_bound=2 * least)[0])))
    return least
