"""Results of lines by content key: at hand in memory, the least recently used thrown out first, and in a store behind it.

cache.find ── memory ── miss ── store (shared by processes; only asked for what takes long to make) ── miss ── made anew
"""

from __future__ import annotations

from collections import OrderedDict
from threading import Lock
from typing import Any, Protocol

from glass_spoon.sheet.items import BodiesItem, CurveItem, CurvesItem, Item, MarkItem, MeshItem, SurfacesItem, TrimmedItem
from glass_spoon.sheet.line import Finding

Result = tuple[Item, tuple[Finding, ...] | None]
"""An item and what its inspection found; None where it was not inspected yet."""

SLOW = 0.05
"""Seconds from which on the making of a result is worth a place in the store."""

MOST_TIMES = 5000
"""Kinds of results whose time is remembered."""


class ResultStore(Protocol):
    """Where results lie that every process may use."""

    def get(self, key: str) -> tuple[Any, Any] | None:
        """Return a pair that was kept, or None; never raises."""

    def put(self, key: str, result: tuple[Any, Any]) -> None:
        """Keep a pair, some time; never raises. What cannot be packed is not kept."""


class ResultCache:
    """A cache of items, limited by their size in bytes; safe for threads."""

    def __init__(self, most_bytes: int = 1_500_000_000, store: ResultStore | None = None) -> None:
        """Take the most bytes of arrays to hold, and the store behind."""
        self._most, self._used, self._lock, self.store = most_bytes, 0, Lock(), store
        self._results: OrderedDict[str, tuple[Result, int]] = OrderedDict()
        self._times: OrderedDict[str, float] = OrderedDict()

    def get(self, key: str) -> Result | None:
        """Return a result that is at hand, or None."""
        with self._lock:
            if key not in self._results:
                return None
            self._results.move_to_end(key)
            return self._results[key][0]

    def find(self, key: str, what: str) -> Result | None:
        """Return a result at hand, or from the store where making it took long the last time, or was never timed.

        what: names the kind of work, as a line and its verb.
        """
        found = self.get(key)
        if found is None and self.store is not None and self._times.get(what, SLOW) >= SLOW:
            found = self.store.get(key)
            if found is not None:
                self._keep(key, found)
        return found

    def put(self, key: str, result: Result) -> None:
        """Keep a result in memory."""
        self._keep(key, result)

    def put_made(self, key: str, result: Result, what: str, seconds: float) -> None:
        """Keep a result that took so many seconds to make; in the store, too, where that was long."""
        self._keep(key, result)
        with self._lock:
            self._times[what] = seconds
            self._times.move_to_end(what)
            while len(self._times) > MOST_TIMES:
                self._times.popitem(last=False)
        if self.store is not None and seconds >= SLOW:
            self.store.put(key, result)

    def _keep(self, key: str, result: Result) -> None:
        size = _size(result[0])
        with self._lock:
            self._used += size - (self._results.pop(key)[1] if key in self._results else 0)
            self._results[key] = (result, size)
            self._shrink(self._most)

    def shrink(self, share: float) -> None:
        """Throw out the least recently used results until a share of what is held is left."""
        with self._lock:
            self._shrink(int(share * self._used))

    def _shrink(self, most: int) -> None:
        while self._used > most and len(self._results) > 1:
            self._used -= self._results.popitem(last=False)[1][1]


def _size(item: Item) -> int:
    """Return about the bytes that an item holds, derived arrays included."""
    if isinstance(item, MeshItem):
        return 12 * (item.mesh.positions.nbytes + item.mesh.topology.face_corners.nbytes)
    if isinstance(item, BodiesItem):
        return _size(item.body) + 12 * len(item.places) * item.body.mesh.point_count + 96 * len(item.places)
    if isinstance(item, MarkItem):
        return 8 * len(item.mark) + 1024
    if isinstance(item, SurfacesItem):
        return sum(4 * int(surface.control_points.nbytes) + 8192 for surface in item.shape.surfaces)
    if isinstance(item, TrimmedItem):
        return sum(4 * int(face.surface.control_points.nbytes) + 16384 for face in item.shape.faces)
    if isinstance(item, CurvesItem):
        return sum(int(curve.control_points.nbytes) + 1024 for curve in item.curves)
    return int((item.curve if isinstance(item, CurveItem) else item.surface).control_points.nbytes) + 4096
