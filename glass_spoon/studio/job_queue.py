"""Hand jobs over to the queue by their names, so that what asks for a job does not know what does it."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from procrastinate.contrib.django import app

WRITE_FILE, READ_MESH, THROW_AWAY = "write_file", "read_mesh", "throw_away_files"
"""The kinds of jobs; tasks.py says what does each."""

QUEUE = "files"


def hand_over(kind: str, **given: Any) -> int | None:
    """Hand a job to a worker and return its number; without a queue (in tests) it is done at once, and there is none."""
    if settings.JOBS == "now":
        app.tasks[kind](**given)
        return None
    return app.configure_task(kind, queue=QUEUE, allow_unknown=False).defer(**given)


def take_back(job: int | None) -> None:
    """Take a job back that no worker has begun."""
    if job and settings.JOBS != "now":
        app.job_manager.cancel_job_by_id(job)
