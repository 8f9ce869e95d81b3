"""Medians of repeated runs."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable


def median_seconds(work: Callable[[], object], runs: int, before: Callable[[], object] = lambda: None) -> float:
    """Return the median time of `work` over some runs; `before` is done first each time and not counted."""
    times = []
    for _ in range(runs):
        before()
        start = time.perf_counter()
        work()
        times.append(time.perf_counter() - start)
    return statistics.median(times)
