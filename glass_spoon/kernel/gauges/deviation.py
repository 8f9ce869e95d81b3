"""How far a mesh lies from the surface that it stands for."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, Ints
from glass_spoon.kernel.gauges.reading import Limits, Reading
from glass_spoon.kernel.meshes.closest_on_mesh import NearestOnMesh
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.subdivision.catmull_clark import subdivide
from glass_spoon.kernel.subdivision.limit_surface import limit_surface
from glass_spoon.kernel.surfaces.evaluate.closest_points import SETTLED, closest_points
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet

BORDER = 1e-6
"""A foot within this share of the domain of its end lies on the border."""

MAX_PLACES = 20_000
"""Most places measured; larger meshes are measured at evenly picked faces."""


def off_other(mesh: Mesh, other: Mesh) -> Floats:
    """Return how far (n,) in mm the shape of a mesh is from that of another near each of its vertices, taken both ways: how
    far the vertex lies from the other, and how far vertices of the other that are nearest to its faces lie from these.
    """
    if not mesh.face_count or not other.face_count:
        return np.zeros(mesh.point_count)
    off = NearestOnMesh(other).ask(mesh.positions)[2]
    _, faces, back = NearestOnMesh(mesh).ask(other.positions)
    of_face = np.zeros(mesh.face_count)
    np.maximum.at(of_face, faces, back)
    topology = mesh.topology
    np.maximum.at(off, topology.face_corners, of_face[topology.face_of_corner])
    return off


RINGS_ASKED = 6
"""Rings of neighbours of a piece that are asked for a nearer place: as many sectors may lie between two of a pole."""


def face_deviations(
    mesh: Mesh, surface: NurbsSurface | SurfaceSet, most: int = MAX_PLACES, settled: float = SETTLED
) -> tuple[Ints, Floats]:
    """Return the faces looked at (k,) and the distance (k,) in mm of their farther place from the surface.

    Each face is measured at its centre and at its first corner, by true closest points. Corner attribute "uv" gives the
    search its start; without it the nearest of a fine grid does. Faces of a set are measured from the surface that their
    attribute "piece" names, or from the nearest one. All faces are measured up to `most` / 2 of them. Feet are
    found within `settled` of the surface's size; the distances are then exact to its square.
    """
    count = mesh.face_count
    step = max(1, -(-2 * count // most))
    faces = np.arange(0, count, step)
    offsets = mesh.topology.face_offsets[faces]
    places = np.concatenate((_centers(mesh, faces), mesh.positions[mesh.topology.face_corners[offsets]]))
    uv = None
    if "uv" in mesh.corners:
        uv = np.concatenate((_mean_uv(mesh, mesh.corners["uv"], faces), mesh.corners["uv"][offsets]))
    owners = np.tile(mesh.faces["piece"][faces].astype(np.int64), 2) if "piece" in mesh.faces else None
    distance = _place_distances(surface, places, uv, owners, settled)
    return faces, np.maximum(distance[: len(faces)], distance[len(faces) :])


def smoothed_deviation(
    mesh: Mesh, surface: NurbsSurface | SurfaceSet, levels: int = 1, settled: float = 10 * SETTLED
) -> float:
    """Return the largest distance in mm from a surface of limit points of a mesh, those of its cage and of `levels` finer.

    Raises InvalidInput for edges of more than two faces.
    """
    smooth = subdivide(mesh, levels if levels or mesh.topology.is_quads else 1)
    return point_deviation(smooth.moved(limit_surface(smooth).positions), surface, MAX_PLACES, settled)


def point_deviation(mesh: Mesh, surface: NurbsSurface | SurfaceSet, most: int, settled: float = 10 * SETTLED) -> float:
    """Return the largest distance in mm of the vertices of a mesh from a surface, of about `most` evenly picked ones."""
    step = max(1, -(-mesh.point_count // most))
    corner = mesh.topology.first_corners[::step]
    used = corner >= 0
    places, corner = mesh.positions[::step][used], corner[used]
    uv = mesh.corners["uv"][corner] if "uv" in mesh.corners else None
    owners = None
    if "piece" in mesh.faces:
        owners = mesh.faces["piece"][mesh.topology.face_of_corner[corner]].astype(np.int64)
    return float(_place_distances(surface, places, uv, owners, settled).max(initial=0.0))


def _place_distances(
    surface: NurbsSurface | SurfaceSet, places: Floats, uv: Floats | None, owners: Ints | None, settled: float
) -> Floats:
    """Return the distance (n,) in mm of places (n, 3) from a surface, or from the pieces `owners` (n,) of a set.

    Without owners the nearest piece counts.
    """
    if isinstance(surface, NurbsSurface):
        return _distances(surface, places, uv, settled)
    if owners is None:
        return np.asarray(np.min([_distances(one, places, None, settled) for one in surface.surfaces], axis=0))
    distance = np.empty(len(places))
    for piece in np.unique(owners):
        own = np.flatnonzero(owners == piece)
        if piece >= len(surface.surfaces):
            cap = surface.caps[piece - len(surface.surfaces)]
            distance[own] = np.abs((places[own] - cap.origin) @ cap.normal)
            continue
        start = None if uv is None else uv[own]
        distance[own], at_border = _feet(surface.surfaces[piece], places[own], start, settled)
        _ask_neighbours(surface, int(piece), places, distance, own[at_border], settled)
    return distance


def _distances(surface: NurbsSurface, places: Floats, uv: Floats | None, settled: float) -> Floats:
    """Return the distance (n,) in mm of places (n, 3) from a surface; see `_feet`."""
    return _feet(surface, places, uv, settled)[0]


def _ask_neighbours(shape: SurfaceSet, piece: int, places: Floats, distance: Floats, asked: Ints, settled: float) -> None:
    """Lessen the distances of places `asked`, whose feet lie on the border of a piece, by pieces that may be nearer.

    Neighbours first, then theirs: faces in the core about a pole lie over sectors on the far side of it.
    """
    near_enough = max(10 * settled * shape.size, shape.tolerance)
    known, ring = {piece}, [piece]
    for _ in range(RINGS_ASKED):
        asked = asked[distance[asked] > near_enough]
        ring = [other for one in ring for other in shape.neighbours(one) if other not in known]
        if not len(asked) or not ring:
            return
        for other in dict.fromkeys(ring):
            known.add(other)
            surface = shape.surfaces[other]
            net = surface.control_points.reshape(-1, 3)
            apart = np.maximum(net.min(axis=0) - places[asked], places[asked] - net.max(axis=0)).max(axis=1)
            near = asked[apart < distance[asked]]
            if len(near):
                distance[near] = np.minimum(distance[near], _distances(surface, places[near], None, settled))


def _feet(surface: NurbsSurface, places: Floats, uv: Floats | None, settled: float) -> tuple[Floats, Bools]:
    """Return the distance (n,) in mm of places (n, 3) from a surface, and whether the foot lies on its border.

    uv (n, 2), shares of its domain, start the search.
    """
    start = None
    if uv is not None:
        lows, highs = zip(*(surface.domain(axis) for axis in (0, 1)), strict=True)
        start = tuple(lows[axis] + uv[:, axis] * (highs[axis] - lows[axis]) for axis in (0, 1))
    u, v, distance = closest_points(surface, places, start, settled * surface.size)  # type: ignore[arg-type]  # a pair
    if start is not None and len(distance):
        # A face about a pole has no one place on the surface: the few that lie far off are looked for from everywhere.
        far = np.flatnonzero(distance > max(2 * float(np.quantile(distance, 0.9)), 10 * settled * surface.size))
        if len(far):
            again = closest_points(surface, places[far], None, settled * surface.size)
            nearer = again[2] < distance[far]
            for found, new in zip((u, v, distance), again, strict=True):
                found[far[nearer]] = new[nearer]
    border = np.zeros(len(places), dtype=bool)
    for axis, params in ((0, u), (1, v)):
        low, high = surface.domain(axis)
        border |= np.minimum(params - low, high - params) < BORDER * (high - low)
    return distance, border


def _centers(mesh: Mesh, faces: Ints) -> Floats:
    """Return the centres (k, 3) of some faces."""
    if len(faces) == mesh.face_count or not mesh.topology.is_quads:
        return mesh.face_centers[faces]
    return mesh.positions[mesh.topology.face_corners.reshape(-1, 4)[faces]].mean(axis=1)


def _mean_uv(mesh: Mesh, uv: Floats, faces: Ints) -> Floats:
    """Return the mean corner uv (k, 2) of some faces."""
    if mesh.topology.is_quads:
        return uv.reshape(-1, 4, 2)[faces].mean(axis=1)
    total = np.add.reduceat(uv, mesh.topology.face_offsets[:-1], axis=0)
    return total[faces] / mesh.topology.face_sides[faces][:, None]


def read_off_surface(
    mesh: Mesh, surface: NurbsSurface | SurfaceSet, limits: Limits, most: int = MAX_PLACES, settled: float = SETTLED
) -> tuple[Reading, Reading]:
    """Read the largest and the mean distance in mm from the surface; see `face_deviations`."""
    faces, distance = face_deviations(mesh, surface, most, settled)
    largest = float(distance.max()) if len(distance) else float("nan")
    mean = float(distance.mean()) if len(distance) else float("nan")
    bad = faces[distance > limits.off_surface]
    return (
        Reading("off_surface", largest, "mm", limits.off_surface, kind="face", offenders=bad),
        Reading("off_surface_mean", mean, "mm"),
    )
