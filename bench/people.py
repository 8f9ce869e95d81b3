"""Fifty people, each on a small demo part of their own, one edit and its model every two seconds; and what one edit costs.

    cost     processor seconds of an edit and the model that follows, median, in one process
    people   edits answered a second, and the 95th percentile of edit and model together, with two server processes

Every edit gives a size or a number a value that it never had, so that nothing comes from a cache but what did not change.
"""

from __future__ import annotations

import http.client
import json
import os
import random
import statistics
import threading
import time
from pathlib import Path
from typing import Any
from urllib.parse import urlencode

from bench.served_preview import server

DEMO = Path(__file__).resolve().parent.parent / "glass_spoon" / "studio" / "demo"
EDITS: dict[str, tuple[str, str, float]] = {
    "camp-kettle": ("s1", "value", 164.0),
    "lantern": ("s1", "value", 120.0),
    "ventilator": ("s1", "value", 4.0),
}
"""The line, the field and the middle value in mm of the edits of each part."""

SMALL = ("camp-kettle", "mooring-buoy")
PEOPLE, PAUSE = 50, 2.0
WARM, SECONDS = 15.0, 40.0
"""Seconds before counting begins, in which every part is built for the first time, and until the end."""

ROUNDS = 15


def run() -> dict[str, float]:
    """Measure both on the test database."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "glass_spoon.studio.settings")
    import django

    django.setup()
    from django.core.management import call_command
    from django.test.utils import setup_databases, teardown_databases

    call_command("collectstatic", verbosity=0, interactive=False)
    databases = setup_databases(verbosity=0, interactive=False)
    try:
        return {**_costs(), **_people()}
    finally:
        from django.db import connections

        connections.close_all()
        teardown_databases(databases, verbosity=0)


def _part(name: str, owner: str) -> tuple[Any, Any]:
    """Return a new account and its part."""
    from django.contrib.auth import get_user_model

    from glass_spoon.sheet.document import read_document
    from glass_spoon.studio.flows.change_part import first_part
    from glass_spoon.studio.models import Membership, Project, Role

    user = get_user_model().objects.create_user(owner)
    project = Project.objects.create(name=owner)
    Membership.objects.create(project=project, user=user, role=Role.OWNER)
    document = read_document((DEMO / f"{name}.json").read_bytes())
    return user, first_part(user, project.pk, document, "made")


def _field(name: str) -> tuple[str, str, float]:
    """Return the line, the field and the middle value of a part's edits: its first size."""
    if name in EDITS:
        return EDITS[name]
    lines = json.loads((DEMO / f"{name}.json").read_text())["lines"]
    size = next(line for line in lines if line["verb"] == "size")
    return size["id"], "value", float(str(size["value"]).split()[0])


def _costs() -> dict[str, float]:
    """Return the processor seconds of an edit and its model."""
    from django.test import Client

    from glass_spoon.studio.settle import settle

    settle()
    found = {}
    for name in EDITS:
        user, part = _part(name, f"cost {name}")
        client = Client(headers={"Host": "127.0.0.1"})
        client.force_login(user)
        line, field, middle = _field(name)
        times = []
        for step in range(ROUNDS):
            form = {"op": "set", "line": line, "field": field, "value": f"{middle + 0.01 * (step + 1):.2f} mm"}
            start = time.process_time()
            answer = client.post(
                f"/parts/{part.pk}/edit/", {**form, "revision": step + 1, "level": "0"}, headers={"HX-Request": "true"}
            )
            model = client.get(f"/parts/{part.pk}/view.glb", {"level": "0"})
            times.append(time.process_time() - start)
            assert (answer.status_code, model.status_code) == (200, 200), answer.content[:300]
        found[f"cost_{name.replace('-', '_')}"] = round(statistics.median(times[2:]), 4)
    return found


def _people() -> dict[str, float]:
    """Return what fifty people get of two server processes."""
    seats = [_seat(number) for number in range(PEOPLE)]
    took: list[float] = []
    errors: list[int] = []
    before = os.times()
    with server(workers=2) as port:
        started = time.monotonic()
        threads = [threading.Thread(target=_work, args=(port, seat, started, took, errors)) for seat in seats]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
    ordered, after = sorted(took), os.times()
    spent = sum(after[k] - before[k] for k in (2, 3))
    return {
        "people_edits_a_second": round(len(took) / (SECONDS - WARM), 2),
        "people_p95": round(ordered[int(0.95 * len(ordered))], 3),
        "people_median": round(statistics.median(took), 3),
        "people_processor_seconds": round(spent, 1),
        "people_errors": len(errors),
    }


def _seat(number: int) -> dict[str, Any]:
    """Return what one person has: a part, a cookie, and the field that they change."""
    from django.conf import settings
    from django.test import Client

    name = SMALL[number % len(SMALL)]
    user, part = _part(name, f"person {number}")
    client = Client()
    client.force_login(user)
    token = "a" * 32
    cookie = f"{settings.SESSION_COOKIE_NAME}={client.cookies[settings.SESSION_COOKIE_NAME].value}; csrftoken={token}"
    return {"number": number, "part": part.pk, "cookie": cookie, "field": _field(name)}


def _work(port: int, seat: dict[str, Any], started: float, took: list[float], errors: list[int]) -> None:
    """Edit and load the model again and again, as one person does."""
    rng = random.Random(seat["number"])
    headers = {"Cookie": seat["cookie"], "X-CSRFToken": "a" * 32, "HX-Request": "true"}
    headers["Content-Type"] = "application/x-www-form-urlencoded"
    connection = http.client.HTTPConnection("127.0.0.1", port, timeout=60)
    line, field, middle = seat["field"]
    due = started + PAUSE * rng.random()
    revision = 1
    while due < started + SECONDS:
        time.sleep(max(due - time.monotonic(), 0.0))
        value = f"{middle * (1 + 0.02 * rng.random()):.3f} mm"
        form = {"op": "set", "line": line, "field": field, "value": value, "revision": str(revision), "level": "0"}
        begun = time.monotonic()
        for method, path, body in (
            ("POST", f"/parts/{seat['part']}/edit/", urlencode(form)),
            ("GET", f"/parts/{seat['part']}/view.glb?level=0", None),
        ):
            status = _asked(connection, method, path, body, headers)
            if status != 200:
                errors.append(status)
        revision += 1
        if started + WARM < time.monotonic() < started + SECONDS:
            took.append(time.monotonic() - begun)
        due = max(due + PAUSE, time.monotonic())


def _asked(connection: http.client.HTTPConnection, method: str, path: str, body: str | None, headers: Any) -> int:
    """Return the status of an answer; a connection that the server closed while nothing was asked is opened again."""
    for _ in range(2):
        try:
            connection.request(method, path, body, headers)
            answer = connection.getresponse()
            answer.read()
            return answer.status
        except (http.client.RemoteDisconnected, BrokenPipeError, ConnectionResetError):
            connection.close()
    return 0
