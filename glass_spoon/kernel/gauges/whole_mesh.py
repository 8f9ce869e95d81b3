"""Figures of the whole mesh: counts, evenness, size, area, volume."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints
from glass_spoon.kernel.gauges.face_figures import FaceFigures, figures_of
from glass_spoon.kernel.gauges.reading import Limits, Reading
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.topology import Topology
from glass_spoon.kernel.subdivision.catmull_clark import MAX_LEVEL, predict_faces

ODD_SHARE = 3.0
"""A face or edge this many times larger or smaller than the mean is pointed at when evenness breaks its limit."""


def count_sides(topology: Topology) -> dict[str, int]:
    """Return the face counts by sides: triangles, quads, and faces with more."""
    sides = topology.face_sides
    return {
        "triangles": int((sides == 3).sum()),
        "quads": int((sides == 4).sum()),
        "more": int((sides > 4).sum()),
    }


def count_levels(topology: Topology) -> list[int]:
    """Return the face count at smoothing levels 0 to 6."""
    return [predict_faces(topology, level) for level in range(MAX_LEVEL + 1)]


def read_face_count(topology: Topology, limits: Limits, level: int = 0) -> Reading:
    """Read the face count after `level` steps of smoothing, against the budget."""
    return Reading("face_budget", float(predict_faces(topology, level)), "", float(limits.face_budget))


def read_four_sided(topology: Topology, limits: Limits) -> Reading:
    """Read the share of faces with four sides."""
    odd: Ints = np.flatnonzero(topology.face_sides != 4)
    share = 1 - len(odd) / topology.face_count if topology.face_count else float("nan")
    return Reading("four_sided", share, "", limits.four_sided, at_least=True, kind="face", offenders=odd)


def mean_ratio(values: Floats) -> float:
    """Return the geometric over the arithmetic mean of positive values (n,): 1 when all are equal, 0 when one is zero."""
    if not len(values):
        return float("nan")
    if values.min() <= 0:
        return 0.0
    return float(np.exp(np.log(values).mean()) / values.mean())


def _odd_ones(values: Floats) -> Ints:
    """Return indices of values far from their mean."""
    mean = values.mean() if len(values) else 1.0
    return np.flatnonzero((values > ODD_SHARE * mean) | (values * ODD_SHARE < mean))


def read_evenness(figures: FaceFigures, limits: Limits) -> Reading:
    """Read the evenness of the face areas: geometric over arithmetic mean."""
    value = mean_ratio(figures.areas)
    odd = _odd_ones(figures.areas) if value < limits.evenness else np.zeros(0, dtype=np.int64)
    return Reading("evenness", value, "", limits.evenness, at_least=True, kind="face", offenders=odd)


def read_edge_evenness(figures: FaceFigures, limits: Limits) -> Reading:
    """Read the evenness of the edge lengths: geometric over arithmetic mean."""
    value = mean_ratio(figures.edge_lengths)
    odd = _odd_ones(figures.edge_lengths) if value < limits.edge_evenness else np.zeros(0, dtype=np.int64)
    return Reading("edge_evenness", value, "", limits.edge_evenness, at_least=True, kind="edge", offenders=odd)


def read_area(figures: FaceFigures) -> Reading:
    """Read the whole area in mm^2."""
    return Reading("area", float(figures.areas.sum()), "mm2")


def enclosed_volume(mesh: Mesh) -> float:
    """Return the signed volume in mm^3 by the divergence theorem; NaN when the mesh is not closed.

    Faces that are not flat count as the triangles that files get.
    """
    return read_volume(figures_of(mesh)).value


def read_volume(figures: FaceFigures) -> Reading:
    """Read the enclosed volume in mm^3: negative when the mesh is inside out, NaN when it is open."""
    topology = figures.mesh.topology
    is_open = not topology.face_count or (topology.edge_face_counts != 2).any() or topology.same_direction.any()
    return Reading("volume", float("nan") if is_open else float(figures.cones.sum() / 6), "mm3")


def bounding_size(mesh: Mesh) -> Floats:
    """Return the extents (3,) in mm along x, y and z."""
    return np.array([np.ptp(column) for column in mesh.positions.T]) if mesh.point_count else np.zeros(3)
