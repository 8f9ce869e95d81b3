"""What would let two surfaces run into one another: a line that matches one to the other, before either is used."""

from __future__ import annotations

from dataclasses import dataclass

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.evaluate.closest_on_curve import closest_params
from glass_spoon.kernel.surfaces.evaluate.surface import edge_curve
from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.evaluate import Build
from glass_spoon.sheet.items import SurfaceItem, SurfacesItem
from glass_spoon.sheet.lines.form.edges import EDGES
from glass_spoon.studio.see.paint import source_of
from glass_spoon.studio.see.scene import Shown

POLE = 1e-6
"""Share of a surface's size within which an edge is a point, or a seam."""


@dataclass(frozen=True)
class Mend:
    """A line Match that may be added behind another: of which item and its edge, to which and its edge, and how they would
    meet.
    """

    after: str
    surface: str
    onto: str
    meeting: str
    edge: str = "nearest"
    onto_edge: str = "nearest"


def single_sources(item: Shown, document: SheetDocument, build: Build) -> list[str]:
    """Return for each surface of what is shown the id of the item that is this one surface, "" where there is none."""
    item_id = source_of(document, item.item_id) or item.item_id
    state = build.items.get(item_id)
    if state is None:
        return []
    if isinstance(state.item, SurfaceItem):
        return [item_id]
    if not isinstance(state.item, SurfacesItem):
        return []
    sources = [state.item.sources[part] if state.item.sources else "" for part in state.item.parts]
    sources = sources if len(sources) == len(state.item.shape.surfaces) else [""] * len(state.item.shape.surfaces)
    return [source if _is_single(build, source) else "" for source in sources]


def _is_single(build: Build, item_id: str) -> bool:
    state = build.items.get(item_id)
    return state is not None and isinstance(state.item, SurfaceItem)


def mend_for(build: Build, first: str, second: str, meeting: str, places: Floats | None = None) -> Mend | None:
    """Return the line that matches one of two surfaces to the other, None where neither can be changed before it is used.

    places: (n, 3) in mm along the edge that is meant; the nearest of all without them.
    """
    document = build.document
    if not first or not second or first == second:
        return None
    for surface, onto in ((first, second), (second, first)):
        made = [at for at, line in enumerate(document.lines) if line.item_id in (surface, onto)]
        used = [
            at for at, line in enumerate(document.lines) if surface in line.references().values() and line.item_id != surface
        ]
        ready = [at for at in made if not used or at < used[0]]
        if ready and {surface, onto} <= {document.lines[at].item_id for at in ready}:
            edges = [_edge_at(build, item, places) for item in (surface, onto)]
            return Mend(document.lines[ready[-1]].id, surface, onto, meeting, *edges)
    return None


def _edge_at(build: Build, item_id: str, places: Floats | None) -> str:
    """Return the choice of the edge of a surface that is nearest to places, the nearest of all where that is not known."""
    state = build.items.get(item_id)
    if places is None or state is None or not isinstance(state.item, SurfaceItem):
        return "nearest"
    surface = state.item.surface
    away = {
        choice: float(closest_params(edge_curve(surface, axis, end), places)[1].max())
        for choice, (axis, end) in EDGES.items()
        if not surface.is_pole(1 - axis, end, POLE * surface.size) and not surface.is_closed(1 - axis, POLE * surface.size)
    }
    return min(away, key=lambda choice: away[choice]) if away else "nearest"
