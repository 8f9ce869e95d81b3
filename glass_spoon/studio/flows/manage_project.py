"""Make projects, manage their members, bring projects in and send them out."""

from __future__ import annotations

import json
from collections.abc import Mapping
from functools import partial
from typing import Any

from django.contrib.auth import get_user_model
from django.db import transaction
from django.http import HttpRequest
from pydantic import ValidationError

from glass_spoon.formats.clean_text import NotJson, read_json
from glass_spoon.sheet.document import MAX_BYTES, SheetDocument, SheetLimits, read_document
from glass_spoon.sheet.errors import BadDocument
from glass_spoon.sheet.read_sheet import read_sheet
from glass_spoon.sheet.text_form.read_text import is_sheet_text
from glass_spoon.studio.access import MAY_EDIT, project_for
from glass_spoon.studio.flows.change_part import change_part, first_part
from glass_spoon.studio.flows.hold_files import without_foreign_files
from glass_spoon.studio.flows.quotas import check_project_room, check_room
from glass_spoon.studio.models import Invitation, Membership, Part, Presence, Project, Role, Unit
from glass_spoon.studio.sentences import Refused

PROJECT_FORMAT = "glass-spoon/project"
MAX_PARTS = 200


def clean_name(name: str, what: str) -> str:
    """Return a name of one line, at most 80 letters; Refused when it is empty."""
    name = " ".join(str(name).split())[:80]
    if not name:
        raise Refused(f"Give the {what} a name.")
    return name


def make_project(request: HttpRequest, name: str) -> Project:
    """Make a project owned by the user."""
    check_project_room(int(request.user.pk or 0))
    with transaction.atomic():
        project = Project.objects.create(name=clean_name(name, "project"))
        Membership.objects.create(project=project, user=request.user, role=Role.OWNER)
    return project


def set_limits(request: HttpRequest, project_id: int, form: Mapping[str, str]) -> Project:
    """Set the limits of the gauges for new parts, and for all parts where the form says so; Refused for bad numbers."""
    project, _ = project_for(request, project_id, MAY_EDIT)
    values = {name: form.get(name, "").strip() for name in SheetLimits.model_fields}
    try:
        limits = SheetLimits.model_validate({name: float(value) for name, value in values.items() if value})
    except (ValidationError, ValueError, OverflowError) as error:
        raise Refused(
            "A limit cannot be used: write plain numbers in the ranges that are said. Nothing was changed."
        ) from error
    with transaction.atomic():
        project.limits = limits.model_dump(mode="json")
        project.save(update_fields=["limits"])
        for part in project.parts.all() if form.get("all") else ():
            change_part(request, part.id, part.revision, partial(_with_limits, limits))
    return project


def set_unit(request: HttpRequest, project_id: int, unit: str) -> Project:
    """Show and type the lengths of a project in a unit; its sheets stay as they are."""
    project, _ = project_for(request, project_id, MAY_EDIT)
    if unit not in Unit.values:
        raise Refused("Choose millimetres, centimetres, metres or inches.")
    project.unit = unit
    project.save(update_fields=["unit"])
    return project


def _with_limits(limits: SheetLimits, document: SheetDocument) -> tuple[SheetDocument, str]:
    """Return a sheet with other limits, and what was done."""
    return document.model_copy(update={"limits": limits}), "limits of the project taken"


def set_member(request: HttpRequest, project_id: int, username: str, role: str) -> str:
    """Change a member's role (the last owner stays one), or invite a user; returns a sentence on what was done."""
    project, _ = project_for(request, project_id, (Role.OWNER,))
    if role not in Role.values:
        raise Refused("Choose owner, editor or viewer.")
    user = get_user_model().objects.filter(username=username.strip()).first()
    if user is None:
        raise Refused(f"Nobody is signed up as {username.strip()[:40] or 'an empty name'}. Ask them to sign up first.")
    with transaction.atomic():
        _keep_an_owner(project, user.pk, role)
        if Membership.objects.filter(project=project, user=user).update(role=role):
            return f"{user.get_username()} is {Role(role).label} of {project.name} now."
        values = {"role": role, "made_by": request.user}
        Invitation.objects.update_or_create(project=project, user=user, defaults=values)
    return f"{user.get_username()} is invited as {Role(role).label}, and becomes a member by accepting."


