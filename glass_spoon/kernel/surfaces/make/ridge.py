"""A helical ridge with its core: a thread, a blade, a bead along a helix on a cylinder or a cone.

      z |  core, unrolled; one start           Strips run along the helix and meet the strip one turn on (or the next
        |________________________              start) along whole edges. Where the first strip begins there is a step
        |  /  /  /  /  /  /  /  /              as high as the pitch. Below it a collar leads down to a level ring: its
        | /  /  /  /  /  /  /  /               part under the step turns the lines of the step into lines of the ring,
        |/__/__/__/__/__/__/__/ step           so everything is four-sided and the loops of the ridge run out into
        |_____collar_____________              the core. Where there is more room the core goes on bare.
        +------------------------ angle

The ridge rises out of the core over an angle at either end; there its foot spreads evenly over the pitch.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.curves.alter.edit_knots import trim_curve
from glass_spoon.kernel.curves.alter.place_curve import Placement, turning
from glass_spoon.kernel.curves.alter.round_corners import SHARP_ANGLE
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points, find_kinks
from glass_spoon.kernel.curves.make.fit_function import CHECKS, more_spans
from glass_spoon.kernel.curves.make.line_and_arc import make_arc
from glass_spoon.kernel.errors import InvalidInput, KernelError, NotFollowed
from glass_spoon.kernel.surfaces.alter.edit_surface import place_surface
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface, surface_from_homogeneous
from glass_spoon.kernel.surfaces.make.fit_patch import fit_patch
from glass_spoon.kernel.surfaces.make.section_runs import EndShape, end_run
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet, reverse_set

TURN = 2 * np.pi

LEAST_FADE = np.radians(5)
"""Least angle over which a ridge rises out of its core."""

MOST_TURNS = 200
MOST_STARTS = 12

TURNING = 0.6
"""Height of the collar that turns lines of the step, as a share of the way that they go round: the rest of the core is bare.

Tried on a blade and a thread: lower, lines lie too flat; higher, they lean over too long and their faces become narrow.
"""

LEAST_BARE = 0.2
"""A rest of bare core smaller than this share of the room is left to the collar."""

FINE = 2e-3
"""The share of the shortest run of the profile within which surfaces are fitted at least."""

LEAST_ROOM = 0.1
"""Bare core, as a share of the pitch, that is left below and above a ridge at least."""

SLIVER = 1e-3
"""A rest of a turn smaller than this share of a strip is none."""

FLAT = np.array([1.0, -1.0, -1.0])
"""Factors of a half turn about the x axis, which sets a body upside down and leaves the hand of its helices."""


@dataclass(frozen=True)
class RidgeShape:
    """A core about the z axis from height 0, and where the ridge runs on it.

    radii: of the core at its (foot, top) in mm. height: of the core in mm. lead: rise in mm of one turn. first: height in
    mm at which the foot of the ridge starts. turns: how often it goes round. starts: ridges side by side. hand: 1 right,
    -1 left. fade: angles in radians over which it rises at (start, end). phase: angle in radians at which it starts.
    ends: how the core is closed at its (foot, top); a "pointed" one runs to a tip as far away as `points` (mm) say.
    inward: the surface faces the axis, as that of a nut does.
    """

    radii: tuple[float, float]
    height: float
    lead: float
    first: float
    turns: float
    starts: int = 1
    hand: int = 1
    fade: tuple[float, float] = (np.pi / 2, np.pi / 2)
    phase: float = 0.0
    ends: tuple[EndShape, EndShape] = ("open", "open")
    points: tuple[float, float] = (0.0, 0.0)
    inward: bool = False

    @property
    def width(self) -> float:
        """Distance in mm from ridge to ridge along the axis: the pitch."""
        return self.lead / self.starts

    @property
    def sector(self) -> float:
        """Angle in radians from start to start."""
        return TURN / self.starts

    @property
    def whole(self) -> float:
        """Angle in radians of the whole ridge."""
        return TURN * self.turns

    @property
    def wound(self) -> float:
        """Angle in radians over which the strips go: where all ridges together go round less than once, the rest is bare."""
        return max(self.whole, self.sector)

    @property
    def slope(self) -> float:
        """Change of the core's radius per height."""
        return (self.radii[1] - self.radii[0]) / self.height


