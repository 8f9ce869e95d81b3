"""Move a part to another project: its files and pictures go along."""

from __future__ import annotations

from functools import partial

from django.db import transaction
from django.http import HttpRequest

from glass_spoon.sheet.document import SheetDocument, read_document
from glass_spoon.studio.access import MAY_EDIT, part_for, project_for
from glass_spoon.studio.flows.change_part import change_part
from glass_spoon.studio.flows.hold_files import without_foreign_files
from glass_spoon.studio.flows.quotas import check_part_room, check_room
from glass_spoon.studio.models import Part, Project, ReferencePicture
from glass_spoon.studio.sentences import Refused


def move_part(request: HttpRequest, part_id: int, target_id: int) -> Part:
    """Move a part to a project that its user may edit too; Refused where there is no room. History and versions go along."""
    part, _ = part_for(request, part_id, MAY_EDIT)
    target, _ = project_for(request, target_id, MAY_EDIT)
    if target.pk == part.project_id:
        raise Refused(f"{part.name} is in {target.name} already.")
    check_part_room(target.pk)
    with transaction.atomic():
        document = part.sheet()
        without_foreign_files(request.user, target.pk, document)
        pictures = _take_pictures(document, part.project, target)
        if pictures:
            change_part(request, part.pk, part.revision, partial(_with_pictures, pictures))
        Part.objects.filter(pk=part.pk).update(project=target)
    return Part.objects.select_related("project").get(pk=part.pk)


def _take_pictures(document: SheetDocument, source: Project, target: Project) -> dict[str, str]:
    """Copy the pictures that a sheet lays to another project; return their new ids by the old ones."""
    named = {str(line.picture) for line in document.lines if hasattr(line, "picture")}
    found = ReferencePicture.objects.filter(project=source, pk__in=[name for name in named if name.isdigit()])
    check_room(target.pk, sum(len(picture.data) for picture in found))
    ids = {}
    for picture in found:
        before, picture.pk, picture.project = str(picture.pk), None, target
        picture._state.adding = True
        picture.save()
        ids[before] = str(picture.pk)
    return ids


def _with_pictures(ids: dict[str, str], document: SheetDocument) -> tuple[SheetDocument, str]:
    """Return a sheet that lays the pictures of the other project."""
    data = document.model_dump(mode="json")
    for line in data["lines"]:
        if "picture" in line:
            line["picture"] = ids.get(line["picture"], line["picture"])
    return read_document(data), "moved to another project"
