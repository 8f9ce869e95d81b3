"""Plain words to the fields of a line: names, laws, tables, phrases, choices, items, numbers by the words beside them.

Each part takes out of the text what it understood; the words that are left at the end are told as not understood.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from pydantic import ValidationError

from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.errors import BadExpression
from glass_spoon.sheet.fields import (
    EVERY,
    ChoiceSpec,
    LawSpec,
    NameSpec,
    NumberSpec,
    PointsSpec,
    ReferenceSpec,
    ReferencesSpec,
    TableSpec,
    TextSpec,
)
from glass_spoon.sheet.known_sizes import known_sizes, size_dimensions
from glass_spoon.sheet.line import Line
from glass_spoon.sheet.named_numbers import ACROSS, MEASURES, may_stand, name_numbers, named_elsewhere, names_of, said_across
from glass_spoon.sheet.own_sentence import ANY_WORD, ENOUGH, LINKING, fit_numbers, lead_worth, name_patterns, slots_of
from glass_spoon.sheet.phrase import IDLE, SaidNumber, Word, as_typed, expression_pattern
from glass_spoon.sheet.said_centre import FIELDS, said_centre
from glass_spoon.sheet.said_names import SaidNames
from glass_spoon.sheet.said_space import said_axis, said_place
from glass_spoon.sheet.said_text import HOLE, HOLES, SaidText, stem, stems
from glass_spoon.sheet.typed_places import SAID_IN_SPACE, SAID_PLACES, said_in_space, said_places

SIZE_TEXT = re.compile(
    r"^\s*(?:size\s+([a-z][a-z0-9_]*)\s*(?:=|:|\bis\b|\s)\s*|([a-z][a-z0-9_]*)\s*(?:=|:|\bis\b)\s*)(\S.*)$", re.IGNORECASE
)
"""A size and its value, such as `wall = 1.5 mm` or `size wall 1.5 mm`."""

_REFERENCES = (ReferenceSpec, ReferencesSpec)
_EVERY = re.compile(r"\b(?:every|everything|all|whole)\b")
_GIVING = re.compile(r"\b(?:giving|called|named)\s+")
_NAME_ENDS = (
    r"(?=\s*(?:[,;.]|$|\b(?:with|over|from|of|by|at|through|along|about|on|as)\b|\bin\s+(?:the\s+)?(?:front|side|plan)\b"
    r"|\b(?:radius|diameter|width|height|depth|length|pitch)\s+(?:of\s+)?[\d.]))"
)
_DONE = re.compile(r"(?:ed|ing)$")
"""How words end that say what is done to an item, and are no name of it."""
_WHERE = frozenset(
    re.findall(
        r"\w+",
        "above across against along around below beside between beyond inside near onto outside under within "
        "closed lying open sharp smooth smoothly soft standing straight upright",
    )
)
"""Words that say where something is, or how, and are no name of it."""
_CHANGES = re.compile(r"\bto\b|\bat\b")
"""What a law has that changes on the way."""

_LEADS = re.compile(r"\b(?:along|onto|from|of|between|and)\s+(?:the\s+)?$")
"""Words after which a name is an item's, though it is that of a choice too."""

_WAYS = r"evenly|eased in|eased out|eased"


@dataclass(frozen=True, eq=False)
class Filled:
    """A line with the fields that words gave, which these are, and the words that gave none."""

    line: Line
    missed: tuple[str, ...]
    said: frozenset[str] = frozenset()


def fill_line(line: Line, text: str, document: SheetDocument) -> Line:
    """Return the line with the fields that the words give; what does not fit stays as it was."""
    return read_words(line, text, document).line


