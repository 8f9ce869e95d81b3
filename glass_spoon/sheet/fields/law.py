"""Laws: values that may change along the way."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated, Any

from pydantic import BeforeValidator, Field

from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.law import Law
from glass_spoon.sheet.errors import BadExpression
from glass_spoon.sheet.expressions import Dimension, Quantity, rename_in
from glass_spoon.sheet.fields.spec import Spec
from glass_spoon.sheet.law_text import law_names, read_law

LawText = Annotated[
    str, Field(max_length=200), BeforeValidator(lambda raw: str(raw) if isinstance(raw, int | float) else raw)
]


@dataclass(frozen=True)
class LawSpec(Spec):
    """A value that may change along the way; typed as `1`, `1 to 0.5`, `0° to 90° eased`, `1, 1.4 at 0.3, 0.5`.

    said: words that stand before it in a text, besides the name of the field.
    """

    dimension: Dimension = "number"
    least: float | None = None
    said: tuple[str, ...] = ()

    def resolve(self, name: str, raw: str, sizes: Mapping[str, Quantity]) -> Law:
        """Return a law in the base unit, both its ends within the range."""
        label = self.title(name)
        try:
            law = read_law(raw, self.dimension, sizes)
        except BadExpression as error:
            wanted = "a value, or from one to another as in 1 to 0.5 eased"
            raise InvalidInput(label, wanted, f"“{error.text}”: {error.reason}") from error
        if self.least is not None and min(law.values) < self.least:
            raise InvalidInput(label, f"at least {self.least:g}", f"{min(law.values):g}")
        return law

    def sizes_in(self, raw: Any) -> set[str]:
        """Return the names in its expressions."""
        return law_names(raw)

    def with_renamed(self, raw: Any, old: str, new: str) -> Any:
        """Rename in its expressions."""
        return rename_in(raw, old, new) if isinstance(raw, str) else raw

    def described(self) -> str:
        """Show how it is typed."""
        return "a value, or from one to another, such as `1 to 0.5 eased`"
