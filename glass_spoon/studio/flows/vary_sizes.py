"""Try every size and number of a part some percent larger and smaller, in a job, and keep what does not rebuild."""

from __future__ import annotations

import json
from typing import Any

from glass_spoon.formats.clean_text import whole_number
from glass_spoon.kernel.errors import KernelError
from glass_spoon.sheet.document import SheetDocument, read_document
from glass_spoon.sheet.errors import SheetError
from glass_spoon.sheet.survive import Result, survive
from glass_spoon.studio.flows.read_files import KEPT_FILES
from glass_spoon.studio.flows.watched_work import PATIENCE
from glass_spoon.studio.jobs import rows
from glass_spoon.studio.jobs.kinds import Done, does
from glass_spoon.studio.models import Job
from glass_spoon.studio.sentences import Refused

VARY_SIZES = "vary the sizes"
"""The kind of the jobs."""

PERCENTS = (5, 10, 20, 40)
"""Shares that are offered."""

MOST_LISTED = 100
"""Changes that are listed at most."""

STOPPED = "Stopped: nothing was found out, and nothing was changed."


def start(user: int, part: int, revision: int, document: SheetDocument, typed: str) -> Job:
    """Ask for the numbers of a sheet to be tried, wait a moment, and return the job done or under way."""
    percent = whole_number(typed, 90)
    if not percent:
        raise Refused("The share should be 1 to 90 percent.")
    rows.sweep()
    order = {"percent": percent, "revision": revision, "document": document.model_dump(mode="json")}
    return rows.wait_for(rows.make(VARY_SIZES, user, part, order), PATIENCE)


@does(
    VARY_SIZES,
    told=(Refused, KernelError, SheetError),
    failed="The sizes could not be tried. The sheet is safe; try again.",
    lost="The sizes could not be tried: the worker ended several times. Try a smaller share, or pause the largest mesh.",
)
def vary_sizes(job: Job) -> Done:
    """Try every number, and list the changes after which the part is not sane."""
    document = read_document(job.order["document"])
    rows.tell(job, "trying", 0.0)
    found = survive(
        document,
        job.order["percent"] / 100,
        sources=KEPT_FILES,
        progress=lambda share: rows.tell(job, "trying", share),
    )
    faults = [_row(document, result) for result in found.faults]
    outcome = {
        "tried": len(found.results),
        "sane": len(found.results) - len(faults),
        "faults": faults[:MOST_LISTED],
        "more": max(0, len(faults) - MOST_LISTED),
    }
    return Done(outcome=outcome)


def _row(document: SheetDocument, result: Result) -> dict[str, Any]:
    """Return what the page shows of a change, and what makes it."""
    line = result.line or result.told_at
    number = document.number_of(result.line) if result.line else 0
    return {
        "line": line,
        "where": f"Line {number}" if number else "",
        "label": result.label,
        "outcome": result.outcome,
        "sentence": result.sentence,
        "changes_text": json.dumps(result.trial.changes),
    }
