"""Read the meshes of stored files in jobs: asked for, told how far they are, stopped, and waited for by builds.

Whoever needs a mesh asks for it and waits. Mostly a worker reads it; where none takes it soon, or the one that did gives no
sign of life, the one who waits reads it itself, so that nothing hangs on workers that are busy, gone, or waiting in turn.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from django.db.models import QuerySet
from django.utils import timezone

from glass_spoon.formats.mesh_file import PACKED_VERSION, pack_mesh, read_mesh_file, unpack_mesh
from glass_spoon.formats.read_mesh import ReadMesh, UnreadableMesh
from glass_spoon.kernel.errors import KernelError
from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.errors import WorkStopped
from glass_spoon.sheet.lines.mesh_work.imported import ImportMesh
from glass_spoon.sheet.stored_files import stored_parts
from glass_spoon.studio.jobs import rows
from glass_spoon.studio.jobs.kinds import Done, do_job, does
from glass_spoon.studio.jobs.rows import let_go
from glass_spoon.studio.models import Job, StoredFile
from glass_spoon.studio.sentences import Refused

READ_MESH = "read a mesh"
"""The kind of the jobs."""

LOOK = 0.05
"""Seconds between looks at how far a file is."""

TAKEN_WITHIN = 2.0
"""Seconds within which a worker should have taken a file; later, whoever waits for it reads it."""

SILENT = timedelta(seconds=60)
"""Time without a sign of life after which a file is taken from who reads it: steps take a few seconds at most."""


class ReadingStopped(Refused, WorkStopped):
    """A file that a build waits for is not read any more: told to whoever waits."""


def ask(file: StoredFile, ending: str) -> Job:
    """Return the reading of a file, handed to a worker unless it is done or under way."""
    return rows.of_file(READ_MESH, file, _order(ending))


def ask_again(file: StoredFile, ending: str) -> Job:
    """Ask for a file that was chosen anew: one that failed is tried once more."""
    Job.objects.filter(kind=READ_MESH, file=file, order=_order(ending), stage="failed").update(stage="stopped")
    return ask(file, ending)


def _order(ending: str) -> dict[str, Any]:
    """Return what is asked for: a file by its ending, in a way of packing."""
    return {"ending": ending, "version": PACKED_VERSION}


@does(
    READ_MESH,
    told=(UnreadableMesh,),
    failed="The file could not be read. Choose it again, or export it in another format.",
    lost="The file was not read: the worker on it ended several times. Export it in another format, or reduce the mesh.",
    silent=SILENT,
)
def read_mesh(job: Job) -> Done:
    """Read a file and pack its mesh."""
    data = StoredFile.objects.values_list("data", flat=True).get(pk=job.file_id)
    rows.tell(job, "reading", 0.0)
    return Done(pack_mesh(read_mesh_file(bytes(data), job.order["ending"], lambda share: rows.tell(job, "reading", share))))


def stored_mesh(digest: str, ending: str, progress: Callable[[float], None]) -> ReadMesh | None:
    """Return the mesh of a stored file, waiting for it; None where the file is not kept.

    Raises KernelError with a sentence where it cannot be read, ReadingStopped where the user stopped it. Builds ask from
    threads of their own, which no request closes the connection of: it is closed here.
    """
    try:
        file = StoredFile.objects.defer("data").filter(digest=digest).first()
        return None if file is None else _waited_for(ask(file, ending), progress)
    finally:
        let_go()


class KeptFiles:
    """The files that the database keeps, as sources of an evaluation; their meshes are read in jobs, once for all.

    Builds ask from threads of their own, which no request closes the connection of: it is closed here.
    """

    def file(self, digest: str) -> bytes | None:
        """Return the content that a hash names, None where it is not kept."""
        try:
            found = StoredFile.objects.filter(digest=digest).values_list("data", flat=True).first()
            return None if found is None else bytes(found)
        finally:
            let_go()

    def mesh(self, digest: str, ending: str, progress: Callable[[float], None]) -> ReadMesh | None:
        """Return the mesh of a stored file, waiting for it; see `stored_mesh`."""
        return stored_mesh(digest, ending, progress)


KEPT_FILES = KeptFiles()


def _waited_for(reading: Job, progress: Callable[[float], None]) -> ReadMesh:
    """Return the mesh of a reading when it is done."""
    asked = time.monotonic()
    while not reading.is_over:
        progress(0.95 * reading.share)
        untaken = reading.stage == "waiting" and time.monotonic() - asked > TAKEN_WITHIN
        if untaken or timezone.now() - reading.touched_at > SILENT:
            do_job(reading.pk)
        else:
            time.sleep(LOOK)
        reading = rows.as_it_stands(reading)
    if reading.stage == "stopped":
        raise ReadingStopped(f"Reading {_name(reading)} was stopped. Choose the file again to read it.", 409)
    if reading.stage == "failed":
        raise KernelError(reading.sentence)
    progress(0.95)
    return unpack_mesh(rows.content(reading))


def _name(reading: Job) -> str:
    """Return the name of the file that is read."""
    return reading.file.name if reading.file else "the file"


@dataclass(frozen=True)
class UnderWay:
    """A file that is being read for a line: its name, and the share that is done in percent."""

    line: str
    name: str
    percent: int


def under_way(document: SheetDocument) -> UnderWay | None:
    """Return the first file of a sheet that is being read, None where there is none."""
    lines = {parts[0]: line.id for line, parts in _stored(document)}
    going = _going().filter(file__digest__in=lines, order__version=PACKED_VERSION)
    found = going.defer("data", "file__data").select_related("file").order_by("pk").first() if lines else None
    return (
        None if found is None or found.file is None else UnderWay(lines[found.file.digest], found.file.name, found.percent)
    )


def stop(document: SheetDocument, line_id: str) -> None:
    """Stop the reading that a line waits for, if there is one."""
    for line, (digest, ending) in _stored(document):
        if line.id == line_id:
            _going().filter(file__digest=digest, order=_order(ending)).update(stage="stopped")


def _going() -> QuerySet[Job]:
    """Return the readings that are not over."""
    return Job.objects.filter(kind=READ_MESH).exclude(stage__in=rows.OVER)


def _stored(document: SheetDocument) -> list[tuple[ImportMesh, tuple[str, str]]]:
    """Return the lines of a sheet that take a mesh from a stored file, with its hash and ending."""
    lines = [line for line in document.lines if isinstance(line, ImportMesh) and not line.paused]
    return [(line, parts) for line in lines if (parts := stored_parts(line.file)) is not None]
