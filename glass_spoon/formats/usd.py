"""OpenUSD out: the cage with its subdivision scheme and its creases, so that a renderer smooths it itself.

The work is done by usd-core through `usd_stage`, apart: it is heavy to load, and a fault in it ends no server.
"""

from __future__ import annotations

from glass_spoon.formats.apart import MEGABYTE, ApartError, Task, Unusable, do_apart
from glass_spoon.formats.gltf import NamedMesh

MEDIA_TYPE = "model/vnd.usd"
_WRITE = Task("glass_spoon.formats.usd_stage", "write", seconds=300.0, memory=6000 * MEGABYTE)


class UnwritableUsd(Unusable):
    """Meshes that could not be written; the text is a sentence."""


def write_usd(meshes: list[NamedMesh]) -> bytes:
    """Return a binary OpenUSD file of meshes in millimetres, Z up: quads kept, scheme catmullClark, creases, uv, groups.

    Raises UnwritableUsd where the writer fails or takes more time or memory than it may.
    """
    try:
        written: bytes = do_apart(_WRITE, (meshes,))
    except ApartError as error:
        raise UnwritableUsd("The OpenUSD file could not be written: its writer failed. Choose a lower level.") from error
    return written
