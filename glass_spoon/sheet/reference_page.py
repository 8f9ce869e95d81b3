"""The reference page of all verbs, written from their declarations."""

from __future__ import annotations

from typing import Any

from glass_spoon.sheet.kinds import KINDS
from glass_spoon.sheet.line import CHAPTERS, Line
from glass_spoon.sheet.lines import VERB_CLASSES


def write_reference() -> str:
    """Return the page as Markdown."""
    parts = [
        "# Verbs\n",
        "Written from the declarations by `./spoon verbs`; do not edit by hand. What stands in [brackets] goes without "
        "saying while its values are as the verb has them by itself.\n",
    ]
    for chapter in CHAPTERS:
        parts.append(f"## {chapter}\n")
        parts.extend(_verb(cls) for cls in VERB_CLASSES if cls.chapter == chapter)
    return "\n".join(parts)


def _verb(cls: type[Line]) -> str:
    """Describe one verb."""
    verb = cls.model_fields["verb"].default
    words = f" Also found as: {', '.join(cls.words)}." if cls.words else ""
    gives = f" Gives {_given(cls)}." if cls.gives_kind else ""
    head = f"### {str(verb).replace('_', ' ').capitalize()}\n\n{cls.summary}{gives}{words}\n\n> {cls.sentence}\n\n"
    rows = [f"| {name} | {spec.described()} | {_default(cls, name)} | {spec.help} |" for name, spec in cls.specs().items()]
    return head + "| field | kind | default | what it is |\n| --- | --- | --- | --- |\n" + "\n".join(rows) + "\n"


def _given(cls: type[Line]) -> str:
    """Say what a verb gives."""
    if cls.gives_like:
        return "several of what it works on" if cls.gives_several else "one of those" if cls.gives_one else "the same kind"
    return KINDS[str(cls.gives_kind)].one


def _default(cls: type[Line], name: str) -> str:
    """Write a field's default."""
    value: Any = cls.model_fields[name].default
    return "" if value in ("", []) else f"`{value}`"
