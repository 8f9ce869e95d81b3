"""One drag of a point of a curve of 200 points: request to last byte at the server, beside SciPy's bare interpolation."""

from __future__ import annotations

import statistics
import time
from typing import Any

import numpy as np
from scipy.interpolate import make_interp_spline

from bench.served_preview import DRAGS, served_median

COUNT = 200


def points_at(step: int) -> list[dict[str, Any]]:
    angle = np.linspace(0, 6 * np.pi, COUNT)
    radius = 40 + angle * 4
    radius[COUNT // 2] += 0.05 * (step + 1)
    return [{"x": x, "y": y} for x, y in np.round(np.column_stack((radius * np.cos(angle), radius * np.sin(angle))), 3)]


def run() -> dict[str, float]:
    lines = [{"id": "l1", "verb": "draw", "gives": "spiral", "points": points_at(0)}]
    served = served_median({"format": "glass-spoon/sheet", "version": 1, "name": "Bench", "lines": lines}, points_at)
    times = []
    for step in range(DRAGS):
        places = np.array([[point["x"], point["y"]] for point in points_at(step)])
        start = time.perf_counter()
        lengths = np.append(0, np.cumsum(np.linalg.norm(np.diff(places, axis=0), axis=1)))
        make_interp_spline(lengths, places, k=3, bc_type="natural")
        times.append(time.perf_counter() - start)
    return {"points": COUNT, "request_ms": served * 1000, "scipy_interpolation_ms": statistics.median(times) * 1000}
