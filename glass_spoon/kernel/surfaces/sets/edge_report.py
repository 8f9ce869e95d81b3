"""How well surfaces meet along the edges that they share: position, tangent plane, curvature."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats, cross, directions, lengths
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_derivatives, surface_normals
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.sets.surface_set import EdgeName, SharedEdge, SurfaceSet

Verdict = Literal["apart", "G0", "G1", "G2"]

PLACES = 33
"""Places along an edge at which both sides are compared."""

INSIDE = 1e-6
"""Share of the domain by which derivatives are taken inside the edge."""


@dataclass(frozen=True)
class EdgeLimits:
    """What counts as meeting: gap in mm (G0), angle of the tangent planes in radians (G1), and for G2 the jump of the normal
    curvature across the edge, as a share of the larger one or, where both are nearly flat, in 1/mm.
    """

    gap: float = 0.01
    angle: float = np.radians(0.5)
    jump: float = 0.05
    flat: float = 1e-4


@dataclass(frozen=True, eq=False)
class EdgeReading:
    """One shared edge: places (n, 3) mm on the first side and what is found there.

    gaps (n,) mm. angles (n,) radians between the tangent planes, whichever way they face. curvatures (2, n) 1/mm of both
    sides, normal to the edge, counted towards the first side's normal. facing: whether both sides face alike.
    """

    edge: SharedEdge
    places: Floats
    gaps: Floats
    angles: Floats
    curvatures: Floats
    facing: bool

    @property
    def largest_gap(self) -> float:
        """Largest gap in mm."""
        return float(self.gaps.max())

    @property
    def largest_angle(self) -> float:
        """Largest angle in radians."""
        return float(self.angles.max())

    @property
    def largest_jump(self) -> float:
        """Largest difference of the curvatures in 1/mm."""
        return float(np.abs(self.curvatures[0] - self.curvatures[1]).max())

    def verdict(self, limits: EdgeLimits) -> Verdict:
        """Return how well the sides meet."""
        if self.largest_gap > limits.gap:
            return "apart"
        if self.largest_angle > limits.angle:
            return "G0"
        larger = np.abs(self.curvatures).max(axis=0)
        apart = np.abs(self.curvatures[0] - self.curvatures[1])
        return "G2" if (apart <= np.maximum(limits.jump * larger, limits.flat)).all() else "G1"


def read_edges(shape: SurfaceSet) -> list[EdgeReading]:
    """Return a reading of every shared edge, both sides compared at places even along it."""
    counts = np.full(len(shape.edges.names), PLACES - 1)
    params = shape.edges.even_params(counts)
    return [_read_edge(shape, edge, params) for edge in shape.shared]


def _read_edge(shape: SurfaceSet, edge: SharedEdge, params: list[Floats]) -> EdgeReading:
    """Compare both sides of an edge."""
    sides = []
    for name, backwards in ((edge.first, False), (edge.second, edge.reversed)):
        along = params[shape.edges.number[name]]
        sides.append(_read_side(shape.surfaces[name.piece], name, along[::-1] if backwards else along))
    first, second = sides
    dots = np.einsum("ij,ij->i", first.normals, second.normals)
    facing = bool(np.median(dots) >= 0)
    angles = np.arctan2(lengths(cross(first.normals, second.normals)), np.abs(dots))
    return EdgeReading(
        edge,
        first.places,
        lengths(first.places - second.places),
        angles,
        np.stack((first.curvature, second.curvature if facing else -second.curvature)),
        facing,
    )


@dataclass(frozen=True, eq=False)
class _Side:
    """One side of an edge: places, unit normals (n, 3), and the normal curvature across the edge (n,) in 1/mm."""

    places: Floats
    normals: Floats
    curvature: Floats


def _read_side(surface: NurbsSurface, name: EdgeName, along: Floats) -> _Side:
    """Read one side at parameters (n,) along its edge."""
    low, high = surface.domain(1 - name.axis)
    step = INSIDE * (high - low)
    edge_at = low if name.end == 0 else high
    own_low, own_high = surface.domain(name.axis)
    inside = np.clip(along, own_low + INSIDE * (own_high - own_low), own_high - INSIDE * (own_high - own_low))
    beside = np.full(len(along), low + step if name.end == 0 else high - step)
    on_edge = np.full(len(along), edge_at)
    u, v = (inside, beside) if name.axis == 0 else (beside, inside)
    at_u, at_v = (along, on_edge) if name.axis == 0 else (on_edge, along)
    places = surface_derivatives(surface, at_u, at_v, 0)[0, 0]
    values = surface_derivatives(surface, u, v, 2)
    normals = surface_normals(surface, u, v)
    tangent = directions(values[(1, 0) if name.axis == 0 else (0, 1)])
    return _Side(places, normals, _across(values, normals, cross(normals, tangent)))


def _across(values: dict[tuple[int, int], Floats], normals: Floats, direction: Floats) -> Floats:
    """Return the normal curvature (n,) in 1/mm in tangent directions (n, 3): II / I (do Carmo, section 3.2)."""
    a, b = values[1, 0], values[0, 1]
    aa, ab, bb = (np.einsum("ij,ij->i", x, y) for x, y in ((a, a), (a, b), (b, b)))
    right = np.einsum("ij,ij->i", a, direction), np.einsum("ij,ij->i", b, direction)
    det = aa * bb - ab * ab
    with np.errstate(divide="ignore", invalid="ignore"):
        du, dv = (bb * right[0] - ab * right[1]) / det, (aa * right[1] - ab * right[0]) / det
        bend = sum(
            factor * np.einsum("ij,ij->i", values[key], normals)
            for factor, key in ((du * du, (2, 0)), (2 * du * dv, (1, 1)), (dv * dv, (0, 2)))
        )
    return np.where(np.isfinite(bend), bend, 0.0)
