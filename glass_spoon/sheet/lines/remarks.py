"""Remarks: what the sheet says to whoever reads it."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import StringConstraints

from glass_spoon.sheet.fields import TextSpec
from glass_spoon.sheet.line import Line

MOST_WORDS = 400
"""Most characters of a remark."""


class Remark(Line):
    """Words between the lines: why something is as it is."""

    chapter = "Remarks"
    summary = "Write a remark between the lines: why something is as it is, or what is still to be done."
    words = ("comment", "note", "why", "because", "text", "explain", "reason", "to do")
    sentence = "**Remark:** {text}"

    verb: Literal["remark"] = "remark"
    text: Annotated[
        str,
        StringConstraints(max_length=MOST_WORDS, pattern=r"^[^\x00-\x1f]*$", strip_whitespace=True),
        TextSpec("What you want to say here.", pattern=r"(?<=remark\s).+"),
    ] = "write here why"


class Step(Line):
    """A heading: the lines from here to the next one belong together."""

    chapter = "Remarks"
    summary = "Begin a step: a heading of your own for the lines that follow, which fold, move and pause together."
    words = ("heading", "section", "chapter", "group of lines", "fold", "title")
    sentence = "**Step** {title}"

    verb: Literal["step"] = "step"
    title: Annotated[
        str,
        StringConstraints(min_length=1, max_length=60, pattern=r"^[^\x00-\x1f<>]*$", strip_whitespace=True),
        TextSpec("What the lines of this step make.", pattern=r"(?<=step\s).+"),
    ] = "new step"
