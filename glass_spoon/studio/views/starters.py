"""Starters of a project: kept from a step, removed."""

from __future__ import annotations

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_POST

from glass_spoon.studio.access import MAY_EDIT, part_for
from glass_spoon.studio.flows.keep_starter import keep_starter, remove_starter, rename_starter
from glass_spoon.studio.models import Part


@login_required
@require_POST
def starter_new(request: HttpRequest, part_id: int) -> HttpResponse:
    """Keep lines as a starter, and show those that there are."""
    part, _ = part_for(request, part_id, MAY_EDIT)
    kept = keep_starter(part, [line for line in request.POST.get("lines", "").split(",") if line], request.user)
    return _starters(request, part, kept.pk)


@login_required
@require_POST
def starter_end(request: HttpRequest, part_id: int, starter_id: int) -> HttpResponse:
    """Remove a starter."""
    part, _ = part_for(request, part_id, MAY_EDIT)
    remove_starter(part, starter_id)
    return _starters(request, part, None)


@login_required
@require_POST
def starter_rename(request: HttpRequest, part_id: int, starter_id: int) -> HttpResponse:
    """Call a starter by another name."""
    part, _ = part_for(request, part_id, MAY_EDIT)
    rename_starter(part, starter_id, request.POST.get("name", ""))
    return _starters(request, part, None)


def _starters(request: HttpRequest, part: Part, kept: int | None) -> HttpResponse:
    """Answer with the starters of the project of a part, the one that was just kept told."""
    return render(request, "bench/_starters.html", {"part": part, "starters": part.project.starters.all(), "kept": kept})
