"""Jobs through the queue on PostgreSQL: done by a worker, cancelled, taken up again, failing with a sentence."""

from __future__ import annotations

from threading import Thread

import pytest
from django.db import connection

from glass_spoon.studio.flows.send_out import WRITE_FILE, read_order, start_file
from glass_spoon.studio.flows.vary_sizes import VARY_SIZES
from glass_spoon.studio.jobs import rows, worker
from glass_spoon.studio.jobs.kinds import KINDS
from glass_spoon.studio.models import Job
from glass_spoon.studio.sentences import Refused

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def ordered(part, people, settings, monkeypatch):
    """Return what asks for a file of the kettle and leaves it to a worker."""
    settings.JOBS = "elsewhere"
    monkeypatch.setattr("glass_spoon.studio.flows.send_out.PATIENCE", 0.0)

    def order(**form) -> Job:
        asked = read_order(people["owner"].id, part.id, part.sheet(), {"format": "stl", "level": "0", **form})
        return start_file(asked)

    return order


def test_a_file_waits_for_a_worker_and_is_written_by_it(ordered) -> None:
    """An ordered file can be fetched once a worker wrote it."""
    parcel = ordered()
    assert parcel.stage == "waiting"
    with pytest.raises(Refused, match="no longer here"):
        rows.content(parcel)
    worker.work_off()
    done = rows.find(WRITE_FILE, parcel.token, parcel.user_id, parcel.part_id)
    assert (done.stage, done.percent) == ("ready", 100)
    assert rows.content(done).startswith(b"Glass Spoon")
    assert done.size == len(rows.content(done))


def test_a_cancelled_file_is_not_written(ordered) -> None:
    """What was cancelled stays stopped though a worker comes by."""
    parcel = ordered()
    assert rows.stop(parcel, "Cancelled.").stage == "stopped"
    worker.work_off()
    assert rows.find(WRITE_FILE, parcel.token, parcel.user_id, parcel.part_id).stage == "stopped"


def test_work_under_way_stops_at_its_next_step(ordered) -> None:
    """Telling the progress of stopped work raises."""
    parcel = ordered()
    rows.tell(parcel, "building", 0.1)
    rows.stop(parcel, "Cancelled.")
    with pytest.raises(rows.Stopped):
        rows.tell(parcel, "writing", 0.8)


def test_a_failure_is_kept_as_a_sentence(ordered) -> None:
    """The sentence of the failure is kept in the row."""
    parcel = ordered(what="mesh:nothing")
    worker.work_off()
    done = rows.find(WRITE_FILE, parcel.token, parcel.user_id, parcel.part_id)
    assert done.stage == "failed"
    assert done.sentence.startswith("There is no mesh to send out")


def test_jobs_that_were_asked_for_before_a_restart_are_done_after_it(ordered) -> None:
    """The queue is in the database: a worker that starts later finds all of it."""
    first, second = ordered(), ordered(format="ply")
    worker.work_off()
    stages = Job.objects.filter(pk__in=(first.pk, second.pk)).values_list("stage", flat=True)
    assert list(stages) == ["ready", "ready"]


def test_files_of_others_are_not_found(ordered, people) -> None:
    """Another person's and unknown tokens are refused."""
    parcel = ordered()
    with pytest.raises(Refused):
        rows.find(WRITE_FILE, parcel.token, people["viewer"].id, parcel.part_id)
    with pytest.raises(Refused):
        rows.find(WRITE_FILE, "x", parcel.user_id, parcel.part_id)


def stall(parcel: Job, attempts: int) -> None:
    """Leave the job of a parcel as a killed worker does: being done, by nobody."""
    with connection.cursor() as cursor:
        cursor.execute(
            "UPDATE procrastinate_jobs SET status = 'doing', worker_id = NULL, attempts = %s WHERE id = %s",
            [attempts, parcel.queued],
        )


def test_the_job_of_a_killed_worker_is_taken_up_again(ordered) -> None:
    """Whenever a worker looks, not only at its start."""
    parcel = ordered()
    parcel.refresh_from_db()
    stall(parcel, 0)
    worker.work_off()
    assert rows.find(WRITE_FILE, parcel.token, parcel.user_id, parcel.part_id).stage == "ready"


def test_a_job_that_ends_every_worker_is_given_up_with_a_sentence_and_can_be_asked_again(ordered, as_user) -> None:
    """It does not end workers for ever."""
    parcel = ordered()
    parcel.refresh_from_db()
    stall(parcel, worker.MOST_STARTS - 1)
    worker.work_off()
    lost = rows.find(WRITE_FILE, parcel.token, parcel.user_id, parcel.part_id)
    assert (lost.stage, lost.sentence) == ("failed", KINDS[WRITE_FILE].lost)
    page = as_user("owner").get(f"/parts/{parcel.part_id}/send-out/{parcel.token}/").content.decode()
    assert "Write it again" in page
    again = rows.again(lost)
    worker.work_off()
    assert rows.find(WRITE_FILE, again.token, again.user_id, again.part_id).stage == "ready"


def test_a_worker_that_stops_starts_again(monkeypatch) -> None:
    """After a pause, as long as the process lives."""
    starts: list[int] = []

    async def work(wait: bool = True) -> None:
        starts.append(1)
        if len(starts) == 3:
            raise SystemExit
        raise OSError("the database went away")

    monkeypatch.setattr(worker, "_work", work)
    monkeypatch.setattr(worker.time, "sleep", lambda seconds: None)
    thread = Thread(target=worker.work_on, daemon=True)  # as in a server; the tests' own thread may have an event loop
    thread.start()
    thread.join(60)
    assert not thread.is_alive()
    assert len(starts) == 3


def test_the_sizes_of_a_part_are_tried_by_a_worker_and_what_fails_is_listed(part, as_user, edit, settings) -> None:
    """The kettle rounds a corner exactly by what just fits: 20 % more does not, and the list makes that change."""
    edit(as_user("owner"), op="set_many", line="l2", values='{"fit": "exactly", "radius": "30 mm"}')
    settings.JOBS = "elsewhere"
    client, url = as_user("owner"), f"/parts/{part.id}/vary/"
    page = client.post(url, {"percent": "40"}).content.decode()
    assert "Waiting for a worker" in page
    worker.work_off()
    page = client.get(url).content.decode()
    assert "changes of ± 40 % rebuild the part" in page
    job = Job.objects.get(kind=VARY_SIZES)
    assert job.outcome["tried"] == job.outcome["sane"] + len(job.outcome["faults"])
    fault = next(one for one in job.outcome["faults"] if one["line"] == "l2")
    assert "largest that fits" in fault["sentence"]
    assert as_user("viewer").get(f"{url}{job.token}/").status_code == 404
    edit(client, op="set_lines", changes=fault["changes_text"])
    assert "largest that fits" in client.get(f"/parts/{part.id}/").content.decode()
    assert "the sheet has changed since" in client.get(url).content.decode()


def test_a_trial_of_sizes_is_stopped_and_a_wrong_share_refused(part, as_user, settings) -> None:
    """Nothing is found out, and it says so."""
    settings.JOBS = "elsewhere"
    client, url = as_user("owner"), f"/parts/{part.id}/vary/"
    assert client.post(url, {"percent": "0"}).status_code == 422
    client.post(url, {"percent": "20"})
    job = Job.objects.get(kind=VARY_SIZES)
    assert "Stopped: nothing was found out" in client.post(f"{url}{job.token}/stop/").content.decode()
    worker.work_off()
    assert Job.objects.get(kind=VARY_SIZES).stage == "stopped"
