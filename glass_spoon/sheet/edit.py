"""Changes of a document: a document in, a new one out. Each checks first and refuses with a sentence."""

from __future__ import annotations

import math
from typing import Any

from pydantic import ValidationError

from glass_spoon.sheet.document import Look, SheetDocument, read_document
from glass_spoon.sheet.errors import BadDocument, SheetError
from glass_spoon.sheet.fields import (
    NameSpec,
    ReferenceSpec,
    ReferencesSpec,
)
from glass_spoon.sheet.line import Line
from glass_spoon.sheet.lines import VERBS
from glass_spoon.sheet.lines.sizes import Size
from glass_spoon.sheet.wrong_values import phrase_of

LONGEST_BASE = 48
"""Most letters of a name that is made up: its end tells what was done last, and a number may follow."""


LONGEST_SIZE = 36
"""Most letters of the name of a size before a number."""


class RefusedEdit(SheetError):
    """A change that would leave the sheet unusable."""


def find_line(document: SheetDocument, line_id: str) -> Line:
    """Return a line; raises RefusedEdit when it is gone."""
    try:
        return document.line(line_id)
    except KeyError as error:
        raise RefusedEdit("This line is no longer in the sheet. Load the page again.") from error


def set_fields(document: SheetDocument, line_id: str, values: dict[str, Any]) -> SheetDocument:
    """Return the document with several fields of a line changed at once; names are left to `set_field`."""
    line = find_line(document, line_id)
    specs = line.specs()
    for name in values:
        if name not in specs or isinstance(specs[name], NameSpec):
            raise RefusedEdit(f"A {line.verb_name.replace('_', ' ')} line has no field {name} that can be set so.")
    changed = _changed_line(line, values)
    return with_lines(document, [changed if other.id == line_id else other for other in document.lines])


def set_lines(document: SheetDocument, changes: dict[str, dict[str, Any]]) -> SheetDocument:
    """Return the document with fields of several lines changed (`changes`, by line and field); names are left out."""
    for line, values in changes.items():
        document = set_fields(document, line, values)
    return document


def set_look(document: SheetDocument, item_id: str, changes: dict[str, Any]) -> SheetDocument:
    """Return the document with an item shown otherwise: hidden, locked, colour, layer."""
    find_line(document, item_id)
    try:
        look = Look.model_validate(document.look(item_id).model_dump() | changes)
    except ValidationError as error:
        raise RefusedEdit(f"This look cannot be used: {phrase_of(error.errors()[0])}.") from error
    return document.model_copy(update={"looks": {**document.looks, item_id: look}})


def show_layer(document: SheetDocument, layer: str, *, shown: bool) -> SheetDocument:
    """Return the document with a layer shown or hidden."""
    if layer not in document.layers():
        raise RefusedEdit(f"There is no layer {layer[:40]}.")
    hidden = [other for other in document.hidden_layers if other != layer]
    return document.model_copy(update={"hidden_layers": hidden if shown else [*hidden, layer]})


def set_field(document: SheetDocument, line_id: str, name: str, value: Any) -> SheetDocument:
    """Return the document with one field of a line changed; renaming a size renames it in every expression."""
    line = find_line(document, line_id)
    spec = line.specs().get(name)
    if spec is None:
        raise RefusedEdit(f"A {line.verb_name.replace('_', ' ')} line has no field {name}.")
    if isinstance(spec, NameSpec):
        value = str(value).strip()
        _check_name(document, line, name, value)
    changed = _changed_line(line, {name: value})
    lines = [changed if other.id == line_id else other for other in document.lines]
    if isinstance(line, Size) and name == "name" and value != line.name:
        lines = [rename_size(other, line.name, value) for other in lines]
    return with_lines(document, lines)


def _check_name(document: SheetDocument, line: Line, field: str, value: str) -> None:
    """Raise RefusedEdit when another item, or another size, has this name."""
    others = [other for other in document.lines if other.id != line.id]
    if any(getattr(other, field, None) == value for other in others if isinstance(other, Size) == isinstance(line, Size)):
        raise RefusedEdit(f"Another {'size' if isinstance(line, Size) else 'item'} is called {value}. Choose another name.")


def _changed_line(line: Line, values: dict[str, Any]) -> Line:
    """Return a line with other values, checked; raises RefusedEdit with the first problem."""
    try:
        return type(line).model_validate(line.model_dump() | values)
    except ValidationError as error:
        first = error.errors()[0]
        field = str(first["loc"][0]) if first["loc"] else "line"
        field = "name" if isinstance(line.specs().get(field), NameSpec) else field.replace("_", " ")
        raise RefusedEdit(f"The {field} cannot be used: {phrase_of(first)}.") from error


