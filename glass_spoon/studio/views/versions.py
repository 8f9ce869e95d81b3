"""Kept versions."""

from __future__ import annotations

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_POST, require_safe

from glass_spoon.formats.clean_text import whole_number
from glass_spoon.studio.access import MAY_EDIT, part_for
from glass_spoon.studio.clean_requests import revision_in
from glass_spoon.studio.flows import keep_version as flow
from glass_spoon.studio.flows.change_part import StaleEdit
from glass_spoon.studio.flows.history import entries_before
from glass_spoon.studio.see import compare_states as states
from glass_spoon.studio.see.thumbnail import Frame, draw_meshes
from glass_spoon.studio.sentences import Refused

VIEWS = (("picture", "Picture"), ("front", "Front"), ("side", "Side"), ("plan", "Plan"))
ENTRIES = 20
"""Changes on a page of the history."""

COMPARED_FRAME = Frame(420, 320)


@login_required
def version_list(request: HttpRequest, part_id: int) -> HttpResponse:
    """List the kept versions, or keep one more."""
    part, role = part_for(request, part_id)
    if request.method == "POST":
        flow.keep_version(request, part_id, request.POST.get("name", ""), states.figures_now)
    before = whole_number(request.GET.get("before", ""))
    entries = list(entries_before(part, before, ENTRIES + 1))
    context = {
        "part": part,
        "versions": part.versions.select_related("made_by"),
        "entries": entries[:ENTRIES],
        "earlier": entries[ENTRIES - 1].number if len(entries) > ENTRIES else None,
        "may_edit": role in MAY_EDIT,
    }
    return render(request, "bench/_entries.html" if before else "bench/_versions.html", context)


@login_required
@require_POST
def return_to(request: HttpRequest, part_id: int, number: int) -> HttpResponse:
    """Make the sheet as it was after a change the present one, and show the bench."""
    try:
        flow.return_to_change(request, part_id, number, revision_in(request.POST))
    except StaleEdit as error:
        raise Refused("The part was changed meanwhile. Load the page again, then return.", 409) from error
    return redirect("bench", part_id)


@login_required
@require_safe
def compare(request: HttpRequest, part_id: int) -> HttpResponse:
    """Show the figures of two states side by side, and both seen by one camera."""
    part, role = part_for(request, part_id)
    left, right = (states.find_state(part, request.GET.get(name, "now")) for name in ("left", "right"))
    context = {
        "part": part,
        "left": left,
        "right": right,
        "version": part.versions.filter(id=int(left.token[1:])).first() if left.token.startswith("v") else None,
        "figures": states.compare(left, right),
        "meshes": states.compare_meshes(left, right),
        "changes": states.text_changes(left, right),
        "choices": states.choices(part, left, right),
        "views": VIEWS,
        "view": request.GET.get("view", "picture"),
        "may_edit": role in MAY_EDIT,
    }
    return render(request, "bench/_compare.html", context)


@login_required
@require_safe
def compare_picture(request: HttpRequest, part_id: int) -> HttpResponse:
    """Send the picture of one of two states, placed as both need it."""
    part, _ = part_for(request, part_id)
    left, right = (states.meshes_of(states.find_state(part, request.GET.get(name, "now"))) for name in ("left", "right"))
    shown = right if request.GET.get("which") == "right" else left
    data = draw_meshes(shown, request.GET.get("view", "picture"), COMPARED_FRAME, states.places_of([*left, *right]))
    return HttpResponse(data, content_type="image/png")


@login_required
@require_POST
def restore(request: HttpRequest, part_id: int, version_id: int) -> HttpResponse:
    """Restore a version and show the bench."""
    try:
        flow.restore_version(request, part_id, version_id, revision_in(request.POST))
    except StaleEdit as error:
        raise Refused("The part was changed meanwhile. Load the page again, then restore.", 409) from error
    return redirect("bench", part_id)
