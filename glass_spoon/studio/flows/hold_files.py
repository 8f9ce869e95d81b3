"""Which projects hold which stored files: a sheet may use those of its own project alone."""

from __future__ import annotations

from typing import Any

from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.edit import set_field
from glass_spoon.sheet.stored_files import stored_parts
from glass_spoon.studio.models import HeldFile, StoredFile
from glass_spoon.studio.sentences import Refused
from glass_spoon.studio.shelf import FILE_FIELDS


def hold(project_id: int, file: StoredFile) -> None:
    """Let a project hold a file."""
    HeldFile.objects.get_or_create(project_id=project_id, file=file)


def check_files(user: Any, project_id: int, document: SheetDocument, before: SheetDocument | None = None) -> None:
    """Raise Refused where a sheet uses a file that its project does not hold; files that `before` used are let be.

    A file of another project that the user is a member of is held by this one too from now on.
    """
    known = set() if before is None else {digest for digest, _, _ in _named(before)}
    for digest, line_id, _ in _named(document):
        if digest not in known and not _may_hold(user, project_id, digest):
            number = document.number_of(line_id)
            raise Refused(f"Line {number} uses a file that is not kept in this project. Choose the file again.")


def without_foreign_files(user: Any, project_id: int, document: SheetDocument) -> tuple[SheetDocument, int]:
    """Return a sheet from outside without the files that the project cannot hold, and how many were taken out."""
    foreign = [(line_id, name) for digest, line_id, name in _named(document) if not _may_hold(user, project_id, digest)]
    for line_id, name in foreign:
        document = set_field(document, line_id, name, "")
    return document, len(foreign)


def _may_hold(user: Any, project_id: int, digest: str) -> bool:
    """Say whether a project holds a file, or may as another project of the user does."""
    if HeldFile.objects.filter(project_id=project_id, file__digest=digest).exists():
        return True
    held = HeldFile.objects.filter(file__digest=digest, project__memberships__user_id=user.pk).select_related("file")
    other = held.defer("file__data").first()
    if other is None:
        return False
    hold(project_id, other.file)
    return True


def _named(document: SheetDocument) -> list[tuple[str, str, str]]:
    """Return the hash, the line and the field of each stored file that a sheet names."""
    fields = [(line, name) for line in document.lines for name in FILE_FIELDS.get(line.verb_name, ())]
    found = [(stored_parts(str(getattr(line, name))), line.id, name) for line, name in fields]
    return [(parts[0], line_id, name) for parts, line_id, name in found if parts is not None]
