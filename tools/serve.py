"""Start the application with its own database, and stop all of it on Ctrl-C."""

from __future__ import annotations

import argparse
import fcntl
import hashlib
import os
import secrets
import signal
import socket
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Iterator, Mapping
from contextlib import contextmanager

from cluster import ROOT, RUNTIME, Cluster, ClusterError
from server_process import GUNICORN, SERVER_ENVIRONMENT, seat_environment
from warden import Warden

HELP = """Start Glass Spoon on this machine with its demo data, at http://127.0.0.1:8000/.

It keeps its own PostgreSQL cluster and secrets under .runtime/. Ctrl-C stops all it started."""


def options() -> argparse.Namespace:
    """Read the command line."""
    parser = argparse.ArgumentParser(prog="start", description=HELP, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--port", type=int, default=8000, help="port to serve on (8000)")
    parser.add_argument("--host", default="127.0.0.1", help="address to listen on (127.0.0.1)")
    parser.add_argument("--servers", type=int, default=1, help="server processes, one for each processor (1)")
    parser.add_argument("--workers", type=int, default=0, help="processes of their own for jobs (0: the servers do them)")
    parser.add_argument("--empty", action="store_true", help="do not load the demo into an empty database")
    parser.add_argument("--reset", action="store_true", help="delete all data first, after asking")
    parser.add_argument("--check", action="store_true", help="say what is missing on this machine, and start nothing")
    parser.add_argument("--yes", action="store_true", help="do not ask before --reset")
    return parser.parse_args()


def prepare_environment(cluster: Cluster, host: str) -> None:
    """Set what the settings read."""
    secret = RUNTIME / "secret-key"
    if not secret.exists():
        secret.touch(mode=0o600)
        secret.write_text(secrets.token_urlsafe(48))
    os.environ["DATABASE_URL"] = cluster.url
    os.environ.setdefault("SECRET_KEY", secret.read_text())
    os.environ.setdefault("STATIC_ROOT", str(RUNTIME / "static"))
    os.environ.setdefault("EMAIL_URL", f"file://{RUNTIME / 'mail'}")
    os.environ.setdefault("ALLOWED_HOSTS", ",".join({"127.0.0.1", "localhost", host}))
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "glass_spoon.studio.settings")
    for name, value in SERVER_ENVIRONMENT.items():
        os.environ.setdefault(name, value)
    sys.path.insert(0, str(ROOT))


def prepare_data(*, empty: bool) -> None:
    """Migrate, gather static files when they changed, load the demo into an empty database."""
    import django
    from django.core.management import call_command

    django.setup()
    subprocess.Popen([sys.executable, "-m", "glass_spoon.kernel.compile_ahead"], cwd=ROOT)
    call_command("migrate", verbosity=0, interactive=False)
    stamp, now = RUNTIME / "static-stamp", _static_state()
    if not stamp.exists() or stamp.read_text() != now:
        call_command("collectstatic", verbosity=0, interactive=False, clear=True)
        stamp.write_text(now)
    if not empty:
        call_command("load_demo")


def _static_state() -> str:
    """Return a digest of the names, sizes and times of all static files."""
    digest = hashlib.sha256()
    for folder in (ROOT / "glass_spoon" / "studio" / "static", ROOT / "vendor"):
        for path in sorted(folder.rglob("*")):
            facts = path.stat()
            digest.update(f"{path}:{facts.st_size}:{facts.st_mtime_ns}".encode())
    return digest.hexdigest()


def start_workers(count: int, warden: Warden) -> list[subprocess.Popen[bytes]]:
    """Start processes that do jobs; without any the servers do them."""
    os.environ["JOBS"] = "elsewhere" if count else "here"
    return [_started([sys.executable, "manage.py", "work"], warden) for _ in range(count)]


def start_servers(host: str, port: int, count: int, folder: str, warden: Warden) -> list[subprocess.Popen[bytes]]:
    """Start server processes that share a port; each part has its seat in one of them (glass_spoon/studio/seats.py).

    One master with several workers would be the other way: its workers share one socket, and the one that is busiest wakes
    first and takes nearly all connections (measured: 105 % against 11 % of a processor).
    """
    command = [sys.executable, "-m", "gunicorn", *GUNICORN, "--bind", f"{host}:{port}"]
    return [_started(command, warden, seat_environment(number, count, folder)) for number in range(count)]