def become(document: SheetDocument, line_id: str, verb: str) -> SheetDocument:
    """Return the document with another verb in place of a line's: its id, its name and the fields that both have stay."""
    line = find_line(document, line_id)
    cls = VERBS.get(verb)
    if cls is None or cls.gives_kind != line.gives_kind:
        raise RefusedEdit("This verb gives something else, and cannot take the place of the line.")
    before, after = line.specs(), cls.specs()
    alike = {name for name, spec in after.items() if type(before.get(name)) is type(spec)}
    values = {name: value for name, value in line.model_dump().items() if name in alike}
    fresh = _changed_line(cls.model_validate({"id": line.id, "verb": verb}), {"paused": line.paused, **values})
    return with_lines(document, [fresh if other.id == line_id else other for other in document.lines])


def rename_size(line: Line, old: str, new: str) -> Line:
    """Return a line whose expressions call the size `old` by its new name."""
    specs = line.specs().items()
    return line.model_copy(update={name: spec.with_renamed(getattr(line, name), old, new) for name, spec in specs})


def with_lines(document: SheetDocument, lines: list[Any]) -> SheetDocument:
    """Return the document with other lines, checked as a whole; raises RefusedEdit."""
    try:
        return read_document(document.model_copy(update={"lines": lines}).model_dump(mode="json"))
    except BadDocument as error:
        raise RefusedEdit(" ".join(error.problems)) from error


def new_id(document: SheetDocument) -> str:
    """Return an id that no line has: line ids count upwards and are never used again within a sheet's life."""
    taken = {line.id for line in document.lines}
    number = len(document.lines) + 1
    while f"l{number}" in taken:
        number += 1
    return f"l{number}"


def add_line(document: SheetDocument, line: Line, after: str | None = None) -> SheetDocument:
    """Return the document with a line added at the end, or after another one."""
    lines: list[Any] = list(document.lines)
    at = len(lines) if after is None else [other.id for other in lines].index(find_line(document, after).id) + 1
    return with_lines(document, [*lines[:at], line, *lines[at:]])


def move_line(document: SheetDocument, line_id: str, by: int) -> SheetDocument:
    """Return the document with a line moved up (-1) or down (+1) past its neighbour; sizes are passed over."""
    line = find_line(document, line_id)
    lines: list[Any] = [other for other in document.lines if isinstance(other, Size) == isinstance(line, Size)]
    others: list[Any] = [other for other in document.lines if isinstance(other, Size) != isinstance(line, Size)]
    at = lines.index(line)
    to = min(max(at + by, 0), len(lines) - 1)
    lines.insert(to, lines.pop(at))
    return with_lines(document, lines + others if isinstance(line, Size) else others + lines)


def pause_line(document: SheetDocument, line_id: str, *, paused: bool) -> SheetDocument:
    """Return the document with a line paused or taken up again."""
    line = find_line(document, line_id)
    changed = line.model_copy(update={"paused": paused})
    return with_lines(document, [changed if other.id == line_id else other for other in document.lines])


def dependents(document: SheetDocument, line_id: str) -> list[Line]:
    """Return the lines that use what a line gives: its item by reference, or its size in an expression."""
    line = find_line(document, line_id)
    if isinstance(line, Size):
        return [other for other in document.lines if other.id != line_id and line.name in used_sizes(other)]
    if line.changes:
        return []
    return [other for other in document.lines if line_id in other.references().values()]


def used_sizes(line: Line) -> set[str]:
    """Return the names of sizes that a line's fields use."""
    return {size for name, spec in line.specs().items() for size in spec.sizes_in(getattr(line, name))}


def remove_line(document: SheetDocument, line_id: str) -> SheetDocument:
    """Return the document without a line; lines that used it stay and say what they miss."""
    find_line(document, line_id)
    return with_lines(document, [other for other in document.lines if other.id != line_id])


def set_limit(document: SheetDocument, name: str, value: str) -> SheetDocument:
    """Return the document with one gauge limit changed; raises RefusedEdit for text that is no number."""
    cleaned = value.replace(",", "").replace("°", "").replace("mm", "").replace("%", "").strip()
    try:
        number = float(cleaned)
    except ValueError:
        number = math.nan
    if not math.isfinite(number):
        raise RefusedEdit(f"The limit should be a number, but it is “{value[:40]}”.")
    limits = document.limits.model_dump() | {name: int(number) if name == "face_budget" else number}
    try:
        return read_document(document.model_dump(mode="json") | {"limits": limits})
    except BadDocument as error:
        raise RefusedEdit("This limit cannot be used: " + " ".join(error.problems)) from error


