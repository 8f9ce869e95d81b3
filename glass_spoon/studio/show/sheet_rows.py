"""Lines of a sheet as rows: sentence parts with their editable values, chapter by chapter."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.errors import BadExpression
from glass_spoon.sheet.evaluate import Build, LineReport
from glass_spoon.sheet.expressions import format_quantity, names_in, read_quantity
from glass_spoon.sheet.fields import (
    EVERY,
    ChoiceSpec,
    CornersSpec,
    FileSpec,
    LawSpec,
    MakerSpec,
    NameSpec,
    NumberSpec,
    PictureSpec,
    PointsSpec,
    ReferenceSpec,
    ReferencesSpec,
    Spec,
    TableSpec,
)
from glass_spoon.sheet.kinds import KINDS, one_of
from glass_spoon.sheet.line import CHAPTERS, Finding, Line
from glass_spoon.sheet.lines.remarks import Remark
from glass_spoon.sheet.lines.sizes import Size

PUNCTUATION = ",.;:)"
"""Marks that stay on the line of the value before them."""


@dataclass(frozen=True)
class ValuePart:
    """A piece of a sentence. kind: text, verb, number, choice, reference, name, points, corners, file.

    tail: the punctuation that follows and must not begin a line.
    """

    kind: str
    text: str
    field: str = ""
    raw: str = ""
    help: str = ""
    step: float = 1.0
    unit: str = ""
    options: tuple[tuple[str, str], ...] = ()
    axis: str = ""
    tail: str = ""

    @property
    def entries(self) -> list[str]:
        """The ids of a list of references, in order."""
        return [entry for entry in self.raw.split(",") if entry]


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
            parts.append(_value(build, line, part.text))
    return parts


def _value(build: Build, line: Line, name: str) -> ValuePart:
    """Return one editable value."""
    spec, raw = line.spec(name), getattr(line, name)
    if isinstance(spec, NumberSpec):
        text = _number_text(build, raw, spec)
        return ValuePart("number", text, name, str(raw), spec.help, spec.step, _unit(spec), axis=spec.axis)
    if isinstance(spec, ChoiceSpec):
        options = tuple((choice, spec.choice_label(choice)) for choice in spec.choices)
        return ValuePart("choice", spec.choice_label(str(raw)), name, str(raw), spec.help, options=options)
    if isinstance(spec, ReferenceSpec):
        return ValuePart(
            "reference",
            build.document.item_name(raw) or ("every surface" if raw == EVERY else f"pick {one_of(spec.kinds[:1])}"),
            name,
            raw,
            spec.help,
            options=_item_options(build.document, line, spec),
        )
    if isinstance(spec, MakerSpec):
        options = _maker_options(build.document, line)
        return ValuePart("reference", dict(options).get(raw, "pick what made them"), name, raw, spec.help, options=options)
    if isinstance(spec, ReferencesSpec):
        options = _item_options(build.document, line, spec)
        words = ", ".join(build.document.item_name(item) for item in raw) or (
            f"pick {KINDS[spec.item_kind].plural}" if spec.least else "none"
        )
        return ValuePart("references", words, name, ",".join(raw), spec.help, options=options)
    return _other_value(spec, name, raw)


def _other_value(spec: Spec, name: str, raw: Any) -> ValuePart:
    """Return names, points and files."""
    if isinstance(spec, PointsSpec):
        sharp = sum(1 for point in raw if point.sharp)
        words = f"{len(raw)} point{'' if len(raw) == 1 else 's'}" + (f", {sharp} sharp" if sharp else "")
        return ValuePart("points", words if raw else "no points yet", name, "", spec.help)
    if isinstance(spec, TableSpec):
        return ValuePart("table", f"{len(raw)} {spec.noun[len(raw) != 1]}", name, "", spec.help)
    if isinstance(spec, FileSpec):
        noun = "file" if "step" in spec.endings else "mesh" if "obj" in spec.endings else "drawing"
        return ValuePart("file", f"the {noun}" if raw else f"no {noun} yet", name, "", spec.help, unit=spec.endings)
    if isinstance(spec, CornersSpec):
        own = ", ".join(f"{corner.corner}: {corner.value}" for corner in raw)
        return ValuePart("corners", own or "no exceptions", name, own, spec.help)
    if isinstance(spec, PictureSpec):
        return ValuePart("picture", "the picture" if raw else "no picture yet", name, raw, spec.help)
    kind = "name" if isinstance(spec, NameSpec) else "law" if isinstance(spec, LawSpec) else "text"
    return ValuePart(kind, str(raw), name, str(raw), spec.help)


def _number_text(build: Build, raw: Any, spec: NumberSpec) -> str:
    """Show a number as typed; an expression of sizes with what it comes to."""
    text = str(raw).strip()
    if not isinstance(raw, str):
        return spec.show(float(raw)) if spec.dimension != "angle" else f"{raw:g}°"
    try:
        quantity = read_quantity(text, build.sizes)
    except BadExpression:
        return text
    if names_in(text):
        return f"{text} = {format_quantity(quantity)}"
    bare = quantity.powers == (0, 0) and spec.dimension != "number"
    return text + {"length": " mm", "angle": "°"}[spec.dimension] if bare else text


def _unit(spec: NumberSpec) -> str:
    """Return the unit that stepping works in."""
    return {"length": "mm", "angle": "°"}.get(spec.dimension, "")


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


def _item_options(document: SheetDocument, line: Line, spec: ReferenceSpec | ReferencesSpec) -> tuple[tuple[str, str], ...]:
    """Return the items of the kind that earlier lines give."""
    options, known = [], document.kinds()
    for other in document.lines:
        if other.id == line.id:
            break
        if known.get(other.id) in spec.kinds:
            options.append((other.id, document.item_name(other.id)))
    if isinstance(spec, ReferenceSpec) and spec.every and len(options) > 1:
        options.append((EVERY, "every surface"))
    return tuple(options)


def _maker_options(document: SheetDocument, line: Line) -> tuple[tuple[str, str], ...]:
    """Return the surfaces and meshes that earlier lines give, and the earlier lines that made faces of a mesh."""
    options, known = [], document.kinds()
    for other in document.lines:
        if other.id == line.id:
            break
        if known.get(other.id) in ("surface", "surfaces", "mesh"):
            options.append((other.id, document.item_name(other.id)))
        elif other.signs and other.changes:
            verb = next(part.text for part in other.prose() if part.kind == "verb")
            options.append((other.id, f"line {document.number_of(other.id)}, {verb}"))
    return tuple(options)


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
        took = f"{build.seconds:.1f}\xa0s" if build.seconds >= 1 else f"{max(1, round(build.seconds * 1000))}\xa0ms"
        text += f" · rebuilt from line {number} in {took}"
    return text


def in_chapter_order(verbs: list[Any]) -> list[tuple[str, list[Any]]]:
    """Group proposals by chapter."""
    groups = [(chapter, [verb for verb in verbs if verb.chapter == chapter]) for chapter in CHAPTERS]
    return [(chapter, found) for chapter, found in groups if found]
