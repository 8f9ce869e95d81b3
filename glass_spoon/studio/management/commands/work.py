"""Do jobs in a process of its own, on this machine or another that reaches the database."""

from __future__ import annotations

import signal
from threading import Event
from typing import Any

from django.core.management.base import BaseCommand

from glass_spoon.studio.jobs.worker import start_worker


class Command(BaseCommand):
    """Works until it is ended; starts again by itself when the database was away."""

    help = "Do jobs until the process is ended: files to be sent out, files to be read, cleaning up."

    def handle(self, *args: Any, **options: Any) -> None:
        """Work; a job under way when the process ends is taken up by another worker."""
        ended = Event()
        for name in (signal.SIGTERM, signal.SIGINT):
            signal.signal(name, lambda *_: ended.set())
        start_worker()
        while not ended.wait(1.0):
            pass
