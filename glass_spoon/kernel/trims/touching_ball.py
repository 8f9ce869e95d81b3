"""Where a ball touches two surfaces over a place of an edge: what is left to be nothing, and how it changes."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.compiled import compiled
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_derivatives
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.trims.seams import wrapped


def frames(surface: NurbsSurface, params: Floats) -> Floats:
    """Return places, unit normals, derivatives of places along u and v, and of normals: (6, n, 3), at params (n, 2)."""
    params = wrapped(params, surface)
    values = surface_derivatives(surface, params[:, 0], params[:, 1], 2)
    return _with_normals(*(values[key] for key in ((0, 0), (1, 0), (0, 1), (2, 0), (1, 1), (0, 2))))


@compiled
def _with_normals(
    place: Floats, along_u: Floats, along_v: Floats, twice_u: Floats, mixed: Floats, twice_v: Floats
) -> Floats:
    """Return the same from places and their derivatives, each (n, 3)."""
    result = np.empty((6, len(place), 3))
    changes = np.empty((2, 3))
    for i in range(len(place)):
        result[0, i], result[2, i], result[3, i] = place[i], along_u[i], along_v[i]
        size = 0.0
        for axis in range(3):
            j, k = (axis + 1) % 3, (axis + 2) % 3
            over = along_u[i, j] * along_v[i, k] - along_u[i, k] * along_v[i, j]
            result[1, i, axis] = over
            size += over * over
            changes[0, axis] = twice_u[i, j] * along_v[i, k] - twice_u[i, k] * along_v[i, j]
            changes[0, axis] += along_u[i, j] * mixed[i, k] - along_u[i, k] * mixed[i, j]
            changes[1, axis] = mixed[i, j] * along_v[i, k] - mixed[i, k] * along_v[i, j]
            changes[1, axis] += along_u[i, j] * twice_v[i, k] - along_u[i, k] * twice_v[i, j]
        size = max(np.sqrt(size), 1e-300)
        result[1, i] /= size
        for way in range(2):
            within = 0.0
            for axis in range(3):
                within += changes[way, axis] * result[1, i, axis]
            for axis in range(3):
                result[4 + way, i, axis] = (changes[way, axis] - within * result[1, i, axis]) / size
    return result


@compiled
def equations(
    first: Floats, second: Floats, heights: Floats, places: Floats, along: Floats, wanted: Floats, *, chord: bool
) -> tuple[Floats, Floats]:
    """Return what is left to be nothing (n, 5), in mm, and its derivatives (n, 5, 5) by both sides' u and v and the height.

    The middle is at one height in mm over both `frames` (first three), in the plane through a place of the edge square to
    its direction (the fourth); its contacts are as far apart as wanted if that is a chord, else its height stands (last).
    """
    left, matrix = np.zeros((len(heights), 5)), np.zeros((len(heights), 5, 5))
    for i in range(len(heights)):
        height, far = heights[i], 0.0
        for axis in range(3):
            middle = first[0, i, axis] + height * first[1, i, axis]
            left[i, axis] = middle - second[0, i, axis] - height * second[1, i, axis]
            left[i, 3] += (middle - places[i, axis]) * along[i, axis]
            apart = first[0, i, axis] - second[0, i, axis]
            far += apart * apart
            for way in range(2):
                own = first[2 + way, i, axis] + height * first[4 + way, i, axis]
                matrix[i, axis, way] = own
                matrix[i, axis, 2 + way] = -second[2 + way, i, axis] - height * second[4 + way, i, axis]
                matrix[i, 3, way] += own * along[i, axis]
                matrix[i, 4, way] += apart * first[2 + way, i, axis]
                matrix[i, 4, 2 + way] -= apart * second[2 + way, i, axis]
            matrix[i, axis, 4] = first[1, i, axis] - second[1, i, axis]
            matrix[i, 3, 4] += first[1, i, axis] * along[i, axis]
        if chord:
            far = max(np.sqrt(far), 1e-300)
            left[i, 4] = far - wanted[i]
            matrix[i, 4] /= far
        else:
            matrix[i, 4, :4] = 0.0
            matrix[i, 4, 4] = 1.0
    return left, matrix
