"""The log: every line with the id of its request, as text or as JSON; slow requests told; the same fault told once
in a while.
"""

from __future__ import annotations

import json
import logging
import re
import secrets
import time
from collections.abc import Callable
from contextvars import ContextVar

from django.conf import settings
from django.db import InterfaceError, OperationalError
from django.http import HttpRequest, HttpResponse

log = logging.getLogger("glass_spoon.requests")

request_id: ContextVar[str] = ContextVar("request_id", default="")
"""The id of the request under way in this thread, "" outside one."""

_GIVEN = re.compile(r"[A-Za-z0-9._-]{6,64}")

CALM_FOR = 10.0
"""Seconds for which a fault of the database is not written down again."""


class RequestLogMiddleware:
    """Gives each request an id (the proxy's, where it gives one), sends it back, and writes slow requests down."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        """Keep the next layer."""
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        """Answer with the id."""
        given = request.headers.get("X-Request-ID", "")
        token = request_id.set(given if _GIVEN.fullmatch(given) else secrets.token_hex(8))
        started = time.perf_counter()
        try:
            response = self.get_response(request)
            response["X-Request-ID"] = request_id.get()
            self._told(request, response, time.perf_counter() - started)
            return response
        finally:
            request_id.reset(token)

    def _told(self, request: HttpRequest, response: HttpResponse, took: float) -> None:
        slow = took >= settings.SLOW_REQUEST
        facts = {"status": response.status_code, "ms": round(1000 * took)}
        words = "%s %s%s: %d in %d ms"
        told = (request.method, request.path, " was slow" if slow else "", facts["status"], facts["ms"])
        log.log(logging.WARNING if slow else logging.INFO, words, *told, extra={"facts": facts})


class PlainFormatter(logging.Formatter):
    """One line of text, with the request's id where there is one."""

    def __init__(self) -> None:
        """Set the form."""
        super().__init__("%(asctime)s %(levelname)s %(name)s%(request)s: %(message)s")

    def format(self, record: logging.LogRecord) -> str:
        """Return the line."""
        found = request_id.get()
        record.request = f" [{found}]" if found else ""
        return super().format(record)


class JsonFormatter(logging.Formatter):
    """One JSON object a line: time, level, name, message, request, facts, and the trace of an error."""

    def format(self, record: logging.LogRecord) -> str:
        """Return the object as text."""
        said = {
            "time": time.strftime("%Y-%m-%dT%H:%M:%S", time.gmtime(record.created)) + f".{int(record.msecs):03d}Z",
            "level": record.levelname.lower(),
            "name": record.name,
            "message": record.getMessage(),
        }
        if request_id.get():
            said["request"] = request_id.get()
        if facts := getattr(record, "facts", None):
            said |= facts
        if record.exc_info:
            said["trace"] = self.formatException(record.exc_info)
        return json.dumps(said, ensure_ascii=False, default=str)


class CalmFilter(logging.Filter):
    """Lets a fault of the database through once in a while, and without its trace: a log that fills up helps nobody."""

    def __init__(self) -> None:
        """Start with nothing told."""
        super().__init__()
        self.told: dict[str, float] = {}

    def filter(self, record: logging.LogRecord) -> bool:
        """Say whether a record is written."""
        error = record.exc_info[1] if record.exc_info else None
        away = isinstance(error, OperationalError | InterfaceError) or str(record.msg).startswith(
            "The database does not answer"
        )
        away = away or (error is not None and type(error).__module__.startswith(("psycopg", "procrastinate.exceptions")))
        if not away:
            return True
        record.exc_info = record.exc_text = None
        now = time.monotonic()
        key = record.name
        if now - self.told.get(key, -CALM_FOR) < CALM_FOR:
            return False
        self.told[key] = now
        return True
