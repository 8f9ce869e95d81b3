"""The reference page, the schema, and answers for what is not there."""

from __future__ import annotations

import sys
from collections.abc import Mapping
from dataclasses import dataclass

from django.db import InterfaceError, OperationalError
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.middleware.csrf import get_token
from django.shortcuts import render
from django.template.loader import render_to_string
from django.views.decorators.http import require_safe

from glass_spoon.sheet.document import json_schema
from glass_spoon.sheet.fields import Spec
from glass_spoon.sheet.line import CHAPTERS, Line
from glass_spoon.sheet.lines import VERB_CLASSES
from glass_spoon.studio.health import read_health
from glass_spoon.studio.see.verb_examples import Example, verb_examples
from glass_spoon.studio.sentences import UNFORESEEN, away, refusal


@dataclass(frozen=True)
class VerbCard:
    """A verb as the page shows it. found_by: the words by which it is found there."""

    name: str
    title: str
    summary: str
    found_by: str
    fields: tuple[tuple[str, Spec], ...]
    example: Example | None


@require_safe
def verbs(request: HttpRequest) -> HttpResponse:
    """Show every verb, from its declaration, with an example."""
    examples = verb_examples()
    groups = [(chapter, [_card(cls, examples) for cls in VERB_CLASSES if cls.chapter == chapter]) for chapter in CHAPTERS]
    return render(request, "reference/verbs.html", {"groups": groups, "q": request.GET.get("q", "")[:80]})


def _card(cls: type[Line], examples: Mapping[str, Example]) -> VerbCard:
    name = str(cls.model_fields["verb"].default)
    title = name.replace("_", " ")
    found_by = " ".join((title, cls.summary, *cls.words)).lower()
    return VerbCard(name, title.capitalize(), cls.summary, found_by, tuple(cls.specs().items()), examples.get(name))


@require_safe
def schema(request: HttpRequest) -> JsonResponse:
    """Send the JSON Schema of sheets."""
    return JsonResponse(json_schema())


@require_safe
def health(request: HttpRequest) -> JsonResponse:
    """Say how the server stands; mostly answered before any view, see `health`."""
    return JsonResponse(read_health())


def not_found(request: HttpRequest, exception: Exception) -> HttpResponse:
    """Say that a page is not there, or not for this user."""
    sentence = "There is nothing here, or it belongs to a project that you are not a member of."
    return render(request, "refused.html", {"sentence": sentence}, status=404)


def forbidden(request: HttpRequest, exception: Exception) -> HttpResponse:
    """Say that a request was not allowed."""
    return render(request, "refused.html", {"sentence": "This is not allowed. Load the page again and retry."}, status=403)


def csrf_failed(request: HttpRequest, reason: str = "") -> HttpResponse:
    """Say that a form was too old; a script gets the present token with it, and asks again."""
    response = refusal(request, "This page was open for long and its form is too old. Load it again and retry.", 403)
    response["X-CSRFToken"] = get_token(request)
    return response


def failed(request: HttpRequest) -> HttpResponse:
    """Say that something failed outside the views, as a session that cannot be saved while the database is away."""
    error = sys.exc_info()[1]
    if isinstance(error, OperationalError | InterfaceError):
        return away(request, error)
    return HttpResponse(render_to_string("away.html", {"sentence": UNFORESEEN, "stays": True}), status=500)
