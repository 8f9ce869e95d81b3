"""Say what a start needs and what of it is missing; installs and starts nothing. Runs on any Python 3, without packages."""

from __future__ import annotations

import os
import shutil
import socket
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
RUNTIME = Path(os.environ.get("SPOON_RUNTIME", ROOT / ".runtime"))
LEAST_DISK = 2_000_000_000


def found(name: str, *, good: bool, told: str, help_text: str) -> bool:
    """Print one line of the list."""
    print(f"  {'good   ' if good else 'MISSING'}  {name}: {told if good else help_text}")
    return good


def port_of(arguments: list[str]) -> int:
    """Return the port that would be served on."""
    for place, word in enumerate(arguments):
        if word == "--port" and place + 1 < len(arguments):
            return int(arguments[place + 1])
        if word.startswith("--port="):
            return int(word.partition("=")[2])
    return 8000


def port_is_free(port: int) -> bool:
    """Say whether a port can be listened on."""
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except OSError:
            return False
    return True


def packages_fit() -> bool:
    """Say whether the virtual environment has the locked packages."""
    python = ROOT / ".venv" / "bin" / "python"
    if not python.exists():
        return False
    code = "import django, psycopg, numpy, scipy, pydantic, gunicorn, procrastinate, axes, argon2, OCP, pxr"
    return subprocess.run([str(python), "-c", code], capture_output=True).returncode == 0


def main() -> int:
    """Print the list; return 0 where nothing is missing."""
    print("What ./start needs:")
    root = os.geteuid() == 0 or shutil.which("sudo") is not None
    python = shutil.which("python3.11") or (sys.executable if sys.version_info[:2] == (3, 11) else None)
    postgres = sorted(Path("/usr/lib/postgresql").glob("*/bin/postgres"))
    RUNTIME.mkdir(parents=True, exist_ok=True)
    free = shutil.disk_usage(RUNTIME).free
    port = port_of(sys.argv[1:])
    running = (RUNTIME / "running").read_text() if (RUNTIME / "running").exists() else ""
    results = [
        found(
            "Python 3.11",
            good=python is not None,
            told=str(python),
            help_text="install Debian 12's python3 with python3-venv",
        ),
        found(
            "PostgreSQL",
            good=bool(postgres),
            told=str(postgres[-1]) if postgres else "",
            help_text="./start installs Debian's postgresql",
        ),
        found("Python packages", good=packages_fit(), told="as locked", help_text="./start installs them into .venv"),
        found(
            "rights to install",
            good=root or bool(postgres),
            told="root, sudo, or nothing to install",
            help_text="run ./start as root or with sudo once",
        ),
        found(
            "disk",
            good=free > LEAST_DISK,
            told=f"{free / 1e9:.1f} GB free",
            help_text=f"only {free / 1e9:.1f} GB free; 2 are needed",
        ),
        found(
            "folder",
            good=os.access(RUNTIME, os.W_OK),
            told=str(RUNTIME.name),
            help_text=f"{RUNTIME.name} cannot be written to",
        ),
        found(
            f"port {port}",
            good=port_is_free(port) or bool(running),
            told=running or "free",
            help_text="in use; choose another with --port",
        ),
    ]
    return 0 if all(results) else 1


if __name__ == "__main__":
    sys.exit(main())
