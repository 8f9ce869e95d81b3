"""How far something falls until it rests on a body."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.gauges.crossings import crossing_others
from glass_spoon.kernel.meshes.closest_on_mesh import NearestOnMesh
from glass_spoon.kernel.meshes.mesh import Mesh

HALVINGS = 40
"""How often the way is halved where edges touch before points do."""

PARTS, MANY = 16, 20_000
"""Parts of an edge at whose ends it is looked at; and from how many edges on their points are near enough."""

TOUCH = 1e-6
"""Bodies that only cross when they are nearer than this share of their height rest on each other."""

DOWN = np.array([0.0, 0.0, -1.0])


def room_below(places: Floats, below: Mesh, falling: Mesh | None = None) -> float:
    """Return how far in mm places (n, 3) sink, below zero for up, until the first of them rests on the top of a mesh.

    falling: the mesh that they are of, whose faces and edges rest too. Raises KernelError where nothing lies below it.
    """
    return _room(places, NearestOnMesh(below), falling)


def rooms_below(falling: Sequence[Mesh], below: Mesh, progress: Callable[[float], None] = lambda _: None) -> Floats:
    """Return how far in mm each of several meshes (n,) sinks by itself, below zero for up, until it rests on another mesh.

    They are not held against each other. progress: told the share done. Raises KernelError where nothing lies below one.
    """
    under = NearestOnMesh(below)
    rooms = np.empty(len(falling))
    for number, mesh in enumerate(falling):
        progress(number / len(falling))
        try:
            rooms[number] = _room(mesh.positions, under, mesh)
        except KernelError as error:
            raise KernelError(f"Nothing lies below copy {number + 1}. Leave it out, or move it over the body.") from error
    return rooms


def _room(places: Floats, under: NearestOnMesh, falling: Mesh | None) -> float:
    """Return how far places sink, as `room_below` does."""
    below = under.mesh
    own = places if falling is None else _along_edges(falling)
    tops, faces = under.seen(own, DOWN)
    over = faces >= 0
    gaps = (own[over] - tops[over])[:, 2]
    if falling is not None:
        others = _along_edges(below)
        feet, faces = NearestOnMesh(falling).seen(others, -DOWN)
        hit = faces >= 0
        gaps = np.concatenate((gaps, (feet[hit] - others[hit])[:, 2]))
    if not len(gaps):
        raise KernelError("Nothing lies below it there. Move it over the body first.")
    fall = float(gaps.min())
    return fall if falling is None else _without_crossing(falling, below, fall)


def _along_edges(mesh: Mesh) -> Floats:
    """Return the points (k, 3) of a mesh, and with few of them places along its edges: where edges rest on edges."""
    ends = mesh.positions[mesh.topology.edges.ends]
    if len(ends) > MANY:
        return mesh.positions
    shares = np.arange(1, PARTS) / PARTS
    between = ends[:, :1] + shares[None, :, None] * (ends[:, 1:] - ends[:, :1])
    return np.concatenate((mesh.positions, between.reshape(-1, 3)))


def _without_crossing(falling: Mesh, below: Mesh, fall: float) -> float:
    """Return the way (mm) down to which a mesh crosses no face of another: edges may touch before points do."""
    size = float(np.ptp(np.concatenate((falling.positions, below.positions))[:, 2]))

    def crosses(way: float) -> bool:
        return bool(len(crossing_others(falling.moved(falling.positions + way * DOWN), [below])))

    safe = fall - TOUCH * size
    if not crosses(safe):
        return fall
    low, high = fall - 2 * size, safe
    for _ in range(HALVINGS):
        middle = (low + high) / 2
        low, high = (low, middle) if crosses(middle) else (middle, high)
    return low
