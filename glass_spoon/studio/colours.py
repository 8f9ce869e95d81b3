"""The colours that an item may be given."""

from __future__ import annotations

Color = tuple[float, float, float]
"""Linear red, green and blue."""

PAINTS: dict[str, Color] = {
    "glass": (0.055, 0.26, 0.24),
    "plum": (0.32, 0.07, 0.2),
    "amber": (0.52, 0.22, 0.03),
    "slate": (0.16, 0.19, 0.2),
}
"""Linear red, green and blue of the colours that an item may have; any other is its own plain one."""
