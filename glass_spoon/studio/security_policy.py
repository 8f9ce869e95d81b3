"""The Content-Security-Policy: no inline script but the import map, which carries a nonce."""

from __future__ import annotations

import secrets
from collections.abc import Callable

from django.conf import settings
from django.http import HttpRequest, HttpResponse

POLICY = (
    "default-src 'self'; script-src 'self' 'nonce-{nonce}'; style-src 'self'; img-src 'self' data: blob:; "
    "font-src 'self'; connect-src 'self'; object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
)


class SecurityPolicyMiddleware:
    """Gives each request a nonce and each response the policy."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        """Keep the next layer."""
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Answer with the policy."""
        request.csp_nonce = secrets.token_urlsafe(16)
        response = self.get_response(request)
        response.headers.setdefault("Content-Security-Policy", POLICY.format(nonce=request.csp_nonce))
        response.headers.setdefault("Permissions-Policy", "camera=(), microphone=(), geolocation=()")
        return response


def nonce(request: HttpRequest) -> dict[str, str]:
    """Give templates the nonce."""
    return {"csp_nonce": getattr(request, "csp_nonce", "")}


def sign_up_open(request: HttpRequest) -> dict[str, bool]:
    """Tell templates whether anybody may sign up."""
    return {"sign_up_open": settings.SIGN_UP_OPEN}
