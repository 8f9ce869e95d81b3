"""Number fields: `1.2 mm`, `360°`, `body_d / 2 - wall`. Lengths, angles and plain numbers keep apart.

Parsed by simpleeval, which walks Python's syntax tree over a fixed list of operations; nothing is ever run. Units are
names of values (`mm`, `cm`, `m`, `inch`, `deg`, `rad`), so `3 cm` is read as `3 * cm`.
"""

from __future__ import annotations

import ast
import math
import re
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

from simpleeval import FeatureNotAvailable, InvalidExpression, SimpleEval

from glass_spoon.sheet.errors import BadExpression, CircularSizes

Dimension = Literal["length", "angle", "number"]
MAX_TEXT = 200

UNITS: dict[str, tuple[float, Dimension]] = {
    "mm": (1.0, "length"),
    "cm": (10.0, "length"),
    "m": (1000.0, "length"),
    "inch": (25.4, "length"),
    "deg": (math.pi / 180, "angle"),
    "rad": (1.0, "angle"),
    "turn": (2 * math.pi, "angle"),
}
PLAIN_UNIT: dict[Dimension, float] = {"length": 1.0, "angle": math.pi / 180, "number": 1.0}
"""What a number without a unit means beside a length (mm) or an angle (degrees)."""

_SPELLINGS = (("°", " deg"), ("×", "*"), ("·", "*"), ("÷", "/"), ("−", "-"), ("^", "**"), ('"', " inch"))
_FRACTION = re.compile(
    r"(?:(?<=^)|(?<=[-+(,]))(\s*)(?:(\d+)\s+(?=\d+\s*/))?(\d+)\s*/\s*(\d+)(?![\w.])(?:\s*(mm|cm|m|inch|deg|rad)\b)?",
    re.ASCII,
)
"""A fraction with a whole number before it, or a unit behind it, or both: `3/8 inch`, `1 1/2`."""
_NUMBER_THEN_NAME = re.compile(r"(?<![\w.])((?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?)\s*(?![eE][-+]?\d)([A-Za-z]\w*)")
_NAME = re.compile(r"[A-Za-z_]\w*")


@dataclass(frozen=True)
class Quantity:
    """A value with powers of length and angle: (1, 0) is a length in mm, (0, 1) an angle in rad, (0, 0) a number."""

    value: float
    length: int = 0
    angle: int = 0

    @property
    def powers(self) -> tuple[int, int]:
        """Powers of length and angle."""
        return self.length, self.angle

    def _same(self, other: object) -> tuple[Quantity, Quantity]:
        """Return both in one dimension: a plain number takes the plain unit of the other."""
        right = as_quantity(other)
        if self.powers == right.powers:
            return self, right
        if right.powers == (0, 0):
            return self, right._lifted(self)
        if self.powers == (0, 0):
            return self._lifted(right), right
        raise BadExpression("", f"{self.kind_text()} and {right.kind_text()} cannot be added or compared")

    def _lifted(self, model: Quantity) -> Quantity:
        """Return this plain number in the dimension of `model`."""
        unit = PLAIN_UNIT["length"] ** model.length * PLAIN_UNIT["angle"] ** model.angle
        return Quantity(self.value * unit, *model.powers)

    def kind_text(self) -> str:
        """Name the dimension."""
        known = {(0, 0): "a plain number", (1, 0): "a length", (0, 1): "an angle", (2, 0): "an area", (3, 0): "a volume"}
        return known.get(self.powers, "a mixed quantity")

    def __add__(self, other: object) -> Quantity:
        a, b = self._same(other)
        return Quantity(a.value + b.value, *a.powers)

    def __radd__(self, other: object) -> Quantity:
        return self + other

    def __sub__(self, other: object) -> Quantity:
        a, b = self._same(other)
        return Quantity(a.value - b.value, *a.powers)

    def __rsub__(self, other: object) -> Quantity:
        return as_quantity(other) - self

    def __mul__(self, other: object) -> Quantity:
        right = as_quantity(other)
        return Quantity(self.value * right.value, self.length + right.length, self.angle + right.angle)

    def __rmul__(self, other: object) -> Quantity:
        return self * other

    def __truediv__(self, other: object) -> Quantity:
        right = as_quantity(other)
        return Quantity(self.value / right.value, self.length - right.length, self.angle - right.angle)

    def __rtruediv__(self, other: object) -> Quantity:
        return as_quantity(other) / self

    def __pow__(self, other: object) -> Quantity:
        power = as_quantity(other)
        whole = round(power.value)
        if power.powers != (0, 0) or (self.powers != (0, 0) and whole != power.value) or abs(power.value) > 12:
            raise BadExpression("", "a power must be a plain number up to 12, and whole for a length or an angle")
        result = self.value**power.value
        if isinstance(result, complex):
            raise BadExpression("", "it takes a root of a negative number")
        return Quantity(result, self.length * whole, self.angle * whole)

    def __rpow__(self, other: object) -> Quantity:
        return as_quantity(other) ** self

    def __neg__(self) -> Quantity:
        return Quantity(-self.value, *self.powers)

    def __pos__(self) -> Quantity:
        return self


