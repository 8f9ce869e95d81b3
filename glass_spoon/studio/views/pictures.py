"""Reference pictures: taken in, listed, served to members."""

from __future__ import annotations

from django.contrib.auth.decorators import login_required
from django.contrib.auth.views import redirect_to_login
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render
from django.views.decorators.http import require_POST, require_safe

from glass_spoon.studio.access import MAY_EDIT, part_for, parts_come_to, role_in
from glass_spoon.studio.flows.keep_picture import keep_picture
from glass_spoon.studio.models import Part, ReferencePicture
from glass_spoon.studio.sentences import Refused


@login_required
@require_POST
def take_in(request: HttpRequest, part_id: int) -> JsonResponse:
    """Take a picture into the project of a part; answer with its id and size in pixels."""
    part, _ = part_for(request, part_id, MAY_EDIT)
    file = request.FILES.get("file")
    if file is None:
        raise Refused("Choose a picture: PNG, JPEG, WebP or SVG.")
    picture = keep_picture(part.project, request.user, str(file.name), file.read())
    return JsonResponse({"id": picture.id, "name": picture.name, "width": picture.width, "height": picture.height})


@login_required
@require_safe
def choose(request: HttpRequest, part_id: int, line_id: str) -> HttpResponse:
    """Show the project's pictures, to put one into a line."""
    part, _ = part_for(request, part_id, MAY_EDIT)
    pictures = part.project.pictures.defer("data")
    return render(request, "bench/_pictures.html", {"part": part, "line_id": line_id, "pictures": pictures})


@require_safe
def picture(request: HttpRequest, picture_id: int) -> HttpResponse:
    """Send a picture to members of its project, and to who came by a link to a part that it lies in."""
    found = ReferencePicture.objects.filter(id=picture_id).first()
    if found is None or not _lies_in(found, parts_come_to(request, found.project_id)):
        if not request.user.is_authenticated:
            return redirect_to_login(request.get_full_path())
        if found is None:
            raise Http404
        role_in(request.user, found.project_id)
    response = HttpResponse(bytes(found.data), content_type=found.media_type)
    response["Cache-Control"] = "private, max-age=31536000, immutable"
    response["Content-Security-Policy"] = "default-src 'none'; style-src 'unsafe-inline'; sandbox"
    return response


def _lies_in(picture: ReferencePicture, parts: list[Part]) -> bool:
    """Say whether a line of some parts shows a picture."""
    return any(str(getattr(line, "picture", "")) == str(picture.pk) for part in parts for line in part.sheet().lines)
