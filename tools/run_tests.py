"""Run pytest against a PostgreSQL cluster made for the tests, and stop it afterwards.

All tests run in three processes beside each other, each with a database of its own: those that drive the browser, whose time
goes into drawing by software, those of the studio, which wait for other processes, with those of the kernel, and all others.
"""

from __future__ import annotations

import os
import subprocess
import sys
import time
from pathlib import Path

from cluster import ROOT, RUNTIME, Cluster, ClusterError

EVERYTHING = "tests"
BESIDE = (
    ("the browser", ("tests/browser",)),
    ("the studio and the kernel", ("tests/studio", "tests/kernel")),
    ("all others", ("tests", "--ignore=tests/browser", "--ignore=tests/studio", "--ignore=tests/kernel")),
)
"""What runs beside each other when all tests are asked for."""


def main() -> int:
    """Start the cluster, run pytest with the words given, stop the cluster."""
    cluster = Cluster("test-cluster", durable=False)
    try:
        ahead = subprocess.Popen([sys.executable, "-m", "glass_spoon.kernel.compile_ahead"], cwd=ROOT)
        cluster.start()
        cluster.make_database()
        ahead.wait()
    except ClusterError as error:
        print(error, file=sys.stderr)
        return 2
    words = sys.argv[1:]
    try:
        if words[:1] == [EVERYTHING]:
            return run_beside(cluster, words[1:])
        return run(cluster, words).wait()
    finally:
        cluster.stop()


def run(cluster: Cluster, words: list[str], name: str = "", output: Path | None = None) -> subprocess.Popen[bytes]:
    """Start pytest with words; `name` tells its database and static files from those of others, `output` takes its text."""
    environment = os.environ | {
        "DATABASE_URL": cluster.url + name,
        "SECRET_KEY": "only-for-tests",
        "STATIC_ROOT": str(RUNTIME / f"test-static{name}"),
        "JOBS": "now",
        "OPENBLAS_NUM_THREADS": "1",
        "DJANGO_ALLOW_ASYNC_UNSAFE": "1",
    }
    command = [sys.executable, "-m", "pytest", *words]
    if output is None:
        return subprocess.Popen(command, cwd=ROOT, env=environment)
    with output.open("wb") as text:
        return subprocess.Popen(command, cwd=ROOT, env=environment, stdout=text, stderr=subprocess.STDOUT)


def run_beside(cluster: Cluster, words: list[str]) -> int:
    """Run all tests in processes beside each other and print what each wrote when it ends; the worst code is returned."""
    started = time.monotonic()
    running = {}
    for number, (title, chosen) in enumerate(BESIDE):
        output = RUNTIME / f"tests-{number}.txt"
        running[run(cluster, [*chosen, *words], f"_{number}", output)] = (title, output)
    worst = 0
    try:
        while running:
            for process in [process for process in running if process.poll() is not None]:
                title, output = running.pop(process)
                worst = max(worst, abs(process.returncode))
                print(f"\n== {title}, {time.monotonic() - started:.0f} s ==", flush=True)
                print(output.read_text(errors="replace"), flush=True)
            time.sleep(0.2)
    finally:
        for process in running:
            process.terminate()
    return worst


if __name__ == "__main__":
    sys.exit(main())
