"""Start the application with its own database, and stop all of it on Ctrl-C."""

from __future__ import annotations

import argparse
import hashlib
import os
import secrets
import signal
import socket
import subprocess
import sys
import time
import urllib.request

from cluster import ROOT, RUNTIME, Cluster, ClusterError

HELP = """Start Glass Spoon on this machine with its demo data, at http://127.0.0.1:8000/.

It keeps its own PostgreSQL cluster and secrets under .runtime/. Ctrl-C stops all it started."""


SERVER_ENVIRONMENT = {
    "OPENBLAS_NUM_THREADS": "1",
    "OMP_NUM_THREADS": "1",
    "MALLOC_MMAP_THRESHOLD_": str(1 << 30),
    "MALLOC_TRIM_THRESHOLD_": str(1 << 31),
    "MALLOC_TOP_PAD_": str(1 << 26),
}
"""One thread a request in the linear algebra; freed arrays stay with the process, so that a drag meets no fresh pages."""


def options() -> argparse.Namespace:
    """Read the command line."""
    parser = argparse.ArgumentParser(prog="start", description=HELP, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--port", type=int, default=8000, help="port to serve on (8000)")
    parser.add_argument("--host", default="127.0.0.1", help="address to listen on (127.0.0.1)")
    parser.add_argument("--servers", type=int, default=1, help="server processes, each with 8 threads (1)")
    parser.add_argument("--workers", type=int, default=0, help="processes of their own for jobs (0: the servers do them)")
    parser.add_argument("--empty", action="store_true", help="do not load the demo into an empty database")
    parser.add_argument("--reset", action="store_true", help="delete all data first, after asking")
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
    os.environ.setdefault("ALLOWED_HOSTS", ",".join({"127.0.0.1", "localhost", host}))
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "glass_spoon.studio.settings")
    for name, value in SERVER_ENVIRONMENT.items():
        os.environ.setdefault(name, value)
    sys.path.insert(0, str(ROOT))


def prepare_data(empty: bool) -> None:
    """Migrate, gather static files when they changed, load the demo into an empty database."""
    import django
    from django.core.management import call_command

    django.setup()
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


def start_workers(count: int) -> list[subprocess.Popen[bytes]]:
    """Start processes that do jobs; without any the servers do them."""
    os.environ["JOBS"] = "elsewhere" if count else "here"
    command = [sys.executable, "manage.py", "procrastinate", "worker", "--concurrency", "1", "--delete-jobs", "successful"]
    return [subprocess.Popen(command, cwd=ROOT, start_new_session=True) for _ in range(count)]


def serve(host: str, port: int, servers: int) -> int:
    """Run gunicorn until it ends or a signal comes; return its code."""
    command = [sys.executable, "-m", "gunicorn", "glass_spoon.studio.wsgi", "--bind", f"{host}:{port}"]
    command += ["--workers", str(servers), "--threads", "8", "--timeout", "120", "--log-level", "warning"]
    server = subprocess.Popen(command, cwd=ROOT, start_new_session=True)
    for name in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        signal.signal(name, lambda *_: server.terminate())
    if _wait_for(host, port, server):
        print(
            f"\n  Glass Spoon is at http://{host}:{port}/\n  Demo sign-in: demo, password kettle-demo\n  Ctrl-C stops it.\n",
            flush=True,
        )
    return server.wait()


def _wait_for(host: str, port: int, server: subprocess.Popen[bytes]) -> bool:
    """Wait until the server answers."""
    address = "127.0.0.1" if host == "0.0.0.0" else host
    while server.poll() is None:
        try:
            with urllib.request.urlopen(f"http://{address}:{port}/health/", timeout=2) as answer:
                return bool(answer.status == 200)
        except OSError:
            time.sleep(0.1)
    return False


def main() -> int:
    """Start everything; stop everything."""
    chosen = options()
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
    workers: list[subprocess.Popen[bytes]] = []
    if chosen.reset:
        if not chosen.yes and input("Delete all projects, parts and accounts of this copy? Type yes: ") != "yes":
            return 1
        cluster.remove()
    try:
        cluster.start()
        cluster.make_database()
        prepare_environment(cluster, chosen.host)
        prepare_data(chosen.empty)
        workers = start_workers(chosen.workers)
        return serve(chosen.host, chosen.port, chosen.servers)
    except ClusterError as error:
        print(error, file=sys.stderr)
        return 2
    except KeyboardInterrupt:
        return 0
    finally:
        for worker in workers:
            worker.terminate()
        for worker in workers:
            worker.wait()
        cluster.stop()


if __name__ == "__main__":
    sys.exit(main())
