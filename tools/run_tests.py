"""Run pytest against a PostgreSQL cluster made for the tests, and stop it afterwards."""

from __future__ import annotations

import os
import subprocess
import sys

from cluster import ROOT, RUNTIME, Cluster, ClusterError


def main() -> int:
    """Start the cluster, run pytest with the words given, stop the cluster."""
    cluster = Cluster("test-cluster", durable=False)
    try:
        cluster.start()
        cluster.make_database()
    except ClusterError as error:
        print(error, file=sys.stderr)
        return 2
    environment = os.environ | {
        "DATABASE_URL": cluster.url,
        "SECRET_KEY": "only-for-tests",
        "STATIC_ROOT": str(RUNTIME / "test-static"),
        "JOBS": "now",
        "OPENBLAS_NUM_THREADS": "1",
        "DJANGO_ALLOW_ASYNC_UNSAFE": "1",
    }
    try:
        return subprocess.run([sys.executable, "-m", "pytest", *sys.argv[1:]], cwd=ROOT, env=environment).returncode
    finally:
        cluster.stop()


if __name__ == "__main__":
    sys.exit(main())
