"""Changes of several lines at once, as in edit.py of one; lines put in from another sheet or a text."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.edit import (
    RefusedEdit,
    add_line,
    default_line,
    find_line,
    free_name,
    new_id,
    rename_size,
    used_sizes,
    with_lines,
)
from glass_spoon.sheet.errors import BadDocument
from glass_spoon.sheet.fields import EVERY, MakerSpec, NameSpec, ReferenceSpec, ReferencesSpec
from glass_spoon.sheet.line import Line
from glass_spoon.sheet.lines.remarks import MOST_WORDS, Remark, Step
from glass_spoon.sheet.lines.sizes import Size
from glass_spoon.sheet.plain_unit import PlainUnit
from glass_spoon.sheet.proposal import Proposal
from glass_spoon.sheet.propose import propose
from glass_spoon.sheet.text_form.marks import without_marks
from glass_spoon.sheet.text_form.read_text import ReadLine, is_sheet_text, read_lines, read_text
from glass_spoon.sheet.text_form.write_text import item_texts

MOST_TEXT = 400_000
"""Most characters of a text that lines are put in from."""

OWN = "put-"
"""What ids of lines begin with until they stand in their sheet: no line of a sheet has such a one."""


def step_of(document: SheetDocument, line_id: str) -> list[str]:
    """Return the ids of a step and the lines up to the next one, sizes left out; of another line its own."""
    line = find_line(document, line_id)
    if not isinstance(line, Step):
        return [line_id]
    at = [other.id for other in document.lines].index(line_id)
    found = [line_id]
    for other in document.lines[at + 1 :]:
        if isinstance(other, Step):
            break
        if not isinstance(other, Size):
            found.append(other.id)
    return found


def up_to(document: SheetDocument, after: str | None) -> SheetDocument:
    """Return the document as one sees it who stands on a line: what comes after it is left out, but for sizes."""
    if not after or not document.has(after):
        return document
    at = [line.id for line in document.lines].index(after)
    lines = [line for place, line in enumerate(document.lines) if place <= at or isinstance(line, Size)]
    return document.model_copy(update={"lines": lines})


def line_behind(document: SheetDocument, verb: str, after: str | None) -> Line:
    """Return a new line of a verb, its items the last ones before the place where it will stand."""
    return fitted(document, default_line(up_to(document, after), verb))


def fitted(document: SheetDocument, line: Line) -> Line:
    """Return a line with an id, and names of what it gives, that nothing in a document has."""
    names = {
        name: free_name(document, str(getattr(line, name)), "_" if isinstance(line, Size) else " ")
        for name, spec in line.specs().items()
        if isinstance(spec, NameSpec) and name in line.used_fields()
    }
    return line.model_copy(update={"id": new_id(document), **names})


def add_proposal(document: SheetDocument, proposal: Proposal, after: str | None) -> tuple[SheetDocument, Line]:
    """Return the document with the line of a proposal added, marks that it needs before it, and the line."""
    own: dict[str, str] = {line.id: line.id for line in document.lines}
    fresh: dict[str, str] = {}
    for one in (*proposal.before, proposal.line):
        line = fitted(document, _with_items(one, own | fresh))
        document = add_line(document, line, after)
        fresh[one.id], after = line.id, line.id
    return document, line


def move_lines(document: SheetDocument, ids: Collection[str], after: str) -> SheetDocument:
    """Return the document with lines moved, in their order, to behind another line, or to the head for ""."""
    for line_id in ids:
        find_line(document, line_id)
    moved: list[Any] = [line for line in document.lines if line.id in ids]
    kept: list[Any] = [line for line in document.lines if line.id not in ids]
    if after and after not in {line.id for line in kept}:
        raise RefusedEdit("Lines cannot be moved to behind one of themselves.")
    at = 1 + next(place for place, line in enumerate(kept) if line.id == after) if after else 0
    return with_lines(document, [*kept[:at], *moved, *kept[at:]])


def move_before(document: SheetDocument, line_id: str, before: str) -> SheetDocument:
    """Return the document with a line moved to before another one, and with it the lines behind that which it needs.

    Raises RefusedEdit where it needs that line itself.
    """
    find_line(document, before)
    order = [line.id for line in document.lines]
    behind = order[order.index(before) :]
    needed, asked = {line_id}, [find_line(document, line_id)]
    while asked:
        new = {item for item in asked.pop().references().values() if item in behind} - needed
        needed |= new
        asked += [find_line(document, item) for item in new]
    if before in needed:
        raise RefusedEdit(f"It needs line {document.number_of(before)}, and cannot stand before it.")
    at = order.index(before)
    return move_lines(document, needed, order[at - 1] if at else "")


def _place(document: SheetDocument, line_id: str) -> int:
    return next(place for place, line in enumerate(document.lines) if line.id == line_id)


def shift_lines(document: SheetDocument, ids: Collection[str], by: int) -> SheetDocument:
    """Return the document with lines moved together past their neighbour, up (-1) or down (+1); a step past a step."""
    order = [line for line in document.lines if not isinstance(line, Size)]
    chosen = [line.id for line in order if line.id in ids]
    if not chosen:
        raise RefusedEdit("These lines are no longer in the sheet. Load the page again.")
    places = [place for place, line in enumerate(order) if line.id in ids]
    before = [line for line in order[: places[0]] if line.id not in ids]
    behind = [line for line in order[places[-1] + 1 :] if line.id not in ids]
    whole = isinstance(order[places[0]], Step)
    if by < 0:
        past = next((k for k, line in enumerate(reversed(before), 1) if not whole or isinstance(line, Step)), len(before))
        rest = before[: len(before) - past]
        return move_lines(document, chosen, rest[-1].id if rest else _end_of_sizes(document))
    if not behind:
        return document
    steps = [k for k, line in enumerate(behind) if isinstance(line, Step)]
    past = (steps[1] if len(steps) > 1 else len(behind)) if whole and steps and steps[0] == 0 else 1
    return move_lines(document, chosen, behind[past - 1].id)


def _end_of_sizes(document: SheetDocument) -> str:
    """Return the last of the sizes at the head of a sheet, "" where none is there."""
    head = ""
    for line in document.lines:
        if not isinstance(line, Size):
            break
        head = line.id
    return head


def pause_lines(document: SheetDocument, ids: Collection[str], *, paused: bool) -> SheetDocument:
    """Return the document with lines paused or taken up again."""
    return with_lines(
        document,
        [line.model_copy(update={"paused": paused}) if line.id in ids else line for line in document.lines],
    )


def remove_lines(document: SheetDocument, ids: Collection[str]) -> SheetDocument:
    """Return the document without some lines; lines that used them stay and say what they miss."""
    return with_lines(document, [line for line in document.lines if line.id not in ids])


def make_step(document: SheetDocument, ids: Collection[str], title: str) -> tuple[SheetDocument, str]:
    """Return the document with a step of some lines, which are gathered behind the first of them, and the step's id."""
    chosen = [line.id for line in document.lines if line.id in ids and not isinstance(line, Size | Step)]
    if not chosen:
        raise RefusedEdit("Choose the lines of the step first.")
    step = Step(id=new_id(document), title=free_title(document, title))
    order = [line.id for line in document.lines]
    at = order.index(chosen[0])
    own = next((line for line in reversed(document.lines[:at]) if isinstance(line, Step)), None)
    added = add_line(document, step, order[at - 1]) if at else with_lines(document, [step, *document.lines])
    gathered = move_lines(added, chosen, step.id)
    behind = [line for line in gathered.lines[_place(gathered, chosen[-1]) + 1 :] if not isinstance(line, Size)]
    if behind and not isinstance(behind[0], Step):
        # What follows does not belong to it: it goes on with the step that was there, or one of its own.
        rest = Step(id=new_id(gathered), title=free_title(gathered, f"{own.title}, on" if own else "The rest"))
        gathered = add_line(gathered, rest, chosen[-1])
    return gathered, step.id


