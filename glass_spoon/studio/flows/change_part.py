"""Save changes of a part: worked out beside the row's lock, put on top of what others did, kept in the history.

An edit names the revision that its page showed. Where others have changed the part since, it is worked out on what
the part is now, as long as the two touch different places; only the same field of the same line, or a line that is
gone, is asked about.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Any

from django.db import transaction
from django.http import HttpRequest
from django.utils import timezone

from glass_spoon.formats.clean_text import whole_number
from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.errors import SheetError
from glass_spoon.sheet.merge_sheets import ChangesMeet, changed_places, first_meeting, merge_sheets
from glass_spoon.studio.access import MAY_EDIT, part_for
from glass_spoon.studio.flows.history import Entry, add_change, last_edit, last_undone, state_at, state_of_revision
from glass_spoon.studio.flows.hold_files import check_files
from glass_spoon.studio.flows.quotas import check_part_room
from glass_spoon.studio.models import Change, Part, Step
from glass_spoon.studio.sentences import Refused
from glass_spoon.studio.shelf import note_stored, to_store

TRIES = 8
"""How often a change is worked out anew when others save meanwhile."""

BUSY = "Many changes of this part come at once. Try again in a moment."


class StaleEdit(Exception):
    """Somebody else changed the same place after the page was loaded; `part` is its present state."""

    def __init__(self, part: Part) -> None:
        """Take the part as it stands."""
        super().__init__("stale")
        self.part = part


Edit = Callable[[SheetDocument], tuple[SheetDocument, str]]
"""Takes the present document; returns the new one and a summary such as `line 3 changed`."""


@dataclass(frozen=True)
class EditOfProject:
    """An edit that also needs to know the project, as one that keeps a file in it."""

    work: Callable[[SheetDocument, int], tuple[SheetDocument, str]]


@dataclass(frozen=True)
class _Change:
    """What is to be saved: the new document, its summary, and what step of the history it is."""

    document: SheetDocument
    summary: str
    step: Step = Step.EDIT
    of: int | None = None


def change_part(request: HttpRequest, part_id: int, revision: int, asked: Edit | EditOfProject) -> Part:
    """Apply an edit made on `revision`; raises StaleEdit where somebody else changed the same place, or what the
    edit raises.
    """

    def work(part: Part, document: SheetDocument) -> _Change:
        edit = partial(_in_project, asked, part.project_id) if isinstance(asked, EditOfProject) else asked
        if part.revision != revision:
            _check_others(part, revision, edit, document)
        return _Change(*edit(document))

    return _saved(request, part_id, work)


def _in_project(asked: EditOfProject, project_id: int, document: SheetDocument) -> tuple[SheetDocument, str]:
    """Do an edit that needs to know the project."""
    return asked.work(document, project_id)


def replace_sheet(request: HttpRequest, part_id: int, revision: int, document: SheetDocument, summary: str) -> Part:
    """Put another sheet in place of the one at `revision`; raises StaleEdit where anything was changed since."""

    def work(part: Part, now: SheetDocument) -> _Change:
        if part.revision != revision:
            raise StaleEdit(part)
        return _Change(document, summary)

    return _saved(request, part_id, work)


def _check_others(part: Part, revision: int, edit: Edit, now: SheetDocument) -> None:
    """Raise StaleEdit where an edit touches what others changed since `revision`."""
    before = state_of_revision(part, revision)
    if before is None:
        raise StaleEdit(part)
    try:
        mine = changed_places(before, edit(before)[0])
    except (SheetError, Refused) as error:
        raise StaleEdit(part) from error
    mine = frozenset(place for place in mine if place[0] != "line" or before.has(place[1]))  # new lines get ids anew
    if first_meeting(mine, changed_places(before, now)) is not None:
        raise StaleEdit(part)


def undo(request: HttpRequest, part_id: int) -> Part:
    """Take back the user's own last change on the present sheet; Refused in words where it no longer fits."""
    return _saved(request, part_id, lambda part, now: _stepped(part, now, last_edit(part, request.user), Step.UNDO))


def redo(request: HttpRequest, part_id: int) -> Part:
    """Make the change again that the user took back last; Refused in words where it no longer fits."""
    return _saved(request, part_id, lambda part, now: _stepped(part, now, last_undone(part, request.user), Step.REDO))


def _stepped(part: Part, now: SheetDocument, edit: Change | None, step: Step) -> _Change | None:
    """Return the step that takes an edit back or makes it again; None where there is none."""
    if edit is None:
        return None
    word = "undone" if step == Step.UNDO else "done again"
    earlier, later = state_at(part, edit.number - 1), state_at(part, edit.number)
    if earlier is None or later is None:
        raise Refused(f"“{edit.summary}” lies too far back: it cannot be {word} any more.", 409)
    before, after = (earlier, later) if step == Step.REDO else (later, earlier)
    try:
        merged = merge_sheets(before, after, now)
    except ChangesMeet as error:
        raise Refused(f"“{edit.summary}” cannot be {word}: {error} Change it by hand.", 409) from error
    verb = "undid" if step == Step.UNDO else "redid"
    return _Change(merged, f"{verb}: {edit.summary}", step, edit.number)


def _saved(request: HttpRequest, part_id: int, work: Callable[[Part, SheetDocument], _Change | None]) -> Part:
    """Save what `work` makes of the present sheet. It is worked out without the row's lock, anew where others were
    faster.
    """
    token, sent_on = request.POST.get("token", "")[:40], whole_number(request.POST.get("revision", ""))
    for _ in range(TRIES):
        part, _ = part_for(request, part_id, MAY_EDIT)
        if (
            token and sent_on != part.revision and part.changes.filter(token=token).exists()
        ):  # it was done, and its answer was lost on the way
            return part
        now = part.sheet()
        change = work(part, now)
        if change is None:
            return part
        check_files(request.user, part.project_id, change.document, now)
        data = to_store(change.document)
        note_stored(data, change.document)
        if data == part.document and change.step == Step.EDIT:
            return part
        if _put(part, request.user, data, change, token):
            return part
    raise Refused(BUSY, 409)


def _put(part: Part, user: Any, data: dict[str, Any], change: _Change, token: str) -> bool:
    """Write a change down where the part still stands at its revision; says whether it does."""
    number, own = part.position + 1, change.step == Step.EDIT
    fresh = {
        "document": data,
        "name": str(data["name"]),
        "revision": part.revision + 1,
        "position": number,
        "changed_by": user,
        "last_change": change.summary[:200],
        "changed_at": timezone.now(),
    }
    with transaction.atomic():
        if not Part.objects.filter(pk=part.pk, revision=part.revision).update(**fresh):  # holds the row from here on
            return False
        add_change(part, data, Entry(change.summary, user, change.step, change.of, token))
        if change.of is not None:
            part.changes.filter(number=change.of).update(undone=change.step == Step.UNDO)
    for name, value in fresh.items():
        setattr(part, name, value)
    part.known_ends = (True, False) if own else None
    return True


def start_part(request: HttpRequest, project_id: int, document: SheetDocument, summary: str) -> Part:
    """Make a part with its first state; the caller has checked the role."""
    check_files(request.user, project_id, document)
    return first_part(request.user, project_id, document, summary)


def first_part(user: Any, project_id: int, document: SheetDocument, summary: str) -> Part:
    """Make a part whose files are known to be held."""
    check_part_room(project_id)
    data = to_store(document)
    with transaction.atomic():
        part = Part.objects.create(
            project_id=project_id, name=document.name, document=data, changed_by=user, last_change=summary[:200]
        )
        part.changes.create(number=1, document=data, revision=1, summary=summary[:200], made_by=user)
    return part
