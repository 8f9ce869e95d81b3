"""A plate: outlines with holes pulled straight, drafted, with rounded or chamfered edges and flat caps.

z |   cap           seen across the outline, material on the right of the path:
|   .-------      the path runs from the lower cap over its edge, the side and the upper edge to the upper cap.
|  (   material   It is measured by how far it lies inside the outline (o) and how high (z).
|  |              Every place of it is the outline offset inwards by o, at height z.
|   '-------
+------------ o
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from itertools import pairwise
from typing import Literal

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, lengths
from glass_spoon.kernel.curves.curve import NurbsCurve
from glass_spoon.kernel.curves.edit_knots import bezier_pieces, insert_knots, reverse_curve, trim_curve
from glass_spoon.kernel.curves.evaluate_curve import (
    closed_at_kink,
    curve_derivatives,
    curve_points,
    curve_tangents,
    find_kinks,
)
from glass_spoon.kernel.curves.line_and_arc import make_arc
from glass_spoon.kernel.curves.offset_curve import exact_offset
from glass_spoon.kernel.curves.round_corners import SHARP_ANGLE
from glass_spoon.kernel.errors import InvalidInput, KernelError, floor_text
from glass_spoon.kernel.surfaces.fit_patch import fit_patch
from glass_spoon.kernel.surfaces.surface import NurbsSurface, surface_from_homogeneous
from glass_spoon.kernel.surfaces.surface_set import FlatCap, SurfaceSet

EdgeKind = Literal["sharp", "rounded", "chamfered"]
CornerKind = Literal["mitred", "rounded"]

UP = np.array([0.0, 0.0, 1.0])

PLACES = 24
"""Places of a smooth run, per knot span, at which offsets are checked …"""

MOST_CHECKED = 360
"""… and most of them on one loop."""

STEEPEST_DRAFT = np.radians(80)
SEARCHES = 40
"""Halvings by which the largest size that fits is found."""


@dataclass(frozen=True)
class PlateEdge:
    """An edge of a plate: sharp, or rounded or chamfered by `size` mm over `steps` faces of a mesh (0 for any number)."""

    kind: EdgeKind = "sharp"
    size: float = 0.0
    steps: int = 0


SHARP = PlateEdge()


@dataclass(frozen=True)
class PlateShape:
    """How outlines in the xy plane become a plate.

    low, high: heights in mm of the lower and the upper side. draft: angle in radians by which sides lean inwards away from
    height 0. corners: of outlines where a lean opens them. lower, upper: the edges; outside: they grow out of the outline
    instead of being kept inside. capped: whether the (lower, upper) side is closed.
    """

    low: float
    high: float
    draft: float = 0.0
    corners: CornerKind = "mitred"
    lower: PlateEdge = SHARP
    upper: PlateEdge = SHARP
    outside: bool = False
    capped: tuple[bool, bool] = (True, True)


def make_plate(outline: NurbsCurve, holes: list[NurbsCurve], shape: PlateShape, tolerance: float = 1e-3) -> SurfaceSet:
    """Return the surfaces of a plate over closed outlines in the xy plane, within `tolerance` mm, exact over lines and arcs.

    Raises InvalidInput for outlines that are not closed and sizes out of range, KernelError for outlines that cross, and for
    an edge or a draft that does not fit, with the largest that does.
    """
    _check(shape, outline, holes)
    loops = [_make_loop(outline, inner=False), *(_make_loop(hole, inner=True) for hole in holes)]
    path = _path(shape)
    fault = _fault(loops, path)
    if fault is not None:
        _refuse(loops, shape, fault)
    if any(_opens(loop, k, -np.sign(loop.turns[k]), shape.corners) for loop in loops for k in range(len(loop.runs))):
        path = [half for part in path for half in _cut_at_outline(part)]
    surfaces: list[NurbsSurface] = []
    counts: list[tuple[int, int]] = []
    for loop in loops:
        for part in path:
            for surface in _side(loop, part, shape.corners, tolerance):
                surfaces.append(surface)
                counts.append((0, part.steps))
    heights = path[0].start[1], path[-1].end[1]
    caps = [FlatCap(UP * heights[0], -UP), FlatCap(UP * heights[1], UP)]
    kept = tuple(cap for cap, wanted in zip(caps, shape.capped, strict=True) if wanted)
    return SurfaceSet(tuple(surfaces), 10 * tolerance, kept, tuple(counts) if any(pair[1] for pair in counts) else ())


def _check(shape: PlateShape, outline: NurbsCurve, holes: list[NurbsCurve]) -> None:
    """Raise InvalidInput for what is no plate."""
    if not shape.high > shape.low:
        raise InvalidInput("The height", "above 0 mm", f"{shape.high - shape.low:g} mm")
    if not all(curve.is_closed(1e-6) for curve in (outline, *holes)):
        raise InvalidInput("The outline and its holes", "closed", "open")
    if abs(shape.draft) > STEEPEST_DRAFT:
        most = np.degrees(STEEPEST_DRAFT)
        raise InvalidInput("The draft", f"at most {most:.0f}°", f"{np.degrees(shape.draft):.4g}°")
    for name, edge in (("lower", shape.lower), ("upper", shape.upper)):
        if edge.kind != "sharp" and not edge.size > 0:
            raise InvalidInput(f"The size of the {name} edge", "above 0 mm", f"{edge.size:g} mm")


@dataclass(frozen=True)
class _Part:
    """A part of the path across the outline: (o, z) at its ends, and the corner that an arc rounds, None if straight.

    weight: of the corner. steps: faces across it, 0 for any number.
    """

    start: tuple[float, float]
    end: tuple[float, float]
    corner: tuple[float, float] | None = None
    weight: float = 1.0
    steps: int = 0

    @property
    def net(self) -> Floats:
        """Control points (2 or 3, 2) as (o, z)."""
        return np.array([self.start, self.end] if self.corner is None else [self.start, self.corner, self.end])

    @property
    def weights(self) -> Floats:
        """Weights of the control points."""
        return np.ones(2) if self.corner is None else np.array([1.0, self.weight, 1.0])

    def at(self, shares: Floats) -> Floats:
        """Return (o, z) (n, 2) at shares (n,) of the way."""
        t = shares[:, None]
        if self.corner is None:
            return (1 - t) * self.net[0] + t * self.net[1]
        basis = np.concatenate(((1 - t) ** 2, 2 * t * (1 - t) * self.weight, t**2), axis=1)
        return np.asarray(basis @ self.net / basis.sum(axis=1, keepdims=True))


def _path(shape: PlateShape) -> list[_Part]:
    """Return the path from the lower to the upper cap. Raises KernelError when both edges do not fit the height."""
    line = _side_line(shape)
    parts: list[_Part] = []
    shift = 0.0
    for edge, at_end in ((shape.lower, False), (shape.upper, True)):
        if edge.kind == "sharp":
            continue
        corner, along, size = _edge_frame(line, at_end)
        angle, reach = float(np.arccos(np.clip(along[0], -1, 1))), _reach(edge, corner, along, size)
        if reach >= size * (1 - 1e-9):
            largest = _largest_in_height(shape, at_end)
            raise KernelError(
                f"An edge of {edge.size:.4g} mm does not fit the height. The largest that fits is {floor_text(largest)} mm."
            )
        on_cap, on_side = corner + np.array([reach, 0.0]), corner + reach * along
        rounded = edge.kind == "rounded"
        ends = (tuple(on_side), tuple(on_cap)) if at_end else (tuple(on_cap), tuple(on_side))
        made = _Part(*ends, tuple(corner) if rounded else None, float(np.sin(angle / 2)) if rounded else 1.0, edge.steps)  # type: ignore[arg-type]
        line[-1 if at_end else 0] = on_side
        parts.append(made)
        shift = max(shift, reach) if shape.outside else 0.0
    sides = [_Part(tuple(a), tuple(b)) for a, b in pairwise(line)]  # type: ignore[arg-type]
    low = [part for part in parts if part.start[1] == shape.low]
    high = [part for part in parts if part not in low]
    return [_shifted(part, -shift) for part in (*low, *sides, *high)]


def _cut_at_outline(part: _Part) -> list[_Part]:
    """Return a part cut where it passes from outside the outline to inside: corners open on one side of it only."""
    if part.start[0] * part.end[0] >= 0:
        return [part]
    low, high = 0.0, 1.0
    for _ in range(60):
        middle = (low + high) / 2
        low, high = (middle, high) if part.at(np.array([middle]))[0, 0] * part.start[0] > 0 else (low, middle)
    place = part.at(np.array([low]))[0]
    place[0] = 0.0
    first = min(max(round(part.steps * low), 1), part.steps - 1) if part.steps > 1 else part.steps
    steps = first, max(part.steps - first, min(part.steps, 1))
    if part.corner is None:
        return [replace(part, end=tuple(place), steps=steps[0]), replace(part, start=tuple(place), steps=steps[1])]  # type: ignore[arg-type]
    ends = [np.array(part.start), place, np.array(part.end)]
    corner = np.array(part.corner)
    # The tangent of a circle at a place halves the turn left to either end: the corners lie where it meets theirs.
    near = part.at(np.clip(np.array([low - 1e-6, low + 1e-6]), 0, 1))
    along = (near[1] - near[0]) / np.hypot(*(near[1] - near[0]))
    halves = []
    for start, end, own, count in (
        (ends[0], place, corner - ends[0], steps[0]),
        (place, ends[2], ends[2] - corner, steps[1]),
    ):
        own = own / np.hypot(*own)
        outer = ends[0] if start is not place else ends[2]
        matrix = np.column_stack((own, -along))
        meeting = outer + np.linalg.solve(matrix, place - outer)[0] * own
        weight = float(np.cos(np.arccos(np.clip(own @ along, -1, 1)) / 2))
        halves.append(_Part(tuple(start), tuple(end), tuple(meeting), weight, count))
    return halves


def _shifted(part: _Part, by: float) -> _Part:
    """Return a part moved inwards."""
    if by == 0:
        return part
    corner = None if part.corner is None else (part.corner[0] + by, part.corner[1])
    return replace(part, start=(part.start[0] + by, part.start[1]), end=(part.end[0] + by, part.end[1]), corner=corner)


def _largest_in_height(shape: PlateShape, at_end: bool) -> float:
    """Return the largest edge that still leaves some of the side."""
    name = "upper" if at_end else "lower"
    edge: PlateEdge = getattr(shape, name)
    return _largest(lambda size: _fits_height(replace(shape, **{name: replace(edge, size=size)})), edge.size)  # type: ignore[arg-type]


def _fits_height(shape: PlateShape) -> bool:
    """Say whether the edges fit the height."""
    line = _side_line(shape)
    left = [float(np.hypot(*(b - a))) for a, b in pairwise(line)]
    for edge, at_end in ((shape.lower, False), (shape.upper, True)):
        if edge.kind != "sharp":
            left[-1 if at_end else 0] -= _reach(edge, *_edge_frame(line, at_end))
    return min(left) > 1e-9


def _side_line(shape: PlateShape) -> list[Floats]:
    """Return the corners (o, z) of the path with sharp edges; a draft breaks at height 0."""
    stops = sorted({shape.low, shape.high} | ({0.0} if shape.low < 0 < shape.high and shape.draft else set()))
    return [np.array([abs(z) * np.tan(shape.draft), z]) for z in stops]


def _edge_frame(line: list[Floats], at_end: bool) -> tuple[Floats, Floats, float]:
    """Return the corner (2,) of an edge, the direction along the side from it, and the length of the side."""
    corner, neighbour = (line[-1], line[-2]) if at_end else (line[0], line[1])
    size = float(np.hypot(*(neighbour - corner)))
    return corner, (neighbour - corner) / size, size


def _reach(edge: PlateEdge, corner: Floats, along: Floats, size: float) -> float:
    """Return how far from its corner an edge reaches along the cap and the side."""
    angle = float(np.arccos(np.clip(along[0], -1, 1)))
    return edge.size / np.tan(angle / 2) if edge.kind == "rounded" else edge.size


def _largest(fits: Callable[[float], bool], failing: float) -> float:
    """Return the largest size below a failing one that fits, by halving."""
    low, high = 0.0, failing
    for _ in range(SEARCHES):
        middle = (low + high) / 2
        low, high = (middle, high) if fits(middle) else (low, middle)
    return low


@dataclass(frozen=True, eq=False)
class _Loop:
    """A closed outline, material on its left, as smooth runs; turns: radians by which it turns left before each.

    A smooth loop is one run, and its turn 0.
    """

    runs: list[NurbsCurve]
    turns: Floats


def _make_loop(curve: NurbsCurve, inner: bool) -> _Loop:
    """Return the loop of a closed curve in the xy plane."""
    if (_signed_area(curve) < 0) != inner:
        curve = reverse_curve(curve)
    kinks = find_kinks(curve, SHARP_ANGLE)
    at_seam = closed_at_kink(curve, SHARP_ANGLE)
    if not at_seam and not len(kinks):
        return _Loop([curve], np.zeros(1))
    stops = np.concatenate(([curve.domain[0]], kinks, [curve.domain[1]]))
    runs = [trim_curve(curve, float(low), float(high)) for low, high in pairwise(stops)]
    turns = [_turn(before, after) for before, after in zip([runs[-1], *runs[:-1]], runs, strict=True)]
    if not at_seam:
        turns[0] = 0.0
    return _Loop(runs, np.array(turns))


def _signed_area(curve: NurbsCurve) -> float:
    """Return the signed area in mm^2, near enough for its sign."""
    points = curve_points(curve, np.linspace(*curve.domain, 257))
    return float(points[:-1, 0] @ points[1:, 1] - points[:-1, 1] @ points[1:, 0]) / 2


def _turn(before: NurbsCurve, after: NurbsCurve) -> float:
    """Return by how much the direction turns to the left from the end of one run to the start of the next."""
    a = curve_tangents(before, np.array([before.domain[1]]))[0]
    b = curve_tangents(after, np.array([after.domain[0]]))[0]
    return float(np.arctan2(a[0] * b[1] - a[1] * b[0], a @ b))


def _is_straight(run: NurbsCurve) -> bool:
    """Say whether a run is a straight line."""
    away = run.control_points - run.control_points[0]
    chord = away[-1]
    if lengths(chord) <= 1e-9 * lengths(away).max():
        return False
    off = np.abs(away[:, 0] * chord[1] - away[:, 1] * chord[0])
    return bool(off.max() <= 1e-9 * float(chord @ chord))


@dataclass(frozen=True, eq=False)
class _RunOffset:
    """How a run is offset: where it is cut at either end. neighbours: the runs before and after; turns: to them.

    A straight run between straight ones is cut, or goes on, to the mitre; a bent one is cut where the offsets cross, which
    is kept in `found` by offset and end.
    """

    run: NurbsCurve
    before: NurbsCurve | None
    after: NurbsCurve | None
    turns: tuple[float, float]
    corners: CornerKind
    found: dict[tuple[float, bool], float] = field(default_factory=dict)

    def points(self, shares: Floats, offset: float) -> Floats:
        """Return places (n, 3) of the offset at shares (n,) of what is left of the run."""
        low, high = self.run.domain
        first = self._cut(offset, at_end=False)
        last = self._cut(offset, at_end=True)
        return offset_points(self.run, low + (first + (last - first) * shares) * (high - low), offset)

    def _cut(self, offset: float, at_end: bool) -> float:
        """Return the share of the run at which it starts or ends, beyond 0 to 1 where it goes on."""
        neighbour, turn = (self.after, self.turns[1]) if at_end else (self.before, self.turns[0])
        plain = 1.0 if at_end else 0.0
        if neighbour is None or turn == 0.0 or offset == 0.0:
            return plain
        both_straight = _is_straight(self.run) and _is_straight(neighbour)
        closes = turn * offset > 0
        if not closes and not (both_straight and self.corners == "mitred"):
            return plain
        if both_straight:
            size = float(lengths(self.run.control_points[-1] - self.run.control_points[0]))
            step = offset * np.tan(turn / 2) / size
            return plain - step if at_end else plain + step
        key = (offset, at_end)
        if key not in self.found:
            self.found[key] = _crossing(self.run, neighbour, offset, at_end)
        return self.found[key]


def offset_points(run: NurbsCurve, params: Floats, offset: float) -> Floats:
    """Return places (n, 3) `offset` mm to the left of a plane run; a straight one also beyond its ends."""
    low, high = run.domain
    inside = np.clip(params, low, high)
    values = curve_derivatives(run, inside, 1)
    tangent = values[1] / lengths(values[1])[:, None]
    left = np.column_stack((-tangent[:, 1], tangent[:, 0], np.zeros(len(params))))
    return np.asarray(values[0] + (params - inside)[:, None] * values[1] + offset * left)


def _crossing(run: NurbsCurve, neighbour: NurbsCurve, offset: float, at_end: bool) -> float:
    """Return the share of a run at which its offset crosses its neighbour's, by Newton's method from the corner."""
    (low, high), (low_next, high_next) = run.domain, neighbour.domain
    s, t = (high, low_next) if at_end else (low, high_next)
    for _ in range(60):
        here, there = offset_points(run, np.array([s]), offset)[0], offset_points(neighbour, np.array([t]), offset)[0]
        step = 1e-6 * (high - low), 1e-6 * (high_next - low_next)
        ds = step[0] if s + step[0] <= high else -step[0]
        dt = step[1] if t + step[1] <= high_next else -step[1]
        along = (offset_points(run, np.array([s + ds]), offset)[0] - here) / ds
        other = (offset_points(neighbour, np.array([t + dt]), offset)[0] - there) / dt
        matrix = np.array([[along[0], -other[0]], [along[1], -other[1]]])
        if abs(np.linalg.det(matrix)) < 1e-12:
            break
        move = np.linalg.solve(matrix, (there - here)[:2])
        s = float(np.clip(s + np.clip(move[0], -0.2 * (high - low), 0.2 * (high - low)), low, high))
        t = float(
            np.clip(t + np.clip(move[1], -0.2 * (high_next - low_next), 0.2 * (high_next - low_next)), low_next, high_next)
        )
        if abs(move[0]) < 1e-13 * (high - low):
            break
    return (s - low) / (high - low)


def _offsets_of(loop: _Loop, corners: CornerKind) -> list[_RunOffset]:
    """Return how the runs of a loop are offset."""
    count = len(loop.runs)
    if count == 1 and loop.turns[0] == 0.0:
        return [_RunOffset(loop.runs[0], None, None, (0.0, 0.0), corners)]
    return [
        _RunOffset(
            run,
            loop.runs[k - 1],
            loop.runs[(k + 1) % count],
            (float(loop.turns[k]), float(loop.turns[(k + 1) % count])),
            corners,
        )
        for k, run in enumerate(loop.runs)
    ]


def _opens(loop: _Loop, k: int, offset: float, corners: CornerKind) -> bool:
    """Say whether the corner before a run opens to an arc at an offset."""
    turn = float(loop.turns[k])
    if turn == 0.0 or turn * offset >= 0:
        return False
    return corners == "rounded" or not (_is_straight(loop.runs[k]) and _is_straight(loop.runs[k - 1]))


def _side(loop: _Loop, part: _Part, corners: CornerKind, tolerance: float) -> list[NurbsSurface]:
    """Return the surfaces of one part of the path round a loop, u along the outline and v along the path."""
    surfaces = []
    extreme = min((part.start[0], part.end[0]), key=lambda o: -abs(o))
    for k, offset in enumerate(_offsets_of(loop, corners)):
        surfaces.append(_exact_side(offset, part) or _fitted_side(offset, part, tolerance))
        if abs(extreme) > tolerance and _opens(loop, k, extreme, corners):
            surfaces.append(_corner_side(loop, k, part))
    return surfaces


def _exact_side(offset: _RunOffset, part: _Part) -> NurbsSurface | None:
    """Return the side over lines and arcs that meet smoothly, or lines cut at a mitre; None for other runs.

    There every control point moves evenly with the offset, so the path's own weights make the side exact.
    """
    run = offset.run
    pieces = [exact_offset(piece, run.degree, 1.0, UP) for piece in bezier_pieces(run)]
    if any(piece is None for piece in pieces):
        return None
    full = _with_full_knots(run)
    moved = np.concatenate([piece.control_points[: -1 if k + 1 < len(pieces) else None] for k, piece in enumerate(pieces)])  # type: ignore[union-attr]
    shift = moved - full.control_points
    for at_end, neighbour, turn in ((False, offset.before, offset.turns[0]), (True, offset.after, offset.turns[1])):
        if neighbour is None or turn == 0.0:
            continue
        sign = turn * (part.start[0] + part.end[0])
        if sign < 0 and offset.corners == "rounded":
            continue
        if not (_is_straight(run) and _is_straight(neighbour)):
            if sign < 0:
                continue
            return None
        chord = full.control_points[-1] - full.control_points[0]
        along = chord / lengths(chord)
        lean = np.tan(turn / 2) * (-1 if at_end else 1)
        share = ((full.control_points - full.control_points[0]) @ chord / (chord @ chord))[:, None]
        shift = shift + lean * along * (share if at_end else 1 - share)
    net = part.net
    points = full.control_points[:, None] + net[:, 0, None] * shift[:, None] + net[:, 1, None] * UP
    mass = np.outer(full.weights, part.weights)
    degree = len(net) - 1
    knots = np.repeat([0.0, 1.0], degree + 1)
    homogeneous = np.concatenate((points * mass[..., None], mass[..., None]), axis=2)
    return surface_from_homogeneous((full.degree, degree), (full.knots, knots), homogeneous)


def _with_full_knots(run: NurbsCurve) -> NurbsCurve:
    """Return a run with all inner knots of full multiplicity."""
    values, counts = np.unique(run.knots, return_counts=True)
    missing = np.repeat(values[1:-1], run.degree - counts[1:-1])
    return insert_knots(run, missing) if len(missing) else run


def _fitted_side(offset: _RunOffset, part: _Part, tolerance: float) -> NurbsSurface:
    """Return the side over a bent run, fitted."""

    def places(u: Floats, v: Floats) -> Floats:
        path = part.at(v)
        rows = [offset.points(u, float(o)) + z * UP for o, z in path]
        return np.stack(rows, axis=1)

    ring = offset.before is None and offset.run.is_closed(1e-6)
    counts = max(8, 2 * len(offset.run.breaks)), 1 if part.corner is None else 4
    return fit_patch(places, tolerance, counts, rings=(ring, False)).surface


def _corner_side(loop: _Loop, k: int, part: _Part) -> NurbsSurface:
    """Return the arc between the offsets of two runs at a corner that opens, exact: a piece of a cone or a torus."""
    run, before = loop.runs[k], loop.runs[k - 1]
    corner, turn = run.control_points[0], float(loop.turns[k])
    # Outside a left turn (o < 0) the arc bulges to the right of the loop, inside a right turn (o > 0) to its left.
    side = -1.0 if turn > 0 else 1.0
    normal = offset_points(before, np.array([before.domain[1]]), side)[0] - corner
    arc = make_arc(np.zeros(3), normal, np.cross(UP, normal), 0.0, turn)
    net = part.net
    reach = side * net[:, 0]
    points = corner + reach[:, None] * arc.control_points[:, None] + net[:, 1, None] * UP
    mass = np.outer(arc.weights, part.weights)
    degree = len(net) - 1
    homogeneous = np.concatenate((points * mass[..., None], mass[..., None]), axis=2)
    return surface_from_homogeneous((arc.degree, degree), (arc.knots, np.repeat([0.0, 1.0], degree + 1)), homogeneous)


def _fault(loops: list[_Loop], path: list[_Part]) -> str | None:
    """Say what is wrong: "crossing" outlines before any offset, or an "offset" that does not fit; None for nothing."""
    offsets = {0.0, *(value for part in path for value in (part.start[0], part.end[0]))}
    for offset in sorted(offsets, key=abs):
        if not _fits(loops, offset):
            return "crossing" if offset == 0.0 else "offset"
    return None


def _refuse(loops: list[_Loop], shape: PlateShape, fault: str) -> None:
    """Raise KernelError with the largest edge, or draft, that fits."""
    if fault == "crossing" and not _fits(loops, 0.0):
        raise KernelError(
            "The outline and its holes cross or lie outside each other. Draw the holes inside, clear of each other."
        )
    without = replace(shape, lower=SHARP, upper=SHARP)
    if _fault(loops, _path(without)) is not None:
        largest = _largest(
            lambda angle: _fault(loops, _path(replace(without, draft=np.copysign(angle, shape.draft)))) is None,
            abs(shape.draft),
        )
        raise KernelError(
            f"A draft of {np.degrees(shape.draft):.4g}° does not fit the outline. "
            f"The largest that fits is {floor_text(float(np.degrees(largest)))}°."
        )
    edge = shape.upper if shape.upper.size >= shape.lower.size else shape.lower

    def fits(size: float) -> bool:
        edges = [replace(one, size=min(one.size, size)) for one in (shape.lower, shape.upper)]
        return _fault(loops, _path(replace(shape, lower=edges[0], upper=edges[1]))) is None

    largest = _largest(fits, edge.size)
    raise KernelError(
        f"An edge of {edge.size:.4g} mm does not fit the outline. The largest that fits is {floor_text(largest)} mm."
    )


def _fits(loops: list[_Loop], offset: float) -> bool:
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
    if _any_crossing(starts, ends):
        return False
    outer = lines[0]
    return all(_is_inside(outer, hole[0]) for hole in lines[1:]) and not any(
        _is_inside(other, hole[0]) for k, hole in enumerate(lines[1:]) for j, other in enumerate(lines[1:]) if j != k
    )


def _sampled(loop: _Loop, offset: float) -> Floats | None:
    """Return places (n, 2) of an offset loop, None where it folds."""
    parts = []
    offsets = _offsets_of(loop, "mitred")
    spans = sum(len(run.breaks) - 1 for run in loop.runs)
    per_span = max(4, min(PLACES, MOST_CHECKED // max(1, spans)))
    for how in offsets:
        first, last = how._cut(offset, at_end=False), how._cut(offset, at_end=True)
        if last - first <= 1e-9:
            return None
        low, high = how.run.domain
        if not _is_straight(how.run):
            inside = np.clip(low + (first + (last - first) * np.linspace(0, 1, 8 * per_span)) * (high - low), low, high)
            values = curve_derivatives(how.run, inside, 2)
            speed = lengths(values[1])
            bend = (values[1][:, 0] * values[2][:, 1] - values[1][:, 1] * values[2][:, 0]) / speed**3
            if (1 - offset * bend).min() <= 1e-9:
                return None
        count = 2 if _is_straight(how.run) else per_span * (len(how.run.breaks) - 1) + 1
        parts.append(how.points(np.linspace(0, 1, count), offset)[:-1, :2])
        if how.after is not None:
            parts.append(how.points(np.array([1.0]), offset)[:, :2])
    points = np.concatenate(parts)
    apart = np.hypot(*(points - np.roll(points, 1, axis=0)).T) > 1e-9
    return points[apart]


def _any_crossing(starts: Floats, ends: Floats) -> bool:
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


def _is_inside(outline: Floats, place: Floats) -> bool:
    """Say whether a place (2,) lies inside a closed line (n, 2), by the even-odd rule."""
    ahead = np.roll(outline, -1, axis=0)
    spans: Bools = (outline[:, 1] > place[1]) != (ahead[:, 1] > place[1])
    a, b = outline[spans], ahead[spans]
    at = a[:, 0] + (place[1] - a[:, 1]) * (b[:, 0] - a[:, 0]) / (b[:, 1] - a[:, 1])
    return bool((place[0] < at).sum() % 2)
