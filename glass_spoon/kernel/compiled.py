"""Loops over arrays that no NumPy call carries, compiled where they are first called (Lam, Pitrou and Seibert, Numba: a
LLVM-based Python JIT compiler, LLVM-HPC 2015), and kept beside their file for later processes.
"""

from __future__ import annotations

from collections.abc import Callable
from threading import Lock
from typing import Any, Generic, ParamSpec, TypeVar

import numpy as np

P = ParamSpec("P")
R = TypeVar("R")


class Compiled(Generic[P, R]):
    """A function of arrays and numbers, compiled on its first call; it lets go of the interpreter while it runs.

    It reads only its arguments and module constants, and calls no function of ours. Arrays reach it in C order and
    read-only, so that each combination of number types is compiled once.
    """

    def __init__(self, function: Callable[P, R]) -> None:
        self.function, self._lock = function, Lock()
        self._quick: Callable[..., R] | None = None
        self.__doc__ = function.__doc__

    def __call__(self, *args: P.args, **kwargs: P.kwargs) -> R:
        """Return what the function returns."""
        named = {name: _read_only(value) for name, value in kwargs.items()}
        return self._compiled()(*(_read_only(value) for value in args), **named)

    def _compiled(self) -> Callable[..., R]:
        with self._lock:
            if self._quick is None:
                from numba import njit  # noqa: PLC0415  (a third of a second to load, which most commands need not wait for)

                try:
                    self._quick = njit(cache=True, nogil=True)(self.function)
                except RuntimeError:  # no folder in which it may be kept: it is compiled anew in each process
                    self._quick = njit(nogil=True)(self.function)
            return self._quick


def compiled(function: Callable[P, R]) -> Compiled[P, R]:
    """Return a function of arrays and numbers that is compiled on its first call."""
    return Compiled(function)


def _read_only(value: Any) -> Any:
    if not isinstance(value, np.ndarray):
        return value
    held = np.ascontiguousarray(value).view()
    held.flags.writeable = False
    return held
