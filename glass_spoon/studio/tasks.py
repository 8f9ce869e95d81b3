"""The jobs: work that is done by workers, in this process or on other machines, through procrastinate on PostgreSQL."""

from __future__ import annotations

from datetime import timedelta

from django.utils import timezone
from procrastinate.contrib.django import app

from glass_spoon.studio.flows import parcels
from glass_spoon.studio.flows.kept_results import throw_out
from glass_spoon.studio.flows.read_files import do_reading
from glass_spoon.studio.flows.send_out import write_parcel
from glass_spoon.studio.flows.throw_away import throw_away
from glass_spoon.studio.job_queue import QUEUE, READ_MESH, THROW_AWAY, WRITE_FILE
from glass_spoon.studio.models import Presence

__all__ = ["app", "read_mesh", "throw_away_files", "write_file"]


@app.task(name=WRITE_FILE, queue=QUEUE)
def write_file(token: str) -> None:
    """Write a file that was asked for."""
    try:
        write_parcel(token)
    finally:
        parcels.let_go()


@app.task(name=READ_MESH, queue=QUEUE)
def read_mesh(reading: int) -> None:
    """Read a mesh file that was chosen."""
    try:
        do_reading(reading)
    finally:
        parcels.let_go()


@app.periodic(cron="17 * * * *")
@app.task(name=THROW_AWAY, queue=QUEUE)
def throw_away_files(timestamp: int) -> None:
    """Throw away what nobody can come back to, every hour; `timestamp` is the second it was due."""
    try:
        throw_away()
        throw_out()
        Presence.objects.filter(seen_at__lt=timezone.now() - timedelta(days=1)).delete()
    finally:
        parcels.let_go()
