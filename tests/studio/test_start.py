"""A copy started as people start it: a second start, a restarted database, a killed server, a killed launcher."""

from __future__ import annotations

import http.cookiejar
import json
import os
import re
import signal
import socket
import subprocess
import sys
import time
import urllib.error
import urllib.parse
import urllib.request
from collections.abc import Callable
from pathlib import Path

import pytest

ROOT = Path(__file__).resolve().parents[2]
PATIENCE = 120.0
"""Seconds that a start, or a recovery, may take on a machine that does much else."""

pytestmark = pytest.mark.timeout(400)


class Copy:
    """A copy of the application with a folder and a port of its own, and a browser that is signed in."""

    def __init__(self, folder: Path) -> None:
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self.port = probe.getsockname()[1]
        self.environment = {**os.environ, "SPOON_RUNTIME": str(folder), "JOBS": "", "DATABASE_URL": "", "STATIC_ROOT": ""}
        for name in ("JOBS", "DATABASE_URL", "STATIC_ROOT", "SECRET_KEY", "DJANGO_ALLOW_ASYNC_UNSAFE"):
            self.environment.pop(name, None)
        self.process = self.launch()
        jar = urllib.request.HTTPCookieProcessor(http.cookiejar.CookieJar())
        self.browser = urllib.request.build_opener(jar)
        self.until(lambda: self.health().get("ok") is True)

    def launch(self) -> subprocess.Popen[str]:
        """Run the launcher."""
        command = [sys.executable, str(ROOT / "tools" / "serve.py"), "--port", str(self.port)]
        return subprocess.Popen(command, cwd=ROOT, env=self.environment, stderr=subprocess.PIPE, text=True)

    def until(self, is_so: Callable[[], bool]) -> None:
        """Wait until something holds."""
        end = time.monotonic() + PATIENCE
        while not is_so():
            assert time.monotonic() < end, "It took too long."
            time.sleep(0.2)

    def ask(self, path: str, form: dict[str, str] | None = None, **headers: str) -> tuple[int, str]:
        """Return status and text of an answer; 0 where nobody answers."""
        data = None if form is None else urllib.parse.urlencode(form).encode()
        request = urllib.request.Request(f"http://127.0.0.1:{self.port}{path}", data, headers)
        try:
            with self.browser.open(request, timeout=60) as answer:
                return answer.status, answer.read().decode("utf-8", "replace")
        except urllib.error.HTTPError as error:
            return error.code, error.read().decode("utf-8", "replace")
        except OSError:
            return 0, ""

    def health(self) -> dict:
        """Return what the health page says."""
        text = self.ask("/health/")[1]
        return json.loads(text) if text.startswith("{") else {}

    def sign_in(self) -> None:
        """Sign in as the demo user."""
        token = re.search(r'name="csrfmiddlewaretoken" value="([^"]+)"', self.ask("/sign-in/")[1])[1]
        form = {"username": "demo", "password": "kettle-demo", "csrfmiddlewaretoken": token}
        assert "Boathouse kit" in self.ask("/sign-in/", form)[1]

    def send_out(self) -> str:
        """Ask for a file of the first part, and return how that ended."""
        part = re.search(r"/parts/(\d+)/", self.ask("/projects/")[1])[1]
        text = self.ask(f"/parts/{part}/send-out/")[1]
        token = re.search(r'X-CSRFToken": "([^"]+)"', self.ask(f"/parts/{part}/")[1])[1]
        form = {"format_mesh": "ply", "level": "0", "what": "mesh:"}
        headers = {"X-CSRFToken": token, "HX-Request": "true"}
        text = self.ask(f"/parts/{part}/send-out/", form, **headers)[1]
        end = time.monotonic() + PATIENCE
        while (more := re.search(r'hx-get="([^"]+)"', text)) and time.monotonic() < end:
            time.sleep(0.3)
            text = self.ask(more[1], **headers)[1]
        return text


