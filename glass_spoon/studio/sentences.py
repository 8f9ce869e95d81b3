"""The one place where errors become answers with a sentence."""

from __future__ import annotations

import logging
from collections.abc import Callable

from django.conf import settings
from django.core.exceptions import PermissionDenied, RequestDataTooBig, SuspiciousOperation
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render

from glass_spoon.kernel.errors import KernelError
from glass_spoon.sheet.errors import SheetError

log = logging.getLogger(__name__)

UNFORESEEN = "Something went wrong here that was not foreseen. Load the page again; if it stays so, undo the last change."

TOO_BIG = "What was sent is too large: the most is 5 MB. Nothing was changed."


class Refused(ValueError):
    """A use case refuses; the text is the sentence, `status` the answer's code."""

    def __init__(self, sentence: str, status: int = 422) -> None:
        """Take the sentence and the HTTP status."""
        super().__init__(sentence)
        self.status = status


class SentenceMiddleware:
    """Answers refusals with a message fragment for htmx, JSON for the board, and a page otherwise."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        """Keep the next layer."""
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Pass on; Django calls process_exception for errors of views."""
        return self.get_response(request)

    def process_exception(self, request: HttpRequest, error: Exception) -> HttpResponse | None:
        """Turn a known refusal into an answer; a fault of ours is written down and told as one."""
        if isinstance(error, Refused):
            return refusal(request, str(error), error.status)
        if isinstance(error, SheetError | KernelError):
            return refusal(request, str(error), 422)
        if isinstance(error, RequestDataTooBig):
            return refusal(request, TOO_BIG, 413)
        if settings.DEBUG or isinstance(error, Http404 | PermissionDenied | SuspiciousOperation):
            return None
        log.error("%s %s failed.", request.method, request.path, exc_info=error)
        return refusal(request, UNFORESEEN, 500)


def refusal(request: HttpRequest, sentence: str, status: int) -> HttpResponse:
    """Return the answer for a refusal."""
    if getattr(request, "htmx", False):
        response = render(request, "_message.html", {"sentence": sentence, "tone": "look"}, status=status)
        response["HX-Retarget"], response["HX-Reswap"] = "#messages", "outerHTML"
        return response
    if "application/json" in request.headers.get("Accept", ""):
        return JsonResponse({"sentence": sentence}, status=status)
    return render(request, "refused.html", {"sentence": sentence}, status=status)
