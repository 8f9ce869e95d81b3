"""The edits that the bench can ask for, each from form fields to a change of the document."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from glass_spoon.formats.clean_text import NotJson, read_json
from glass_spoon.sheet import edit, edit_many
from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.errors import BadExpression
from glass_spoon.sheet.expressions import evaluate_expression
from glass_spoon.sheet.fields import FileSpec, PointsSpec, TableSpec
from glass_spoon.sheet.items import CurveItem
from glass_spoon.sheet.known_sizes import known_sizes
from glass_spoon.sheet.lines import VERBS
from glass_spoon.sheet.lines.draw.points import Draw
from glass_spoon.sheet.lines.mesh_work.imported import ImportMesh
from glass_spoon.sheet.lines.references import LayPicture
from glass_spoon.sheet.lines.sizes import Size
from glass_spoon.sheet.plain_unit import with_unit
from glass_spoon.sheet.propose import propose
from glass_spoon.sheet.rewrite_drawing import rewrite_drawing
from glass_spoon.sheet.typed_places import typed_place
from glass_spoon.studio.clean_requests import read_object
from glass_spoon.studio.flows.build_part import finished_build
from glass_spoon.studio.flows.change_part import Edit, EditOfProject
from glass_spoon.studio.flows.chosen_file import file_field
from glass_spoon.studio.flows.edit_lines import EDITS_OF_LINES, Form, name_of
from glass_spoon.studio.flows.read_files import stop
from glass_spoon.studio.flows.typed_values import typed_values
from glass_spoon.studio.sentences import Refused
from glass_spoon.studio.shown_unit import active_unit

MOST_TOLERANCE = 1000.0
"""Largest tolerance in mm within which a curve is written in another manner."""


def read_edit(form: Form) -> Edit | EditOfProject:
    """Return the edit that a form asks for; Refused for an unknown one."""
    make = _EDITS.get(str(form.get("op", "")))
    if make is None:
        raise Refused("This change is not known. Load the page again.", 400)
    return make(form)


def _set(form: Form) -> Edit:
    line_id, name, raw = str(form.get("line", "")), str(form.get("field", "")), form.get("value", "")

    def change(document: SheetDocument) -> tuple[SheetDocument, str]:
        spec = edit.find_line(document, line_id).specs().get(name)
        value = _parsed_points(raw) if isinstance(spec, PointsSpec | TableSpec) else raw
        if form.get("typed"):
            value = typed_values(document, {line_id: {name: value}})[line_id][name]
        if isinstance(spec, FileSpec) and value:
            raise Refused("Choose a file for this field; it cannot be typed.")
        return edit.set_field(document, line_id, name, value), f"{name_of(document, line_id)} changed"

    return change


def _put_point(form: Form) -> Edit:
    """Put a typed point at the end of a drawn curve; `by` and `at` count from its last one."""
    line_id, text = str(form.get("line", "")), str(form.get("text", ""))

    def change(document: SheetDocument) -> tuple[SheetDocument, str]:
        line = edit.find_line(document, line_id)
        if not isinstance(line, Draw):
            raise Refused("Points are typed for a drawn curve. Choose one first.")
        point = typed_place(text, line.points[-1] if line.points else None, known_sizes(document), active_unit())
        points = [
            *(point.model_dump(exclude_defaults=True) for point in line.points),
            point.model_dump(exclude_defaults=True),
        ]
        return edit.set_field(document, line_id, "points", points), f"{name_of(document, line_id)} got a point"

    return change


def _parsed_points(raw: Any) -> Any:
    """Return points from JSON text."""
    if not isinstance(raw, str):
        return raw
    try:
        return read_json(raw)
    except NotJson as error:
        raise Refused("The table could not be read. Nothing was changed.") from error


def _add(form: Form) -> Edit:
    text, verb = str(form.get("text", "")), str(form.get("verb", ""))

    def change(document: SheetDocument) -> tuple[SheetDocument, str]:
        seen = edit_many.up_to(document, str(form.get("after", "")))
        proposals = propose(text, seen, active_unit())
        chosen = next((found for found in proposals if verb in ("", found.verb)), None)
        if chosen is None and verb:
            chosen = next((found for found in propose("", seen) if found.verb == verb), None)
        if chosen is None:
            raise Refused(f"No verb was found in “{text[:60]}”. Try draw, revolve, mesh, smooth or size.")
        after = str(form.get("after", "")) or None
        changed, line = edit_many.add_proposal(document, chosen, after if after and document.has(after) else None)
        return changed, f"{name_of(changed, line.id)} added"

    return change


def _work(form: Form) -> Edit:
    """Add a line that works on an item, after the line that made it what it is."""
    verb, item, after = (str(form.get(name, "")) for name in ("verb", "item", "after"))
    values = _json_object(form.get("values") or "{}")

    def change(document: SheetDocument) -> tuple[SheetDocument, str]:
        if verb not in ("pair", "relax", "weld", "clean", "drag"):
            raise Refused("This change is not known. Load the page again.", 400)
        line = edit_many.line_behind(document, verb, after)
        added = edit.add_line(document, line, after if document.has(after) else None)
        changed = edit.set_fields(added, line.id, {**values, "mesh": item})
        return changed, f"{name_of(changed, line.id)} added"

    return change


def _match_for(form: Form) -> Edit:
    """Add a line that matches a surface to another, behind the line after which both are there."""
    item, onto, after, meeting = (str(form.get(name, "")) for name in ("item", "onto", "after", "meeting"))
    edges = {name: str(form.get(name)) for name in ("edge", "onto_edge") if form.get(name)}

    def change(document: SheetDocument) -> tuple[SheetDocument, str]:
        if not document.has(after):
            raise Refused("The line that made them is gone. Ask for the edges again.")
        line = edit_many.line_behind(document, "match", after)
        values = {"surface": item, "onto": onto, "meeting": meeting, **edges}
        changed = edit.set_fields(edit.add_line(document, line, after), line.id, values)
        return changed, f"{name_of(changed, line.id)} added"

    return change


def _become(form: Form) -> Edit:
    """Put another verb in the place of a line's, as a finding offers it."""
    line_id, verb = str(form.get("line", "")), str(form.get("verb", ""))
    return lambda document: (edit.become(document, line_id, verb), f"{name_of(document, line_id)} made otherwise")


