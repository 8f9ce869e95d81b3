"""Evaluate sheets for the bench: shared results, and long builds watched from other requests."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable

from django.conf import settings

from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.evaluate import Build, evaluate
from glass_spoon.studio.flows.kept_results import KeptResults
from glass_spoon.studio.flows.read_files import KEPT_FILES
from glass_spoon.studio.flows.watched_work import PATIENCE, Report, WatchedWork, Working

RESULTS = ResultCache(settings.CACHE_MB * 500_000, KeptResults() if settings.KEEP_RESULTS else None)
"""Results of lines, shared by all parts of this process; those that took long by all processes."""

_builds: WatchedWork[Build] = WatchedWork(
    "build", threads=4
)  # those that wait for a file that is read elsewhere cost nothing


def _work(document: SheetDocument, after: str | None) -> Callable[[Report], Build]:
    """Return the evaluation as work that reports its share, lines counted alike."""

    def run(report: Report) -> Build:
        return evaluate(
            document, RESULTS, after, lambda line, lines, share: report((line + share) / lines), sources=KEPT_FILES
        )

    return run


def evaluate_trial(document: SheetDocument, after: str | None) -> Build:
    """Return the build of a sheet that is only tried: nothing is inspected, nothing is watched."""
    return evaluate(document, RESULTS, after, inspect=False, sources=KEPT_FILES)


def document_key(document: SheetDocument, *more: object) -> str:
    """Return a key of a document's content and what else matters."""
    text = json.dumps([document.model_dump(mode="json"), *more], sort_keys=True)
    return hashlib.blake2b(text.encode(), digest_size=16).hexdigest()


def build_sheet(document: SheetDocument, after: str | None, patience: float = PATIENCE) -> Build | Working:
    """Return the build of a sheet, or after `patience` seconds the work under way."""
    return _builds.result(document_key(document, after), _work(document, after), patience)


def stop_build(document: SheetDocument, after: str | None) -> str:
    """End the build of a sheet at its next report; return its key."""
    key = document_key(document, after)
    _builds.stop(key)
    return key


def finished_build(document: SheetDocument, after: str | None = None) -> Build:
    """Return the build of a sheet, however long it takes."""
    return _builds.finished(document_key(document, after), _work(document, after))
