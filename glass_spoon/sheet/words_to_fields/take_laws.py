"""Values that change on the way, as words give them."""

from __future__ import annotations

import re

from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.sheet.errors import BadExpression
from glass_spoon.sheet.fields import (
    LawSpec,
)
from glass_spoon.sheet.known_sizes import known_sizes
from glass_spoon.sheet.named_numbers import name_numbers, named_elsewhere
from glass_spoon.sheet.phrase import as_typed, expression_pattern
from glass_spoon.sheet.words_to_fields.reading import Reading

_CHANGES = re.compile(r"\bto\b|\bat\b")
"""What a law has that changes on the way."""

_WAYS = r"evenly|eased in|eased out|eased"


def _law_pattern(reading: Reading) -> tuple[str, str]:
    """Return the patterns of a law, and of one that runs from a value to another."""
    number = expression_pattern(tuple(reading.said.sizes))
    runs = rf"(?:\s+to\s+{number})"
    rest = rf"(?:\s+(?:{_WAYS})\b)?(?:\s*,?\s*bias\s+{number})?"
    law = rf"{number}(?:(?:\s*,\s*{number}\s+at\s+{number})+\s*,\s*{number}|{runs}?{rest})"
    return law, rf"{number}{runs}{rest}"


def take_laws(reading: Reading) -> None:
    """Take values that change on the way: the word for them, and `0° to 540° eased, bias 0.35` or a list of places."""
    law, _ = _law_pattern(reading)
    for name, spec in reading.line.specs().items():
        if not isinstance(spec, LawSpec):
            continue
        words = "|".join(re.escape(word) for word in {name.replace("_", " "), *spec.said})
        found = reading.said.search(rf"\b(?:{words})(?:d|ed|s|ting|ing|ted)?\s+(?:of\s+|by\s+|from\s+|is\s+)?({law})")
        if found and _fits_law(reading, spec, name, found[1]):
            text = _law_text(found[1])
            if reading.fill({name: text if _CHANGES.search(text) else _law_of(reading, text, name)}):
                reading.said.take(found)


def _fits_law(reading: Reading, spec: LawSpec, name: str, text: str) -> bool:
    try:
        spec.resolve(name, _law_text(text), known_sizes(reading.document))
    except (InvalidInput, BadExpression):
        return False
    return True


def take_only_law(reading: Reading) -> None:
    """Take the only number that no word beside it names for another field, for the law that comes first in the
    sentence: `thicken lid 3 mm`, `taper post to 0.7 fading over 20`.
    """
    shown = [name for clause in reading.line.clauses() if not clause.optional for name in clause.fields]
    name = next((one for one in shown if reading.is_value(one)), "")
    spec, numbers = reading.line.specs().get(name), reading.said.numbers()
    if not isinstance(spec, LawSpec) or name in reading.filled:
        return
    runs = reading.said.search(rf"\b(?:by|of|with)\s+({_law_pattern(reading)[1]})")
    if runs and _fits_law(reading, spec, name, runs[1]) and reading.fill({name: _law_text(runs[1])}):
        reading.said.take(runs)
        return
    named = name_numbers(reading.line, numbers, [other for other in reading.line.used_fields() if reading.is_number(other)])
    free = [number for place, number in enumerate(numbers) if place not in named]
    if len(free) != 1:
        return
    (number,) = free
    if named_elsewhere(reading.line, number, reading.line.used_fields()):
        return  # a word beside it names a field of another wording
    text = _law_of(reading, number.typed, name)
    if number.dimension in ("", spec.dimension) and _fits_law(reading, spec, name, text) and reading.fill({name: text}):
        reading.said.take_number(*number.span)


def _law_of(reading: Reading, typed: str, name: str) -> str:
    """Return one value as a law: where the usual law runs from one value to another, it is the one that it runs to."""
    start, to, _ = str(type(reading.line).model_fields[name].default).partition(" to ")
    return f"{start}{to}{typed}" if to else typed


def _law_text(text: str) -> str:
    """Return a law as it is typed: units as the sheet writes them, a comma before its bias."""
    return re.sub(r"\s*,?\s*bias\s+", ", bias ", as_typed(text))