def _move_before(form: Form) -> Edit:
    """Move a line to before the one that used up what it changes, as a finding offers it."""
    line_id, before = str(form.get("line", "")), str(form.get("before", ""))
    return lambda document: (edit_many.move_before(document, line_id, before), f"{name_of(document, line_id)} moved up")


def _mark(form: Form) -> Edit:
    """Name what was picked on the board: a mark line after the line that is shown last, or at the end."""
    values, after = _json_object(form.get("values")), str(form.get("after", "")) or None

    def change(document: SheetDocument) -> tuple[SheetDocument, str]:
        line = edit_many.line_behind(document, "mark", after)
        changed = edit.set_fields(
            edit.add_line(document, line, after if after and document.has(after) else None), line.id, values
        )
        return changed, f"{name_of(changed, line.id)} added"

    return change


def _act(form: Form) -> Edit:
    """Do a verb to what was picked on the board: a mark line, and after it a line of the verb on that mark."""
    verb, after = str(form.get("verb", "")), str(form.get("after", "")) or None
    values = _json_object(form.get("values"))

    def change(document: SheetDocument) -> tuple[SheetDocument, str]:
        if verb not in VERBS or not VERBS[verb].acts_on:
            raise Refused("This change is not known. Load the page again.", 400)
        mark = edit_many.line_behind(document, "mark", after)
        marked = edit.add_line(document, mark, after if after and document.has(after) else None)
        marked = edit.set_fields(marked, mark.id, values)
        line = edit_many.line_behind(marked, verb, mark.id)
        added = edit.add_line(marked, line, mark.id)
        changed = edit.set_fields(added, line.id, {"mesh": values.get("mesh", ""), "marks": [mark.id]})
        return changed, f"{name_of(changed, line.id)} added"

    return change


def _marked_before(document: SheetDocument, line_id: str, values: dict[str, Any]) -> tuple[SheetDocument, str]:
    """Return the document with a mark line before another line, and its id."""
    ids = [line.id for line in document.lines]
    before = ids[ids.index(line_id) - 1]
    mark = edit_many.line_behind(document, "mark", before)
    return edit.set_fields(edit.add_line(document, mark, before), mark.id, values), mark.id


