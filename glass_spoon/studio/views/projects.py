"""Projects, their parts and members."""

from __future__ import annotations

from django.conf import settings
from django.contrib import messages
from django.contrib.auth.decorators import login_required
from django.core.paginator import Paginator
from django.db.models import Q, QuerySet
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_POST, require_safe

from glass_spoon.formats.clean_text import whole_number
from glass_spoon.sheet.document import SheetDocument
from glass_spoon.studio.access import MAY_EDIT, part_for, project_for
from glass_spoon.studio.flows import manage_project
from glass_spoon.studio.flows import move_part as moving
from glass_spoon.studio.flows.change_part import start_part
from glass_spoon.studio.flows.example_project import has_example, make_example
from glass_spoon.studio.flows.quotas import usage_of
from glass_spoon.studio.models import Membership, Part, Project, Role, Unit
from glass_spoon.studio.sentences import Refused
from glass_spoon.studio.show.send_out_panel import MESH_FORMATS


@require_safe
def home(request: HttpRequest) -> HttpResponse:
    """Go to the projects or to the sign-in."""
    return redirect("projects" if request.user.is_authenticated else "sign_in")


PROJECTS_A_PAGE, PARTS_A_PAGE = 10, 36
SEARCHED_FROM = 8
"""Parts from which on a search is offered."""

LIMITS = (
    ("face_budget", "Faces at most"),
    ("evenness", "Evenness at least, 0 to 1"),
    ("smallest_corner", "Narrowest corner, degrees"),
    ("off_surface", "Off the surface, mm"),
    ("kink", "Turn along an edge, degrees"),
)
"""The limits that a project sets, and what they are called."""


@login_required
def project_list(request: HttpRequest) -> HttpResponse:
    """List the user's projects, or make one."""
    if request.method == "POST":
        project = manage_project.make_project(request, request.POST.get("name", ""))
        return redirect("project", project.id)
    q = request.GET.get("q", "").strip()[:80]
    own = Membership.objects.filter(user=request.user)
    found = own.filter(Q(project__name__icontains=q) | Q(project__parts__name__icontains=q)).distinct() if q else own
    ordered = found.select_related("project").prefetch_related("project__parts__changed_by").order_by("project__name", "pk")
    context = {
        "memberships": Paginator(ordered, PROJECTS_A_PAGE).get_page(request.GET.get("page")),
        "invitations": request.user.invitations.select_related("project", "made_by"),
        "q": q,
        "searches": q or own.count() > 1,
        "offers_example": not has_example(request.user),
    }
    return render(request, "projects/list.html", context)


@login_required
@require_safe
def project_page(request: HttpRequest, project_id: int) -> HttpResponse:
    """Show a project's parts and members."""
    project, role = project_for(request, project_id)
    q = request.GET.get("q", "").strip()[:80]
    context = {
        "project": project,
        "role": role,
        "may_edit": role in MAY_EDIT,
        "is_owner": role == Role.OWNER,
        "parts": Paginator(_found_parts(project, q), PARTS_A_PAGE).get_page(request.GET.get("page")),
        "q": q,
        "searches": q or project.parts.count() > SEARCHED_FROM,
        "others": [other.project for other in _editable(request) if other.project_id != project.pk],
        "memberships": project.memberships.select_related("user").order_by("user__username"),
        "invitations": project.invitations.select_related("user").order_by("user__username"),
        "usage": usage_of(project.pk),
        "room": settings.QUOTA_PROJECT_MB,
        "roles": Role.choices,
        "units": Unit.choices,
        "mesh_formats": MESH_FORMATS,
        "limits": [(name, label, getattr(project.sheet_limits(), name)) for name, label in LIMITS],
    }
    return render(request, "projects/project.html", context)


def _found_parts(project: Project, q: str) -> QuerySet[Part]:
    """Return the parts of a project whose names have some words."""
    parts = project.parts.defer("thumbnail", "document").select_related("changed_by").order_by("name", "pk")
    return parts.filter(name__icontains=q) if q else parts


def _editable(request: HttpRequest) -> QuerySet[Membership]:
    """Return the memberships of projects that the user may change."""
    return (
        Membership.objects.filter(user_id=request.user.pk, role__in=MAY_EDIT)
        .select_related("project")
        .order_by("project__name")
    )


@login_required
@require_POST
def set_limits(request: HttpRequest, project_id: int) -> HttpResponse:
    """Set the limits of the gauges."""
    project = manage_project.set_limits(request, project_id, request.POST.dict())
    messages.success(request, f"The limits of {project.name} are set.")
    return redirect("project", project_id)


@login_required
@require_POST
def set_unit(request: HttpRequest, project_id: int) -> HttpResponse:
    """Set the unit that lengths are shown and typed in."""
    project = manage_project.set_unit(request, project_id, request.POST.get("unit", ""))
    messages.success(request, f"Lengths of {project.name} are shown and typed in {Unit(project.unit).label} now.")
    return redirect("project", project_id)


