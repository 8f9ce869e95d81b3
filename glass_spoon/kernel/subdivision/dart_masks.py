"""Where a dart comes to lie: a vertex at which one sharp crease ends among smooth edges, and the tangents there.

A dart moves as a smooth vertex, but the middle of its sharp edge as on a crease, so that the mask of a smooth vertex is not
its. One step takes what lies round it to what lies round it then by a matrix A; a row l with l A = lambda l stays what it
is: that of lambda = 1 gives the limit, those of the two next the tangents (Halstead, Kass, DeRose 1993, section 3).
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, Ints, directions
from glass_spoon.kernel.meshes.vertex_rings import VertexRings


@lru_cache(maxsize=32)
def dart_masks(valence: int) -> Floats:
    """Return the masks (3, 2 n + 1) of a dart of valence n: its limit and two tangents there.

    Columns: the vertex, its spokes from the sharp one on, the corners across its faces from the one after that on.
    """
    step = _ring_step(valence)
    values, rows = np.linalg.eig(step.T)
    order = np.argsort(-values.real)[:3]
    masks = np.real(rows[:, order]).T
    masks[0] /= masks[0].sum()
    masks.flags.writeable = False
    return masks


def _ring_step(n: int) -> Floats:
    """Return the matrix (2 n + 1, 2 n + 1) of one step: the vertex v, spokes e, far corners f, before and after."""
    unit = np.eye(2 * n + 1)
    v, e, f = unit[0], unit[1 : n + 1], unit[n + 1 :]
    faces = (v + e + np.roll(e, -1, axis=0) + f) / 4
    edges = (v + e + np.roll(faces, 1, axis=0) + faces) / 4
    edges[0] = (v + e[0]) / 2
    vertex = (n - 2) / n * v + (e.sum(axis=0) + faces.sum(axis=0)) / n**2
    return np.vstack((vertex, edges, faces))


def place_darts(rings: VertexRings, ends: Ints, points: Floats, means: Floats) -> tuple[Bools, Floats, Floats]:
    """Return which of the vertices of a table (m,) are darts, and the limits and unit normals (k, 3) of these.

    ends: (n,) the far end of the sharp edge of each dart of the mesh, -1 for other vertices. points: (n, 3). means: (n, 3)
    on whose side normals lie.
    """
    dart = ends[rings.vertices] >= 0
    vertices, spokes, far = rings.vertices[dart], rings.spokes[:, dart], rings.far[:, dart]
    first = np.argmax(spokes == ends[vertices], axis=0)
    turn = (first + np.arange(rings.valence)[:, None]) % rings.valence
    around = np.concatenate((np.take_along_axis(spokes, turn, axis=0), np.take_along_axis(far, turn, axis=0)))
    here = points[vertices]
    limit, one, other = np.einsum("rk,kmx->rmx", dart_masks(rings.valence)[:, 1:], points[around] - here)
    normals = directions(np.cross(one, other))
    facing = np.einsum("ij,ij->i", normals, means[vertices])
    return dart, here + limit, np.where(facing < 0, -1.0, 1.0)[:, None] * normals
