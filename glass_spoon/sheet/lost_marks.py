"""Marks that held something where they were made, and find nothing on the mesh that a line works on."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.remembered import Remembered
from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.errors import SheetError
from glass_spoon.sheet.items import MarkItem, as_mesh


def explained(document: SheetDocument, states: Mapping[str, Any], error: Exception) -> Exception:
    """Return an error of a line's work; where a mark that it uses finds nothing any more, that is told as the reason."""
    if not isinstance(error, KernelError | SheetError):
        return error
    lost = lost_marks(document, states)
    return KernelError(" ".join(lost)) if lost else error


def lost_marks(document: SheetDocument, states: Mapping[str, Any]) -> list[str]:
    """Say of the marks that a line uses which of them held something where they were made, and nothing on its mesh now."""
    if not any(isinstance(state.item, MarkItem) for state in states.values()):
        return []
    meshes = [(state, whole) for state in states.values() if (whole := as_mesh(state.item)) is not None]
    result: dict[str, str] = {}
    for state in states.values():
        if len(meshes) != 1 or not isinstance(state.item, MarkItem) or not len(state.item.mark):
            continue
        mark, (mesh, faces) = state.item, meshes[0]
        if _found.get(f"{state.key} {mesh.key}", lambda mark=mark, faces=faces: len(mark.on(faces))):  # type: ignore[misc]
            continue
        name, item = document.item_name(state.item_id), document.item_name(mesh.item_id)
        held = f"{len(mark.mark):,} {mark.mark.kind}{'' if len(mark.mark) == 1 else 's'}"
        result[state.item_id] = (
            f"The mark {name} held {held} where it was made, and finds nothing on {item} as it is here: "
            "lines between changed what it looks for. Mark again after them, by another rule."
        )
    return list(result.values())


_found: Remembered[int] = Remembered(512)
"""How much marks find on meshes, by the keys of both."""