def free_title(document: SheetDocument, title: str) -> str:
    """Return a heading that no step has yet."""
    taken = {line.title for line in document.lines if isinstance(line, Step)}
    base, number = title.strip()[:54] or "Step", 2
    found = base
    while found in taken:
        found, number = f"{base} {number}", number + 1
    return found


@dataclass(frozen=True)
class PutIn:
    """What became of lines that were put in: the document, and the ids of the new lines.

    told: what was not understood; it stands as remarks behind the lines.
    """

    document: SheetDocument
    ids: tuple[str, ...]
    told: tuple[str, ...]


def paste_text(document: SheetDocument, text: str, after: str | None, unit: PlainUnit = "mm") -> PutIn:
    """Return the document with the lines of a text put in behind a line, or at the end.

    Lines in the written form become the same lines, sizes and items named anew where the names are taken. Plain sentences
    become what the finder makes of them, plain numbers for lengths of `unit`; what was not
    understood stands as a remark behind them. Raises RefusedEdit where nothing is a line.
    """
    if len(text) > MOST_TEXT:
        raise RefusedEdit(f"The text has {len(text):,} characters; the most is {MOST_TEXT:,}.")
    if is_sheet_text(text):
        try:
            whole = read_text(text)
        except BadDocument as error:
            raise RefusedEdit(str(error)) from error
        return put_lines(document, whole, [line.id for line in whole.lines], after)
    seen = up_to(document, after)
    known = {called: line_id for line_id, called in item_texts(seen).items()}
    read = read_lines(text, known, OWN)
    return _put_in(document, read, after, unit)


