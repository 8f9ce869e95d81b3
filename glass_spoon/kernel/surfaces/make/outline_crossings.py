"""Do outlines that are offset still fit: neither folded, nor across themselves or each other, holes inside?"""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, lengths
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_derivatives
from glass_spoon.kernel.surfaces.make.outline_loop import OutlineLoop, is_straight, run_offsets

PLACES = 24
"""Places of a smooth run, per knot span, at which offsets are checked …"""

MOST_CHECKED = 360
"""… and most of them on one loop."""

JUST = 1e-9
"""Share of a radius that is nothing."""


def offset_fits(loops: list[OutlineLoop], offset: float) -> bool:
    """Say whether offset outlines neither fold, nor cross themselves or each other, and holes stay inside."""
    lines = []
    for number, loop in enumerate(loops):
        points = _sampled(loop, offset)
        if points is None:
            return False
        ahead = np.roll(points, -1, axis=0)
        area = float(points[:, 0] @ ahead[:, 1] - points[:, 1] @ ahead[:, 0])
        if (area > 0) != (number == 0):
            return False
        lines.append(points)
    starts = np.concatenate(lines)
    ends = np.concatenate([np.roll(line, -1, axis=0) for line in lines])
    if any_crossing(starts, ends):
        return False
    outer = lines[0]
    return all(is_inside(outer, hole[0]) for hole in lines[1:]) and not any(
        is_inside(other, hole[0]) for k, hole in enumerate(lines[1:]) for j, other in enumerate(lines[1:]) if j != k
    )


def _sampled(loop: OutlineLoop, offset: float) -> Floats | None:
    """Return places (n, 2) of an offset loop, None where it folds."""
    parts = []
    offsets = run_offsets(loop, "mitred")
    spans = sum(len(run.breaks) - 1 for run in loop.runs)
    per_span = max(4, min(PLACES, MOST_CHECKED // max(1, spans)))
    for how in offsets:
        first, last = how.cut(offset, at_end=False), how.cut(offset, at_end=True)
        if last - first <= 1e-9:
            return None
        low, high = how.run.domain
        if not is_straight(how.run):
            inside = np.clip(low + (first + (last - first) * np.linspace(0, 1, 8 * per_span)) * (high - low), low, high)
            values = curve_derivatives(how.run, inside, 2)
            speed = lengths(values[1])
            bend = (values[1][:, 0] * values[2][:, 1] - values[1][:, 1] * values[2][:, 0]) / speed**3
            left = 1 - offset * bend
            # An arc may shrink to the point it is about: then nothing is left of it anywhere between its ends.
            of_span = np.searchsorted(how.run.breaks, inside, side="right")
            shrunk = np.array([(np.abs(left[of_span == span]) <= JUST).all() for span in range(of_span.max() + 1)])
            if (left[~shrunk[of_span]] <= JUST).any():
                return None
        count = 2 if is_straight(how.run) else per_span * (len(how.run.breaks) - 1) + 1
        parts.append(how.points(np.linspace(0, 1, count), offset)[:-1, :2])
        if how.after is not None:
            parts.append(how.points(np.array([1.0]), offset)[:, :2])
    points = np.concatenate(parts)
    apart = np.hypot(*(points - np.roll(points, 1, axis=0)).T) > 1e-9
    return points[apart]


def any_crossing(starts: Floats, ends: Floats) -> bool:
    """Say whether any two segments (n, 2) that are not neighbours cross."""
    size = len(starts)
    step = max(1, 2_000_000 // size)
    for low in range(0, size, step):
        a, b = starts[low : low + step, None], ends[low : low + step, None]
        first = _sides(a, b, starts) * _sides(a, b, ends) < 0
        second = _sides(starts, ends, a) * _sides(starts, ends, b) < 0
        if bool((first & second).any()):
            return True
    return False


def _sides(a: Floats, b: Floats, c: Floats) -> Floats:
    """Return on which side of the lines from a to b places c lie."""
    along, off = b - a, c - a
    return np.asarray(along[..., 0] * off[..., 1] - along[..., 1] * off[..., 0])


def is_inside(outline: Floats, place: Floats) -> bool:
    """Say whether a place (2,) lies inside a closed line (n, 2), by the even-odd rule."""
    return bool(is_inside_all(outline, place[None])[0])


def is_inside_all(outline: Floats, places: Floats) -> Bools:
    """Say of places (m, 2) whether they lie inside a closed line (n, 2), by the even-odd rule."""
    ahead = np.roll(outline, -1, axis=0)
    rise = ahead[:, 1] - outline[:, 1]
    slope = np.divide(ahead[:, 0] - outline[:, 0], rise, out=np.zeros_like(rise), where=rise != 0)
    found = np.empty(len(places), dtype=bool)
    for start in range(0, len(places), _AT_ONCE):
        x, y = places[start : start + _AT_ONCE].T[..., None]
        spans = (outline[:, 1] > y) != (ahead[:, 1] > y)
        at = outline[:, 0] + (y - outline[:, 1]) * slope
        found[start : start + _AT_ONCE] = (spans & (x < at)).sum(axis=1) % 2 == 1
    return found


_AT_ONCE = 2048
"""Places that are looked at together."""
