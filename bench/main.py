"""Run the benchmarks named on the command line, or all; print one JSON document."""

from __future__ import annotations

import importlib
import json
import platform
import sys

ALL = (
    "surface_grid",
    "subdivision",
    "gltf_write",
    "drag",
    "drag_curve",
    "form",
    "mesh_work",
    "bodies",
    "detail",
    "patches",
    "trims",
    "rounds",
    "shape",
    "people",
)


def main() -> None:
    """Run and print."""
    chosen = sys.argv[1:] or list(ALL)
    result = {name: importlib.import_module(f"bench.{name}").run() for name in chosen}
    print(json.dumps({"python": platform.python_version(), "threads": 1, **result}, indent=1))


if __name__ == "__main__":
    main()
