"""Server processes that share a port: each part is served by one of them, whichever a connection came to."""

from __future__ import annotations

import http.client
import json
import os
import socket
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

from glass_spoon.studio.seats import FOLDER, SEAT, SEATS, part_in

APP = """
import json, os
def application(environ, start_response):
    body = environ["wsgi.input"].read()
    answer = json.dumps({"seat": os.environ["SERVER_SEAT"], "path": environ["PATH_INFO"], "body": body.decode()}).encode()
    start_response("200 OK", [("Content-Type", "application/json"), ("Content-Length", str(len(answer)))])
    return [answer]
"""


@pytest.fixture
def served(tmp_path) -> Iterator[tuple[int, list[subprocess.Popen]]]:
    """Two server processes of a small application that tells which of them answers."""
    (tmp_path / "small_app.py").write_text(APP)
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    command = [sys.executable, "-m", "gunicorn", "small_app:application", "--bind", f"127.0.0.1:{port}", "--reuse-port"]
    command += ["--worker-class", "glass_spoon.studio.seats.SeatWorker", "--threads", "4", "--log-level", "warning"]
    root = Path(__file__).resolve().parents[2]
    with tempfile.TemporaryDirectory() as folder:  # the path of a socket must be short
        shared = os.environ | {SEATS: "2", FOLDER: folder, "PYTHONPATH": f"{tmp_path}{os.pathsep}{root}"}
        both = [subprocess.Popen(command, env=shared | {SEAT: str(seat)}, cwd=tmp_path) for seat in range(2)]
        try:
            until = time.monotonic() + 60
            while len(list(Path(folder).iterdir())) < 2 and time.monotonic() < until:
                time.sleep(0.1)
            yield port, both
        finally:
            for one in both:
                one.terminate()
            for one in both:
                one.wait(30)


def asked(connection: http.client.HTTPConnection, path: str, body: str | None = None) -> dict[str, str]:
    """Return what is answered to a request."""
    connection.request("POST" if body else "GET", path, body)
    return json.loads(connection.getresponse().read())


def test_the_first_line_of_a_request_names_its_part():
    """A part is found in the path alone, and only as a whole number."""
    assert part_in(b"GET /parts/41/view.glb?level=0 HTTP/1.1\r\nHost: x") == 41
    assert part_in(b"POST /parts/7/edit/ HTTP/1.1") == 7
    for start in (
        b"",
        b"GET / HTTP/1.1",
        b"GET /projects/3/ HTTP/1.1",
        b"GET /x/parts/3/ HTTP/1.1",
        b"GET /parts/\xc2\xb2/ ",
    ):
        assert part_in(start) is None


def test_each_part_is_served_in_its_seat_whichever_process_a_connection_came_to(served):
    """Twenty connections, dealt out by chance, find the parts where they belong, with their bodies whole."""
    port, _ = served
    for number in range(20):
        connection = http.client.HTTPConnection("127.0.0.1", port, timeout=60)
        answer = asked(connection, f"/parts/{number}/edit/", f"value={number}" * 5000)
        assert answer == {"seat": str(number % 2), "path": f"/parts/{number}/edit/", "body": f"value={number}" * 5000}
        connection.close()


def test_a_connection_that_is_kept_moves_with_the_part_it_asks_for(served):
    """One connection asks for many parts in turn, and for pages of none."""
    port, _ = served
    connection = http.client.HTTPConnection("127.0.0.1", port, timeout=60)
    seats = [asked(connection, f"/parts/{number}/")["seat"] for number in (1, 2, 2, 5, 8, 1)]
    assert seats == ["1", "0", "0", "1", "0", "1"]
    assert asked(connection, "/projects/")["path"] == "/projects/"


def test_where_the_other_process_is_gone_a_request_is_served_where_it_came_in(served):
    """The end of one process takes no part away."""
    port, both = served
    workers = os.popen(f"pgrep -P {both[1].pid}").read().split()  # asked before: afterwards nobody is their master
    both[1].kill()
    both[1].wait(30)
    for worker in workers:
        os.kill(int(worker), 9)
    until, seats = time.monotonic() + 60, set()
    while time.monotonic() < until and not seats:
        try:
            seats = {
                asked(http.client.HTTPConnection("127.0.0.1", port, timeout=60), f"/parts/{k}/")["seat"] for k in range(6)
            }
        except OSError:  # the killed master's worker ends when it notices
            time.sleep(0.3)
    assert seats == {"0"}
