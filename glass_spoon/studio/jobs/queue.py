"""Hand jobs over to the queue, so that what asks for a job does not know what does it."""

from __future__ import annotations

from django.conf import settings
from procrastinate.contrib.django import app

DO_JOB, THROW_AWAY = "do_job", "throw_away_files"
"""The tasks of the queue: a job by the number of its row, and the hourly cleaning."""

QUEUE = "files"


def hand_over(job: int) -> int | None:
    """Hand a job to a worker and return its number in the queue; without a queue (in tests) it is done at once."""
    if settings.JOBS == "now":
        app.tasks[DO_JOB](job=job)
        return None
    return app.configure_task(DO_JOB, queue=QUEUE, allow_unknown=False).defer(job=job)


def take_back(queued: int | None) -> None:
    """Take a job back that no worker has begun."""
    if queued and settings.JOBS != "now":
        app.job_manager.cancel_job_by_id(queued)
