"""Who is at a part, and at which revision it is: asked by every bench every second or two, so it costs one statement
or two.
"""

from __future__ import annotations

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, JsonResponse
from django.views.decorators.http import require_safe

from glass_spoon.studio.flows.presence import seen


@login_required
@require_safe
def now(request: HttpRequest, part_id: int) -> JsonResponse:
    """Say who else is here and on which line, and the revision of the part; note where the asker is."""
    response = JsonResponse(seen(int(request.user.pk or 0), part_id, request.GET.get("line", "")))
    response["Cache-Control"] = "no-store"
    return response
