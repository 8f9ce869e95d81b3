"""Links that show a part: made, taken back, followed."""

from __future__ import annotations

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST, require_safe

from glass_spoon.studio.access import MAY_EDIT, come_by, part_for
from glass_spoon.studio.flows.show_by_link import linked_part, make_link, take_back
from glass_spoon.studio.models import Part


def _links(request: HttpRequest, part: Part) -> HttpResponse:
    """Answer with the links of a part."""
    found = [
        (link, request.build_absolute_uri(reverse("look", args=[link.token])))
        for link in part.links.select_related("made_by")
    ]
    return render(request, "bench/_links.html", {"part": part, "links": found})


@login_required
@require_safe
def part_links(request: HttpRequest, part_id: int) -> HttpResponse:
    """Show the links of a part to who may take them back."""
    part, _ = part_for(request, part_id, MAY_EDIT)
    return _links(request, part)


@login_required
@require_POST
def link_new(request: HttpRequest, part_id: int) -> HttpResponse:
    """Make a link."""
    part, _ = part_for(request, part_id, MAY_EDIT)
    make_link(part, request.user)
    return _links(request, part)


@login_required
@require_POST
def link_end(request: HttpRequest, part_id: int, link_id: int) -> HttpResponse:
    """Take a link back."""
    part, _ = part_for(request, part_id, MAY_EDIT)
    take_back(part, link_id)
    return _links(request, part)


@require_safe
def look(request: HttpRequest, token: str) -> HttpResponse:
    """Follow a link: remember it, and go to the part, so that the link does not stand in the address any more."""
    link = linked_part(token)
    come_by(request, link)
    response = redirect("bench", link.part_id)
    response["Referrer-Policy"] = "no-referrer"
    response["X-Robots-Tag"] = "noindex"
    response["Cache-Control"] = "no-store"
    return response
