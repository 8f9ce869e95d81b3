"""A quad mesh of a set of surfaces: counts agree along chains of facing edges, shared edges share their vertices.

      +---+---+---+---+---+
      |   |   |   :   |   |      all edges across a chain take one count; a vertex on a shared edge is one vertex by
      +---+---+---+---+---+      construction, so nothing is welded by distance
      |   |   |   :   |   |
      +---+---+---+---+---+

Surfaces are cut at their sharp points first, so that an edge of the mesh runs along each. Surfaces that run to one point
side by side (a flat end, a dome) are closed there together, by the disc of `pole_cap` or by a fan of triangles. Regions
whose grids would come out slanted or uneven are filled as one, see `whole_regions`.
"""

from __future__ import annotations

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats, Ints, directions, lengths, owned, sum_by_index
from glass_spoon.kernel.curves.alter.place_curve import Placement, moving
from glass_spoon.kernel.errors import KernelError, TooManyFaces
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.topology import make_topology
from glass_spoon.kernel.meshing.close_flat import close_flat_end, fill_cap
from glass_spoon.kernel.meshing.close_poles import cap_size, close_pole
from glass_spoon.kernel.meshing.cut_set import CutSet, Sector, cut_at_kinks
from glass_spoon.kernel.meshing.divide_length import KINK_ANGLE, SHAPE_DIGITS
from glass_spoon.kernel.meshing.fill_whole import fill_whole, give_rim_normals
from glass_spoon.kernel.meshing.mesh_surface import PoleClosing
from glass_spoon.kernel.meshing.set_counts import Wish, planned, predicted_faces
from glass_spoon.kernel.meshing.set_parts import Grid, Parts, edge_numbers, make_grids, merged_numbers, quads, scaled_params
from glass_spoon.kernel.remembered import Remembered
from glass_spoon.kernel.repeat.placements import as_placements
from glass_spoon.kernel.repeat.repeat_mesh import repeat_mesh
from glass_spoon.kernel.surfaces.alter.edit_surface import place_surface
from glass_spoon.kernel.surfaces.sets.surface_set import (
    SurfaceSet,
)


