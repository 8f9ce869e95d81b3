"""The kinds of jobs: each is a function that does one, registered under its name with what is said where it fails."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import timedelta
from typing import Any

from django.db.models import Q
from django.utils import timezone

from glass_spoon.studio.jobs import rows
from glass_spoon.studio.models import Job


@dataclass(frozen=True)
class Done:
    """What came of a job: bytes to fetch, and figures to show."""

    data: bytes = b""
    outcome: dict[str, Any] = field(default_factory=dict)


Work = Callable[[Job], Done]


@dataclass(frozen=True)
class Kind:
    """How jobs of a kind are done.

    told: errors whose sentence the user reads. failed: the sentence after any other. lost: the sentence for one that ended
    its workers. silent: time without a sign of life after which another may take it; None where only the queue knows.
    """

    work: Work
    told: tuple[type[Exception], ...]
    failed: str
    lost: str
    silent: timedelta | None = None


KINDS: dict[str, Kind] = {}


def does(
    name: str, told: tuple[type[Exception], ...], failed: str, lost: str, silent: timedelta | None = None
) -> Callable[[Work], Work]:
    """Register a function as what does the jobs of a kind."""

    def registered(work: Work) -> Work:
        KINDS[name] = Kind(work, told, failed, lost, silent)
        return work

    return registered


def do_job(number: int) -> None:
    """Do a job and keep what came of it, or the sentence that says why nothing did. This is what workers run."""
    job = _claimed(number)
    if job is None:
        return
    kind = KINDS[job.kind]
    try:
        done = kind.work(job)
        rows.finish(job, done.data, done.outcome)
    except rows.Stopped:
        return
    except kind.told as error:
        rows.fail(job, str(error))
    except Exception:
        rows.fail(job, kind.failed)
        raise


def _claimed(number: int) -> Job | None:
    """Return a job that is free to be done and is now under way; None where there is none."""
    known = Job.objects.filter(pk=number).values_list("kind", flat=True).first()
    if known is None:
        return None
    silent = KINDS[known].silent
    free = Q() if silent is None else Q(stage="waiting") | Q(touched_at__lt=timezone.now() - silent)
    going = Job.objects.filter(free, pk=number).exclude(stage__in=rows.OVER)
    if not going.update(stage="started", share=0.0, touched_at=timezone.now()):
        return None
    return Job.objects.defer("data", "file__data").select_related("file").get(pk=number)


def give_up(queued: int) -> None:
    """Tell that a job that ended its workers is given up."""
    try:
        job = Job.objects.defer("data").filter(queued=queued).exclude(stage__in=rows.OVER).first()
        if job is not None:
            rows.fail(job, KINDS[job.kind].lost)
    finally:
        rows.let_go()
