"""Frames along a curve, and placements that stand bodies in them."""

from __future__ import annotations

from typing import Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats, cross, directions
from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points, curve_tangents
from glass_spoon.kernel.curves.make.helix import carry_frame
from glass_spoon.kernel.errors import InvalidInput, KernelError
from glass_spoon.kernel.repeat.placements import Placements, fill_length
from glass_spoon.kernel.surfaces.evaluate.closest_points import closest_points
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_points_normals
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface

Facing = Literal["kept upright", "turned with it", "upright along it", "square to a surface"]

UP = np.array([0.0, 0.0, 1.0])

LEVEL = 1e-6
"""Where the level part of a direction is shorter than this, it is upright and has no way along the ground."""


def even_params(
    path: NurbsCurve,
    count: int | None,
    step: float | None = None,
    gaps: tuple[float, float] = (0.0, 0.0),
    most: int = 1_000_000,
) -> Floats:
    """Return parameters (n,) of places along a curve, even by its length: so many, or about `step` mm apart.

    gaps: how much of the curve in mm stays free at its start and its end. A closed curve without gaps has no last place:
    the step after it leads back to the first. Raises InvalidInput for gaps that leave nothing, and for
    more than `most` places.
    """
    arc = measure_length(path)
    room = arc.length - sum(gaps)
    if room <= 0 or min(gaps) < 0:
        raise InvalidInput(
            "The gaps at the ends", f"less than {arc.length:.4g} mm together, 0 or more", f"{sum(gaps):.4g} mm"
        )
    closed = path.is_closed(1e-6) and not any(gaps)
    number = count if count is not None else fill_length(room, step or 0.0) - closed
    if not 1 <= number <= most:
        raise InvalidInput("The number of copies", f"1 to {most:,}", f"{number:,}")
    shares = np.arange(number) / (number if closed else max(1, number - 1))
    return np.asarray(arc.to_params(gaps[0] + shares * room))


def frames_along(
    path: NurbsCurve, params: Floats, facing: Facing, surface: NurbsSurface | None = None
) -> tuple[Floats, Floats]:
    """Return points (n, 3) mm of a curve and frames (n, 3, 3) there, whose columns run along it, beside it, and up.

    Turned with it, they are carried without twist from an up that is as upright as can be; upright along it, up is up and
    along is its way over the ground; square to a surface, up is the surface's normal at its nearest place.
    """
    points = curve_points(path, params)
    if facing == "kept upright":
        return points, np.broadcast_to(np.eye(3), (len(points), 3, 3))
    along = curve_tangents(path, params)
    if facing == "turned with it":
        up = carry_frame(path).at(params)[1]
    elif facing == "upright along it":
        along = _level(along)
        up = np.broadcast_to(UP, along.shape)
    else:
        if surface is None:
            raise KernelError("Pick the surface that they stand square to.")
        u, v, _ = closest_points(surface, points)
        up = surface_points_normals(surface, u, v)[1]
        along = directions(along - np.einsum("ni,ni->n", along, up)[:, None] * up)
    return points, np.stack((along, cross(up, along), up), axis=2)


def _level(along: Floats) -> Floats:
    """Return the way over the ground (n, 3) of directions; where one is upright that of the nearest before or after it."""
    flat = along * [1.0, 1.0, 0.0]
    sizes = np.hypot(flat[:, 0], flat[:, 1])
    there = np.flatnonzero(sizes > LEVEL)
    if not len(there):
        return np.broadcast_to(np.array([1.0, 0.0, 0.0]), along.shape)
    numbers = np.arange(len(along))
    after = np.searchsorted(there, numbers)
    later, earlier = there[np.minimum(after, len(there) - 1)], there[np.maximum(after - 1, 0)]
    nearest = np.where(np.abs(numbers - earlier) <= np.abs(later - numbers), earlier, later)
    return directions(flat[nearest])


def stand_in_frames(points: Floats, frames: Floats) -> Placements:
    """Return placements that lay a body's origin on points (n, 3), its x, y and z axes along the frames (n, 3, 3)."""
    return Placements(frames, points)


def follow_frames(points: Floats, frames: Floats) -> Placements:
    """Return placements that carry a body from where it stands at the first point and frame to all of them."""
    turns = frames @ frames[0].T
    return Placements(turns, points - turns @ points[0])


def varied(places: Placements, scales: Floats, turns: Floats, shifts: Floats) -> Placements:
    """Return placements whose bodies are scaled by (n,), turned by (n,) radians about their own up axis and shifted by (n,)
    mm along it, all about their origin, before they are placed.
    """
    c, s, none = np.cos(turns), np.sin(turns), np.zeros(len(turns))
    spun = np.stack((c, -s, none, s, c, none, none, none, none + 1), axis=1).reshape(-1, 3, 3) * scales[:, None, None]
    return Placements(places.matrices @ spun, places.offsets + shifts[:, None] * places.matrices[:, :, 2])


def scaled_about(places: Placements, middle: Floats, factors: Floats) -> Placements:
    """Return placements whose bodies are scaled by factors (n,) about a place (3,) mm of theirs before they are placed."""
    matrices = places.matrices * factors[:, None, None]
    return Placements(matrices, places.offsets + (places.matrices - matrices) @ middle)
