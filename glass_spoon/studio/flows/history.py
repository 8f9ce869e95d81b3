"""The history of a part: changes as patches with whole sheets between, states found again, and what may be undone by
whom.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.db.models import Count, Max, Q

from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.sheet_patch import apply_patch, make_patch
from glass_spoon.studio.models import Change, Part, Step
from glass_spoon.studio.shelf import read_stored

KEPT = 500
"""Most changes kept in a part's history; those before a whole sheet go together."""

WHOLE_EVERY = 50
"""A change of a number that divides by this keeps the whole sheet, so that a state is found in as many steps at most."""


@dataclass(frozen=True)
class Entry:
    """What is written down of a change: its summary, who made it, what step it is and of which edit, and its token."""

    summary: str
    user: Any
    step: Step = Step.EDIT
    of: int | None = None
    token: str = ""


def add_change(part: Part, data: dict[str, Any], entry: Entry) -> None:
    """Write down the change from the document that `part` holds to `data`; the part's row is the caller's to save."""
    number = part.position + 1
    whole = number % WHOLE_EVERY == 0
    part.changes.create(
        number=number,
        document=data if whole else None,
        patch=[] if whole else make_patch(part.document, data),
        revision=part.revision + 1,
        step=entry.step,
        of=entry.of,
        token=entry.token,
        summary=entry.summary[:200],
        made_by=entry.user,
    )
    if whole:
        _forget(part, number)


def _forget(part: Part, number: int) -> None:
    """Take away what lies further back than is kept before a change, up to a whole sheet."""
    wholes = part.changes.filter(number__lte=number - KEPT, document__isnull=False)
    last = wholes.order_by("-number").values_list("number", flat=True).first()
    if last is not None:
        part.changes.filter(number__lt=last).delete()


def state_at(part: Part, number: int) -> SheetDocument | None:
    """Return the sheet as it was after a change, None where that is not kept any more."""
    data = _data_at(part, number)
    return None if data is None else read_stored(data)


def _data_at(part: Part, number: int) -> dict[str, Any] | None:
    """Return the stored sheet after a change: the last whole one before, and the patches since."""
    wholes = part.changes.filter(number__lte=number, document__isnull=False)
    start = wholes.order_by("-number").values_list("number", "document").first()
    if start is None:
        return None
    data = start[1]
    patches = part.changes.filter(number__gt=start[0], number__lte=number).order_by("number").values_list("number", "patch")
    expected = start[0]
    for found, patch in patches:
        expected += 1
        if found != expected:
            return None
        data = apply_patch(data, patch)
    return data if expected == number else None


def entries_before(part: Part, before: int | None, most: int) -> list[Change]:
    """Return the last changes of a part, or those before one, the newest first, without their sheets."""
    found = part.changes.select_related("made_by").defer("document", "patch").order_by("-number")
    return list(found.filter(number__lt=before)[:most] if before else found[:most])


def state_of_revision(part: Part, revision: int) -> SheetDocument | None:
    """Return the sheet as it was at a revision, None where that is not known any more."""
    found = part.changes.filter(revision=revision).values_list("number", flat=True).first() if revision else None
    return None if found is None else state_at(part, found)


def last_edit(part: Part, user: Any) -> Change | None:
    """Return the last edit of a user that is not taken back, None where there is none."""
    own = part.changes.filter(made_by=user, step=Step.EDIT, undone=False, number__gt=1)
    return own.order_by("-number").first()


def last_undone(part: Part, user: Any) -> Change | None:
    """Return the edit of a user that was taken back last, as long as they have made no other edit since."""
    own = part.changes.filter(made_by=user)
    newest = own.filter(step=Step.EDIT).order_by("-number").values_list("number", flat=True).first()
    undos = (
        own.filter(step=Step.UNDO, of__isnull=False, number__gt=newest or 0).order_by("-number").values_list("of", flat=True)
    )
    for number in undos:
        change = part.changes.filter(number=number, undone=True).first()
        if change is not None:
            return change
    return None


def history_ends(part: Part, user: Any) -> tuple[bool, bool]:
    """Say whether a user has something to undo and to redo: `last_edit` and `last_undone`, asked in one statement or two.

    Right after an edit it is known.
    """
    if part.known_ends is not None:
        return part.known_ends
    own = part.changes.filter(made_by=user, number__gt=1)
    edits = Q(step=Step.EDIT)
    found = own.aggregate(
        last=Max("number"), newest=Max("number", filter=edits), undoable=Count("id", filter=edits & Q(undone=False))
    )
    if found["last"] == found["newest"]:
        return bool(found["undoable"]), False
    since = own.filter(number__gt=found["newest"] or 0)
    steps = since.aggregate(undos=Count("id", filter=Q(step=Step.UNDO)), redos=Count("id", filter=Q(step=Step.REDO)))
    return bool(found["undoable"]), steps["undos"] > steps["redos"]
