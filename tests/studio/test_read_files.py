"""Large mesh files: read by jobs, told how far they are, stopped and taken up again, failing with a sentence."""

from __future__ import annotations

from datetime import timedelta

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.utils import timezone

from glass_spoon.formats.gltf import NamedMesh
from glass_spoon.formats.obj import write_obj
from glass_spoon.kernel.errors import KernelError
from glass_spoon.studio.flows import keep_file, read_files
from glass_spoon.studio.jobs import worker
from glass_spoon.studio.jobs.kinds import do_job
from glass_spoon.studio.models import Job, StoredFile
from tests.zoo import cube_mesh

pytestmark = pytest.mark.django_db(transaction=True)

CUBE = write_obj([NamedMesh("cube", cube_mesh())])
BROKEN = b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 9\n"


def untold(share: float) -> None:
    """Tell nobody."""


@pytest.fixture
def to_workers(settings, monkeypatch) -> None:
    """Leave every file to a worker, and let nobody lose patience with it."""
    settings.JOBS = "elsewhere"
    monkeypatch.setattr(keep_file, "READ_AT_ONCE", 0)
    monkeypatch.setattr(read_files, "TAKEN_WITHIN", 1e9)


@pytest.fixture
def line(part, as_user, edit) -> str:
    """The line of the kettle's sheet that imports a mesh."""
    edit(as_user("owner"), op="add", verb="import_mesh", text="")
    part.refresh_from_db()
    return part.document["lines"][-1]["id"]


def chosen(part, as_user, edit, line: str, data: bytes):
    """Choose a file for the line, and return the part as it then is."""
    answer = edit(as_user("owner"), op="drawing", line=line, file=SimpleUploadedFile("scan.obj", data))
    assert answer.status_code == 200
    part.refresh_from_db()
    return part


def test_a_large_file_is_read_by_a_worker_and_its_line_tells_the_outcome(part, as_user, edit, line, to_workers) -> None:
    """The job keeps the file, the worker reads it, and the page tells the faces."""
    part = chosen(part, as_user, edit, line, CUBE)
    reading = Job.objects.get()
    assert (reading.stage, bytes(reading.file.data)) == ("waiting", CUBE)
    under_way = read_files.under_way(part.sheet())
    assert under_way == read_files.UnderWay(line, "scan.obj", 0)
    worker.work_off()
    assert read_files.under_way(part.sheet()) is None
    assert "6 faces read." in as_user("owner").get(f"/parts/{part.id}/").content.decode()


def test_the_bench_says_which_file_is_read_and_lets_it_be_stopped(part, as_user, edit, line, to_workers) -> None:
    """Another file than the other tests', whose builds are kept."""
    part = chosen(part, as_user, edit, line, b"# another\n" + CUBE)
    page = as_user("owner").get(f"/parts/{part.id}/").content.decode()
    assert "Reading scan.obj…" in page
    assert f'data-stop-reading="{line}"' in page
    assert "data-stop-reading" not in as_user("viewer").get(f"/parts/{part.id}/").content.decode()
    edit(as_user("owner"), op="stop_reading", line=line)
    part.refresh_from_db()
    assert part.document["lines"][-1]["file"] == ""
    assert Job.objects.get().stage == "stopped"
    worker.work_off()
    assert Job.objects.get().stage == "stopped"


def test_undo_takes_a_stopped_file_up_again(part, as_user, edit, line, to_workers) -> None:
    """A stopped file is read once the stop is undone."""
    part = chosen(part, as_user, edit, line, CUBE)
    edit(as_user("owner"), op="stop_reading", line=line)
    part.refresh_from_db()
    as_user("owner").post(f"/parts/{part.id}/undo/", {"revision": part.revision})
    file = StoredFile.objects.get()
    assert read_files.ask(file, "obj").stage == "waiting"
    worker.work_off()
    read = read_files.stored_mesh(file.digest, "obj", untold)
    assert read is not None
    assert np.array_equal(read.mesh.positions, cube_mesh().positions)