def make_ridge(profile: NurbsCurve, shape: RidgeShape, tolerance: float = 1e-3) -> SurfaceSet:
    """Return the surfaces of a core with its ridge, which meet along whole edges, within `tolerance` mm or less.

    profile: x runs along the axis upwards, y out of the core, both in mm; it starts and ends on the core (y = 0) and is at
    most one pitch wide. Raises InvalidInput for a profile or sizes that do not fit together.
    """
    _check(profile, shape)
    runs = split_profile(profile, shape.width)
    shortest = min(float(lengths(np.diff(np.column_stack((run.along, run.out)), axis=0)).sum()) for run in runs)
    tolerance = min(tolerance, FINE * shortest)
    cuts = _cuts(shape)
    strips = [surface for run in runs for surface in _strips(run, shape, cuts, tolerance)]
    steps = np.array([0.0, *(run.level[-1] for run in runs)])
    below = _collar(_lower_end(shape, cuts, steps), tolerance)
    above = [_upside_down(piece, shape) for piece in _collar(_upper_end(shape, cuts, steps), tolerance)]
    pieces = [place_surface(piece, _placement(shape)) for piece in (*strips, *below, *above)]
    made = SurfaceSet(tuple(pieces), 10 * tolerance)
    return reverse_set(made) if shape.inward else made


def most_turns(shape: RidgeShape) -> float:
    """Return how many turns fit on the core, from where the ridge starts to a little below its top."""
    return (shape.height - shape.first - shape.width - LEAST_ROOM * shape.width) / shape.lead


def _check(profile: NurbsCurve, shape: RidgeShape) -> None:
    """Raise InvalidInput for what cannot be built, naming what would fit."""
    if min(shape.radii) <= 0 or shape.height <= 0:
        raise InvalidInput("The core", "with radii and a height above 0 mm", "smaller")
    if not 1 <= shape.starts <= MOST_STARTS:
        raise InvalidInput("The starts", f"1 to {MOST_STARTS}", str(shape.starts))
    if shape.turns > MOST_TURNS:
        raise InvalidInput("The turns", f"at most {MOST_TURNS}", f"{shape.turns:.4g}")
    if min(shape.fade) < LEAST_FADE * (1 - 1e-9) or sum(shape.fade) > shape.whole * (1 + 1e-9):
        largest = np.degrees(shape.whole)
        raise InvalidInput(
            "The angles of run-in and run-out",
            f"at least {np.degrees(LEAST_FADE):.0f}° each and {largest:.4g}° together",
            f"{np.degrees(shape.fade[0]):.4g}° and {np.degrees(shape.fade[1]):.4g}°",
        )
    places = curve_points(profile, np.linspace(*profile.domain, 257))
    reach = 1e-6 * (1 + shape.width)
    if max(abs(places[0, 1]), abs(places[-1, 1])) > reach:
        raise InvalidInput("The profile of the ridge", "one that starts and ends on the core", "off it at an end")
    if places[-1, 0] <= places[0, 0] or np.ptp(places[:, 0]) > shape.width * (1 + 1e-9):
        raise InvalidInput(
            "The profile of the ridge", f"at most {shape.width:.4g} mm wide, the pitch", f"{np.ptp(places[:, 0]):.4g} mm"
        )
    if min(shape.radii) + float(places[:, 1].min()) <= 0:
        raise InvalidInput("The profile of the ridge", "clear of the axis", "deeper than the core")
    least = LEAST_ROOM * shape.width
    if shape.first < least * (1 - 1e-9):
        raise InvalidInput("The ridge", f"at least {least:.4g} mm above the foot", f"{shape.first:.4g} mm")
    needed = shape.first + shape.lead * shape.wound / TURN + shape.width + least
    if shape.height < needed * (1 - 1e-9):
        most = most_turns(shape)
        fewer = f" At most {most:.4g} turns fit here." if most * shape.starts >= 1 else ""
        raise KernelError(
            f"The ridge reaches past its core, {shape.height:.4g} mm long: it needs {needed:.4g} mm.{fewer} Make the core "
            "longer, or the lead or the start height smaller."
        )


