"""Maps of space: a stack of six on 100,000 points, and a lattice drag on 20,000 faces as a sheet runs it."""

from __future__ import annotations

from typing import Any

import numpy as np
from scipy.interpolate import RegularGridInterpolator

from bench.measure import median_seconds
from glass_spoon.kernel.deform.bends import Bend, Ripple, Shear, Stretch, Taper, Twist
from glass_spoon.kernel.deform.lattice import Lattice
from glass_spoon.kernel.deform.space_map import Axes, SpaceMap
from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.document import read_document
from glass_spoon.sheet.evaluate import evaluate


def slab(rise: float) -> Any:
    """Return a sheet: a block of about 20,000 faces in a lattice, one point of which is lifted by so many mm."""
    lines = [
        {"id": "l1", "verb": "block", "width": 200, "depth": 200, "height": 8, "edge": "2.05 mm", "gives": "slab"},
        {"id": "l2", "verb": "lattice", "item": "l1", "tall": 2, "moves": [{"i": 2, "j": 2, "k": 2, "rise": rise}]},
    ]
    return read_document({"format": "glass-spoon/sheet", "version": 1, "lines": lines})


def one_by_one(maps: list[SpaceMap], points: Any) -> Any:
    """Return where points go by one map after another."""
    for one in maps:
        points = one.apply(points)
    return points


def run() -> dict[str, Any]:
    """Return seconds and ratios."""
    points = np.random.default_rng(0).random((100_000, 3)) * 100 - 50
    axes = Axes.along((0, 0, 0), (0, 0, 1), (1, 0, 0))
    stack: list[SpaceMap] = [
        Bend(axes, -50, 50, angle=1.0),
        Twist(axes, -50, 50),
        Taper(axes, -50, 50),
        Shear(axes, -50, 50, slope=0.2),
        Stretch(axes, -50, 50, factor=1.2),
        Ripple(axes, 2, 20),
    ]
    low, high, moves = np.full(3, -50.0), np.full(3, 50.0), np.random.default_rng(1).normal(size=(2, 2, 2, 3))
    grid = RegularGridInterpolator([np.array([-50.0, 50.0])] * 3, moves)
    cache, rises = ResultCache(), iter(range(1, 1000))
    faces = evaluate(slab(0), cache).items["l1"].item.mesh.face_count
    own = median_seconds(lambda: Lattice(low, high, moves).apply(points), 5)
    other = median_seconds(lambda: points + grid(points), 5)
    return {
        "six maps on 100,000 points": median_seconds(lambda: one_by_one(stack, points), 5),
        "a lattice of eight points on 100,000 points": own,
        "the same through SciPy's interpolation": other,
        "times as fast as SciPy": other / own,
        "a lattice point moved, faces": faces,
        "a lattice point moved, the sheet built": median_seconds(lambda: evaluate(slab(float(next(rises))), cache), 7),
    }
