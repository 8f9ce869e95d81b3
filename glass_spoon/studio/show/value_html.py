"""The pieces of a sentence as HTML: what a template would choose between a dozen kinds, two hundred times a sheet."""

from __future__ import annotations

from collections.abc import Callable

from django.urls import reverse
from django.utils.html import conditional_escape as esc
from django.utils.safestring import SafeString, mark_safe

from glass_spoon.studio.show.sheet_rows import SheetRow
from glass_spoon.studio.show.value_parts import ValuePart


def value_html(part_id: int, row: SheetRow, value: ValuePart, *, may_edit: bool) -> SafeString:
    """Return a piece of a line's sentence: text, a verb, or a value that can be changed where the user may."""
    if value.kind == "text" and not value.field:
        return mark_safe(esc(value.text))
    if value.kind == "verb":
        return mark_safe(f"<strong>{esc(value.text)}</strong>")
    if not may_edit:
        name = "item-name" if value.kind in ("name", "reference") else "value"
        return mark_safe(f'<span class="{name}">{esc(value.text)}</span>')
    return mark_safe(_KINDS.get(value.kind, _choice)(part_id, row, value))


def _named(row: SheetRow, value: ValuePart) -> str:
    """Return the attributes that name a field of a line."""
    return (
        f'data-line="{esc(row.id)}" id="v-{esc(row.id)}-{esc(value.field)}" data-field="{esc(value.field)}" '
        f'data-raw="{esc(value.raw)}"{" data-usual" if value.usual else ""}'
    )


def _slip(name: str, part_id: int, row: SheetRow, *more: str) -> str:
    """Return the attributes of a button that opens a slip."""
    url = reverse(name, args=(part_id, row.id, *more))
    return f'hx-get="{url}" hx-target="#slip-content" hx-swap="innerHTML" data-opens-slip'


def _number(part_id: int, row: SheetRow, value: ValuePart) -> str:
    axis = f' data-axis="{esc(value.axis)}"' if value.axis else ""
    return (
        f'<button type="button" class="value" data-kind="number" {_named(row, value)} data-step="{esc(value.step)}" '
        f'data-unit="{esc(value.unit)}"{axis} title="{esc(value.help)} Type, drag sideways, or use the arrow keys.">'
        f"{esc(value.text)}</button>"
    )


def _typed(part_id: int, row: SheetRow, value: ValuePart) -> str:
    return (
        f'<button type="button" class="value" data-kind="name" {_named(row, value)} title="{esc(value.help)}">'
        f"{esc(value.text)}</button>"
    )


def _law(part_id: int, row: SheetRow, value: ValuePart) -> str:
    return (
        f'{_typed(part_id, row, value)}<button type="button" class="text-button law-button" '
        f'{_slip("bench_law", part_id, row, value.field)} title="Edit it as a curve along the way" '
        f'aria-label="Edit as a curve: {esc(value.help)}">∿</button>'
    )


def _corners(part_id: int, row: SheetRow, value: ValuePart) -> str:
    return (
        f'<button type="button" class="value" data-kind="corners" {_named(row, value)} '
        f'data-corners-url="{reverse("corners", args=(part_id, row.id))}" '
        f'title="{esc(value.help)} Click, then click its number on the board.">{esc(value.text)}</button>'
    )


def _picture(part_id: int, row: SheetRow, value: ValuePart) -> str:
    return (
        f'<button type="button" class="value" id="v-{esc(row.id)}-picture" {_slip("picture_choose", part_id, row)} '
        f'title="{esc(value.help)} Click to choose.">{esc(value.text)}</button>'
    )


def _name(part_id: int, row: SheetRow, value: ValuePart) -> str:
    return (
        f'<button type="button" class="item-name" data-kind="name" {_named(row, value)} title="{esc(value.help)}">'
        f"{esc(value.text)}</button>"
    )