@login_required
@require_POST
def rename_project(request: HttpRequest, project_id: int) -> HttpResponse:
    """Rename a project."""
    project, _ = project_for(request, project_id, MAY_EDIT)
    project.name = manage_project.clean_name(request.POST.get("name", ""), "project")
    project.save(update_fields=["name"])
    return redirect("project", project_id)


@login_required
@require_POST
def remove_project(request: HttpRequest, project_id: int) -> HttpResponse:
    """Remove a project whose name was typed to confirm."""
    project, _ = project_for(request, project_id, (Role.OWNER,))
    if request.POST.get("name", "").strip() != project.name:
        raise Refused("Type the project's name to remove it with all its parts. Nothing was removed.")
    project.delete()
    messages.success(request, f"The project {project.name} was removed.")
    return redirect("projects")


@login_required
@require_POST
def set_member(request: HttpRequest, project_id: int) -> HttpResponse:
    """Invite a user, or change a member's role."""
    told = manage_project.set_member(request, project_id, request.POST.get("username", ""), request.POST.get("role", ""))
    messages.success(request, told)
    return redirect("project", project_id)


@login_required
@require_POST
def uninvite(request: HttpRequest, project_id: int, user_id: int) -> HttpResponse:
    """Take an invitation back."""
    manage_project.uninvite(request, project_id, user_id)
    return redirect("project", project_id)


@login_required
@require_POST
def accept(request: HttpRequest, project_id: int) -> HttpResponse:
    """Become a member of a project that the user was invited to."""
    project = manage_project.accept(request, project_id)
    messages.success(request, f"You are a member of {project.name} now.")
    return redirect("project", project_id)


@login_required
@require_POST
def decline(request: HttpRequest, project_id: int) -> HttpResponse:
    """Decline an invitation."""
    manage_project.decline(request, project_id)
    return redirect("projects")


@login_required
@require_POST
def leave(request: HttpRequest, project_id: int) -> HttpResponse:
    """Leave a project."""
    project = manage_project.leave(request, project_id)
    messages.success(request, f"You left {project.name}.")
    return redirect("projects")


@login_required
@require_POST
def remove_member(request: HttpRequest, project_id: int, user_id: int) -> HttpResponse:
    """Take a user out."""
    manage_project.remove_member(request, project_id, user_id)
    return redirect("project", project_id)


@login_required
@require_POST
def new_part(request: HttpRequest, project_id: int) -> HttpResponse:
    """Make an empty part and open its bench."""
    project, _ = project_for(request, project_id, MAY_EDIT)
    name = manage_project.clean_name(request.POST.get("name", ""), "part")
    part = start_part(request, project_id, SheetDocument(name=name, limits=project.sheet_limits()), "made")
    return redirect("bench", part.id)


@login_required
@require_POST
def copy_part(request: HttpRequest, part_id: int) -> HttpResponse:
    """Make a copy of a part in its project."""
    part, _ = part_for(request, part_id, MAY_EDIT)
    document = part.sheet().model_copy(update={"name": f"{part.name[:70]} copy"})
    copy = start_part(request, part.project_id, document, f"copied from {part.name}")
    return redirect("bench", copy.id)


@login_required
@require_POST
def move_part(request: HttpRequest, part_id: int) -> HttpResponse:
    """Move a part to another project."""
    part_for(request, part_id, MAY_EDIT)
    target = whole_number(request.POST.get("project", ""))
    if target is None:
        raise Refused("Choose the project that the part goes to.")
    part = moving.move_part(request, part_id, target)
    messages.success(request, f"{part.name} is in {part.project.name} now.")
    return redirect("project", part.project_id)


@login_required
@require_POST
def example(request: HttpRequest) -> HttpResponse:
    """Make the example project and open it."""
    return redirect("project", make_example(request.user).pk)


@login_required
@require_POST
def remove_part(request: HttpRequest, part_id: int) -> HttpResponse:
    """Remove a part whose name was typed to confirm."""
    part, _ = part_for(request, part_id, MAY_EDIT)
    if request.POST.get("name", "").strip() != part.name:
        raise Refused("Type the part's name to remove it. Nothing was removed.")
    part.delete()
    messages.success(request, f"The part {part.name} was removed.")
    return redirect("project", part.project_id)


@login_required
@require_POST
def bring_in(request: HttpRequest, project_id: int) -> HttpResponse:
    """Bring in a sheet or a project from a JSON file."""
    project_for(request, project_id, MAY_EDIT)
    upload = request.FILES.get("file")
    if upload is None:
        raise Refused("Choose a JSON file that was sent out as a sheet or a project.")
    parts = manage_project.import_file(request, project_id, upload.read())
    messages.success(request, f"Brought in {len(parts)} part{'' if len(parts) == 1 else 's'}.")
    return redirect("project", project_id)


@login_required
@require_safe
def export_project(request: HttpRequest, project_id: int) -> HttpResponse:
    """Send a project out as JSON."""
    project, _ = project_for(request, project_id)
    response = HttpResponse(manage_project.export_project(project), content_type="application/json")
    response["Content-Disposition"] = 'attachment; filename="project.json"'
    return response
