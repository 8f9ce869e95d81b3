"""Who may see and change what. Whoever is not a member, and has no link to the part, gets 404."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import Any

from django.contrib.auth.decorators import login_required
from django.db.models import F
from django.http import Http404, HttpRequest, HttpResponse

from glass_spoon.studio.models import Membership, Part, PartLink, Project, Role
from glass_spoon.studio.sentences import Refused
from glass_spoon.studio.shown_unit import activate

MAY_EDIT = (Role.OWNER, Role.EDITOR)
VIEWER_SENTENCE = "You may look at this project and send parts out, but not change it. Ask its owner to make you an editor."
LINKS = "links"
"""Where a session keeps the links by which parts were come to: tokens by the part's number as text."""

MOST_LINKS = 50
"""Most parts that a session remembers to have come to by a link."""

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
    project = Project.objects.get(id=project_id)
    activate(project.unit)
    return project, role


def may_look(view: Callable[..., HttpResponse]) -> Callable[..., HttpResponse]:
    """Let in who is signed in, and who came to the part by a link; others sign in first."""
    guarded = login_required(view)

    @wraps(view)
    def answer(request: HttpRequest, **where: Any) -> HttpResponse:
        came = "part_id" in where and link_of(request, where["part_id"])
        response: HttpResponse = (view if came else guarded)(request, **where)
        return response

    return answer


def come_by(request: HttpRequest, link: PartLink) -> None:
    """Remember in the session that somebody came to a part by a link."""
    known = dict(request.session.get(LINKS, {}))
    known.pop(str(link.part_id), None)
    kept = list(known.items())[1 - MOST_LINKS :]
    request.session[LINKS] = dict([*kept, (str(link.part_id), link.token)])


def link_of(request: HttpRequest, part_id: int) -> str:
    """Return the token of the link by which somebody came to a part, "" for none or one that was taken back."""
    token = str(request.session.get(LINKS, {}).get(str(part_id), ""))
    return token if token and PartLink.objects.filter(part_id=part_id, token=token).exists() else ""


def parts_come_to(request: HttpRequest, project_id: int) -> list[Part]:
    """Return the parts of a project to which somebody came by a link."""
    known = request.session.get(LINKS, {})
    if not known:
        return []
    return list(
        Part.objects.defer("thumbnail").filter(project_id=project_id, links__token__in=list(known.values())).distinct()
    )


def part_seen(request: HttpRequest, part_id: int) -> tuple[Part, Role]:
    """Return a part that somebody may look at, and the role; Http404 for strangers. The part tells who came by a link."""
    try:
        return part_for(request, part_id)
    except Http404:
        if not link_of(request, part_id):
            raise
    part = Part.objects.select_related("project").defer("thumbnail").get(id=part_id)
    part.by_link = True
    activate(part.project.unit)
    return part, Role.VIEWER


def part_for(
    request: HttpRequest, part_id: int, roles: tuple[Role, ...] = tuple(Role), *, lock: bool = False
) -> tuple[Part, Role]:
    """Return a part and the user's role, in one query; `lock` holds the row until the transaction ends."""
    parts = Part.objects.select_for_update(of=("self",)) if lock else Part.objects.select_related("project")
    part = (
        parts.defer("thumbnail")
        .filter(id=part_id, project__memberships__user_id=request.user.id)
        .annotate(role=F("project__memberships__role"), unit=F("project__unit"))
        .first()
    )
    if part is None:
        raise Http404
    activate(part.unit)
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
