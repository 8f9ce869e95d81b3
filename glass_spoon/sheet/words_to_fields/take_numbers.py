"""Numbers, each for the field that the words beside it name, or that it fits."""

from __future__ import annotations

from glass_spoon.sheet.fields import (
    ChoiceSpec,
    NumberSpec,
)
from glass_spoon.sheet.named_numbers import ACROSS, may_stand, name_numbers, named_elsewhere, names_of, said_across
from glass_spoon.sheet.own_sentence import ANY_WORD, ENOUGH, fit_numbers, slots_of
from glass_spoon.sheet.phrase import SaidNumber, Word
from glass_spoon.sheet.words_to_fields.reading import Reading, filled
from glass_spoon.sheet.words_to_fields.take_laws import take_only_law


def take_other_numbers(reading: Reading) -> None:
    """Take numbers whose words name a field that is not in use, with the choice that brings it into use: `level 40`."""
    for number in reading.said.numbers():
        used = [name for name in reading.line.used_fields() if reading.is_number(name)]
        for name, words in named_elsewhere(reading.line, number, used):
            choice = _choice_using(reading, name)
            if choice and reading.fill(choice) and _take_number(reading, number, name, words):
                break


def _choice_using(reading: Reading, field: str) -> dict[str, str]:
    """Return the choice, not said yet, that brings a field into use; none where no single one does."""
    for name in reading.line.used_fields():
        spec = reading.line.spec(name)
        if not isinstance(spec, ChoiceSpec) or name in reading.filled:
            continue
        for value in spec.choices:
            if field in filled(reading.line, {name: value}).used_fields():
                return {name: value}
    return {}


def take_numbers(reading: Reading) -> None:
    """Take numbers: those beside the name of a field for it, the others in the order of the fields that they fit."""
    _take_as_in_the_sentence(reading, ENOUGH)
    numbers = reading.said.numbers()
    free = [name for name in reading.line.used_fields() if reading.is_number(name) and name not in reading.filled]
    named = name_numbers(reading.line, numbers, free)
    for place, (name, words) in named.items():
        _take_number(reading, numbers[place], name, words)
    take_only_law(reading)
    _take_as_in_the_sentence(reading, ANY_WORD)
    take_only_law(reading)
    free = [name for name in free if name not in reading.filled]
    used = [name for name in reading.line.used_fields() if reading.is_number(name)]
    for number in reading.said.numbers():
        if named_elsewhere(reading.line, number, used):
            continue  # it is said for a field that this line has no use for: it stands for no other
        halved = said_across(number)
        open_to = [name for name in free if not _is_only_named(reading, name, number)]
        fits = next((name for name in open_to if may_stand(reading.line, name, number, across=bool(halved))), None)
        if fits is not None and _take_number(reading, number, fits, tuple(halved)):
            free.remove(fits)


def _is_only_named(reading: Reading, name: str, number: SaidNumber) -> bool:
    """Say whether a number that names no field does not stand in one: an angle said as such may."""
    spec = reading.line.spec(name)
    return isinstance(spec, NumberSpec) and spec.named and not spec.dimension == number.dimension == "angle"


def _take_as_in_the_sentence(reading: Reading, enough: float) -> None:
    """Take numbers that stand between words as a field does in the sentence of the line, where that is `enough`."""
    numbers = reading.said.numbers()

    def may_fill(place: int, name: str) -> bool:
        number = numbers[place]
        return reading.is_number(name) and name not in reading.filled and may_stand(reading.line, name, number, across=False)

    spans = [number.span for number in numbers]
    for fitting in fit_numbers(reading.said, spans, slots_of(reading.line.prose()), may_fill, enough):
        number = numbers[fitting.number]
        if not said_across(number):
            _take_number(reading, number, fitting.field, tuple(("", at) for at in fitting.words))


def _take_number(reading: Reading, number: SaidNumber, name: str, words: tuple[Word, ...]) -> bool:
    """Fill a field with a number, taking out the words that named it; a diameter gives half of it as a radius."""
    typed = number.typed
    if any(word in ACROSS for word, _ in words) and "radius" in names_of(reading.line, name):
        typed = f"({typed}) / 2" if " " in typed.replace(" mm", "") else f"{typed} / 2"
    if not reading.fill({name: typed}):
        return False
    reading.said.take_number(*number.span)
    for _, span in words:
        reading.said.take_span(*span)
    return True
