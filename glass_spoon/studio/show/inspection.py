"""What the inspection sheet of a part prints."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.evaluate import Build
from glass_spoon.studio.flows.build_part import finished_build
from glass_spoon.studio.models import Part
from glass_spoon.studio.see.drawing_page import PAPERS, Drawing, Paper, draw_mesh, draw_part
from glass_spoon.studio.see.gauge_rows import FIRST, MORE, GaugeRow, gauge_rows
from glass_spoon.studio.see.scene import Shown, gauged_meshes, readings_of, shown_items
from glass_spoon.studio.see.thumbnail import MOST_SEEN
from glass_spoon.studio.show.bench_context import LEVEL_NAMES, sides_text
from glass_spoon.studio.show.sheet_rows import chapters, size_rows

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
    drawing: Drawing
    too_large: str

    @property
    def figure_columns(self) -> tuple[list[GaugeRow], list[GaugeRow]]:
        """The further figures in two columns."""
        half = (len(self.figures) + 1) // 2
        return self.figures[:half], self.figures[half:]

    @property
    def is_good(self) -> bool:
        """True when every gauge keeps its limit."""
        return all(row.good for row in (*self.gauges, *self.figures))


def inspection_context(part: Part, paper_name: str) -> dict[str, Any]:
    """Return the context of the page, laid out for a paper; A4 for one that is not known."""
    document = part.sheet()
    build = finished_build(document)
    paper_name = paper_name if paper_name in PAPERS else "a4"
    paper = PAPERS[paper_name]
    shown = shown_items(build, 0)
    places = places_of(shown)
    return {
        "part": part,
        "project": part.project,
        "sizes": size_rows(build),
        "paper": paper_name,
        "papers": [(name, one.name) for name, one in PAPERS.items()],
        "drawing": draw_part(places, paper) if len(places) else None,
        "meshes": [_inspected(item, document, paper) for item in gauged_meshes(shown)],
        "chapters": chapters(build, None),
        "failed": _failed(build),
    }


def places_of(shown: list[Shown]) -> Floats:
    """Return the points (n, 3) in mm of all that is drawn of some items."""
    return np.concatenate([np.zeros((0, 3)), *(item.drawn.positions for item in shown)])


def _failed(build: Build) -> list[str]:
    return [report.findings[0].sentence for report in build.reports.values() if report.status == "failed"]


def _inspected(item: Shown, document: SheetDocument, paper: Paper) -> InspectedMesh:
    """Return what is printed of one mesh."""
    readings = readings_of(item, document.limits.for_gauges())
    counts = item.level_counts[:LEVELS]
    drawn = item.drawn
    return InspectedMesh(
        item.item_id,
        item.name,
        " × ".join(f"{value:.1f}" for value in item.extent) + " mm",
        sides_text(item.mesh.topology, item.copies),
        [(LEVEL_NAMES[level], f"{faces:,}") for level, faces in enumerate(counts)],
        gauge_rows(readings, (*FIRST, "face_budget")),
        gauge_rows(readings, MORE),
        draw_mesh(drawn.positions, paper),
        f"{drawn.face_count:,} faces are too many to be drawn here." if drawn.face_count > MOST_SEEN else "",
    )
