"""Results of lines by content key, the least recently used thrown out first."""

from __future__ import annotations

from collections import OrderedDict
from threading import Lock

from glass_spoon.sheet.items import CurveItem, CurvesItem, Item, MarkItem, MeshItem, SurfacesItem
from glass_spoon.sheet.line import Finding

Result = tuple[Item, tuple[Finding, ...] | None]
"""An item and what its inspection found; None where it was not inspected yet."""


class ResultCache:
    """A cache of items, limited by their size in bytes; safe for threads."""

    def __init__(self, most_bytes: int = 1_500_000_000) -> None:
        """Take the most bytes of arrays to hold."""
        self._most, self._used, self._lock = most_bytes, 0, Lock()
        self._results: OrderedDict[str, tuple[Result, int]] = OrderedDict()

    def get(self, key: str) -> Result | None:
        """Return a result, or None."""
        with self._lock:
            if key not in self._results:
                return None
            self._results.move_to_end(key)
            return self._results[key][0]

    def put(self, key: str, result: Result) -> None:
        """Keep a result."""
        size = _size(result[0])
        with self._lock:
            self._used += size - (self._results.pop(key)[1] if key in self._results else 0)
            self._results[key] = (result, size)
            while self._used > self._most and len(self._results) > 1:
                self._used -= self._results.popitem(last=False)[1][1]


def _size(item: Item) -> int:
    """Return about the bytes that an item holds, derived arrays included."""
    if isinstance(item, MeshItem):
        return 12 * (item.mesh.positions.nbytes + item.mesh.topology.face_corners.nbytes)
    if isinstance(item, MarkItem):
        return 8 * len(item.mark) + 1024
    if isinstance(item, SurfacesItem):
        return sum(4 * int(surface.control_points.nbytes) + 8192 for surface in item.shape.surfaces)
    if isinstance(item, CurvesItem):
        return sum(int(curve.control_points.nbytes) + 1024 for curve in item.curves)
    return int((item.curve if isinstance(item, CurveItem) else item.surface).control_points.nbytes) + 4096
