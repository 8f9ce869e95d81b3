"""Data of older versions after the migrations: nothing is lost, and what was undone can be made again."""

from __future__ import annotations

import pytest
from django.contrib.auth import get_user_model
from django.db import connection
from django.db.migrations.executor import MigrationExecutor

from glass_spoon.studio.flows import history

BLANK = {"format": "glass-spoon/sheet", "version": 1, "lines": []}
MESH = "stored:" + "ab" * 16 + ":obj"


@pytest.fixture
def migrate(transactional_db):
    """Return what brings the database to a migration; afterwards it is the newest again."""

    def to(name: str):
        executor = MigrationExecutor(connection)
        executor.migrate([("studio", name)])
        return MigrationExecutor(connection).loader.project_state([("studio", name)]).apps

    yield to
    executor = MigrationExecutor(connection)
    executor.migrate(executor.loader.graph.leaf_nodes())


def test_histories_with_undone_steps_are_converted(migrate) -> None:
    """Three states, one undone: the sheet stays, every state is found, and redo makes the undone one again."""
    old = migrate("0007_chosen_at")
    user = get_user_model().objects.create_user("ann")
    project = old.get_model("studio", "Project").objects.create(name="Boathouse")
    sheets = [{**BLANK, "name": name} for name in ("one", "two", "three")]
    part = old.get_model("studio", "Part").objects.create(
        project=project, name="two", document=sheets[1], revision=7, position=2, changed_by_id=user.pk
    )
    for number, sheet in enumerate(sheets, 1):
        old.get_model("studio", "Change").objects.create(
            part=part, number=number, document=sheet, summary=f"change {number}", made_by_id=user.pk
        )
    migrate("0008_guard")
    from glass_spoon.studio.models import Part

    found = Part.objects.get(pk=part.pk)
    assert found.sheet().name == "two"
    assert [history.state_at(found, number).name for number in (1, 2, 3, 4)] == ["one", "two", "three", "two"]
    assert history.state_of_revision(found, 7).name == "two"
    assert history.history_ends(found, user) == (True, True)
    assert history.last_undone(found, user).summary == "change 3"
    assert history.last_edit(found, user).summary == "change 2"


def test_projects_hold_the_files_that_their_sheets_named(migrate) -> None:
    """Those of the present, of the past and of kept versions; files that nobody names are held by nobody."""
    old = migrate("0007_chosen_at")
    project = old.get_model("studio", "Project").objects.create(name="Boathouse")
    files = old.get_model("studio", "StoredFile").objects
    used, free = (
        files.create(digest="ab" * 16, name="a.obj", data=b"x"),
        files.create(digest="cd" * 16, name="b.obj", data=b"y"),
    )
    sheet = {**BLANK, "name": "Part", "lines": [{"id": "l1", "verb": "import_mesh", "file": MESH}]}
    part = old.get_model("studio", "Part").objects.create(project=project, name="Part", document={**BLANK, "name": "Part"})
    old.get_model("studio", "Change").objects.create(part=part, number=1, document=sheet, summary="made")
    migrate("0008_guard")
    from glass_spoon.studio.models import HeldFile

    assert list(HeldFile.objects.values_list("project_id", "file_id")) == [(project.pk, used.pk)]
    assert free.pk != used.pk


def test_whoever_was_signed_in_stays_so(migrate) -> None:
    """Sessions of the version before are taken over."""
    migrate("0008_guard")
    with connection.cursor() as cursor:
        cursor.execute("INSERT INTO django_session VALUES (%s, %s, now() + interval '1 day')", ["k" * 32, "held"])
    migrate("0009_sessions")
    from glass_spoon.studio.models import SignedInSession

    assert SignedInSession.objects.values_list("session_key", "session_data", "user_id").get() == ("k" * 32, "held", None)


def test_readings_that_are_done_become_jobs_and_are_not_read_again(migrate) -> None:
    """With what they hold; one under way is asked for anew by whoever waits."""
    old = migrate("0009_sessions")
    file = old.get_model("studio", "StoredFile").objects.create(digest="ab" * 16, name="a.obj", data=b"x")
    readings = old.get_model("studio", "MeshReading").objects
    readings.create(file=file, ending="obj", version=3, stage="ready", share=1.0, data=b"packed")
    readings.create(file=file, ending="ply", version=3, stage="reading", share=0.5)
    migrate("0010_jobs")
    from glass_spoon.studio.models import Job

    job = Job.objects.get()
    assert (job.kind, job.stage, job.order, job.size) == ("read a mesh", "ready", {"ending": "obj", "version": 3}, 6)
    assert bytes(job.data) == b"packed"
    again, made = Job.objects.get_or_create(kind="read a mesh", file_id=file.pk, order={"version": 3, "ending": "obj"})
    assert (again.pk, made) == (job.pk, False)