def uninvite(request: HttpRequest, project_id: int, user_id: int) -> None:
    """Take an invitation back."""
    project, _ = project_for(request, project_id, (Role.OWNER,))
    project.invitations.filter(user_id=user_id).delete()


def _invited(request: HttpRequest, project_id: int) -> Invitation:
    """Return the user's invitation to a project; Refused where there is none."""
    found = Invitation.objects.select_for_update(of=("self",)).select_related("project")
    invitation = found.filter(project_id=project_id, user_id=request.user.pk).first()
    if invitation is None:
        raise Refused("This invitation is no longer there. Ask an owner of the project for a new one.", 404)
    return invitation


def accept(request: HttpRequest, project_id: int) -> Project:
    """Make the user a member as they were invited."""
    with transaction.atomic():
        invitation = _invited(request, project_id)
        Membership.objects.get_or_create(project_id=project_id, user_id=request.user.pk, defaults={"role": invitation.role})
        invitation.delete()
    return invitation.project


def decline(request: HttpRequest, project_id: int) -> None:
    """Throw an invitation away."""
    with transaction.atomic():
        _invited(request, project_id).delete()


def leave(request: HttpRequest, project_id: int) -> Project:
    """Take the user themselves out; the last owner stays."""
    project, _ = project_for(request, project_id)
    with transaction.atomic():
        _keep_an_owner(project, int(request.user.pk or 0), "")
        project.memberships.filter(user_id=request.user.pk).delete()
        Presence.objects.filter(part__project=project, user_id=request.user.pk).delete()
    return project


def remove_member(request: HttpRequest, project_id: int, user_id: int) -> None:
    """Take a user out of a project; the last owner stays."""
    project, _ = project_for(request, project_id, (Role.OWNER,))
    with transaction.atomic():
        _keep_an_owner(project, user_id, "")
        project.memberships.filter(user_id=user_id).delete()


def _keep_an_owner(project: Project, user_id: int, role: str) -> None:
    """Refuse when a change would leave a project without an owner."""
    owners = set(project.memberships.select_for_update().filter(role=Role.OWNER).values_list("user_id", flat=True))
    if role != Role.OWNER and owners == {user_id}:
        raise Refused("A project needs an owner. Make somebody else an owner first.")


def export_project(project: Project) -> str:
    """Return a project with all its sheets as JSON text."""
    sheets = [part.sheet().model_dump(mode="json") for part in project.parts.defer("thumbnail")]
    return json.dumps({"format": PROJECT_FORMAT, "version": 1, "name": project.name, "parts": sheets}, indent=1)


def import_file(request: HttpRequest, project_id: int, data: bytes) -> list[Part]:
    """Add the sheet, or all the sheets of the project, that a JSON file holds; all or nothing.

    Large mesh files are not in it: a line whose file this project cannot hold comes in without.
    """
    found = [without_foreign_files(request.user, project_id, document) for document in read_file(data)]
    check_room(project_id, len(data))
    with transaction.atomic():
        return [
            first_part(
                request.user, project_id, document, "brought in from a file" + (f", {gone} without theirs" if gone else "")
            )
            for document, gone in found
        ]


def read_file(data: bytes) -> list[SheetDocument]:
    """Return the sheets in a file; Refused or BadDocument with sentences."""
    if len(data) > MAX_BYTES:
        raise Refused(f"The file has {len(data):,} bytes; the most is {MAX_BYTES:,}.", 413)
    if is_sheet_text(data[:2000].decode("utf-8", "replace")):
        return [read_sheet(data)]
    try:
        content = read_json(data)
    except NotJson as error:
        raise Refused(
            "The file is no sheet. Choose a sheet sent out as Markdown or JSON, or a project sent out as JSON."
        ) from error
    if isinstance(content, dict) and content.get("format") == PROJECT_FORMAT:
        parts = content.get("parts")
        if not isinstance(parts, list) or len(parts) > MAX_PARTS:
            raise Refused(f"The project in the file should hold a list of at most {MAX_PARTS} parts.")
        return [_named_sheet(number, part) for number, part in enumerate(parts, 1)]
    return [read_document(content)]


def _named_sheet(number: int, part: Any) -> SheetDocument:
    """Read one part of a project file, and name it when it cannot be read."""
    try:
        return read_document(part)
    except BadDocument as error:
        raise Refused(f"Part {number} of the file: {error} Nothing was brought in.") from error
