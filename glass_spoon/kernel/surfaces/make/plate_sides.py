"""The sides of a plate: the parts of its path carried round one loop of its outline."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.curves.alter.edit_knots import bezier_pieces, insert_knots
from glass_spoon.kernel.curves.alter.offset_curve import exact_offset
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.make.line_and_arc import make_arc
from glass_spoon.kernel.surfaces.alter.edit_surface import split_surface
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface, surface_from_homogeneous
from glass_spoon.kernel.surfaces.make.fit_patch import fit_patch
from glass_spoon.kernel.surfaces.make.outline_loop import (
    OutlineLoop,
    RunOffset,
    is_straight,
    offset_points,
    opens_at,
    run_offsets,
)
from glass_spoon.kernel.surfaces.make.plate_path import PathPart
from glass_spoon.kernel.surfaces.make.plate_shape import CornerKind

UP = np.array([0.0, 0.0, 1.0])

MOST_SHARES = 512
"""Most shares of a side that is fitted, or four times those it starts with: what needs more is refused in words."""

POINT = 1e-9
"""Share of the size of a side within which a part of its edge is a point."""


def side_surfaces(
    loop: OutlineLoop, path: list[PathPart], corners: CornerKind, tolerance: float
) -> list[list[NurbsSurface]]:
    """Return the surfaces of each part of the path round a loop, u along the outline and v along the path.

    All parts are cut where an arc of one of them shrinks to a point: there the sides meet at whole edges.
    """
    offsets = run_offsets(loop, corners)
    exact = [[_exact_side(offset, part) for offset in offsets] for part in path]
    cuts = [_points_on(sides) for sides in zip(*exact, strict=True)]
    found = []
    for part, sides in zip(path, exact, strict=True):
        surfaces = []
        extreme = min((part.start[0], part.end[0]), key=lambda o: -abs(o))
        for k, (offset, side) in enumerate(zip(offsets, sides, strict=True)):
            surfaces += _cut_at(side if side is not None else _fitted_side(offset, part, tolerance), cuts[k])
            if abs(extreme) > tolerance and opens_at(loop, k, extreme, corners):
                surfaces.append(_corner_side(loop, k, part))
        found.append(surfaces)
    return found


def _points_on(sides: tuple[NurbsSurface | None, ...]) -> Floats:
    """Return where along them sides over one run shrink to points: an edge as round as its corner is part of a ball."""
    found = [np.zeros(0)]
    for side in sides:
        if side is None:
            continue
        breaks = np.unique(side.knots[0])
        at = np.searchsorted(side.knots[0], breaks[:-1], side="right") - side.degrees[0] - 1
        spans = side.control_points[at[:, None] + np.arange(side.degrees[0] + 1)][:, :, [0, -1]]
        small = POINT * float(np.ptp(side.control_points, axis=(0, 1)).max())
        shrunk = (np.ptp(spans, axis=1).max(axis=2) <= small).any(axis=1)
        found.append(breaks[np.flatnonzero(shrunk[1:] != shrunk[:-1]) + 1])
    return np.unique(np.concatenate(found))


def _cut_at(side: NurbsSurface, places: Floats) -> list[NurbsSurface]:
    """Return a side cut along the path at places of its u."""
    pieces = []
    for place in places:
        first, side = split_surface(side, 0, float(place))
        pieces.append(first)
    return [*pieces, side]


def _exact_side(offset: RunOffset, part: PathPart) -> NurbsSurface | None:
    """Return the side over lines and arcs that meet smoothly, or lines cut at a mitre, or of no lean; None for other runs.

    There every control point moves evenly with the offset, so the path's own weights make the side exact.
    """
    run = offset.run
    if not part.net[:, 0].any():  # straight up from the outline itself
        return _wall(run, part)
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
        if not (is_straight(run) and is_straight(neighbour)):
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


def _wall(run: NurbsCurve, part: PathPart) -> NurbsSurface:
    """Return the side that stands on a run."""
    points = run.control_points[:, None] + part.net[:, 1, None] * UP
    mass = np.outer(run.weights, part.weights)
    degree = len(part.net) - 1
    homogeneous = np.concatenate((points * mass[..., None], mass[..., None]), axis=2)
    knots = (run.knots, np.repeat([0.0, 1.0], degree + 1))
    return surface_from_homogeneous((run.degree, degree), knots, homogeneous)


def _with_full_knots(run: NurbsCurve) -> NurbsCurve:
    """Return a run with all inner knots of full multiplicity."""
    values, counts = np.unique(run.knots, return_counts=True)
    missing = np.repeat(values[1:-1], run.degree - counts[1:-1])
    return insert_knots(run, missing) if len(missing) else run


def _fitted_side(offset: RunOffset, part: PathPart, tolerance: float) -> NurbsSurface:
    """Return the side over a bent run, fitted."""

    def places(u: Floats, v: Floats) -> Floats:
        path = part.at(v)
        rows = [offset.points(u, float(o)) + z * UP for o, z in path]
        return np.stack(rows, axis=1)

    ring = offset.before is None and offset.run.is_closed(1e-6)
    counts = max(8, 2 * len(offset.run.breaks)), 1 if part.corner is None else 4
    return fit_patch(places, tolerance, counts, max(MOST_SHARES, 4 * max(counts)), (ring, False)).surface


def _corner_side(loop: OutlineLoop, k: int, part: PathPart) -> NurbsSurface:
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
