"""Rims bridged by quads: straight, or going on from both sides in a bend, whatever the counts of the two."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, Ints, directions, lengths
from glass_spoon.kernel.detail.rims import Rim, rims_of, tangents
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.mesh_edits.assemble import Assembly
from glass_spoon.kernel.mesh_edits.draw_points import Drawing
from glass_spoon.kernel.mesh_edits.strips import nearest_turn, strip_counts, strips_between, strips_needed
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.origin import Reworked

AVERTED, LEAST_FACING = 0.3, 0.05
"""How much rims that look away from each other count as facing, as the ends of a tunnel do; and how little at least."""

ROUNDS = 3
"""Rounds in which bridges of unlike counts are evened out: few, as they grow thin by it."""

BRIDGE, RIM = "side", "rim"
"""Roles: the faces between two rims, and the edges of the rims."""


@dataclass(frozen=True, eq=False)
class Bridging:
    """How rims are bridged. steps: faces along; bend: None for straight, else how far it goes on from both sides, 1 for a
    round bend; turned: edges by which the second rim is turned against the first.
    """

    steps: int = 1
    bend: float | None = None
    turned: int = 0


@dataclass(frozen=True, eq=False)
class Bridged(Reworked):
    """Rims bridged. pairs: how many bridges; changed: how many of them join unlike counts. lead: of a bend, where the first
    bridge leaves its rim, the unit way it leaves (3,), and how far the control point of its curve lies off at a bend of 1
    (Bézier's form: a third of the tangent), in mm.
    """

    pairs: int
    changed: int
    lead: tuple[Floats, Floats, float] | None = None


def bridge(mesh: Mesh, edges: Bools, gone: Bools, how: Bridging) -> Bridged:
    """Return the mesh with the rims along marked edges (e,), and about faces (f,) that go, bridged by pairs: those first
    that lie near and face each other.

    Raises KernelError for an odd number of rims, and where the counts of a pair differ by an odd number.
    """
    rims = rims_of(mesh, edges, gone)
    if len(rims) < 2 or len(rims) % 2:
        raise KernelError(f"Bridging needs two rims, or several pairs of them; the marks hold {len(rims)}.")
    build = Assembly(mesh)
    build.gone = gone.copy()
    pairs = _paired(mesh, rims)
    unlike = []
    lead = None
    for first, second in pairs:
        inner, own = _bridge_pair(build, first, second, how)
        lead = lead or own
        if len(first.points) != len(second.points):
            unlike.append(inner)
    done, number = build.finish()
    calmed = done.mesh.moved(_calmed(done.mesh, number[np.concatenate(unlike)])) if unlike else done.mesh
    return Bridged(calmed, done.origin, len(pairs), len(unlike), lead)


def _calmed(mesh: Mesh, inner: Ints) -> Floats:
    """Return the places (n, 3) of points, those inside bridges of unlike counts drawn to where the faces are alike."""
    loose = np.zeros(mesh.point_count, dtype=bool)
    loose[inner] = True
    drawing = Drawing.of(mesh.topology, loose)
    places = mesh.positions.copy()
    for _ in range(ROUNDS):
        places[drawing.points] = drawing.drawn(places)
    return places


def _paired(mesh: Mesh, rims: list[Rim]) -> list[tuple[Rim, Rim]]:
    """Return the rims by pairs: those first that lie near and face each other, or at least look along the same line."""
    middles = np.array([mesh.positions[rim.points].mean(axis=0) for rim in rims])
    facing = np.array([_facing(mesh.positions[rim.points]) for rim in rims])
    ways = middles[None] - middles[:, None]
    away = np.linalg.norm(ways, axis=2)
    towards = np.einsum("abi,ai->ab", directions(ways), facing)
    towards = np.where(towards > 0, towards, -AVERTED * towards)
    cost = away / np.maximum((towards + towards.T) / 2, LEAST_FACING) + np.diag(np.full(len(rims), np.inf))
    left, pairs = set(range(len(rims))), []
    while left:
        numbers = sorted(left)
        a, b = np.unravel_index(int(cost[np.ix_(numbers, numbers)].argmin()), (len(numbers), len(numbers)))
        first, second = sorted((numbers[int(a)], numbers[int(b)]))
        pairs.append((rims[first], rims[second]))
        left -= {first, second}
    return pairs


def _facing(loop: Floats) -> Floats:
    """Return the unit way (3,) that a closed loop (k, 3) looks."""
    middle = loop.mean(axis=0)
    found: Floats = directions(np.cross(loop - middle, np.roll(loop, -1, axis=0) - middle).sum(axis=0))
    return found


def _bridge_pair(
    build: Assembly, first: Rim, second: Rim, how: Bridging
) -> tuple[Ints, tuple[Floats, Floats, float] | None]:
    """Add the faces between two rims; return the points inside, and how a bend leaves the first."""
    mesh = build.mesh
    low, high = first.points, second.points[::-1]
    if (len(low) - len(high)) % 2:
        raise KernelError(
            f"Rims of {len(low)} and {len(high)} edges cannot be bridged by quads alone: give one an edge more or less."
        )
    start = (nearest_turn(mesh.positions[low], mesh.positions[high]) + how.turned) % len(high)
    high = np.roll(high, -start)
    strips = strips_needed([(len(low), len(high))], max(how.steps, 1))
    counts = strip_counts(len(low), len(high), strips)
    assert counts is not None
    made = strips_between(counts)
    ids = np.full(len(made.shares), -1, dtype=np.int64)
    ends = [np.append(low, low[0]), np.append(high, high[0])]
    ids[made.rows[0]], ids[made.rows[-1]] = ends
    ways = [tangents(mesh, first), np.roll(tangents(mesh, second)[::-1], -start, axis=0)]
    free = np.flatnonzero(ids < 0)
    last = np.isin(free, [int(row[-1]) for row in made.rows])
    along, height = made.shares[free[~last]].T
    places = _between(
        [mesh.positions[part] for part in ends], [np.vstack((way, way[:1])) for way in ways], along, height, how
    )
    ids[free[~last]] = build.add_points(places)
    for row in made.rows[1:-1]:
        ids[row[-1]] = ids[row[0]]
    near = np.where((height < 0.5)[:, None], _at(ends[0], along), _at(ends[1], along))
    build.mix(ids[free[~last]], near, np.ones(near.shape))
    corner = _corner_at(first, second, made.quads, made.shares)
    build.add_faces(ids[made.quads], corner, mesh.topology.face_of_corner[corner[:, 0]].astype(np.int64), BRIDGE)
    for rim in (low, high):
        build.name_edges(np.column_stack((rim, np.roll(rim, -1))), RIM)
    lead = None
    if how.bend is not None:
        start, end = (mesh.positions[part[:1]] for part in ends)
        size = _tangent_sizes(start, end, ways[0][:1], ways[1][:1])
        lead = (start[0], ways[0][0], float(size[0]) / 3)
    return np.unique(ids[free]), lead


def _at(points: Ints, along: Floats) -> Ints:
    """Return the points (k, 1) of a row nearest to shares (k,) of it."""
    return points[np.rint(along * (len(points) - 1)).astype(np.int64)][:, None]


def _between(ends: list[Floats], ways: list[Floats], along: Floats, height: Floats, how: Bridging) -> Floats:
    """Return the places (k, 3) at shares along two rows and between them."""
    start, end = (_row_at(row, along) for row in ends)
    t = height[:, None]
    if how.bend is None:
        return np.asarray(start + t * (end - start))
    leave, come = (_row_at(row, along) for row in ways)
    size = how.bend * _tangent_sizes(start, end, leave, come)
    m0, m1 = size[:, None] * leave, -size[:, None] * come
    return np.asarray(
        (2 * t**3 - 3 * t**2 + 1) * start + (t**3 - 2 * t**2 + t) * m0 + (3 * t**2 - 2 * t**3) * end + (t**3 - t**2) * m1
    )


def _tangent_sizes(start: Floats, end: Floats, leave: Floats, come: Floats) -> Floats:
    """Return the lengths (k,) in mm of the tangents by which Hermite's cubic runs nearest to a circle that leaves and comes
    along unit vectors (k, 3).
    """
    turn = np.arccos(np.clip(-np.einsum("ki,ki->k", leave, come), -1, 1))
    return np.asarray(
        lengths(end - start) * np.where(turn > 1e-6, 2 * np.tan(turn / 4) / np.maximum(np.sin(turn / 2), 1e-9), 1.0)
    )


def _row_at(row: Floats, along: Floats) -> Floats:
    """Return the places (k, 3) at shares (k,) of a row (n, 3), counted by points."""
    return np.stack([np.interp(along * (len(row) - 1), np.arange(len(row)), column) for column in row.T], axis=1)


def _corner_at(first: Rim, second: Rim, quads: Ints, shares: Floats) -> Ints:
    """Return for the corners of quads (q, 4) a corner of a face beside the nearer rim, of one face for each quad."""
    middle = shares[quads].mean(axis=1)
    low = first.corners[np.minimum((middle[:, 0] * len(first.corners)).astype(np.int64), len(first.corners) - 1)]
    high = second.corners[::-1][np.minimum((middle[:, 0] * len(second.corners)).astype(np.int64), len(second.corners) - 1)]
    return np.repeat(np.where(middle[:, 1] < 0.5, low, high)[:, None], 4, axis=1)
