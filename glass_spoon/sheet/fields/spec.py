"""What all kinds of fields have. A kind says how its text becomes a value, which sizes it uses, and how it is described."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from glass_spoon.sheet.expressions import Quantity


@dataclass(frozen=True)
class Spec:
    """What all fields have: a sentence of help, and the words that name the field where its own name would not read well."""

    help: str
    label: str = field(default="", kw_only=True)

    @property
    def kind(self) -> str:
        """Stable name of the kind of field, for templates."""
        return type(self).__name__.removesuffix("Spec").lower()

    @property
    def holds_value(self) -> bool:
        """Whether it holds a value that decides the result, rather than a name of something."""
        return True

    def resolve(self, name: str, raw: Any, sizes: Mapping[str, Quantity]) -> Any:
        """Return the value of a field called `name`; raises BadExpression or InvalidInput with a sentence that names it."""
        return raw

    def sizes_in(self, raw: Any) -> set[str]:
        """Return the names of sizes that a field uses."""
        return set()

    def with_renamed(self, raw: Any, old: str, new: str) -> Any:
        """Return what a field holds with the size `old` called `new`."""
        return raw

    def typed(self, raw: Any) -> Any:
        """Return what a field holds as it would be typed."""
        return raw

    def described(self) -> str:
        """Say for the reference what may stand in the field."""
        return self.kind

    def title(self, name: str) -> str:
        """Return what a sentence calls a field: its label, or its own name in words."""
        return "The " + (self.label or name.replace("_", " "))


def spec_of(metadata: list[Any]) -> Spec | None:
    """Return the spec among a field's metadata."""
    return next((entry for entry in metadata if isinstance(entry, Spec)), None)
