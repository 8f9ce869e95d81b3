"""Helices, on a straight axis or around any curve, and flat spirals.

A helix is no rational curve: it is fitted within a tolerance by quintic Hermite pieces (see `fit_function`).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Floats, cross, directions, lengths
from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_derivatives, find_kinks
from glass_spoon.kernel.curves.evaluate.least_twist import carried
from glass_spoon.kernel.curves.make.fit_function import Fit, fit_function, fit_places
from glass_spoon.kernel.errors import InvalidInput

TURN = 2 * np.pi
FINE = 4e-8
"""The share of its radius within which a helix is followed where no tolerance is given."""

FINE_AROUND = 2.5e-7
"""The same of one that winds around a curve, of the length of that."""

MAX_TURNS = 1000
"""Most turns of one helix."""

FRAME_STEPS = 96
"""Most places per turn, or per knot span, between which a frame is carried along a curve …"""

FRAME_PLACES = 1536
"""… and places in all that are enough where there are many spans: fitted spans turn little."""


@dataclass(frozen=True)
class HelixShape:
    """A helix about the z axis, starting at angle `start` (radians, from x) and height 0.

    radii: (first, last) mm. turns: above 0. pitch: mm a turn where it is not eased. hand: 1 right, -1 left.
    ease: turns at the (start, end) over which the pitch grows from nothing, so that the wire winds to a plane there.
    run_out: turns at the (start, end) over which the radius comes out of the core. core: radius of that core in mm.
    """

    radii: tuple[float, float]
    turns: float
    pitch: float
    hand: int = 1
    start: float = 0.0
    ease: tuple[float, float] = (0.0, 0.0)
    run_out: tuple[float, float] = (0.0, 0.0)
    core: float = 0.0

    @property
    def height(self) -> float:
        """Height in mm: each eased turn climbs half a pitch."""
        return self.pitch * (self.turns - sum(self.ease) / 2)


def pitch_for_height(height: float, turns: float, ease: tuple[float, float] = (0.0, 0.0)) -> float:
    """Return the pitch in mm that reaches `height` mm in so many turns; inverse of HelixShape.height."""
    whole = turns - sum(ease) / 2
    if not whole > 0:
        raise InvalidInput("The turns", "more than half of the eased ones", f"{turns:g}")
    return height / whole


def turns_for_height(height: float, pitch: float, ease: tuple[float, float] = (0.0, 0.0)) -> float:
    """Return the turns in which a helix of some pitch reaches a height, both in mm; inverse of HelixShape.height."""
    if not height * pitch > 0:
        raise InvalidInput("The pitch", "more than zero, and the way of the height", f"{pitch:g} mm")
    return height / pitch + sum(ease) / 2


def make_helix(shape: HelixShape, tolerance: float | None = None) -> Fit:
    """Return the helix within `tolerance` mm, FINE times its radius when None.

    Raises InvalidInput for turns out of range, radii that are negative or both zero, and ends longer than the helix.
    """
    _check(shape)
    ends = [0.0, shape.turns]
    stops = {*ends, shape.ease[0], shape.turns - shape.ease[1], shape.run_out[0], shape.turns - shape.run_out[1]}
    breaks = np.array(sorted(stop for stop in stops if 0 <= stop <= shape.turns)) * TURN
    within = tolerance or FINE * (max(shape.radii) + shape.core)
    return fit_function(lambda angle: _helix_values(shape, angle), breaks, within)


def _check(shape: HelixShape) -> None:
    """Raise InvalidInput for what no helix has."""
    if not 0 < shape.turns <= MAX_TURNS:
        raise InvalidInput("The turns", f"above 0 and at most {MAX_TURNS:,}", f"{shape.turns:g}")
    if min(shape.radii) < 0 or not max(shape.radii) > 0 or not np.isfinite([*shape.radii, shape.pitch]).all():
        raise InvalidInput("The radii", "0 mm or more, and not both 0", f"{shape.radii[0]:g} and {shape.radii[1]:g} mm")
    for name, pair in (("eased", shape.ease), ("running out", shape.run_out)):
        if min(pair) < 0 or sum(pair) > shape.turns:
            raise InvalidInput(f"The turns {name}", f"between 0 and {shape.turns:g} together", f"{sum(pair):g}")


def _helix_values(shape: HelixShape, angle: Floats) -> Floats:
    """Return value, first and second derivative (3, n, 3) by the angle turned."""
    radius, height = _radius(shape, angle), _height(shape, angle)
    turn = shape.start + shape.hand * angle
    c, s, h = np.cos(turn), np.sin(turn), shape.hand
    r, dr, ddr = radius
    x = (r * c, dr * c - h * r * s, ddr * c - 2 * h * dr * s - r * c)
    y = (r * s, dr * s + h * r * c, ddr * s + 2 * h * dr * c - r * s)
    return np.stack((np.stack(x), np.stack(y), height), axis=-1)


def _height(shape: HelixShape, angle: Floats) -> Floats:
    """Return the height and its derivatives (3, n): the rise grows by the ramp 3 t^2 - 2 t^3 over the eased turns.

    The integral of the ramp up to t is t^3 - t^4 / 2; over a whole ramp half of it.
    """
    rise, total = shape.pitch / TURN, shape.turns * TURN
    first, last = (turns * TURN for turns in shape.ease)
    t = np.clip(angle / first, 0, 1) if first else np.ones_like(angle)
    u = np.clip((total - angle) / last, 0, 1) if last else np.ones_like(angle)
    before = first * (t**3 - t**4 / 2) + np.maximum(angle - first, 0)
    # The end mirrors the start: what the ramp down loses against the full rise is taken off.
    lost = last * ((1 - u) - (0.5 - (u**3 - u**4 / 2))) if last else 0.0
    ramp = (3 * t**2 - 2 * t**3) * (3 * u**2 - 2 * u**3)
    bend = np.zeros_like(angle)
    if first:
        bend += np.where(t < 1, 6 * t * (1 - t) / first, 0.0)
    if last:
        bend -= np.where(u < 1, 6 * u * (1 - u) / last, 0.0)
    return np.stack((rise * (before - lost), rise * ramp, rise * bend))


def _radius(shape: HelixShape, angle: Floats) -> Floats:
    """Return the radius and its derivatives (3, n): a taper, times the step 10 t^3 - 15 t^4 + 6 t^5 out of the core."""
    total = shape.turns * TURN
    slope = (shape.radii[1] - shape.radii[0]) / total
    value = np.stack((shape.radii[0] + slope * angle - shape.core, np.full_like(angle, slope), np.zeros_like(angle)))
    for turns, way in zip(shape.run_out, (1, -1), strict=True):
        if turns:
            width = turns * TURN
            t = np.clip((angle if way > 0 else total - angle) / width, 0, 1)
            step = np.stack(
                (
                    10 * t**3 - 15 * t**4 + 6 * t**5,
                    way * 30 * t**2 * (1 - t) ** 2 / width,
                    60 * t * (1 - t) * (1 - 2 * t) / width**2,
                )
            )
            value = np.stack(
                (
                    value[0] * step[0],
                    value[1] * step[0] + value[0] * step[1],
                    value[2] * step[0] + 2 * value[1] * step[1] + value[0] * step[2],
                )
            )
    value[0] += shape.core
    return value


def make_spiral(
    inner: float, outer: float, turns: float, hand: int = 1, start: float = 0.0, tolerance: float | None = None
) -> Fit:
    """Return the flat spiral in the xy plane whose radius grows evenly from `inner` to `outer` mm (Archimedes')."""
    return make_helix(HelixShape((inner, outer), turns, 0.0, hand, start), tolerance)


STILL = 1e-9
"""Share of the parameters of a curve by which two places are the same."""


@dataclass(frozen=True, eq=False)
class CarriedFrame:
    """Two unit vectors across a curve, carried along it without twist, at places `params` (m,): `axis` (m, 3)."""

    curve: NurbsCurve
    params: Floats
    axis: Floats

    def at(self, params: Floats) -> tuple[Floats, Floats, Floats]:
        """Return points (n, 3), and the two unit vectors (n, 3) across the curve there: axis, and tangent x axis."""
        points, slope = curve_derivatives(self.curve, params, 1)
        tangent = directions(slope)
        cell = np.clip(np.searchsorted(self.params, params, side="right") - 1, 0, len(self.params) - 1)
        start_points, start_slope = curve_derivatives(self.curve, self.params[cell], 1)
        start = self.axis[cell]
        axis = carried(start, points - start_points, directions(start_slope), tangent)
        # From a place to itself, but for rounding, there is no direction in which to reflect.
        still = params - self.params[cell] <= STILL * np.ptp(self.params)
        lean = np.einsum("ij,ij->i", start[still], tangent[still])
        axis[still] = directions(start[still] - lean[:, None] * tangent[still])
        return points, axis, cross(tangent, axis)


def carry_frame(curve: NurbsCurve, first: Floats | None = None, steps: int | None = None) -> CarriedFrame:
    """Return a frame carried along a curve with the least twist, `steps` places a knot span (by FRAME_PLACES when None).

    `first` (3,) points to where
    the axis starts; the direction across it nearest to up, or to x, when None.
    """
    breaks = curve.breaks
    if steps is None:
        steps = int(np.clip(-(-FRAME_PLACES // (len(breaks) - 1)), 6, FRAME_STEPS))
    # The end of a span is the start of the next one, to the last digit: a step of rounding alone has no direction.
    inner = breaks[:-1, None] + np.diff(breaks)[:, None] * np.linspace(0, 1, steps, endpoint=False)
    params = np.append(inner.ravel(), breaks[-1])
    points, slope = curve_derivatives(curve, params, 1)
    tangent = directions(slope)
    across = _some_axes(tangent)
    beside = cross(tangent, across)
    moved = carried(across[:-1], np.diff(points, axis=0), tangent[:-1], tangent[1:])
    turns = np.arctan2(np.einsum("ij,ij->i", moved, beside[1:]), np.einsum("ij,ij->i", moved, across[1:]))
    start = _start_axis(tangent[0], first)
    angle = float(np.arctan2(start @ beside[0], start @ across[0])) + np.concatenate(([0.0], np.cumsum(turns)))
    axis = np.cos(angle)[:, None] * across + np.sin(angle)[:, None] * beside
    return CarriedFrame(curve, params, axis)


def _some_axes(tangent: Floats) -> Floats:
    """Return a unit vector (n, 3) across each tangent, of the coordinate axis that lies farthest from it.

    Between neighbours carrying a frame is a turn about the tangent against these, and turns add up.
    """
    chosen = np.eye(3)[np.abs(tangent).argmin(axis=1)]
    return directions(chosen - np.einsum("ij,ij->i", chosen, tangent)[:, None] * tangent)


def _start_axis(tangent: Floats, first: Floats | None) -> Floats:
    """Return a unit vector across the tangent."""
    for wanted in (first, np.array([0.0, 0.0, 1.0]), np.array([1.0, 0.0, 0.0])):
        if wanted is not None:
            axis = wanted - (wanted @ tangent) * tangent
            if lengths(axis) > 0.1 * lengths(wanted):
                unit: Floats = axis / lengths(axis)
                return unit
    raise InvalidInput("The start direction", "across the curve", "along it")


def helix_around(
    curve: NurbsCurve,
    radii: tuple[float, float],
    turns: float,
    hand: int = 1,
    start: float = 0.0,
    tolerance: float | None = None,
) -> Fit:
    """Return the helix that winds around a smooth curve at distances `radii` (first, last) mm, evenly by its length.

    Raises InvalidInput when the curve has sharp points, and for turns and radii as `make_helix` does.
    """
    _check(HelixShape(radii, turns, 0.0))
    if len(find_kinks(curve, np.radians(0.5))):
        raise InvalidInput("The curve", "smooth", "one with sharp points; round them first")
    arc = measure_length(curve)
    frame = carry_frame(curve)

    def place(share: Floats) -> Floats:
        params = arc.to_params(share * arc.length)
        points, axis, side = frame.at(params)
        angle = (start + hand * TURN * turns * share)[:, None]
        radius = (radii[0] + (radii[1] - radii[0]) * share)[:, None]
        return points + radius * (np.cos(angle) * axis + np.sin(angle) * side)

    within = tolerance or FINE_AROUND * (arc.length + max(radii))
    return fit_places(place, max(8, int(np.ceil(turns * 12))), within)
