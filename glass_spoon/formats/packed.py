"""Values as bytes and back: plain data, arrays, and dataclasses of a closed list. Nothing in the bytes can name code.

A packed value is a magic word, the length of a JSON text, that text, and the arrays one after another. The text
holds the tree of the value and, of each array, its type, shape and place. Arrays and objects that occur twice stand
there once, so that what was one object is one object again.
"""

from __future__ import annotations

import json
import math
import struct
from collections.abc import Mapping
from dataclasses import fields, is_dataclass
from typing import Any

import numpy as np

MAGIC = b"GSPK1\n"
ALIGNED = 16
"""Arrays start at multiples of this many bytes, so that they are used where they lie."""

TYPES = ("float64", "float32", "int64", "int32", "uint8", "bool")
"""Types of arrays that may be packed."""

Kinds = Mapping[str, type]
"""The dataclasses that may be packed, by the name that stands for each in the bytes."""


class Unpackable(ValueError):
    """A value that cannot be packed, or bytes that are no packed value."""


def kinds_of(*classes: type) -> dict[str, type]:
    """Return the dataclasses by their names."""
    return {cls.__name__: cls for cls in classes}


def pack(value: Any, kinds: Kinds) -> bytes:
    """Return a value as bytes; raises Unpackable for what is not of the kinds. Inverse: unpack."""
    packer = _Packer(kinds)
    text = json.dumps({"tree": packer.tree(value), "arrays": packer.heads}, separators=(",", ":")).encode()
    start = len(MAGIC) + 8 + len(text)
    parts = [MAGIC, struct.pack("<Q", len(text)), text, bytes(-start % ALIGNED), *packer.bodies]
    return b"".join(parts)


def unpack(data: bytes | memoryview, kinds: Kinds) -> Any:
    """Return the value of packed bytes, its arrays read-only views of them; raises Unpackable."""
    try:
        return _Unpacker(data, kinds).value()
    except Unpackable:
        raise
    except (ValueError, KeyError, IndexError, TypeError, struct.error, RecursionError, OverflowError) as error:
        raise Unpackable("These bytes are no packed value.") from error


class _Packer:
    """Collects the arrays of a value while its tree is made."""

    def __init__(self, kinds: Kinds) -> None:
        self.names = {cls: name for name, cls in kinds.items()}
        self.heads: list[Any] = []
        self.bodies: list[bytes] = []
        self.seen: dict[int, tuple[int, Any]] = {}  # the number by identity, and the object itself, so that it lives on
        self.at = 0

    def tree(self, value: Any) -> Any:
        """Return the JSON tree of a value."""
        if value is None or isinstance(value, bool | str | int):
            return value
        if isinstance(value, float):
            return value if math.isfinite(value) else {"n": repr(value)}
        if isinstance(value, bytes):
            return {"b": self._array(np.frombuffer(value, dtype=np.uint8))}
        if isinstance(value, np.ndarray):
            return {"a": self._array(value)}
        if isinstance(value, np.integer | np.floating | np.bool_):
            return self.tree(value.item())
        if isinstance(value, list | tuple):
            return {"l" if isinstance(value, list) else "t": [self.tree(entry) for entry in value]}
        if isinstance(value, Mapping):
            return {"d": [[self.tree(key), self.tree(entry)] for key, entry in value.items()]}
        return self._object(value)

    def _object(self, value: Any) -> Any:
        """Return the tree of a dataclass, or where it stood before."""
        name = self.names.get(type(value))
        if name is None or not is_dataclass(value):
            raise Unpackable(f"A {type(value).__name__} cannot be packed.")
        known = self.seen.get(id(value))
        if known is not None:
            return {"s": known[0]}
        number = len(self.seen)
        self.seen[id(value)] = (number, value)
        return {"o": name, "i": number, "f": {f.name: self.tree(getattr(value, f.name)) for f in fields(value) if f.init}}

    def _array(self, values: np.ndarray) -> int:
        """Keep an array; returns its number."""
        known = self.seen.get(id(values))
        if known is not None:
            return known[0]
        if values.dtype.name not in TYPES:
            raise Unpackable(f"An array of {values.dtype.name} cannot be packed.")
        plain = np.ascontiguousarray(values)
        self.heads.append([plain.dtype.name, list(values.shape), self.at])
        self.bodies += [plain.tobytes(), bytes(-plain.nbytes % ALIGNED)]
        self.at += plain.nbytes + (-plain.nbytes % ALIGNED)
        self.seen[id(values)] = (len(self.heads) - 1, values)
        return len(self.heads) - 1


class _Unpacker:
    """Makes a value of bytes."""

    def __init__(self, data: bytes | memoryview, kinds: Kinds) -> None:
        view = memoryview(data)
        if bytes(view[: len(MAGIC)]) != MAGIC:
            raise Unpackable("These bytes are no packed value.")
        (length,) = struct.unpack_from("<Q", view, len(MAGIC))
        start = len(MAGIC) + 8
        self.said = json.loads(bytes(view[start : start + length]))
        end = start + length
        self.view = view[end + (-end % ALIGNED) :]
        self.kinds = kinds
        self.objects: dict[int, Any] = {}
        self.arrays: dict[int, np.ndarray] = {}

    def value(self) -> Any:
        """Return the whole value."""
        return self._made(self.said["tree"])

    def _made(self, tree: Any) -> Any:
        """Return the value of a tree."""
        if not isinstance(tree, dict):
            return tree
        if "o" in tree:
            return self._object(tree)
        (mark, inner), *_ = tree.items()
        if mark == "a":
            return self._array(inner)
        if mark == "s":
            return self.objects[inner]
        if mark == "t":
            return tuple(self._made(entry) for entry in inner)
        if mark == "l":
            return [self._made(entry) for entry in inner]
        if mark == "d":
            return {self._made(key): self._made(entry) for key, entry in inner}
        if mark == "b":
            return self._array(inner).tobytes()
        if mark == "n":
            return float(inner)
        raise Unpackable("These bytes hold an unknown mark.")

    def _object(self, tree: dict[str, Any]) -> Any:
        """Return a dataclass of the list."""
        made = self.kinds[tree["o"]](**{name: self._made(entry) for name, entry in tree["f"].items()})
        self.objects[tree["i"]] = made
        return made

    def _array(self, number: int) -> np.ndarray:
        """Return an array, read-only."""
        if number not in self.arrays:
            name, shape, at = self.said["arrays"][number]
            if name not in TYPES or at < 0 or any(size < 0 for size in shape):
                raise Unpackable("These bytes hold an array that cannot be.")
            count = math.prod(shape)
            array = np.frombuffer(self.view, dtype=name, count=count, offset=at) if count else np.zeros(0, dtype=name)
            array = array.reshape(shape)
            array.flags.writeable = False
            self.arrays[number] = array
        return self.arrays[number]
