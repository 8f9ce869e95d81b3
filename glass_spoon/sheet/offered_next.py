"""What is likely to come next behind a line: three verbs on what it made, and the line that each would add."""

from __future__ import annotations

from collections.abc import Mapping

from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.edit import RefusedEdit, find_line, with_own_name
from glass_spoon.sheet.edit_many import line_behind
from glass_spoon.sheet.fields import ReferenceSpec, ReferencesSpec
from glass_spoon.sheet.line import Line
from glass_spoon.sheet.lines import VERBS
from glass_spoon.sheet.lines.mesh_work.mark import MarkLine

BY_KIND: dict[str, tuple[str, ...]] = {
    "curve": ("revolve", "extrude", "offset"),
    "curves": ("cord", "loft", "plate"),
    "surface": ("mesh", "shell", "parallel"),
    "surfaces": ("mesh", "gather", "shell"),
    "trimmed": ("mesh", "trim_surface", "untrim"),
    "mesh": ("smooth", "thicken", "mark"),
    "bodies": ("unite", "take", "move"),
}
"""By the kind of what was made; for a mark it is what acts on its elements."""

ON_MARKED: dict[str, tuple[str, ...]] = {
    "face": ("pull_out", "inset", "split_off"),
    "edge": ("bevel", "crease", "insert_loops"),
    "point": ("nudge", "bevel_points", "connect"),
}


def offered_next(document: SheetDocument, line_id: str, kinds: Mapping[str, str] | None = None) -> tuple[str, ...]:
    """Return the verbs of up to three lines that are likely behind a line, () where it makes nothing.

    kinds: those of the document's items, where they are known already.
    """
    line = find_line(document, line_id)
    kind = (kinds if kinds is not None else document.kinds()).get(line.item_id or "", "")
    verbs = ON_MARKED[_marked(line)] if isinstance(line, MarkLine) else BY_KIND.get(kind, ())
    return tuple(verb for verb in verbs if verb != line.verb_name)


def next_line(document: SheetDocument, verb: str, after: str) -> Line:
    """Return a new line of a verb for what a line made or altered; raises RefusedEdit where it does not serve."""
    made = find_line(document, after)
    item, kind = made.item_id or "", document.kinds().get(made.item_id or "", "")
    if verb in VERBS and item:
        line = line_behind(document, verb, after)
        for name in line.used_fields():
            spec = line.spec(name)
            if isinstance(spec, ReferenceSpec) and kind in spec.kinds:
                return with_own_name(document, line.model_copy(update={name: item}))
            if isinstance(spec, ReferencesSpec) and kind in spec.kinds:
                host = {"mesh": made.mesh} if isinstance(made, MarkLine) else {}
                return with_own_name(document, line.model_copy(update={name: [item], **host}))
    raise RefusedEdit("This cannot be added here any more. Load the page again.")


def _marked(mark: MarkLine) -> str:
    """Return of which kind the elements of a mark are."""
    if "face" in mark.what or mark.what in ("strip", "everything"):
        return "face"
    return "point" if "point" in mark.what else "edge"
