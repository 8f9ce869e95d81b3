"""python -m glass_spoon.kernel.compile_ahead: compiles what is compiled on its first call, so that nobody waits."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.gauges.crossings import crossing_faces, crossing_others
from glass_spoon.kernel.meshes.mesh import make_mesh


def main() -> None:
    """Read a small mesh as every mesh is read."""
    sheet = make_mesh(np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [2, 0, 0]]), [[0, 1, 2, 3], [1, 4, 2, 0]])
    crossing_faces(sheet)
    crossing_others(sheet, [sheet])


if __name__ == "__main__":
    main()
