"""One drag of a profile point on a 50,000-quad part: request to last byte at the server, beside the bare kernel."""

from __future__ import annotations

import http.client
import json
import os
import socket
import statistics
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import numpy as np

from glass_spoon.kernel.curves.interpolate import interpolate_points
from glass_spoon.kernel.gauges.read_gauges import read_quick_gauges
from glass_spoon.kernel.gauges.reading import Limits
from glass_spoon.kernel.meshes.mesh_surface import mesh_surface
from glass_spoon.kernel.surfaces.revolve import revolve_curve

ROUND, ALONG = 250, 200
POINTS = [[52, 0, 0], [74, 0, 0], [82, 0, 30], [78, 0, 64], [62, 0, 104], [46, 0, 146], [53, 0, 158]]
DRAGS = 60


def moved(step: int) -> list[list[float]]:
    points = [list(map(float, point)) for point in POINTS]
    points[3][0] += 0.05 * (step + 1)
    return points


def kernel(step: int) -> int:
    """Do what a preview needs of the kernel: curve, surface, mesh, quick gauges."""
    curve = interpolate_points(moved(step))
    surface = revolve_curve(curve, np.zeros(3), [0, 0, 1], 2 * np.pi)
    mesh = mesh_surface(surface, ROUND, ALONG)
    read_quick_gauges(mesh, surface, Limits())
    return mesh.face_count


def sheet() -> dict[str, Any]:
    points = [{"x": point[0], "y": point[2]} for point in POINTS]
    return {
        "format": "glass-spoon/sheet",
        "version": 1,
        "name": "Bench",
        "lines": [
            {"id": "l1", "verb": "draw", "gives": "profile", "points": points},
            {"id": "l2", "verb": "revolve", "profile": "l1", "gives": "body"},
            {"id": "l3", "verb": "mesh", "surface": "l2", "round": ROUND, "along": ALONG, "gives": "mesh"},
        ],
    }


def run() -> dict[str, float]:
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "glass_spoon.studio.settings")
    import django

    django.setup()
    from django.test.utils import setup_databases, teardown_databases

    databases = setup_databases(verbosity=0, interactive=False)
    try:
        part, cookie = _make_part()
        with _server() as port:
            served = _drag(port, part, cookie)
    finally:
        from django.db import connections

        connections.close_all()
        teardown_databases(databases, verbosity=0)
    faces, times = kernel(0), []
    for step in range(DRAGS):
        start = time.perf_counter()
        kernel(step)
        times.append(time.perf_counter() - start)
    bare = statistics.median(times)
    return {
        "faces": faces,
        "request_ms": served * 1000,
        "bare_kernel_ms": bare * 1000,
        "request_over_kernel": served / bare,
    }


@contextmanager
def _server() -> Iterator[int]:
    """Run gunicorn in a process of its own, as ./start does, on the test database."""
    from django.db import connection

    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    url = os.environ["DATABASE_URL"].rsplit("/", 1)[0] + "/" + connection.settings_dict["NAME"]
    command = [sys.executable, "-m", "gunicorn", "glass_spoon.studio.wsgi", "--bind", f"127.0.0.1:{port}", "--threads", "8"]
    server = subprocess.Popen([*command, "--log-level", "warning"], env=os.environ | {"DATABASE_URL": url})
    try:
        for _ in range(200):
            with socket.socket() as probe:
                if probe.connect_ex(("127.0.0.1", port)) == 0:
                    break
            time.sleep(0.05)
        yield port
    finally:
        server.terminate()
        server.wait()


def _make_part() -> tuple[int, str]:
    from django.conf import settings
    from django.contrib.auth import get_user_model
    from django.test import Client

    from glass_spoon.studio.models import Membership, Part, Project, Role

    user = get_user_model().objects.create_user("bench")
    project = Project.objects.create(name="Bench")
    Membership.objects.create(project=project, user=user, role=Role.OWNER)
    part = Part.objects.create(project=project, name="Bench", document=sheet(), changed_by=user)
    client = Client()
    client.force_login(user)
    token = "a" * 32
    return part.id, f"{settings.SESSION_COOKIE_NAME}={client.cookies['sessionid'].value}; csrftoken={token}"


def _drag(port: int, part: int, cookie: str) -> float:
    """Return the median seconds of a preview, request to last byte, on one kept connection."""
    connection = http.client.HTTPConnection("127.0.0.1", port)
    headers = {"Cookie": cookie, "Content-Type": "application/json", "X-CSRFToken": "a" * 32}
    known: list[str] = []
    times = []
    for step in range(DRAGS):
        points = [{"x": point[0], "y": point[2]} for point in moved(step)]
        body = json.dumps({"line": "l1", "field": "points", "value": points, "known": known})
        start = time.perf_counter()
        connection.request("POST", f"/parts/{part}/preview.glb", body, headers)
        answer = connection.getresponse()
        data = answer.read()
        times.append(time.perf_counter() - start)
        assert answer.status == 200, data[:300]
        if not known:
            length = int.from_bytes(data[12:16], "little")
            known = [json.loads(data[20 : 20 + length])["meshes"][0]["extras"]["topology"]]
    return statistics.median(times[5:])
