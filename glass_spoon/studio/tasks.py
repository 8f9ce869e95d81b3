"""The jobs: work that is done by workers, in this process or on other machines, through procrastinate on PostgreSQL."""

from __future__ import annotations

from datetime import timedelta

from django.utils import timezone
from procrastinate.contrib.django import app

from glass_spoon.studio.flows import read_files, send_out, vary_sizes  # they register the kinds of jobs
from glass_spoon.studio.flows.kept_results import throw_out
from glass_spoon.studio.flows.throw_away import throw_away
from glass_spoon.studio.jobs import kinds, rows
from glass_spoon.studio.jobs.queue import DO_JOB, QUEUE, THROW_AWAY
from glass_spoon.studio.models import Presence

__all__ = ["app", "do_job", "read_files", "send_out", "throw_away_files", "vary_sizes"]


@app.task(name=DO_JOB, queue=QUEUE)
def do_job(job: int) -> None:
    """Do a job that was asked for."""
    try:
        kinds.do_job(job)
    finally:
        rows.let_go()


@app.periodic(cron="17 * * * *")
@app.task(name=THROW_AWAY, queue=QUEUE)
def throw_away_files(timestamp: int) -> None:
    """Throw away what nobody can come back to, every hour; `timestamp` is the second it was due."""
    try:
        throw_away()
        rows.sweep()
        throw_out()
        Presence.objects.filter(seen_at__lt=timezone.now() - timedelta(days=1)).delete()
    finally:
        rows.let_go()
