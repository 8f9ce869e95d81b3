"""How a part is looked at."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from glass_spoon.formats.clean_text import whole_number
from glass_spoon.sheet.document import SheetDocument

JUDGEMENTS = ("gaussian", "mean", "largest", "draft", "deviation", "change", "corners", "valence")
"""What may colour surfaces and meshes: bends by their kind, draft, distance from the surface, or from the mesh as it was
before its last line, corners, valence.
"""

TOWARDS = {"up": (0.0, 0.0, 1.0), "front": (0.0, -1.0, 0.0), "right": (1.0, 0.0, 0.0)}
"""Directions against which drafts are measured."""

MOST_ISOCURVES = 40
"""Most isocurves each way on a surface."""

MOST_TEETH = 200
"""Most teeth of a comb a knot span."""


@dataclass(frozen=True)
class ViewChoice:
    """How the part is looked at: up to which line, at which smoothing level, which mesh and which curve the gauges read.

    comb: teeth of the curvature comb a knot span, 0 for none. judge: what colours surfaces, "" for their own; towards: the
    direction of drafts. isocurves: how many each way on a surface. net, arrows, combs, edges: what lines are drawn on
    surfaces.
    """

    after: str | None
    level: int
    mesh: str
    curve: str = ""
    comb: int = 0
    judge: str = ""
    towards: str = "up"
    isocurves: int = 0
    net: bool = False
    arrows: bool = False
    combs: bool = False
    edges: bool = False


def read_view(view: Mapping[str, Any], document: SheetDocument) -> ViewChoice:
    """Return the view that a request asks for; what does not make sense falls back to all, the cage, the last mesh."""
    after, level = str(view.get("shown_after", "")), str(view.get("level", "0"))
    curve, judge, towards = (str(view.get(name, "")) for name in ("curve", "judge", "towards"))
    return ViewChoice(
        after if document.has(after) else None,
        int(level) if level in {"0", "1", "2", "3", "4", "5", "6"} else 0,
        str(view.get("mesh", ""))[:40],
        curve if document.has(curve) else "",
        _number(view.get("comb"), MOST_TEETH),
        judge if judge in JUDGEMENTS else "",
        towards if towards in TOWARDS else "up",
        _number(view.get("isocurves"), MOST_ISOCURVES),
        *(view.get(name) == "1" for name in ("net", "arrows", "combs", "edges")),
    )


def _number(value: Any, most: int) -> int:
    """Return a small number from 0 up, 0 for what is none."""
    number = whole_number(value or "")
    return 0 if number is None else min(number, most)
