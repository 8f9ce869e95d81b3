"""The tint of each body: one of a calm family, kept from its surface to its mesh and on through what uses it up."""

from __future__ import annotations

import re
from collections.abc import Mapping

from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.line import Line
from glass_spoon.sheet.lines.form.alter_surfaces import Gather
from glass_spoon.sheet.lines.mesh_work.mesh_surface import MeshSurface
from glass_spoon.sheet.lines.mesh_work.unite import Unite
from glass_spoon.studio.colours import CALM, TINTS

BODIES = ("surface", "surfaces", "trimmed", "mesh", "bodies")
"""Kinds of items that have a tint."""

_COUNTED = re.compile(r"l(\d+)$")


def tints_of(document: SheetDocument) -> dict[str, int]:
    """Return which tint of the family each surface, mesh and set of bodies has, by id.

    They are given out in the order in which the lines were written, so that one put in between changes no other's;
    one that is chosen stands for itself and for what goes on from it.
    """
    kinds = document.kinds()
    givers = [line for line in document.lines if line.item_id == line.id and kinds.get(line.id) in BODIES]
    tints: dict[str, int] = {}
    count = 0
    for line in sorted(givers, key=_when):
        if not _lives_on(line, kinds):
            tints[line.id] = count % len(TINTS)
            count += 1
    for line in givers:  # what goes on in another stands before it
        chosen = document.look(line.id).colour
        if chosen in CALM:
            tints[line.id] = CALM.index(chosen)
        heirs = [tints[item] for item in _lives_on(line, kinds) if item in tints]
        tints.setdefault(line.id, heirs[0] if heirs else count % len(TINTS))
    return tints


def _when(line: Line) -> int:
    """Return the number that the id of a line was given; those with other ids come first."""
    counted = _COUNTED.match(line.id)
    return int(counted[1]) if counted else 0


def _lives_on(line: Line, kinds: Mapping[str, str]) -> list[str]:
    """Return the bodies that go on in what a line gives, the main one first: the surface of a mesh, those that are put
    together, what is used up.
    """
    own: list[str] = []
    if isinstance(line, MeshSurface):
        own = [line.surface]
    elif isinstance(line, Gather | Unite):
        own = [*line.references().values()]
    used = [item for item in line.references().values() if item in line.used_up]
    used.sort(key=lambda item: item != getattr(line, "mesh", None))
    return [item for item in own + used if kinds.get(item) in BODIES]
