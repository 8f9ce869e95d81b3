"""Two changes of one sheet put together, line by line and field by field; where they meet in one place, it is named.

before ──── mine ────┐
└─────── theirs ──┴── merged
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from glass_spoon.sheet.document import SheetDocument, read_document
from glass_spoon.sheet.errors import BadDocument, SheetError

Place = tuple[str, ...]
"""A place of a sheet: ("line", id, field), ("line", id, "") for a whole line, ("sheet", field), ("looks", item, field)."""

WHOLE = ""
"""Stands for all fields of a line that came or went."""

_MISSING = object()


class ChangesMeet(SheetError):
    """Two changes are in each other's way; `place` is the first where they are."""

    def __init__(self, sentence: str, place: Place) -> None:
        """Take the sentence and the place."""
        super().__init__(sentence)
        self.place = place


def changed_places(old: SheetDocument, new: SheetDocument) -> frozenset[Place]:
    """Return the places in which two sheets differ; the order of lines is none."""
    before, after = _values(old), _values(new)
    return frozenset(
        place for place in before.keys() | after.keys() if before.get(place, _MISSING) != after.get(place, _MISSING)
    )


def first_meeting(mine: frozenset[Place], theirs: frozenset[Place]) -> Place | None:
    """Return a place that both changes touch, None where there is none: the same field, or a line that came or went."""
    for place in sorted(mine):
        if place in theirs or (place[0] == "line" and (*place[:2], WHOLE) in theirs):
            return place
    lines = {place[1] for place in theirs if place[0] == "line"}
    return next((place for place in sorted(mine) if place[0] == "line" and place[2] == WHOLE and place[1] in lines), None)


def _values(document: SheetDocument) -> dict[Place, Any]:
    """Return the value of every place."""
    found: dict[Place, Any] = {
        ("sheet", "name"): document.name,
        ("sheet", "hidden_layers"): sorted(document.hidden_layers),
    }
    found |= {("limits", name): value for name, value in document.limits.model_dump().items()}
    for item, look in document.looks.items():
        found |= {("looks", item, name): value for name, value in look.model_dump().items()}
    for line in document.lines:
        found[("line", line.id, WHOLE)] = line.verb_name
        found |= {
            ("line", line.id, name): getattr(line, name) for name in type(line).model_fields if name not in ("id", "verb")
        }
    return found


@dataclass(frozen=True)
class _Three:
    """A sheet before, with my change, and with theirs, as parsed JSON; lines by id."""

    before: dict[str, Any]
    mine: dict[str, Any]
    theirs: dict[str, Any]

    def lines(self, which: str) -> dict[str, dict[str, Any]]:
        """Return the lines of one of them by id."""
        return {line["id"]: line for line in getattr(self, which)["lines"]}


def merge_sheets(before: SheetDocument, mine: SheetDocument, theirs: SheetDocument) -> SheetDocument:
    """Return `theirs` with the change from `before` to `mine` done to it; raises ChangesMeet where that does not fit."""
    three = _Three(*(document.model_dump(mode="json") for document in (before, mine, theirs)))
    lines = _merged_lines(three, theirs)
    rest = {
        name: _merged_value(three, ("sheet", name), *(getattr(three, which)[name] for which in _WHICH)) for name in _REST
    }
    rest |= {
        "limits": _merged_object(three, "limits", *(getattr(three, which)["limits"] for which in _WHICH)),
        "looks": _merged_looks(three),
    }
    try:
        return read_document({**three.theirs, **rest, "lines": lines})
    except BadDocument as error:
        raise ChangesMeet(
            f"It does not fit what others did since. {' '.join(error.problems[:2])}", ("sheet", "lines")
        ) from error


_WHICH = ("before", "mine", "theirs")
_REST = ("name", "hidden_layers")


def _merged_value(three: _Three, place: Place, before: Any, mine: Any, theirs: Any) -> Any:
    """Return the value that changed on one side; raises ChangesMeet where it changed on both."""
    if mine in (before, theirs):
        return theirs
    if theirs == before:
        return mine
    raise ChangesMeet(f"{_told(three, place)} was changed by somebody else since.", place)