def read_words(line: Line, text: str, document: SheetDocument) -> Filled:
    """Return the line with the fields that the words give, and the words that were not understood."""
    size = SIZE_TEXT.match(text)
    if size and line.verb_name == "size":
        values = {"name": (size[1] or size[2]).lower(), "value": size[3].strip()}
        return Filled(_filled(line, values), (), frozenset(values))
    said = SaidText(text.lower(), size_dimensions(document))
    reading = _Reading(line, said, document, text)
    for part in (
        reading.take_name,
        reading.take_signs,
        reading.take_laws,
        reading.take_tables,
        reading.take_centre,
        reading.take_place,
        reading.take_places,
        reading.take_ends,
        reading.take_phrases,
        reading.take_axis,
        reading.take_choices,
        reading.take_wording,
        reading.take_items,
        reading.take_only_law,
        reading.take_other_numbers,
        reading.take_numbers,
        reading.take_name_after_verb,
        reading.take_name_behind_as,
        reading.take_own_words,
    ):
        part()
    return Filled(reading.line, said.left(), frozenset(reading.filled))


def _filled(line: Line, values: Mapping[str, Any]) -> Line:
    """Return the line with other values, or as it was where they do not fit."""
    try:
        return type(line).model_validate(line.model_dump() | dict(values))
    except ValidationError:
        return line


