"""Functions that do what native libraries do at their worst; run apart by the tests."""

from __future__ import annotations

import ctypes
import os
import sys
import time
from typing import Any

from glass_spoon.formats.apart import Unusable

READY: list[int] = []


def make_ready() -> None:
    """Called by the keeper, once."""
    READY.append(os.getpid())


def where_ready() -> list[int]:
    return [*READY, os.getppid()]


def twice(values: list[Any]) -> list[Any]:
    return values + values


def segfault() -> None:
    ctypes.string_at(0)


def sleep() -> None:
    time.sleep(600)


def spin() -> None:
    while True:
        pass


def devour() -> int:
    return len(bytearray(800_000_000))


def refuse() -> None:
    raise Unusable("Choose another file.")


def print_much() -> str:
    sys.stdout.write("noise " * 10_000)
    return "done"
