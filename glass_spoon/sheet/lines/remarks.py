"""Remarks: what the sheet says to whoever reads it."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

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
        Field(max_length=MOST_WORDS, pattern=r"^[^\x00-\x1f]*$"),
        TextSpec("What you want to say here.", pattern=r"(?<=remark\s).+"),
    ] = "write here why"
