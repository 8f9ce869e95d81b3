"""Tries that anybody may make, counted by address and by what they are about: sign-ups and forgotten passwords.

Tries to sign in are counted by django-axes, by account and by address.
"""

from __future__ import annotations

from datetime import timedelta

from django.conf import settings
from django.http import HttpRequest
from django.utils import timezone

from glass_spoon.studio.models import Attempt
from glass_spoon.studio.sentences import Refused

WINDOW = timedelta(hours=1)
"""Time in which tries are counted."""


def address_of(request: HttpRequest) -> str:
    """Return the address that a request came from: what the proxy in front saw, where there is one."""
    passed = request.META.get("HTTP_X_FORWARDED_FOR", "") if settings.BEHIND_TLS else ""
    return (passed.rpartition(",")[2].strip() or request.META.get("REMOTE_ADDR", ""))[:64]


def count_try(request: HttpRequest, what: str, about: str, most: int) -> None:
    """Write a try down; Refused where there were `most` in the last hour from one address, or about one name."""
    since = timezone.now() - WINDOW
    Attempt.objects.filter(made_at__lt=since).delete()
    for key in {f"from {address_of(request)}", f"about {about.casefold()[:100]}"} - {"from ", "about "}:
        if Attempt.objects.filter(what=what, key=key).count() >= most:
            raise Refused("There were many tries in the last hour. Wait a while, then try again.", 429)
        Attempt.objects.create(what=what, key=key)
