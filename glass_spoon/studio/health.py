"""What a load balancer or an operator asks: do the database, the jobs and the queue stand?"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.conf import settings
from django.db import DatabaseError, connection
from django.http import HttpRequest, HttpResponse, JsonResponse

PATH = "/health/"
WORKER_SILENT = 60
"""Seconds without a heartbeat after which a worker counts as gone; procrastinate's workers give one every ten."""

_QUEUE = "SELECT status::text, count(*) FROM procrastinate_jobs WHERE status IN ('todo', 'doing') GROUP BY status"
_WORKERS = "SELECT count(*) FROM procrastinate_workers WHERE last_heartbeat > now() - make_interval(secs => %s)"


class HealthMiddleware:
    """Answers before hosts, sessions and redirects to TLS are looked at: whoever asks may come by address and over http."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        """Keep the next layer."""
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Answer for the one path, pass on for all others."""
        if request.path != PATH or request.method not in ("GET", "HEAD"):
            return self.get_response(request)
        found = read_health()
        response = JsonResponse(found, status=200 if found["ok"] else 503)
        response["Cache-Control"] = "no-store"
        return response


def read_health() -> dict[str, Any]:
    """Return how things stand: ok is false only without a database, as pages can do without jobs for a while."""
    try:
        with connection.cursor() as cursor:
            cursor.execute(_QUEUE)
            queue = dict(cursor.fetchall())
            cursor.execute(_WORKERS, [WORKER_SILENT])
            workers = cursor.fetchone()[0]
    except DatabaseError as error:
        connection.close()
        return {"ok": False, "database": type(error).__name__, "workers": None, "queue": None}
    waiting, doing = queue.get("todo", 0), queue.get("doing", 0)
    state = "at once" if settings.JOBS == "now" else "good" if workers else "none"
    return {
        "ok": True,
        "database": "good",
        "worker": state,
        "workers": workers,
        "queue": {"waiting": waiting, "doing": doing},
    }
