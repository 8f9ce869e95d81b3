"""The names of a sheet's items in a text: where one stands, not as a part of a longer one, and which are named in order."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from itertools import islice

from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.said_text import HOLE, SaidText

_FURTHER = rf"{HOLE}\s*(?:,\s*(?:and\s+)?|and\s+|&\s*)(?:the\s+)?"
"""What stands between a name in a row that was taken out, and the next."""


@dataclass(eq=False)
class SaidNames:
    """The items of a document as a text names them."""

    said: SaidText
    document: SheetDocument

    @cached_property
    def every(self) -> tuple[str, ...]:
        """The names of all items, in small letters."""
        return tuple(name.lower() for name in self.document.item_names().values() if name)

    def at(self, name: str, led: str = "") -> re.Match[str] | None:
        """Return where an item's name stands, not as a part of the longer name of another; behind a count also in the
        plural: `6 pegs`.
        """
        longer = [other for other in self.every if len(other) > len(name) and name in other]
        own = rf"(?P<own>{re.escape(name)}|(?<=[\d\0\1] ){re.escape(name)}e?s)"
        for found in re.finditer(rf"(?<!\w){led}{own}(?!\w)", self.said.text):
            start, end = found.span("own")
            around = (
                at.span() for other in longer for at in re.finditer(rf"(?<!\w){re.escape(other)}(?!\w)", self.said.text)
            )
            if not any(low <= start and end <= high for low, high in around):
                return found
        return None

    def led_to(self, kinds: tuple[str, ...], led: str) -> list[str]:
        """Return the ids of items of some kinds named in a row behind a pattern, taking the names out."""
        found = list(islice(self.named(kinds, set(), led), 1))
        while found and (more := list(islice(self.named(kinds, set(found), _FURTHER), 1))):
            found += more
        return found

    def named(self, kinds: tuple[str, ...], taken: set[str], led: str = "") -> Iterator[str]:
        """Yield the ids of items of some kinds in the order in which the text names them, taking the names out.

        led: a pattern of what stands before a name.
        """
        known = self.document.kinds()
        names = {
            line.id: self.document.item_name(line.id).lower() for line in self.document.lines if known.get(line.id) in kinds
        }
        own: set[str] = set()
        while True:
            found = [
                (at.start(), -len(name), item, at)
                for item, name in names.items()
                if name and item not in taken and item not in own and (at := self.at(name, led))
            ]
            if not found:
                return
            _, _, item, at = min(found, key=lambda entry: entry[:3])
            self.said.take(at)
            own.add(item)
            yield item
