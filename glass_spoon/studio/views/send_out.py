"""Send a part out as a file."""

from __future__ import annotations

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.urls import reverse
from django.utils.http import content_disposition_header
from django.views.decorators.http import require_POST, require_safe

from glass_spoon.sheet.text_form.write_text import write_lines, write_text
from glass_spoon.studio.access import MAY_EDIT, part_for, project_for
from glass_spoon.studio.flows import send_out as flow
from glass_spoon.studio.flows.build_part import finished_build
from glass_spoon.studio.flows.send_project import find_project, start_project
from glass_spoon.studio.flows.watched_work import PATIENCE
from glass_spoon.studio.jobs import rows
from glass_spoon.studio.models import Job
from glass_spoon.studio.see.item_picture import item_picture
from glass_spoon.studio.show.send_out_panel import send_out_context


@login_required
def send_out(request: HttpRequest, part_id: int) -> HttpResponse:
    """Show the choices, or start writing the file."""
    part, role = part_for(request, part_id)
    document = part.sheet()
    if request.method == "POST":
        order = flow.read_order(int(request.user.pk or 0), part.id, document, request.POST)
        return _shown(request, flow.start_file(order))
    return render(request, "bench/_send_out.html", {**send_out_context(part, document), "may_edit": role in MAY_EDIT})


@login_required
@require_safe
def picture(request: HttpRequest, part_id: int, item_id: str = "") -> HttpResponse:
    """Send a small picture of an item, or of all meshes, for the choice of what goes out."""
    part, _ = part_for(request, part_id)
    return HttpResponse(item_picture(finished_build(part.sheet()), item_id), content_type="image/png")


@login_required
@require_safe
def parcel(request: HttpRequest, token: str, **where: int) -> HttpResponse:
    """Say how far a file of a part, or the archive of a project, is."""
    return _shown(request, _job(request, token, **where))


@login_required
@require_POST
def parcel_cancel(request: HttpRequest, token: str, **where: int) -> HttpResponse:
    """Stop the work on it."""
    return _shown(request, rows.stop(_job(request, token, **where), "Cancelled; no file was written."))


@login_required
@require_POST
def parcel_again(request: HttpRequest, token: str, **where: int) -> HttpResponse:
    """Write it once more where it was cancelled, or failed."""
    return _shown(request, rows.wait_for(rows.again(_job(request, token, **where)), PATIENCE))


@login_required
@require_safe
def parcel_file(request: HttpRequest, token: str, **where: int) -> HttpResponse:
    """Send it."""
    job = _job(request, token, **where)
    response = HttpResponse(rows.content(job), content_type=job.order["media_type"])
    response["Content-Disposition"] = content_disposition_header(True, job.order["filename"])
    return response


@login_required
@require_POST
def project_send(request: HttpRequest, project_id: int) -> HttpResponse:
    """Start writing all parts of a project."""
    project, _ = project_for(request, project_id)
    return _shown(request, start_project(int(request.user.pk or 0), project, request.POST))


def _job(request: HttpRequest, token: str, part_id: int | None = None, project_id: int | None = None) -> Job:
    """Return the job of the user at a part or a project that they are a member of; Refused where there is none."""
    user = int(request.user.pk or 0)
    if project_id is not None:
        return find_project(token, user, project_for(request, project_id)[0])
    return rows.find(flow.WRITE_FILE, token, user, part_for(request, int(part_id or 0))[0].pk)


def _shown(request: HttpRequest, job: Job) -> HttpResponse:
    """Return how far a job is, with the addresses that go on from there."""
    if job.part_id is None:
        at = reverse("project_parcel", args=[job.order["project"], job.token])
    else:
        at = reverse("parcel", args=[job.part_id, job.token])
    return render(request, "bench/_parcel.html", {"parcel": job, "at": at})


@login_required
@require_safe
def sheet_json(request: HttpRequest, part_id: int) -> HttpResponse:
    """Send the sheet as JSON."""
    part, _ = part_for(request, part_id)
    response = HttpResponse(part.sheet().to_json(), content_type="application/json")
    response["Content-Disposition"] = content_disposition_header(True, f"{part.name}.json")
    return response


@login_required
@require_safe
def sheet_text(request: HttpRequest, part_id: int) -> HttpResponse:
    """Send the sheet in its written form."""
    part, _ = part_for(request, part_id)
    response = HttpResponse(write_text(part.sheet()), content_type="text/markdown; charset=utf-8")
    response["Content-Disposition"] = content_disposition_header(True, f"{part.name}.md")
    return response


@login_required
@require_safe
def lines_text(request: HttpRequest, part_id: int) -> HttpResponse:
    """Answer some lines in their written form: what is copied."""
    part, _ = part_for(request, part_id)
    chosen = set(request.GET.get("lines", "").split(","))
    return HttpResponse(write_lines(part.sheet(), chosen), content_type="text/plain; charset=utf-8")
