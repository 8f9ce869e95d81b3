"""The process behind `apart`: reads requests, forks a worker for each, and hands its answer on.

Standard output carries answers alone: what libraries print goes to standard error. The keeper ends when whoever
started it is gone (its input closes) or nothing comes for a while. It has one thread, so that forking is safe.
"""

from __future__ import annotations

import ctypes
import importlib
import os
import resource
import select
import signal
import struct
import time
from functools import cache
from typing import Any

from glass_spoon.formats.apart import IDLE, MEGABYTE, Unusable
from glass_spoon.formats.apart_kinds import packed_kinds
from glass_spoon.formats.packed import pack, unpack

PR_SET_PDEATHSIG = 1
"""From <linux/prctl.h>: the signal that a process gets when its parent ends."""

MODULES = (
    "glass_spoon.formats.step_occt",
    "glass_spoon.formats.usd_stage",
    "glass_spoon.formats.own_font",
    "glass_spoon.formats.raster",
)
"""All modules that a request may name."""


def main() -> None:
    """Serve requests until the input closes."""
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    answers = os.dup(1)
    os.dup2(2, 1)
    while (request := _read_request()) is not None:
        answer = _answered(unpack(request, packed_kinds()))
        _write_all(answers, struct.pack("<Q", len(answer)) + answer)


def _read_request() -> bytes | None:
    """Return the next request, None at the end."""
    if not select.select([0], [], [], IDLE)[0]:
        return None
    head = _read(8)
    return None if len(head) < 8 else _read(struct.unpack("<Q", head)[0])


def _read(count: int) -> bytes:
    """Return so many bytes of the input, fewer at its end."""
    parts: list[bytes] = []
    while count and (part := os.read(0, min(count, MEGABYTE))):
        parts.append(part)
        count -= len(part)
    return b"".join(parts)


def _write_all(place: int, data: bytes) -> None:
    """Write all bytes to a file descriptor."""
    view = memoryview(data)
    while view:
        view = view[os.write(place, view[:MEGABYTE]) :]


def _answered(request: dict[str, Any]) -> bytes:
    """Do a task in a worker of its own and return the packed answer."""
    if request["module"] not in MODULES:
        return _said("died", "This work is not known.")
    module = _loaded(request["module"])
    here, there = os.pipe()
    worker = os.fork()
    if worker == 0:
        os.close(here)
        _work(module, request, there)
    os.close(there)
    try:
        answer = _gathered(here, time.monotonic() + request["seconds"])
    finally:
        os.close(here)
        os.kill(worker, signal.SIGKILL)  # it has answered, or is over its time
        os.waitpid(worker, 0)
    if answer is None:
        return _said("long", "It took longer than it may.")
    return answer or _said("died", "It ended without an answer.")


@cache
def _loaded(name: str) -> Any:
    """Return a module, loaded and made ready in the keeper, so that every worker has it at once."""
    module = importlib.import_module(name)
    getattr(module, "make_ready", lambda: None)()
    return module


def _gathered(place: int, until: float) -> bytes | None:
    """Return all that a worker writes, None when its time is over."""
    parts: list[bytes] = []
    while True:
        if not select.select([place], [], [], max(until - time.monotonic(), 0.0))[0]:
            return None
        part = os.read(place, MEGABYTE)
        if not part:
            return b"".join(parts)
        parts.append(part)


def _work(module: Any, request: dict[str, Any], place: int) -> None:
    """Do the task of a worker, write the answer and end."""
    try:
        _limit(request["seconds"], request["memory"])
        answer = _tried(getattr(module, request["function"]), request["arguments"])
        _write_all(place, answer)
    finally:
        os._exit(0)


def _tried(function: Any, arguments: tuple[Any, ...]) -> bytes:
    """Return the packed answer of a function: what it gives, a refusal, or a fault that has no answer."""
    try:
        return _said("given", function(*arguments))
    except MemoryError:
        return _said("died", "It needs more memory than it may have.")
    except Unusable as error:
        return _said("refused", str(error))
    except Exception as error:  # whatever a native library raises: told as a fault
        return _said("died", f"{type(error).__name__}: {error}"[:400])


def _said(kind: str, value: Any) -> bytes:
    """Return a packed answer."""
    return pack({"kind": kind, "value": value}, packed_kinds())


def _limit(seconds: float, memory: int) -> None:
    """Bind a worker to its limits, and its life to the keeper's."""
    ctypes.CDLL(None).prctl(PR_SET_PDEATHSIG, signal.SIGKILL)
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    resource.setrlimit(resource.RLIMIT_CPU, (int(seconds) + 2, int(seconds) + 2))
    most = _address_space() + memory
    resource.setrlimit(resource.RLIMIT_AS, (most, most))


def _address_space() -> int:
    """Return the bytes of address space in use (proc(5), /proc/pid/statm, first field)."""
    with open("/proc/self/statm", encoding="ascii") as file:  # noqa: PTH123  (no path to be worked with)
        return int(file.read().split()[0]) * resource.getpagesize()


if __name__ == "__main__":
    main()
