"""Save a change of a part: guarded by its revision, kept in its history, all in one transaction."""

from __future__ import annotations

from collections.abc import Callable

from django.db import transaction
from django.http import HttpRequest

from glass_spoon.sheet.document import SheetDocument
from glass_spoon.studio.access import MAY_EDIT, part_for
from glass_spoon.studio.models import Change, Part

HISTORY = 500
"""Most states kept in a part's history."""


class StaleEdit(Exception):
    """The part was changed by somebody else after the page was loaded; `part` is its present state."""

    def __init__(self, part: Part) -> None:
        """Take the part as it stands."""
        super().__init__("stale")
        self.part = part


Edit = Callable[[SheetDocument], tuple[SheetDocument, str]]
"""Takes the present document; returns the new one and a summary such as `line 3 changed`."""


def change_part(request: HttpRequest, part_id: int, revision: int, edit: Edit) -> Part:
    """Apply an edit made on `revision`; raises StaleEdit when the part has moved on, or whatever the edit raises."""
    with transaction.atomic():
        part, _ = part_for(request, part_id, MAY_EDIT, lock=True)
        if part.revision != revision:
            raise StaleEdit(part)
        document, summary = edit(part.sheet())
        data = document.model_dump(mode="json")
        if data == part.document:
            return part
        part.changes.filter(number__gt=part.position).delete()
        part.position += 1
        part.changes.create(number=part.position, document=data, summary=summary[:200], made_by=request.user)
        part.changes.filter(number__lte=part.position - HISTORY).delete()
        _put(part, request, data, summary)
    return part


def start_part(request: HttpRequest, project_id: int, document: SheetDocument, summary: str) -> Part:
    """Make a part with its first state; the caller has checked the role."""
    data = document.model_dump(mode="json")
    with transaction.atomic():
        part = Part.objects.create(
            project_id=project_id, name=document.name, document=data, changed_by=request.user, last_change=summary
        )
        part.changes.create(number=1, document=data, summary=summary, made_by=request.user)
    return part


def step_history(request: HttpRequest, part_id: int, by: int) -> Part:
    """Undo (-1) or redo (+1); at an end of the history nothing happens."""
    with transaction.atomic():
        part, _ = part_for(request, part_id, MAY_EDIT, lock=True)
        change = part.changes.filter(number=part.position + by).first()
        if change is None:
            return part
        undone = part.changes.filter(number=part.position).first()
        summary = f"undid: {undone.summary}" if by < 0 and undone else f"redid: {change.summary}"
        part.position = change.number
        _put(part, request, change.document, summary)
    return part


def history_ends(part: Part) -> tuple[bool, bool]:
    """Say whether there is something to undo and to redo."""
    numbers = set(
        Change.objects.filter(part=part, number__in=(part.position - 1, part.position + 1)).values_list("number", flat=True)
    )
    return part.position - 1 in numbers, part.position + 1 in numbers


def _put(part: Part, request: HttpRequest, data: dict[str, object], summary: str) -> None:
    """Store a new present state."""
    part.document, part.name = data, str(data["name"])
    part.revision += 1
    part.changed_by = request.user  # type: ignore[assignment]
    part.last_change = summary[:200]
    part.save(update_fields=["document", "name", "revision", "position", "changed_by", "last_change", "changed_at"])
