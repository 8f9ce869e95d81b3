"""What a mesh line looks for: the edges for a count of faces, or for a tolerance; bends and gaps that it tells."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from glass_spoon.kernel.errors import CountImpossible, KernelError, place_text
from glass_spoon.kernel.gauges.deviation import smoothed_deviation
from glass_spoon.kernel.mesh_edits.open_edges import find_gaps
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshing.cut_set import cut_at_kinks
from glass_spoon.kernel.meshing.divide_length import make_guide
from glass_spoon.kernel.meshing.mesh_surface import PoleClosing, plan_layout
from glass_spoon.kernel.meshing.search_density import length_for_faces, length_for_tolerance
from glass_spoon.kernel.meshing.set_counts import Wish, planned, predicted_faces
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet, one_as_set
from glass_spoon.sheet.items import MeshItem
from glass_spoon.sheet.line import Finding
from glass_spoon.sheet.lines.mesh_work.fields import length_text, several
from glass_spoon.sheet.mesh_item import FACE_LIMIT

CORRECTIONS, COUNT_NEAR, FINER = 4, 0.02, 1.5
"""Most meshes made on the way to a count of faces; the share of it that is near enough; times more where one is refused."""

MOST_TRIED = 300_000
"""Largest mesh that is tried for a tolerance of the smoothed shape."""

ENOUGH_TRIED, SURELY = 2000, 4.0
"""Faces from which it is told how many a tolerance will take; times too many for the most that is given up at once."""


def mesh_near_count(wanted: int, length_for: Callable[[int], float], meshed: Callable[[float], Mesh]) -> tuple[Mesh, float]:
    """Return the mesh that comes near to a count of faces, and its edge length in mm.

    length_for: the edge length foretold for a count; what caps make of it is seen in the mesh (`meshed`), and the next one
    asks for more or fewer by as much. Raises what `meshed` does where it refuses every one.
    """
    asked, found, refused = float(wanted), [], KernelError("No mesh was tried.")
    for _ in range(CORRECTIONS):
        length = length_for(round(asked))
        try:
            found.append((meshed(length), length))
        except KernelError as error:
            refused = error
            asked *= FINER  # too coarse for a flat end, or for the runs between sharp points
            continue
        count = found[-1][0].face_count
        if abs(count - wanted) <= COUNT_NEAR * wanted:
            break
        asked = max(1.0, asked * wanted / count)
    if not found:
        raise refused
    return min(found, key=lambda made: abs(made[0].face_count - wanted))


def set_length_for_faces(shape: SurfaceSet, wish_for: Callable[[float], Wish], poles: PoleClosing, wanted: int) -> float:
    """Return the edge length in mm whose grids over a set come nearest to a count of faces."""
    whole = cut_at_kinks(shape)

    def foretold(length: float) -> int:
        cut, counts = planned(whole, wish_for(length), poles)
        rims = (sum(counts[name.piece, name.axis] for name in rim) for rim in cut.shape.rims)
        ends = sum(int(count) ** 2 // 16 for count in rims)  # a square has a quarter of its rim along each side
        return predicted_faces(cut, counts) + ends

    return length_for_faces(foretold, shape.size, wanted)


def one_length_for_faces(
    surface: NurbsSurface, counts_for: Callable[[float], tuple[int, int]], poles: PoleClosing, wanted: int
) -> float:
    """Return the edge length in mm whose grid over one surface comes nearest to a count of faces."""

    def foretold(length: float) -> int:
        around, along = counts_for(length)
        if around * along > FACE_LIMIT:
            return around * along
        guides = make_guide(surface, 0), make_guide(surface, 1)
        try:
            return plan_layout(surface, guides, around, along, poles, 1e-6).face_count
        except CountImpossible:
            return around * along

    return length_for_faces(foretold, surface.size, wanted)


def length_within(
    tolerance: float,
    shape: NurbsSurface | SurfaceSet,
    meshed: Callable[[float], Mesh],
    fitted: Callable[[Mesh], Mesh],
) -> tuple[float, str]:
    """Return the largest edge length whose smoothed mesh keeps a tolerance (mm), and what was reached, as a sentence.

    meshed: the mesh of an edge length; fitted: what is smoothed of it. Raises KernelError where it takes too many faces.
    """

    def off(length: float) -> float:
        try:
            mesh = meshed(length)
        except CountImpossible:
            return np.inf  # too coarse for the runs between sharp points
        if mesh.face_count > MOST_TRIED:
            raise KernelError(
                f"Within {length_text(tolerance)} it would take more than {MOST_TRIED:,} faces. Allow a larger tolerance."
            )
        found = smoothed_deviation(fitted(mesh), shape)
        wanted = mesh.face_count * found / tolerance  # the distance falls with the square of the edges
        if mesh.face_count > ENOUGH_TRIED and wanted > SURELY * MOST_TRIED:
            raise KernelError(
                f"Within {length_text(tolerance)} it would take about {float(f'{wanted:.1g}'):,.0f} faces, and at most "
                f"{MOST_TRIED:,} are tried: {mesh.face_count:,} are {length_text(found)} off. Allow a larger tolerance."
            )
        return found

    length, reached = length_for_tolerance(off, shape.size, tolerance)
    told = f"The smoothed shape is at most {length_text(reached)} off, with edges of about {length_text(length)}."
    return length, told


def bends_stepped_over(shape: NurbsSurface | SurfaceSet, wish: Wish) -> tuple[float, ...]:
    """Return how long the bends are in mm that edges of the wished lengths would step over."""
    if not np.isfinite(min(wish.lengths)):
        return ()
    whole = shape if isinstance(shape, SurfaceSet) else one_as_set(shape)
    tight = cut_at_kinks(whole).shape.edges.tight_bends(wish.lengths)
    return tuple(float(size) for bends in tight.values() for size in bends[:, 3])


def gap_findings(item: MeshItem, within: float) -> list[Finding]:
    """Tell where pieces of a set nearly meet, so that the mesh is open between them; within: what is shared in mm."""
    if not isinstance(item.surface, SurfaceSet) or not (item.mesh.topology.edge_face_counts == 1).any():
        return []
    gaps = find_gaps(item.mesh, within)
    if not len(gaps.widths):
        return []
    place = item.mesh.positions[item.mesh.topology.edges.ends[gaps.edges[0]]].mean(axis=0)
    sentence = (
        f"The mesh is open where pieces nearly meet: {several(len(gaps.widths), 'place')}, up to "
        f"{length_text(float(gaps.widths.max()))} apart, one at {place_text(place)}. Gather the surfaces within a larger "
        "distance, or weld."
    )
    return [Finding("open_between", "look", sentence, kind="edge", offenders=tuple(int(edge) for edge in gaps.edges))]
