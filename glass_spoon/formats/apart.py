"""Work of native libraries, done apart: a fault in one ends a child process, never a server or a command.

    caller ── request ──> keeper (a warm process, libraries loaded) ── fork ──> worker (one task, limits on time and memory)

A keeper loads the library once (1.4 s for the largest) and forks a worker for each task, so that every task starts
with clean memory, gives it back when it ends, and dies alone. Requests and answers are packed values (`packed`), never code.
The other way, a process for each task without a keeper, would load the library each time.
"""

from __future__ import annotations

import importlib
import os
import select
import struct
import subprocess
import sys
import time
from dataclasses import asdict, dataclass
from pathlib import Path
from threading import Condition
from typing import Any

from glass_spoon.formats.packed import Kinds, pack, unpack

MOST_KEEPERS = 2
"""Keepers of one process: as many tasks run at once."""

IDLE = 600.0
"""Seconds after which a keeper that has nothing to do ends."""

START = 60.0
"""Seconds that a keeper may take to start and load its library, on a busy machine too."""

MEGABYTE = 1 << 20


class Unusable(ValueError):
    """Base of the refusals of work that may be done apart: an input that it cannot use; the text is a sentence."""


class ApartError(Exception):
    """Work that was done apart gave no result."""


class RefusedApart(ApartError):
    """The work refused its input; the text is a sentence."""


class DiedApart(ApartError):
    """The worker ended without an answer: a fault in a native library, or memory beyond the limit."""


class TooLongApart(ApartError):
    """The worker was ended at its limit of time."""


@dataclass(frozen=True)
class Task:
    """What may be done apart: a function of a module, and its limits. seconds: of wall time. memory: bytes over the
    library's.
    """

    module: str
    function: str
    seconds: float = 30.0
    memory: int = 1500 * MEGABYTE


def do_apart(task: Task, arguments: tuple[Any, ...], keepers: Keepers | None = None) -> Any:
    """Return what a task gives for arguments of plain data, arrays and the dataclasses of `apart_kinds`.

    Raises RefusedApart with the sentence of a refusal, DiedApart where the worker ended, TooLongApart at the limit of time.
    """
    kinds: Kinds = importlib.import_module("glass_spoon.formats.apart_kinds").packed_kinds()
    request = pack({**asdict(task), "arguments": arguments}, kinds)
    answer = unpack((keepers or KEEPERS).asked(request, task.seconds), kinds)
    if answer["kind"] == "given":
        return answer["value"]
    raise {"refused": RefusedApart, "long": TooLongApart}.get(answer["kind"], DiedApart)(answer["value"])


class Keeper:
    """One keeper process, asked for one task at a time."""

    def __init__(self) -> None:
        """Start the process; it loads a library when the first task needs it."""
        root = Path(__file__).resolve().parent.parent.parent
        environment = {**os.environ, "OPENBLAS_NUM_THREADS": "1", "OMP_NUM_THREADS": "1", "PYTHONPATH": str(root)}
        self.process = subprocess.Popen(
            [sys.executable, "-m", "glass_spoon.formats.apart_keeper"],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            cwd=root,
            env=environment,
            start_new_session=True,
        )

    @property
    def is_there(self) -> bool:
        """True while the process runs."""
        return self.process.poll() is None

    def asked(self, request: bytes, seconds: float) -> bytes:
        """Send a request and return the answer; raises DiedApart or TooLongApart, and the keeper is ended then."""
        until = time.monotonic() + seconds + START
        try:
            assert self.process.stdin is not None
            self.process.stdin.write(struct.pack("<Q", len(request)) + request)
            self.process.stdin.flush()
            (length,) = struct.unpack("<Q", self._read(8, until))
            return self._read(length, until)
        except OSError as error:
            self.end()
            raise DiedApart("The process that reads files ended.") from error
        except BaseException:  # also where the caller was interrupted: half a talk cannot be gone on with
            self.end()
            raise

    def _read(self, count: int, until: float) -> bytes:
        """Return so many bytes of the answer."""
        assert self.process.stdout is not None
        place, parts, left = self.process.stdout.fileno(), [], count
        while left:
            ready, _, _ = select.select([place], [], [], max(until - time.monotonic(), 0.0))
            if not ready:
                raise TooLongApart("The process that reads files gave no answer in time.")
            part = os.read(place, min(left, MEGABYTE))
            if not part:
                raise DiedApart("The process that reads files ended.")
            parts.append(part)
            left -= len(part)
        return b"".join(parts)

    def end(self) -> None:
        """End the process."""
        self.process.kill()
        self.process.wait()
        for pipe in (self.process.stdin, self.process.stdout):
            if pipe is not None:
                try:
                    pipe.close()
                except OSError:  # what was not sent yet cannot be sent any more
                    pass


class Keepers:
    """A small pool of keepers, started when they are needed. Safe for threads, and for a process that was forked."""

    def __init__(self, most: int = MOST_KEEPERS) -> None:
        """Take the most keepers at once."""
        self._most, self._owner = most, os.getpid()
        self._free: list[Keeper] = []
        self._out, self._lock = 0, Condition()

    def asked(self, request: bytes, seconds: float) -> bytes:
        """Have a keeper do a task; raises DiedApart or TooLongApart."""
        keeper = self._take()
        try:
            return keeper.asked(request, seconds)
        finally:
            self._give_back(keeper)

    def _take(self) -> Keeper:
        """Return a keeper that is free, a new one, or wait for one."""
        if self._owner != os.getpid():  # forked: the pipes belong to the process before
            self.__init__(self._most)  # type: ignore[misc]
        with self._lock:
            while self._out >= self._most:
                self._lock.wait()
            self._out += 1
            while self._free:
                keeper = self._free.pop()
                if keeper.is_there:
                    return keeper
                keeper.end()
        try:
            return Keeper()
        except OSError as error:
            with self._lock:
                self._out -= 1
                self._lock.notify()
            raise DiedApart("The process that reads files could not be started.") from error

    def _give_back(self, keeper: Keeper) -> None:
        with self._lock:
            self._out -= 1
            if keeper.is_there:
                self._free.append(keeper)
            self._lock.notify()

    def end(self) -> None:
        """End all keepers that are free."""
        with self._lock:
            for keeper in self._free:
                keeper.end()
            self._free.clear()


KEEPERS = Keepers()
"""The keepers of this process."""
