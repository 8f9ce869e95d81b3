"""The edits of several lines, and lines put in, that the bench can ask for: each from form fields to a change."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from glass_spoon.formats.clean_text import whole_number
from glass_spoon.sheet import edit, edit_many
from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.lines.remarks import Step
from glass_spoon.sheet.offered_next import next_line
from glass_spoon.sheet.text_form.read_text import read_text
from glass_spoon.studio.clean_requests import read_object
from glass_spoon.studio.flows.change_part import Edit, EditOfProject
from glass_spoon.studio.flows.typed_values import typed_values
from glass_spoon.studio.models import Part, Starter
from glass_spoon.studio.sentences import Refused
from glass_spoon.studio.shown_unit import active_unit

Form = Mapping[str, Any]


NO_TABLE = "The table of sizes cannot be read. Open it again."


def name_of(document: SheetDocument, line_id: str) -> str:
    """Say which line, for summaries."""
    number, line = document.number_of(line_id), document.line(line_id)
    if isinstance(line, Step):
        return f"step “{line.title}”"
    return f"line {number}" if number else f"size {getattr(line, 'name', '')}"


def _chosen(form: Form) -> list[str]:
    """Return the ids of the lines that a form names."""
    return [line for line in str(form.get("lines", "")).split(",") if line]


def _whole(document: SheetDocument, ids: list[str]) -> list[str]:
    """Return the ids of lines, of a step with all its lines."""
    return list(dict.fromkeys(own for line_id in ids for own in edit_many.step_of(document, line_id)))


def _names_of(document: SheetDocument, ids: list[str]) -> str:
    """Say which lines, for summaries."""
    own = [line_id for line_id in ids if document.has(line_id)]
    if own and isinstance(document.line(own[0]), Step):
        return name_of(document, own[0])
    return name_of(document, own[0]) if len(own) == 1 else f"{len(own)} lines"


def _move_many(form: Form) -> Edit:
    """Move lines together: past their neighbour (`by`), or to behind a line (`after`, "" for the head)."""
    ids, by, after = _chosen(form), str(form.get("by", "")), str(form.get("after", ""))

    def change(document: SheetDocument) -> tuple[SheetDocument, str]:
        whole = _whole(document, ids)
        if by:
            changed = edit_many.shift_lines(document, whole, -1 if by == "-1" else 1)
        else:
            changed = edit_many.move_lines(document, whole, after)
        return changed, f"{_names_of(document, whole)} moved"

    return change


def _pause_many(form: Form) -> Edit:
    ids, paused = _chosen(form), form.get("paused") == "1"

    def change(document: SheetDocument) -> tuple[SheetDocument, str]:
        whole = _whole(document, ids)
        word = "paused" if paused else "taken up"
        return edit_many.pause_lines(document, whole, paused=paused), f"{_names_of(document, whole)} {word}"

    return change


def _remove_many(form: Form) -> Edit:
    """Remove lines; a step goes with its lines where `whole` says so, else its heading alone."""
    ids, with_lines = _chosen(form), form.get("whole") == "1"

    def change(document: SheetDocument) -> tuple[SheetDocument, str]:
        whole = _whole(document, ids) if with_lines else ids
        return edit_many.remove_lines(document, whole), f"{_names_of(document, whole)} removed"

    return change


def _make_step(form: Form) -> Edit:
    ids, title = _chosen(form), str(form.get("title", "Step"))

    def change(document: SheetDocument) -> tuple[SheetDocument, str]:
        changed, step = edit_many.make_step(document, ids, title)
        return changed, f"{name_of(changed, step)} made"

    return change


def _paste(form: Form) -> Edit:
    """Put lines in from a text: the written form, or plain sentences."""
    text, after = str(form.get("text", "")), str(form.get("after", "")) or None

    def change(document: SheetDocument) -> tuple[SheetDocument, str]:
        put = edit_many.paste_text(document, text, after if after and document.has(after) else None, active_unit())
        many = "1 line" if len(put.ids) == 1 else f"{len(put.ids)} lines"
        missed = f"; {len(put.told)} not understood in full" if put.told else ""
        return put.document, f"{many} put in{missed}"

    return change


def _put_from(form: Form) -> EditOfProject:
    """Put lines of another part of the project in."""
    ids, after = _chosen(form), str(form.get("after", "")) or None
    number = whole_number(str(form.get("from", "")))

    def change(document: SheetDocument, project_id: int) -> tuple[SheetDocument, str]:
        source = Part.objects.filter(project_id=project_id, id=number).first()
        if source is None:
            raise Refused("This part is no longer in the project. Choose another one.", 404)
        if not ids:
            raise Refused("Choose the lines that you want to bring in.")
        put = edit_many.put_lines(document, source.sheet(), ids, after if after and document.has(after) else None)
        many = "1 line" if len(put.ids) == 1 else f"{len(put.ids)} lines"
        return put.document, f"{many} of {source.name} brought in"

    return EditOfProject(change)


def _put_starter(form: Form) -> EditOfProject:
    """Put the lines of a starter of the project in."""
    number, after = whole_number(str(form.get("starter", ""))), str(form.get("after", "")) or None

    def change(document: SheetDocument, project_id: int) -> tuple[SheetDocument, str]:
        starter = Starter.objects.filter(project_id=project_id, id=number).first()
        if starter is None:
            raise Refused("This starter was removed from the project. Choose another one.", 404)
        source = read_text(starter.text)
        every = [line.id for line in source.lines]
        put = edit_many.put_lines(document, source, every, after if after and document.has(after) else None)
        return put.document, f"{starter.name} put in"

    return EditOfProject(change)


def _set_sizes(form: Form) -> Edit:
    """Change several sizes at once, names and values, and add those that are new: those without an id."""
    rows = read_object(f'{{"rows": {form.get("sizes", "")}}}', NO_TABLE).get("rows")
    if not isinstance(rows, list) or not all(isinstance(row, dict) for row in rows):
        raise Refused(NO_TABLE)

    def change(document: SheetDocument) -> tuple[SheetDocument, str]:
        texts = [{key: str(row.get(key, "")).strip() for key in ("id", "name", "value")} for row in rows]
        known = [row for row in texts if row["id"]]
        if any(not document.has(row["id"]) for row in known):
            raise Refused("One of these sizes was removed meanwhile. Open the table again.", 404)
        before, start = document, {row["id"]: document.line(row["id"]) for row in known}
        # Values first: a size that gets another name is then renamed in them too.
        for field in ("value", "name"):
            for row in known:
                if row[field] != str(getattr(start[row["id"]], field, row[field])):
                    value = typed_values(document, {row["id"]: {field: row[field]}})[row["id"]][field]
                    document = edit.set_field(document, row["id"], field, value)
        for row in texts:
            if not row["id"] and row["name"]:
                fresh = edit.default_line(document, "size")
                document = edit.set_field(edit.add_line(document, fresh), fresh.id, "name", row["name"])
                document = edit.set_field(document, fresh.id, "value", row["value"])
        if document is before:
            raise Refused("Nothing was changed in the table.")
        return document, "sizes changed"

    return change


def _next(form: Form) -> Edit:
    """Add a line that is offered next: a verb on the item that a line made, right behind it."""
    verb, after = str(form.get("verb", "")), str(form.get("after", ""))

    def change(document: SheetDocument) -> tuple[SheetDocument, str]:
        line = next_line(document, verb, after)
        changed = edit.add_line(document, line, after)
        return changed, f"{name_of(changed, line.id)} added"

    return change


EDITS_OF_LINES: dict[str, Callable[[Form], Edit | EditOfProject]] = {
    "move_many": _move_many,
    "pause_many": _pause_many,
    "remove_many": _remove_many,
    "make_step": _make_step,
    "paste": _paste,
    "put_from": _put_from,
    "put_starter": _put_starter,
    "sizes": _set_sizes,
    "next": _next,
}
