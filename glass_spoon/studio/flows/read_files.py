"""Read the meshes of stored files in jobs: asked for, told how far they are, stopped, and waited for by builds.

Whoever needs a mesh asks for it and waits. Mostly a worker reads it; where none takes it soon, or the one that did gives no
sign of life, the one who waits reads it itself, so that nothing hangs on workers that are busy, gone, or waiting in turn.
"""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass
from datetime import timedelta

from django.db.models import Q
from django.utils import timezone

from glass_spoon.formats.mesh_file import PACKED_VERSION, pack_mesh, read_mesh_file, unpack_mesh
from glass_spoon.formats.read_mesh import ReadMesh, UnreadableMesh
from glass_spoon.kernel.errors import KernelError
from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.errors import WorkStopped
from glass_spoon.sheet.lines.mesh_work.imported import ImportMesh
from glass_spoon.sheet.stored_files import stored_parts
from glass_spoon.studio import job_queue
from glass_spoon.studio.flows.parcels import let_go
from glass_spoon.studio.models import MeshReading, StoredFile
from glass_spoon.studio.sentences import Refused

LOOK = 0.05
"""Seconds between looks at how far a file is."""

TAKEN_WITHIN = 2.0
"""Seconds within which a worker should have taken a file; later, whoever waits for it reads it."""

SILENT = timedelta(seconds=60)
"""Time without a sign of life after which a file is taken from who reads it: steps take a few seconds at most."""


class Stopped(Exception):
    """The user asked for the reading to stop: told to whoever reads."""


class ReadingStopped(Refused, WorkStopped):
    """A file that a build waits for is not read any more: told to whoever waits."""


def ask(file: StoredFile, ending: str) -> MeshReading:
    """Return the reading of a file, handed to a worker unless it is done or under way."""
    reading, made = MeshReading.objects.defer("data").get_or_create(file=file, ending=ending, version=PACKED_VERSION)
    again = MeshReading.objects.filter(pk=reading.pk, stage="stopped")
    if made or again.update(stage="waiting", share=0.0, touched_at=timezone.now()):
        _hand_over(reading)
        return _as_it_stands(reading)
    return reading


def ask_again(file: StoredFile, ending: str) -> MeshReading:
    """Ask for a file that was chosen anew: one that failed is tried once more."""
    MeshReading.objects.filter(file=file, ending=ending, version=PACKED_VERSION, stage="failed").update(stage="stopped")
    return ask(file, ending)


def _hand_over(reading: MeshReading) -> None:
    """Hand a reading to the job queue; without one (in tests) it is done at once."""
    job_queue.hand_over(job_queue.READ_MESH, reading=reading.pk)


def _as_it_stands(reading: MeshReading) -> MeshReading:
    """Return a reading as it stands now, without its content."""
    return MeshReading.objects.defer("data").select_related("file").defer("file__data").get(pk=reading.pk)


def do_reading(number: int) -> None:
    """Read a file and keep its mesh, or the sentence that says why there is none. This is the job."""
    free = Q(stage="waiting") | Q(stage="reading", touched_at__lt=timezone.now() - SILENT)
    claimed = MeshReading.objects.filter(free, pk=number).update(stage="reading", share=0.0, touched_at=timezone.now())
    if not claimed:
        return
    reading = MeshReading.objects.select_related("file").get(pk=number)
    try:
        read = read_mesh_file(bytes(reading.file.data), reading.ending, _teller(number))
        _change(number, stage="ready", share=1.0, data=pack_mesh(read))
    except Stopped:
        return
    except UnreadableMesh as error:
        _change(number, stage="failed", sentence=str(error)[:400])
    except Exception:
        _change(
            number, stage="failed", sentence="The file could not be read. Choose it again, or export it in another format."
        )
        raise


def _change(number: int, **values: object) -> None:
    """Write down how a reading stands; raises Stopped where the user asked for that."""
    going = MeshReading.objects.filter(pk=number, stage="reading")
    if not going.update(touched_at=timezone.now(), **values):
        raise Stopped


def _teller(number: int) -> Callable[[float], None]:
    """Return the progress of a reading."""
    return lambda share: _change(number, share=min(max(share, 0.0), 1.0))


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


def _waited_for(reading: MeshReading, progress: Callable[[float], None]) -> ReadMesh:
    """Return the mesh of a reading when it is done."""
    asked = time.monotonic()
    while reading.stage in ("waiting", "reading"):
        progress(0.95 * reading.share)
        untaken = reading.stage == "waiting" and time.monotonic() - asked > TAKEN_WITHIN
        if untaken or timezone.now() - reading.touched_at > SILENT:
            do_reading(reading.pk)
        else:
            time.sleep(LOOK)
        reading = _as_it_stands(reading)
    if reading.stage == "stopped":
        raise ReadingStopped(f"Reading {reading.file.name} was stopped. Choose the file again to read it.", 409)
    if reading.stage == "failed":
        raise KernelError(reading.sentence)
    progress(0.95)
    return unpack_mesh(bytes(MeshReading.objects.values_list("data", flat=True).get(pk=reading.pk)))


@dataclass(frozen=True)
class UnderWay:
    """A file that is being read for a line: its name, and the share that is done in percent."""

    line: str
    name: str
    percent: int


def under_way(document: SheetDocument) -> UnderWay | None:
    """Return the first file of a sheet that is being read, None where there is none."""
    lines = {parts[0]: line.id for line, parts in _stored(document)}
    going = MeshReading.objects.filter(file__digest__in=lines, version=PACKED_VERSION, stage__in=("waiting", "reading"))
    found = going.defer("data", "file__data").select_related("file").order_by("pk").first() if lines else None
    return None if found is None else UnderWay(lines[found.file.digest], found.file.name, found.percent)


def stop(document: SheetDocument, line_id: str) -> None:
    """Stop the reading that a line waits for, if there is one."""
    for line, (digest, ending) in _stored(document):
        if line.id == line_id:
            going = MeshReading.objects.filter(file__digest=digest, ending=ending, stage__in=("waiting", "reading"))
            going.update(stage="stopped")


def _stored(document: SheetDocument) -> list[tuple[ImportMesh, tuple[str, str]]]:
    """Return the lines of a sheet that take a mesh from a stored file, with its hash and ending."""
    lines = [line for line in document.lines if isinstance(line, ImportMesh) and not line.paused]
    return [(line, parts) for line in lines if (parts := stored_parts(line.file)) is not None]
