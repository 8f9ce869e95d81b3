"""The bench: one part's page, its fragments and its edits."""

from __future__ import annotations

import json
from math import degrees
from typing import Any

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_POST, require_safe

from glass_spoon.formats.clean_text import whole_number
from glass_spoon.sheet.edit import dependents, find_line
from glass_spoon.sheet.edit_many import up_to
from glass_spoon.sheet.lines.draw.points import Draw
from glass_spoon.sheet.propose import propose
from glass_spoon.studio.access import MAY_EDIT, may_look, part_for, part_seen, role_of
from glass_spoon.studio.clean_requests import revision_in
from glass_spoon.studio.flows import change_part as steps
from glass_spoon.studio.flows.build_part import finished_build
from glass_spoon.studio.flows.change_part import StaleEdit, change_part
from glass_spoon.studio.flows.edit_sheet import read_edit
from glass_spoon.studio.flows.read_files import ReadingStopped
from glass_spoon.studio.flows.stopped_work import STOPPED
from glass_spoon.studio.models import Part, Role
from glass_spoon.studio.see.gauge_findings import TRIALS
from glass_spoon.studio.see.judging import EDGE_LIMITS, EDGE_REACH, edge_rows
from glass_spoon.studio.see.scene import shown_items
from glass_spoon.studio.see.view_choice import read_view
from glass_spoon.studio.sentences import Refused
from glass_spoon.studio.show.bench_context import bench_context, stop_work
from glass_spoon.studio.show.item_rows import item_rows
from glass_spoon.studio.show.keys_page import key_groups
from glass_spoon.studio.show.law_rows import law_context, table_context
from glass_spoon.studio.show.sheet_rows import in_chapter_order, lines_by_step, used_sizes_rows
from glass_spoon.studio.shown_unit import active_unit


@may_look
@require_safe
def bench_page(request: HttpRequest, part_id: int) -> HttpResponse:
    """Show the bench."""
    part, role = part_seen(request, part_id)
    return render(request, "bench/bench.html", bench_context(part, role, request.GET, request.user))


@may_look
@require_safe
def show(request: HttpRequest, part_id: int) -> HttpResponse:
    """Show the sheet and gauges again: after another line, at another level, or when a long build moves on."""
    part, role = part_seen(request, part_id)
    try:
        return _fragments(request, part, role, request.GET)
    except ReadingStopped:  # whoever stopped it has an answer of their own
        return HttpResponse(status=204)


def _fragments(request: HttpRequest, part: Part, role: Role, view: Any) -> HttpResponse:
    """Answer with every changed fragment, and tell the board to load the model."""
    hurries = request.method == "POST" and view.get("pending") != "1"
    context = bench_context(part, role, view, request.user, hurries=hurries)
    still = context.get("pending_stage", "") == view.get("stage") != ""
    if view.get("pending") == "1" and (context["working"] or still):
        response = render(request, "bench/_pending.html", {**context, "oob": True})
        response["HX-Reswap"] = "none"
        return response
    response = render(request, "bench/_fragments.html", context)
    if context["working"]:
        response["HX-Reswap"] = "none"
    elif view.get("pending") != "1":
        response["HX-Trigger-After-Swap"] = json.dumps({"rebuilt": {"revision": part.revision}})
    return response


@login_required
@require_POST
def edit(request: HttpRequest, part_id: int) -> HttpResponse:
    """Change the sheet."""
    form: dict[str, Any] = request.POST.dict()
    if "file" in request.FILES:
        form["file"], form["file_name"] = request.FILES["file"].read(), request.FILES["file"].name
    try:
        part = change_part(request, part_id, revision_in(form), read_edit(form))
    except StaleEdit as stale:
        return _stale(request, stale.part, form)
    return _fragments(request, part, role_of(part), form)


def _stale(request: HttpRequest, part: Part, form: dict[str, Any]) -> HttpResponse:
    """Show what was tried beside what the part is now, with a way to apply it on top."""
    document = part.sheet()
    line_id = str(form.get("line", ""))
    line = document.line(line_id) if document.has(line_id) else None
    name = str(form.get("field", ""))
    now = getattr(line, name, "") if line is not None and name in line.specs() else ""
    context = {
        "part": part,
        "line_number": document.number_of(line_id) if line is not None else 0,
        "field": name.replace("_", " "),
        "mine": _short(form.get("value", "")),
        "theirs": _short(now),
        "again": {key: value for key, value in form.items() if key != "revision" and isinstance(value, str)},
    }
    response = render(request, "bench/_stale.html", context, status=409)
    response["HX-Retarget"], response["HX-Reswap"] = "#messages", "outerHTML"
    return response


def _short(value: Any) -> str:
    """Return a value short enough to show."""
    if isinstance(value, list):
        return f"{len(value)} points"
    text = str(value)
    return f"{text.count(chr(123))} points" if text.startswith("[{") else text[:60]


@login_required
@require_POST
def undo(request: HttpRequest, part_id: int) -> HttpResponse:
    """Take the user's own last change back."""
    part = steps.undo(request, part_id)
    return _fragments(request, part, role_of(part), request.POST)


