"""A chain of places brought onto both surfaces that cross there, and parted where they touch."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints, cross, directions, lengths
from glass_spoon.kernel.trims.common_places import Parallel, common_places
from glass_spoon.kernel.trims.net_crossings import Chain

TOUCHING = 0.3
"""Sine of the angle between two surfaces below which it is asked whether they touch there."""

TOUCHED = 1e-4
"""That sine where they do."""

NARROW = 0.02
"""Places nearer together than this share of the usual step are one."""

STEPS = 30
"""Most steps to a place where surfaces touch."""


@dataclass(frozen=True, eq=False)
class Way:
    """Exact places in order: params (n, 4), places (n, 3) mm. touching: whether surfaces touch at its ends."""

    params: Floats
    places: Floats
    closed: bool
    touching: tuple[bool, bool] = (False, False)


def exact_ways(first: Parallel, second: Parallel, chain: Chain) -> list[Way]:
    """Return a chain on both surfaces, parted where they touch."""
    bounds = np.hstack((first.bounds, second.bounds))
    held = np.zeros(chain.params.shape, dtype=bool)
    if not chain.closed:
        held[[0, -1]] = np.abs(chain.params[[0, -1], None] - bounds).min(axis=1) < 1e-9 * np.ptp(bounds, axis=0)
    params, places, reached = common_places(first, second, chain.params.copy(), held)
    params, places = params[reached], places[reached]
    if len(params) < 2:
        return []
    sines = _sines(first, second, params)
    if float(np.median(sines)) < TOUCHED * 10:
        return []  # they touch along a line, or lie on one another
    touches = _touches(first, second, params, places, sines)
    whole = Way(params, places, chain.closed)
    return [way for way in map(_apart, _parted(whole, touches)) if way is not None]


def _apart(way: Way) -> Way | None:
    """Return a way without places that lie beside each other, None where nothing is left."""
    steps = lengths(np.diff(way.places, axis=0))
    if not len(steps) or steps.sum() <= 0:
        return None
    kept = np.concatenate(([True], steps > NARROW * np.median(steps)))
    kept[-1] = True
    if len(kept) > 2 and steps[-1] <= NARROW * np.median(steps):
        kept[-2] = False
        kept[0] = True
    if kept.sum() < 2 or (way.closed and kept.sum() < 4):
        return None
    return Way(way.params[kept], way.places[kept], way.closed, way.touching)


def _normals(side: Parallel, params: Floats) -> Floats:
    """Return unit normals (n, 3)."""
    _, du, dv = side.at(params)
    return directions(cross(du, dv))


def _sines(first: Parallel, second: Parallel, params: Floats) -> Floats:
    """Return the sines (n,) of the angles at which surfaces cross."""
    return lengths(cross(_normals(first, params[:, :2]), _normals(second, params[:, 2:])))


def _touches(
    first: Parallel, second: Parallel, params: Floats, places: Floats, sines: Floats
) -> list[tuple[int, Floats, Floats]]:
    """Return where along a way surfaces touch: the place before it, its params (4,) and the place (3,)."""
    padded = np.concatenate(([np.inf], sines, [np.inf]))
    low: Ints = np.flatnonzero((sines < TOUCHING) & (sines <= padded[:-2]) & (sines <= padded[2:]))
    found: list[tuple[int, Floats, Floats]] = []
    step = float(np.median(lengths(np.diff(places, axis=0))))
    for at in low.tolist():
        got = _touch_near(first, second, params[at])
        if got is None or lengths(got[1] - places[at]) > 3 * step:
            continue
        away = lengths(places - got[1])
        near = int(away.argmin())
        if not any(lengths(got[1] - other[2]) < NARROW * step for other in found):
            found.append((near, *got))
    return found


def _touch_near(first: Parallel, second: Parallel, params: Floats) -> tuple[Floats, Floats] | None:
    """Return the params (4,) and the place (3,) at which surfaces touch, found from near one; None where they do not.

    Gauss and Newton steps on: one place, and the first's normal square to the second's derivatives.
    """
    bounds = np.hstack((first.bounds, second.bounds))
    span = np.ptp(bounds, axis=0)
    size = max(first.surface.size, second.surface.size)

    def missing(at: Floats) -> Floats:
        (p, pu, pv), (q, qu, qv) = first.at(at[None, :2]), second.at(at[None, 2:])
        normal = directions(cross(pu, pv))[0]
        return np.concatenate(((p - q)[0] / size, [normal @ directions(qu)[0], normal @ directions(qv)[0]]))

    at = params.copy()
    for _ in range(STEPS):
        value = missing(at)
        slopes = np.stack(
            [(missing(at + h) - missing(at - h)) / (2e-6 * span[k]) for k, h in enumerate(1e-6 * np.diag(span))], axis=1
        )
        move = np.linalg.lstsq(slopes * span, -value, rcond=1e-10)[0] * span
        at = np.clip(at + move, *bounds)
        if float(np.abs(move / span).max()) < 1e-13:
            break
    if float(np.abs(missing(at)[:3]).max()) > 1e-9 or float(np.abs(missing(at)[3:]).max()) > TOUCHED:
        return None
    return at, first.at(at[None, :2])[0][0]


def _parted(way: Way, touches: list[tuple[int, Floats, Floats]]) -> list[Way]:
    """Return the ways between the places where surfaces touch, these their ends; without any the way itself."""
    if not touches:
        return [way]
    params, places = way.params, way.places
    if way.closed:
        turn = touches[0][0]
        params, places = np.roll(params[:-1], -turn, axis=0), np.roll(places[:-1], -turn, axis=0)
        touches = sorted(((near - turn) % len(params), at, place) for near, at, place in touches)
        touches.append((len(params) - 1, *touches[0][1:]))
    else:
        touches = sorted(touches, key=lambda touch: touch[0])
    step = float(np.median(lengths(np.diff(places, axis=0))))
    found, start, before = [], 0, None
    for touch in (*touches, None):
        end = len(params) - 1 if touch is None else touch[0]
        row = np.arange(start, end + 1)
        for one in (before, touch):
            if one is not None:
                row = row[lengths(places[row] - one[2]) > 0.5 * step]
        ends = [np.zeros((0, 7)) if one is None else np.concatenate(one[1:])[None] for one in (before, touch)]
        every = np.concatenate((ends[0], np.hstack((params[row], places[row])), ends[1]))
        own = every[:, :4], every[:, 4:]
        made = Way(*own, closed=False, touching=(before is not None, touch is not None))
        if len(made.params) > 1 and not (way.closed and (before is None or touch is None)):
            found.append(made)
        start, before = end, touch
    return found
