"""A mesh of quads of faces: edges shared by construction, boundaries met exactly, inside a grid as far as it goes."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints, directions, lengths, owned, sum_by_index
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.errors import KernelError, TooManyFaces, place_text
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.topology import make_topology
from glass_spoon.kernel.meshing.divide_length import KINK_ANGLE
from glass_spoon.kernel.meshing.fill_with_grid import fill_with_grid
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import evaluate_grid, surface_normals, surface_points
from glass_spoon.kernel.surfaces.make.polygons import signed_area
from glass_spoon.kernel.trims.charts import chart_of
from glass_spoon.kernel.trims.face import Face, FaceSet
from glass_spoon.kernel.trims.part_for_charts import part_for_charts
from glass_spoon.kernel.trims.refill_regions import refill_regions
from glass_spoon.kernel.trims.rim_counts import rim_counts
from glass_spoon.kernel.trims.shared_edges import Edges, find_edges

BESIDE = 1e-7
"""Share of the way to a place inside by which a normal is asked beside the boundary."""


@dataclass(frozen=True, eq=False)
class _Rim:
    """The places along the edges of a set. starts (edges,): number of the first inner place of each; counts (edges,)."""

    points: Floats
    starts: Ints
    counts: Ints


def mesh_faces(shape: FaceSet, step: float, *, crease_sharp: bool = True, face_limit: int = 4_000_000) -> Mesh:
    """Return one mesh of quads of faces, with edges of about a step in mm; points lie on the surfaces, rims on boundaries.

    Points carry "normal", corners "uv" (parameters of their surface, 0 .. 1), faces "piece" (the number of their face).
    With `crease_sharp` edges along which faces do not meet smoothly carry an infinite "sharpness". Raises TooManyFaces
    before memory is taken, and KernelError where a face cannot be filled, with the way out.
    """
    predicted = int(sum(area_of(face) for face in shape.faces) / step**2)
    if predicted > 1.5 * face_limit:
        raise TooManyFaces(predicted, face_limit)
    parted, owner = part_for_charts(shape, step)
    edges = find_edges(parted)
    rim = _rim(parted, edges, step)
    made = [_filled(face, number, edges, rim, step) for number, face in enumerate(parted.faces)]
    return refill_regions(_joined(parted, edges, rim, made, owner, crease_sharp=crease_sharp), shape, step)


def area_of(face: Face) -> float:
    """Return about the area of a face in mm^2."""
    low, high = (getattr(np.concatenate(face.outlines), which)(axis=0) for which in ("min", "max"))
    shares = (np.arange(24) + 0.5) / 24
    us, vs = (low[axis] + shares * (high[axis] - low[axis]) for axis in (0, 1))
    grid = evaluate_grid(face.surface, us, vs)
    inside = face.holds(np.stack(np.meshgrid(us, vs, indexing="ij"), axis=-1).reshape(-1, 2))
    cells = lengths(np.cross(grid.along_u, grid.along_v).reshape(-1, 3)) * (high - low).prod() / 24**2
    return float(cells[inside].sum())


def _rim(shape: FaceSet, edges: Edges, step: float) -> _Rim:
    """Return the places along all edges, even by length, an even count on each; facing ones take one count."""
    points, total = [edges.vertices], len(edges.vertices)
    counts = rim_counts(shape, edges, step)
    starts = list[int]()
    for number, count in zip(edges.first.tolist(), counts.tolist(), strict=True):
        use = edges.uses[number]
        at = use.at_shares(np.arange(1, count) / count)
        points.append(shape.faces[use.face].edge_points(use.curve, at))
        starts.append(total)
        total += count - 1
    return _Rim(np.concatenate(points), np.array(starts), counts)


@dataclass(frozen=True, eq=False)
class _Filled:
    """The quads of a face: the numbers (n,) of its first vertices along the rim, the parameters (n + m, 2) of all, faces."""

    rim: Ints
    params: Floats
    faces: Ints


def _filled(face: Face, number: int, edges: Edges, rim: _Rim, step: float) -> _Filled:
    """Fill a face."""
    own = [k for k, use in enumerate(edges.uses) if use.face == number]
    times = np.bincount(edges.edge[own], minlength=len(edges.first))
    seam = times > 1
    chart = chart_of(face, closes=bool(seam.any()))
    if chart.wraps:
        own = [k for k in own if not seam[edges.edge[k]]]
    loops, numbers, params = [], [], []
    for way in _closed_ways(own, edges) if chart.wraps else _by_loop(own, edges):
        runs = [_run(k, edges, rim) for k in way]
        numbers.append(np.concatenate([run[0] for run in runs]))
        at = np.concatenate([run[1] for run in runs])
        at = np.clip(at, *np.array([face.surface.domain(axis) for axis in (0, 1)]).T)
        params.append(at)
        loops.append(chart.flat(at))
    if not loops:
        raise KernelError(
            "A face has no rim left to fill it from: it closes on itself. Mesh its surface untrimmed, or part it."
        )
    order = sorted(range(len(loops)), key=lambda k: -abs(signed_area(loops[k])))
    loops, numbers, params = ([values[k] for k in order] for values in (loops, numbers, params))
    for k, loop in enumerate(loops):
        if (signed_area(loop) > 0) != (k == 0):
            loops[k], numbers[k], params[k] = (np.roll(values[k][::-1], 1, axis=0) for values in (loops, numbers, params))
    try:
        fill = fill_with_grid(loops, step)
    except KernelError as error:
        raise KernelError(
            f"The face about {place_text(face.inner_point)} cannot be filled: {error} Or use shorter edges."
        ) from error
    size = sum(map(len, loops))
    return _Filled(np.concatenate(numbers), np.concatenate((*params, chart.params(fill.points[size:]))), fill.faces)


def _run(k: int, edges: Edges, rim: _Rim) -> tuple[Ints, Floats]:
    """Return the vertices of a use without its last, and their parameters (n, 2) on its face."""
    edge = int(edges.edge[k])
    count = int(rim.counts[edge])
    inner = rim.starts[edge] + np.arange(count - 1)
    if edges.backwards[k]:
        inner = inner[::-1]
    use = edges.uses[k]
    at = use.at_shares(np.arange(count) / count)
    return np.concatenate(([edges.ends[k, 0]], inner)), curve_points(use.curve, at)[:, :2]


def _by_loop(own: list[int], edges: Edges) -> list[list[int]]:
    """Return the uses of each loop, in its order."""
    ways: dict[int, list[int]] = {}
    for k in own:
        ways.setdefault(edges.uses[k].loop, []).append(k)
    return list(ways.values())


def _closed_ways(own: list[int], edges: Edges) -> list[list[int]]:
    """Return uses put together end to end."""
    leaving: dict[int, list[int]] = {}
    for k in own:
        leaving.setdefault(int(edges.ends[k, 0]), []).append(k)
    left = dict.fromkeys(own)
    ways = []
    while left:
        first = next(iter(left))
        way, now = [], first
        while True:
            way.append(now)
            left.pop(now)
            node = int(edges.ends[now, 1])
            if node == int(edges.ends[first, 0]):
                break
            following = [k for k in leaving.get(node, []) if k in left]
            if not following:
                raise KernelError(
                    f"The boundary of a face does not close at {place_text(edges.vertices[node])}: "
                    "its tolerance is too small."
                )
            now = following[0]
        ways.append(way)
    return ways


def _joined(shape: FaceSet, edges: Edges, rim: _Rim, made: list[_Filled], owner: list[int], *, crease_sharp: bool) -> Mesh:
    """Put the quads of all faces together."""
    points, faces, uvs, pieces, total = [rim.points], [], [], [], len(rim.points)
    index, normals, at_rim = [], [], []
    for number, (face, filled) in enumerate(zip(shape.faces, made, strict=True)):
        place = surface_points(face.surface, *filled.params.T)
        # On a sharp edge of the surface the normal of this side is asked, a hair inside.
        inside = filled.params + BESIDE * (face.inner_place - filled.params)
        normal = surface_normals(face.surface, *inside.T)
        size = len(filled.rim)
        points.append(place[size:])
        vertices = np.concatenate((filled.rim, total + np.arange(len(place) - size)))
        index.append(vertices)
        normals.append(normal)
        at_rim.append((filled.rim, normal[:size], number))
        total += len(place) - size
        faces.append(vertices[filled.faces])
        low, high = np.array([face.surface.domain(axis) for axis in (0, 1)]).T
        uvs.append(((filled.params - low) / (high - low))[filled.faces])
        pieces.append(np.full(len(filled.faces), float(owner[number])))
    corners = np.concatenate(faces)
    used, numbered = np.unique(corners, return_inverse=True)
    merged = directions(sum_by_index(np.concatenate(index), np.concatenate(normals), total))[used]
    topology = make_topology(len(used), numbered.reshape(-1, 4))
    sharp = _sharp(edges, rim, at_rim, used) if crease_sharp else np.zeros((0, 2), dtype=np.int64)
    values = {}
    if len(sharp):
        found = topology.find_edges(sharp)
        values["sharpness"] = np.zeros(len(topology.edges.ends))
        values["sharpness"][found[found >= 0]] = np.inf
    return Mesh(
        topology,
        owned(np.concatenate(points)[used]),
        points={"normal": owned(merged)},
        corners={"uv": owned(np.concatenate(uvs).reshape(-1, 2))},
        edges=values,
        faces={"piece": np.concatenate(pieces)},
    )


def _sharp(edges: Edges, rim: _Rim, at_rim: list[tuple[Ints, Floats, int]], used: Ints) -> Ints:
    """Return the pairs (n, 2) of vertices along edges at which faces do not meet smoothly."""
    normal: dict[tuple[int, int], Floats] = {}
    for vertices, normals, face in at_rim:
        normal |= {(face, int(vertex)): row for vertex, row in zip(vertices, normals, strict=True)}
    renumber = {int(vertex): k for k, vertex in enumerate(used)}
    found = []
    for edge, first in enumerate(edges.first.tolist()):
        uses = np.flatnonzero(edges.edge == edge)
        if len(uses) < 2:
            continue
        sides = [edges.uses[k].face for k in uses[:2]]
        inner = rim.starts[edge] + np.arange(int(rim.counts[edge]) - 1)
        apart = [
            float(lengths(normal[sides[0], int(k)] - normal[sides[1], int(k)]))
            for k in inner
            if (sides[0], int(k)) in normal and (sides[1], int(k)) in normal
        ]
        if apart and float(np.median(apart)) > 2 * np.sin(KINK_ANGLE / 2):
            row = [int(edges.ends[first, 0]), *inner.tolist(), int(edges.ends[first, 1])]
            row = [renumber[k] for k in row if k in renumber]
            found += [sorted(pair) for pair in pairwise(row)]
    return np.array(found, dtype=np.int64).reshape(-1, 2)
