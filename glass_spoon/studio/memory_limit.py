"""Looks after each answer whether the process holds more memory than it may."""

from __future__ import annotations

from collections.abc import Callable

from django.http import HttpRequest, HttpResponse

from glass_spoon.studio.flows.memory import keep_within


class MemoryMiddleware:
    """Keeps the process within CACHE_MB."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        """Keep the next layer."""
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Answer, then look."""
        response = self.get_response(request)
        keep_within()
        return response
