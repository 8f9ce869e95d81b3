"""What curves on a face part it into: the regions of their arrangement in the surface's parameters."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.curves.alter.edit_knots import reverse_curve
from glass_spoon.kernel.curves.evaluate.closest_on_curve import closest_params
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.patches.net_graph import meet_curves, stretches_between, without_loose
from glass_spoon.kernel.patches.stretch import Stretch
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import evaluate_grid, surface_points
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.make.polygons import crossings, signed_area
from glass_spoon.kernel.trims.face import Face, Loop, outline

ALIKE = 1e-4
"""Radians within which curves leave a meeting in one direction."""


@dataclass(frozen=True, eq=False)
class Parts:
    """What a face was parted into. short: places (k, 3) mm at which curves end within it without parting it.

    beside: for each part the cuts that bound it, each with a place (u, v) on it, and whether the part lies to its left.
    """

    faces: tuple[Face, ...]
    short: Floats
    beside: tuple[tuple[Beside, ...], ...]


@dataclass(frozen=True, eq=False)
class Beside:
    """A cut that bounds a part: its number, its parameters from low to high there, and whether the part lies on its left."""

    cut: int
    low: float
    high: float
    left: bool

    @property
    def param(self) -> float:
        """Its parameter half way along the boundary."""
        return (self.low + self.high) / 2


def part_face(face: Face, cuts: list[NurbsCurve], tolerance: float) -> Parts:
    """Return the parts of a face between curves (u, v, 0) on it, which may cross; those that part nothing are told.

    tolerance: in mm, within which they meet each other and the boundary.
    """
    scale = param_scale(face.surface)
    own = [curve for loop in face.loops for curve in loop]
    curves = [_scaled(curve, scale) for curve in (*own, *cuts)]
    try:
        meetings, params, _ = meet_curves(curves, tolerance)
    except KernelError as error:
        raise KernelError(
            "Two cuts lie on one another, or too many meet on one face: leave out one of what cuts, or move it a little."
        ) from error
    stretches, loose = without_loose(_single(stretches_between(curves, meetings, params), tolerance))
    if not stretches:
        raise KernelError("The face has no boundary that closes.")
    ways = _ways_round(stretches, len(meetings))
    loops = [[_run(stretches[k], backwards=back) for k, back in way] for way in ways]
    flat = [tuple(_scaled(curve, 1 / scale) for curve in loop) for loop in loops]
    found = [
        (part, tuple(one for k in numbers for one in _cuts_of(ways[k], stretches, len(own))))
        for part, numbers in _nested(face.surface, flat)
        if bool(face.holds(part.inner_place[None])[0])
    ]
    at = meetings[loose][:, :2] / scale if loose else np.zeros((0, 2))
    short = surface_points(face.surface, *at[face.holds(at)].T) if len(at) else np.zeros((0, 3))
    return Parts(tuple(part for part, _ in found), short, tuple(beside for _, beside in found))


def _cuts_of(way: list[tuple[int, bool]], stretches: list[Stretch], own: int) -> list[Beside]:
    """Return the cuts along a way round, which has the part on its left."""
    found = []
    for k, backwards in way:
        if stretches[k].number >= own:
            low, high = stretches[k].curve.domain
            found.append(Beside(stretches[k].number - own, low, high, left=not backwards))
    return found


def param_scale(surface: NurbsSurface) -> Floats:
    """Return how long (2,) in mm a step of one in each parameter usually is."""
    shares = (np.arange(9) + 0.5) / 9
    us, vs = (low + shares * (high - low) for low, high in map(surface.domain, (0, 1)))
    grid = evaluate_grid(surface, us, vs)
    return np.array([max(float(lengths(along.reshape(-1, 3)).mean()), 1e-12) for along in (grid.along_u, grid.along_v)])


def _scaled(curve: NurbsCurve, scale: Floats) -> NurbsCurve:
    """Return a curve with x and y times a scale (2,)."""
    return replace(curve, control_points=curve.control_points * np.append(scale, 1.0))


def _run(stretch: Stretch, *, backwards: bool) -> NurbsCurve:
    """Return the curve of a stretch as it is run."""
    return reverse_curve(stretch.curve) if backwards else stretch.curve


def _single(stretches: list[Stretch], tolerance: float) -> list[Stretch]:
    """Return stretches without those that lie on one before them."""
    kept: list[Stretch] = []
    beside: dict[tuple[int, int], list[Stretch]] = {}
    for one in stretches:
        ends = (min(one.start, one.end), max(one.start, one.end))
        places = one.places[1]
        double = False
        for other in beside.get(ends, []):
            away = np.linalg.norm(places[::8, None] - other.places[1], axis=2).min(axis=1)
            step = float(lengths(np.diff(other.places[1], axis=0)).max())
            double |= bool(away.max() < max(tolerance, 0.0)) or bool(
                away.max() < 0.51 * step and _lies_on(one, other, tolerance)
            )
        if not double:
            kept.append(one)
            beside.setdefault(ends, []).append(one)
    return kept


def _lies_on(one: Stretch, other: Stretch, tolerance: float) -> bool:
    """Say whether all of a stretch lies on another."""
    return bool(closest_params(other.curve, one.places[1][::4])[1].max() <= tolerance)


def _ways_round(stretches: list[Stretch], count: int) -> list[list[tuple[int, bool]]]:
    """Return all ways round to the left of stretches in a plane: round each region, and round each outside."""
    leaving: list[list[tuple[float, float, int, bool]]] = [[] for _ in range(count)]
    for number, one in enumerate(stretches):
        for backwards, node in ((False, one.start), (True, one.end)):
            way = one.ways[int(backwards)]
            bend = one.bends[-1 if backwards else 0]
            leaving[node].append(
                (float(np.arctan2(way[1], way[0])), float(way[0] * bend[1] - way[1] * bend[0]), number, backwards)
            )
    order = [[(number, backwards) for _, _, number, backwards in _about(row)] for row in leaving]
    seen: set[tuple[int, bool]] = set()
    ways = []
    for half in [(number, backwards) for number in range(len(stretches)) for backwards in (False, True)]:
        if half in seen:
            continue
        way, now = [], half
        while now not in seen:
            seen.add(now)
            way.append(now)
            number, backwards = now
            node = stretches[number].start if backwards else stretches[number].end
            row = order[node]
            now = row[row.index((number, not backwards)) - 1]
        ways.append(way)
    return ways


def _about(row: list[tuple[float, float, int, bool]]) -> list[tuple[float, float, int, bool]]:
    """Return what leaves a meeting in its order round it; of what leaves in one direction, what bends left comes later."""
    ranked = sorted(row)
    if len(ranked) < 2:
        return ranked
    angles = np.array([one[0] for one in ranked])
    first = int(np.diff(angles, append=angles[0] + 2 * np.pi).argmax() + 1) % len(ranked)
    turned = ranked[first:] + ranked[:first]
    rising = np.unwrap([one[0] for one in turned])
    groups = np.concatenate(([0], np.cumsum(np.diff(rising) > ALIKE)))
    return [one for _, one in sorted(zip(groups.tolist(), turned, strict=True), key=lambda pair: (pair[0], pair[1][1]))]


def _nested(surface: NurbsSurface, loops: list[Loop]) -> list[tuple[Face, list[int]]]:
    """Return faces of loops, and their numbers: those that run left are outlines, others holes of the smallest about."""
    polygons = [outline(loop) for loop in loops]
    areas = [signed_area(polygon) for polygon in polygons]
    outer = [k for k, area in enumerate(areas) if area > 0]
    holes: dict[int, list[int]] = {k: [] for k in outer}
    for k, area in enumerate(areas):
        if area >= 0:
            continue
        # A place of the hole's rim is asked of outlines that are larger than it.
        place = polygons[k][:1] * (1 - 1e-3) + polygons[k].mean(axis=0) * 1e-3
        around = [m for m in outer if areas[m] > -area * (1 + 1e-9) and crossings(polygons[m], place)[0] % 2]
        if around:
            holes[min(around, key=lambda m: areas[m])].append(k)
    return [(Face(surface, tuple(loops[m] for m in (k, *holes[k]))), [k, *holes[k]]) for k in outer]
