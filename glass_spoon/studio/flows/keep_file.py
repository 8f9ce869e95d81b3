"""Files that lines refer to: small ones stand in the sheet, large ones are kept in the database by their hash."""

from __future__ import annotations

from django.utils import timezone

from glass_spoon.formats.mesh_file import read_mesh_file
from glass_spoon.formats.read_mesh import MOST_BYTES, UnreadableMesh
from glass_spoon.sheet.lines.mesh_work.imported import ENDINGS
from glass_spoon.sheet.stored_files import digest_of, reference_to, write_inside
from glass_spoon.studio.flows.hold_files import hold
from glass_spoon.studio.flows.quotas import check_room
from glass_spoon.studio.flows.read_files import ask_again
from glass_spoon.studio.models import StoredFile
from glass_spoon.studio.sentences import Refused

READ_AT_ONCE = 4_000_000
"""Bytes up to which a file is read while it is uploaded, so that one that cannot be read is refused; about 50,000 faces."""


def keep_mesh_file(data: bytes, name: str, project_id: int) -> str:
    """Return the text that stands for a mesh file in a sheet of a project; a large one is read by a job, and its
    line tells the outcome.

    Refused with a sentence for a small one that cannot be read.
    """
    ending = name.rpartition(".")[2].lower()
    if f".{ending}" not in ENDINGS.split(","):
        raise Refused("Choose an OBJ, STL, PLY or glTF file.")
    if len(data) > MOST_BYTES:
        raise Refused(f"The file has {len(data):,} bytes; the most is {MOST_BYTES:,}. Reduce the mesh before.")
    if len(data) <= READ_AT_ONCE:
        _try_reading(data, ending)
        inside = write_inside(data, ending)
        if inside is not None:
            return inside
    check_room(project_id, len(data))
    digest = digest_of(data)
    if not StoredFile.objects.filter(digest=digest).update(chosen_at=timezone.now()):
        StoredFile.objects.get_or_create(digest=digest, defaults={"data": data, "name": name[:80]})
    file = StoredFile.objects.defer("data").get(digest=digest)
    hold(project_id, file)
    ask_again(file, ending)
    return reference_to(data, ending)


def _try_reading(data: bytes, ending: str) -> None:
    """Refuse a file that cannot be read."""
    try:
        read_mesh_file(data, ending)
    except UnreadableMesh as error:
        raise Refused(str(error)) from error
