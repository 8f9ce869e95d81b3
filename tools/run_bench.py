"""Run the benchmarks with a PostgreSQL cluster of their own, one thread each."""

from __future__ import annotations

import os
import subprocess
import sys

from cluster import ROOT, RUNTIME, Cluster
from server_process import SERVER_ENVIRONMENT


def main() -> int:
    """Start the cluster, run, stop it."""
    cluster = Cluster("test-cluster", durable=False)
    cluster.start()
    cluster.make_database()
    environment = os.environ | {
        "DATABASE_URL": cluster.url,
        "SECRET_KEY": "only-for-benchmarks",
        "STATIC_ROOT": str(RUNTIME / "test-static"),
        "PYTHONPATH": os.pathsep.join((str(ROOT), str(ROOT / "tools"))),
        "RESULTS_MB": "0",  # what is measured is made, not found
        **SERVER_ENVIRONMENT,
    }
    try:
        return subprocess.run([sys.executable, "-m", "bench.main", *sys.argv[1:]], cwd=ROOT, env=environment).returncode
    finally:
        cluster.stop()


if __name__ == "__main__":
    sys.exit(main())
