"""The one place where what requests bring is made fit: texts that a database can hold, bodies within limits."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.core.exceptions import BadRequest, RequestDataTooBig, SuspiciousOperation
from django.http import HttpRequest, HttpResponse, QueryDict, UnreadablePostError
from django.http.multipartparser import MultiPartParserError

from glass_spoon.formats.clean_text import NotJson, clean_text, read_json, whole_number
from glass_spoon.studio.sentences import TOO_BIG, Refused, refusal

NOT_READ = "What was sent could not be read. Load the page again and try once more."


class CleanRequestMiddleware:
    """Takes signs that cannot be kept out of all fields and names of files, before any view sees them."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        """Keep the next layer."""
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Clean the query and pass on."""
        request.GET = _clean(request.GET)
        return self.get_response(request)

    def process_view(self, request: HttpRequest, view: Any, args: Any, kwargs: dict[str, Any]) -> HttpResponse | None:
        """Clean the form; answer one that cannot be read."""
        for name, value in kwargs.items():
            kwargs[name] = clean_text(value) if isinstance(value, str) else value
        try:
            request.POST = _clean(request.POST)
            for file in request.FILES.values():
                file.name = clean_text(str(file.name)) or "file"
        except RequestDataTooBig:
            return refusal(request, TOO_BIG, 413)
        except (SuspiciousOperation, BadRequest, UnreadablePostError, MultiPartParserError, LookupError, ValueError):
            return refusal(request, NOT_READ, 400)
        return None


def _clean(fields: QueryDict) -> QueryDict:
    """Return fields whose names and values are clean; the same ones where they are already."""
    lists = list(fields.lists())
    if all(clean_text(text) is text for name, values in lists for text in (name, *values)):
        return fields
    fresh = QueryDict(mutable=True)
    for name, values in lists:
        fresh.setlist(clean_text(name), [clean_text(value) for value in values])
    fresh._mutable = False
    return fresh


def read_body(request: HttpRequest) -> dict[str, Any]:
    """Return the JSON object that a request's body holds; Refused for anything else."""
    return read_object(request.body, "What was asked could not be read. Load the page again.", 400)


def read_object(text: str | bytes, sentence: str, status: int = 422) -> dict[str, Any]:
    """Return a JSON object from text; Refused with the sentence for anything else."""
    try:
        found = read_json(text)
    except NotJson as error:
        raise Refused(sentence, status) from error
    if not isinstance(found, dict):
        raise Refused(sentence, status)
    return found


def revision_in(fields: Any) -> int:
    """Return the revision that a change was made on; Refused for one that says none."""
    revision = whole_number(fields.get("revision", ""))
    if revision is None:
        raise Refused("This change says no revision. Load the page again.", 400)
    return revision