@pytest.fixture(scope="module")
def copy(tmp_path_factory) -> Copy:
    """A copy that runs."""
    folder = tmp_path_factory.mktemp("copy") / "runtime"
    copy = Copy(folder)
    copy.sign_in()
    yield copy
    copy.process.terminate()
    copy.process.wait(60)
    assert copy.ask("/health/")[0] == 0


def processes(*words: str) -> list[int]:
    """Return the processes whose command has all the words."""
    found = []
    for entry in Path("/proc").iterdir():
        if entry.name.isdigit():
            try:
                command = (entry / "cmdline").read_bytes().replace(b"\0", b" ").decode("utf-8", "replace")
            except OSError:
                continue
            if all(word in command for word in words):
                found.append(int(entry.name))
    return found


def test_a_second_start_says_so_and_stops_nothing(copy: Copy) -> None:
    """It names the address of the first, which serves on."""
    second = copy.launch()
    assert second.wait(PATIENCE) == 3
    assert second.stderr is not None
    assert f"runs already, at http://127.0.0.1:{copy.port}/" in second.stderr.read()
    assert copy.ask("/projects/")[0] == 200


def test_after_the_database_restarted_pages_and_jobs_go_on(copy: Copy) -> None:
    """Nobody restarts the application; meanwhile pages say that they try again."""
    sys.path.insert(0, str(ROOT / "tools"))
    assert "is written" in copy.send_out()
    code = "from cluster import Cluster; Cluster('cluster').restart()"
    subprocess.run([sys.executable, "-c", code], cwd=ROOT / "tools", env=copy.environment, check=True)
    copy.until(lambda: copy.ask("/projects/")[0] == 200)
    assert "is written" in copy.send_out()


def test_while_the_database_is_away_pages_say_so_and_try_again(copy: Copy) -> None:
    """503, not a fault; and all is well when it is back."""
    code = "from cluster import Cluster; c = Cluster('cluster'); c.started_here = True; c.{}()"
    subprocess.run([sys.executable, "-c", code.format("stop")], cwd=ROOT / "tools", env=copy.environment, check=True)
    status, text = copy.ask("/projects/")
    assert status == 503
    assert "tried again by itself" in text
    assert 'http-equiv="refresh"' in text
    assert copy.ask("/health/")[0] == 503
    port = (Path(copy.environment["SPOON_RUNTIME"]) / "cluster" / "port").read_text()
    again = (
        "from cluster import Cluster, _run; c = Cluster('cluster');"
        f"o = '-p {port} -c listen_addresses=127.0.0.1 -c unix_socket_directories=\\'\\' -c max_connections=60';"
        "_run([str(__import__('cluster').binaries() / 'pg_ctl'), '-D', str(c.data), '-l', str(c.data.parent / 'server.log'),"
        " '-w', '-o', o, 'start'])"
    )
    subprocess.run([sys.executable, "-c", again], cwd=ROOT / "tools", env=copy.environment, check=True)
    copy.until(lambda: copy.ask("/projects/")[0] == 200)


def test_a_server_that_is_killed_is_replaced(copy: Copy) -> None:
    """And what was saved is there."""
    servers = processes("gunicorn", f"127.0.0.1:{copy.port}")
    os.kill(max(servers), signal.SIGKILL)
    copy.until(lambda: copy.ask("/projects/")[0] == 200)


def test_killing_the_launcher_stops_what_it_started(tmp_path_factory) -> None:
    """Servers and database end with it; the next start finds everything."""
    folder = tmp_path_factory.mktemp("killed") / "runtime"
    copy = Copy(folder)
    copy.process.kill()
    copy.process.wait()
    copy.until(lambda: not processes("gunicorn", f"127.0.0.1:{copy.port}"))
    copy.until(lambda: not processes("postgres", str(folder)) and copy.ask("/health/")[0] == 0)
    copy.process = copy.launch()
    copy.until(lambda: copy.health().get("ok") is True)
    copy.sign_in()
    copy.process.terminate()
    copy.process.wait(60)
