"""A curve on a surface moved along it by an even distance: each place goes straight ahead, square to the curve."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Floats, cross, directions, lengths
from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_derivatives, curve_points, curve_tangents, find_kinks
from glass_spoon.kernel.curves.make.fit_function import fit_places
from glass_spoon.kernel.errors import KernelError, place_text
from glass_spoon.kernel.surfaces.evaluate.closest_points import closest_points
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import evaluate_grid, surface_derivatives, surface_points
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface

STEPS = 48
"""Steps of a way as long as the surface is large."""
FEWEST = 6
SHARP = np.radians(0.5)
BESIDE = 1e-4
"""Share of its size by which a curve may lie off the surface."""
SINGULAR = 1e-3
"""Share of a surface's area of parameters below which it has a pole."""
NEAR = 2
"""Steps in which the foot of a place is found, from beside it."""


@dataclass(frozen=True, eq=False)
class OnSurface:
    """A curve moved along a surface, how far it is off what it should be in mm, and where (k, 3) it runs backwards."""

    curve: NurbsCurve
    largest: float
    back: Floats


def offset_on_surface(curve: NurbsCurve, surface: NurbsSurface, distance: float, tolerance: float) -> OnSurface:
    """Return a curve that lies on a surface, moved along it by a distance in mm to its left, seen against the normals.

    Each place follows the geodesic that leaves square to the curve (do Carmo, section 4-4), so that all lie as far along the
    surface as asked. Raises KernelError for curves off the surface, with sharp points, and where it leaves by an edge.
    """
    if len(find_kinks(curve, SHARP)):
        raise KernelError("The curve has sharp points, which leave gaps when it is moved along a surface: Round them first.")
    arc = measure_length(curve)
    reach = max(tolerance, BESIDE * float(np.ptp(curve.control_points, axis=0).max()))
    walk = _Walk(surface)

    def places(shares: Floats) -> Floats:
        params = arc.to_params(shares * arc.length)
        return _moved(walk, curve_points(curve, params), curve_tangents(curve, params), distance, reach)[0]

    fit = fit_places(places, 16, tolerance, most=4096)
    shares = np.linspace(0, 1, 257)[1:-1]
    params = arc.to_params(shares * arc.length)
    ends, ways, normals = _moved(walk, curve_points(curve, params), curve_tangents(curve, params), distance, reach)
    low, high = fit.curve.domain
    runs = curve_derivatives(fit.curve, low + shares * (high - low), 1)[1]
    back = np.einsum("ni,ni->n", cross(normals, runs), ways * np.sign(distance)) < 0
    return OnSurface(fit.curve, fit.largest, ends[back])


def _moved(walk: _Walk, points: Floats, along: Floats, distance: float, reach: float) -> tuple[Floats, Floats, Floats]:
    """Return where points (n, 3) come to, the unit ways (n, 3) in which they arrive, and the normals (n, 3) there."""
    u, v, away = closest_points(walk.surface, points)
    worst = int(away.argmax())
    if away[worst] > reach:
        raise KernelError(
            f"At {place_text(points[worst])} the curve is {away[worst]:.3g} mm off the surface: Project it onto that first."
        )
    return walk.ahead(np.stack((u, v), axis=1), along, distance)


