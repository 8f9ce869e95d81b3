"""How a server process is started: by the start command, and by the benchmarks."""

from __future__ import annotations

SERVER_ENVIRONMENT = {
    "OPENBLAS_NUM_THREADS": "1",
    "OMP_NUM_THREADS": "1",
    "MALLOC_MMAP_THRESHOLD_": str(1 << 30),
    "MALLOC_TRIM_THRESHOLD_": str(1 << 31),
    "MALLOC_TOP_PAD_": str(1 << 26),
}
"""One thread a request in the linear algebra; freed arrays stay with the process, so that a drag meets no fresh pages."""

THREADS = 4
"""Requests that a server process works on at once; more of them only wait for one another (docs/benchmarks.md)."""

GUNICORN = (
    *("glass_spoon.studio.wsgi", "--worker-class", "glass_spoon.studio.seats.SeatWorker", "--reuse-port"),
    *("--workers", "1", "--threads", str(THREADS), "--timeout", "120", "--log-level", "warning"),
)
"""How a server process is started."""


def seat_environment(number: int, count: int, folder: str) -> dict[str, str]:
    """Return what tells a server process which of how many it is, and where they meet."""
    return {"SERVER_SEAT": str(number), "SERVER_SEATS": str(count), "SERVER_FOLDER": folder}
