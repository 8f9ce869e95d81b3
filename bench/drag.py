"""One drag of a profile point on a 50,000-quad part: request to last byte at the server, beside the bare kernel."""

from __future__ import annotations

import statistics
import time
from typing import Any

import numpy as np

from bench.served_preview import DRAGS, served_median
from glass_spoon.kernel.curves.make.interpolate import interpolate_points
from glass_spoon.kernel.gauges.read_gauges import read_quick_gauges
from glass_spoon.kernel.gauges.reading import Limits
from glass_spoon.kernel.meshing.mesh_surface import mesh_surface
from glass_spoon.kernel.surfaces.make.revolve import revolve_curve

ROUND, ALONG = 250, 200
POINTS = [[52, 0, 0], [74, 0, 0], [82, 0, 30], [78, 0, 64], [62, 0, 104], [46, 0, 146], [53, 0, 158]]


def moved(step: int) -> list[list[float]]:
    points = [list(map(float, point)) for point in POINTS]
    points[3][0] += 0.05 * (step + 1)
    return points


def kernel(step: int) -> int:
    """Do what a preview needs of the kernel: curve, surface, mesh, quick gauges."""
    curve = interpolate_points(moved(step))
    surface = revolve_curve(curve, np.zeros(3), [0, 0, 1], 2 * np.pi)
    mesh = mesh_surface(surface, ROUND, ALONG)
    read_quick_gauges(mesh, surface, Limits())
    return mesh.face_count


def sheet() -> dict[str, Any]:
    points = [{"x": point[0], "y": point[2]} for point in POINTS]
    return {
        "format": "glass-spoon/sheet",
        "version": 1,
        "name": "Bench",
        "lines": [
            {"id": "l1", "verb": "draw", "gives": "profile", "points": points},
            {"id": "l2", "verb": "revolve", "profile": "l1", "gives": "body"},
            {"id": "l3", "verb": "mesh", "surface": "l2", "round": ROUND, "along": ALONG, "gives": "mesh"},
        ],
    }


def points_at(step: int) -> list[dict[str, Any]]:
    return [{"x": point[0], "y": point[2]} for point in moved(step)]


def run() -> dict[str, float]:
    served = served_median(sheet(), points_at)
    faces, times = kernel(0), []
    for step in range(DRAGS):
        start = time.perf_counter()
        kernel(step)
        times.append(time.perf_counter() - start)
    bare = statistics.median(times)
    return {
        "faces": faces,
        "request_ms": served * 1000,
        "bare_kernel_ms": bare * 1000,
        "request_over_kernel": served / bare,
    }
