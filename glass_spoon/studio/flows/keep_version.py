"""Keep named versions, and restore them."""

from __future__ import annotations

from collections.abc import Callable

from django.http import HttpRequest

from glass_spoon.studio.access import MAY_EDIT, part_for
from glass_spoon.studio.flows.change_part import replace_sheet
from glass_spoon.studio.flows.history import state_at
from glass_spoon.studio.models import KeptVersion, Part
from glass_spoon.studio.sentences import Refused
from glass_spoon.studio.shelf import read_stored


def keep_version(request: HttpRequest, part_id: int, name: str, read: Callable[[Part], dict[str, str]]) -> KeptVersion:
    """Keep the present sheet under a name, with the figures that are read of it; Refused for an empty or taken name."""
    part, _ = part_for(request, part_id, MAY_EDIT)
    name = " ".join(name.split())[:80]
    if not name:
        raise Refused("Give the version a name, such as “before the wider neck”.")
    if part.versions.filter(name=name).exists():
        raise Refused(f"There is a version called {name}. Choose another name.")
    return part.versions.create(name=name, document=part.document, figures=read(part), made_by=request.user)


def restore_version(request: HttpRequest, part_id: int, version_id: int, revision: int) -> Part:
    """Make a kept version the present state; an edit like any other, so it can be undone."""
    version = KeptVersion.objects.filter(part_id=part_id, id=version_id).first()
    if version is None:
        raise Refused("This version is no longer here.", 404)
    document = read_stored(version.document)
    return replace_sheet(request, part_id, revision, document, f"version {version.name} restored")


def return_to_change(request: HttpRequest, part_id: int, number: int, revision: int) -> Part:
    """Make the sheet as it was after a change the present one; an edit like any other, so it can be undone."""
    part, _ = part_for(request, part_id, MAY_EDIT)
    document = state_at(part, number)
    if document is None:
        raise Refused("This change lies too far back: its sheet is not kept any more.", 404)
    return replace_sheet(request, part_id, revision, document, f"returned to change {number}")
