"""The log: ids of requests, JSON, slow requests, and calm while the database is away."""

from __future__ import annotations

import json
import logging

from django.db import OperationalError

from glass_spoon.studio.request_log import CalmFilter, JsonFormatter, PlainFormatter, request_id


def record(message: str = "it was so", error: Exception | None = None, **more: object) -> logging.LogRecord:
    """Return a record of the log."""
    info = (type(error), error, None) if error else None
    made = logging.LogRecord("spoon", logging.ERROR, "x.py", 1, message, (), info)
    made.__dict__.update(more)
    return made


def test_every_answer_bears_the_id_of_its_request(client, db) -> None:
    """The proxy's where it is one, else a fresh one; what is no id is not written anywhere."""
    assert client.get("/verbs/", headers={"X-Request-ID": "from-the-proxy-1"})["X-Request-ID"] == "from-the-proxy-1"
    fresh = client.get("/verbs/", headers={"X-Request-ID": "bad id\n<x>"})["X-Request-ID"]
    assert len(fresh) == 16
    assert client.get("/verbs/")["X-Request-ID"] != fresh


def test_lines_bear_the_id_and_can_be_json() -> None:
    """One object a line, with the facts."""
    token = request_id.set("abc123")
    try:
        assert "[abc123]" in PlainFormatter().format(record())
        said = json.loads(JsonFormatter().format(record(facts={"ms": 12})))
    finally:
        request_id.reset(token)
    assert (said["request"], said["ms"], said["level"], said["message"]) == ("abc123", 12, "error", "it was so")


def test_slow_requests_are_written_down(client, db, settings, caplog) -> None:
    """With what they took."""
    settings.SLOW_REQUEST = 0.0
    client.get("/verbs/")
    assert any("/verbs/ was slow" in entry.getMessage() for entry in caplog.records)


def test_while_the_database_is_away_the_log_stays_small() -> None:
    """One line in a while, without a trace; other faults are written in full."""
    calm = CalmFilter()
    away = [record("failed", OperationalError("gone")) for _ in range(100)]
    assert sum(calm.filter(entry) for entry in away) == 1
    assert away[0].exc_info is None
    assert all(calm.filter(record("failed", ValueError("ours"))) for _ in range(3))
