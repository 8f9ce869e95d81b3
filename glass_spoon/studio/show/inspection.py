"""What the inspection sheet of a part prints."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from glass_spoon.sheet.document import SheetDocument
from glass_spoon.studio.flows.build_part import finished_build
from glass_spoon.studio.models import Part
from glass_spoon.studio.see.gauge_rows import FIRST, MORE, GaugeRow, gauge_rows
from glass_spoon.studio.see.scene import Shown, gauged_meshes, readings_of, shown_items
from glass_spoon.studio.see.thumbnail import Frame
from glass_spoon.studio.show.bench_context import LEVEL_NAMES, sides_text
from glass_spoon.studio.show.sheet_rows import chapters, size_rows

FRAME = Frame(330, 250)
VIEWS = (("picture", "Picture"), ("front", "Front"), ("side", "Side"), ("plan", "Plan"))
LEVELS = 5
"""Smoothing levels whose counts are printed."""


@dataclass(frozen=True)
class InspectedMesh:
    """One mesh as it is printed."""

    id: str
    name: str
    size: str
    sides: str
    levels: list[tuple[str, str]]
    gauges: list[GaugeRow]
    figures: list[GaugeRow]

    @property
    def is_good(self) -> bool:
        """True when every gauge keeps its limit."""
        return all(row.good for row in (*self.gauges, *self.figures))


def inspection_context(part: Part) -> dict[str, Any]:
    """Return the context of the page."""
    document = part.sheet()
    build = finished_build(document)
    meshes = [_inspected(item, document) for item in gauged_meshes(shown_items(build, 0))]
    return {
        "part": part,
        "project": part.project,
        "sizes": size_rows(build),
        "meshes": meshes,
        "views": VIEWS,
        "frame": FRAME,
        "chapters": chapters(build, None),
        "failed": [report.findings[0].sentence for report in build.reports.values() if report.status == "failed"],
    }


def _inspected(item: Shown, document: SheetDocument) -> InspectedMesh:
    """Return what is printed of one mesh."""
    readings = readings_of(item, document.limits.for_gauges())
    counts = item.level_counts[:LEVELS]
    return InspectedMesh(
        item.item_id,
        item.name,
        " × ".join(f"{value:.1f}" for value in item.extent) + " mm",
        sides_text(item.mesh.topology, item.copies),
        [(LEVEL_NAMES[level], f"{faces:,}") for level, faces in enumerate(counts)],
        gauge_rows(readings, (*FIRST, "face_budget")),
        gauge_rows(readings, MORE),
    )
