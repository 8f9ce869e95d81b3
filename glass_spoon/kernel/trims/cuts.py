"""The curves on a face along which others cut it: clipped to both, each once, and those that run along its boundary."""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from glass_spoon.kernel.arrays import lengths
from glass_spoon.kernel.curves.alter.edit_knots import trim_curve
from glass_spoon.kernel.curves.evaluate.closest_on_curve import closest_params, span_params
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.curves.read.cross_curves import find_crossings
from glass_spoon.kernel.errors import KernelError, place_text
from glass_spoon.kernel.remembered import Remembered
from glass_spoon.kernel.surfaces.evaluate.closest_points import closest_points
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_points
from glass_spoon.kernel.trims.arrange import param_scale
from glass_spoon.kernel.trims.cross_surfaces import Crossing
from glass_spoon.kernel.trims.cutters import Cutter
from glass_spoon.kernel.trims.face import Face
from glass_spoon.kernel.trims.rim_crossings import cross_with_rims

NARROW = 1e-9
"""Stretches of a curve, 0 to 1, shorter than this are none."""

SAME = 1e-6
"""Share of the size within which two cuts run alike."""

PER_SPAN, HALVINGS = 6, 48
"""Places a span at which a curve is looked at, and halvings to where it meets a line."""

LOOKED, SEVERAL = 21, 3
"""Places at which it is looked whether a curve lies on a boundary, and how many of them are more than a meeting."""

ALONG = 1e-6
"""Share of the size within which it does."""

WITHIN, LYING = 0.05, 1e-4
"""Share of the way into a face at which it is asked whether it lies in another, and how far off, to that way, it may be."""

ON = 1e-7
"""Share of the size within which a cut lies on the boundary of a face."""


@dataclass(frozen=True, eq=False)
class Cut:
    """A cut on a face: its run (u, v, 0) there, the number of the cutter, the crossing, and the face that cut.

    idle: whether it runs along the boundary, or where another does, and parts nothing more.
    """

    run: NurbsCurve
    cutter: int
    crossing: Crossing
    against: Face
    idle: bool


def cuts_of(face: Face, cutters: list[Cutter]) -> list[Cut]:
    """Return the cuts of cutters on a face."""
    found: list[Cut] = []
    for number, cutter in enumerate(cutters):
        for against in cutter.shape.faces:
            for crossing in cross_with_rims(face, against):
                if cutter.closed and _lies_in(face, against, crossing):
                    continue  # what stands on its rim cuts there
                for piece in in_both(within(crossing.first, face), within(crossing.second, against)):
                    run = trim_curve(crossing.first, *piece) if piece != (0.0, 1.0) else crossing.first
                    idle = _along_rim(face, run) or any(_is_same(face, run, one.run) for one in found)
                    found.append(Cut(run, number, crossing, against, idle))
    return found


def _lies_in(face: Face, against: Face, crossing: Crossing) -> bool:
    """Say whether a face lies in the surface of another beside the middle of their crossing, and not only along it."""
    rim = curve_points(crossing.second, np.array([0.5]))[0, :2]
    beside = rim + WITHIN * (against.inner_place - rim)
    place = surface_points(against.surface, *beside[:, None])
    away = float(closest_points(face.surface, place)[2][0])
    return away <= LYING * float(lengths(place - curve_points(crossing.curve, np.array([0.5])))[0])


def in_both(first: list[tuple[float, float]], second: list[tuple[float, float]]) -> list[tuple[float, float]]:
    """Return the stretches that two lists of stretches have in common."""
    both = [(max(a, c), min(b, d)) for a, b in first for c, d in second]
    return [(low, high) for low, high in both if high - low > NARROW]


def within(curve: NurbsCurve, face: Face) -> list[tuple[float, float]]:
    """Return the stretches of a curve (u, v, 0), 0 to 1, that lie in a face."""
    low, high = (getattr(curve.control_points[:, :2], which)(axis=0) for which in ("min", "max"))
    if face.is_box and (face.outlines[0].min(axis=0) <= low).all() and (high <= face.outlines[0].max(axis=0)).all():
        return [(0.0, 1.0)]
    return _stretches.get((curve.key, *face.key), lambda: _within(curve, face))


_stretches: Remembered[list[tuple[float, float]]] = Remembered(4_000)
"""The stretches of curves in faces that were asked last."""