def _mark_for(form: Form) -> Edit:
    """Mark something of a line's mesh, before the line, for it to work on."""
    line_id = str(form.get("line", ""))
    values = _json_object(form.get("values"))

    def change(document: SheetDocument) -> tuple[SheetDocument, str]:
        line = edit.find_line(document, line_id)
        mesh = str(getattr(line, "mesh", ""))
        if "marks" not in line.specs() or not mesh:
            raise Refused("Pick the mesh first: a mark is of one.")
        marked, mark = _marked_before(document, line_id, {**values, "mesh": mesh})
        changed = edit.set_fields(marked, line_id, {"marks": [mark]})
        return changed, f"{name_of(changed, mark)} added"

    return change


def _fill_for(form: Form) -> Edit:
    """Fill the open rims of a mesh before a line that needs it closed."""
    line_id, item = str(form.get("line", "")), str(form.get("item", ""))

    def change(document: SheetDocument) -> tuple[SheetDocument, str]:
        if not (document.has(line_id) and document.has(item)):
            raise Refused("The line or the mesh is not there any more. Load the page again.")
        marked, mark = _marked_before(document, line_id, {"what": "rim", "mesh": item})
        fill = edit_many.line_behind(marked, "fill", mark)
        changed = edit.set_fields(edit.add_line(marked, fill, mark), fill.id, {"mesh": item, "marks": [mark]})
        return changed, f"{name_of(changed, fill.id)} added"

    return change


def _move(form: Form) -> Edit:
    line_id, by = str(form.get("line", "")), -1 if form.get("by") == "-1" else 1

    def change(document: SheetDocument) -> tuple[SheetDocument, str]:
        changed = edit.move_line(document, line_id, by)
        return changed, f"{name_of(document, line_id)} moved"

    return change


def _pause(form: Form) -> Edit:
    line_id, paused = str(form.get("line", "")), form.get("paused") == "1"

    def change(document: SheetDocument) -> tuple[SheetDocument, str]:
        word = "paused" if paused else "taken up"
        return edit.pause_line(document, line_id, paused=paused), f"{name_of(document, line_id)} {word}"

    return change


def _remove(form: Form) -> Edit:
    line_id = str(form.get("line", ""))

    def change(document: SheetDocument) -> tuple[SheetDocument, str]:
        return edit.remove_line(document, line_id), f"{name_of(document, line_id)} removed"

    return change


def _limit(form: Form) -> Edit:
    name, value = str(form.get("limit", "")), str(form.get("value", ""))

    def change(document: SheetDocument) -> tuple[SheetDocument, str]:
        typed = str(_millimetres(value)) if name == "off_surface" and active_unit() != "mm" else value
        return edit.set_limit(document, name, typed), f"limit of {name.replace('_', ' ')} changed"

    return change


def _millimetres(text: str) -> float:
    """Return a typed length in mm; plain numbers are of the unit of the project. Refused for what is none."""
    try:
        return evaluate_expression(with_unit(text, "length", active_unit(), {}), "length", {})
    except BadExpression as error:
        raise Refused(f"A length is wanted, and “{text[:40]}” is none: {error.reason}.") from error


def _rename(form: Form) -> Edit:
    name = " ".join(str(form.get("value", "")).split())[:80]
    if not name:
        raise Refused("A part needs a name.")
    return lambda document: (document.model_copy(update={"name": name}), "renamed")


def _drawing(form: Form) -> EditOfProject:
    """Keep an uploaded file in a line; what cannot be read is refused before anything changes. It is read once."""
    line_id, data = str(form.get("line", "")), form.get("file")
    if not isinstance(data, bytes):
        raise Refused("Choose a file: SVG, DXF, STEP or a mesh, as the line asks for.")
    file_name = str(form.get("file_name", ""))
    read: dict[str, str] = {}

    def change(document: SheetDocument, project_id: int) -> tuple[SheetDocument, str]:
        name, reader = file_field(edit.find_line(document, line_id), file_name, project_id)
        if name not in read:
            read[name] = reader(data)
        return edit.set_field(document, line_id, name, read[name]), f"{name_of(document, line_id)} got a file"

    return EditOfProject(change)


def _stop_reading(form: Form) -> Edit:
    """Stop reading the file of a line, which has none then; undo takes it up again."""
    line_id = str(form.get("line", ""))

    def change(document: SheetDocument) -> tuple[SheetDocument, str]:
        if not isinstance(edit.find_line(document, line_id), ImportMesh):
            raise Refused("This line reads no mesh file.")
        stop(document, line_id)
        return edit.set_field(document, line_id, "file", ""), f"{name_of(document, line_id)} stopped reading"

    return change


