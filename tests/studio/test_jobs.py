"""Jobs through the queue on PostgreSQL: done by a worker, cancelled, taken up again, failing with a sentence."""

from __future__ import annotations

from threading import Thread

import pytest
from django.db import connection

from glass_spoon.studio import job_worker
from glass_spoon.studio.flows import parcels
from glass_spoon.studio.flows.send_out import read_order, start_parcel
from glass_spoon.studio.models import Parcel
from glass_spoon.studio.sentences import Refused

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def ordered(part, people, settings, monkeypatch):
    """Return what asks for a file of the kettle and leaves it to a worker."""
    settings.JOBS = "elsewhere"
    monkeypatch.setattr("glass_spoon.studio.flows.send_out.PATIENCE", 0.0)

    def order(**form) -> Parcel:
        asked = read_order(people["owner"].id, part.id, part.sheet(), {"format": "stl", "level": "0", **form})
        return start_parcel(asked)

    return order


def test_a_file_waits_for_a_worker_and_is_written_by_it(ordered) -> None:
    parcel = ordered()
    assert parcel.stage == "waiting"
    with pytest.raises(Refused, match="no longer here"):
        parcels.content(parcel)
    job_worker.work_off()
    done = parcels.find(parcel.token, parcel.user_id, parcel.part_id)
    assert (done.stage, done.percent) == ("ready", 100)
    assert parcels.content(done).startswith(b"Glass Spoon")
    assert done.size == len(parcels.content(done))


def test_a_cancelled_file_is_not_written(ordered) -> None:
    parcel = ordered()
    assert parcels.cancel(parcel).stage == "cancelled"
    job_worker.work_off()
    assert parcels.find(parcel.token, parcel.user_id, parcel.part_id).stage == "cancelled"


def test_work_under_way_stops_at_its_next_step(ordered) -> None:
    parcel = ordered()
    parcels.tell(parcel, "building", 0.1)
    parcels.cancel(parcel)
    with pytest.raises(parcels.Cancelled):
        parcels.tell(parcel, "writing", 0.8)


def test_a_failure_is_kept_as_a_sentence(ordered) -> None:
    parcel = ordered(mesh="nothing")
    job_worker.work_off()
    done = parcels.find(parcel.token, parcel.user_id, parcel.part_id)
    assert done.stage == "failed"
    assert done.sentence.startswith("There is no mesh to send out")


def test_jobs_that_were_asked_for_before_a_restart_are_done_after_it(ordered) -> None:
    """The queue is in the database: a worker that starts later finds all of it."""
    first, second = ordered(), ordered(format="ply")
    job_worker.work_off()
    stages = Parcel.objects.filter(pk__in=(first.pk, second.pk)).values_list("stage", flat=True)
    assert list(stages) == ["ready", "ready"]


def test_files_of_others_are_not_found(ordered, people) -> None:
    parcel = ordered()
    with pytest.raises(Refused):
        parcels.find(parcel.token, people["viewer"].id, parcel.part_id)
    with pytest.raises(Refused):
        parcels.find("x", parcel.user_id, parcel.part_id)


def stall(parcel: Parcel, attempts: int) -> None:
    """Leave the job of a parcel as a killed worker does: being done, by nobody."""
    with connection.cursor() as cursor:
        cursor.execute(
            "UPDATE procrastinate_jobs SET status = 'doing', worker_id = NULL, attempts = %s WHERE id = %s",
            [attempts, parcel.job],
        )


def test_the_job_of_a_killed_worker_is_taken_up_again(ordered) -> None:
    """Whenever a worker looks, not only at its start."""
    parcel = ordered()
    parcel.refresh_from_db()
    stall(parcel, 0)
    job_worker.work_off()
    assert parcels.find(parcel.token, parcel.user_id, parcel.part_id).stage == "ready"


def test_a_job_that_ends_every_worker_is_given_up_with_a_sentence_and_can_be_asked_again(ordered, as_user) -> None:
    """It does not end workers for ever."""
    parcel = ordered()
    parcel.refresh_from_db()
    stall(parcel, job_worker.MOST_STARTS - 1)
    job_worker.work_off()
    lost = parcels.find(parcel.token, parcel.user_id, parcel.part_id)
    assert (lost.stage, lost.sentence) == ("failed", parcels.LOST)
    page = as_user("owner").get(f"/parts/{parcel.part_id}/send-out/{parcel.token}/").content.decode()
    assert "Write it again" in page
    again = parcels.again(lost)
    job_worker.work_off()
    assert parcels.find(again.token, again.user_id, again.part_id).stage == "ready"


def test_a_worker_that_stops_starts_again(monkeypatch) -> None:
    """After a pause, as long as the process lives."""
    starts: list[int] = []

    async def work(wait: bool = True) -> None:
        starts.append(1)
        if len(starts) == 3:
            raise SystemExit
        raise OSError("the database went away")

    monkeypatch.setattr(job_worker, "_work", work)
    monkeypatch.setattr(job_worker.time, "sleep", lambda seconds: None)
    thread = Thread(target=job_worker.work_on, daemon=True)  # as in a server; the tests' own thread may have an event loop
    thread.start()
    thread.join(60)
    assert not thread.is_alive()
    assert len(starts) == 3
