"""Gauges over their limits, told in the sheet at the line that caused it, with the change that would mend it."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace

from glass_spoon.kernel.gauges.reading import Reading
from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.line import Finding
from glass_spoon.studio.flows.build_part import document_key
from glass_spoon.studio.flows.show_scene import Shown
from glass_spoon.studio.flows.watched_work import WatchedWork, Working
from glass_spoon.studio.show.gauge_rows import STYLES
from glass_spoon.studio.show.gauge_ways import added_lines, changes
from glass_spoon.studio.show.sheet_rows import ChapterRows, SheetRow

WORDS = {
    "four_sided": "{value} of the faces have four sides",
    "evenness": "The faces are uneven: {value}, the limit is {limit}",
    "smallest_corner": "The narrowest corner is {value}, the limit is {limit}",
    "off_surface": "It stands {value} off the surface, the limit is {limit}",
    "kinks": "The smoothed shape turns by {value} along an edge, the limit is {limit}",
    "face_budget": "It has {value} faces",
    "crowded_edges": "{value} edges have three faces or more",
    "small_gaps": "{value} small gaps between open edges: they nearly meet",
    "doubled_points": "{value} points lie on others: seams that were never welded",
    "stray_points": "{value} points belong to no face",
    "odd_on_bends": "{value} triangles or many-sided faces lie on a bend",
    "close_loops": "{value} faces are too thin for smoothing to use",
}
"""What is told of each gauge; folds are told by the lines themselves."""

WORDS_OF_ONE = {
    "crowded_edges": "One edge has three faces or more",
    "small_gaps": "One small gap between open edges: they nearly meet",
    "doubled_points": "One point lies on another: a seam that was never welded",
    "stray_points": "One point belongs to no face",
    "odd_on_bends": "One triangle or many-sided face lies on a bend",
    "close_loops": "One face is too thin for smoothing to use",
}
"""The same where there is but one."""


def with_gauges(chapters: list[ChapterRows], findings: list[Finding], causes: Mapping[str, str]) -> list[ChapterRows]:
    """Return the rows with what the gauges of a mesh complain about, each at the line that caused it, by code."""
    found = [(causes[finding.code], finding) for finding in findings]
    if not found:
        return chapters
    return [replace(chapter, rows=[_told(row, found) for row in chapter.rows]) for chapter in chapters]


def _told(row: SheetRow, found: list[tuple[str, Finding]]) -> SheetRow:
    """Return a row with the findings that it caused."""
    own = [finding for line, finding in found if line == row.id]
    if not own:
        return row
    return replace(row, findings=(*row.findings, *own), status="look" if row.status == "good" else row.status)


_findings: WatchedWork[list[Finding]] = WatchedWork("findings", threads=2)


def watched_findings(
    document: SheetDocument, item: Shown, causes: Mapping[str, str], readings: list[Reading]
) -> list[Finding] | Working:
    """Return the findings of a mesh, or that changes which would mend it are still being tried."""
    key = f"{document_key(document, None)}:{item.key}:{sorted(causes.items())}"
    return _findings.result(key, lambda report: gauge_findings(document, item, causes, readings))


def gauge_findings(
    document: SheetDocument, item: Shown, causes: Mapping[str, str], readings: list[Reading]
) -> list[Finding]:
    """Return a finding for each gauge over its limit whose cause, a line, is told by its code."""
    found = []
    for reading in readings:
        if not is_over(reading) or reading.code not in causes:
            continue
        style = STYLES[reading.code]
        limit = style.show(reading.limit) if reading.limit is not None else ""
        value = (
            f"{reading.value:,.0f} of {reading.limit:,.0f}" if reading.code == "face_budget" else style.show(reading.value)
        )
        words = WORDS_OF_ONE if reading.value == 1 and reading.code in WORDS_OF_ONE else WORDS
        sentence = words[reading.code].format(value=value, limit=limit) + "."
        actions = changes(document, document.line(causes[reading.code]), item, reading)
        actions += added_lines(document, item, reading)
        offenders = tuple(reading.offenders[:1].tolist())
        found.append(Finding(reading.code, "look", sentence, actions, reading.kind, offenders))
    return found


def is_over(reading: Reading) -> bool:
    """Say whether a gauge is over its limit, and is told of in the sheet."""
    return not reading.is_good and not math.isnan(reading.value) and reading.code in WORDS
