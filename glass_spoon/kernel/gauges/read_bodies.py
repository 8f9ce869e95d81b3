"""The gauges of a body at many places, read without writing its copies out.

What is counted or summed goes with the number of copies, lengths with their size; corners and shares are those of the body.
Faces that run through other copies are looked for once for every way in which two copies stand to each other.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints
from glass_spoon.kernel.gauges.crossings import crossing_others
from glass_spoon.kernel.gauges.read_gauges import read_gauges
from glass_spoon.kernel.gauges.reading import Limits, Reading
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.repeat.place_mesh import place_mesh
from glass_spoon.kernel.repeat.placements import Placements, boxes_of, moved_by, near_copies, size_of, steps_between
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet

COUNTED = frozenset(
    (
        "open_edges",
        "small_gaps",
        "doubled_edges",
        "crowded_edges",
        "folded",
        "doubled_points",
        "stray_points",
        "odd_valences",
        "face_budget",
        "odd_on_bends",
        "close_loops",
    )
)
"""Gauges that count elements: every copy has as many."""

LARGEST = frozenset(("longest_edge", "off_surface", "smoothed_off", "silhouette"))
"""Lengths of which the largest counts: that of the largest copy."""

OF_ALL = ("symmetry_x", "symmetry_y")
"""What one copy does not tell of all."""


def read_bodies(
    body: Mesh,
    surface: NurbsSurface | SurfaceSet | None,
    places: Placements,
    limits: Limits,
    progress: Callable[[float], None] = lambda share: None,
) -> list[Reading]:
    """Return every reading of copies of a body that keep its angles; offenders are numbered as in the body.

    places: similar maps, see `Placements.is_similar`. Area and volume are sums, the lengths those of the largest or the
    smallest copy, symmetry is not read.
    """
    readings = read_gauges(body, surface, limits, progress=lambda share: progress(share / 2))
    return [
        _crossings(reading, body, places) if reading.code == "crossings" else reading
        for reading in of_all_bodies(readings, places)
    ]


def of_all_bodies(readings: Sequence[Reading], places: Placements) -> list[Reading]:
    """Return readings of one body as those of all its copies; crossings are left as they are."""
    sizes = np.cbrt(np.abs(places.determinants))
    return [_of_all(reading, sizes) for reading in readings]


def _crossings(reading: Reading, body: Mesh, places: Placements) -> Reading:
    """Return the crossings of a body with those of its copies among each other."""
    through, count = crossing_copies(body, places)
    offenders = np.union1d(reading.offenders, through)
    return replace(reading, value=reading.value * len(places) + count, offenders=offenders)


def _of_all(reading: Reading, sizes: Floats) -> Reading:
    """Return a reading of one body as that of all copies, whose sizes over the body's are given (n,)."""
    code, value = reading.code, reading.value
    if code in COUNTED:
        value *= len(sizes)
    elif code == "area":
        value *= float((sizes**2).sum())
    elif code == "volume":
        value *= float((sizes**3).sum())
    elif code in LARGEST:
        value *= float(sizes.max())
    elif code == "shortest_edge":
        value *= float(sizes.min())
    elif code == "off_surface_mean":
        value *= float((sizes**3).sum() / (sizes**2).sum())
    elif code in OF_ALL:
        value = float("nan")
    return replace(reading, value=value)


def crossing_copies(body: Mesh, places: Placements) -> tuple[Ints, int]:
    """Return the faces of a body that run through another copy of it, and how many faces of all copies do."""
    first, second = near_copies(places, body.positions)
    if not len(first):
        return np.zeros(0, dtype=np.int64), 0
    steps = steps_between(places, first, second, size_of(body.positions))
    found: list[tuple[Ints, Ints]] = []
    for move in steps.moves:
        other = place_mesh(body, move)
        mine = crossing_others(body, [other])
        found.append((mine, crossing_others(other, [body]) if len(mine) else mine))
    # A face counts once however many copies it runs through.
    hits: dict[int, set[int]] = {}
    for a, b, way in zip(first.tolist(), second.tolist(), steps.of_pair.tolist(), strict=True):
        mine, theirs = found[way]
        if len(mine):
            hits.setdefault(a, set()).update(mine.tolist())
            hits.setdefault(b, set()).update(theirs.tolist())
    every = set().union(*hits.values()) if hits else set()
    return np.array(sorted(every), dtype=np.int64), sum(map(len, hits.values()))


def read_bodies_beside(body: Mesh, places: Placements | None, others: Sequence[tuple[Mesh, Placements | None]]) -> Reading:
    """Read how many faces of a body, or of copies of it, run through other meshes and copies of others."""
    own = places if places is not None else moved_by(np.zeros((1, 3)))
    hits: list[set[int]] = [set() for _ in range(len(own))]
    for mesh, stands in others:
        at = stands if stands is not None else moved_by(np.zeros((1, 3)))
        for mine, theirs in _meeting(body, own, mesh, at):
            here = place_mesh(body, own[mine]) if places is not None else body
            there = place_mesh(mesh, at[theirs]) if stands is not None else mesh
            hits[mine].update(crossing_others(here, [there]).tolist())
    every: set[int] = set().union(*hits)
    offenders = np.array(sorted(every), dtype=np.int64)
    return Reading("crossing_others", float(sum(map(len, hits))), kind="face", offenders=offenders)


def _meeting(body: Mesh, own: Placements, mesh: Mesh, at: Placements) -> list[tuple[int, int]]:
    """Return pairs of copies of two bodies whose boxes meet."""
    if not body.face_count or not mesh.face_count:
        return []
    low, high = boxes_of(own, body.positions)
    other_low, other_high = boxes_of(at, mesh.positions)
    pairs: list[tuple[int, int]] = []
    for number in range(len(own)):
        meet = ((low[number] <= other_high) & (other_low <= high[number])).all(axis=1)
        pairs += [(number, other) for other in np.flatnonzero(meet).tolist()]
    return pairs
