"""What the kernel refuses, and why.

KernelError
├── InvalidInput        a value that no algorithm could use (NaN, wrong shape, zero count)
├── RadiusTooLarge      a rounding that does not fit; carries the largest that does
├── EdgeTooLarge        an edge of a plate that does not fit; carries the largest that does
├── FoldsBack           a parallel surface farther away than the surface bends; carries the largest distance
├── NotFollowed         a shape that no surface of a bounded size follows closely enough
├── CrossesAxis         a profile that passes through the axis it is revolved about; carries the places
├── CountImpossible     a count that cannot give the mesh asked for; carries the nearest that can
├── NotClosed           a body with open edges where closed ones are joined; carries which, by number
├── FacesTooLarge       faces beside a seam that leave no room for it; halved they may
└── TooManyFaces        a mesh whose predicted size is over the limit
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray


class KernelError(ValueError):
    """Base of all refusals; the text is a sentence for the modeler."""


class InvalidInput(KernelError):
    """A value cannot be used: says which input, what was wanted and what came."""

    def __init__(self, name: str, wanted: str, came: str) -> None:
        """Name the input, the wanted kind of value and the value that came."""
        super().__init__(f"{name} should be {wanted}, but it is {came}.")
        self.name, self.wanted, self.came = name, wanted, came


class RadiusTooLarge(KernelError):
    """A corner cannot be rounded with this radius (mm); `largest` (mm) still fits."""

    def __init__(self, radius: float, largest: float, place: NDArray[np.float64]) -> None:
        """Take the radius asked for, the largest that fits, both in mm, and the corner (3,) in mm."""
        super().__init__(
            f"A radius of {radius:.4g} mm does not fit the corner at {place_text(place)}. "
            f"The largest that fits is {floor_text(largest)} mm."
        )
        self.radius, self.largest, self.place = radius, largest, place


class CurveOff(KernelError):
    """A curve that is to cut lies off what it cuts."""


class NotClosed(KernelError):
    """A body that is joined with others has open edges; `number`: which of those it is, from 0."""

    def __init__(self, number: int, open_edges: int) -> None:
        """Take which body it is, and how many of its edges have not two faces."""
        name = ("first", "second", "third", "fourth", "fifth")[number] if number < 5 else f"{number + 1}th"
        super().__init__(
            f"The {name} body is not closed: {open_edges} of its edges have not two faces. Weld it, fill its rims, or "
            "Thicken it."
        )
        self.number, self.open_edges = number, open_edges


class EdgeTooLarge(KernelError):
    """A rounded or chamfered edge of a plate that does not fit; `largest` (mm) still fits."""

    def __init__(self, size: float, largest: float) -> None:
        """Take the size asked for and the largest that fits, both in mm."""
        super().__init__(
            f"An edge of {size:.4g} mm does not fit the outline. The largest that fits is {floor_text(largest)} mm."
        )
        self.size, self.largest = size, largest


class FoldsBack(KernelError):
    """A surface bends to `radius` mm at a place, closer than a parallel one should lie; `largest` (mm) still fits."""

    def __init__(self, distance: float, radius: float, place: NDArray[np.float64]) -> None:
        """Take the distance asked for and the radius of the bend, both in mm, and where it is (3,) in mm."""
        super().__init__(
            f"At {place_text(place)} the surface bends with a radius of {radius:.3g} mm: one {distance:.4g} mm away folds "
            f"there and cannot be followed. Up to {floor_text(radius)} mm does not fold."
        )
        self.largest, self.place = radius, place


class FacesTooLarge(KernelError):
    """A seam finds no room among the faces beside it: smaller ones may leave it some."""

    def __init__(self, what: str) -> None:
        """Take what is the matter, a sentence."""
        super().__init__(f"{what} Make the faces there about half as large, or move it a little.")


class NotFollowed(KernelError):
    """A shape could not be followed within `tolerance` (mm) by a curve or a surface of a bounded size."""

    def __init__(self, what: str, tolerance: float) -> None:
        """Name what was to be followed, as in `The path`, and the tolerance in mm."""
        super().__init__(f"{what} could not be followed within {tolerance:.3g} mm.")
        self.tolerance = tolerance


class CrossesAxis(KernelError):
    """A profile passes from one side of the axis to the other at `places` (n, 3) in mm."""

    def __init__(self, places: NDArray[np.float64]) -> None:
        """Take the places (n, 3) where the profile meets the axis."""
        where = ", ".join(place_text(place) for place in places[:3])
        super().__init__(
            f"The profile crosses the axis at {where}. Keep it on one side of the axis; it may touch it at its ends."
        )
        self.places = places


class CountImpossible(KernelError):
    """A count cannot give the mesh asked for; `nearest` lists counts that can."""

    def __init__(self, sentence: str, nearest: tuple[int, ...] = ()) -> None:
        """Take the whole sentence and the nearest counts that work."""
        super().__init__(sentence)
        self.nearest = nearest


class TooManyFaces(KernelError):
    """The predicted face count is over the limit."""

    def __init__(self, predicted: int, limit: int) -> None:
        """Take the predicted count and the limit."""
        super().__init__(f"This would make {predicted:,} faces; the limit is {limit:,}. Use smaller counts or longer edges.")
        self.predicted, self.limit = predicted, limit


def place_text(place: NDArray[np.float64]) -> str:
    """Write a point (3,) in mm as `(x, y, z)` with at most two decimals."""
    return "(" + ", ".join(f"{round(float(value), 2) + 0.0:g}" for value in place) + ")"


def floor_text(value: float) -> str:
    """Write a positive length rounded down to four significant digits, so that the number shown really fits."""
    if value <= 0:
        return "0"
    digits = 3 - int(np.floor(np.log10(value)))
    return f"{np.floor(value * 10.0**digits + 1e-9) / 10.0**digits:.{max(digits, 0)}f}"