@dataclass
class _Reading:
    """A line while its words are read. filled: the fields that are said."""

    line: Line
    said: SaidText
    document: SheetDocument
    original: str

    def __post_init__(self) -> None:
        self.filled: set[str] = set()
        self.names = SaidNames(self.said, self.document)

    def _set(self, values: Mapping[str, Any]) -> bool:
        """Fill fields; say whether the values fit."""
        changed = _filled(self.line, values)
        if changed is self.line:
            return False
        self.line = changed
        self.filled |= set(values)
        return True

    def take_name(self) -> None:
        """Take the name of the new item, up to a comma or a word that goes on."""
        name = next((name for name in self.line.used_fields() if isinstance(self.line.spec(name), NameSpec)), None)
        if name is None or self._take_name_of_sentence(name):
            return
        start = _GIVING.search(self.said.text)
        if start is None:
            return
        end = re.compile(r".+?" + _NAME_ENDS).match(self.said.text, start.end())
        if end and self._set({name: self.original[start.end() : end.end()].strip()}):
            self.said.take_span(start.start(), end.end())

    def _take_name_of_sentence(self, field: str) -> bool:
        """Take the name where the sentence of the line has it; say whether it was there. Items keep theirs."""
        known = {name.lower() for name in self.document.item_names().values()} | IDLE
        for pattern in name_patterns(self.line.prose(), field):
            found = self.said.search(pattern)
            if found is None or found["name"] in known or found["name"].split()[0] in IDLE:
                continue
            if stem(found["name"].split()[0]) in self._choice_stems():
                continue  # words that choose something: `mark faces looking up on hull`
            if self._set({field: self.original[found.start("name") : found.end("name")]}):
                self.said.take_span(*found.span("name"))
                return True
        return False

    def _choice_stems(self) -> set[str]:
        """Return the stems of the words of all choices of the line."""
        labels = [
            spec.choice_label(choice)
            for spec in self.line.specs().values()
            if isinstance(spec, ChoiceSpec)
            for choice in spec.choices
        ]
        return set(stems(" ".join(labels))) - set(stems(" ".join(IDLE)))

    def take_name_after_verb(self) -> None:
        """Take an unknown word right after the verb as the name: `rectangle tank 300 by 200`; of what is made of nothing
        else also before `of`, `on` and a comma: `circle rim of radius 40`.
        """
        name = next((name for name in self.line.used_fields() if isinstance(self.line.spec(name), NameSpec)), None)
        if name is None or name in self.filled or self.line.changes:
            return
        alone = not any(isinstance(self.line.spec(field), _REFERENCES) for field in self.line.used_fields())
        before = [re.escape(self.line.verb_name.replace("_", " "))]
        before += [HOLE, *(re.escape(word) for word in type(self.line).words)] if alone else []
        verb = rf"^\W*(?:(?:a|an|the|new|add|draw|make)\s+)*(?:{'|'.join(before)})\s+"
        ends = r"[\d\x00\x01]" + (r"|,|(?:of|with|on|through|about|from)\b" if alone else "")
        more = r"(?: [a-z]\w*)??" if alone else ""
        found = re.compile(verb + rf"([a-z]\w*{more})(?=\s*(?:{ends}))").match(self.said.text)
        if found is None or set(found[1].split()) & (IDLE | MEASURES) or found[1] in self.names.every:
            return
        if any(_DONE.search(word) or word in _WHERE for word in found[1].split()):
            return  # what is done to it, or where: `circle centred with …`
        if not set(stems(found[1])) & self._own_stems():
            word = self.original[found.start(1) : found.end(1)]
            if self._set({name: word}):
                self.said.take_span(found.start(1), found.end(1))

    def take_name_behind_as(self) -> None:
        """Take words that nothing else has understood, behind `as` at the end, as the name: `unite base and top as box`."""
        name = next((name for name in self.line.used_fields() if isinstance(self.line.spec(name), NameSpec)), None)
        found = self.said.search(r"\bas (?:an? |the )?([a-z][\w ]*?)\s*[.]?$")
        if name is None or name in self.filled or found is None or found[1] in self.names.every:
            return
        if not set(stems(found[1])) & self._own_stems():
            if self._set({name: self.original[found.start(1) : found.end(1)]}):
                self.said.take(found)

    def take_signs(self) -> None:
        """Take texts of a form of their own, such as the designation of a thread."""
        for name in self.line.used_fields():
            spec = self.line.spec(name)
            sign = (
                re.search(spec.pattern, self.original, re.IGNORECASE)
                if isinstance(spec, TextSpec) and spec.pattern
                else None
            )
            if sign and self._set({name: sign[0]}):
                self.said.take(sign)

    def _law_pattern(self) -> tuple[str, str]:
        """Return the patterns of a law, and of one that runs from a value to another."""
        number = expression_pattern(tuple(self.said.sizes))
        runs = rf"(?:\s+to\s+{number})"
        rest = rf"(?:\s+(?:{_WAYS})\b)?(?:\s*,?\s*bias\s+{number})?"
        law = rf"{number}(?:(?:\s*,\s*{number}\s+at\s+{number})+\s*,\s*{number}|{runs}?{rest})"
        return law, rf"{number}{runs}{rest}"

    def take_laws(self) -> None:
        """Take values that change on the way: the word for them, and `0° to 540° eased, bias 0.35` or a list of places."""
        law, _ = self._law_pattern()
        for name, spec in self.line.specs().items():
            if not isinstance(spec, LawSpec):
                continue
            words = "|".join(re.escape(word) for word in {name.replace("_", " "), *spec.said})
            found = self.said.search(rf"\b(?:{words})(?:d|ed|s|ting|ing|ted)?\s+(?:of\s+|by\s+|from\s+|is\s+)?({law})")
            if found and self._fits_law(spec, name, found[1]):
                text = _law_text(found[1])
                if self._set({name: text if _CHANGES.search(text) else self._law_of(text, name)}):
                    self.said.take(found)

    def _fits_law(self, spec: LawSpec, name: str, text: str) -> bool:
        try:
            spec.resolve(name, _law_text(text), known_sizes(self.document))
        except (InvalidInput, BadExpression):
            return False
        return True

    def take_only_law(self) -> None:
        """Take the only number that no word beside it names for another field, for the law that comes first in the
        sentence: `thicken lid 3 mm`, `taper post to 0.7 fading over 20`.
        """
        shown = [name for clause in self.line.clauses() if not clause.optional for name in clause.fields]
        name = next((one for one in shown if self._is_value(one)), "")
        spec, numbers = self.line.specs().get(name), self.said.numbers()
        if not isinstance(spec, LawSpec) or name in self.filled:
            return
        runs = self.said.search(rf"\b(?:by|of|with)\s+({self._law_pattern()[1]})")
        if runs and self._fits_law(spec, name, runs[1]) and self._set({name: _law_text(runs[1])}):
            self.said.take(runs)
            return
        named = name_numbers(self.line, numbers, [other for other in self.line.used_fields() if self._is_number(other)])
        free = [number for place, number in enumerate(numbers) if place not in named]
        if len(free) != 1:
            return
        (number,) = free
        if named_elsewhere(self.line, number, self.line.used_fields()):
            return  # a word beside it names a field of another wording
        text = self._law_of(number.typed, name)
        if number.dimension in ("", spec.dimension) and self._fits_law(spec, name, text) and self._set({name: text}):
            self.said.take_number(*number.span)

    def _law_of(self, typed: str, name: str) -> str:
        """Return one value as a law: where the usual law runs from one value to another, it is the one that it runs to."""
        start, to, _ = str(type(self.line).model_fields[name].default).partition(" to ")
        return f"{start}{to}{typed}" if to else typed

    def _is_value(self, name: str) -> bool:
        return isinstance(self.line.spec(name), NumberSpec | LawSpec)

    def take_tables(self) -> None:
        """Take rows of a table, as in `150 at 0, 160 by 120 at 20`."""
        number = expression_pattern(tuple(self.said.sizes))
        for name in self.line.used_fields():
            spec = self.line.spec(name)
            if not isinstance(spec, TableSpec) or not spec.said:
                continue
            pattern = re.sub(r"\{(\w+)\}", lambda found: f"(?P<{found[1]}>{number})", spec.said)
            found = list(re.finditer(rf"(?<![\w.]){pattern}", self.said.text))
            rows = [{cell: as_typed(text) for cell, text in row.groupdict().items() if text} for row in found]
            if rows and len(rows) >= spec.least and self._set({name: rows}):
                for row in found:
                    self.said.take(row)

    def take_centre(self) -> None:
        """Take the place in space at which a plane shape lies, as in `at 0, 0, 40` or `at height 40`."""
        if not set(self.line.used_fields()) >= FIELDS:
            return
        said = said_centre(self.said.text, tuple(self.said.sizes))
        if said is not None and self._set(said.values):
            self.said.take_span(*said.span)

    def take_axis(self) -> None:
        """Take the axis of space that something goes about, as in `about x` or `about the y axis`."""
        for name in self.line.used_fields():
            spec = self.line.spec(name)
            said = said_axis(self.said.text, spec.choices) if isinstance(spec, ChoiceSpec) else None
            if said is not None and self._set({name: said[1]}):
                self.said.take_span(*said[0])

    def take_place(self) -> None:
        """Take the place in space of what has one, as in `at 20, 0, 40` or `through 10, 0, 0`."""
        specs = {name: self.line.spec(name) for name in self.line.used_fields()}
        if not all(isinstance(spec := specs.get(axis), NumberSpec) and spec.axis == axis for axis in "xyz"):
            return
        said = said_place(self.said.text, tuple(self.said.sizes))
        if said is not None and self._set(said[1]):
            self.said.take_span(*said[0])

    def take_places(self) -> None:
        """Take the points of a drawn curve, as in `through 0 0, 40 10 and 60 50`."""
        for name in self.line.used_fields():
            if not isinstance(self.line.spec(name), PointsSpec):
                continue
            found = SAID_IN_SPACE.search(self.said.text)
            if found and self._set({name: said_in_space(found[1])}):
                # Right, back and up are those of the plan; a plane that is named is read after this.
                self.line = _filled(self.line, {"plane": "plan"})
                self.said.take(found)
                continue
            found = SAID_PLACES.search(self.said.text)
            points = said_places(found[1]) if found else []
            if found and points and self._set({name: points}):
                self.said.take(found)

    def take_phrases(self) -> None:
        """Take the phrases of the verb."""
        for phrase in self.line.phrases:
            found = phrase.find(self.said.text, tuple(self.said.sizes))
            if not found:
                continue
            said = phrase.values(found, self.said.text)
            values = {name: value for name, value in said.items() if name not in self.filled}
            if not values and said:
                continue  # it says what was said already: the words mean something else
            self.line = _filled(self.line, values)
            self.filled |= set(values)
            self.said.take(found)

    def take_ends(self) -> None:
        """Take ends with the items that have them, in the order they are said: `the end of spine to the start of post`."""
        used = self.line.used_fields()
        pairs = [(name, f"{name}_end") for name in used if f"{name}_end" in used]
        known = self.document.kinds()
        for item_field, end_field in pairs:
            of, ends = self.line.spec(item_field), self.line.spec(end_field)
            if not isinstance(of, ReferenceSpec) or not isinstance(ends, ChoiceSpec):
                continue
            names = {
                self.document.item_name(line.id).lower(): line.id
                for line in self.document.lines
                if known.get(line.id) in of.kinds and self.document.item_name(line.id)
            }
            either = "|".join(re.escape(name) for name in sorted(names, key=len, reverse=True))
            labels = {ends.choice_label(choice): choice for choice in ends.choices} | {
                choice: choice for choice in ends.choices
            }
            words = "|".join(re.escape(label) for label in sorted(labels, key=len, reverse=True))
            found = self.said.search(rf"\b({words})\s+of\s+(?:the\s+)?({either})(?!\w)") if names else None
            if found and self._set({end_field: labels[found[1]], item_field: names[found[2]]}):
                self.said.take(found)

    def take_choices(self) -> None:
        """Take choices by their own words or those shown; one may bring fields into use that are then asked in turn.

        Where the same words may be meant for several fields, the words before them decide, as in `start open, end flat`.
        """
        tried: set[str] = set()
        while name := next((name for name in self.line.used_fields() if name not in tried), None):
            tried.add(name)
            spec = self.line.spec(name)
            if not isinstance(spec, ChoiceSpec):
                continue
            if name in self.filled:  # by a phrase: the words of the choice itself may stand there too
                for place in list(self._places_of(spec.choice_label(str(getattr(self.line, name))))):
                    self.said.take_span(*place)
                    self._take_trailing(spec, place[1])
                continue
            best = max((found for found in self._choices_said(name, spec)), default=None)
            if best is None:
                continue
            _, _, start, end, choice = best
            if not self._set({name: choice}):
                self.filled.add(name)
            self.said.take_span(-start, end)
            self._take_trailing(spec, end)

    def _take_trailing(self, spec: ChoiceSpec, end: int) -> None:
        """Take a word behind a choice that says no more, as in `front view`."""
        words = "|".join(map(re.escape, spec.trailing))
        if words and (found := re.compile(rf"\s+(?:{words})\b").match(self.said.text, end)):
            self.said.take(found)

    def _choices_said(self, name: str, spec: ChoiceSpec) -> Iterator[tuple[float, int, int, int, str]]:
        """Yield what is said for a field: what the words before are worth, its length, where it starts (negative) and ends,
        and the choice; nothing where the words before speak for another field.
        """
        slots = {slot.field: slot for slot in slots_of(self.line.prose())}
        others = [
            slots[other]
            for other in self.line.used_fields()
            if other != name and other not in self.filled and isinstance(self.line.spec(other), ChoiceSpec)
        ]
        literal = set(stems(" ".join(part.text for part in self.line.prose() if part.kind == "text")))
        for choice in spec.choices:
            labels = (choice, spec.choice_label(choice))
            for words in {word for label in labels for word in (label, label.partition(" (")[0])}:
                for start, end in self._places_of(words):
                    own = lead_worth(self.said.text, start, slots[name])
                    if own >= max((lead_worth(self.said.text, start, slot) for slot in others), default=0.0):
                        # Words that the sentence has anyhow, as `within 3 mm`, say less than others.
                        yield own - LINKING * (set(stems(words)) <= literal), end - start, -start, end, choice

    def _places_of(self, words: str) -> Iterator[tuple[int, int]]:
        """Yield where the words of a choice stand, whatever their endings."""
        wanted = stems(words)
        tokens = [(stem(m[0]), m.span()) for m in re.finditer(r"[a-zà-ÿ_0-9]\w*", self.said.text)]
        for place in range(len(tokens) - len(wanted) + 1):
            part = tokens[place : place + len(wanted)]
            between = self.said.text[part[0][1][0] : part[-1][1][1]] if part else ""
            if not part or [own for own, _ in part] != wanted or HOLES.search(between) or "," in between:
                continue
            low, high = part[0][1][0], part[-1][1][1]
            ahead = self.said.text[:low]
            if self.said.text[low:high] in self.names.every and (self._verb_alone.fullmatch(ahead) or _LEADS.search(ahead)):
                continue  # an item of that name, after the verb or a leading word: `thicken flat by 3 mm`, `along rail`
            if not re.search(r"\w-$", self.said.text[:low]) and not re.match(r"-\w", self.said.text[high:]):
                yield low, high  # not a part of a word with a hyphen, as `right` of `left-right`

    def take_wording(self) -> None:
        """Choose the sentence that has a field for an item which is named, where the present one has none for its kind."""
        choice, now = self.line.wording_field, self.line.used_fields()
        if not choice or choice in self.filled:
            return
        kinds = {kind for spec in map(self.line.spec, now) if isinstance(spec, _REFERENCES) for kind in spec.kinds}
        for value in self.line.wordings:
            other = _filled(self.line, {choice: value})
            fields = [name for name in other.used_fields() if name not in now]
            specs = [spec for spec in map(self.line.spec, fields) if isinstance(spec, _REFERENCES)]
            if any(not kinds & set(spec.kinds) and self._is_named(spec.kinds) for spec in specs):
                self._set({choice: value})
                return

    def _is_named(self, kinds: tuple[str, ...]) -> bool:
        """Say whether an item of some kinds is named."""
        known = self.document.kinds()
        names = [self.document.item_name(line.id).lower() for line in self.document.lines if known.get(line.id) in kinds]
        places = (self.names.at(name) for name in names if name)
        return any(at and not self._verb_alone.fullmatch(self.said.text[: at.start()]) for at in places)

    @cached_property
    def _verb_alone(self) -> re.Pattern[str]:
        """What a text is that has named the verb and nothing else yet."""
        cls = type(self.line)
        verbs = "|".join(re.escape(word) for word in {self.line.verb_name.replace("_", " "), *cls.words})
        return re.compile(rf"\W*(?:(?:{verbs})\w*\W+)?(?:(?:the|a|an)\s+)?")

    def take_items(self) -> None:
        """Take the items that are named, each for one field."""
        taken = {str(getattr(self.line, name)) for name in self.filled}
        # Lists take what is left: of `sweep star along spine` none is one of the other profiles.
        singles = [name for name in self.line.used_fields() if isinstance(self.line.spec(name), ReferenceSpec)]
        # What a word leads to is known first: of `match it to left hull` the hull is what it is matched to.
        for only_led in (True, False):
            for name in singles:
                spec = self.line.spec(name)
                if isinstance(spec, ReferenceSpec) and name not in self.filled and (not only_led or name in self.line.led):
                    self._take_item(name, spec, taken, only_led=only_led)
        lists = [name for name in self.line.used_fields() if isinstance(self.line.spec(name), ReferencesSpec)]
        # So is what a list is led to by, of which some may be in another list too: `net a, b, c, sharp along b`.
        for name in sorted(lists, key=lambda name: name not in self.line.led):
            spec, led = self.line.spec(name), self.line.led.get(name, "")
            if isinstance(spec, ReferencesSpec):
                items = self.names.led_to(spec.kinds, led) if led else list(self.names.named(spec.kinds, taken))
                if items:
                    self._set({name: items})
                    taken |= set() if led else set(items)

    def _take_item(self, name: str, spec: ReferenceSpec, taken: set[str], *, only_led: bool) -> None:
        item = next(self.names.named(spec.kinds, taken, self._led_by(name)), None)
        if item is None and only_led:
            return
        item = next(self.names.named(spec.kinds, taken), None) if item is None else item
        every = _EVERY.search(self.said.text) if item is None and spec.every else None
        if every:
            self.said.take(every)
            item = EVERY
        if item is not None:
            self._set({name: item})
            self.filled.add(name)
            taken.add(item)

    def _led_by(self, name: str) -> str:
        """Return the pattern of the word that leads to a field where it says which item is meant: `from`."""
        if name in self.line.led:
            return self.line.led[name]
        return r"from (?:the )?" if f"from {{{name}}}" in self.line.sentence_now() else ""

    def take_other_numbers(self) -> None:
        """Take numbers whose words name a field that is not in use, with the choice that brings it into use: `level 40`."""
        for number in self.said.numbers():
            used = [name for name in self.line.used_fields() if self._is_number(name)]
            for name, words in named_elsewhere(self.line, number, used):
                choice = self._choice_using(name)
                if choice and self._set(choice) and self._take_number(number, name, words):
                    break

    def _choice_using(self, field: str) -> dict[str, str]:
        """Return the choice, not said yet, that brings a field into use; none where no single one does."""
        for name in self.line.used_fields():
            spec = self.line.spec(name)
            if not isinstance(spec, ChoiceSpec) or name in self.filled:
                continue
            for value in spec.choices:
                if field in _filled(self.line, {name: value}).used_fields():
                    return {name: value}
        return {}

    def take_numbers(self) -> None:
        """Take numbers: those beside the name of a field for it, the others in the order of the fields that they fit."""
        self._take_as_in_the_sentence(ENOUGH)
        numbers = self.said.numbers()
        free = [name for name in self.line.used_fields() if self._is_number(name) and name not in self.filled]
        named = name_numbers(self.line, numbers, free)
        for place, (name, words) in named.items():
            self._take_number(numbers[place], name, words)
        self.take_only_law()
        self._take_as_in_the_sentence(ANY_WORD)
        self.take_only_law()
        free = [name for name in free if name not in self.filled]
        used = [name for name in self.line.used_fields() if self._is_number(name)]
        for number in self.said.numbers():
            if named_elsewhere(self.line, number, used):
                continue  # it is said for a field that this line has no use for: it stands for no other
            halved = said_across(number)
            fits = next((name for name in free if may_stand(self.line, name, number, across=bool(halved))), None)
            if fits is not None and self._take_number(number, fits, tuple(halved)):
                free.remove(fits)

    def _take_as_in_the_sentence(self, enough: float) -> None:
        """Take numbers that stand between words as a field does in the sentence of the line, where that is `enough`."""
        numbers = self.said.numbers()

        def may_fill(place: int, name: str) -> bool:
            number = numbers[place]
            return self._is_number(name) and name not in self.filled and may_stand(self.line, name, number, across=False)

        spans = [number.span for number in numbers]
        for fitting in fit_numbers(self.said, spans, slots_of(self.line.prose()), may_fill, enough):
            number = numbers[fitting.number]
            if not said_across(number):
                self._take_number(number, fitting.field, tuple(("", at) for at in fitting.words))

    def _is_number(self, name: str) -> bool:
        return isinstance(self.line.spec(name), NumberSpec)

    def _take_number(self, number: SaidNumber, name: str, words: tuple[Word, ...]) -> bool:
        """Fill a field with a number, taking out the words that named it; a diameter gives half of it as a radius."""
        typed = number.typed
        if any(word in ACROSS for word, _ in words) and "radius" in names_of(self.line, name):
            typed = f"({typed}) / 2" if " " in typed.replace(" mm", "") else f"{typed} / 2"
        if not self._set({name: typed}):
            return False
        self.said.take_number(*number.span)
        for _, span in words:
            self.said.take_span(*span)
        return True

    def take_own_words(self) -> None:
        """Take out the words by which the verb and its fields are known: they say what is meant already."""
        self.said.take_words(self._own_stems())

    def _own_stems(self) -> set[str]:
        cls = type(self.line)
        prose = " ".join(part.text for part in self.line.prose() if part.kind != "field")
        labels = " ".join(f"{spec.label} {name.replace('_', ' ')}" for name, spec in self.line.specs().items())
        return set(stems(f"{self.line.verb_name.replace('_', ' ')} {' '.join(cls.words)} {prose} {labels}"))


def _law_text(text: str) -> str:
    """Return a law as it is typed: units as the sheet writes them, a comma before its bias."""
    return re.sub(r"\s*,?\s*bias\s+", ", bias ", as_typed(text))