def _told(three: _Three, place: Place) -> str:
    """Say which place is meant."""
    if place[0] != "line":
        return "The " + " ".join(place[-1].split("_"))
    numbers = [line["id"] for line in three.theirs["lines"] if line["verb"] != "size"]
    line = f"line {numbers.index(place[1]) + 1}" if place[1] in numbers else "a line that is gone"
    sizes = {line["id"]: line.get("name", "") for line in three.theirs["lines"] if line["verb"] == "size"}
    line = f"the size {sizes[place[1]]}" if place[1] in sizes else line
    return f"The {place[2].replace('_', ' ')} of {line}" if place[2] else line[0].upper() + line[1:]


def _merged_object(three: _Three, name: str, before: dict[str, Any], mine: dict[str, Any], theirs: dict[str, Any]) -> Any:
    """Return an object merged field by field."""
    return {key: _merged_value(three, (name, key), before.get(key), mine.get(key), theirs.get(key)) for key in theirs}


def _merged_looks(three: _Three) -> dict[str, Any]:
    """Return the looks of items, each as it changed on one side."""
    sides = [getattr(three, which)["looks"] for which in _WHICH]
    items = list(dict.fromkeys([*sides[2], *sides[1]]))
    found = {item: _merged_value(three, ("looks", item, "look"), *(side.get(item) for side in sides)) for item in items}
    return {item: look for item, look in found.items() if look is not None}


def _merged_lines(three: _Three, theirs: SheetDocument) -> list[dict[str, Any]]:
    """Return the lines in order."""
    old, mine, now = (three.lines(which) for which in _WHICH)
    merged: dict[str, dict[str, Any]] = {}
    for line_id in dict.fromkeys([*now, *mine]):
        line = _merged_line(three, line_id, old.get(line_id), mine.get(line_id), now.get(line_id))
        if line is not None:
            merged[line_id] = line
    gone = now.keys() - merged.keys()
    users = [line for line in theirs.lines if line.id in merged and gone & set(line.references().values())]
    fresh = [line for line in users if old.get(line.id) != now[line.id]]
    if fresh:
        number = theirs.number_of(fresh[0].id)
        raise ChangesMeet(f"Line {number} uses what it would take away.", ("line", fresh[0].id, WHOLE))
    return [merged[line_id] for line_id in _order(list(old), list(mine), list(now)) if line_id in merged]


def _merged_line(three: _Three, line_id: str, old: Any, mine: Any, now: Any) -> dict[str, Any] | None:
    """Return one line, None for one that is gone; raises ChangesMeet."""
    place = ("line", line_id, WHOLE)
    if old is None and mine is not None and now is not None and mine != now:
        raise ChangesMeet(f"{_told(three, place)} stands where this one would.", place)
    if old is None or mine == now:
        return now if mine is None else mine  # type: ignore[no-any-return]
    if mine is None or now is None:
        left = mine if now is None else now
        if left == old:
            return None
        raise ChangesMeet(f"{_told(three, place)} was changed or removed by somebody else since.", place)
    if mine["verb"] != now["verb"]:
        raise ChangesMeet(f"{_told(three, place)} is another line now.", place)
    return {
        name: _merged_value(three, ("line", line_id, name), old.get(name), mine.get(name), now.get(name))
        for name in dict.fromkeys([*now, *mine])
    }


def _order(old: list[str], mine: list[str], now: list[str]) -> list[str]:
    """Return the order of all lines: theirs, mine where I moved lines and they did not; each new line after its
    neighbour.
    """
    common = set(old) & set(mine) & set(now)
    kept = [[line for line in order if line in common] for order in (old, mine, now)]
    lead, other = (mine, now) if kept[1] != kept[0] and kept[2] == kept[0] else (now, mine)
    result = list(lead)
    for place, line in enumerate(other):
        if line not in result:
            before = next((one for one in reversed(other[:place]) if one in result), None)
            result.insert(0 if before is None else result.index(before) + 1, line)
    return result
