"""Starters: steps, or chosen lines, that a project keeps for its other parts."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from glass_spoon.sheet.edit_many import apart
from glass_spoon.sheet.lines.remarks import Step
from glass_spoon.sheet.text_form.write_text import write_text
from glass_spoon.studio.flows.manage_project import clean_name
from glass_spoon.studio.models import Part, Starter
from glass_spoon.studio.sentences import Refused

MOST_STARTERS = 60
"""Most starters of a project."""

MOST_NAME = 80


def keep_starter(part: Part, ids: Iterable[str], user: Any) -> Starter:
    """Return the starter that some lines of a part are kept as, under the title of their step, or the name of the part;
    Refused where none of them is there, or the project has as many as it may have.
    """
    document = part.sheet()
    own = [line for line in ids if document.has(line)]
    if not own:
        raise Refused("These lines are no longer here. Load the page again.", 404)
    if part.project.starters.count() >= MOST_STARTERS:
        raise Refused(f"The project has {MOST_STARTERS} starters, which is the most. Remove one first.")
    first = document.line(own[0])
    name = _free_name(part, first.title if isinstance(first, Step) else part.name)
    text = write_text(apart(document, own, name))
    return Starter.objects.create(project=part.project, name=name, text=text, made_by=user)


def remove_starter(part: Part, starter_id: int) -> None:
    """Remove a starter of the project of a part; parts that took it keep their lines."""
    part.project.starters.filter(id=starter_id).delete()


def rename_starter(part: Part, starter_id: int, name: str) -> Starter:
    """Return a starter of the project of a part under another name; one that is taken gets a number behind it."""
    starter = part.project.starters.filter(id=starter_id).first()
    if starter is None:
        raise Refused("This starter was removed from the project.", 404)
    wanted = clean_name(name, "starter")
    if wanted != starter.name:
        starter.name = _free_name(part, wanted)
        starter.save(update_fields=["name"])
    return starter


def _free_name(part: Part, wanted: str) -> str:
    """Return a name that no starter of the project has."""
    taken = set(part.project.starters.values_list("name", flat=True))
    name, number = wanted[:MOST_NAME], 2
    while name in taken:
        end = f" {number}"
        name, number = wanted[: MOST_NAME - len(end)] + end, number + 1
    return name
