"""Send a part out as a file."""

from __future__ import annotations

from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.utils.http import content_disposition_header
from django.views.decorators.http import require_POST, require_safe

from glass_spoon.sheet.text_form.write_text import write_lines, write_text
from glass_spoon.studio.access import part_for
from glass_spoon.studio.flows import send_out as flow
from glass_spoon.studio.flows.build_part import finished_build
from glass_spoon.studio.flows.watched_work import PATIENCE
from glass_spoon.studio.jobs import rows


@login_required
def send_out(request: HttpRequest, part_id: int) -> HttpResponse:
    """Show the choices, or start writing the file."""
    part, _ = part_for(request, part_id)
    document = part.sheet()
    if request.method == "POST":
        order = flow.read_order(int(request.user.pk or 0), part.id, document, request.POST)
        return render(request, "bench/_parcel.html", {"part": part, "parcel": flow.start_file(order)})
    build = finished_build(document)
    given = document.kinds()
    meshes, curves, surfaces = (
        [
            (line.id, document.item_name(line.id))
            for line in document.lines
            if given.get(line.id) in kinds and line.id in build.items
        ]
        for kinds in (("mesh", "bodies"), ("curve", "curves"), ("surface", "surfaces"))
    )
    context = {
        "part": part,
        "meshes": meshes,
        "levels": range(7),
        "sets": range(1, 5),
        "curves": curves,
        "surfaces": surfaces,
        "bodies": f"{faces:,}" if (faces := flow.faces_of_bodies(build)) else "",
    }
    return render(request, "bench/_send_out.html", context)


@login_required
@require_safe
def parcel(request: HttpRequest, part_id: int, token: str) -> HttpResponse:
    """Say how far a file is."""
    part, _ = part_for(request, part_id)
    found = rows.find(flow.WRITE_FILE, token, int(request.user.pk or 0), part.id)
    return render(request, "bench/_parcel.html", {"part": part, "parcel": found})


@login_required
@require_POST
def parcel_cancel(request: HttpRequest, part_id: int, token: str) -> HttpResponse:
    """Stop the work on a file."""
    part, _ = part_for(request, part_id)
    found = rows.stop(
        rows.find(flow.WRITE_FILE, token, int(request.user.pk or 0), part.id), "Cancelled; no file was written."
    )
    return render(request, "bench/_parcel.html", {"part": part, "parcel": found})


@login_required
@require_POST
def parcel_again(request: HttpRequest, part_id: int, token: str) -> HttpResponse:
    """Write a file once more that was cancelled, or that failed."""
    part, _ = part_for(request, part_id)
    found = rows.again(rows.find(flow.WRITE_FILE, token, int(request.user.pk or 0), part.id))
    return render(request, "bench/_parcel.html", {"part": part, "parcel": rows.wait_for(found, PATIENCE)})


@login_required
@require_safe
def parcel_file(request: HttpRequest, part_id: int, token: str) -> HttpResponse:
    """Send the file."""
    part, _ = part_for(request, part_id)
    found = rows.find(flow.WRITE_FILE, token, int(request.user.pk or 0), part.id)
    response = HttpResponse(rows.content(found), content_type=found.order["media_type"])
    response["Content-Disposition"] = content_disposition_header(True, found.order["filename"])
    return response


@login_required
@require_safe
def sheet_json(request: HttpRequest, part_id: int) -> HttpResponse:
    """Send the sheet as JSON."""
    part, _ = part_for(request, part_id)
    response = HttpResponse(part.sheet().to_json(), content_type="application/json")
    response["Content-Disposition"] = content_disposition_header(True, f"{part.name}.json")
    return response


@login_required
@require_safe
def sheet_text(request: HttpRequest, part_id: int) -> HttpResponse:
    """Send the sheet in its written form."""
    part, _ = part_for(request, part_id)
    response = HttpResponse(write_text(part.sheet()), content_type="text/markdown; charset=utf-8")
    response["Content-Disposition"] = content_disposition_header(True, f"{part.name}.md")
    return response


@login_required
@require_safe
def lines_text(request: HttpRequest, part_id: int) -> HttpResponse:
    """Answer some lines in their written form: what is copied."""
    part, _ = part_for(request, part_id)
    chosen = set(request.GET.get("lines", "").split(","))
    return HttpResponse(write_lines(part.sheet(), chosen), content_type="text/plain; charset=utf-8")
