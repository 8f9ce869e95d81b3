"""Comments on a part: listed, written, settled."""

from __future__ import annotations

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_POST

from glass_spoon.studio.access import MAY_EDIT, part_for
from glass_spoon.studio.flows.comment_part import add_comment, open_comments, settle_comment
from glass_spoon.studio.models import Part, Role
from glass_spoon.studio.show.comment_rows import comment_rows


def _comments(request: HttpRequest, part: Part, role: Role) -> HttpResponse:
    """Answer with the comments: of one line where it is named, else all."""
    line, place = request.GET.get("line", ""), request.GET.get("place", "")
    document = part.sheet()
    context = {
        "part": part,
        "rows": comment_rows(part, document, line),
        "line": line,
        "number": document.number_of(line) if document.has(line) else 0,
        "place": place,
        "may_settle_all": role in MAY_EDIT,
        "comments": open_comments(part),
        "oob_counts": request.method == "POST",
    }
    return render(request, "bench/_comments.html", context)


@login_required
def part_comments(request: HttpRequest, part_id: int) -> HttpResponse:
    """Show the comments, or take one more."""
    part, role = part_for(request, part_id)
    if request.method == "POST":
        said = request.POST
        add_comment(part, request.user, said.get("text", ""), said.get("line", ""), said.get("place", ""))
    return _comments(request, part, role)


@login_required
@require_POST
def comment_settle(request: HttpRequest, part_id: int, comment_id: int) -> HttpResponse:
    """Settle a comment, or open it again."""
    part, role = part_for(request, part_id)
    settle_comment(part, request.user, role, comment_id, settled=request.POST.get("settled") == "1")
    return _comments(request, part, role)