def mesh_set(
    shape: SurfaceSet,
    wish: Wish,
    poles: PoleClosing = "quads",
    *,
    crease_sharp: bool = True,
    face_limit: int = 4_000_000,
) -> Mesh:
    """Return one mesh of all surfaces, with edges of about the wished lengths, even along the edges of each piece.

    Points carry "normal", corners "uv" (parameters of their surface, 0 .. 1), faces "piece" (the number of their surface;
    caps are numbered on).
    With `crease_sharp` edges along which pieces do not meet smoothly carry an infinite "sharpness". Surfaces keep their
    sides: see `orient_set`. Raises TooManyFaces before memory is taken, CountImpossible for a pole too large for quads.
    """
    if len(shape.pattern) > 1 and _stand_apart(shape):
        # Copies that share nothing are meshed once.
        first = shape.surfaces[0]
        start = first.control_points[0, 0]
        one = SurfaceSet((place_surface(first, moving(-start)),), shape.tolerance, (), shape.counts[:1])
        key = (_content(one), wish, poles, crease_sharp, face_limit)
        try:
            mesh = _copied.get(
                key,
                lambda: mesh_set(one, wish, poles, crease_sharp=crease_sharp, face_limit=face_limit // len(shape.pattern)),
            )
            return repeat_mesh(mesh, as_placements(Placement(move.matrix, move.apply(start)) for move in shape.pattern))
        except TooManyFaces as error:
            raise TooManyFaces(error.predicted * len(shape.pattern), face_limit) from error
    cut = cut_at_kinks(shape)

    def meshed(cut: CutSet) -> Mesh:
        cut, counts = planned(cut, wish, poles)
        predicted = predicted_faces(cut, counts)
        if predicted > face_limit:
            raise TooManyFaces(predicted, face_limit)
        return _assemble(cut, counts, poles, crease_sharp=crease_sharp, wish=wish)

    try:
        return meshed(cut)
    except TooManyFaces:
        raise
    except KernelError:
        if cut.before is None:
            raise
        return meshed(cut.before)  # rims too coarse to be filled: grids need none


_copied: Remembered[Mesh] = Remembered(8)
"""The meshes of what was repeated last, at the origin: copies that only move are not meshed again."""


def _content(one: SurfaceSet) -> bytes:
    """Return the content of a set of one surface, to twelve digits of its size."""
    surface = one.surfaces[0]
    net = np.round(surface.control_points / (surface.size or 1.0), SHAPE_DIGITS) + 0.0
    parts = (
        *surface.knots,
        surface.weights,
        net,
        np.array([float(f"{surface.size:.12g}"), one.tolerance]),
        np.array(one.counts),
    )
    return bytes(surface.degrees) + b"|".join(part.tobytes() for part in parts)


def _stand_apart(shape: SurfaceSet) -> bool:
    """Say whether copies of one surface share no edge: they are closed, or no corner of one meets one of another."""
    if not SurfaceSet(shape.surfaces[:1], shape.tolerance).lone_edges:
        return True
    corners = np.concatenate([surface.control_points[[0, 0, -1, -1], [0, -1, 0, -1]] for surface in shape.surfaces])
    pairs = scipy.spatial.cKDTree(corners).query_pairs(2 * shape.reach, output_type="ndarray")
    return bool((pairs[:, 0] // 4 == pairs[:, 1] // 4).all())


def _assemble(cut: CutSet, counts: Ints, poles: PoleClosing, *, crease_sharp: bool, wish: Wish) -> Mesh:
    """Evaluate all grids, close the fans, make shared vertices one, and gather the attributes."""
    parts = Parts([], [], [], [], [])
    grids = make_grids(cut, counts, parts, wish.bend, wish.lengths)
    flat = {id(fan): cut.planes[fan] for fan in cut.fans} if poles == "quads" else {}
    caps = {
        sector.piece: int(counts[sector.piece, 1 - sector.axis]) if flat.get(id(fan)) else cap_size(fan, counts, poles)
        for fan in cut.fans
        for sector in fan.sectors
    }
    at = {sector.piece: sector for fan in cut.fans for sector in fan.sectors}
    skirts = {skirt for whole in cut.wholes for skirt in whole.skirts}
    for whole in cut.wholes:
        give_rim_normals(parts, cut, whole, grids)
    for piece, grid in enumerate(grids):
        if piece in skirts:
            continue
        _add_quads(parts, cut, piece, grid, at.get(piece), caps.get(piece, 0))
    labels = merged_numbers(parts.total, grids, cut)
    normals = np.concatenate(parts.normals)
    for fan in cut.fans:
        plane = flat.get(id(fan))
        if plane:
            close_flat_end(parts, cut, fan, grids, plane)
        else:
            close_pole(parts, cut, fan, grids, counts, poles)
    for number, cap in enumerate(cut.shape.caps):
        fill_cap(parts, cut, number, cap, grids)
    for whole in cut.wholes:
        fill_whole(parts, cut, whole, grids)
    labels = np.concatenate((labels, labels.max() + 1 + np.arange(parts.total - len(labels))))
    return _finish(parts, labels, cut, grids, normals, crease_sharp=crease_sharp)


def _add_quads(parts: Parts, cut: CutSet, piece: int, grid: Grid, sector: Sector | None, cap: int) -> None:
    """Keep the quads of a grid, without those that a cap takes the place of."""
    numbers, uv = grid.numbers, scaled_params(cut, piece, grid.u, grid.v)
    if sector is not None:
        kept = slice(cap, None) if sector.end == 0 else slice(None, numbers.shape[1 - sector.axis] - cap)
        part = (slice(None), kept) if sector.axis == 0 else (kept, slice(None))
        numbers, uv = numbers[part], uv[part]
    parts.add_faces(quads(numbers), quads(uv), cut.parents[piece])


def _finish(parts: Parts, labels: Ints, cut: CutSet, grids: list[Grid], normals: Floats, *, crease_sharp: bool) -> Mesh:
    """Return the mesh of the parts with shared vertices made one and unused ones left out."""
    _drop_closed_strips(parts, labels)
    corners = np.concatenate([labels[faces].ravel() for faces in parts.faces])
    sides = np.concatenate([np.full(len(faces), faces.shape[1]) for faces in parts.faces])
    used, numbered = np.unique(corners, return_inverse=True)
    first = np.full(int(labels.max()) + 1, -1)
    first[labels[::-1]] = np.arange(len(labels))[::-1]
    points = np.concatenate(parts.points)[first[used]]
    merged = directions(sum_by_index(labels, np.concatenate(parts.normals), int(labels.max()) + 1))[used]
    offsets = None if (sides == 4).all() else np.concatenate(([0], np.cumsum(sides)))
    topology = make_topology(len(used), numbered.reshape(-1, 4) if offsets is None else numbered, offsets=offsets)
    edges: dict[str, Floats] = {}
    if crease_sharp:
        renumber = np.full(int(labels.max()) + 1, -1)
        renumber[used] = np.arange(len(used))
        sharp = _sharp_pairs(cut, grids, normals, renumber[labels])
        if len(sharp):
            found = topology.find_edges(sharp)
            edges["sharpness"] = np.zeros(len(topology.edges.ends))
            edges["sharpness"][found[found >= 0]] = np.inf
    uv = np.concatenate([part.reshape(-1, 2) for part in parts.uvs])
    return Mesh(
        topology,
        owned(points),
        points={"normal": owned(merged)},
        corners={"uv": owned(uv)},
        edges=edges,
        faces={"piece": np.concatenate(parts.owners).astype(np.float64)},
    )


def _drop_closed_strips(parts: Parts, labels: Ints) -> None:
    """Leave out faces whose sides fell together: a piece narrower than the distance within which edges are shared; quads of
    which one side did become triangles.
    """
    for number, faces in enumerate(list(parts.faces)):
        own, sides = labels[faces], faces.shape[1]
        fell = own == np.roll(own, -1, axis=1)
        ordered = np.sort(own, axis=1)
        distinct = 1 + (ordered[:, 1:] != ordered[:, :-1]).sum(axis=1)
        whole = distinct == sides
        if whole.all():
            continue
        uv, owner = parts.uvs[number], parts.owners[number]
        left = (distinct == 3) & (fell.sum(axis=1) == 1) & (sides == 4)
        rows = np.flatnonzero(left)[:, None]
        kept = (fell[left].argmax(axis=1)[:, None] + np.arange(1, 4)) % sides
        parts.faces[number], parts.uvs[number], parts.owners[number] = faces[whole], uv[whole], owner[whole]
        if len(rows):
            parts.faces.append(faces[rows, kept])
            parts.uvs.append(uv[rows, kept])
            parts.owners.append(owner[rows[:, 0]])


def _sharp_pairs(cut: CutSet, grids: list[Grid], normals: Floats, numbers: Ints) -> Ints:
    """Return the vertex pairs (n, 2), lower first, along shared edges at which the normals of both sides differ."""
    found = [np.zeros((0, 2), dtype=np.int64)]
    for pair in cut.shape.shared:
        rows = [edge_numbers(grids[name.piece], name) for name in (pair.first, pair.second)]
        second = rows[1][::-1] if pair.reversed else rows[1]
        apart = lengths(normals[rows[0]] - normals[second])
        if float(np.median(apart)) > 2 * np.sin(KINK_ANGLE / 2):
            found.append(_row_pairs(numbers[rows[0]]))
    for cap, rim in zip(cut.shape.caps, cut.shape.rims, strict=True):
        for name in rim:
            row = edge_numbers(grids[name.piece], name)
            if float(np.median(lengths(normals[row] - cap.normal))) > 2 * np.sin(KINK_ANGLE / 2):
                found.append(_row_pairs(numbers[row]))
    return np.concatenate(found)


def _row_pairs(row: Ints) -> Ints:
    """Return the pairs (n, 2) of neighbours in a row of vertices, lower first; vertices no face uses are left out."""
    row = row[row >= 0]
    return np.sort(np.column_stack((row[:-1], row[1:])), axis=1)
