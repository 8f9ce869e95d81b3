"""Lines of a sheet as rows: sentence parts with their editable values, chapter by chapter."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.edit import used_sizes
from glass_spoon.sheet.evaluate import Build, LineReport
from glass_spoon.sheet.expressions import format_quantity, names_in
from glass_spoon.sheet.items import BodiesItem, Item, MeshItem
from glass_spoon.sheet.kinds import KINDS
from glass_spoon.sheet.line import CHAPTERS, Finding, Line, clauses_of
from glass_spoon.sheet.lines import VERBS
from glass_spoon.sheet.lines.remarks import Remark, Step
from glass_spoon.sheet.lines.sizes import Size
from glass_spoon.sheet.offered_next import offered_next
from glass_spoon.sheet.text_form.write_text import said
from glass_spoon.studio.see.tints import tints_of
from glass_spoon.studio.show.value_parts import ValuePart, value_part

PUNCTUATION = ",.;:)"
"""Marks that stay on the line of the value before them."""

HEADED = 15
"""Most lines of a sheet that has headings of chapters: in a longer one they would take the room of the lines."""

JOINED = "\u2060"
"""Keeps a mark on the line of what is before it, where the two stand in different clauses."""


@dataclass(frozen=True)
class SheetRow:
    """A line as shown."""

    id: str
    number: int
    verb: str
    parts: tuple[ValuePart, ...]
    status: str
    time: str
    findings: tuple[Finding, ...]
    paused: bool
    is_last_shown: bool = False
    dependents: str = ""
    told: str = ""
    worked: bool = False
    offers: tuple[tuple[str, str], ...] = ()
    item: str = ""
    uses: tuple[str, ...] = ()

    @property
    def uses_text(self) -> str:
        """The items that it uses, one behind the other."""
        return " ".join(self.uses)

    @property
    def offers_json(self) -> str:
        """The verbs that are offered behind it and their words, as JSON."""
        return json.dumps(self.offers)

    @property
    def has_more(self) -> bool:
        """Whether some of the sentence goes without saying."""
        return any(part.quiet for part in self.parts)


@dataclass(frozen=True)
class StepHead:
    """The heading of a step: its line, the tints of the bodies it gives, their faces (0 for none)."""

    row: SheetRow
    tints: tuple[int, ...] = ()
    faces: int = 0

    @property
    def faces_text(self) -> str:
        """The faces with commas between thousands."""
        return f"{self.faces:,}"


@dataclass(frozen=True)
class ChapterRows:
    """A run of lines of one chapter, or of one step of the modeler's own."""

    title: str
    rows: list[SheetRow] = field(default_factory=list)
    step: StepHead | None = None

    @property
    def to_look_at(self) -> int:
        """How many of the lines need a look, or failed."""
        return sum(row.status in ("look", "failed") for row in self.rows)

    @property
    def rests(self) -> bool:
        """Whether all lines are paused."""
        return bool(self.rows) and all(row.paused for row in self.rows)


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
    """Return the lines in order: by the steps of the sheet, or by chapters where it has none and is short."""
    document = build.document
    bare = len(document.lines) > HEADED or any(isinstance(line, Step) for line in document.lines)
    shown = _Shown(build, after, document.kinds(), users_of(document), tints_of(document), build.resting)
    result: list[ChapterRows] = []
    for line in document.lines:
        if isinstance(line, Size):
            continue
        if isinstance(line, Step):
            result.append(ChapterRows(line.title, step=StepHead(_row(shown, line))))
            continue
        goes_along = isinstance(line, Remark) and result  # a remark stands where it is said
        if not result or not (bare or goes_along or result[-1].title == line.chapter):
            result.append(ChapterRows("" if bare else line.chapter))
        result[-1].rows.append(_row(shown, line))
    return [replace(chapter, step=_summed(shown, chapter)) if chapter.step else chapter for chapter in result]