def _started(command: list[str], warden: Warden, extra: Mapping[str, str] | None = None) -> subprocess.Popen[bytes]:
    """Start a process in a group of its own, and have it ended with the launcher."""
    process = subprocess.Popen(command, cwd=ROOT, start_new_session=True, env={**os.environ, **(extra or {})})
    warden.tell("process", str(process.pid))
    return process


def watch(servers: list[subprocess.Popen[bytes]], workers: list[subprocess.Popen[bytes]], host: str, port: int) -> int:
    """Run until a signal comes or a server ends; return its code. A worker that ends is started again by the next start."""
    ended: list[int] = []
    for name in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        signal.signal(name, lambda *_: ended.append(0))
    if _wait_for(host, port, servers[0], ended):
        tell_address(host, port)
    while not ended:
        codes = [server.poll() for server in servers]
        if any(code is not None for code in codes):
            ended.append(next(code for code in codes if code is not None))
        time.sleep(0.2)
    for process in (*servers, *workers):
        process.terminate()
    for process in (*servers, *workers):
        try:
            process.wait(15)
        except subprocess.TimeoutExpired:
            process.kill()
    return ended[0]


def tell_address(host: str, port: int) -> None:
    """Say where it is, and write it down for a second start."""
    print(
        f"\n  Glass Spoon is at http://{host}:{port}/\n  Demo sign-in: demo, password kettle-demo\n  Ctrl-C stops it.\n",
        flush=True,
    )
    (RUNTIME / "running").write_text(f"{os.getpid()} http://{host}:{port}/")


def _wait_for(host: str, port: int, server: subprocess.Popen[bytes], ended: list[int]) -> bool:
    """Wait until the server answers."""
    address = "127.0.0.1" if host == "0.0.0.0" else host
    while server.poll() is None and not ended:
        try:
            with urllib.request.urlopen(f"http://{address}:{port}/health/", timeout=2) as answer:
                return bool(answer.status == 200)
        except OSError:
            time.sleep(0.1)
    return False


@contextmanager
def only_one() -> Iterator[bool]:
    """Hold the lock of this copy's runtime folder; gives False where another start holds it and is serving."""
    RUNTIME.mkdir(parents=True, exist_ok=True)
    with (RUNTIME / "start.lock").open("w") as lock:
        while True:
            try:
                fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except OSError:
                if (RUNTIME / "running").exists():
                    yield False
                    return
                time.sleep(0.3)  # the other one is still getting ready: wait for it
                continue
            break
        (RUNTIME / "running").unlink(missing_ok=True)
        try:
            yield True
        finally:
            (RUNTIME / "running").unlink(missing_ok=True)


def main() -> int:
    """Start everything, unless it runs already; stop everything."""
    chosen = options()
    with only_one() as alone:
        if not alone:
            number, _, address = (RUNTIME / "running").read_text().partition(" ")
            print(
                f"Glass Spoon runs already, at {address} (process {number}). Use that one, or stop it first. "
                "A second copy needs a folder of its own: SPOON_RUNTIME=/some/folder ./start --port 8001",
                file=sys.stderr,
            )
            return 3
        return run(chosen)


def run(chosen: argparse.Namespace) -> int:
    """Start everything; stop everything."""
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((chosen.host, chosen.port))
        except OSError as error:
            print(
                f"Port {chosen.port} cannot be used ({error.strerror}). Choose another: ./start --port 8001", file=sys.stderr
            )
            return 2
    cluster = Cluster("cluster")
    if chosen.reset:
        if not chosen.yes and input("Delete all projects, parts and accounts of this copy? Type yes: ") != "yes":
            return 1
        cluster.remove()
    warden = Warden(RUNTIME / "warden.lock")
    try:
        cluster.start()
        cluster.started_here = True  # whoever left it running is gone: the lock was free
        warden.tell("stop", *cluster.stop_command())
        cluster.make_database()
        prepare_environment(cluster, chosen.host)
        prepare_data(empty=chosen.empty)
        workers = start_workers(chosen.workers, warden)
        with tempfile.TemporaryDirectory(prefix="glass-spoon-") as folder:
            servers = start_servers(chosen.host, chosen.port, chosen.servers, folder, warden)
            return watch(servers, workers, chosen.host, chosen.port)
    except ClusterError as error:
        print(error, file=sys.stderr)
        return 2
    except KeyboardInterrupt:
        return 0
    finally:
        cluster.stop()
        warden.dismiss()


if __name__ == "__main__":
    sys.exit(main())
