"""Fill regions that are meshed as one: quads within their rims as they are seen on the flat, each vertex on its piece."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.meshing.close_flat import seen_rings
from glass_spoon.kernel.meshing.cut_set import CutSet
from glass_spoon.kernel.meshing.fill_with_grid import fill_with_grid
from glass_spoon.kernel.meshing.plane_fill import least_angle
from glass_spoon.kernel.meshing.seen_pieces import SeenPieces
from glass_spoon.kernel.meshing.set_parts import Grid, Parts, edge_numbers, scaled_params
from glass_spoon.kernel.meshing.whole_regions import WholeRegion
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_normals
from glass_spoon.kernel.surfaces.sets.surface_set import edge_loops


def give_rim_normals(parts: Parts, cut: CutSet, whole: WholeRegion, grids: list[Grid]) -> None:
    """Give the vertices of skirts on the rim of a region its normals, the others none; before they are one with others."""
    assert cut.before is not None
    for name, edge in zip(whole.rim, whole.edges, strict=True):
        piece, grid = cut.before.pieces[edge.piece], grids[name.piece]
        along = np.take(grid.u if edge.axis == 0 else grid.v, 0, axis=1 - edge.axis)
        fixed = np.full_like(along, piece.domain(1 - edge.axis)[edge.end])
        own = np.zeros_like(parts.normals[name.piece])
        row = edge_numbers(grid, name) - grid.numbers[0, 0]
        own[row] = surface_normals(piece, *((along, fixed) if edge.axis == 0 else (fixed, along)))
        parts.normals[name.piece] = own


def fill_whole(parts: Parts, cut: CutSet, whole: WholeRegion, grids: list[Grid]) -> None:
    """Fill a region with quads within the vertices of its rim; raises KernelError where they are too coarse for it."""
    assert cut.before is not None
    loops = edge_loops(cut.shape, whole.rim)
    rings, outlines = seen_rings(parts, grids, loops, np.zeros(3), whole.axes[:2])
    rim = sum(map(len, rings))
    step = sum(float(cut.shape.edges.lengths[cut.shape.edges.number[name]]) for name in whole.rim) / rim
    fill = fill_with_grid(outlines, step)
    if least_angle(fill) == 0.0:
        raise KernelError("The rim is too coarse for its shape. Use shorter edges there.")
    seen = SeenPieces([cut.before.pieces[member] for member in whole.members], whole.axes[:2])
    laid = seen.laid(fill, rim)
    first = parts.add_vertices(laid.inner, laid.normals)
    vertices = np.concatenate((*rings, first + np.arange(len(laid.inner))))
    for k in np.unique(laid.of_face).tolist():
        own = laid.of_face == k
        uv = scaled_params(cut.before, whole.members[k], laid.params[own, :, 0], laid.params[own, :, 1])
        parts.add_faces(vertices[fill.faces[own]], uv, cut.before.parents[whole.members[k]])
