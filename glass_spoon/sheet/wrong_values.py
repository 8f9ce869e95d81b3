"""What is wrong with the values of a sheet, in plain words: each finding of the check becomes a phrase of our own."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from typing import Any

_NAMES = {
    r"^[a-z][a-z0-9_]{0,39}$": "use small letters, digits and _, starting with a letter",
    r"^[A-Za-z0-9_-]{1,40}$": "an id has 1 to 40 letters, digits, - and _",
}
"""What the patterns of names ask for."""

_TEXT, _NUMBER, _LIST = "it should be a text", "it should be a number", "it should be a list"

_PHRASES = {
    "missing": "it is missing",
    "extra_forbidden": "there is no such field",
    "string_type": _TEXT,
    "int_type": _NUMBER,
    "int_parsing": _NUMBER,
    "int_from_float": "it should be a whole number",
    "float_type": _NUMBER,
    "float_parsing": _NUMBER,
    "finite_number": "it should be a number, not without end",
    "bool_type": "it should be true or false",
    "bool_parsing": "it should be true or false",
    "list_type": _LIST,
    "tuple_type": _LIST,
    "dict_type": "it should be fields with values",
    "model_type": "it should be fields with values",
    "model_attributes_type": "it should be fields with values",
    "union_tag_not_found": "it has no verb",
}


def phrase_of(entry: Mapping[str, Any]) -> str:
    """Return what is wrong with a value, as a phrase that completes `… cannot be used:`."""
    kind, limits = str(entry["type"]), entry.get("ctx", {})
    if kind == "value_error":
        return str(entry["msg"]).removeprefix("Value error, ")
    if kind == "literal_error":
        return f"it should be {str(limits.get('expected', 'another word')).replace(chr(39), '')}"
    if kind == "string_pattern_mismatch":
        return _NAMES.get(str(limits.get("pattern", "")), "it holds signs that a name cannot have, such as < or >")
    if kind in ("string_too_long", "too_long"):
        what = "signs" if kind.startswith("string") else "entries"
        return f"it has more than {limits.get('max_length', limits.get('actual_length', 'so many'))} {what}"
    if kind == "string_too_short":
        return "it is empty"
    if kind == "too_short":
        return f"it needs at least {limits.get('min_length', 1)} entries"
    if kind in ("greater_than", "greater_than_equal", "less_than", "less_than_equal"):
        words = {"greater_than": ("above", "gt"), "greater_than_equal": ("at least", "ge")}
        words |= {"less_than": ("below", "lt"), "less_than_equal": ("at most", "le")}
        word, key = words[kind]
        return f"it should be {word} {limits.get(key)}"
    return _PHRASES.get(kind, "it is not what this field takes")


def sentences_of(entries: Iterable[Mapping[str, Any]], data: Mapping[str, Any], verbs: Iterable[str]) -> list[str]:
    """Return a sentence for each place of a sheet that is wrong; lines count as the bench counts them."""
    known = set(verbs)
    found: dict[str, list[str]] = {}
    for entry in entries:
        path = [part for part in entry["loc"] if part not in known and not _is_way(part)]
        if str(entry["type"]) == "union_tag_invalid":
            verb = str(entry.get("ctx", {}).get("tag", ""))[:40]
            phrase = f"the verb “{verb}” is unknown; verbs are {', '.join(sorted(known))}"
        else:
            phrase = phrase_of(entry)
        phrases = found.setdefault(_place(path, data), [])
        if phrase not in phrases:
            phrases.append(phrase)
    return [f"{place}: {', or '.join(_or(phrases))}." for place, phrases in found.items()]


def _or(phrases: list[str]) -> list[str]:
    """Return phrases that say each what a value may be as one list: `it should be a text, or a number`."""
    first, *others = phrases
    return [first, *(re.sub("^it should be ", "", other) for other in others)]


def _is_way(part: Any) -> bool:
    """Return whether a part of a place names one of several types that were tried, rather than a field."""
    return isinstance(part, str) and bool(re.search(r"[^\w]", part) or part in ("int", "float", "str", "bool"))


def _place(path: list[Any], data: Mapping[str, Any]) -> str:
    """Return where something is wrong, such as `Line 3, field radius`."""
    where = "The sheet"
    if len(path) >= 2 and path[0] == "lines" and isinstance(path[1], int):
        where, path = _line_name(path[1], data), path[2:]
    if not path:
        return where
    name, *rest = (part + 1 if isinstance(part, int) else str(part).replace("_", " ") for part in path[:3])
    return f"{where}, field {name}{''.join(f', {part}' for part in rest)}"


def _line_name(index: int, data: Mapping[str, Any]) -> str:
    """Return what a line is called on the bench: its number without the sizes, or the size by its name."""
    lines = data.get("lines", [])
    verbs = [line.get("verb") if isinstance(line, Mapping) else "" for line in lines]
    if verbs[index] == "size":
        return f"Size {str(lines[index].get('name', ''))[:40] or verbs[: index + 1].count('size')}"
    return f"Line {index + 1 - verbs[:index].count('size')}"
