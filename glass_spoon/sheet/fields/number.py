"""Numbers: typed with units and sizes, held within a range."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated, Any, Literal

from pydantic import Field, StrictFloat, StrictInt, StrictStr

from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.sheet.errors import BadExpression
from glass_spoon.sheet.expressions import MAX_TEXT, Dimension, Quantity, evaluate_expression, names_in, rename_in
from glass_spoon.sheet.fields.spec import Spec

Number = Annotated[StrictStr, Field(max_length=MAX_TEXT)] | StrictInt | StrictFloat
"""A number as typed: a text with units and sizes, or a plain number in the field's own unit."""

FARTHEST = 1e6
"""Largest coordinate of a point in mm: a kilometre."""


UNITS = {"length": " mm", "angle": "°"}
"""What follows a plain number of a dimension when it is typed."""


@dataclass(frozen=True)
class NumberSpec(Spec):
    """A number with a dimension and a range in the base unit (mm, rad); `above` leaves out the least itself.

    `step` is what one arrow key changes, in the unit shown (mm, degrees, one). `axis` marks a coordinate of a place on the
    board (right, up; or x, y, z): fields whose names differ in it alone are one place, which a click may give. `named`: in
    typed words a number stands in it only where words beside it name it.
    """

    dimension: Dimension = "number"
    least: float | None = None
    most: float | None = None
    above: bool = False
    whole: bool = False
    step: float = 1.0
    axis: Literal["", "right", "up", "out", "x", "y", "z"] = ""
    named: bool = False

    def resolve(self, name: str, raw: Any, sizes: Mapping[str, Quantity]) -> float:
        """Return a number in the base unit, within its range and whole where it must be."""
        label = self.title(name)
        try:
            value = evaluate_expression(raw, self.dimension, sizes)
        except BadExpression as error:
            raise InvalidInput(label, "a number", f"“{error.text}”: {error.reason}") from error
        if self.whole and abs(value - round(value)) > 1e-9:
            raise InvalidInput(label, "a whole number", self.show(value))
        if self.whole:
            value = float(round(value))
        if self.least is not None and (value < self.least or (self.above and value <= self.least)):
            word = "above" if self.above else "at least"
            raise InvalidInput(label, f"{word} {self.show(self.least)}", self.show(value))
        if self.most is not None and value > self.most * (1 + 1e-12):
            raise InvalidInput(label, f"at most {self.show(self.most)}", self.show(value))
        return value

    def sizes_in(self, raw: Any) -> set[str]:
        """Return the names in the expression."""
        return names_in(raw)

    def with_renamed(self, raw: Any, old: str, new: str) -> Any:
        """Rename in the expression."""
        return rename_in(raw, old, new) if isinstance(raw, str) else raw

    def typed(self, raw: Any) -> Any:
        """Return a number as it would be typed: a plain one with the field's own unit."""
        return raw if isinstance(raw, str) else f"{raw!r}" + UNITS.get(self.dimension, "")

    def show(self, value: float) -> str:
        """Write a value of the field with its unit."""
        if self.dimension == "angle":
            return f"{math.degrees(value):.6g}°"
        if self.whole and value == round(value):
            return f"{value:,.0f}"
        return f"{value:.6g}" + (" mm" if self.dimension == "length" else "")

    def described(self) -> str:
        """Describe a number with its range."""
        words = ["whole number" if self.whole else {"length": "length", "angle": "angle"}.get(self.dimension, "number")]
        if self.least is not None:
            words.append(f"{'above' if self.above else 'from'} {self.show(self.least)}")
        if self.most is not None and math.isfinite(self.most):
            words.append(f"to {self.show(self.most)}")
        return " ".join(words)


COORDINATE = NumberSpec("", "length", least=-FARTHEST, most=FARTHEST)
"""A coordinate of a point."""


@dataclass(frozen=True)
class QuantitySpec(Spec):
    """A value of any dimension: the definition of a size."""

    def typed(self, raw: Any) -> Any:
        """Return a value as it would be typed."""
        return raw if isinstance(raw, str) else repr(raw)

    def sizes_in(self, raw: Any) -> set[str]:
        """Return the names in the expression."""
        return names_in(raw)

    def with_renamed(self, raw: Any, old: str, new: str) -> Any:
        """Rename in the expression."""
        return rename_in(raw, old, new) if isinstance(raw, str) else raw