def item_list(document: SheetDocument) -> list[tuple[str, str, str]]:
    """Return the id, kind and name of every item, in the order of the lines that give them: what references choose from."""
    return [(item, kind, document.item_name(item)) for item, kind in document.kinds().items()]


@dataclass(frozen=True)
class SaidLine:
    """A line in plain words, to be chosen: its id and number."""

    id: str
    number: int
    text: str


def lines_by_step(document: SheetDocument) -> list[tuple[str, list[SaidLine]]]:
    """Return the lines of a sheet in plain words by its steps, each with its own heading first; sizes before all others."""
    groups: list[tuple[str, list[SaidLine]]] = [("Sizes", []), ("", [])]
    for line in document.lines:
        if isinstance(line, Step):
            groups.append((line.title, []))
        at = groups[0] if isinstance(line, Size) else groups[-1]
        at[1].append(SaidLine(line.id, document.number_of(line.id), said(document, line.id)))
    return [(title or "Lines", lines) for title, lines in groups if lines]


def users_of(document: SheetDocument) -> dict[str, list[Line]]:
    """Return the lines that use each item, by its id, in order."""
    users: dict[str, list[Line]] = {}
    for line in document.lines:
        for item in dict.fromkeys(line.references().values()):
            users.setdefault(item, []).append(line)
    return users


def _summed(shown: _Shown, chapter: ChapterRows) -> StepHead | None:
    """Return the heading of a step with what its lines give."""
    if chapter.step is None:
        return None
    build, tints, resting = shown.build, shown.tints, shown.resting
    given = [row.id for row in chapter.rows if row.id in tints and row.id in build.items and row.id not in resting]
    bodies = [item for item in given if isinstance(build.items[item].item, MeshItem | BodiesItem)]
    faces = sum(face_count(build.items[item].item) for item in bodies)
    return replace(chapter.step, tints=tuple(dict.fromkeys(tints[item] for item in bodies or given)), faces=faces)


def face_count(item: Item) -> int:
    """Return the faces of a mesh, or of all copies of a body; 0 of anything else."""
    if isinstance(item, MeshItem):
        return item.mesh.face_count
    return item.face_count if isinstance(item, BodiesItem) else 0


@dataclass(frozen=True)
class _Shown:
    """What rows are made of: the build, up to which line it is shown; kinds, users, tints of items, those that rest."""

    build: Build
    after: str | None
    kinds: Mapping[str, str]
    users: Mapping[str, list[Line]]
    tints: Mapping[str, int]
    resting: set[str]


def _row(shown: _Shown, line: Line) -> SheetRow:
    """Return one line as shown."""
    build = shown.build
    report = build.reports.get(line.id, LineReport("waiting"))
    timed = line.item_id is not None and report.status not in ("waiting", "paused", "failed")
    status = "later" if line.id not in build.reports else report.status
    users = [] if line.changes else [build.document.number_of(other.id) for other in shown.users.get(line.id, [])]
    return SheetRow(
        line.id,
        build.document.number_of(line.id),
        line.verb_name,
        tuple(_parts(build, line)),
        status,
        _time_text(report.seconds) if timed else "",
        report.findings,
        line.paused,
        line.id == shown.after,
        ", ".join(str(number) for number in users if number),
        report.told,
        _worked(build, line, report),
        tuple((verb, called(verb)) for verb in offered_next(build.document, line.id, shown.kinds)),
        line.item_id or "",
        tuple(dict.fromkeys(line.references().values())),
    )


def called(verb: str) -> str:
    """Return what the sentence of a verb calls it."""
    return next(part.text for part in clauses_of(VERBS[verb].sentence)[0].parts if part.kind == "verb")


def _worked(build: Build, line: Line, report: LineReport) -> bool:
    """Say whether what a line worked on can be shown: the mesh is as the line left it."""
    state = build.items.get(str(line.item_id))
    return report.done is not None and len(report.done.elements) > 0 and state is not None and state.line_id == line.id


