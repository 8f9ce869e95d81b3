"""Results that took long to make, kept packed in the database for every server and worker, the least recently used
thrown out.
"""

from __future__ import annotations

import hashlib
import logging
from datetime import timedelta
from functools import cache
from pathlib import Path
from queue import Full, Queue
from threading import Lock, Thread

from django.conf import settings
from django.db import connection, transaction
from django.db.models import F, Sum, Window
from django.utils import timezone

from glass_spoon.formats.packed import Unpackable
from glass_spoon.sheet.cache import Result
from glass_spoon.sheet.packed_items import pack_result, unpack_result
from glass_spoon.studio.models import KeptResult

log = logging.getLogger(__name__)

LARGEST = 96_000_000
"""Largest packed result that is kept, in bytes."""

FRESH = timedelta(hours=1)
"""A result that was used within this time is not marked as used again."""

WAITING = 64
"""Results that wait to be written; more are let go, as they can be made again."""

SOURCES = ("kernel", "sheet", "formats")
"""The packages whose code makes results: other code makes other keys, so that no result outlives what made it."""


@cache
def code_key() -> str:
    """Return a hash of all code that makes results."""
    root = Path(__file__).resolve().parents[2]
    digest = hashlib.blake2b(digest_size=9)
    for package in SOURCES:
        for path in sorted((root / package).rglob("*.py")):
            digest.update(str(path.relative_to(root)).encode() + path.read_bytes())
    return digest.hexdigest()


class KeptResults:
    """The store behind the results at hand; written by a thread of its own, so that nobody waits for it."""

    def __init__(self) -> None:
        """Start with nothing to write."""
        self._queue: Queue[tuple[str, Result]] = Queue(WAITING)
        self._thread: Thread | None = None
        self._lock = Lock()

    def get(self, key: str) -> Result | None:
        """Return a result, or None; a database that is away is none."""
        try:
            row = KeptResult.objects.filter(key=_full(key)).values_list("data", "used_at").first()
            if row is None:
                return None
            if timezone.now() - row[1] > FRESH:
                KeptResult.objects.filter(key=_full(key)).update(used_at=timezone.now())
            return unpack_result(bytes(row[0]))
        except Unpackable:
            log.warning("A kept result could not be read and is made again.")
        except Exception as error:  # whatever the database says: results can be made again
            log.warning("Kept results cannot be asked (%s).", type(error).__name__)
        finally:
            _let_go()
        return None

    def put(self, key: str, result: Result) -> None:
        """Keep a result as soon as there is time."""
        self._start()
        try:
            self._queue.put_nowait((key, result))
        except Full:
            pass

    def wait(self) -> None:
        """Wait until all that was put is written."""
        self._queue.join()

    def _start(self) -> None:
        with self._lock:
            if self._thread is None or not self._thread.is_alive():
                self._thread = Thread(target=self._write, name="kept results", daemon=True)
                self._thread.start()

    def _write(self) -> None:
        while True:
            key, result = self._queue.get()
            try:
                data = pack_result(result)
                if data is not None and len(data) <= LARGEST:
                    values = {"data": data, "size": len(data)}
                    KeptResult.objects.get_or_create(key=_full(key), defaults=values)
            except Exception as error:  # as above
                log.warning("A result could not be kept (%s).", type(error).__name__)
            finally:
                _let_go()
                self._queue.task_done()


def _full(key: str) -> str:
    """Return the key of a result made by the present code."""
    return f"{code_key()}:{key}"


def _let_go() -> None:
    """Let the connection of a thread go where it is broken or old, and always in tests, whose database goes away."""
    if connection.in_atomic_block:
        return
    if settings.JOBS == "now":
        connection.close()
    else:
        connection.close_if_unusable_or_obsolete()


def throw_out() -> int:
    """Delete results of other code, and the least recently used ones beyond the limit; returns how many."""
    with transaction.atomic():
        gone = KeptResult.objects.exclude(key__startswith=code_key()).filter(used_at__lt=timezone.now() - FRESH).delete()[0]
        newest = Window(Sum("size"), order_by=[F("used_at").desc(), F("key").asc()])
        summed = KeptResult.objects.annotate(total=newest).values_list("key", "total")
        beyond = [key for key, total in summed if total > settings.RESULTS_MB * 1_000_000]
        return gone + KeptResult.objects.filter(key__in=beyond).delete()[0]
