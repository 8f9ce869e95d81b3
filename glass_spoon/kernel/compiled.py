"""Loops over arrays that no NumPy call carries, compiled where they are first called (Lam, Pitrou and Seibert, Numba: a
LLVM-based Python JIT compiler, LLVM-HPC 2015), and kept beside their file for later processes.
"""

from __future__ import annotations

from collections.abc import Callable
from threading import Lock
from types import FunctionType
from typing import Any, Generic, ParamSpec, TypeVar

import numpy as np

P = ParamSpec("P")
R = TypeVar("R")


class Compiled(Generic[P, R]):
    """A function of arrays and numbers, compiled on its first call; it lets go of the interpreter while it runs.

    It reads only its arguments and module constants, and calls none of our functions but compiled ones of its own file.
    Arrays reach it in C order and read-only, so that each combination of number types is compiled once. Numbers divided
    by nothing are infinite, as in NumPy.
    """

    def __init__(self, function: Callable[P, R]) -> None:
        self.function, self._lock = function, Lock()
        self._quick: Callable[..., R] | None = None
        self.__doc__ = function.__doc__

    def __call__(self, *args: P.args, **kwargs: P.kwargs) -> R:
        """Return what the function returns."""
        quick = self._quick or self._compiled()
        named = {name: _read_only(value) for name, value in kwargs.items()} if kwargs else {}
        return quick(*[_read_only(value) for value in args], **named)

    def _compiled(self) -> Callable[..., R]:
        with self._lock:
            if self._quick is None:
                from numba import njit  # noqa: PLC0415  (a third of a second to load, which most commands need not wait for)

                function = self._with_quick_calls()
                try:
                    self._quick = njit(cache=True, nogil=True, error_model="numpy")(function)
                except RuntimeError:  # no folder in which it may be kept: it is compiled anew in each process
                    self._quick = njit(nogil=True, error_model="numpy")(function)
            return self._quick

    def _with_quick_calls(self) -> Callable[..., R]:
        """Return the function so that the compiled functions it calls are met as such, and not as objects of this class."""
        own = self.function
        names = own.__code__.co_names
        calls = {name: value._compiled() for name in names if isinstance(value := own.__globals__.get(name), Compiled)}
        if not calls:
            return own
        return FunctionType(own.__code__, {**own.__globals__, **calls}, own.__name__, own.__defaults__, own.__closure__)


def compiled(function: Callable[P, R]) -> Compiled[P, R]:
    """Return a function of arrays and numbers that is compiled on its first call."""
    return Compiled(function)


def _read_only(value: Any) -> Any:
    if not isinstance(value, np.ndarray):
        return value
    flags = value.flags
    if not flags.c_contiguous:
        value = np.ascontiguousarray(value)
    elif not flags.writeable:
        return value
    held = value.view()
    held.setflags(write=False)
    return held