@dataclass(frozen=True, eq=False)
class ProfileRun:
    """A smooth run of the profile: along the axis and out of the core in mm, and level: heights where it has faded.

    curve: the run's degree, knots and weights; its control points give along, out, level (n,).
    """

    curve: NurbsCurve
    along: Floats
    out: Floats
    level: Floats


def split_profile(profile: NurbsCurve, width: float) -> list[ProfileRun]:
    """Return the smooth runs of a profile over a whole pitch: bare core beside it is shared to both sides of it.

    Faded, the runs share the pitch by their lengths.
    """
    start = curve_points(profile, np.array(profile.domain))[:, 0]
    spare = width - (start[1] - start[0])
    edge = spare / 2
    stops = np.concatenate(([profile.domain[0]], find_kinks(profile, SHARP_ANGLE), [profile.domain[1]]))
    curves = [trim_curve(profile, float(low), float(high)) for low, high in pairwise(stops)]
    nets = [curve.control_points[:, :2] + [edge - start[0], 0.0] for curve in curves]
    plain = np.array([0.0, 0.0, 1.0, 1.0])
    if spare > 1e-9 * width:
        for net, at in (([[0.0, 0.0], [edge, 0.0]], 0), ([[width - edge, 0.0], [width, 0.0]], len(nets) + 1)):
            nets.insert(at, np.array(net))
            line = np.column_stack((np.array(net), np.zeros(2)))
            curves.insert(at, NurbsCurve(1, plain, line, np.ones(2)))
    sizes = np.array([lengths(np.diff(curve.control_points, axis=0)).sum() for curve in curves])
    ends: Floats = np.concatenate(([0.0], np.cumsum(sizes))) * (width / sizes.sum())
    runs = []
    for curve, net, low, high in zip(curves, nets, ends[:-1], ends[1:], strict=True):
        way = np.concatenate(([0.0], np.cumsum(lengths(np.diff(curve.control_points, axis=0)))))
        runs.append(ProfileRun(curve, net[:, 0], net[:, 1], low + (high - low) * way / way[-1]))
    return runs


def _cuts(shape: RidgeShape) -> Floats:
    """Return the angles at which strips are cut: where a start stands below or an end above."""
    rest = shape.wound % shape.sector
    if rest < SLIVER * shape.sector or rest > (1 - SLIVER) * shape.sector:
        rest = 0.0
    count = round((shape.wound - rest) / shape.sector)
    firsts = np.arange(count + 1) * shape.sector
    cuts = np.unique(np.concatenate((firsts, firsts + rest))) if rest else firsts
    return np.asarray(cuts, dtype=np.float64)


def _fade(shape: RidgeShape, angle: Floats) -> tuple[Floats, Floats]:
    """Return how far the ridge stands out, 0 to 1, and the derivative: Perlin's step of fifth degree at either end."""
    value, slope = np.ones_like(angle), np.zeros_like(angle)
    for width, way, place in ((shape.fade[0], 1.0, angle), (shape.fade[1], -1.0, shape.whole - angle)):
        t = np.clip(place / width, 0.0, 1.0)
        step, rise = t**3 * (t * (6 * t - 15) + 10), way * 30 * t**2 * (1 - t) ** 2 / width
        value, slope = value * step, slope * step + value * rise
    return value, slope


def _rows(run: ProfileRun, shape: RidgeShape, angle: Floats, start: int) -> tuple[Floats, Floats]:
    """Return where the control points of a run lie at angles (k,) of one start, and how they move: each (k, n, 3)."""
    fade, slope = (part[:, None] for part in _fade(shape, angle))
    rise = shape.lead / TURN
    z = shape.first + rise * angle[:, None] + fade * run.along + (1 - fade) * run.level
    dz = rise + slope * (run.along - run.level)
    radius = shape.radii[0] + shape.slope * z + fade * run.out
    dr = shape.slope * dz + slope * run.out
    turn = angle[:, None] + start * shape.sector
    c, s = np.cos(turn), np.sin(turn)
    place = np.stack((radius * c, radius * s, z), axis=-1)
    moves = np.stack((dr * c - radius * s, dr * s + radius * c, dz), axis=-1)
    return place, moves


