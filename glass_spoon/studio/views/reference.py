"""The reference page, the schema, and answers for what is not there."""

from __future__ import annotations

from django.db import connection
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from glass_spoon.sheet.document import json_schema
from glass_spoon.sheet.line import CHAPTERS
from glass_spoon.sheet.lines import VERB_CLASSES


@require_GET
def verbs(request: HttpRequest) -> HttpResponse:
    """Show every verb, from its declaration."""
    groups = [(chapter, [cls for cls in VERB_CLASSES if cls.chapter == chapter]) for chapter in CHAPTERS]
    rows = [
        (
            chapter,
            [
                (str(cls.model_fields["verb"].default).replace("_", " "), cls.summary, list(cls.specs().items()))
                for cls in classes
            ],
        )
        for chapter, classes in groups
    ]
    return render(request, "reference/verbs.html", {"groups": rows})


@require_GET
def schema(request: HttpRequest) -> JsonResponse:
    """Send the JSON Schema of sheets."""
    return JsonResponse(json_schema())


@require_GET
def health(request: HttpRequest) -> JsonResponse:
    """Say that the server and its database answer."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT 1")
    return JsonResponse({"ok": True})


def not_found(request: HttpRequest, exception: Exception) -> HttpResponse:
    """Say that a page is not there, or not for this user."""
    sentence = "There is nothing here, or it belongs to a project that you are not a member of."
    return render(request, "refused.html", {"sentence": sentence}, status=404)


def forbidden(request: HttpRequest, exception: Exception) -> HttpResponse:
    """Say that a request was not allowed."""
    return render(request, "refused.html", {"sentence": "This is not allowed. Load the page again and retry."}, status=403)
