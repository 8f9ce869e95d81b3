"""The inspection sheet: a page that prints well, with sizes, counts, gauges and pictures of every mesh of a part."""

from __future__ import annotations

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_safe

from glass_spoon.studio.access import part_for
from glass_spoon.studio.flows.build_part import finished_build
from glass_spoon.studio.see.scene import shown_items
from glass_spoon.studio.see.thumbnail import draw_meshes
from glass_spoon.studio.sentences import Refused
from glass_spoon.studio.show.inspection import FRAME, inspection_context


@login_required
@require_safe
def sheet(request: HttpRequest, part_id: int) -> HttpResponse:
    """Show the sheet of a part."""
    part, _ = part_for(request, part_id)
    return render(request, "bench/inspection.html", inspection_context(part))


@login_required
@require_safe
def picture(request: HttpRequest, part_id: int, item_id: str, view: str) -> HttpResponse:
    """Send one mesh seen in one view."""
    part, _ = part_for(request, part_id)
    found = [item.drawn for item in shown_items(finished_build(part.sheet()), 0) if item.item_id == item_id]
    if not found:
        raise Refused("This mesh is no longer here. Load the page again.", 404)
    return HttpResponse(draw_meshes(found, view, FRAME, found[0].positions), content_type="image/png")