def put_lines(document: SheetDocument, source: SheetDocument, ids: Iterable[str], after: str | None) -> PutIn:
    """Return the document with lines of another one put in: names kept apart, items that are not among them left open."""
    chosen = set(ids)
    own = {line.id: f"{OWN}{number}" for number, line in enumerate(source.lines) if line.id in chosen}
    lines = [line.model_copy(update={"id": own[line.id]}) for line in source.lines if line.id in chosen]
    return _put_in(document, [ReadLine(_with_items(line, own), "", 0) for line in lines], after)


def apart(document: SheetDocument, ids: Iterable[str], name: str) -> SheetDocument:
    """Return some lines of a sheet as one of its own, with the sizes that they use, and those that these use.

    What else they use is left open where they are put in.
    """
    chosen = set(ids)
    sizes = {line.name: line for line in document.lines if isinstance(line, Size)}
    waiting = [line for line in document.lines if line.id in chosen]
    while waiting:
        used = [sizes[size] for size in used_sizes(waiting.pop()) if size in sizes and sizes[size].id not in chosen]
        chosen |= {size.id for size in used}
        waiting += used
    lines = [line for line in document.lines if line.id in chosen]
    kept = {line.id: line.id for line in lines}
    return SheetDocument(name=name, lines=[_with_items(line, kept) for line in lines])


def _put_in(document: SheetDocument, read: list[ReadLine], after: str | None, unit: PlainUnit = "mm") -> PutIn:
    """Put lines in one behind the other."""
    fresh: dict[str, str] = {}
    renamed: dict[str, str] = {}
    ids: list[str] = []
    told: list[str] = []
    for one in read:
        line, missed = one.line, ""
        if line is None:
            seen = up_to(document, after)
            found = next(iter(propose(without_marks(one.words), seen, unit)), None) if one.words else None
            line = found.line if found else None
            for mark in found.before if found else ():
                put = fitted(document, _with_items(mark, {other.id: other.id for other in document.lines} | fresh))
                document = add_line(document, put, after)
                fresh[mark.id], after = put.id, put.id
                ids.append(put.id)
            missed = f"“{' '.join(found.missed)}” of “{one.words}”" if found and found.missed else ""
            missed = missed or ("" if found else f"“{one.words}”")
        if line is not None and not (isinstance(line, Size) and _has_size(document, line)):
            for old, new in renamed.items():
                line = rename_size(line, old, new)
            there = {other.id: other.id for other in document.lines}
            put = fitted(document, _with_items(line, there | fresh))
            if isinstance(line, Size) and isinstance(put, Size) and put.name != line.name:
                renamed[line.name] = put.name
                # Sizes use each other in any order: those that were put in before it mean this one too.
                own = set(ids)
                changed = [rename_size(o, line.name, put.name) if o.id in own else o for o in document.lines]
                document = with_lines(document, changed)
            document = add_line(document, put, after)
            fresh[line.id], after = put.id, put.id
            ids.append(put.id)
        if missed:
            told.append(f"Not understood: {missed}"[:MOST_WORDS])
            remark = Remark(id=new_id(document), text=told[-1])
            document, after = add_line(document, remark, after), remark.id
    if not ids:
        raise RefusedEdit(" ".join(told) or "There is no line in this text.")
    return PutIn(document, tuple(ids), tuple(told))


def _has_size(document: SheetDocument, size: Size) -> bool:
    """Say whether a document has a size of this name that holds the same."""
    return any(isinstance(line, Size) and (line.name, line.value) == (size.name, size.value) for line in document.lines)


def _with_items(line: Line, ids: Mapping[str, str]) -> Line:
    """Return a line with other ids in its references; those that are not known are left open."""
    values: dict[str, Any] = {}
    for name, spec in line.specs().items():
        raw = getattr(line, name)
        if isinstance(spec, ReferenceSpec | MakerSpec) and raw and raw != EVERY:
            values[name] = ids.get(str(raw), "")
        elif isinstance(spec, ReferencesSpec):
            values[name] = [ids[item] for item in raw if item in ids]
    return line.model_copy(update=values)
