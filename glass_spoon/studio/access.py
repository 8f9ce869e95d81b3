"""Who may see and change what. Whoever is not a member gets 404."""

from __future__ import annotations

from typing import Any

from django.db.models import F
from django.http import Http404, HttpRequest

from glass_spoon.studio.models import Membership, Part, Project, Role
from glass_spoon.studio.sentences import Refused

MAY_EDIT = (Role.OWNER, Role.EDITOR)
VIEWER_SENTENCE = "You may look at this project and send parts out, but not change it. Ask its owner to make you an editor."
OWNER_SENTENCE = "Only the owner of a project can do this."


def role_in(user: Any, project_id: int) -> Role:
    """Return the user's role; Http404 for strangers."""
    role = Membership.objects.filter(user_id=user.id, project_id=project_id).values_list("role", flat=True).first()
    if role is None:
        raise Http404
    return Role(role)


def project_for(request: HttpRequest, project_id: int, roles: tuple[Role, ...] = tuple(Role)) -> tuple[Project, Role]:
    """Return a project and the user's role in it; Http404 for strangers, Refused for members without one of `roles`."""
    role = role_in(request.user, project_id)
    _require(role, roles)
    return Project.objects.get(id=project_id), role


def part_for(
    request: HttpRequest, part_id: int, roles: tuple[Role, ...] = tuple(Role), *, lock: bool = False
) -> tuple[Part, Role]:
    """Return a part and the user's role, in one query; `lock` holds the row until the transaction ends."""
    parts = Part.objects.select_for_update(of=("self",)) if lock else Part.objects.select_related("project")
    part = (
        parts.defer("thumbnail")
        .filter(id=part_id, project__memberships__user_id=request.user.id)
        .annotate(role=F("project__memberships__role"))
        .first()
    )
    if part is None:
        raise Http404
    role = Role(part.role)
    _require(role, roles)
    return part, role


def role_of(part: Part) -> Role:
    """Return the role that the user has at a part which `part_for` found."""
    return Role(part.role)


def _require(role: Role, roles: tuple[Role, ...]) -> None:
    """Raise Refused when a role is not enough."""
    if role not in roles:
        raise Refused(OWNER_SENTENCE if roles == (Role.OWNER,) else VIEWER_SENTENCE, 403)
