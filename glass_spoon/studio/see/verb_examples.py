"""An example of each verb out of the boathouse sheets: its line as it reads there, and what stands after it."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

from glass_spoon.sheet.document import SheetDocument, read_document
from glass_spoon.sheet.text_form.write_text import said
from glass_spoon.studio.flows.build_part import finished_build
from glass_spoon.studio.flows.example_project import DEMO
from glass_spoon.studio.see.item_picture import item_picture
from glass_spoon.studio.see.tints import BODIES
from glass_spoon.studio.sentences import Refused

PICTURED = ("curve", "curves", *BODIES)


@dataclass(frozen=True)
class Example:
    """A line of a sheet. item: the id of what it gives or changes, "" where that has no picture."""

    document: SheetDocument
    line: str
    sentence: str
    item: str

    @property
    def part(self) -> str:
        """The name of the part it stands in."""
        return self.document.name


@lru_cache(1)
def verb_examples() -> dict[str, Example]:
    """Return the first line of each verb in the sheets of the boathouse; verbs that stand in none have none."""
    found: dict[str, Example] = {}
    for path in sorted(DEMO.glob("*.json")):
        document = read_document(path.read_bytes())
        kinds = document.kinds()
        for line in document.lines:
            if line.verb_name not in found:
                item = line.item_id or ""
                item = item if kinds.get(item) in PICTURED else ""
                found[line.verb_name] = Example(document, line.id, said(document, line.id), item)
    return found


@lru_cache(256)
def example_picture(verb: str) -> bytes:
    """Return a PNG of what an example gave, as it stood after its line; Refused where there is none."""
    example = verb_examples().get(verb)
    if example is None or not example.item:
        raise Refused("There is no picture of this verb.", 404)
    return item_picture(finished_build(example.document, example.line), example.item)