def _strips(run: ProfileRun, shape: RidgeShape, cuts: Floats, tolerance: float) -> list[NurbsSurface]:
    """Return the strips of one run of the profile, all starts: u along the helix, v along the profile.

    Every control point of the profile follows its own curve, so the profile is exact at every place along the way. All
    strips of one length and start are fitted together, cubic, their end slopes exact.
    """
    surfaces: list[NurbsSurface] = []
    widths = np.diff(cuts)
    for width in np.unique(np.round(widths, 9)):
        lows = cuts[:-1][np.abs(widths - width) < 1e-8]
        for start in range(shape.starts):
            knots, nets = _fit_strips(run, shape, lows, float(width), start, tolerance)
            surfaces += [_as_surface(run, knots, net) for net in nets]
    return surfaces


def _fit_strips(
    run: ProfileRun, shape: RidgeShape, lows: Floats, width: float, start: int, tolerance: float
) -> tuple[Floats, Floats]:
    """Return knots over 0 to `width` and nets (strips, k, n, 3) of strips that begin at angles `lows`."""
    count = max(4, round(width * 6))
    while count <= 4096:
        inside = np.linspace(0.0, width, count + 1)
        place, moves = _rows(run, shape, (lows[:, None] + inside).ravel(), start)
        place, moves = (part.reshape(len(lows), count + 1, -1, 3).swapaxes(0, 1) for part in (place, moves))
        ends = ([(1, moves[0])], [(1, moves[-1])])
        spline = scipy.interpolate.make_interp_spline(inside, place, k=3, bc_type=ends)  # type: ignore[arg-type]  # lists of derivatives
        between = (inside[:-1, None] + np.diff(inside)[:, None] * CHECKS).ravel()
        true = _rows(run, shape, (lows[:, None] + between).ravel(), start)[0]
        true = true.reshape(len(lows), len(between), -1, 3).swapaxes(0, 1)
        off = float(lengths(spline(between) - true).max())
        if off <= tolerance:
            return np.asarray(spline.t), np.moveaxis(np.asarray(spline.c), 1, 0)
        count = more_spans(count, off, tolerance)
    raise NotFollowed("The ridge", tolerance)


def _as_surface(run: ProfileRun, knots: Floats, net: Floats) -> NurbsSurface:
    """Return the strip of a net (k, n, 3), weighted as the profile is."""
    weights = np.broadcast_to(run.curve.weights, net.shape[:2])
    return NurbsSurface((3, run.curve.degree), (knots, run.curve.knots), net, weights)


@dataclass(frozen=True, eq=False)
class _End:
    """An end of the core seen as a lower one: the core from a level ring at height 0 up to the feet of the strips.

    radius, slope: of the core at the ring, and its change per height. first: height of a strip's foot where it begins.
    starts: angles of the starts. cuts: angles from a start to the next, both included, at which the feet of strips are
    cut. steps: heights on the step, 0 to the pitch, at which strips begin.
    """

    radius: float
    slope: float
    first: float
    lead: float
    sector: float
    starts: Floats
    cuts: Floats
    steps: Floats
    closing: EndShape
    point: float

    def on_core(self, angle: Floats, height: Floats) -> Floats:
        """Return places (..., 3) of the core."""
        radius = self.radius + self.slope * height
        return np.stack((radius * np.cos(angle), radius * np.sin(angle), height), axis=-1)


def _lower_end(shape: RidgeShape, cuts: Floats, steps: Floats) -> _End:
    inside = cuts[cuts <= shape.sector * (1 + SLIVER)]
    starts: Floats = np.arange(shape.starts, dtype=np.float64) * shape.sector
    return _End(
        shape.radii[0], shape.slope, shape.first, shape.lead, shape.sector, starts, inside, steps,
        shape.ends[0], shape.points[0],
    )  # fmt: skip


