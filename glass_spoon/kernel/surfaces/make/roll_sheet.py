"""A flat sheet rolled onto a cylinder, or wrapped on a sphere, its lengths kept where the body allows it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats, directions, lengths
from glass_spoon.kernel.errors import InvalidInput, KernelError
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import grid_points, surface_points_normals
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.make.fit_patch import FittedSurface, fit_patch

RollBody = Literal["cylinder", "sphere"]

FLAT = 1e-6
"""A sheet whose control points lie within this share of its size of a plane is flat."""

ALL_ROUND = 1e-9
"""Share of the way round by which a sheet may be too long and still just closes."""


@dataclass(frozen=True, eq=False)
class RollFrame:
    """Where and how a sheet is rolled: it keeps touching its plane at `origin` (3,), its middle.

    along: unit direction (3,) in which it bends; across: square to it in the plane; outwards: away from the body.
    """

    origin: Floats
    along: Floats
    across: Floats
    outwards: Floats
    body: RollBody
    radius: float

    def carry(self, points: Floats) -> Floats:
        """Return points (..., 3) in mm of the plane as they lie on the body; heights over the plane stay heights.

        On the cylinder all lengths are kept; on the sphere those along great circles through `origin` (the azimuthal
        equidistant projection, read backwards).
        """
        off = points - self.origin
        s, t, height = off @ self.along, off @ self.across, off @ self.outwards
        if self.body == "cylinder":
            way, turn, rest = self.along, s / self.radius, t[..., None] * self.across
            sideways = np.sin(turn)[..., None] * way
        else:
            turn = np.hypot(s, t) / self.radius
            # sin(a)/a is smooth where the sheet touches, and so is the map.
            spread = np.sinc(turn / np.pi) / self.radius
            sideways = spread[..., None] * (s[..., None] * self.along + t[..., None] * self.across)
            rest = np.zeros(3)
        reach = (self.radius + height)[..., None]
        centre = self.origin - self.radius * self.outwards
        return np.asarray(centre + rest + reach * (sideways + np.cos(turn)[..., None] * self.outwards))


def roll_frame(
    sheets: Sequence[NurbsSurface], body: RollBody, radius: float, direction: float = 0.0, *, inside: bool = False
) -> RollFrame:
    """Return how sheets are rolled at `direction` (radians from the u direction of the first flat one, whose plane bends).

    One sheet touches its plane at its middle, several at the middle of all; what stands over it keeps its height.
    radius in mm; inside: the body lies on the side that faces out. Raises InvalidInput where no sheet is flat.
    """
    offs = [_off_plane(sheet) for sheet in sheets]
    flat = [sheet for sheet, off in zip(sheets, offs, strict=True) if off <= FLAT * _reach(sheet)]
    if not flat:
        raise InvalidInput("The sheet to roll", "flat", f"{min(offs):.3g} mm out of its plane")
    origin, normal = _middle(flat[0])
    start = flat[0].control_points[-1, 0] - flat[0].control_points[0, 0]
    right = start - (start @ normal) * normal
    if float(lengths(right)) == 0:
        raise KernelError("The sheet starts in one point, so it has no direction to roll in. Swap its round and along.")
    right = directions(right)
    ahead = np.cross(normal, right)
    along = np.cos(direction) * right + np.sin(direction) * ahead
    if len(sheets) > 1:
        net = np.concatenate([sheet.control_points.reshape(-1, 3) for sheet in sheets]) - origin
        for way in (along, np.cross(normal, along)):
            reach = net @ way
            origin = origin + (reach.max() + reach.min()) / 2 * way
    outwards = -normal if inside else normal
    return RollFrame(origin, along, np.cross(outwards, along), outwards, body, radius)


def _middle(sheet: NurbsSurface) -> tuple[Floats, Floats]:
    """Return the place and the normal (3,) at the middle of a sheet's ways."""
    u, v = (np.array([sum(sheet.domain(axis)) / 2]) for axis in (0, 1))
    places, normals = surface_points_normals(sheet, u, v)
    return places[0], normals[0]


def _off_plane(sheet: NurbsSurface) -> float:
    """Return how far in mm the control points of a sheet lie out of the plane at its middle."""
    place, normal = _middle(sheet)
    return float(np.abs((sheet.control_points.reshape(-1, 3) - place) @ normal).max())


def _reach(sheet: NurbsSurface) -> float:
    """Return how far in mm a sheet's control points lie from its middle."""
    return float(lengths(sheet.control_points.reshape(-1, 3) - _middle(sheet)[0]).max())


def roll_sheets(sheets: Sequence[NurbsSurface], frame: RollFrame, tolerance: float) -> list[FittedSurface]:
    """Return sheets as they lie on the body, each as `roll_sheet` gives it; their shared edges stay shared.

    Raises InvalidInput when they would overlap each other, or reach through the middle of the body.
    """
    check_room(net_of(sheets), frame)
    return [roll_sheet(sheet, frame, tolerance) for sheet in sheets]


def roll_sheet(sheet: NurbsSurface, frame: RollFrame, tolerance: float) -> FittedSurface:
    """Return the sheet as it lies on the body, within `tolerance` mm, over the sheet's own parameters scaled to 0 to 1.

    Equal parameters are equal places of the drawing. Raises InvalidInput when it would overlap itself.
    """
    check_room(net_of([sheet]), frame)
    (low_u, high_u), (low_v, high_v) = sheet.domain(0), sheet.domain(1)

    def places(u: Floats, v: Floats) -> Floats:
        flat = grid_points(sheet, low_u + u * (high_u - low_u), low_v + v * (high_v - low_v))
        return frame.carry(flat)

    return fit_patch(places, tolerance)


def net_of(sheets: Sequence[NurbsSurface]) -> Floats:
    """Return the control points (n, 3) of sheets."""
    return np.concatenate([sheet.control_points.reshape(-1, 3) for sheet in sheets])


def check_room(points: Floats, frame: RollFrame) -> None:
    """Raise InvalidInput when points (n, 3), or the control points of sheets, reach round the body onto themselves."""
    off = points - frame.origin
    deepest = -float((off @ frame.outwards).min())
    if deepest >= frame.radius:
        raise InvalidInput("The radius", f"above {deepest:.6g} mm, or the sheet reaches the middle", f"{frame.radius:g} mm")
    if frame.body == "cylinder":
        needed = float(np.ptp(off @ frame.along)) / (2 * np.pi)
    else:
        needed = float(lengths(off).max()) / np.pi
    if needed > frame.radius * (1 + ALL_ROUND):
        raise InvalidInput("The radius", f"at least {needed:.6g} mm, or the sheet lies over itself", f"{frame.radius:g} mm")
