"""Kept versions."""

from __future__ import annotations

from django.contrib.auth.decorators import login_required
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from glass_spoon.studio.access import MAY_EDIT, part_for
from glass_spoon.studio.flows import keep_version as flow
from glass_spoon.studio.flows.change_part import StaleEdit
from glass_spoon.studio.sentences import Refused


@login_required
def version_list(request: HttpRequest, part_id: int) -> HttpResponse:
    """List the kept versions, or keep one more."""
    part, role = part_for(request, part_id)
    if request.method == "POST":
        flow.keep_version(request, part_id, request.POST.get("name", ""))
    versions = part.versions.select_related("made_by")
    return render(request, "bench/_versions.html", {"part": part, "versions": versions, "may_edit": role in MAY_EDIT})


@login_required
@require_GET
def compare(request: HttpRequest, part_id: int, version_id: int) -> HttpResponse:
    """Show a version's figures beside the present ones."""
    part, role = part_for(request, part_id)
    version = part.versions.filter(id=version_id).first()
    if version is None:
        raise Http404
    figures = flow.compare_version(part, version)
    context = {"part": part, "version": version, "figures": figures, "may_edit": role in MAY_EDIT}
    return render(request, "bench/_compare.html", context)


@login_required
@require_POST
def restore(request: HttpRequest, part_id: int, version_id: int) -> HttpResponse:
    """Restore a version and show the bench."""
    revision = request.POST.get("revision", "")
    if not revision.isdigit() or len(revision) > 9:
        raise Refused("This change says no revision. Load the page again.", 400)
    try:
        flow.restore_version(request, part_id, version_id, int(revision))
    except StaleEdit as error:
        raise Refused("The part was changed meanwhile. Load the page again, then restore.", 409) from error
    return redirect("bench", part_id)
