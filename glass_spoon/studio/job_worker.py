"""A worker in a thread of the server: jobs are done here unless machines of their own do them."""

from __future__ import annotations

import asyncio
import logging
from threading import Thread

from procrastinate.contrib.django import app

log = logging.getLogger(__name__)

AT_ONCE = 2
"""Jobs that one server process does at a time."""

STALLED = 30.0
"""Seconds without a sign of life after which the job of a worker that is gone is taken up again."""


def start_worker() -> Thread:
    """Start the worker; it ends with the process, and its jobs are taken up by the next one."""
    thread = Thread(target=_run, name="jobs", daemon=True)
    thread.start()
    return thread


def _run() -> None:
    """Work until the process ends."""
    try:
        asyncio.run(_work())
    except Exception:
        log.exception("The worker of this process stopped; files wait for another one.")


async def _work(wait: bool = True) -> None:
    """Take up what a worker that is gone has left, then work on the queue; without `wait` until it is empty."""
    with app.replace_connector(app.connector.get_worker_connector()) as here:
        async with here.open_async():
            for job in await here.job_manager.get_stalled_jobs(seconds_since_heartbeat=STALLED):
                await here.job_manager.retry_job(job)
            await here.run_worker_async(
                concurrency=AT_ONCE, wait=wait, install_signal_handlers=False, listen_notify=wait, delete_jobs="successful"
            )


def work_off() -> None:
    """Do all jobs that wait, then return; in a thread, as the caller may have an event loop of its own."""
    thread = Thread(target=lambda: asyncio.run(_work(wait=False)), name="jobs once")
    thread.start()
    thread.join()
