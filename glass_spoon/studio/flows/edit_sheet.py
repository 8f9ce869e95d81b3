"""The edits that the bench can ask for, each from form fields to a change of the document."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from typing import Any

from glass_spoon.formats.svg_paths import UnreadableSvg, read_svg
from glass_spoon.sheet import edit
from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.fields import PointsSpec
from glass_spoon.sheet.propose import propose
from glass_spoon.studio.flows.change_part import Edit
from glass_spoon.studio.sentences import Refused

Form = Mapping[str, Any]


def read_edit(form: Form) -> Edit:
    """Return the edit that a form asks for; Refused for an unknown one."""
    make = _EDITS.get(str(form.get("op", "")))
    if make is None:
        raise Refused("This change is not known. Load the page again.", 400)
    return make(form)


def _name_of(document: SheetDocument, line_id: str) -> str:
    """Say which line, for summaries."""
    number = document.number_of(line_id)
    return f"line {number}" if number else f"size {getattr(document.line(line_id), 'name', '')}"


def _set(form: Form) -> Edit:
    line_id, name, raw = str(form.get("line", "")), str(form.get("field", "")), form.get("value", "")

    def change(document: SheetDocument) -> tuple[SheetDocument, str]:
        spec = edit.find_line(document, line_id).specs().get(name)
        value = _parsed_points(raw) if isinstance(spec, PointsSpec) else raw
        return edit.set_field(document, line_id, name, value), f"{_name_of(document, line_id)} changed"

    return change


def _parsed_points(raw: Any) -> Any:
    """Return points from JSON text."""
    if not isinstance(raw, str):
        return raw
    try:
        return json.loads(raw)
    except (ValueError, RecursionError) as error:
        raise Refused("The points could not be read. Nothing was changed.") from error


def _add(form: Form) -> Edit:
    text, verb = str(form.get("text", "")), str(form.get("verb", ""))

    def change(document: SheetDocument) -> tuple[SheetDocument, str]:
        proposals = propose(text, document)
        chosen = next((found for found in proposals if verb in ("", found.verb)), None)
        if chosen is None and verb:
            chosen = next((found for found in propose("", document) if found.verb == verb), None)
        if chosen is None:
            raise Refused(f"No verb was found in “{text[:60]}”. Try draw, revolve, mesh, smooth or size.")
        after = str(form.get("after", "")) or None
        changed = edit.add_line(document, chosen.line, after if after and document.has(after) else None)
        return changed, f"{_name_of(changed, chosen.line.id)} added"

    return change


def _move(form: Form) -> Edit:
    line_id, by = str(form.get("line", "")), -1 if form.get("by") == "-1" else 1

    def change(document: SheetDocument) -> tuple[SheetDocument, str]:
        changed = edit.move_line(document, line_id, by)
        return changed, f"{_name_of(document, line_id)} moved"

    return change


def _pause(form: Form) -> Edit:
    line_id, paused = str(form.get("line", "")), form.get("paused") == "1"

    def change(document: SheetDocument) -> tuple[SheetDocument, str]:
        word = "paused" if paused else "taken up"
        return edit.pause_line(document, line_id, paused), f"{_name_of(document, line_id)} {word}"

    return change


def _remove(form: Form) -> Edit:
    line_id = str(form.get("line", ""))

    def change(document: SheetDocument) -> tuple[SheetDocument, str]:
        return edit.remove_line(document, line_id), f"{_name_of(document, line_id)} removed"

    return change


def _limit(form: Form) -> Edit:
    name, value = str(form.get("limit", "")), str(form.get("value", ""))
    return lambda document: (edit.set_limit(document, name, value), f"limit of {name.replace('_', ' ')} changed")


def _rename(form: Form) -> Edit:
    name = " ".join(str(form.get("value", "")).split())[:80]
    if not name:
        raise Refused("A part needs a name.")
    return lambda document: (document.model_copy(update={"name": name}), "renamed")


def _drawing(form: Form) -> Edit:
    """Keep an uploaded SVG in a line; what cannot be read is refused before anything changes."""
    line_id, data = str(form.get("line", "")), form.get("file")
    if not isinstance(data, bytes):
        raise Refused("Choose an SVG file.")
    try:
        read_svg(data)
        text = data.decode("utf-8-sig")
    except UnreadableSvg as error:
        raise Refused(str(error)) from error
    except UnicodeDecodeError as error:
        raise Refused("The drawing is not UTF-8 text. Save it again as plain SVG.") from error
    return lambda document: (
        edit.set_field(document, line_id, "svg", text),
        f"{_name_of(document, line_id)} got a drawing",
    )


_EDITS: dict[str, Callable[[Form], Edit]] = {
    "set": _set,
    "add": _add,
    "move": _move,
    "pause": _pause,
    "remove": _remove,
    "limit": _limit,
    "rename": _rename,
    "drawing": _drawing,
}