def _set_many(form: Form) -> Edit:
    """Set several fields of a line at once, from a JSON object."""
    line_id, values = str(form.get("line", "")), _json_object(form.get("values"))
    return lambda document: (edit.set_fields(document, line_id, values), f"{name_of(document, line_id)} changed")


def _set_lines(form: Form) -> Edit:
    """Set fields of several lines at once, from a JSON object of lines."""
    changes = _json_object(form.get("changes"))
    if not all(isinstance(values, dict) for values in changes.values()):
        raise Refused("The values could not be read. Nothing was changed.")
    what = "1 line" if len(changes) == 1 else f"{len(changes)} lines"
    return lambda document: (edit.set_lines(document, changes), f"{what} changed as tried")


def _json_object(raw: Any) -> dict[str, Any]:
    """Return a JSON object from text."""
    return read_object(str(raw), "The values could not be read. Nothing was changed.")


def _look(form: Form) -> Edit:
    """Show an item otherwise."""
    item, values = str(form.get("item", "")), _json_object(form.get("values"))
    return lambda document: (edit.set_look(document, item, values), f"look of {document.item_name(item)} changed")


def _layer(form: Form) -> Edit:
    """Show or hide a layer."""
    layer, shown = str(form.get("layer", "")), form.get("shown") == "1"
    word = "shown" if shown else "hidden"
    return lambda document: (edit.show_layer(document, layer, shown=shown), f"layer {layer[:40]} {word}")


def _lay(form: Form) -> Edit:
    """Lay a picture under a view: a new line at the head of the sheet, after other pictures."""
    values = _json_object(form.get("values"))

    def change(document: SheetDocument) -> tuple[SheetDocument, str]:
        line = edit.default_line(document, "lay")
        added = edit.add_line(document, line)
        known = ("picture", "plane", "width", "right", "up")
        placed = edit.set_fields(added, line.id, {name: values[name] for name in known if name in values})
        lines = [other for other in placed.lines if other.id != line.id]
        lines.insert(_after_references(lines), placed.line(line.id))
        return edit.with_lines(document, lines), "picture laid"

    return change


def _after_references(lines: list[Any]) -> int:
    """Return the place after the last size or picture at the head of the sheet."""
    at = 0
    for number, line in enumerate(lines):
        if isinstance(line, LayPicture | Size):
            at = number + 1
    return at


def _rewrite(form: Form) -> Edit:
    """Write a drawn curve in another manner within a tolerance."""
    line_id, manner = str(form.get("line", "")), str(form.get("manner", ""))
    typed = str(form.get("tolerance", "0.05 mm"))

    def change(document: SheetDocument) -> tuple[SheetDocument, str]:
        tolerance = _millimetres(typed)
        if not 0 < tolerance < MOST_TOLERANCE:
            raise Refused(f"The tolerance should be a length above 0 and below {MOST_TOLERANCE:g} mm, such as 0.05 mm.")
        line = edit.find_line(document, line_id)
        if not isinstance(line, Draw) or manner not in ("through", "pulled by", "straight through"):
            raise Refused("Only a drawn curve can be written in another manner.")
        state = finished_build(document, line_id).items.get(line_id)
        if state is None or not isinstance(state.item, CurveItem):
            raise Refused("This curve cannot be drawn yet, so it cannot be written otherwise.")
        changed, told = rewrite_drawing(document, line, state.item.curve, manner, tolerance)
        return changed, f"{name_of(document, line_id)}: {told}"

    return change


_EDITS: dict[str, Callable[[Form], Edit | EditOfProject]] = {
    "set": _set,
    "put_point": _put_point,
    "add": _add,
    "mark": _mark,
    "act": _act,
    "mark_for": _mark_for,
    "fill_for": _fill_for,
    "work": _work,
    "match_for": _match_for,
    "become": _become,
    "move": _move,
    "move_before": _move_before,
    "pause": _pause,
    "remove": _remove,
    **EDITS_OF_LINES,
    "limit": _limit,
    "rename": _rename,
    "drawing": _drawing,
    "stop_reading": _stop_reading,
    "set_many": _set_many,
    "set_lines": _set_lines,
    "look": _look,
    "layer": _layer,
    "lay": _lay,
    "rewrite": _rewrite,
}