def default_line(document: SheetDocument, verb: str) -> Line:
    """Return a new line of a verb: references filled with the last item of their kind, the mesh with that of marks taken,
    names that nothing has yet.
    """
    cls = VERBS[verb]
    values: dict[str, Any] = {"id": new_id(document), "verb": verb}
    used = cls.model_validate(values).used_fields()
    for name, spec in cls.specs().items():
        if name not in used:
            continue
        if isinstance(spec, ReferenceSpec):
            taken = {value for value in values.values() if isinstance(value, str)}
            values[name] = last_item(document, spec.kinds, taken)
        elif isinstance(spec, ReferencesSpec) and spec.least:
            taken = {value for value in values.values() if isinstance(value, str)}
            values[name] = [item for item in unused_items(document, spec.kinds) if item not in taken]
    if values.get("marks") and values.get("mesh"):
        values["mesh"] = mesh_of_mark(document, values["marks"][-1]) or values["mesh"]
    return with_own_name(document, cls.model_validate(values))


def mesh_of_mark(document: SheetDocument, mark: str) -> str:
    """Return the id of the mesh that a mark is of, also of one put together of others; "" where it has none."""
    for _ in range(len(document.lines)):
        line = document.line(mark) if document.has(mark) else None
        if line is None:
            return ""
        mesh = getattr(line, "mesh", "")
        if mesh:
            return str(mesh)
        mark = next(iter(line.references().values()), "")
    return ""


def with_own_name(document: SheetDocument, line: Line, said: frozenset[str] = frozenset()) -> Line:
    """Return a new line named after what it is made of, by a name that nothing has yet; fields that were `said` stay."""
    cls, values = type(line), line.model_dump()
    for name, spec in cls.specs().items():
        if isinstance(spec, NameSpec) and name not in said:
            values[name] = free_name(document, _base_name(document, cls, name, values)[-LONGEST_BASE:].strip())
    return cls.model_validate(values)


def unused_items(document: SheetDocument, kinds: tuple[str, ...]) -> list[str]:
    """Return the ids of the items of some kinds that no line uses yet, in the order of the sheet; of marks the last one
    where all are used.

    A line that changes an item in place does not use it up, but it does use marks.
    """
    of_marks = kinds == ("mark",)
    used = {item for line in document.lines if of_marks or not line.changes for item in line.references().values()}
    known = document.kinds()
    items = [line.id for line in document.lines if known.get(line.id) in kinds]
    return [item for item in items if item not in used] or (items[-1:] if of_marks else [])


def last_item(document: SheetDocument, kinds: tuple[str, ...], taken: set[Any]) -> str:
    """Return the id of the last item of some kinds that a line gives and no other field has taken yet, or ""."""
    known = document.kinds()
    found = [line.id for line in reversed(document.lines) if known.get(line.id) in kinds]
    return next((item for item in found if item not in taken), "")


def _base_name(document: SheetDocument, cls: type[Line], field: str, values: dict[str, Any]) -> str:
    """Return a name for a new item after what it is made of: body profile, body, body mesh, body profile offset."""
    default = str(cls.model_fields[field].default)
    references = [name for name, spec in cls.specs().items() if isinstance(spec, ReferenceSpec)]
    sources = [str(values[name]) for name in references if f"{{{name}}}" in cls.sentence]
    if cls.gives_kind in ("curve", "curves") or cls.gives_like:
        return f"{document.item_name(sources[0])} {default}" if sources and sources[0] else default
    source = document.item_name(sources[0]) if sources and sources[0] else ""
    stem = source.removesuffix("profile").strip()
    if not stem:
        return default
    if cls.gives_kind == "mesh":
        return stem if stem.endswith(" mesh") else f"{stem} mesh"
    return stem if stem != source else f"{source} {default}"


def free_name(document: SheetDocument, base: str, joint: str = "") -> str:
    """Return a name, numbered when it is taken; `joint` stands before the number, for which a long name makes room."""
    taken = {getattr(line, "gives", None) or getattr(line, "name", None) for line in document.lines}
    joint = joint or ("_" if base == "size" else " ")
    name, number = base, 2
    if base in taken:
        base = base[: LONGEST_BASE if joint == " " else LONGEST_SIZE].rstrip()
    while name in taken:
        name, number = f"{base}{joint}{number}", number + 1
    return name
