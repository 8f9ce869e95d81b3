"""What the board loads: models, previews, offenders, thumbnails."""

from __future__ import annotations

from django.contrib.auth.decorators import login_required
from django.db.models import F
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.views.decorators.http import require_POST, require_safe

from glass_spoon.formats.gltf import MEDIA_TYPE
from glass_spoon.sheet.edit import find_line
from glass_spoon.sheet.fields import FileSpec
from glass_spoon.studio.access import may_look, part_for, part_seen
from glass_spoon.studio.clean_requests import read_body
from glass_spoon.studio.flows.build_part import finished_build
from glass_spoon.studio.flows.typed_values import typed_values
from glass_spoon.studio.models import Part
from glass_spoon.studio.see.mark_rows import pick
from glass_spoon.studio.see.numbered_places import numbered_places
from glass_spoon.studio.see.offenders import offenders_of
from glass_spoon.studio.see.preview import preview_file, view_file
from glass_spoon.studio.see.thumbnail import part_picture
from glass_spoon.studio.see.view_choice import read_view
from glass_spoon.studio.sentences import Refused


def _glb(data: bytes) -> HttpResponse:
    """Answer with a glTF file that is not kept by the browser."""
    response = HttpResponse(data, content_type=MEDIA_TYPE)
    response["Cache-Control"] = "no-store"
    return response


@may_look
@require_safe
def view_glb(request: HttpRequest, part_id: int) -> HttpResponse:
    """Send the model as shown."""
    part, _ = part_seen(request, part_id)
    document = part.sheet()
    return _glb(view_file(document, read_view(request.GET, document)))


@may_look
@require_safe
def corners(request: HttpRequest, part_id: int, line_id: str) -> HttpResponse:
    """Tell where the corners or copies are that a line counts, in that order, and how one is picked."""
    part, _ = part_seen(request, part_id)
    document = part.sheet()
    places, note = numbered_places(document, find_line(document, line_id))
    return JsonResponse({"places": [[round(float(value), 6) for value in place] for place in places], "note": note})


@login_required
@require_POST
def preview_glb(request: HttpRequest, part_id: int) -> HttpResponse:
    """Send the model as it would be with fields of lines changed; nothing is saved."""
    part, _ = part_for(request, part_id)
    asked = read_body(request)
    try:
        changes = {str(line): dict(values) for line, values in dict(asked["changes"]).items()}
        known = [str(key) for key in asked.get("known", [])][:64]
        view = {str(key): str(entry) for key, entry in dict(asked.get("view", {})).items()}
    except (ValueError, KeyError, TypeError) as error:
        raise Refused("The preview could not be read.", 400) from error
    document = part.sheet()
    if asked.get("typed"):
        changes = typed_values(document, changes)
    for line, values in changes.items():
        if any(isinstance(spec, FileSpec) for name, spec in find_line(document, line).specs().items() if name in values):
            raise Refused("A file cannot be tried; choose it.", 400)
    return _glb(preview_file(document, changes, known, view))


@may_look
@require_safe
def offenders(request: HttpRequest, part_id: int) -> JsonResponse:
    """List the elements that a gauge complains about, or that a line worked on, and the places where they lie."""
    part, _ = part_seen(request, part_id)
    document = part.sheet()
    found = offenders_of(
        document, read_view(request.GET, document), request.GET.get("gauge", ""), request.GET.get("done", "")
    )
    return JsonResponse(found)


@may_look
@require_POST
def picked(request: HttpRequest, part_id: int) -> JsonResponse:
    """Tell what a pick on the board finds, and which rules would find it again."""
    part, _ = part_seen(request, part_id)
    document = part.sheet()
    asked = read_body(request)
    after = str(asked.get("shown_after", ""))
    return JsonResponse(pick(finished_build(document, after if document.has(after) else None), asked))


@may_look
@require_safe
def thumbnail(request: HttpRequest, part_id: int) -> HttpResponse:
    """Send a small picture of a part, drawn anew when the part has changed."""
    part_seen(request, part_id)
    part = Part.objects.get(id=part_id)
    if part.thumbnail_revision != part.revision:
        picture = part_picture(part)
        Part.objects.filter(id=part_id, revision=part.revision).update(thumbnail=picture, thumbnail_revision=F("revision"))
    else:
        picture = bytes(part.thumbnail)
    response = HttpResponse(picture, content_type="image/png")
    response["Cache-Control"] = "private, max-age=60"
    return response
