"""Who is at a part, and at which revision it is: asked by every bench every second or two, so it costs one statement
or two.
"""

from __future__ import annotations

from django.http import Http404, HttpRequest, JsonResponse
from django.views.decorators.http import require_safe

from glass_spoon.studio.access import may_look, part_seen
from glass_spoon.studio.flows.presence import seen


@may_look
@require_safe
def now(request: HttpRequest, part_id: int) -> JsonResponse:
    """Say who else is here and on which line, and the revision of the part; note where the asker is."""
    try:
        found = seen(int(request.user.pk or 0), part_id, request.GET.get("line", ""))
    except Http404:  # who looks by a link is nobody that others could call by name
        part, _ = part_seen(request, part_id)
        found = {"revision": part.revision, "last": part.last_change, "by": "", "people": []}
    response = JsonResponse(found)
    response["Cache-Control"] = "no-store"
    return response