class _Walk:
    """Geodesics of a surface, many at once: followed in space, so that how the surface is parameterised does not matter."""

    def __init__(self, surface: NurbsSurface) -> None:
        self.surface = surface
        self.domains = np.array([surface.domain(axis) for axis in (0, 1)])
        net = surface.control_points
        self.size = float(lengths(np.ptp(net.reshape(-1, 3), axis=0)))
        ends = [(net[0], net[-1]), (net[:, 0], net[:, -1])]
        self.closed = np.array([float(np.abs(a - b).max()) < 1e-9 * self.size for a, b in ends])
        shares = np.linspace(0.1, 0.9, 5)
        grid = evaluate_grid(surface, *(low + shares * (high - low) for low, high in self.domains))
        self.area = float(lengths(cross(grid.along_u, grid.along_v)).max())

    def ahead(self, at: Floats, along: Floats, distance: float) -> tuple[Floats, Floats, Floats]:
        """Return places (n, 3), ways and normals there, of what leaves parameters (n, 2) to the left of ways (n, 3)."""
        foot = self._foot(at, surface_points(self.surface, at[:, 0], at[:, 1]))
        way = directions(np.sign(distance) * cross(foot.normals, along))
        steps = max(FEWEST, int(np.ceil(abs(distance) / self.size * STEPS)))
        h = abs(distance) / steps
        for _ in range(steps):  # Runge and Kutta's fourth order
            a = foot.turned(way)
            second = way + h / 2 * a
            b = self._foot(foot.at, foot.places + h / 2 * way).turned(second)
            third = way + h / 2 * b
            c = self._foot(foot.at, foot.places + h / 2 * second).turned(third)
            last = way + h * c
            d = self._foot(foot.at, foot.places + h * third).turned(last)
            foot = self._foot(foot.at, foot.places + h / 6 * (way + 2 * second + 2 * third + last), ends=True)
            way = way + h / 6 * (a + 2 * b + 2 * c + d)
            way = directions(way - np.einsum("ni,ni->n", way, foot.normals)[:, None] * foot.normals)
        return foot.places, way, foot.normals

    def _foot(self, at: Floats, places: Floats, *, ends: bool = False) -> _Foot:
        """Return the feet of places (n, 3), looked for from parameters (n, 2); ends: of steps, which no edge may hold up."""
        low, high = self.domains.T
        for _ in range(NEAR):
            at = np.clip(np.where(self.closed, low + np.mod(at - low, high - low), at), low, high)
            values = surface_derivatives(self.surface, at[:, 0], at[:, 1], 2)
            du, dv, off = values[1, 0], values[0, 1], places - values[0, 0]
            e, f, g = (np.einsum("ni,ni->n", a, b) for a, b in ((du, du), (du, dv), (dv, dv)))
            a, b = (np.einsum("ni,ni->n", off, one) for one in (du, dv))
            whole = e * g - f * f
            if whole.min() <= (SINGULAR * self.area) ** 2:
                raise KernelError(
                    f"It comes to a pole of the surface at {place_text(values[0, 0][int(whole.argmin())])}: move it by less."
                )
            steps = np.stack(((g * a - f * b) / whole, (e * b - f * a) / whole), axis=1)
            at = at + steps
        beyond = np.where(self.closed, 0.0, np.maximum(low - at, at - high)) > 1e-7 * (high - low)
        if ends and beyond.any():
            place = values[0, 0][int(beyond.any(axis=1).argmax())]
            raise KernelError(
                f"It leaves the surface by its edge at {place_text(place)}: move it by less, or Lengthen the surface there."
            )
        at = np.clip(np.where(self.closed, low + np.mod(at - low, high - low), at), low, high)
        values = surface_derivatives(self.surface, at[:, 0], at[:, 1], 2)
        return _Foot(at, values)


class _Foot:
    """Places (n, 3) of a surface by their parameters (n, 2), unit normals (n, 3), and how it bends there."""

    def __init__(self, at: Floats, values: dict[tuple[int, int], Floats]) -> None:
        self.at, self.places, self._values = at, values[0, 0], values
        self.normals = directions(cross(values[1, 0], values[0, 1]))

    def turned(self, way: Floats) -> Floats:
        """Return how ways (n, 3) turn for a mm ahead: towards the normal, as the surface bends."""
        values = self._values
        du, dv = values[1, 0], values[0, 1]
        e, f, g = (np.einsum("ni,ni->n", a, b) for a, b in ((du, du), (du, dv), (dv, dv)))
        a, b = (np.einsum("ni,ni->n", way, one) for one in (du, dv))
        whole = np.maximum(e * g - f * f, 1e-300)
        x, y = ((g * a - f * b) / whole)[:, None], ((e * b - f * a) / whole)[:, None]
        bend = values[2, 0] * x**2 + 2 * values[1, 1] * x * y + values[0, 2] * y**2
        return np.asarray(np.einsum("ni,ni->n", bend, self.normals)[:, None] * self.normals)
