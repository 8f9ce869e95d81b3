"""Lines of a sheet as rows: sentence parts with their editable values, chapter by chapter."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.evaluate import Build, LineReport
from glass_spoon.sheet.expressions import format_quantity, names_in
from glass_spoon.sheet.kinds import KINDS
from glass_spoon.sheet.line import CHAPTERS, Finding, Line
from glass_spoon.sheet.lines.remarks import Remark
from glass_spoon.sheet.lines.sizes import Size
from glass_spoon.studio.show.value_parts import ValuePart, value_part

PUNCTUATION = ",.;:)"
"""Marks that stay on the line of the value before them."""


@dataclass(frozen=True)
class SheetRow:
    """A line as shown."""

    id: str
    number: int
    verb: str
    parts: list[ValuePart]
    status: str
    time: str
    findings: tuple[Finding, ...]
    paused: bool
    is_last_shown: bool = False
    dependents: str = ""
    told: str = ""
    worked: bool = False


@dataclass(frozen=True)
class ChapterRows:
    """A run of lines of one chapter."""

    title: str
    rows: list[SheetRow] = field(default_factory=list)


@dataclass(frozen=True)
class SizeRow:
    """A size as shown in the foot of the sheet."""

    id: str
    name: str
    raw: str
    value: str
    sentence: str
    is_expression: bool


def chapters(build: Build, after: str | None) -> list[ChapterRows]:
    """Return the lines in order, a heading wherever the chapter changes."""
    result: list[ChapterRows] = []
    for line in build.document.lines:
        if isinstance(line, Size):
            continue
        goes_along = isinstance(line, Remark) and result  # a remark stands where it is said
        if not goes_along and (not result or result[-1].title != line.chapter):
            result.append(ChapterRows(line.chapter))
        result[-1].rows.append(_row(build, line, after))
    return result


def _row(build: Build, line: Line, after: str | None) -> SheetRow:
    """Return one line as shown."""
    report = build.reports.get(line.id, LineReport("waiting"))
    timed = line.item_id is not None and report.status not in ("waiting", "paused", "failed")
    status = "later" if line.id not in build.reports else report.status
    users = [build.document.number_of(other.id) for other in _users(build.document, line)]
    return SheetRow(
        line.id,
        build.document.number_of(line.id),
        line.verb_name,
        _parts(build, line),
        status,
        _time_text(report.seconds) if timed else "",
        report.findings,
        line.paused,
        line.id == after,
        ", ".join(str(number) for number in users if number),
        report.told,
        _worked(build, line, report),
    )


def _worked(build: Build, line: Line, report: LineReport) -> bool:
    """Say whether what a line worked on can be shown: the mesh is as the line left it."""
    state = build.items.get(str(line.item_id))
    return report.done is not None and len(report.done.elements) > 0 and state is not None and state.line_id == line.id


def _time_text(seconds: float) -> str:
    """Return a time in milliseconds, or with its unit from a second on."""
    if seconds < 0.9995:
        return f"{max(1, round(seconds * 1000))}"
    return f"{seconds:.{1 if seconds < 9.95 else 0}f}\xa0s"


def _users(document: SheetDocument, line: Line) -> list[Line]:
    """Return the lines that use what a line gives."""
    if line.changes:
        return []
    return [other for other in document.lines if line.id in other.references().values()]


def _parts(build: Build, line: Line) -> list[ValuePart]:
    """Return the sentence in parts."""
    parts: list[ValuePart] = []
    for part in line.prose():
        if part.kind != "field":
            text = part.text.lstrip(PUNCTUATION) if parts else part.text
            if tail := part.text[: len(part.text) - len(text)]:
                parts[-1] = replace(parts[-1], tail=tail)
            parts.append(ValuePart(part.kind, text))
        else:
            parts.append(value_part(build, line, part.text))
    return parts


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
    told = {finding.code for finding in own}  # the gauge's own words come with the changes that mend it
    findings = (*(finding for finding in row.findings if finding.code not in told), *own)
    return replace(row, findings=findings, status="look" if row.status == "good" else row.status)


def size_rows(build: Build) -> list[SizeRow]:
    """Return the sizes."""
    rows = []
    for line in build.document.lines:
        if isinstance(line, Size):
            value = build.sizes.get(line.name)
            report = build.reports.get(line.id)
            sentence = report.findings[0].sentence if report and report.findings else ""
            shown = format_quantity(value) if value is not None else "?"
            rows.append(SizeRow(line.id, line.name, str(line.value), shown, sentence, bool(names_in(line.value))))
    return rows


def summary(build: Build) -> str:
    """Say what the part holds and what was rebuilt."""
    counts = [(kind, len(build.visible(kind))) for kind in KINDS]
    words = [f"{n} {KINDS[kind].plural if n > 1 else KINDS[kind].noun}" for kind, n in counts if n]
    text = ", ".join(words) or "nothing yet"
    fresh = [i for i, report in build.reports.items() if report.key and not report.from_cache]
    if fresh:
        number = build.document.number_of(fresh[0])
        took = f" in {build.seconds:.1f}\xa0s" if build.seconds >= 1 else ""
        text += f" · rebuilt from line {number}{took}"
    return text


def in_chapter_order(verbs: list[Any]) -> list[tuple[str, list[Any]]]:
    """Group proposals by chapter."""
    groups = [(chapter, [verb for verb in verbs if verb.chapter == chapter]) for chapter in CHAPTERS]
    return [(chapter, found) for chapter, found in groups if found]
