"""Marks: they lie on meshes and go with them."""

from __future__ import annotations

from typing import ClassVar

from glass_spoon.sheet.items import MarkItem
from glass_spoon.sheet.kinds.kind import Kind


class MarkKind(Kind[MarkItem]):
    """A mark."""

    name: ClassVar[str] = "mark"
    noun: ClassVar[str] = "mark"
    plural: ClassVar[str] = "marks"
    several: ClassVar[str] = "mark"
    single: ClassVar[str] = "mark"
    parts: ClassVar[str] = "marks"
