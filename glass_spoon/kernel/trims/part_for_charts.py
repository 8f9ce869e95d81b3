"""Faces that no flat map takes without stretching are parted along isolines until each part has one."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_points
from glass_spoon.kernel.trims.arrange import part_face
from glass_spoon.kernel.trims.charts import chart_of, reaches_pole, stretch
from glass_spoon.kernel.trims.face import Face, FaceSet, isoline

STRETCHED = 2.2
"""A face whose map stretches more, from place to place, is parted."""

LEAST_STEPS = 6.0
"""Edges that a face is long, below which it is not parted."""

DEPTH = 4
"""How often parts are parted again."""

NEAR = 1e-9
"""Share of a domain within which a boundary lies at its end."""


def part_for_charts(shape: FaceSet, step: float) -> tuple[FaceSet, list[int]]:
    """Return faces each of which has a flat map that stretches it little, and whose part each is; step: edges in mm."""
    faces, owner = list[Face](), list[int]()
    for number, face in enumerate(shape.faces):
        parts = _parts(face, step, shape.tolerance, DEPTH)
        faces += parts
        owner += [number] * len(parts)
    return FaceSet(tuple(faces), shape.tolerance), owner


def _parts(face: Face, step: float, tolerance: float, depth: int) -> list[Face]:
    """Return the parts of a face."""
    for axis in (0, 1):
        if all(reaches_pole(face, axis, end) for end in (0, -1)):
            return [part for half in _cut(face, axis, tolerance) for part in _parts(half, step, tolerance, depth - 1)]
    if not depth:
        return [face]
    chart = chart_of(face, closes=_closes(face))
    if stretch(face, chart) <= STRETCHED:
        return [face]
    # Across the way along which the lengths of isolines change most.
    axis = int(np.argmax([_change(face, axis) for axis in (0, 1)]))
    if _extent(face, axis) < LEAST_STEPS * step:
        return [face]
    halves = _cut(face, axis, tolerance)
    return [part for half in halves for part in _parts(half, step, tolerance, depth - 1)] if len(halves) > 1 else [face]


def _closes(face: Face) -> bool:
    """Say whether a face reaches both sides of a seam."""
    for axis in (0, 1):
        reach = np.concatenate(face.outlines)[:, axis]
        low, high = face.surface.domain(axis)
        near = NEAR * (high - low)
        if (
            face.surface.is_closed(axis, 1e-6 * face.surface.size)
            and reach.min() <= low + near
            and reach.max() >= high - near
        ):
            return True
    return False


def _cut(face: Face, axis: int, tolerance: float) -> list[Face]:
    """Return the parts of a face on both sides of its middle along an axis."""
    reach = face.outlines[0][:, axis]
    low, high = face.surface.domain(axis)
    share = ((float(reach.min()) + float(reach.max())) / 2 - low) / (high - low)
    return list(part_face(face, [isoline(face.surface, axis, share)], tolerance).faces)


def _lines(face: Face, axis: int) -> Floats:
    """Return places (9, 17, 3) of nine isolines across an axis, over what a face reaches."""
    low, high = (getattr(face.outlines[0], which)(axis=0) for which in ("min", "max"))
    along, across = np.linspace(low[axis], high[axis], 9), np.linspace(low[1 - axis], high[1 - axis], 17)
    grid = np.stack(np.meshgrid(along, across, indexing="ij"), axis=-1)
    params = grid if axis == 0 else grid[..., ::-1]
    return surface_points(face.surface, *params.reshape(-1, 2).T).reshape(9, 17, 3)


def _change(face: Face, axis: int) -> float:
    """Return how many times longer the longest isoline across an axis is than the shortest."""
    sizes = lengths(np.diff(_lines(face, axis), axis=1)).sum(axis=1)
    return float(sizes.max() / max(float(sizes.min()), 1e-3 * float(sizes.max()), 1e-300))


def _extent(face: Face, axis: int) -> float:
    """Return how long in mm a face is along an axis."""
    return float(lengths(np.diff(_lines(face, axis), axis=0)).sum(axis=0).max())
