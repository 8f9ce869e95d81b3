"""The life of a job's row: made, handed over, told how far it is, stopped, fetched, and thrown away in time."""

from __future__ import annotations

import re
import secrets
import time
from datetime import timedelta
from typing import Any

from django.db import connection
from django.utils import timezone

from glass_spoon.studio.jobs import queue
from glass_spoon.studio.models import Job, StoredFile
from glass_spoon.studio.sentences import Refused

KEPT = timedelta(hours=1)
"""How long what came of somebody's job waits to be fetched."""

LOOK = 0.04
"""Seconds between looks at how far a job is."""

OVER = ("ready", "failed", "stopped")
"""Stages after which nothing more happens."""

_TOKEN = re.compile(r"^[A-Za-z0-9_-]{20,40}$")
GONE = "This is no longer here: it is kept for an hour. Ask for it again."


class Stopped(Exception):
    """The user asked for the work to stop."""


def make(kind: str, user: int, part: int | None, order: dict[str, Any]) -> Job:
    """Return a new job that somebody asks for, handed over."""
    token = secrets.token_urlsafe(18)
    job = Job.objects.create(kind=kind, token=token, user_id=user, part_id=part, order=order)
    hand_over(job)
    return job


def of_file(kind: str, file: StoredFile, order: dict[str, Any]) -> Job:
    """Return the one job of its kind about a file, shared by all, handed over unless it is done or under way."""
    job, made = Job.objects.defer("data").get_or_create(kind=kind, file=file, order=order)
    again = Job.objects.filter(pk=job.pk, stage="stopped")
    if made or again.update(stage="waiting", share=0.0, sentence="", touched_at=timezone.now()):
        hand_over(job)
        return as_it_stands(job)
    return job


def hand_over(job: Job) -> None:
    """Hand a job to the queue; without one (in tests) it is done at once."""
    job.queued = queue.hand_over(job.pk)
    if job.queued is not None:
        Job.objects.filter(pk=job.pk).update(queued=job.queued)


def as_it_stands(job: Job) -> Job:
    """Return a job as it stands now, without its content."""
    return Job.objects.defer("data", "file__data").select_related("file").get(pk=job.pk)


def wait_for(job: Job, seconds: float) -> Job:
    """Return a job as soon as it is over, or as it stands after `seconds`."""
    until = time.monotonic() + seconds
    while True:
        now = as_it_stands(job)
        if now.is_over or time.monotonic() > until:
            return now
        time.sleep(LOOK)


def tell(job: Job, stage: str, share: float) -> None:
    """Write down how far a job is; raises Stopped when the user asked for that."""
    _change(job, stage=stage, share=min(max(share, 0.0), 1.0))


def finish(job: Job, data: bytes, outcome: dict[str, Any]) -> None:
    """Keep what came of a job; raises Stopped when the user asked for that."""
    _change(job, stage="ready", share=1.0, data=data, size=len(data), outcome=outcome)


def fail(job: Job, sentence: str) -> None:
    """Keep the sentence that says why nothing came of a job."""
    Job.objects.filter(pk=job.pk).exclude(stage__in=OVER).update(stage="failed", sentence=sentence[:400])


def _change(job: Job, **values: object) -> None:
    going = Job.objects.filter(pk=job.pk).exclude(stage__in=OVER)
    if not going.update(touched_at=timezone.now(), **values):
        raise Stopped


def find(kind: str, token: str, user: int, part: int | None) -> Job:
    """Return a job of this user and part, without its content; Refused when there is none."""
    own = Job.objects.defer("data").filter(kind=kind, token=token, user_id=user, part_id=part)
    found = own.first() if _TOKEN.match(token) else None
    if found is None:
        raise Refused(GONE, 404)
    return found


def newest(kind: str, user: int, part: int) -> Job | None:
    """Return the job that this user asked for last at a part; None where there is none."""
    return Job.objects.defer("data").filter(kind=kind, user_id=user, part_id=part).order_by("-pk").first()


def stop(job: Job, sentence: str) -> Job:
    """Stop the work on a job: at once where no worker has it yet, else at its next step."""
    Job.objects.filter(pk=job.pk).exclude(stage__in=OVER).update(stage="stopped", sentence=sentence)
    queue.take_back(job.queued)
    return as_it_stands(job)


def again(job: Job) -> Job:
    """Return a new job of the same order, handed over."""
    return make(job.kind, int(job.user_id or 0), job.part_id, dict(job.order))


def content(job: Job) -> bytes:
    """Return the bytes that came of a job; Refused while it is not ready."""
    found = Job.objects.filter(pk=job.pk, stage="ready").values_list("data", flat=True).first()
    if found is None:
        raise Refused(GONE, 404)
    return bytes(found)


def sweep() -> None:
    """Throw away jobs of somebody that are older than an hour; what all share stays as long as its file."""
    Job.objects.filter(made_at__lt=timezone.now() - KEPT, file=None).delete()


def let_go() -> None:
    """Close the connection of a thread that no request ends."""
    if not connection.in_atomic_block:
        connection.close()
