"""Patches by their corners and given edges, and the control points of them all by number."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, Ints
from glass_spoon.kernel.errors import KernelError

TANGLED = 1e-2
"""How much the smoothness of the parameters weighs beside the fairness of the shape: less leaves folds in them."""

Quad = tuple[int, int, int, int]
Edge = tuple[int, int]


@dataclass(frozen=True, eq=False)
class HeldEdge:
    """A given edge from a lower vertex to a higher one. control: (count, 3) in mm.

    normals: (samples, 3) that the patches should have there, rows of NaN where they are free; None for all free.
    bends: second fundamental forms (samples, 3, 3) in 1/mm of what the patches go on from, None for G1 alone.
    onward: unit directions (samples, 3) in which that leaves there, rows of NaN or None where that is not known.
    """

    control: Floats
    normals: Floats | None = None
    bends: Floats | None = None
    onward: Floats | None = None


@dataclass(frozen=True, eq=False)
class Layout:
    """Patches by their corners, counter-clockwise: u from the first to the second, v from the first to the last.

    held: the given edges by their vertices, the lower first. fans: how many quads of a given angle (radians) meet at
    vertices on the boundary, where inner edges end there. places: points (k, 3) in mm that the patches should pass.
    tangled: how much the smoothness of the parameters weighs.
    """

    quads: tuple[Quad, ...]
    held: Mapping[Edge, HeldEdge]
    fans: Mapping[int, tuple[int, float]] = field(default_factory=dict)
    places: Floats = field(default_factory=lambda: np.zeros((0, 3)))
    tangled: float = TANGLED

    @property
    def kind(self) -> object:
        """What it has in common with layouts that are sought together with it; nothing where it asks for more."""
        edges = self.held.values()
        if len(self.places) or any(edge.bends is not None or edge.onward is not None for edge in edges):
            return id(self)
        directed = tuple(edge.normals is not None for edge in edges)
        return self.quads, tuple(self.held), directed, tuple(sorted(self.fans.items())), self.tangled

    def fan(self, vertex: int) -> float:
        """Return what the derivatives into both sides of an edge add up to at its end, as a share of that along it."""
        if vertex in self.fans:
            quads, angle = self.fans[vertex]
            return float(2 * np.cos(angle / quads))
        around = sum(vertex in quad for quad in self.quads)
        return float(2 * np.cos(2 * np.pi / around))


@dataclass(frozen=True, eq=False)
class Numbering:
    """The control points of the patches of a layout: those of edges and vertices are shared by the patches that meet there.

    rows: (quads, count, count) their numbers. edges: (count,) by vertices, from the lower to the higher one. sides: which
    patches have an edge at which of their sides. free: (n,) which are not given.
    """

    rows: Ints
    edges: Mapping[Edge, Ints]
    sides: Mapping[Edge, list[tuple[int, int]]]
    free: Bools

    @classmethod
    def of(cls, layout: Layout, count: int) -> Numbering:
        """Return all by number, `count` along an axis; raises KernelError where an edge is neither given nor two quads'."""
        edges, vertices, total = dict[Edge, Ints](), dict[int, int](), 0
        sides: dict[Edge, list[tuple[int, int]]] = {}
        rows = np.empty((len(layout.quads), count, count), dtype=np.int64)
        for number, quad in enumerate(layout.quads):
            for side, ends in enumerate(quad_edges(quad)):
                sides.setdefault((min(ends), max(ends)), []).append((number, side))
        for key in [*layout.held, *(key for key in sides if key not in layout.held)]:
            for vertex in key:
                if vertex not in vertices:
                    vertices[vertex], total = total, total + 1
            inner = np.arange(total, total := total + count - 2)
            edges[key] = np.array([vertices[key[0]], *inner, vertices[key[1]]])
        known = np.unique(np.concatenate([edges[key] for key in layout.held]))
        for net, quad in zip(rows, layout.quads, strict=True):
            for line, (a, b) in zip((net[:, 0], net[-1], net[:, -1], net[0]), quad_edges(quad), strict=True):
                line[:] = edges[a, b] if a < b else edges[b, a][::-1]
            inside = net[1:-1, 1:-1]
            inside[:] = np.arange(total, total := total + inside.size).reshape(inside.shape)
        if any(key not in layout.held and len(own) != 2 for key, own in sides.items()):
            raise KernelError("The regions do not close: an edge belongs to one region alone.")
        free = np.ones(total, dtype=bool)
        free[known] = False
        return cls(rows, edges, sides, free)

    @cached_property
    def columns(self) -> Ints:
        """The control points (quads, count²) of each patch in one row."""
        return self.rows.reshape(len(self.rows), -1)

    @cached_property
    def own(self) -> list[Ints]:
        """Which of the control points in the row of each patch are not given."""
        return [np.flatnonzero(self.free[row]) for row in self.columns]

    @cached_property
    def where(self) -> list[Ints]:
        """The numbers of the unknowns, three to a point, that those are."""
        ranks = np.cumsum(self.free) - 1
        pairs = zip(self.columns, self.own, strict=True)
        return [(3 * ranks[row[own]][:, None] + np.arange(3)).ravel() for row, own in pairs]


def quad_edges(quad: Quad) -> tuple[Edge, Edge, Edge, Edge]:
    """Return the vertices of its sides v = 0, u = 1, v = 1 and u = 0, as the parameter runs along them."""
    a, b, c, d = quad
    return (a, b), (b, c), (d, c), (a, d)


def runs_up(quad: Quad, side: int) -> bool:
    """Say whether the parameter of a side runs from the lower vertex to the higher one."""
    a, b = quad_edges(quad)[side]
    return a < b
