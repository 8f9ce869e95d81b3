"""Lines that change an item behind the line that used it up: what they do is seen nowhere, so it must not read as good."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any, TypeVar

from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.fields import ReferenceSpec
from glass_spoon.sheet.line import Action, Finding, Line

CODE = "no_effect"
Report = TypeVar("Report", bound=Any)
"""What is told of a line: a dataclass with a status and findings."""


def stands_for(document: SheetDocument, item: str) -> str:
    """Return the id of what stands for an item at the end of a sheet: what used it up last, and what used up that in turn;
    the item itself where nothing did. Only what is of the same kind counts, and no group: its parts are still named.
    """
    known, lines = document.kinds(), [line for line in document.lines if not line.paused]
    for _ in range(len(lines)):
        users = (line for line in reversed(lines) if item in line.used_up and line.item_id)
        user = next((line for line in users if line.verb_name != "group"), None)
        if user is None or user.item_id == item or known.get(str(user.item_id)) != known.get(item):
            return item
        item = str(user.item_id)
    return item


def told_without_effect(
    document: SheetDocument, reports: Mapping[str, Report], kinds: Mapping[str, str]
) -> dict[str, Report]:
    """Return reports, with a finding, of lines that alter an item which an earlier line used up and no later one takes.

    reports: of all lines, by their ids; kinds: of the items, by theirs.
    """
    lines = [line for line in document.lines if line.id in reports and reports[line.id].status in ("good", "look")]
    found: dict[str, Report] = {}
    for place, line in enumerate(lines):
        item = line.changes
        if item is None:
            continue
        user = next((other for other in reversed(lines[:place]) if item in other.used_up and other.item_id != item), None)
        if user is not None and not any(_takes(other, item) for other in lines[place + 1 :]):
            report, finding = reports[line.id], _finding(document, line, item, user, kinds)
            found[line.id] = replace(report, status="look", findings=(finding, *report.findings))
    return found


def _takes(line: Line, item: str) -> bool:
    """Say whether a line makes something else of an item; a mark is on it, and is nothing of its own."""
    return line.gives_kind != "mark" and line.changes != item and item in line.references().values()


def _finding(document: SheetDocument, line: Line, item: str, user: Line, kinds: Mapping[str, str]) -> Finding:
    """Return what is told, with the presses that mend it."""
    name, number, given = document.item_name(item), document.number_of(user.id), str(user.item_id)
    called = document.item_name(given)
    ways = [Action(f"Move it before line {number}", "", "", before=user.id)]
    field, spec = next(
        (name, spec) for name, spec in line.specs().items() if isinstance(spec, ReferenceSpec) and spec.changes
    )
    if kinds.get(given) in spec.kinds:
        ways.insert(0, Action(f"Change {called} instead", field, given))
    sentence = f"This is seen nowhere: {called}, of line {number}, stands for {name} and took it as it was there."
    return Finding(CODE, "look", sentence, tuple(ways))
