"""How a part is looked at."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from glass_spoon.sheet.document import SheetDocument

MOST_TEETH = 200
"""Most teeth of a comb a knot span."""


@dataclass(frozen=True)
class ViewChoice:
    """How the part is looked at: up to which line, at which smoothing level, which mesh and which curve the gauges read.

    comb: teeth of the curvature comb a knot span, 0 for none.
    """

    after: str | None
    level: int
    mesh: str
    curve: str = ""
    comb: int = 0


def read_view(view: Mapping[str, Any], document: SheetDocument) -> ViewChoice:
    """Return the view that a request asks for; what does not make sense falls back to all, the cage, the last mesh."""
    after, level = str(view.get("shown_after", "")), str(view.get("level", "0"))
    curve, comb = str(view.get("curve", "")), str(view.get("comb", "0"))
    return ViewChoice(
        after if document.has(after) else None,
        int(level) if level in {"0", "1", "2", "3", "4", "5"} else 0,
        str(view.get("mesh", ""))[:40],
        curve if document.has(curve) else "",
        min(int(comb), MOST_TEETH) if comb.isdigit() and len(comb) < 4 else 0,
    )
