"""Where an evaluation gets what a sheet refers to but does not hold: files by the hash of their content, and their meshes.

Whoever keeps files hands his sources to `evaluate`; a sheet stays pure, as a hash names one content for ever.
"""

from __future__ import annotations

from typing import Protocol

from glass_spoon.formats.mesh_file import read_mesh_file
from glass_spoon.formats.read_mesh import MOST_BYTES, Progress, ReadMesh, UnreadableMesh
from glass_spoon.kernel.errors import KernelError
from glass_spoon.sheet.stored_files import inside_file, stored_parts

GONE = "The file of this line is not kept here. Choose it again."


class Sources(Protocol):
    """What keeps files."""

    def file(self, digest: str) -> bytes | None:
        """Return the content that a hash names, None where it is not kept."""

    def mesh(self, digest: str, ending: str, progress: Progress) -> ReadMesh | None:
        """Return the mesh of a stored file, read before or elsewhere; None where it is to be read on the spot."""


class NothingKept:
    """Sources of sheets that hold all their files."""

    def file(self, digest: str) -> bytes | None:
        """Keep nothing."""
        return None

    def mesh(self, digest: str, ending: str, progress: Progress) -> ReadMesh | None:
        """Have read nothing."""
        return None


NOTHING_KEPT = NothingKept()


def read_file(text: str, most: int, sources: Sources = NOTHING_KEPT) -> tuple[bytes, str]:
    """Return the bytes and the ending of a file that a sheet holds or refers to.

    Raises KernelError with a sentence where it is not there, broken, or (inside the sheet) has more than `most` bytes.
    """
    parts = stored_parts(text)
    if parts is None:
        return inside_file(text, most)
    found = sources.file(parts[0])
    if found is None:
        raise KernelError(GONE)
    return found, parts[1]


def read_kept_mesh(text: str, sources: Sources, progress: Progress) -> ReadMesh:
    """Return the mesh of the file that a sheet holds or refers to; raises KernelError with a sentence."""
    parts = stored_parts(text)
    try:
        found = None if parts is None else sources.mesh(*parts, progress)
        return found if found is not None else read_mesh_file(*read_file(text, MOST_BYTES, sources), progress)
    except UnreadableMesh as error:
        raise KernelError(str(error)) from error
