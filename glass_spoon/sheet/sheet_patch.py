"""The difference of two sheets as a JSON patch (RFC 6902), and a patch put onto a sheet.

Lines are told apart by their ids: one that is added, moved or taken out is one operation, whatever its place, and a
field that changes is one operation more. A general maker of patches compares lists place by place, so that a line
added at the head would write all others anew.
"""

from __future__ import annotations

import copy
from typing import Any

Patch = list[dict[str, Any]]
"""Operations add, remove, replace and move of RFC 6902, in the order in which they are done."""


class PatchDoesNotFit(ValueError):
    """A patch names a place that the sheet does not have."""


def make_patch(old: dict[str, Any], new: dict[str, Any]) -> Patch:
    """Return the operations that make `new` of `old`, both as parsed JSON with a list "lines" of objects with an "id"."""
    patch: Patch = []
    rest_old, rest_new = ({key: value for key, value in sheet.items() if key != "lines"} for sheet in (old, new))
    _compare(rest_old, rest_new, "", patch)
    _compare_lines(old.get("lines", []), new.get("lines", []), patch)
    return patch


def _compare_lines(old: list[dict[str, Any]], new: list[dict[str, Any]], patch: Patch) -> None:
    """Add the operations on lines: taken out, then moved and added in order, then changed."""
    by_id = {line["id"]: line for line in old}
    kept = {line["id"] for line in new if line["id"] in by_id and by_id[line["id"]]["verb"] == line["verb"]}
    for place in reversed(range(len(old))):
        if old[place]["id"] not in kept:
            patch.append({"op": "remove", "path": f"/lines/{place}"})
    now = [line["id"] for line in old if line["id"] in kept]
    for place, line in enumerate(new):
        if line["id"] not in kept:
            patch.append({"op": "add", "path": f"/lines/{place}", "value": line})
            now.insert(place, line["id"])
        elif now[place] != line["id"]:
            before = now.index(line["id"])
            patch.append({"op": "move", "from": f"/lines/{before}", "path": f"/lines/{place}"})
            now.insert(place, now.pop(before))
    for place, line in enumerate(new):
        if line["id"] in kept:
            _compare(by_id[line["id"]], line, f"/lines/{place}", patch)


def _compare(old: Any, new: Any, path: str, patch: Patch) -> None:
    """Add the operations that make one value of another."""
    if type(old) is type(new) and old == new:
        return
    if isinstance(old, dict) and isinstance(new, dict):
        for key in old.keys() - new.keys():
            patch.append({"op": "remove", "path": f"{path}/{_escaped(key)}"})
        for key, value in new.items():
            if key not in old:
                patch.append({"op": "add", "path": f"{path}/{_escaped(key)}", "value": value})
            else:
                _compare(old[key], value, f"{path}/{_escaped(key)}", patch)
    elif isinstance(old, list) and isinstance(new, list) and len(old) == len(new):
        for place, (before, after) in enumerate(zip(old, new, strict=True)):
            _compare(before, after, f"{path}/{place}", patch)
    else:
        patch.append({"op": "replace", "path": path, "value": new})


def _escaped(key: str) -> str:
    """Return a key as it stands in a pointer (RFC 6901, section 3)."""
    return key.replace("~", "~0").replace("/", "~1")


def apply_patch(sheet: dict[str, Any], patch: Patch) -> dict[str, Any]:
    """Return a copy of a sheet with the operations done; raises PatchDoesNotFit. Inverse of `make_patch` in its
    second part.
    """
    result = copy.deepcopy(sheet)
    try:
        for step in patch:
            if step["op"] == "remove":
                _take(result, step["path"])
            elif step["op"] == "move":
                _put(result, step["path"], _take(result, step["from"]), fresh=True)
            else:
                _put(result, step["path"], copy.deepcopy(step["value"]), fresh=step["op"] == "add")
    except (KeyError, IndexError, TypeError, ValueError) as error:
        raise PatchDoesNotFit("The step of the history does not fit the sheet.") from error
    return result


def _holder(sheet: Any, path: str) -> tuple[Any, Any]:
    """Return what holds the value of a pointer, and the key or the place in it."""
    *way, last = [part.replace("~1", "/").replace("~0", "~") for part in path.split("/")[1:]]
    holder = sheet
    for part in way:
        holder = holder[int(part)] if isinstance(holder, list) else holder[part]
    return holder, int(last) if isinstance(holder, list) else last


def _take(sheet: Any, path: str) -> Any:
    holder, key = _holder(sheet, path)
    return holder.pop(key)


def _put(sheet: Any, path: str, value: Any, *, fresh: bool) -> None:
    holder, key = _holder(sheet, path)
    if fresh and isinstance(holder, list):
        holder.insert(key, value)
    else:
        holder[key] = value
