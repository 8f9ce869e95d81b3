"""What members say about a part, about one of its lines, or about a place on it."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from glass_spoon.formats.clean_text import clean_text
from glass_spoon.studio.access import MAY_EDIT
from glass_spoon.studio.models import Part, PartComment, Role
from glass_spoon.studio.sentences import Refused

MOST_TEXT = 1000
MOST_OPEN = 500
"""Most comments of a part that are not settled."""

FAR = 1e6
"""Coordinates of a place in mm lie within this."""


def add_comment(part: Part, user: Any, text: str, line: str = "", place: Any = None) -> PartComment:
    """Return a new comment; Refused for an empty or a long one, a line that is not there, and a place that is none."""
    said = clean_text(text).strip()
    if not said:
        raise Refused("Write what you want to say first.")
    if len(said) > MOST_TEXT:
        raise Refused(f"A comment has at most {MOST_TEXT:,} characters; this one has {len(said):,}.")
    if line and not part.sheet().has(line):
        raise Refused("The line is not there any more. Say it about the part, or about another line.")
    if part.comments.filter(settled=False).count() >= MOST_OPEN:
        raise Refused(f"This part has {MOST_OPEN} open comments, which is the most. Settle some first.")
    return PartComment.objects.create(part=part, made_by=user, text=said, line=line, place=_checked(place))


def settle_comment(part: Part, user: Any, role: Role, number: int, *, settled: bool) -> None:
    """Settle a comment, or open it again: editors any, others their own; Refused for others."""
    comment = part.comments.filter(id=number).first()
    if comment is None:
        raise Refused("This comment is not there any more.", 404)
    if role not in MAY_EDIT and comment.made_by_id != user.pk:
        raise Refused("You may settle your own comments. Ask an editor of the project to settle this one.", 403)
    part.comments.filter(id=number).update(settled=settled)


@dataclass(frozen=True)
class OpenComments:
    """What is open of a part's comments: how many in all, by line, and the places (k, 3) in mm that some are about."""

    count: int
    by_line: Mapping[str, int]
    places: tuple[tuple[float, ...], ...]


def open_comments(part: Part) -> OpenComments:
    """Return what is open of a part's comments."""
    found = list(part.comments.filter(settled=False).values_list("line", "place"))
    places = tuple(tuple(place) for _, place in found if place)
    return OpenComments(len(found), dict(Counter(line for line, _ in found if line)), places)


def _checked(place: Any) -> list[float] | None:
    """Return a place in mm, or None for none; Refused for what is none."""
    if place in (None, ""):
        return None
    try:
        x, y, z = (round(float(value), 3) for value in str(place).split(","))
    except ValueError as error:
        raise Refused("The place could not be read. Pick it again.", 400) from error
    if not all(abs(value) <= FAR for value in (x, y, z)):
        raise Refused("The place could not be read. Pick it again.", 400)
    return [x, y, z]