def as_quantity(value: object) -> Quantity:
    """Return a number as a plain quantity; raises BadExpression for anything else."""
    if isinstance(value, Quantity):
        return value
    if isinstance(value, int | float) and not isinstance(value, bool):
        return Quantity(float(value))
    raise BadExpression(str(value), "only numbers, sizes and + - * / ** are understood")


def _plain(function: object, name: str, takes: Dimension, gives: Dimension) -> object:
    """Wrap a function of math for quantities of one dimension."""

    def wrapped(value: object) -> Quantity:
        quantity = as_quantity(value)
        if takes == "angle" and quantity.powers == (0, 0):
            quantity = Quantity(quantity.value * PLAIN_UNIT["angle"], 0, 1)
        if quantity.powers != {"angle": (0, 1), "number": (0, 0), "length": (1, 0)}[takes]:
            raise BadExpression("", f"{name} takes {'an' if takes == 'angle' else 'a plain'} {takes}")
        return Quantity(function(quantity.value), 0, 1 if gives == "angle" else 0)  # type: ignore[operator]

    return wrapped


def _sqrt(value: object) -> Quantity:
    quantity = as_quantity(value)
    if quantity.value < 0 or quantity.length % 2 or quantity.angle % 2:
        raise BadExpression("", "sqrt takes a positive number or an area")
    return Quantity(math.sqrt(quantity.value), quantity.length // 2, quantity.angle // 2)


def _least(*values: object) -> Quantity:
    return _extreme(values, -1)


def _most(*values: object) -> Quantity:
    return _extreme(values, 1)


def _extreme(values: tuple[object, ...], sign: int) -> Quantity:
    if not values:
        raise BadExpression("", "min and max need at least one value")
    best = as_quantity(values[0])
    for other in values[1:]:
        if ((as_quantity(other) - best).value) * sign > 0:
            best = as_quantity(other)
    return best


def _abs(value: object) -> Quantity:
    quantity = as_quantity(value)
    return Quantity(abs(quantity.value), *quantity.powers)


def _round(value: object) -> Quantity:
    quantity = as_quantity(value)
    return Quantity(float(round(quantity.value)), *quantity.powers)


FUNCTIONS: dict[str, object] = {
    "sqrt": _sqrt,
    "min": _least,
    "max": _most,
    "abs": _abs,
    "round": _round,
    "sin": _plain(math.sin, "sin", "angle", "number"),
    "cos": _plain(math.cos, "cos", "angle", "number"),
    "tan": _plain(math.tan, "tan", "angle", "number"),
    "asin": _plain(math.asin, "asin", "number", "angle"),
    "acos": _plain(math.acos, "acos", "number", "angle"),
    "atan": _plain(math.atan, "atan", "number", "angle"),
}
RESERVED = frozenset(UNITS) | frozenset(FUNCTIONS) | {"pi"}


def evaluate_expression(text: str | float, dimension: Dimension, sizes: Mapping[str, Quantity]) -> float:
    """Return the value of a number field in the base unit of its dimension (mm, rad, or a plain number).

    Raises BadExpression for text that cannot be read, unknown names, wrong dimensions and values that are not finite.
    """
    quantity = read_quantity(text, sizes)
    wanted = {"length": (1, 0), "angle": (0, 1), "number": (0, 0)}[dimension]
    if quantity.powers == (0, 0) and dimension != "number":
        quantity = Quantity(quantity.value * PLAIN_UNIT[dimension], *wanted)
    if quantity.powers != wanted:
        name = {"length": "a length", "angle": "an angle", "number": "a plain number"}[dimension]
        raise BadExpression(str(text), f"it gives {quantity.kind_text()}, and {name} is wanted")
    return quantity.value


def read_quantity(text: str | float, sizes: Mapping[str, Quantity]) -> Quantity:
    """Return the quantity that a text stands for; see `evaluate_expression`."""
    quantity = _parse(text, sizes) if isinstance(text, str) else as_quantity(text)
    if not math.isfinite(quantity.value):
        raise BadExpression(str(text), "it is not a finite number")
    return quantity


_PLAIN = re.compile(r"\s*([-+]?(?:\d+\.?\d*|\.\d+))\s*(mm|cm|m|°|deg)?\s*", re.ASCII)
"""A number with or without a unit, as most fields hold: read without the parser."""


def _parse(text: str, sizes: Mapping[str, Quantity]) -> Quantity:
    """Parse and work out a text."""
    plain = _PLAIN.fullmatch(text)
    if plain is not None and len(text) <= MAX_TEXT:
        number = Quantity(float(plain[1]))
        return number * _unit("deg" if plain[2] == "°" else plain[2]) if plain[2] else number
    if len(text) > MAX_TEXT:
        raise BadExpression(text, f"it is longer than {MAX_TEXT} letters")
    if not text.strip():
        raise BadExpression(text, "it is empty; type a number")
    used = tuple((name, sizes[name]) for name in _names_of(text) if name in sizes)
    try:
        return _worked_out(text, used)
    except BadExpression as error:
        cause = error.__cause__
        if isinstance(cause, InvalidExpression) and not isinstance(cause, FeatureNotAvailable):
            raise BadExpression(text, _reason(cause, sizes)) from cause
        raise


@lru_cache(4096)
def _worked_out(text: str, used: tuple[tuple[str, Quantity], ...]) -> Quantity:
    """Work out a text with the sizes that it names; the same text over the same sizes is not worked out again."""
    names = _CONSTANTS | dict(used)
    parser = SimpleEval(functions=FUNCTIONS, names=names)
    parser.operators = {**parser.operators, ast.Pow: lambda base, power: as_quantity(base) ** power}
    parser.nodes = {kind: node for kind, node in parser.nodes.items() if kind.__name__ in _ALLOWED_NODES}
    try:
        return as_quantity(parser.eval(spelled(text)))
    except BadExpression as error:
        raise BadExpression(text, error.reason) from error
    except ZeroDivisionError as error:
        raise BadExpression(text, "it divides by zero") from error
    except (OverflowError, ArithmeticError) as error:
        raise BadExpression(text, "the number is too large") from error
    except FeatureNotAvailable as error:
        raise BadExpression(text, "only numbers, sizes and + - * / ** are understood") from error
    except InvalidExpression as error:
        raise BadExpression(text, "it cannot be read") from error
    except (SyntaxError, ValueError, TypeError, RecursionError, MemoryError) as error:
        raise BadExpression(text, "it cannot be read; write for example 12 mm, or body_d / 2") from error


@lru_cache(4096)
def _names_of(text: str) -> tuple[str, ...]:
    """Return the names in a text, in one order."""
    return tuple(sorted(set(_NAME.findall(spelled(text)))))


_ALLOWED_NODES = frozenset({"Expr", "BinOp", "UnaryOp", "Constant", "Num", "Name", "Call"})


def _unit(name: str) -> Quantity:
    value, dimension = UNITS[name]
    return Quantity(value, int(dimension == "length"), int(dimension == "angle"))


_CONSTANTS = {name: _unit(name) for name in UNITS} | {"pi": Quantity(math.pi)}


def _reason(error: InvalidExpression, sizes: Mapping[str, Quantity]) -> str:
    """Say which name is unknown, and which are known."""
    name = getattr(error, "name", None) or getattr(error, "func_name", None)
    known = ", ".join(sorted(sizes)[:6]) or "none yet"
    return f"there is no size called {name} (sizes: {known})" if name else "it cannot be read"


def spelled(text: str) -> str:
    """Return the text in the parser's spelling: units as factors, signs as operators."""
    for sign, word in _SPELLINGS:
        text = text.replace(sign, word)
    if "/" in text:
        text = _FRACTION.sub(_fraction, text.strip())
    return _NUMBER_THEN_NAME.sub(r"(\1*\2)", text.strip())


def _fraction(found: re.Match[str]) -> str:
    """Return a fraction in the parser's spelling; a plain one as it is."""
    before, whole, above, below, unit = found.groups()
    if not whole and not unit:
        return found[0]
    number = f"({whole}+{above}/{below})" if whole else f"({above}/{below})"
    return f"{before}({number}*{unit})" if unit else before + number


def names_in(text: str | float) -> set[str]:
    """Return the names of sizes that a text uses."""
    if not isinstance(text, str) or len(text) > MAX_TEXT:  # a longer one is refused where it is worked out
        return set()
    return set(_names_of(text)) - RESERVED


def rename_in(text: str, old: str, new: str) -> str:
    """Return the text with the size `old` called `new`."""
    return _NAME.sub(lambda match: new if match[0] == old else match[0], text)


def resolve_sizes(texts: Mapping[str, str | float]) -> tuple[dict[str, Quantity], dict[str, Exception]]:
    """Return the value of each size, and for those without one the reason.

    Sizes may use each other in any order. A size whose definition comes back to itself is reported as CircularSizes; one
    that uses a failing size fails with it.
    """
    values: dict[str, Quantity] = {}
    errors: dict[str, Exception] = {}

    def settle(name: str, path: list[str]) -> None:
        if name in values or name in errors:
            return
        if name in path:
            circle = path[path.index(name) :]
            errors.update(dict.fromkeys(circle, CircularSizes(circle)))
            return
        for other in sorted(names_in(texts[name]) & set(texts)):
            settle(other, [*path, name])
        if name in errors:
            return
        failing = sorted(names_in(texts[name]) & set(errors))
        try:
            if failing:
                raise BadExpression(str(texts[name]), f"the size {failing[0]} has no value")
            values[name] = read_quantity(texts[name], values)
        except BadExpression as error:
            errors[name] = error

    for name in texts:
        settle(name, [])
    return values, errors


def format_quantity(quantity: Quantity) -> str:
    """Write a quantity with its unit, at most four decimals."""
    if quantity.powers == (0, 1):
        return f"{_short(math.degrees(quantity.value))}°"
    unit = {(0, 0): "", (1, 0): " mm", (2, 0): " mm²", (3, 0): " mm³"}.get(quantity.powers, "")
    return f"{_short(quantity.value)}{unit}"


def _short(value: float) -> str:
    return f"{round(value, 4) + 0.0:.4f}".rstrip("0").rstrip(".")
