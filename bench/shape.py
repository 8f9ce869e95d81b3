"""Maps of space on 100,000 points, a lattice drag on 20,000 faces as a sheet runs it, swelling, and shortest lines."""

from __future__ import annotations

from typing import Any

import networkx as nx
import numpy as np
from scipy.interpolate import RegularGridInterpolator

from bench.measure import median_seconds
from glass_spoon.kernel.deform.bends import Bend, Ripple, Shear, Stretch, Taper, Twist
from glass_spoon.kernel.deform.lattice import Lattice
from glass_spoon.kernel.deform.space_map import Axes, SpaceMap
from glass_spoon.kernel.deform.swell import swell
from glass_spoon.kernel.meshes.geodesic import shortest_line
from glass_spoon.kernel.meshing.six_sides import SixSides, mesh_six_sides
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


def on_balls() -> dict[str, Any]:
    """Return seconds for a ball swelled, and for shortest lines on one beside networkx's way along its edges."""
    large = mesh_six_sides(SixSides((0, 0, 0), 20.0, (1, 1, 1), 1, 129)).mesh
    ball = mesh_six_sides(SixSides((0, 0, 0), 20.0, (1, 1, 1), 1, 41)).mesh
    middle, ends = ball.positions.mean(axis=0), ball.topology.edges.ends
    start, end = middle + np.array([0, 20, 0]), middle + np.array([12, -16, 0])
    steps = np.linalg.norm(ball.positions[ends[:, 1]] - ball.positions[ends[:, 0]], axis=1)
    graph = nx.Graph()
    graph.add_weighted_edges_from((int(a), int(b), float(s)) for (a, b), s in zip(ends, steps, strict=True))
    near = [int(np.argmin(np.linalg.norm(ball.positions - place, axis=1))) for place in (start, end)]
    own = median_seconds(lambda: shortest_line(ball, start, end), 5)
    other = median_seconds(lambda: nx.dijkstra_path_length(graph, *near), 5)
    return {
        "a ball swelled, faces": large.face_count,
        "a ball swelled": median_seconds(lambda: swell(large, np.full(large.point_count, 0.5)), 5),
        "a shortest line, faces": ball.face_count,
        "a shortest line, drawn taut": own,
        "networkx's way along the edges alone": other,
        "its length over the taut line's": nx.dijkstra_path_length(graph, *near) / shortest_line(ball, start, end).length,
    }


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
        **on_balls(),
    }
