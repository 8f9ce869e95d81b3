"""Comments as they are printed."""

from __future__ import annotations

from dataclasses import dataclass

from glass_spoon.sheet.document import SheetDocument
from glass_spoon.studio.models import Part, PartComment


@dataclass(frozen=True)
class CommentRow:
    """A comment, and what it is about in words."""

    comment: PartComment
    about: str


def comment_rows(part: Part, document: SheetDocument, line: str = "") -> list[CommentRow]:
    """Return the comments of a part, or of one of its lines: open ones first, each in the order in which they came."""
    found = part.comments.select_related("made_by").order_by("settled", "made_at", "id")
    return [CommentRow(one, _about(one, document)) for one in (found.filter(line=line) if line else found)]


def _about(comment: PartComment, document: SheetDocument) -> str:
    """Say what a comment is about."""
    if comment.line:
        there = document.has(comment.line)
        return f"line {document.number_of(comment.line)}" if there else "a line that is gone"
    if comment.place:
        return "the place " + ", ".join(f"{value:g}" for value in comment.place)
    return "the part"
