"""Files that lines refer to: small ones stand in the sheet, large ones are kept in the database by their hash."""

from __future__ import annotations

from django.db import connection

from glass_spoon.formats.read_mesh import MOST_BYTES, UnreadableMesh
from glass_spoon.sheet.lines.mesh_work.imported import ENDINGS, read_mesh_file
from glass_spoon.sheet.stored_files import digest_of, reference_to, write_inside
from glass_spoon.studio.models import StoredFile
from glass_spoon.studio.sentences import Refused


def keep_mesh_file(data: bytes, name: str) -> str:
    """Return the text that stands for a mesh file in a sheet; Refused with a sentence for what cannot be read."""
    ending = name.rpartition(".")[2].lower()
    if f".{ending}" not in ENDINGS.split(","):
        raise Refused("Choose an OBJ, STL, PLY or glTF file.")
    if len(data) > MOST_BYTES:
        raise Refused(f"The file has {len(data):,} bytes; the most is {MOST_BYTES:,}. Reduce the mesh before.")
    try:
        read_mesh_file(data, ending)
    except UnreadableMesh as error:
        raise Refused(str(error)) from error
    inside = write_inside(data, ending)
    if inside is not None:
        return inside
    StoredFile.objects.get_or_create(digest=digest_of(data), defaults={"data": data, "name": name[:80]})
    return reference_to(data, ending)


def load_file(digest: str) -> bytes | None:
    """Return the content that a hash names, None where it is not kept.

    Builds ask from threads of their own, which no request closes the connection of: it is closed here.
    """
    try:
        found = StoredFile.objects.filter(digest=digest).values_list("data", flat=True).first()
        return None if found is None else bytes(found)
    finally:
        if not connection.in_atomic_block:
            connection.close()
