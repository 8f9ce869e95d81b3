"""Work that may take long: done in a thread, found again by its key, with the share that is done."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from concurrent.futures import TimeoutError as StillWorking
from dataclasses import dataclass
from threading import Lock
from typing import Any, Generic, TypeVar
from weakref import WeakSet

from glass_spoon.sheet.errors import WorkStopped

T = TypeVar("T")
Report = Callable[[float], None]

PATIENCE = 0.8
"""Seconds that an answer waits for work before it shows progress instead."""

KEPT = 16
"""Outcomes kept, the least recently asked for thrown out first."""


@dataclass(eq=False)
class Working:
    """Work under way and the share of it that is done, 0 to 1; `stopped` ends it at its next report."""

    share: float = 0.0
    stopped: bool = False

    @property
    def percent(self) -> int:
        """Share done in percent."""
        return round(100 * min(max(self.share, 0.0), 1.0))


_all: WeakSet[WatchedWork[Any]] = WeakSet()


def forget_outcomes() -> None:
    """Forget the outcomes of all work in this process; what is asked for again is done again."""
    for work in list(_all):
        work.forget()


class WatchedWork(Generic[T]):
    """Runs each piece of work once, however many requests ask for it. Safe for threads."""

    def __init__(self, name: str, threads: int = 2) -> None:
        """Name the threads and say how many there are."""
        self._pool = ThreadPoolExecutor(max_workers=threads, thread_name_prefix=name)
        self._lock = Lock()
        self._entries: OrderedDict[str, tuple[Future[T], Working]] = OrderedDict()
        _all.add(self)

    def forget(self) -> None:
        """Forget all outcomes; work under way goes on."""
        with self._lock:
            for key in [key for key, (future, _) in self._entries.items() if future.done()]:
                del self._entries[key]

    def result(self, key: str, work: Callable[[Report], T], patience: float | None = PATIENCE) -> T | Working:
        """Return the outcome, or after `patience` seconds how far it is; None waits to the end. Errors are raised."""
        future, working = self._start(key, work)
        try:
            return future.result(timeout=patience)
        except StillWorking:
            return working

    def known(self, key: str) -> T | None:
        """Return an outcome that is there already, None where there is none yet."""
        with self._lock:
            entry = self._entries.get(key)
        if entry is None or not entry[0].done() or entry[0].cancelled() or entry[0].exception():
            return None
        return entry[0].result()

    def stop(self, key: str) -> None:
        """End work under way at its next report; whoever waits for it is told by WorkStopped."""
        with self._lock:
            entry = self._entries.get(key)
        if entry is not None:
            entry[1].stopped = True
            entry[0].cancel()

    def finished(self, key: str, work: Callable[[Report], T]) -> T:
        """Return the outcome, however long it takes."""
        return self._start(key, work)[0].result()

    def _start(self, key: str, work: Callable[[Report], T]) -> tuple[Future[T], Working]:
        with self._lock:
            known = self._entries.get(key)
            if known is not None and not known[1].stopped and not (known[0].done() and known[0].exception()):
                self._entries.move_to_end(key)
                return known
            working = Working()

            def report(share: float) -> None:
                if working.stopped:
                    raise WorkStopped("Nobody waits for this any more.")
                working.share = share

            entry = (self._pool.submit(work, report), working)
            self._entries[key] = entry
            while len(self._entries) > KEPT:
                self._entries.popitem(last=False)
            return entry
