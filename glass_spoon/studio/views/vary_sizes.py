"""Try every size and number of a part some percent larger and smaller: asked for, watched, stopped, and its list."""

from __future__ import annotations

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_POST, require_safe

from glass_spoon.studio.access import MAY_EDIT, part_for
from glass_spoon.studio.flows import vary_sizes as flow
from glass_spoon.studio.jobs import rows
from glass_spoon.studio.models import Job, Part, Role


@login_required
def vary_sizes(request: HttpRequest, part_id: int) -> HttpResponse:
    """Show how the last trial went, or begin one."""
    part, role = part_for(request, part_id)
    user = int(request.user.pk or 0)
    if request.method == "POST":
        job = flow.start(user, part.id, part.revision, part.sheet(), request.POST.get("percent", "20"))
        return _work(request, part, role, job)
    context = _context(part, role, rows.newest(flow.VARY_SIZES, user, part.id))
    return render(request, "bench/_vary.html", context)


@login_required
@require_safe
def vary_sizes_now(request: HttpRequest, part_id: int, token: str) -> HttpResponse:
    """Say how far a trial is, and in the end what it found."""
    part, role = part_for(request, part_id)
    job = rows.find(flow.VARY_SIZES, token, int(request.user.pk or 0), part.id)
    return _work(request, part, role, job)


@login_required
@require_POST
def vary_sizes_stop(request: HttpRequest, part_id: int, token: str) -> HttpResponse:
    """Stop a trial."""
    part, role = part_for(request, part_id)
    job = rows.find(flow.VARY_SIZES, token, int(request.user.pk or 0), part.id)
    return _work(request, part, role, rows.stop(job, flow.STOPPED))


def _work(request: HttpRequest, part: Part, role: Role, job: Job) -> HttpResponse:
    return render(request, "bench/_vary_work.html", _context(part, role, job))


def _context(part: Part, role: Role, job: Job | None) -> dict[str, object]:
    """Return what the slip needs."""
    return {
        "part": part,
        "job": job,
        "percents": flow.PERCENTS,
        "chosen": job.order["percent"] if job else 20,
        "is_old": job is not None and job.order["revision"] != part.revision,
        "may_edit": role in MAY_EDIT,
    }
