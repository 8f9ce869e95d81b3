"""The path across the outline of a plate: from the lower cap over its edge, the side and the upper edge to the upper cap.

It is measured by how far it lies inside the outline (o) and how high (z).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.errors import KernelError, floor_text
from glass_spoon.kernel.surfaces.make.plate_shape import PlateEdge, PlateShape

SEARCHES = 40
"""Halvings by which the largest size that fits is found."""


@dataclass(frozen=True)
class PathPart:
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


def plate_path(shape: PlateShape) -> list[PathPart]:
    """Return the path from the lower to the upper cap. Raises KernelError when both edges do not fit the height."""
    line = _side_line(shape)
    parts: list[PathPart] = []
    shift = 0.0
    for edge, at_end in ((shape.lower, False), (shape.upper, True)):
        if edge.kind == "sharp":
            continue
        corner, along, size = _edge_frame(line, at_end=at_end)
        angle, reach = float(np.arccos(np.clip(along[0], -1, 1))), _reach(edge, corner, along, size)
        if reach >= size * (1 - 1e-9):
            largest = _largest_in_height(shape, at_end=at_end)
            raise KernelError(
                f"An edge of {edge.size:.4g} mm does not fit the height. The largest that fits is {floor_text(largest)} mm."
            )
        on_cap, on_side = corner + np.array([reach, 0.0]), corner + reach * along
        rounded = edge.kind == "rounded"
        ends = (tuple(on_side), tuple(on_cap)) if at_end else (tuple(on_cap), tuple(on_side))
        made = PathPart(*ends, tuple(corner) if rounded else None, float(np.sin(angle / 2)) if rounded else 1.0, edge.steps)  # type: ignore[arg-type]
        line[-1 if at_end else 0] = on_side
        parts.append(made)
        shift = max(shift, reach) if shape.outside else 0.0
    sides = [PathPart(tuple(a), tuple(b)) for a, b in pairwise(line)]  # type: ignore[arg-type]
    low = [part for part in parts if part.start[1] == shape.low]
    high = [part for part in parts if part not in low]
    return [_shifted(part, -shift) for part in (*low, *sides, *high)]


def cut_at_outline(part: PathPart) -> list[PathPart]:
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
        halves.append(PathPart(tuple(start), tuple(end), tuple(meeting), weight, count))
    return halves


def _shifted(part: PathPart, by: float) -> PathPart:
    """Return a part moved inwards."""
    if by == 0:
        return part
    corner = None if part.corner is None else (part.corner[0] + by, part.corner[1])
    return replace(part, start=(part.start[0] + by, part.start[1]), end=(part.end[0] + by, part.end[1]), corner=corner)


def _largest_in_height(shape: PlateShape, *, at_end: bool) -> float:
    """Return the largest edge that still leaves some of the side."""
    name = "upper" if at_end else "lower"
    edge: PlateEdge = getattr(shape, name)
    return largest_fitting(lambda size: _fits_height(replace(shape, **{name: replace(edge, size=size)})), edge.size)  # type: ignore[arg-type]


def _fits_height(shape: PlateShape) -> bool:
    """Say whether the edges fit the height."""
    line = _side_line(shape)
    left = [float(np.hypot(*(b - a))) for a, b in pairwise(line)]
    for edge, at_end in ((shape.lower, False), (shape.upper, True)):
        if edge.kind != "sharp":
            left[-1 if at_end else 0] -= _reach(edge, *_edge_frame(line, at_end=at_end))
    return min(left) > 1e-9


def _side_line(shape: PlateShape) -> list[Floats]:
    """Return the corners (o, z) of the path with sharp edges; a draft breaks at height 0."""
    stops = sorted({shape.low, shape.high} | ({0.0} if shape.low < 0 < shape.high and shape.draft else set()))
    return [np.array([abs(z) * np.tan(shape.draft), z]) for z in stops]


def _edge_frame(line: list[Floats], *, at_end: bool) -> tuple[Floats, Floats, float]:
    """Return the corner (2,) of an edge, the direction along the side from it, and the length of the side."""
    corner, neighbour = (line[-1], line[-2]) if at_end else (line[0], line[1])
    size = float(np.hypot(*(neighbour - corner)))
    return corner, (neighbour - corner) / size, size


def _reach(edge: PlateEdge, corner: Floats, along: Floats, size: float) -> float:
    """Return how far from its corner an edge reaches along the cap and the side."""
    angle = float(np.arccos(np.clip(along[0], -1, 1)))
    return edge.size / np.tan(angle / 2) if edge.kind == "rounded" else edge.size


def largest_fitting(fits: Callable[[float], bool], failing: float) -> float:
    """Return the largest size below a failing one that fits, by halving."""
    low, high = 0.0, failing
    for _ in range(SEARCHES):
        middle = (low + high) / 2
        low, high = (middle, high) if fits(middle) else (low, middle)
    return low
