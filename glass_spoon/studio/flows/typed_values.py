"""Values as they were typed by hand, with the unit of the project where plain numbers do not mean mm."""

from __future__ import annotations

from typing import Any

from glass_spoon.sheet import edit
from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.fields import QuantitySpec
from glass_spoon.sheet.known_sizes import known_sizes
from glass_spoon.sheet.lines.sizes import Size
from glass_spoon.sheet.plain_unit import field_with_unit, with_unit
from glass_spoon.studio.shown_unit import active_unit

_LENGTH = (1, 0)


def typed_values(document: SheetDocument, changes: dict[str, dict[str, Any]]) -> dict[str, dict[str, Any]]:
    """Return typed values of lines, by line and field, with the unit written out; a size that is a length stays one."""
    unit, sizes = active_unit(), known_sizes(document)
    if unit == "mm":
        return changes

    def written(line_id: str, name: str, value: Any) -> Any:
        line = edit.find_line(document, line_id)
        spec = line.specs().get(name)
        if isinstance(spec, QuantitySpec) and isinstance(line, Size):
            now = sizes.get(line.name)
            return with_unit(value, "length" if now is not None and now.powers == _LENGTH else "number", unit, sizes)
        return value if spec is None else field_with_unit(spec, value, unit, sizes)

    return {line: {name: written(line, name, value) for name, value in values.items()} for line, values in changes.items()}
