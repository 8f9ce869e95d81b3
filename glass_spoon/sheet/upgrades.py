"""How stored sheets of older formats become sheets of today's: nothing that was kept is ever lost.

Each verb has a version, counted from 1; a list of operations leads from each version to the next. A sheet names the
versions of its verbs that are not 1 (`verb_versions`), so that every text of a sheet, in a file, a part, an undo step or a
kept version, is brought up to date before it is checked. To change a field: add a step below, and the verb's version rises.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, Protocol

RawLine = dict[str, Any]


class Operation(Protocol):
    """A change of one line as JSON data."""

    def apply(self, line: RawLine) -> list[RawLine]:
        """Return the line or lines that it becomes; the line given is not altered."""


@dataclass(frozen=True)
class Rename:
    """A field has another name."""

    field: str
    to: str

    def apply(self, line: RawLine) -> list[RawLine]:
        """Rename it where it is there, in its place."""
        return [{self.to if name == self.field else name: value for name, value in line.items()}]


@dataclass(frozen=True)
class Remove:
    """A field is gone."""

    field: str

    def apply(self, line: RawLine) -> list[RawLine]:
        """Leave it out."""
        return [{name: value for name, value in line.items() if name != self.field}]


@dataclass(frozen=True)
class Convert:
    """The values of a field mean something else."""

    field: str
    to_new: Callable[[Any], Any]

    def apply(self, line: RawLine) -> list[RawLine]:
        """Convert the value where it is there."""
        return [{name: self.to_new(value) if name == self.field else value for name, value in line.items()}]


@dataclass(frozen=True)
class Add:
    """A field is new, and older lines mean this value by it."""

    field: str
    value: Any

    def apply(self, line: RawLine) -> list[RawLine]:
        """Write the value where the field is not there."""
        return [{self.field: self.value, **line}]


@dataclass(frozen=True)
class RenameVerb:
    """The verb has another name; the version under that name is the one it joins at."""

    to: str
    version: int

    def apply(self, line: RawLine) -> list[RawLine]:
        """Give it the other name."""
        return [{**line, "verb": self.to}]


@dataclass(frozen=True)
class Split:
    """A line becomes several; the last of them keeps its id."""

    into: Callable[[RawLine], list[RawLine]]

    def apply(self, line: RawLine) -> list[RawLine]:
        """Split it."""
        return self.into(line)


_ANY_ITEM = ((Rename("curve", "item"),),)
_AS_ONE_MESH = (Add("joints", "one mesh"),)

UPGRADES: Mapping[str, tuple[tuple[Operation, ...], ...]] = {
    "copy": _ANY_ITEM,
    "move": _ANY_ITEM,
    "turn": _ANY_ITEM,
    "scale": _ANY_ITEM,
    "mirror": _ANY_ITEM,
    "row": (*_ANY_ITEM, _AS_ONE_MESH),
    "ring": (*_ANY_ITEM, _AS_ONE_MESH),
    "spread": (*_ANY_ITEM, (*_AS_ONE_MESH, Add("anchor", "from where it stands"))),
    "take": ((Rename("curves", "item"),),),
    "star": ((Add("measured", "before rounding"),),),
    "write": ((Add("pairs", "each by itself"),),),
    "copy_surface": ((Rename("surface", "item"), RenameVerb("copy", 2)),),
}
"""For each verb the operations from version 1 to 2, from 2 to 3, and so on."""


def version_of(verb: str) -> int:
    """Return the version of a verb's fields today."""
    return 1 + len(UPGRADES.get(verb, ()))


def upgrade_sheet(data: Mapping[str, Any], upgrades: Mapping[str, Any] = UPGRADES) -> dict[str, Any]:
    """Return a sheet as parsed JSON with all lines brought up to date; what is no line is left to the check.

    Verbs of a version above today's are left as they are: a newer program wrote them.
    """
    versions = data.get("verb_versions", {})
    lines = data.get("lines", [])
    rest = {name: value for name, value in data.items() if name != "verb_versions"}
    if not isinstance(lines, list) or not isinstance(versions, dict):
        return dict(data)
    fresh: list[Any] = []
    for line in lines:
        verb = line.get("verb") if isinstance(line, dict) else None
        known = versions.get(verb, 1) if isinstance(verb, str) else 1
        fresh += _upgraded(line, known if isinstance(known, int) else 1, upgrades) if isinstance(verb, str) else [line]
    return {**rest, "lines": fresh} if "lines" in data else rest


def _upgraded(line: RawLine, version: int, upgrades: Mapping[str, Any]) -> list[RawLine]:
    """Return what a line of an older version becomes."""
    steps = upgrades.get(line["verb"], ())
    if version < 1 or version > len(steps):
        return [line]
    lines, following = [line], version + 1
    for operation in steps[version - 1]:
        lines = [made for one in lines for made in operation.apply(one)]
        following = operation.version if isinstance(operation, RenameVerb) else following
    return [made for one in lines for made in _upgraded(one, following, upgrades)]
