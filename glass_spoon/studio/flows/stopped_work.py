"""What somebody stopped while it was worked on: the build of a part, or the gauges of a mesh. It rests until they go on."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Hashable
from threading import Lock
from typing import Literal

MOST_ASKERS = 200
"""People and parts that are remembered."""

Stoppable = Literal["build", "gauges"]


class StoppedWork:
    """By who asks, and of what kind, the key of the work that was stopped last. Safe for threads."""

    def __init__(self) -> None:
        """Start with none."""
        self._lock = Lock()
        self._keys: OrderedDict[tuple[Hashable, Stoppable], str] = OrderedDict()

    def note(self, asker: Hashable, kind: Stoppable, key: str) -> None:
        """Remember that somebody stopped a piece of work."""
        with self._lock:
            self._keys[asker, kind] = key
            while len(self._keys) > MOST_ASKERS:
                self._keys.popitem(last=False)

    def any(self, asker: Hashable, kind: Stoppable) -> bool:
        """Say whether somebody stopped anything of a kind: whether it is worth to work out a key."""
        return (asker, kind) in self._keys

    def has(self, asker: Hashable, kind: Stoppable, key: str) -> bool:
        """Say whether somebody stopped just this."""
        return self._keys.get((asker, kind)) == key

    def go_on(self, asker: Hashable) -> None:
        """Forget what somebody stopped."""
        with self._lock:
            for key in [key for key in self._keys if key[0] == asker]:
                del self._keys[key]


STOPPED = StoppedWork()
