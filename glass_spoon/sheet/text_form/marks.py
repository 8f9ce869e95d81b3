"""How single values and names are marked in Markdown (CommonMark 0.31: code spans 6.1, backslash escapes 2.4)."""

from __future__ import annotations

import re

_SPECIAL = re.compile(r"([\\`*_\[\]])")
_QUOTED = re.compile(r'".*"', re.DOTALL)
_FENCE = re.compile(r"`+")

NAME = re.compile(r"\*((?:\\.|[^\\*])+)\*")
"""An item: a name in italics."""

CODE = re.compile(r"(?<!`)(`+)(?!`)(.+?)(?<!`)\1(?!`)")
"""A value: a code span between runs of backticks of the same length."""


def code(text: str) -> str:
    """Return a value as a code span; one that is empty, or stands in quotes itself, gets quotes about it."""
    if not text.strip() or _QUOTED.fullmatch(text):
        text = f'"{text}"'
    runs = {len(run) for run in _FENCE.findall(text)}
    fence = "`" * next(length for length in range(1, len(runs) + 2) if length not in runs)
    padded = text.startswith(("`", " ")) or text.endswith(("`", " "))
    return f"{fence} {text} {fence}" if padded else f"{fence}{text}{fence}"


def read_code(text: str) -> str:
    """Return the value that the inside of a code span stands for."""
    if len(text) > 1 and text.startswith(" ") and text.endswith(" ") and text.strip():
        text = text[1:-1]
    return text[1:-1] if _QUOTED.fullmatch(text) else text


def italic(name: str) -> str:
    """Return a name in italics."""
    return f"*{escaped(name)}*"


def escaped(text: str) -> str:
    """Return plain words with the signs that Markdown reads otherwise escaped."""
    return _SPECIAL.sub(r"\\\1", text)


def plain(text: str) -> str:
    """Return words with their escapes taken out."""
    return re.sub(r"\\(.)", r"\1", text)


_MARKED = re.compile(
    r"(?<!`)(?P<run>`+)(?!`)(?P<code>.+?)(?<!`)(?P=run)(?!`)"
    r"|\*\*(?P<bold>\S[^*]*)\*\*"
    r"|(?<![\w*])\*(?P<name>(?=\S)(?:\\.|[^\\*])+(?<=\S))\*(?![\w*])"
)


def without_marks(text: str) -> str:
    """Return a sentence in plain words: verbs, names, values without their marks; a product such as 2 * wall stays one."""

    def inner(found: re.Match[str]) -> str:
        if found["code"]:
            return read_code(found["code"])
        return found["bold"] or plain(found["name"])

    return _MARKED.sub(inner, text)
