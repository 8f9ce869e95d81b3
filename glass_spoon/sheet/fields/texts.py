"""Choices, texts, files and pictures."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from glass_spoon.sheet.fields.spec import Spec

Plane = Literal["front", "side", "plan"]


@dataclass(frozen=True)
class ChoiceSpec(Spec):
    """One of a few words; each choice's own help in the same order. trailing: words that may follow it and say no more."""

    choices: tuple[str, ...] = ()
    labels: tuple[str, ...] = ()
    trailing: tuple[str, ...] = ()

    def choice_label(self, value: str) -> str:
        """Return the words shown for a choice."""
        return self.labels[self.choices.index(value)] if self.labels and value in self.choices else value

    def described(self) -> str:
        """List the choices."""
        return "one of: " + ", ".join(self.choices)


@dataclass(frozen=True)
class TextSpec(Spec):
    """A short text with a form of its own, such as the designation of a thread; `pattern` finds it among other words."""

    pattern: str = ""


@dataclass(frozen=True)
class FileSpec(Spec):
    """The text of a file kept in the sheet; `endings` are those of the files that may be chosen."""

    endings: str = ".svg"


@dataclass(frozen=True)
class PictureSpec(Spec):
    """A picture of the project, by its id."""
