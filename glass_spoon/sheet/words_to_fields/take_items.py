"""Items, as words name them."""

from __future__ import annotations

import re

from glass_spoon.sheet.fields import (
    EVERY,
    ChoiceSpec,
    ReferenceSpec,
    ReferencesSpec,
)
from glass_spoon.sheet.words_to_fields.reading import Reading

_EVERY = re.compile(r"\b(?:every|everything|all|whole)\b")


def take_ends(reading: Reading) -> None:
    """Take ends with the items that have them, in the order they are said: `the end of spine to the start of post`."""
    used = reading.line.used_fields()
    pairs = [(name, f"{name}_end") for name in used if f"{name}_end" in used]
    known = reading.document.kinds()
    for item_field, end_field in pairs:
        of, ends = reading.line.spec(item_field), reading.line.spec(end_field)
        if not isinstance(of, ReferenceSpec) or not isinstance(ends, ChoiceSpec):
            continue
        names = {
            reading.document.item_name(line.id).lower(): line.id
            for line in reading.document.lines
            if known.get(line.id) in of.kinds and reading.document.item_name(line.id)
        }
        either = "|".join(re.escape(name) for name in sorted(names, key=len, reverse=True))
        labels = {ends.choice_label(choice): choice for choice in ends.choices} | {choice: choice for choice in ends.choices}
        words = "|".join(re.escape(label) for label in sorted(labels, key=len, reverse=True))
        found = reading.said.search(rf"\b({words})\s+of\s+(?:the\s+)?({either})(?!\w)") if names else None
        if found and reading.fill({end_field: labels[found[1]], item_field: names[found[2]]}):
            reading.said.take(found)


def take_items(reading: Reading) -> None:
    """Take the items that are named, each for one field."""
    taken = {str(getattr(reading.line, name)) for name in reading.filled}
    # Lists take what is left: of `sweep star along spine` none is one of the other profiles.
    singles = [name for name in reading.line.used_fields() if isinstance(reading.line.spec(name), ReferenceSpec)]
    # What a word leads to is known first: of `match it to left hull` the hull is what it is matched to.
    for only_led in (True, False):
        for name in singles:
            spec = reading.line.spec(name)
            if isinstance(spec, ReferenceSpec) and name not in reading.filled and (not only_led or name in reading.line.led):
                _take_item(reading, name, spec, taken, only_led=only_led)
    lists = [name for name in reading.line.used_fields() if isinstance(reading.line.spec(name), ReferencesSpec)]
    # So is what a list is led to by, of which some may be in another list too: `net a, b, c, sharp along b`.
    for name in sorted(lists, key=lambda name: name not in reading.line.led):
        spec, led = reading.line.spec(name), reading.line.led.get(name, "")
        if isinstance(spec, ReferencesSpec):
            items = reading.names.led_to(spec.kinds, led) if led else list(reading.names.named(spec.kinds, taken))
            if items:
                reading.fill({name: items})
                taken |= set() if led else set(items)


def _take_item(reading: Reading, name: str, spec: ReferenceSpec, taken: set[str], *, only_led: bool) -> None:
    item = next(reading.names.named(spec.kinds, taken, _led_by(reading, name)), None)
    if item is None and only_led:
        return
    item = next(reading.names.named(spec.kinds, taken), None) if item is None else item
    every = _EVERY.search(reading.said.text) if item is None and spec.every else None
    if every:
        reading.said.take(every)
        item = EVERY
    if item is not None:
        reading.fill({name: item})
        reading.filled.add(name)
        taken.add(item)


def _led_by(reading: Reading, name: str) -> str:
    """Return the pattern of the word that leads to a field where it says which item is meant: `from`."""
    if name in reading.line.led:
        return reading.line.led[name]
    return r"from (?:the )?" if f"from {{{name}}}" in reading.line.sentence_now() else ""
