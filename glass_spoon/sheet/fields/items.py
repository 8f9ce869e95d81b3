"""References to what other lines give, and the names of things."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Any

from pydantic import BeforeValidator, Field

from glass_spoon.sheet.fields.spec import Spec

LineId = Annotated[str, Field(pattern=r"^[A-Za-z0-9_-]{1,40}$")]
ItemName = Annotated[str, Field(min_length=1, max_length=60, pattern=r"^[^\x00-\x1f<>]*$")]
SizeName = Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]{0,39}$")]


def read_items(raw: Any) -> Any:
    """Return ids of items from text such as `l1, l4`; anything but text is left to Pydantic."""
    return [entry.strip() for entry in raw.split(",") if entry.strip()] if isinstance(raw, str) else raw


Items = Annotated[list[Annotated[str, Field(max_length=40)]], Field(max_length=200), BeforeValidator(read_items)]


class NamesThings(Spec):
    """A field that names something rather than holds a value."""

    @property
    def holds_value(self) -> bool:
        """Say that it does not."""
        return False


EVERY = "every"
"""Stands in a reference for all items of its kinds."""


STANDS_IN = {"mesh": "bodies", "surface": "surfaces"}
"""What serves wherever a kind does: bodies are written out as the mesh that they are, a set of one surface is that one."""


def _with_stand_ins(kinds: tuple[str, ...]) -> tuple[str, ...]:
    """Return kinds with those that serve in their place."""
    more = tuple(STANDS_IN[kind] for kind in kinds if kind in STANDS_IN)
    return kinds + tuple(kind for kind in more if kind not in kinds)


@dataclass(frozen=True)
class ReferenceSpec(NamesThings):
    """An item that an earlier line gives; `changes` marks the one that this line alters. `also`: other kinds that serve.

    every: the word EVERY may stand for all such items that earlier lines give, those left out that went into a set.
    """

    item_kind: str = "curve"
    changes: bool = False
    also: tuple[str, ...] = ()
    every: bool = False

    @property
    def kinds(self) -> tuple[str, ...]:
        """All kinds of items that may be referred to."""
        return _with_stand_ins((self.item_kind, *self.also))

    @property
    def takes_one_surface(self) -> bool:
        """Say whether of a set only a single surface serves."""
        return "surface" in (self.item_kind, *self.also) and "surfaces" not in (self.item_kind, *self.also)

    def described(self) -> str:
        """Name the kinds."""
        kinds = " or ".join(self.kinds)
        return f"{kinds}, changed in place" if self.changes else kinds


@dataclass(frozen=True)
class ReferencesSpec(NamesThings):
    """Several items that earlier lines give, in an order that counts; `least` of them are needed (0: none unless asked)."""

    item_kind: str = "curve"
    also: tuple[str, ...] = ()
    least: int = 2

    @property
    def kinds(self) -> tuple[str, ...]:
        """All kinds of items that may be referred to."""
        return _with_stand_ins((self.item_kind, *self.also))

    def described(self) -> str:
        """Name the kinds, and how many are needed."""
        return f"{self.least} or more of kind {' or '.join(self.kinds)}"


@dataclass(frozen=True)
class MakerSpec(Spec):
    """A line before this one that made faces: by the id of what it gives, or its own where it alters a mesh."""


@dataclass(frozen=True)
class NameSpec(NamesThings):
    """The name of what the line gives."""