def _upper_end(shape: RidgeShape, cuts: Floats, steps: Floats) -> _End:
    """Return the upper end turned upside down about the x axis: angles run back, heights count down from the top."""
    back = (cuts[-1] - cuts)[::-1]
    inside = back[back <= shape.sector * (1 + SLIVER)]
    starts = -(np.arange(shape.starts) * shape.sector + cuts[-1])
    first = shape.height - (shape.first + shape.lead * cuts[-1] / TURN + shape.width)
    return _End(
        shape.radii[1], -shape.slope, first, shape.lead, shape.sector, starts, inside, (steps[-1] - steps)[::-1],
        shape.ends[1], shape.points[1],
    )  # fmt: skip


def _collar(end: _End, tolerance: float) -> list[NurbsSurface]:
    """Return the surfaces between the ring and the strips, u round and v upwards, and those that close the ring."""
    pieces: list[NurbsSurface] = []
    pitch = float(end.steps[-1])
    # Lines from the step lean back where there is room: three faces meet at its foot, five at its top.
    arc, lean = min(pitch / end.radius, end.sector / 3), min(end.first / end.radius, end.sector / 8)
    base = end.first - TURNING * (arc + lean) * end.radius
    base = base if base > LEAST_BARE * end.first else 0.0
    for start in end.starts:
        shares = end.cuts / end.cuts[-1]
        lower = start - lean + shares * (end.sector - arc)
        upper = start + end.cuts
        rise = end.first + end.lead / TURN * end.cuts
        for k in range(len(shares) - 1):
            pieces.append(_collar_piece(end, lower[k : k + 2], upper[k : k + 2], rise[k : k + 2], base, tolerance))
        marks = end.steps[::-1]
        turned = start - lean - marks / pitch * arc
        for k in range(len(marks) - 1):
            there = np.full(2, start)
            pieces.append(_collar_piece(end, turned[k : k + 2], there, end.first + marks[k : k + 2], base, tolerance))
        for low, high in (*pairwise(lower), *pairwise(turned)):
            if base:
                sides = np.array([low, high])
                pieces.append(_collar_piece(end, sides, sides, np.full(2, base), 0.0, tolerance))
            pieces += _closing(end, float(low), float(high))
    return pieces


def _collar_piece(end: _End, lower: Floats, upper: Floats, rise: Floats, base: float, tolerance: float) -> NurbsSurface:
    """Return the core from angles `lower` (2,) of the ring at `base` to a line at `upper` (2,), heights `rise` (2,)."""

    def places(u: Floats, v: Floats) -> Floats:
        low, high, top = (pair[0] + (pair[1] - pair[0]) * u[:, None] for pair in (lower, upper, rise))
        return end.on_core(low + (high - low) * v, base + (top - base) * v)

    spread = (abs(lower[1] - lower[0]), abs(upper[1] - upper[0]))
    counts = max(4, round(6 * float(max(spread)))), max(4, round(6 * float(np.abs(upper - lower).max())))
    return fit_patch(places, tolerance, counts).surface


def _closing(end: _End, low: float, high: float) -> list[NurbsSurface]:
    """Return the surface from an arc of the ring to the middle or the tip, facing down; none for an open end."""
    if end.closing == "open":
        return []
    x, y = np.array([end.radius, 0.0, 0.0]), np.array([0.0, end.radius, 0.0])
    arc = make_arc(np.zeros(3), x, y, low, high)
    down = np.array([0.0, 0.0, -1.0])
    run = end_run(arc, down, end.closing, at_start=True, middle=np.zeros(3), point=end.point)
    if run is None:
        return []
    return [surface_from_homogeneous((arc.degree, run.degree), (arc.knots, run.knots), run.net)]


def _upside_down(piece: NurbsSurface, shape: RidgeShape) -> NurbsSurface:
    """Return a piece of the upper end where it belongs."""
    points = piece.control_points * FLAT + [0.0, 0.0, shape.height]
    return NurbsSurface(piece.degrees, piece.knots, points, piece.weights)


def _placement(shape: RidgeShape) -> Placement:
    """Return the mirror for a left hand, and the turn to where the ridge starts."""
    turned = turning(np.zeros(3), (0.0, 0.0, 1.0), shape.phase)
    return Placement(np.diag([1.0, float(shape.hand), 1.0]), np.zeros(3)).then(turned)