def test_a_reading_that_is_stopped_ends_at_its_next_step(to_workers, monkeypatch) -> None:
    """A worker that learns of the stop leaves off, and who waits is told."""
    file = StoredFile.objects.create(digest="d", name="scan.obj", data=CUBE)
    reading = read_files.ask(file, "obj")

    def stopped(data, ending, progress):
        Job.objects.update(stage="stopped")
        progress(0.5)
        raise AssertionError("the reading went on")

    monkeypatch.setattr(read_files, "read_mesh_file", stopped)
    do_job(reading.pk)
    assert Job.objects.get().stage == "stopped"
    with pytest.raises(read_files.ReadingStopped, match=r"scan\.obj was stopped"):
        read_files._waited_for(Job.objects.get(), untold)


def test_a_file_that_cannot_be_read_says_why_at_its_line_and_is_tried_anew_when_chosen_again(
    part, as_user, edit, line, to_workers
) -> None:
    """The failure is told until the file is chosen again, then tried again."""
    part = chosen(part, as_user, edit, line, BROKEN)
    worker.work_off()
    assert "name points that the file does not hold" in as_user("owner").get(f"/parts/{part.id}/").content.decode()
    file = StoredFile.objects.get()
    with pytest.raises(KernelError, match="does not hold"):
        read_files.stored_mesh(file.digest, "obj", untold)
    assert read_files.ask(file, "obj").stage == "failed"
    assert read_files.ask_again(file, "obj").stage == "waiting"


def test_whoever_waits_reads_a_file_that_no_worker_takes(settings, monkeypatch) -> None:
    """Where no worker comes, the one who waits reads it, with rising shares."""
    settings.JOBS = "elsewhere"
    monkeypatch.setattr(read_files, "TAKEN_WITHIN", 0.0)
    file = StoredFile.objects.create(digest="d", name="scan.obj", data=CUBE)
    shares: list[float] = []
    read = read_files.stored_mesh("d", "obj", shares.append)
    assert read is not None
    assert read.mesh.face_count == 6
    assert file.jobs.get().stage == "ready"
    assert shares == sorted(shares)


def test_a_file_is_taken_from_a_worker_that_gives_no_sign_of_life(to_workers) -> None:
    """Five minutes without a sign frees the reading."""
    file = StoredFile.objects.create(digest="d", name="scan.obj", data=CUBE)
    reading = read_files.ask(file, "obj")
    Job.objects.filter(pk=reading.pk).update(stage="reading", touched_at=timezone.now() - timedelta(minutes=5))
    read = read_files.stored_mesh("d", "obj", untold)
    assert read is not None
    assert read.mesh.face_count == 6


def test_a_reading_that_another_has_is_left_to_it(to_workers) -> None:
    """A reading under way is not done twice."""
    file = StoredFile.objects.create(digest="d", name="scan.obj", data=CUBE)
    reading = read_files.ask(file, "obj")
    Job.objects.filter(pk=reading.pk).update(stage="reading", share=0.4)
    do_job(reading.pk)
    assert Job.objects.get().share == 0.4


def test_only_lines_that_read_a_file_can_stop(part, as_user, edit, line) -> None:
    """A line without a file refuses to stop."""
    answer = edit(as_user("owner"), op="stop_reading", line=part.document["lines"][0]["id"])
    assert "reads no mesh file" in answer.content.decode()


def test_a_look_at_a_build_whose_file_is_stopped_meanwhile_changes_nothing(part, as_user, monkeypatch) -> None:
    """The press of Stop has an answer of its own."""

    def stopped(*given, **named):
        raise read_files.ReadingStopped("Reading scan.obj was stopped.", 409)

    monkeypatch.setattr("glass_spoon.studio.views.bench.bench_context", stopped)
    answer = as_user("owner").get(f"/parts/{part.id}/show/")
    assert (answer.status_code, answer.content) == (204, b"")
