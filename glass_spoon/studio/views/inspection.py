"""The inspection sheet: pages that print to scale, with sizes, counts, gauges and pictures of a part and of every mesh."""

from __future__ import annotations

import numpy as np
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_safe

from glass_spoon.studio.access import may_look, part_seen
from glass_spoon.studio.flows.build_part import finished_build
from glass_spoon.studio.see.drawing_page import EDGE
from glass_spoon.studio.see.scene import shown_items
from glass_spoon.studio.see.thumbnail import Frame, draw_meshes, view_rows
from glass_spoon.studio.sentences import Refused
from glass_spoon.studio.show.inspection import inspection_context, places_of

ALL = "all"
"""What stands for an item's id where the whole part is meant."""
MOST_PIXELS = 2600
WHITE = (255, 255, 255)


@may_look
@require_safe
def sheet(request: HttpRequest, part_id: int) -> HttpResponse:
    """Show the sheet of a part."""
    part, _ = part_seen(request, part_id)
    return render(request, "bench/inspection.html", inspection_context(part, request.GET.get("paper", "")))


@may_look
@require_safe
def picture(request: HttpRequest, part_id: int, item_id: str, view: str) -> HttpResponse:
    """Send one mesh, or the whole part, seen in one view, with the asked pixels to a mm."""
    part, _ = part_seen(request, part_id)
    found = [item for item in shown_items(finished_build(part.sheet()), 0) if item_id in (item.item_id, ALL)]
    if not found:
        raise Refused("This mesh is no longer here. Load the page again.", 404)
    places = places_of(found)
    zoom = _zoom(request.GET.get("zoom", ""))
    width, height = (int(size) for size in np.ceil(np.ptp(places @ view_rows(view)[:2].T, axis=0) * zoom) + 2 * EDGE)
    if max(width, height) > MOST_PIXELS:
        raise Refused("The picture would be too large.")
    data = draw_meshes([item.drawn for item in found], view, Frame(width, height, zoom=zoom, paper=WHITE), places)
    return HttpResponse(data, content_type="image/png")


def _zoom(text: str) -> float:
    """Return pixels to a mm; Refused for what is none."""
    try:
        zoom = float(text)
    except ValueError:
        zoom = 0.0
    if not 0 < zoom < float("inf"):
        raise Refused("The zoom of a picture is a number above 0.")
    return zoom