def _within(curve: NurbsCurve, face: Face) -> list[tuple[float, float]]:
    """Find the stretches."""
    low, high = (getattr(curve.control_points[:, :2], which)(axis=0) for which in ("min", "max"))
    scale = np.append(param_scale(face.surface), 1.0)
    stops = {0.0, 1.0}
    own = replace(curve, control_points=curve.control_points * scale)
    looked = curve_points(own, np.linspace(*own.domain, LOOKED)[1:-1])
    along = np.zeros(len(looked), dtype=bool)
    for loop in face.loops:
        for rim in loop:
            under, over = (getattr(rim.control_points[:, :2], which)(axis=0) for which in ("min", "max"))
            if (under <= high).all() and (over >= low).all():
                other = replace(rim, control_points=rim.control_points * scale)
                beside = closest_params(other, looked)[1] <= ALONG * face.surface.size
                along |= beside
                if beside.sum() < SEVERAL:  # one that lies on the rim meets it everywhere
                    stops |= set(_meetings(own, other, ON * face.surface.size))
    if along.all():
        return [(0.0, 1.0)]  # along the boundary: it parts nothing, and is known as a cut there
    if along.sum() >= SEVERAL:
        place = face.edge_points(curve, np.linspace(*curve.domain, LOOKED)[1:-1])[int(np.argmax(along))]
        raise KernelError(
            f"A cut runs along the boundary of a face for a part of its way, about {place_text(place)}: there is no telling "
            "on which side. Move what cuts a little."
        )
    bounds = sorted(stops)
    pieces = [(a, b) for a, b in pairwise(bounds) if b - a > NARROW]
    middles = curve_points(curve, np.array([(a + b) / 2 for a, b in pieces]))[:, :2]
    inside = face.holds(middles)
    return [piece for piece, held in zip(pieces, inside, strict=True) if held]


def _meetings(curve: NurbsCurve, rim: NurbsCurve, tolerance: float) -> list[float]:
    """Return the parameters of a flat curve at which it meets another; those with a straight line by its own signs."""
    if rim.degree > 1 or len(rim.control_points) > 2:
        return [float(param) for param in find_crossings(curve, rim, tolerance)[0]]
    a, b = rim.control_points[:, :2]
    way = b - a
    across = np.array([-way[1], way[0]]) / np.hypot(*way)
    params = span_params(curve, PER_SPAN)
    off = (curve_points(curve, params)[:, :2] - a) @ across
    over = np.flatnonzero((off[:-1] > 0) != (off[1:] > 0))
    if not len(over):
        return []
    low, high, under = params[over], params[over + 1], off[over] > 0
    for _ in range(HALVINGS):
        middle = (low + high) / 2
        same = ((curve_points(curve, middle)[:, :2] - a) @ across > 0) == under
        low, high = np.where(same, middle, low), np.where(same, high, middle)
    found = (low + high) / 2
    along = (curve_points(curve, found)[:, :2] - a) @ way / (way @ way)
    beyond = tolerance / np.hypot(*way)
    return [float(param) for param, share in zip(found, along, strict=True) if -beyond <= share <= 1 + beyond]


def _is_same(face: Face, run: NurbsCurve, other: NurbsCurve) -> bool:
    """Say whether a cut runs where another does, either way, as that of two sheets that lie in each other."""
    shares = np.linspace(0.0, 1.0, 9)
    mine, theirs = (curve_points(one, one.domain[0] + shares * np.ptp(one.domain)) for one in (run, other))
    scale = np.append(param_scale(face.surface), 1.0)
    near = SAME * face.surface.size
    apart = min(float(lengths((mine - row) * scale)[[0, -1]].max()) for row in (theirs, theirs[::-1]))
    if apart > near and not (face.surface.size and run.is_closed(near / scale.max())):
        return False
    own = replace(other, control_points=other.control_points * scale)
    return bool(closest_params(own, mine * scale)[1].max() <= near)


def _along_rim(face: Face, run: NurbsCurve) -> bool:
    """Say whether a cut runs along the boundary of a face, where there is nothing to part."""
    places = face.edge_points(run, np.linspace(*run.domain, 9)[1:-1])
    for loop in face.loops:
        for rim in loop:
            own = face.edge_points(rim, np.linspace(*rim.domain, 257))
            step = float(lengths(np.diff(own, axis=0)).max())
            if np.linalg.norm(own[:, None] - places, axis=2).min(axis=0).max() > step:
                continue
            flat = curve_points(run, np.linspace(*run.domain, 9)[1:-1])
            scale = np.append(param_scale(face.surface), 1.0)
            if (
                closest_params(replace(rim, control_points=rim.control_points * scale), flat * scale)[1].max()
                < 1e-5 * face.surface.size
            ):
                return True
    return False
