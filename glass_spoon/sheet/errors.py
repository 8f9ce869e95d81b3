"""What a sheet refuses, and why. Kernel errors pass through; both become sentences in one place of the studio.

SheetError
├── BadExpression       a number field's text cannot be read or worked out; carries the text
├── CircularSizes       sizes that need each other; carries their names in order
├── MissingItem         a line needs an item that is not there; carries the line that should give it
└── BadDocument         a sheet file that cannot be read; carries the places and sentences

WorkStopped is no refusal: somebody asked for work under way to end, and it passes through all that would hold it up.
"""

from __future__ import annotations


class SheetError(ValueError):
    """Base of all refusals of a sheet; the text is a sentence."""


class WorkStopped(Exception):
    """Work under way was asked to end; told to whoever waits for it."""


class BadExpression(SheetError):
    """A number field's text cannot be read or worked out."""

    def __init__(self, text: str, reason: str) -> None:
        """Take the text as typed and why it does not work, a phrase that completes `... cannot be used:`."""
        shown = text if len(text) <= 40 else text[:37] + "..."
        super().__init__(f"“{shown}” cannot be used: {reason}.")
        self.text, self.reason = text, reason


class CircularSizes(SheetError):
    """Sizes that are defined by each other."""

    def __init__(self, names: list[str]) -> None:
        """Take the names in the order of the circle."""
        circle = " → ".join([*names, names[0]])
        super().__init__(f"These sizes are defined by each other: {circle}. Give one of them a plain value.")
        self.names = names


class MissingItem(SheetError):
    """A line needs an item that no line before it gives, or whose line failed or is paused."""

    def __init__(self, sentence: str, source: str) -> None:
        """Take the sentence and the id of the line that should give the item."""
        super().__init__(sentence)
        self.source = source


class BadDocument(SheetError):
    """A sheet file that cannot be read."""

    def __init__(self, problems: list[str]) -> None:
        """Take one sentence a problem."""
        more = f" And {len(problems) - 5} more." if len(problems) > 5 else ""
        super().__init__("This sheet cannot be read. " + " ".join(problems[:5]) + more)
        self.problems = problems
