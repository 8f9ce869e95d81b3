"""Markdown read as a sheet, or as lines that are put into one."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from pydantic import ValidationError

from glass_spoon.sheet.document import SheetDocument, read_document
from glass_spoon.sheet.errors import BadDocument
from glass_spoon.sheet.fields import EVERY, PointsSpec, TableSpec
from glass_spoon.sheet.line import Line
from glass_spoon.sheet.lines import VERBS
from glass_spoon.sheet.text_form.fields import ALL, NONE, Beneath, Named
from glass_spoon.sheet.text_form.marks import CODE, plain, read_code
from glass_spoon.sheet.text_form.read_sentence import Unread, read_sentence
from glass_spoon.sheet.text_form.tables import WrongTable, is_row, read_table
from glass_spoon.sheet.text_form.write_text import FORM, HEAD, LINE_NAME, PAUSED
from glass_spoon.sheet.upgrades import version_of
from glass_spoon.sheet.wrong_values import phrase_of

_NUMBERED = re.compile(r"(\d+)[.)] +(.*)")
_SIZE = re.compile(r"[-*+] +([a-z][a-z0-9_]*) = (?=`)")
_TITLE = re.compile(r"(#{1,6}) +(.*)")
_FENCE = re.compile(r"(~{3,}|`{3,}) *(\w*)")
_INDENT = "   "
_UNBROKEN = "\u00a0"
"""A space that mail programs put in place of a plain one."""


@dataclass
class Block:
    """A line of a sheet as it stands in a text: where it begins, its words, what stands beneath it.

    kind: size, step, remark, line or words (that bear no marks). number: of a line, as written.
    """

    kind: str
    place: int
    text: str
    number: int = 0
    tables: list[list[str]] = field(default_factory=list)
    files: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class ReadLine:
    """A line that was read, or why it was not; `words` is what stands there, from the row `place` of the text on.

    A line that names an item which nothing gives is read without it, and says so.
    """

    line: Line | None
    words: str
    place: int
    wrong: str = ""
    number: int = 0


ONCE = "; , "
"""How Loft once wrote the place between two parts that are left out."""


def is_sheet_text(text: str) -> bool:
    """Say whether a text begins as the written form of a whole sheet does."""
    return text.lstrip("\ufeff").lstrip().startswith("---") and f"\n{HEAD}:" in text[:400]


def read_text(text: str) -> SheetDocument:
    """Return the sheet that a text holds; raises BadDocument with a sentence for each problem."""
    head, body, name = _parted(text.replace("\r\n", "\n").lstrip("\ufeff"))
    if not head.get(HEAD, "").startswith("sheet text "):
        raise BadDocument([f"It is not the text of a sheet: its head should hold “{HEAD}: {FORM}”."])
    if head[HEAD] != FORM:
        raise BadDocument([f"It is of the form “{head[HEAD]}”; this program reads “{FORM}”."])
    read = read_lines(body, {})
    problems = [f"Line {one.place} of the text: {one.wrong}: {one.words[:60]}" for one in read if one.wrong]
    versions = _json(head, "verbs", {})
    lines = [one.line for one in read if one.line is not None]
    problems += _of_other_versions(versions, lines) if "verbs" in head else []
    called = _called(lines, {one.line.id: one.number for one in read if one.line is not None and one.number})
    looks = _json(head, "looks", {})
    unknown = [str(item) for item in looks if item not in called]
    problems += [f"Its head gives a look to “{item[:60]}”, which no line gives." for item in unknown]
    if problems:
        raise BadDocument(problems)
    return read_document(
        {
            "format": "glass-spoon/sheet",
            "version": 1,
            "name": name or "Part",
            "lines": [line.model_dump(mode="json") for line in lines],
            "limits": _json(head, "limits", {}),
            "looks": {called[item]: look for item, look in looks.items()},
            "hidden_layers": _json(head, "hidden layers", []),
            "verb_versions": {line.verb_name: line.version for line in lines if line.version > 1},
        }
    )


def _of_other_versions(versions: Mapping[str, Any], lines: Sequence[Line]) -> list[str]:
    """Return a sentence for each verb that was written in another version: the same words may have meant something else.

    versions: those that are not 1. A text without them was written by hand, in the words of today.
    """
    used = dict.fromkeys([*versions, *(line.verb_name for line in lines)])
    return [
        f"It uses the verb {verb} of version {versions.get(verb, 1)}, and this program reads version {version_of(verb)}: "
        "bring the sheet in as JSON, which is kept up to date."
        for verb in used
        if versions.get(verb, 1) != version_of(verb)
    ]


def _json(head: Mapping[str, str], name: str, empty: Any) -> Any:
    """Return a value of the head; raises BadDocument for one that is no JSON of its kind."""
    try:
        value = json.loads(head[name]) if name in head else empty
    except ValueError as error:
        raise BadDocument([f"Its head holds “{name}”, which is not JSON ({error})."]) from error
    if not isinstance(value, type(empty)):
        raise BadDocument([f"Its head holds “{name}”, which should be {'a list' if empty == [] else 'an object'}."])
    return value


def _parted(text: str) -> tuple[dict[str, str], str, str]:
    """Return the head by name, the text with head and name made empty (lines keep their numbers), and the name."""
    rows = text.split("\n")
    head: dict[str, str] = {}
    start = next((number for number, row in enumerate(rows) if row.strip()), 0)
    if rows[start].strip() == "---":
        end = next((number for number in range(start + 1, len(rows)) if rows[number].strip() == "---"), None)
        if end is None:
            raise BadDocument(["Its head does not end: a line of three dashes is missing."])
        head = {row.partition(":")[0].strip(): row.partition(":")[2].strip() for row in rows[start + 1 : end]}
        rows[start : end + 1] = [""] * (end + 1 - start)
    title = next((number for number, row in enumerate(rows) if row.strip()), 0)
    name = ""
    if rows[title].startswith("# "):
        name, rows[title] = plain(rows[title][2:].strip()), ""
    return head, "\n".join(rows), name


def read_lines(text: str, known: Mapping[str, str], prefix: str = "l") -> list[ReadLine]:
    """Return the lines that a text holds, in order, with ids counted from 1 behind `prefix`.

    known: ids of items that stand before them, by the name that a text calls them.
    """
    blocks = _blocks(_unquoted(text.replace("\r\n", "\n").split("\n")))
    read = [_read_block(block, f"{prefix}{number}") for number, block in enumerate(blocks, 1)]
    lines = [one.line for one, _ in read if one.line is not None]
    numbers = {one.line.id: block.number for (one, _), block in zip(read, blocks, strict=True) if one.line and block.number}
    called = {**known, **_called(lines, numbers)}
    return [_with_items(one, names, called) for one, names in read]


def _unquoted(rows: list[str]) -> list[str]:
    """Return the rows of a text; one that a mail quotes as a whole stands without its marks."""
    quoted = [row for row in rows if row.strip()]
    inner = [row.removeprefix(">").removeprefix(" ") if row.strip() else row for row in rows]
    is_quoted = bool(quoted) and all(row.startswith(">") for row in quoted) and any(map(_is_line, inner))
    return inner if is_quoted else rows


def _is_line(row: str) -> bool:
    """Say whether a row begins as the sentence of a verb does."""
    return bool(re.match(r"(?:\d+[.)] +)?\*\*\w", row))


def _called(lines: Sequence[Line], numbers: Mapping[str, int]) -> dict[str, str]:
    """Return the ids of lines by what a text calls them: the name of what they give, and their written number."""
    names = {str(getattr(line, "gives", "")): line.id for line in reversed(lines) if line.item_id == line.id}
    return {**names, **{f"line {number}": line for line, number in numbers.items()}}


def _blocks(rows: Sequence[str]) -> list[Block]:
    """Return a text line by line of the sheet, each with what stands beneath it."""
    found: list[Block] = []
    at = 0
    fresh = True
    while at < len(rows):
        row = rows[at]
        fence = _FENCE.match(row.strip()) if found else None
        if not row.strip():
            fresh = True
        elif fence and row.startswith(_INDENT):
            end = next((k for k in range(at + 1, len(rows)) if rows[k].strip() == fence[1]), len(rows))
            found[-1].files[fence[2]] = "\n".join(inner.removeprefix(_INDENT) for inner in rows[at + 1 : end])
            at = end
        elif is_row(row) and found:
            end = next((k for k in range(at, len(rows)) if not is_row(rows[k])), len(rows))
            found[-1].tables.append(list(rows[at:end]))
            at = end - 1
        elif block := _begun(row, at + 1):
            found.append(block)
            fresh = False
        elif found and not fresh:
            found[-1].text += " " + row.replace(_UNBROKEN, " ").strip()
        else:
            found.append(Block("words", at + 1, row.strip()))
            fresh = False
        at += 1
    return found


def _begun(row: str, place: int) -> Block | None:
    """Return the block that a row begins, None for one that goes on."""
    if row.startswith((" ", "\t")):
        return None
    if row.startswith(">"):
        return Block("remark", place, row[1:].strip())
    if title := _TITLE.match(row):
        return Block("step", place, title[2].strip())
    if _SIZE.match(row):
        return Block("size", place, row.strip())
    row = row.replace(_UNBROKEN, " ")
    if numbered := _NUMBERED.match(row):
        return Block("line", place, numbered[2].strip(), int(numbered[1]))
    return Block("line", place, row.strip()) if row.startswith("**") else None


def _read_block(block: Block, line_id: str) -> tuple[ReadLine, dict[str, Any]]:
    """Return a block as a line, and those of its fields that are still names."""
    words = f" {block.text}"
    paused = words.endswith(PAUSED)
    text = words.removesuffix(PAUSED).strip()
    if block.kind == "line":
        text = text.replace(ONCE, ", ")
    try:
        verb, values = _fields(block, text)
        fields, names = _filled(block, verb, values)
        line = VERBS[verb].model_validate({"id": line_id, "verb": verb, "paused": paused, **fields})
    except (Unread, WrongTable) as error:
        return ReadLine(None, block.text, block.place, str(error)), {}
    except ValidationError as error:
        return ReadLine(None, block.text, block.place, phrase_of(error.errors()[0])), {}
    return ReadLine(line, block.text, block.place, number=block.number), names


def _fields(block: Block, text: str) -> tuple[str, dict[str, Any]]:
    """Return the verb and the fields of a block; raises Unread."""
    if block.kind == "remark":
        return "remark", {"text": plain(text)}
    if block.kind == "step":
        return "step", {"title": plain(text)}
    if block.kind == "size":
        found = _SIZE.match(text)
        value = CODE.match(text, found.end()) if found else None
        if not found or not value or text[value.end() :].strip():
            raise Unread(text)
        return "size", {"name": found[1], "value": read_code(value[2])}
    if block.kind == "words":
        raise Unread(text)
    read = read_sentence(text)
    return read.verb, read.values


def _filled(block: Block, verb: str, values: Mapping[str, Any]) -> tuple[dict[str, Any], dict[str, Any]]:
    """Return the fields of a line with what stands beneath it, and those that name items; raises WrongTable."""
    fields: dict[str, Any] = {}
    names: dict[str, Any] = {}
    tables = iter(block.tables)
    for name, spec in VERBS[verb].specs().items():
        if name not in values:
            continue
        value = values[name]
        if isinstance(value, Named) or (isinstance(value, list) and any(isinstance(one, Named) for one in value)):
            names[name] = value
        elif isinstance(value, Beneath) and value.rows is None:
            if name not in block.files:
                raise WrongTable(f"the file of “{name}” is missing beneath it")
            fields[name] = block.files[name]
        elif isinstance(value, Beneath) and isinstance(spec, PointsSpec | TableSpec):
            rows = read_table(spec, next(tables, []))
            if len(rows) != value.rows:
                raise WrongTable(f"it says {value.rows}, and the table beneath it has {len(rows)}")
            fields[name] = rows
        else:
            usual = VERBS[verb].usual(name)
            fields[name] = usual if value == spec.typed(usual) else value
    return fields, names


def _with_items(read: ReadLine, names: Mapping[str, Any], called: Mapping[str, str]) -> ReadLine:
    """Return a line with the items that it names."""
    if read.line is None or not names:
        return read
    every = [one for value in names.values() for one in (value if isinstance(value, list) else [value])]
    ids = {NONE: "", ALL: EVERY, **called}
    unknown = next((one.name for one in every if one.name not in ids), "")
    found: dict[str, Any] = {}
    for name, value in names.items():
        several = isinstance(value, list)
        known = [ids[one.name] for one in (value if several else [value]) if one.name in ids]
        found[name] = known if several else known[0] if known else ""
    line = type(read.line).model_validate(read.line.model_dump() | found)
    return ReadLine(line, read.words, read.place, f"no line before it gives “{unknown}”" if unknown else "", read.number)


__all__ = ["LINE_NAME", "ReadLine", "is_sheet_text", "read_lines", "read_text"]