def _time_text(seconds: float) -> str:
    """Return a time in milliseconds, or with its unit from a second on."""
    if seconds < 0.9995:
        return f"{max(1, round(seconds * 1000))}"
    return f"{seconds:.{1 if seconds < 9.95 else 0}f}\xa0s"


def _parts(build: Build, line: Line) -> list[ValuePart]:
    """Return the sentence in parts, those quiet that go without saying."""
    parts: list[ValuePart] = []
    for clause in line.clauses():
        quiet, first = line.is_quiet(clause), len(parts)
        for part in clause.parts:
            if part.kind == "field":
                parts.append(replace(value_part(build, line, part.text), quiet=quiet))
                continue
            text = part.text.lstrip(PUNCTUATION)
            if tail := part.text[: len(part.text) - len(text)]:
                if len(parts) > first or (parts and parts[-1].quiet == quiet):
                    parts[-1] = replace(parts[-1], tail=parts[-1].tail + tail)
                else:
                    text = JOINED + part.text
            parts.append(ValuePart(part.kind, text, quiet=quiet))
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


@dataclass(frozen=True)
class UsedSize:
    """A size, and by which lines and sizes it is used, in words."""

    size: SizeRow
    used: str


def used_sizes_rows(build: Build) -> list[UsedSize]:
    """Return the sizes with what uses them."""
    document = build.document
    users: dict[str, list[str]] = {}
    for line in document.lines:
        number = document.number_of(line.id)
        called = str(number) if number else line.name if isinstance(line, Size) else ""
        for name in used_sizes(line):
            users.setdefault(name, []).append(called)
    return [UsedSize(row, _users_told(users.get(row.name, []))) for row in size_rows(build)]


def _users_told(users: list[str]) -> str:
    """Say which lines, by number, and which sizes use a size."""
    numbers = [one for one in users if one.isdigit()]
    names = [one for one in users if one and not one.isdigit()]
    lines = [f"line{'' if len(numbers) == 1 else 's'} {', '.join(numbers)}"] if numbers else []
    return ", ".join([*lines, *names]) or "nothing yet"


def summary(build: Build) -> str:
    """Say what the part gives, how much of its budget that takes, and how many lines need a look."""
    resting, document = build.resting, build.document
    states = [state for _, state in build.visible("mesh", "bodies") if state.item_id not in resting]
    bodies = [state for state in states if not document.is_hidden(state.item_id)]
    if bodies:
        faces = sum(face_count(state.item) for state in bodies)
        count = sum(len(state.item.places) if isinstance(state.item, BodiesItem) else 1 for state in bodies)
        what = "1 body" if count == 1 else f"{count:,} bodies"
        text = f"{what}, {faces:,} faces of {document.limits.face_budget:,}"
    else:
        counts = [(kind, len(build.visible(kind))) for kind in KINDS]
        words = [f"{n} {KINDS[kind].plural if n > 1 else KINDS[kind].noun}" for kind, n in counts if n]
        text = ", ".join(words) or "nothing yet"
    amiss = sum(report.status in ("look", "failed") for report in build.reports.values())
    return text + (f" · {amiss} line{'' if amiss == 1 else 's'} need{'s' if amiss == 1 else ''} a look" if amiss else "")


def rebuilt(build: Build) -> str:
    """Say what was rebuilt by the last change."""
    fresh = [i for i, report in build.reports.items() if report.key and not report.from_cache]
    if not fresh:
        return ""
    took = f" in {build.seconds:.1f}\xa0s" if build.seconds >= 1 else ""
    return f"Rebuilt from line {build.document.number_of(fresh[0])}{took}."


def in_chapter_order(verbs: list[Any]) -> list[tuple[str, list[Any]]]:
    """Group proposals by chapter."""
    groups = [(chapter, [verb for verb in verbs if verb.chapter == chapter]) for chapter in CHAPTERS]
    return [(chapter, found) for chapter, found in groups if found]
