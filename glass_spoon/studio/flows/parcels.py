"""Files under way: made, handed to a job, told how far they are, cancelled, fetched, and thrown away in time."""

from __future__ import annotations

import re
import secrets
import time
from datetime import timedelta
from typing import Any

from django.db import connection
from django.utils import timezone

from glass_spoon.studio import job_queue
from glass_spoon.studio.models import Parcel
from glass_spoon.studio.sentences import Refused

KEPT = timedelta(hours=1)
"""How long a file waits to be fetched."""

LOOK = 0.04
"""Seconds between looks at how far a file is."""

OVER = ("ready", "failed", "cancelled")
"""Stages after which nothing more happens."""

_TOKEN = re.compile(r"^[A-Za-z0-9_-]{20,40}$")
_GONE = "This file is no longer here. Send the part out again."


class Cancelled(Exception):
    """The user asked for the work to stop."""


def make(user: int, part: int, order: dict[str, Any], filename: str, media_type: str) -> Parcel:
    """Return a new parcel that waits for a worker."""
    token = secrets.token_urlsafe(18)
    return Parcel.objects.create(
        token=token, user_id=user, part_id=part, order=order, filename=filename, media_type=media_type
    )


def hand_over(parcel: Parcel) -> None:
    """Hand a parcel to the job queue; without one (in tests) it is written at once."""
    parcel.job = job_queue.hand_over(job_queue.WRITE_FILE, token=parcel.token)
    if parcel.job is not None:
        Parcel.objects.filter(pk=parcel.pk).update(job=parcel.job)


def wait_for(parcel: Parcel, seconds: float) -> Parcel:
    """Return a parcel as soon as it is over, or as it stands after `seconds`."""
    until = time.monotonic() + seconds
    while True:
        now = Parcel.objects.defer("data").get(pk=parcel.pk)
        if now.is_over or time.monotonic() > until:
            return now
        time.sleep(LOOK)


def tell(parcel: Parcel, stage: str, share: float) -> None:
    """Write down how far a file is; raises Cancelled when the user asked for it to stop."""
    fresh = Parcel.objects.filter(pk=parcel.pk).exclude(stage="cancelled")
    if not fresh.update(stage=stage, share=min(max(share, 0.0), 1.0)):
        raise Cancelled


def finish(parcel: Parcel, data: bytes) -> None:
    """Keep the content of a file that is done."""
    fresh = Parcel.objects.filter(pk=parcel.pk).exclude(stage="cancelled")
    fresh.update(stage="ready", share=1.0, data=data, size=len(data))


def fail(parcel: Parcel, sentence: str) -> None:
    """Keep the sentence that says why there is no file."""
    Parcel.objects.filter(pk=parcel.pk).update(stage="failed", sentence=sentence[:400])


def find(token: str, user: int, part: int) -> Parcel:
    """Return a parcel of this user and part, without its content; Refused when there is none."""
    found = (
        Parcel.objects.defer("data").filter(token=token, user_id=user, part_id=part).first() if _TOKEN.match(token) else None
    )
    if found is None:
        raise Refused(_GONE, 404)
    return found


def cancel(parcel: Parcel) -> Parcel:
    """Stop the work on a file: at once where no worker has it yet, else at its next step."""
    going = Parcel.objects.filter(pk=parcel.pk).exclude(stage__in=("ready", "failed"))
    going.update(stage="cancelled", sentence="Cancelled; no file was written.")
    job_queue.take_back(parcel.job)
    return Parcel.objects.defer("data").get(pk=parcel.pk)


LOST = "The file was not written: the worker on it ended several times. Try a lower level, or another format."


def give_up(job: int) -> None:
    """Tell that the file, or the reading, of a job that ended its workers is given up."""
    try:
        Parcel.objects.filter(job=job).exclude(stage__in=OVER).update(stage="failed", sentence=LOST)
    finally:
        let_go()


def again(parcel: Parcel) -> Parcel:
    """Return a new parcel of the same order, handed to the job queue."""
    fresh = make(parcel.user_id, parcel.part_id, dict(parcel.order), parcel.filename, parcel.media_type)
    hand_over(fresh)
    return fresh


def content(parcel: Parcel) -> bytes:
    """Return the file's bytes; Refused while it is not ready."""
    found = Parcel.objects.filter(pk=parcel.pk, stage="ready").values_list("data", flat=True).first()
    if found is None:
        raise Refused(_GONE, 404)
    return bytes(found)


def sweep() -> None:
    """Throw away files older than an hour."""
    Parcel.objects.filter(made_at__lt=timezone.now() - KEPT).delete()


def let_go() -> None:
    """Close the connection of a thread that no request ends."""
    if not connection.in_atomic_block:
        connection.close()