def _points(part_id: int, row: SheetRow, value: ValuePart) -> str:
    return (
        f'<button type="button" class="value" id="v-{esc(row.id)}-points" data-kind="points" data-line="{esc(row.id)}" '
        f'hx-get="{reverse("bench_points", args=(part_id, row.id))}" hx-target="#slip-content" hx-swap="innerHTML" '
        f'title="{esc(value.help)} Click for the table of points.">{esc(value.text)}</button>'
    )


def _table(part_id: int, row: SheetRow, value: ValuePart) -> str:
    return (
        f'<button type="button" class="value" id="v-{esc(row.id)}-{esc(value.field)}" data-kind="table" '
        f'data-line="{esc(row.id)}" {_slip("bench_table", part_id, row, value.field)} '
        f'title="{esc(value.help)} Click for the table; drag the grips on the board.">{esc(value.text)}</button>'
    )


def _file(part_id: int, row: SheetRow, value: ValuePart) -> str:
    return (
        f'<label class="value file-value" title="{esc(value.help)}">{esc(value.text)}<input type="file" '
        f'class="visually-hidden" accept="{esc(value.unit)}" data-kind="file" data-line="{esc(row.id)}" '
        f'aria-label="Choose a drawing ({esc(value.unit)}) for line {row.number}"></label>'
    )


def _references(part_id: int, row: SheetRow, value: ValuePart) -> str:
    entries = [
        f'<select class="item-name" data-kind="items"{_kinds(row, value)} aria-label="{esc(value.help)} Number {number}.">'
        f'{_chosen(value, entry)}<option value="">— take out —</option></select>'
        for number, entry in enumerate(value.entries, 1)
    ]
    add = (
        f'<select class="value" data-kind="items"{_kinds(row, value)} id="v-{esc(row.id)}-{esc(value.field)}" '
        f'aria-label="{esc(value.help)} Add one."><option value="" selected>{"add" if entries else esc(value.text)}'
        f"</option></select>"
    )
    listed = ", ".join(entries) + (" " if entries else "")
    return f'<span class="item-list" data-items="{esc(value.field)}" data-line="{esc(row.id)}">{listed}{add}</span>'


def _choice(part_id: int, row: SheetRow, value: ValuePart) -> str:
    name = "item-name" if value.kind == "reference" else "value"
    if value.kinds:
        options = f'<option value="{esc(value.raw)}" selected>{esc(value.text)}</option>'
    else:
        empty = value.kind == "reference" and not value.raw
        options = (f'<option value="" selected>{esc(value.text)}</option>' if empty else "") + _options(value, value.raw)
    return (
        f'<select class="{name}" data-kind="choice" data-line="{esc(row.id)}" id="v-{esc(row.id)}-{esc(value.field)}" '
        f'data-field="{esc(value.field)}"{_kinds(row, value)}{" data-usual" if value.usual else ""} '
        f'title="{esc(value.help)}" aria-label="{esc(value.help)}">{options}</select>'
    )


def _kinds(row: SheetRow, value: ValuePart) -> str:
    """Return what says which items of the sheet a list may offer; the page fills it when it is opened."""
    every = " data-every" if value.every else ""
    return f' data-kinds="{esc(" ".join(value.kinds))}" data-of="{esc(row.id)}"{every}' if value.kinds else ""


def _chosen(value: ValuePart, chosen: str) -> str:
    """Return the one option that is chosen."""
    name = dict(value.options).get(chosen, "")
    return f'<option value="{esc(chosen)}" selected>{esc(name)}</option>'


def _options(value: ValuePart, chosen: str | None) -> str:
    """Return the options of a choice, one of them chosen or none."""
    return "".join(
        f'<option value="{esc(option)}"{" selected" if option == chosen else ""}>{esc(label)}</option>'
        for option, label in value.options
    )


_KINDS: dict[str, Callable[[int, SheetRow, ValuePart], str]] = {
    "number": _number,
    "law": _law,
    "text": _typed,
    "corners": _corners,
    "picture": _picture,
    "name": _name,
    "points": _points,
    "table": _table,
    "file": _file,
    "references": _references,
}
