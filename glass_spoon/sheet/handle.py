"""Handles: places in space that the hand takes on the board, and what of a line follows it. Verbs declare them.

A handle moved by s mm changes each of its values by rate · s: a radius along its direction by 1 a mm, a width by 2. That of
an angle goes round a centre, and its value by as much as it is turned.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import ArrayLike

from glass_spoon.kernel.arrays import Floats, directions
from glass_spoon.sheet.fields import NumberSpec, Spec
from glass_spoon.sheet.items import Item
from glass_spoon.sheet.planes import PLANE_AXES, plane_normal

Vector = tuple[float, float, float]
ItemOf = Callable[[str], Item | None]
"""Gives the item of a reference, by field, as it is at the line; None where there is none, or later lines changed it."""

BEFORE = "before"
"""Asked for in place of a field: the item that the line alters, as it was before it."""
MADE = "made"
"""Asked for in place of a field: the item that the line gave."""

SPACE: dict[str, Vector] = {"x": (1.0, 0.0, 0.0), "y": (0.0, 1.0, 0.0), "z": (0.0, 0.0, 1.0)}
"""The directions of the coordinates of space."""


@dataclass(frozen=True)
class Change:
    """A value that follows a handle: a field, or the cell `column` of the row of a table.

    rate: how much of the value for each mm right, back and up. value: what it is now, in mm, radians or plain. row: the
    number of the row, counted from 0, or the cells that tell it, where a row is added if there is none.
    """

    field: str
    rate: Vector
    value: float
    column: str = ""
    row: int | Mapping[str, int] | None = None


@dataclass(frozen=True)
class Turning:
    """The circle on which the handle of an angle goes: counter-clockwise about a centre in mm, seen against a unit axis."""

    centre: Vector
    axis: Vector


@dataclass(frozen=True)
class Handle:
    """A place in mm that is taken, its `changes`, and what it is called.

    way: the only direction in which it goes, None for any. start: where the dimension that it is the end of begins, and
    measured: its direction; a view that does not see it does not show the handle. turning: how that of an angle goes.
    press: a field and the text that it becomes where the handle is pressed, mark: what is written on it, off:
    whether what it stands for is left out; it goes nowhere.
    joins: the numbers of other handles of the line, to which thin lines are drawn.
    """

    label: str
    place: Vector
    changes: tuple[Change, ...]
    way: Vector | None = None
    start: Vector | None = None
    measured: Vector | None = None
    turning: Turning | None = None
    press: tuple[str, str] | None = None
    mark: str = ""
    off: bool = False
    joins: tuple[int, ...] = ()


def vector_of(values: ArrayLike) -> Vector:
    """Return three numbers as a tuple."""
    x, y, z = np.asarray(values, dtype=np.float64).tolist()
    return (x, y, z)


def length_handle(field: str, value: float, start: ArrayLike, way: ArrayLike, share: float = 1.0, label: str = "") -> Handle:
    """Return the handle of a length: `share` of it lies from `start` along the unit vector `way` (1/2 for a width)."""
    begin, along = np.asarray(start, dtype=np.float64), np.asarray(way, dtype=np.float64)
    change = Change(field, vector_of(along / share), value)
    return Handle(
        label or field,
        vector_of(begin + share * value * along),
        (change,),
        vector_of(along),
        vector_of(begin),
        vector_of(along),
    )


def angle_handle(
    field: str, value: float, centre: ArrayLike, axis: ArrayLike, zero: ArrayLike, radius: float, label: str = ""
) -> Handle:
    """Return the handle of an angle in rad about an axis through a centre, at a radius in mm; `zero`: where it is none."""
    middle, about = np.asarray(centre, dtype=np.float64), directions(np.asarray(axis, dtype=np.float64))
    first = square_to(about, zero)
    out = np.cos(value) * first + np.sin(value) * np.cross(about, first)
    turning = Turning(vector_of(middle), vector_of(about))
    change = Change(field, (0.0, 0.0, 0.0), value)
    return Handle(label or field.replace("_", " "), vector_of(middle + radius * out), (change,), turning=turning)


def turned_back(axis: ArrayLike, way: ArrayLike, angle: float) -> Floats:
    """Return a direction (3,) as it was before it turned by an angle in rad about a unit axis."""
    about, now = np.asarray(axis, dtype=np.float64), np.asarray(way, dtype=np.float64)
    return np.asarray(
        np.cos(angle) * now - np.sin(angle) * np.cross(about, now) + (1 - np.cos(angle)) * (about @ now) * about
    )


def square_to(axis: Floats, way: ArrayLike) -> Floats:
    """Return the unit direction (3,) square to a unit axis that is nearest to a way; any where the way runs along it."""
    wanted = np.asarray(way, dtype=np.float64)
    flat = wanted - (wanted @ axis) * axis
    if float(np.linalg.norm(flat)) <= 1e-9 * float(np.linalg.norm(wanted)) or not float(np.linalg.norm(wanted)) > 0:
        flat = np.cross(axis, np.eye(3)[int(np.abs(axis).argmin())])
    return directions(flat)


def vector_handle(values: Mapping[str, Any], fields: Sequence[str], start: ArrayLike, label: str) -> Handle:
    """Return the handle of a move by x, y and z from `start`."""
    by = [float(values[name]) for name in fields]
    changes = tuple(Change(name, SPACE[axis], value) for name, axis, value in zip(fields, SPACE, by, strict=True))
    begin = np.asarray(start, dtype=np.float64)
    return Handle(label, vector_of(begin + by), changes, None, vector_of(begin))


def place_handles(specs: Mapping[str, Spec], used: Sequence[str], values: Mapping[str, Any], plane: str) -> list[Handle]:
    """Return a handle for each place among the fields: those whose names differ in the axis alone."""
    places: dict[str, dict[str, str]] = {}
    for name in used:
        spec = specs[name]
        if isinstance(spec, NumberSpec) and spec.axis and name in values:
            places.setdefault(name[: len(name) - len(spec.axis)], {})[spec.axis] = name
    axes = SPACE | dict(zip(("right", "up"), PLANE_AXES[plane], strict=True)) | {"out": vector_of(plane_normal(plane))}
    handles = []
    for prefix, fields in places.items():
        changes = tuple(Change(name, axes[axis], float(values[name])) for axis, name in fields.items())
        place = sum((np.array(change.rate) * change.value for change in changes), start=np.zeros(3))
        handles.append(Handle(f"{prefix.strip('_').replace('_', ' ')} place".strip(), vector_of(place), changes))
    return handles
