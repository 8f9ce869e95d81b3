"""The one place where errors become answers with a sentence."""

from __future__ import annotations

import logging
from collections.abc import Callable

from django.conf import settings
from django.core.exceptions import PermissionDenied, RequestDataTooBig, SuspiciousOperation
from django.db import InterfaceError, OperationalError, connection
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import render
from django.template.loader import render_to_string
from django.urls import reverse

from glass_spoon.formats.apart import Unusable
from glass_spoon.kernel.errors import KernelError
from glass_spoon.sheet.errors import SheetError

log = logging.getLogger(__name__)

UNFORESEEN = "Something went wrong here that was not foreseen. Load the page again; if it stays so, undo the last change."

TOO_BIG = "What was sent is too large: the most is 5 MB. Nothing was changed."


AWAY = "The database does not answer. Nothing is lost; this is tried again by itself."

SIGN_IN = "Your session ended. Sign in again; what you were doing goes on after it."


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
        """Pass on; Django calls process_exception for errors of views. Scripts are not led to the sign-in page, but told."""
        response = self.get_response(request)
        if response.status_code == 302 and asks_by_script(request) and response["Location"].startswith(reverse("sign_in")):
            return sign_in_wanted(request)
        return response

    def process_exception(self, request: HttpRequest, error: Exception) -> HttpResponse | None:
        """Turn a known refusal into an answer; a fault of ours is written down and told as one."""
        if isinstance(error, Refused):
            return refusal(request, str(error), error.status)
        if isinstance(error, SheetError | KernelError):
            return refusal(request, str(error), 422)
        if isinstance(error, OperationalError | InterfaceError):
            return away(request, error)
        if isinstance(error, Unusable):
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


def asks_by_script(request: HttpRequest) -> bool:
    """Say whether a script asks, rather than a person who follows a link."""
    wanted = request.headers.get("Sec-Fetch-Dest", "")
    return (
        bool(getattr(request, "htmx", False)) or wanted in ("empty", "image") or "json" in request.headers.get("Accept", "")
    )


def sign_in_wanted(request: HttpRequest) -> HttpResponse:
    """Answer a script whose session ended: the page lays a slip over itself, and asks again after it."""
    response = refusal(request, SIGN_IN, 401)
    response["X-Sign-In"] = reverse("sign_in_slip")
    return response


def away(request: HttpRequest, error: Exception) -> HttpResponse:
    """Answer while the database is away: 503, and a page that tries again. Asks it nothing."""
    log.error("The database does not answer: %s", str(error).strip().splitlines()[0][:200])
    connection.close()
    if asks_by_script(request) or request.method not in ("GET", "HEAD"):
        content = render_to_string("_message.html", {"sentence": AWAY, "tone": "look"})
        response = HttpResponse(content, status=503)
        response["HX-Retarget"], response["HX-Reswap"] = "#messages", "outerHTML"
    else:
        nonce = getattr(request, "csp_nonce", "")
        response = HttpResponse(render_to_string("away.html", {"sentence": AWAY, "csp_nonce": nonce}), status=503)
    response["Retry-After"] = "5"
    return response
