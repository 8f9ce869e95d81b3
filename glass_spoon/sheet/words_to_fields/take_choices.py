"""Choices, as words give them: by phrases, or by their own words."""

from __future__ import annotations

import re
from collections.abc import Iterator

from glass_spoon.sheet.fields import (
    ChoiceSpec,
)
from glass_spoon.sheet.own_sentence import LINKING, lead_worth, slots_of
from glass_spoon.sheet.said_text import HOLES, stem, stems
from glass_spoon.sheet.words_to_fields.reading import REFERENCES, Reading, filled

_ABOUT = re.compile(r"\b(?:about|a?round)\s+(?:the\s+)?$")
"""Words before what something goes about."""

_LEADS = re.compile(r"\b(?:along|onto|from|of|between|and)\s+(?:the\s+)?$")
"""Words after which a name is an item's, though it is that of a choice too."""


def take_phrases(reading: Reading) -> None:
    """Take the phrases of the verb."""
    for phrase in reading.line.phrases:
        found = phrase.find(reading.said.text, tuple(reading.said.sizes))
        if not found:
            continue
        said = phrase.values(found, reading.said.text)
        values = {name: value for name, value in said.items() if name not in reading.filled}
        if not values and said:
            continue  # it says what was said already: the words mean something else
        reading.line = filled(reading.line, values)
        reading.filled |= set(values)
        reading.said.take(found)


def take_choices(reading: Reading) -> None:
    """Take choices by their own words or those shown; one may bring fields into use that are then asked in turn.

    Where the same words may be meant for several fields, the words before them decide, as in `start open, end flat`.
    """
    tried: set[str] = set()
    while name := next((name for name in reading.line.used_fields() if name not in tried), None):
        tried.add(name)
        spec = reading.line.spec(name)
        if not isinstance(spec, ChoiceSpec):
            continue
        if name in reading.filled:  # by a phrase: the words of the choice itself may stand there too
            for place in list(_places_of(reading, spec.choice_label(str(getattr(reading.line, name))))):
                reading.said.take_span(*place)
                _take_trailing(reading, spec, place[1])
            continue
        best = max((found for found in _choices_said(reading, name, spec)), default=None)
        if best is None:
            continue
        _, _, start, end, choice = best
        if not reading.fill({name: choice}):
            reading.filled.add(name)
        reading.said.take_span(-start, end)
        _take_trailing(reading, spec, end)


def _take_trailing(reading: Reading, spec: ChoiceSpec, end: int) -> None:
    """Take a word behind a choice that says no more, as in `front view`."""
    words = "|".join(map(re.escape, spec.trailing))
    if words and (found := re.compile(rf"\s+(?:{words})\b").match(reading.said.text, end)):
        reading.said.take(found)


def _choices_said(reading: Reading, name: str, spec: ChoiceSpec) -> Iterator[tuple[float, int, int, int, str]]:
    """Yield what is said for a field: what the words before are worth, its length, where it starts (negative) and ends,
    and the choice; nothing where the words before speak for another field.
    """
    slots = {slot.field: slot for slot in slots_of(reading.line.prose())}
    others = [
        slots[other]
        for other in reading.line.used_fields()
        if other != name and other not in reading.filled and isinstance(reading.line.spec(other), ChoiceSpec)
    ]
    literal = set(stems(" ".join(part.text for part in reading.line.prose() if part.kind == "text")))
    for choice in spec.choices:
        labels = (choice, spec.choice_label(choice))
        for words in {word for label in labels for word in (label, label.partition(" (")[0])}:
            for start, end in _places_of(reading, words):
                own = lead_worth(reading.said.text, start, slots[name])
                if own >= max((lead_worth(reading.said.text, start, slot) for slot in others), default=0.0):
                    # Words that the sentence has anyhow, as `within 3 mm`, say less than others.
                    yield own - LINKING * (set(stems(words)) <= literal), end - start, -start, end, choice


def _is_in_a_name(reading: Reading, low: int, high: int) -> bool:
    """Say whether a place is a part of the longer name of an item: `revolve rim line` is about no line, and
    `revolve rim about mast line` is.
    """
    text = reading.said.text
    longer = (name for name in reading.names.every if len(name) > high - low and text[low:high] in name)
    around = (found.span() for name in longer for found in re.finditer(rf"(?<!\w){re.escape(name)}(?!\w)", text))
    return any(start <= low and high <= end and not _ABOUT.search(text[:start]) for start, end in around)


def _places_of(reading: Reading, words: str) -> Iterator[tuple[int, int]]:
    """Yield where the words of a choice stand, whatever their endings."""
    wanted = stems(words)
    tokens = [(stem(m[0]), m.span()) for m in re.finditer(r"[a-zà-ÿ_0-9]\w*", reading.said.text)]
    for place in range(len(tokens) - len(wanted) + 1):
        part = tokens[place : place + len(wanted)]
        between = reading.said.text[part[0][1][0] : part[-1][1][1]] if part else ""
        if not part or [own for own, _ in part] != wanted or HOLES.search(between) or "," in between:
            continue
        low, high = part[0][1][0], part[-1][1][1]
        if _is_in_a_name(reading, low, high):
            continue
        ahead = reading.said.text[:low]
        if reading.said.text[low:high] in reading.names.every and (
            reading.verb_alone.fullmatch(ahead) or _LEADS.search(ahead)
        ):
            continue  # an item of that name, after the verb or a leading word: `thicken flat by 3 mm`, `along rail`
        if not re.search(r"\w-$", reading.said.text[:low]) and not re.match(r"-\w", reading.said.text[high:]):
            yield low, high  # not a part of a word with a hyphen, as `right` of `left-right`


def take_wording(reading: Reading) -> None:
    """Choose the sentence that has a field for an item which is named, where the present one has none for its kind."""
    choice, now = reading.line.wording_field, reading.line.used_fields()
    if not choice or choice in reading.filled:
        return
    kinds = {kind for spec in map(reading.line.spec, now) if isinstance(spec, REFERENCES) for kind in spec.kinds}
    for value in reading.line.wordings:
        other = filled(reading.line, {choice: value})
        fields = [name for name in other.used_fields() if name not in now]
        specs = [spec for spec in map(reading.line.spec, fields) if isinstance(spec, REFERENCES)]
        if any(not kinds & set(spec.kinds) and _is_named(reading, spec.kinds) for spec in specs):
            reading.fill({choice: value})
            return


def _is_named(reading: Reading, kinds: tuple[str, ...]) -> bool:
    """Say whether an item of some kinds is named."""
    known = reading.document.kinds()
    names = [reading.document.item_name(line.id).lower() for line in reading.document.lines if known.get(line.id) in kinds]
    places = (reading.names.at(name) for name in names if name)
    return any(at and not reading.verb_alone.fullmatch(reading.said.text[: at.start()]) for at in places)
