"""Previews of a part asked of the real server, request to last byte."""

from __future__ import annotations

import http.client
import json
import os
import socket
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

from server_process import GUNICORN, seat_environment

DRAGS = 60


def served_median(document: dict[str, Any], points_at: Callable[[int], list[dict[str, Any]]]) -> float:
    """Return the median seconds of a preview of line l1's points, on the test database and a server of its own."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "glass_spoon.studio.settings")
    import django

    django.setup()
    from django.test.utils import setup_databases, teardown_databases

    databases = setup_databases(verbosity=0, interactive=False)
    try:
        part, cookie = _make_part(document)
        with server() as port:
            return _drag(port, part, cookie, points_at)
    finally:
        from django.db import connections

        connections.close_all()
        teardown_databases(databases, verbosity=0)


@contextmanager
def server(workers: int = 1) -> Iterator[int]:
    """Run gunicorn in processes of its own, as ./start does, on the test database."""
    from django.db import connection

    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    url = os.environ["DATABASE_URL"].rsplit("/", 1)[0] + "/" + connection.settings_dict["NAME"]
    command = [sys.executable, "-m", "gunicorn", *GUNICORN, "--bind", f"127.0.0.1:{port}"]
    with tempfile.TemporaryDirectory() as folder:
        shared = os.environ | {"DATABASE_URL": url}
        servers = [
            subprocess.Popen(command, env=shared | seat_environment(number, workers, folder)) for number in range(workers)
        ]
        try:
            yield _answering(port)
        finally:
            for one in servers:
                one.terminate()
            for one in servers:
                one.wait()


def _answering(port: int) -> int:
    """Return the port when it answers."""
    for _ in range(200):
        with socket.socket() as probe:
            if probe.connect_ex(("127.0.0.1", port)) == 0:
                break
        time.sleep(0.05)
    return port


def _make_part(document: dict[str, Any]) -> tuple[int, str]:
    from django.conf import settings
    from django.contrib.auth import get_user_model
    from django.test import Client

    from glass_spoon.studio.models import Membership, Part, Project, Role

    user = get_user_model().objects.create_user("bench")
    project = Project.objects.create(name="Bench")
    Membership.objects.create(project=project, user=user, role=Role.OWNER)
    part = Part.objects.create(project=project, name="Bench", document=document, changed_by=user)
    client = Client()
    client.force_login(user)
    token = "a" * 32
    return part.id, f"{settings.SESSION_COOKIE_NAME}={client.cookies['sessionid'].value}; csrftoken={token}"


def _drag(port: int, part: int, cookie: str, points_at: Callable[[int], list[dict[str, Any]]]) -> float:
    """Return the median seconds of a preview, request to last byte, on one kept connection."""
    connection = http.client.HTTPConnection("127.0.0.1", port)
    headers = {"Cookie": cookie, "Content-Type": "application/json", "X-CSRFToken": "a" * 32}
    known: list[str] = []
    times = []
    for step in range(DRAGS):
        body = json.dumps({"line": "l1", "field": "points", "value": points_at(step), "known": known})
        start = time.perf_counter()
        connection.request("POST", f"/parts/{part}/preview.glb", body, headers)
        answer = connection.getresponse()
        data = answer.read()
        times.append(time.perf_counter() - start)
        assert answer.status == 200, data[:300]
        if not known:
            length = int.from_bytes(data[12:16], "little")
            known = [mesh["extras"]["topology"] for mesh in json.loads(data[20 : 20 + length]).get("meshes", [])]
    return statistics.median(times[5:])
