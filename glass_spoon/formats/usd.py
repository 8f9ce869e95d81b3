"""OpenUSD out: the cage with its subdivision scheme and its creases, so that a renderer smooths it itself.

The work is done by usd-core through `usd_stage`, which is heavy to load: it is loaded by the first file that is written.
"""

from __future__ import annotations

import importlib
from threading import Lock

from glass_spoon.formats.gltf import NamedMesh

MEDIA_TYPE = "model/vnd.usd"
_lock = Lock()


def write_usd(meshes: list[NamedMesh]) -> bytes:
    """Return a binary OpenUSD file of meshes in millimetres, Z up: quads kept, scheme catmullClark, creases, uv, groups."""
    with _lock:
        written: bytes = importlib.import_module("glass_spoon.formats.usd_stage").write(meshes)
    return written
