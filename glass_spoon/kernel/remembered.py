"""Values remembered by key, so that what depends on content alone is worked out once."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Sequence
from functools import partial
from threading import Lock
from typing import Any, Generic, TypeVar
from weakref import WeakSet

T = TypeVar("T")


_all: WeakSet[Remembered[Any]] = WeakSet()


def forget_all() -> None:
    """Forget all that is remembered in this process; what is needed again is worked out again."""
    for one in list(_all):
        one.forget()


class Remembered(Generic[T]):
    """The last `size` values by key; safe for threads, which may at worst work out a value twice."""

    def __init__(self, size: int) -> None:
        self._size, self._lock = size, Lock()
        self._values: OrderedDict[object, T] = OrderedDict()
        _all.add(self)

    def forget(self) -> None:
        """Forget every value."""
        with self._lock:
            self._values.clear()

    def get(self, key: object, make: Callable[[], T]) -> T:
        """Return the value of a key, made when it is not there."""
        with self._lock:
            if key in self._values:
                self._values.move_to_end(key)
                return self._values[key]
        value = make()
        with self._lock:
            self._values[key] = value
            while len(self._values) > self._size:
                self._values.popitem(last=False)
        return value

    def get_all(self, keys: Sequence[object], make: Callable[[list[int]], Sequence[T]]) -> list[T]:
        """Return the values of keys; make takes the numbers of those that are not there, and makes them together."""
        with self._lock:
            found = {key: self._values[key] for key in keys if key in self._values}
        missing = [number for number, key in enumerate(keys) if key not in found]
        if missing:
            found |= {keys[number]: value for number, value in zip(missing, make(missing), strict=True)}
        return [self.get(key, partial(found.__getitem__, key)) for key in keys]
