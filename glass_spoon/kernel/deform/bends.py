"""Bend, twist, taper, shear, stretch and ripple about an axis, between two heights along it.

After Barr: Global and local deformations of solid primitives (SIGGRAPH 1984). Beyond the heights what was bent or twisted
goes on straight as the last place there does.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.alter.place_curve import Placement
from glass_spoon.kernel.deform.space_map import Axes

Along = Callable[[Floats], Floats]
"""Takes shares (n,) of the way between two heights, 0 to 1, returns values (n,)."""
STILL = Placement(np.eye(3), np.zeros(3))
"""The map that moves nothing."""
NEAR = 1e-12
"""The end of a bend that is off a plane by no more than this share of its length lies in it."""
STRAIGHT = 1e-12
"""A bend of so little, in radians over the whole length, is none."""


@dataclass(frozen=True, eq=False)
class _Between:
    """A map between two heights in mm along the third of its axes."""

    axes: Axes
    low: float
    high: float

    @property
    def placement(self) -> Placement | None:
        """None: it bends straight lines."""
        return None

    @property
    def length(self) -> float:
        """The length between the heights in mm."""
        return self.high - self.low

    def shares(self, heights: Floats) -> Floats:
        """Return the shares (n,) of the way between the heights, 0 before and 1 after."""
        return np.clip((heights - self.low) / self.length, 0.0, 1.0)


@dataclass(frozen=True, eq=False)
class Bend(_Between):
    """The line along the axes bent to an arc towards the first axis, its length kept.

    angle: of the whole arc in radians. held: the height in mm that stays where it is and as it is.
    """

    angle: float = 0.0
    held: float = 0.0

    @property
    def placement(self) -> Placement | None:
        """Nothing where the angle is none."""
        return STILL if abs(self.angle) < STRAIGHT else None

    @property
    def curvature(self) -> float:
        """The curvature of the line in 1/mm."""
        return self.angle / self.length

    def apply(self, points: Floats) -> Floats:
        """Return where points (n, 3) go."""
        if self.placement is not None:
            return points.copy()
        across, beside, along = self.axes.inside(points).T
        at = np.clip(along, self.low, self.high)
        start = float(np.clip(self.held, self.low, self.high))
        bend = self.curvature
        theta = bend * (at - start)
        sine, cosine, beyond = np.sin(theta), np.cos(theta), along - at
        # 1 - cos as 2 sin² of the half: exact for the smallest bends too
        out = across * cosine + 2 * np.sin(theta / 2) ** 2 / bend + beyond * sine
        up = start + sine / bend - across * sine + beyond * cosine
        return self.axes.outside(np.column_stack((out, beside, up)))


def angle_to_meet(bend: Bend, end: float, place: Floats, normal: Floats) -> float | None:
    """Return the angle in radians, the smallest above zero up to a whole turn, by which the end at a height in mm of the
    line along the axes comes onto the plane through a place (3,) square to a normal (3,); None where none does.

    Found by the changes of side over steps of half a degree, each drawn in by Brent's method; where it starts in the plane
    that is no change. Cost: one evaluation of the end for each step.
    """

    def off(angle: float) -> float:
        tip = replace(bend, angle=angle).apply(bend.axes.outside(np.array([[0.0, 0.0, end]])))[0]
        return float((tip - place) @ normal)

    angles = np.linspace(0.0, 2 * np.pi, 721)
    offs = np.array([off(angle) for angle in angles])
    scale = NEAR * max(bend.length, 1e-12)
    for low, high, one, other in zip(angles, angles[1:], offs, offs[1:], strict=False):
        if abs(one) <= scale:
            if low > 0:
                return float(low)
        elif one * other < 0:
            return float(scipy.optimize.brentq(off, low, high, xtol=1e-12))
    return float(angles[-1]) if abs(offs[-1]) <= scale else None


@dataclass(frozen=True, eq=False)
class Twist(_Between):
    """Turned about the axis by an angle in radians that runs along it."""

    turn: Along = lambda shares: shares

    def apply(self, points: Floats) -> Floats:
        """Return where points (n, 3) go."""
        across, beside, along = self.axes.inside(points).T
        theta = self.turn(self.shares(along))
        sine, cosine = np.sin(theta), np.cos(theta)
        return self.axes.outside(np.column_stack((across * cosine - beside * sine, across * sine + beside * cosine, along)))


@dataclass(frozen=True, eq=False)
class Taper(_Between):
    """Made wider or narrower about the axis by a factor that runs along it. ways: which of both ways across."""

    factor: Along = lambda shares: 1 - shares / 2
    ways: tuple[bool, bool] = (True, True)

    def apply(self, points: Floats) -> Floats:
        """Return where points (n, 3) go."""
        own = self.axes.inside(points)
        factor = self.factor(self.shares(own[:, 2]))
        for way in (0, 1):
            if self.ways[way]:
                own[:, way] *= factor
        return self.axes.outside(own)


@dataclass(frozen=True, eq=False)
class Shear(_Between):
    """Leaned towards the first axis: what is a mm higher goes `slope` mm further; nothing moves at the height held."""

    slope: float = 0.0
    held: float = 0.0
    whole: bool = True

    @property
    def placement(self) -> Placement | None:
        """The affine map that it is where it has no heights."""
        if not self.whole:
            return None
        matrix = np.eye(3)
        matrix[0, 2] = self.slope
        return self.axes.affine(matrix, np.array([-self.slope * self.held, 0.0, 0.0]))

    def apply(self, points: Floats) -> Floats:
        """Return where points (n, 3) go."""
        own = self.axes.inside(points)
        heights = own[:, 2] if self.whole else np.clip(own[:, 2], self.low, self.high)
        own[:, 0] += self.slope * (heights - self.held)
        return self.axes.outside(own)


@dataclass(frozen=True, eq=False)
class Stretch(_Between):
    """Made longer along the axis, the height held where it is; thinner across as well where the volume is kept."""

    factor: float = 1.0
    held: float = 0.0
    keeps_volume: bool = False
    whole: bool = True

    @property
    def thinner(self) -> float:
        """The factor across."""
        return float(1 / np.sqrt(self.factor)) if self.keeps_volume else 1.0

    @property
    def placement(self) -> Placement | None:
        """The affine map that it is where it has no heights."""
        if not self.whole:
            return None
        matrix = np.diag([self.thinner, self.thinner, self.factor])
        return self.axes.affine(matrix, np.array([0.0, 0.0, self.held * (1 - self.factor)]))

    def apply(self, points: Floats) -> Floats:
        """Return where points (n, 3) go; between heights what lies beyond them only moves."""
        own = self.axes.inside(points)
        if self.whole:
            own[:, :2] *= self.thinner
            own[:, 2] = self.held + self.factor * (own[:, 2] - self.held)
            return self.axes.outside(own)
        at = np.clip(own[:, 2], self.low, self.high)
        held = float(np.clip(self.held, self.low, self.high))
        own[:, 2] += (self.factor - 1) * (at - held)
        return self.axes.outside(own)


@dataclass(frozen=True, eq=False)
class Ripple:
    """Waves along the first of the axes: straight ones that run along the third, or rings about the first.

    height: of a wave over the middle, length: from one to the next, both mm; start: how far it has run at the origin, in
    radians.
    """

    axes: Axes
    height: float
    length: float
    start: float = 0.0
    manner: Literal["straight", "in rings"] = "straight"

    @property
    def placement(self) -> Placement | None:
        """None: it bends straight lines."""
        return None

    def apply(self, points: Floats) -> Floats:
        """Return where points (n, 3) go."""
        own = self.axes.inside(points)
        way = own[:, 2] if self.manner == "straight" else np.hypot(own[:, 1], own[:, 2])
        own[:, 0] += self.height * np.sin(2 * np.pi * way / self.length + self.start)
        return self.axes.outside(own)
