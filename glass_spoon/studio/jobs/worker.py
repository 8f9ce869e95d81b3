"""A worker for jobs: in a thread of the server, or as a process of its own. It starts again when the database was away.

Jobs whose worker is gone are looked for all the time, not only at a start: a killed process leaves them as being done.
"""

from __future__ import annotations

import asyncio
import logging
import time
from threading import Thread
from typing import Any

from procrastinate import App
from procrastinate.contrib.django import app
from procrastinate.jobs import Status

from glass_spoon.studio.jobs.kinds import give_up

log = logging.getLogger(__name__)

AT_ONCE = 2
"""Jobs that one process does at a time."""

STALLED = 30.0
"""Seconds without a sign of life after which the job of a worker that is gone is taken up again."""

LOOK = 10.0
"""Seconds between looks for such jobs."""

MOST_STARTS = 3
"""Times that a job is started: one that ended its worker so often is given up."""

PAUSE, LONGEST_PAUSE = 1.0, 15.0
"""Seconds before a worker that stopped starts again; doubled as long as it keeps stopping."""


def start_worker() -> Thread:
    """Start a worker in a thread; it ends with the process, and its jobs are taken up by another one."""
    thread = Thread(target=work_on, name="jobs", daemon=True)
    thread.start()
    return thread


def work_on() -> None:
    """Work until the process ends; a worker that stops starts again after a pause."""
    pause = PAUSE
    while True:
        started = time.monotonic()
        try:
            asyncio.run(_work())
        except Exception as error:
            log.error("The worker stopped (%s) and starts again in %.0f s.", type(error).__name__, pause)
        pause = PAUSE if time.monotonic() - started > LONGEST_PAUSE else min(2 * pause, LONGEST_PAUSE)
        time.sleep(pause)


async def _work(*, wait: bool = True) -> None:
    """Work on the queue; without `wait` until it is empty.

    The worker has an app of its own with its connector: requests that ask for jobs meanwhile keep theirs.
    """
    connector: Any = app.connector
    here = App(connector=connector.get_worker_connector())
    here.tasks, here.periodic_registry = app.tasks, app.periodic_registry
    async with here.open_async():
        await _take_up(here)
        work = here.run_worker_async(
            concurrency=AT_ONCE, wait=wait, install_signal_handlers=False, listen_notify=wait, delete_jobs="successful"
        )
        tasks = [asyncio.create_task(work)]
        if wait:
            tasks.append(asyncio.create_task(_keep_taking_up(here)))
        try:
            done, _ = await asyncio.wait(tasks, return_when=asyncio.FIRST_COMPLETED)
            for task in done:
                task.result()  # what it raised ends this worker, and a fresh one starts
        finally:
            for task in tasks:
                task.cancel()
            await asyncio.gather(*tasks, return_exceptions=True)


async def _keep_taking_up(here: App) -> None:
    """Look for jobs of workers that are gone, again and again; a database that does not answer ends the worker."""
    while True:
        await asyncio.sleep(LOOK)
        await _take_up(here)


async def _take_up(here: App) -> None:
    """Have the jobs of workers that are gone done again, and give up those that ended their workers too often."""
    for job in await here.job_manager.get_stalled_jobs(seconds_since_heartbeat=STALLED):
        if job.id is None:
            continue
        if job.attempts + 1 >= MOST_STARTS:
            log.error("The job %s (%s) ended its worker %d times and is given up.", job.id, job.task_name, MOST_STARTS)
            await here.job_manager.finish_job_by_id_async(job.id, Status.FAILED, delete_job=False)
            await asyncio.to_thread(give_up, job.id)
        else:
            log.warning("The job %s (%s) lost its worker and is taken up again.", job.id, job.task_name)
            await here.job_manager.retry_job(job)


def work_off() -> None:
    """Do all jobs that wait, then return; in a thread, as the caller may have an event loop of its own."""
    thread = Thread(target=lambda: asyncio.run(_work(wait=False)), name="jobs once")
    thread.start()
    thread.join()
