"""A sheet, or some of its lines, written as Markdown."""

from __future__ import annotations

import json
import re
from collections import Counter
from collections.abc import Iterator, Sequence

from glass_spoon.sheet.document import Look, SheetDocument, SheetLimits
from glass_spoon.sheet.fields import FileSpec, PointsSpec, TableSpec
from glass_spoon.sheet.line import Line
from glass_spoon.sheet.lines.remarks import Remark, Step
from glass_spoon.sheet.lines.sizes import Size
from glass_spoon.sheet.text_form.fields import ALL, NONE, write_field
from glass_spoon.sheet.text_form.marks import escaped, without_marks
from glass_spoon.sheet.text_form.tables import write_table
from glass_spoon.sheet.upgrades import version_of

HEAD, FORM = "glass-spoon", "sheet text 1"
"""The first line of the head of a whole sheet: what it is, and the version of the form."""

PAUSED, KEPT = " (paused)", " Kept aside: "
"""What follows a line that is paused, and what leads values that its sentence does not use now."""

LINE_NAME = re.compile(r"line (\d+)")
"""What an item is called by the number of its line."""


def write_text(document: SheetDocument) -> str:
    """Return a whole sheet as Markdown: its head, its name, its lines."""
    return (
        "\n".join([*_head(document), f"# {escaped(document.name)}", "", *_blocks(document, document.lines)]).rstrip() + "\n"
    )


def write_lines(document: SheetDocument, chosen: set[str]) -> str:
    """Return some lines of a sheet, by id, as Markdown without a head: what is copied."""
    lines = [line for line in document.lines if line.id in chosen]
    return "\n".join(_blocks(document, lines)).strip() + "\n"


def said(document: SheetDocument, line_id: str) -> str:
    """Return the sentence of a line in plain words, without the marks of Markdown."""
    row = next(_block(document, document.line(line_id), item_texts(document)))
    return without_marks(re.sub(r"^(?:\d+\. |- |## |> )", "", row))


def item_texts(document: SheetDocument) -> dict[str, str]:
    """Return what the text calls each line, by id: the name of what it gives where that is its own, else its number."""
    names = document.item_names()
    often = Counter(names.values())
    numbers = {line.id: f"line {document.number_of(line.id)}" for line in document.lines}
    odd = (NONE, ALL)
    own = {
        item: name for item, name in names.items() if often[name] == 1 and not LINE_NAME.fullmatch(name) and name not in odd
    }
    return numbers | own


def _head(document: SheetDocument) -> Iterator[str]:
    """Yield the head: what it is, and what of the sheet is no line, each where it is not usual."""
    yield "---"
    yield f"{HEAD}: {FORM}"
    called = item_texts(document)
    limits = document.limits.model_dump(mode="json")
    changed = {name: value for name, value in limits.items() if value != SheetLimits.model_fields[name].default}
    looks = {called[item]: look.model_dump(exclude_defaults=True) for item, look in document.looks.items() if item in called}
    versions = {line.verb_name: line.version for line in document.lines if version_of(line.verb_name) > 1}
    told = {
        "limits": changed,
        "looks": {name: look for name, look in looks.items() if look != Look().model_dump(exclude_defaults=True)},
        "hidden layers": document.hidden_layers,
        "verbs": dict(sorted(versions.items())),
    }
    yield from (
        f"{name}: {json.dumps(value, ensure_ascii=False)}" for name, value in told.items() if value or name == "verbs"
    )
    yield "---"
    yield ""


def _blocks(document: SheetDocument, lines: Sequence[Line]) -> Iterator[str]:
    """Yield lines one after the other, empty lines between what Markdown would else run together."""
    called, last = item_texts(document), "head"
    for line in lines:
        kind = "size" if isinstance(line, Size) else "apart" if isinstance(line, Step | Remark) else "line"
        if last != "head" and (kind != last or kind == "apart"):
            yield ""
        beneath = list(_beneath(line))[:-1]
        yield from _block(document, line, called)
        if beneath:
            yield ""
            yield from (f"   {row}" if row else "" for row in beneath)
        last = "apart" if beneath else kind


def _block(document: SheetDocument, line: Line, called: dict[str, str]) -> Iterator[str]:
    """Yield one line as its sentence."""
    paused = PAUSED if line.paused else ""
    if isinstance(line, Size):
        yield f"- {line.name} = {write_field(line.spec('value'), line.value, called)}{paused}"
    elif isinstance(line, Step):
        yield f"## {_words(line.title)}{paused}"
    elif isinstance(line, Remark):
        yield f"> {_words(line.text)}{paused}"
    else:
        yield f"{document.number_of(line.id)}. {_sentence(line, called)}{paused}"


def _sentence(line: Line, called: dict[str, str]) -> str:
    """Return the sentence of a line, with what it keeps aside."""
    said: list[str] = []
    told: set[str] = set()
    for clause in line.clauses():
        if line.is_quiet(clause):
            continue
        told.update(clause.fields)
        for part in clause.parts:
            shown = {"verb": f"**{part.text}**", "text": part.text}
            said.append(shown.get(part.kind) or _value(line, part.text, called))
    aside = [name for name in line.specs() if name not in told and not line.is_usual(name)]
    kept = [f"{name.replace('_', ' ')} {_value(line, name, called)}" for name in aside]
    return "".join(said) + (f"{KEPT}{'; '.join(kept)}." if kept else "")


def _value(line: Line, name: str, called: dict[str, str]) -> str:
    """Return the value of a field; a usual one in the words of the verb itself."""
    raw = line.usual(name) if line.is_usual(name) else getattr(line, name)
    return write_field(line.spec(name), raw, called)


def _words(text: str) -> str:
    """Return free words, of which none are taken for what follows a paused line."""
    return re.sub(r"\(paused\)$", r"\\(paused)", escaped(text))


def _beneath(line: Line) -> Iterator[str]:
    """Yield what stands beneath a line: its tables and files, in the order of its fields."""
    for name, spec in line.specs().items():
        raw = getattr(line, name)
        if isinstance(spec, PointsSpec | TableSpec) and raw:
            yield from (*write_table(spec, raw), "")
        elif isinstance(spec, FileSpec) and raw:
            fence = "~" * max(3, 1 + max((len(run) for run in re.findall(r"~+", raw)), default=0))
            yield from (f"{fence} {name}", *raw.split("\n"), fence, "")
