"""Meshes of files that a sheet holds or refers to.

Reading a large file takes long, so whoever keeps stored files may say here how their meshes are got, as from a job that
reads them once for all; a file that nobody speaks for is read on the spot.
"""

from __future__ import annotations

from collections.abc import Callable

from glass_spoon.formats.mesh_file import read_mesh_file
from glass_spoon.formats.read_mesh import MOST_BYTES, Progress, ReadMesh, UnreadableMesh
from glass_spoon.kernel.errors import KernelError
from glass_spoon.sheet.stored_files import read_file, stored_parts

StoredReader = Callable[[str, str, Progress], ReadMesh | None]
"""Takes the hash and the ending of a stored file and who is told its progress; gives None for a file it does not know."""

_readers: list[StoredReader] = []


def add_reader(read: StoredReader) -> None:
    """Say how meshes of stored files are got; the last one said is asked first."""
    _readers.insert(0, read)


def read_kept_mesh(text: str, progress: Progress) -> ReadMesh:
    """Return the mesh of the file that a sheet holds or refers to; raises KernelError with a sentence."""
    parts = stored_parts(text)
    try:
        if parts is not None:
            for read in _readers:
                found = read(*parts, progress)
                if found is not None:
                    return found
        return read_mesh_file(*read_file(text, MOST_BYTES), progress)
    except UnreadableMesh as error:
        raise KernelError(str(error)) from error
