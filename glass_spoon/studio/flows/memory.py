"""One limit for all that a process remembers: measured, not estimated, and kept by forgetting."""

from __future__ import annotations

import ctypes
import gc
import logging
import resource
import sys
import time
from pathlib import Path
from threading import Lock

from django.conf import settings

from glass_spoon.kernel.remembered import forget_all
from glass_spoon.studio.flows.build_part import RESULTS
from glass_spoon.studio.flows.watched_work import forget_outcomes

log = logging.getLogger(__name__)

MEGABYTE = 1_000_000
EVERY = 0.5
"""Seconds between looks at the memory."""

_STATM = Path("/proc/self/statm")
_lock = Lock()
_looked = 0.0


def resident() -> int:
    """Return the bytes of memory that the process holds (proc(5), /proc/pid/statm, second field)."""
    return int(_STATM.read_text().split()[1]) * resource.getpagesize()


def keep_within(most: int | None = None, *, at_once: bool = False) -> bool:
    """Forget what can be made again where the process holds more than CACHE_MB, or `most` bytes; says whether it did.

    Outcomes and what the kernel remembers go first, then the older half of the results, then all but the last ones.
    """
    global _looked
    limit = settings.CACHE_MB * MEGABYTE if most is None else most
    if not at_once and time.monotonic() - _looked < EVERY:
        return False
    if not _lock.acquire(blocking=False):
        return False
    try:
        _looked = time.monotonic()
        before = resident()
        if before <= limit:
            return False
        for share in (0.5, 0.0):
            forget_outcomes()
            _forget_kernel()
            RESULTS.shrink(share)
            gc.collect()
            _give_back()
            if resident() <= limit:
                break
        log.info("Forgot results: %d MB before, %d MB after.", before // MEGABYTE, resident() // MEGABYTE)
        return True
    finally:
        _lock.release()


def _forget_kernel() -> None:
    """Forget what the kernel and the formats remember of contents."""
    forget_all()
    for name, module in list(sys.modules.items()):
        if name.startswith("glass_spoon.kernel."):
            for value in vars(module).values():
                if hasattr(value, "cache_clear"):
                    value.cache_clear()


def _give_back() -> None:
    """Give freed memory back to the system (glibc, malloc_trim(3)); elsewhere it stays with the process."""
    try:
        ctypes.CDLL("libc.so.6").malloc_trim(0)
    except (OSError, AttributeError):
        pass