@login_required
@require_POST
def stop(request: HttpRequest, part_id: int) -> HttpResponse:
    """Stop what is worked on: changes that would mend what the gauges tell, the gauges, or the build; or go on with it."""
    part, role = part_for(request, part_id)
    what, asker = request.POST.get("what", ""), (part.pk, request.user.pk)
    if what == "work":
        stop_work(part, request.POST, request.user)
    elif what == "on":
        STOPPED.go_on(asker)
    else:
        TRIALS.stop(asker)
    return _fragments(request, part, role, {**request.POST.dict(), "pending": "0" if what else "1"})


@login_required
@require_POST
def redo(request: HttpRequest, part_id: int) -> HttpResponse:
    """Make the change again that was taken back last."""
    part = steps.redo(request, part_id)
    return _fragments(request, part, role_of(part), request.POST)


@login_required
@require_safe
def find_verbs(request: HttpRequest, part_id: int) -> HttpResponse:
    """Propose lines for plain words."""
    part, _ = part_for(request, part_id, MAY_EDIT)
    text = request.GET.get("text", "")
    found = propose(text, up_to(part.sheet(), request.GET.get("after")), active_unit())
    groups = [("", found)] if text.strip() else in_chapter_order(found)
    return render(request, "bench/_proposals.html", {"groups": groups, "text": text, "part": part})


@may_look
@require_safe
def points(request: HttpRequest, part_id: int, line_id: str) -> HttpResponse:
    """Show a drawn curve's points as a table."""
    part, role = part_seen(request, part_id)
    line = find_line(part.sheet(), line_id)
    if not isinstance(line, Draw):
        raise Refused("This line has no points.")
    context = {"part": part, "line": line, "number": part.sheet().number_of(line_id), "may_edit": role in MAY_EDIT}
    return render(request, "bench/_points.html", context)


@may_look
@require_safe
def curves(request: HttpRequest, part_id: int) -> HttpResponse:
    """Show the part's items with their looks and layers."""
    part, role = part_seen(request, part_id)
    document = part.sheet()
    rows = item_rows(document, finished_build(document))
    layers = [(layer, layer not in document.hidden_layers) for layer in document.layers()]
    context = {"part": part, "rows": rows, "layers": layers, "may_edit": role in MAY_EDIT}
    return render(request, "bench/_curves.html", context)


@login_required
@require_safe
def law(request: HttpRequest, part_id: int, line_id: str, field: str) -> HttpResponse:
    """Show a law as a curve to be edited."""
    part, _ = part_for(request, part_id, MAY_EDIT)
    document = part.sheet()
    context = law_context(document, find_line(document, line_id), field, finished_build(document).sizes)
    return render(request, "bench/_law.html", {"part": part, **context})


@login_required
@require_safe
def table(request: HttpRequest, part_id: int, line_id: str, field: str) -> HttpResponse:
    """Show a table of a line to be edited."""
    part, _ = part_for(request, part_id, MAY_EDIT)
    context = table_context(part.sheet(), find_line(part.sheet(), line_id), field)
    return render(request, "bench/_table.html", {"part": part, **context})


@login_required
@require_safe
def sizes_table(request: HttpRequest, part_id: int) -> HttpResponse:
    """Show all sizes to be edited at once."""
    part, _ = part_for(request, part_id, MAY_EDIT)
    return render(request, "bench/_sizes.html", {"part": part, "rows": used_sizes_rows(finished_build(part.sheet()))})


@may_look
@require_safe
def edges(request: HttpRequest, part_id: int) -> HttpResponse:
    """Report on the edges that surfaces share."""
    part, role = part_seen(request, part_id)
    document = part.sheet()
    view = read_view(request.GET, document)
    build = finished_build(document, view.after)
    rows, alone = edge_rows(shown_items(build, 0), document, build)
    limits = {"gap": EDGE_LIMITS.gap, "angle": round(degrees(EDGE_LIMITS.angle), 3), "jump": round(100 * EDGE_LIMITS.jump)}
    context = {"part": part, "rows": rows, "alone": alone, "limits": limits, "reach": EDGE_REACH}
    context["may_edit"] = role in MAY_EDIT and not view.after
    return render(request, "bench/_edges.html", context)


@login_required
@require_safe
def removal(request: HttpRequest, part_id: int, line_id: str) -> HttpResponse:
    """Ask before a line is removed, naming what depends on it."""
    part, _ = part_for(request, part_id, MAY_EDIT)
    document = part.sheet()
    line = find_line(document, line_id)
    users = [(document.number_of(other.id), other) for other in dependents(document, line_id)]
    name = getattr(line, "gives", "") or getattr(line, "name", "")
    context = {"part": part, "line": line, "number": document.number_of(line_id), "users": users, "name": name}
    return render(request, "bench/_removal.html", context)


@login_required
@require_safe
def keys(request: HttpRequest) -> HttpResponse:
    """Show the page of keys."""
    return render(request, "bench/_keys.html", {"groups": key_groups()})


@login_required
@require_safe
def bring(request: HttpRequest, part_id: int) -> HttpResponse:
    """Offer the lines of another part of the project, step by step."""
    part, _ = part_for(request, part_id, MAY_EDIT)
    others = part.project.parts.exclude(id=part.id).order_by("name")
    source = others.filter(id=whole_number(request.GET.get("from", ""))).first() or others.first()
    groups = lines_by_step(source.sheet()) if source else []
    shown = {"part": part, "others": others, "source": source, "groups": groups, "starters": part.project.starters.all()}
    return render(request, "bench/_bring.html", shown)
