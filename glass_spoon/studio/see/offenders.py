"""The elements that a gauge complains about, or that a line worked on, as plain JSON for the board."""

from __future__ import annotations

from typing import Any

import numpy as np

from glass_spoon.kernel.arrays import AnyInts
from glass_spoon.kernel.gauges.offender_places import offender_places
from glass_spoon.kernel.gauges.reading import Kind
from glass_spoon.kernel.repeat.place_mesh import place_mesh
from glass_spoon.sheet.document import SheetDocument
from glass_spoon.studio.flows.build_part import finished_build
from glass_spoon.studio.see.gauge_rows import LOOSE
from glass_spoon.studio.see.scene import Shown, gauged, readings_of, shown_items
from glass_spoon.studio.see.view_choice import ViewChoice

MOST_OFFENDERS = 50_000
"""Most elements that are shown at once."""


def offenders_of(document: SheetDocument, view: ViewChoice, gauge: str, line: str) -> dict[str, Any]:
    """Return what offends a gauge of the mesh that is gauged, or what a line worked on where its mesh is shown."""
    build = finished_build(document, view.after)
    shown = shown_items(build, view.level)
    if line:
        states = {state.line_id: state for state in build.items.values()}
        item = next((one for one in shown if line in states and one.item_id == states[line].item_id), None)
        done = build.reports[line].done if line in states else None
        return _told(item, done.kind, done.elements) if item and done and view.level == 0 else _told(None, "face", [])
    item = gauged(shown, view.mesh)
    codes = LOOSE if gauge == "loose" else (gauge,)
    readings = readings_of(item, document.limits.for_gauges()) if item else []
    found = next((reading for reading in readings if reading.code in codes and len(reading.offenders)), None)
    return _told(item, found.kind, found.offenders) if found else _told(None, "face", [])


def _told(item: Shown | None, kind: Kind, elements: AnyInts | list[int]) -> dict[str, Any]:
    """Return elements of a mesh with the places where they lie; of none where there is no mesh."""
    if item is None:
        return {"item": "", "kind": kind, "indices": [], "total": 0, "places": []}
    shown = np.asarray(elements, dtype=np.int64)[:MOST_OFFENDERS]
    body = item.mesh if item.places is None else place_mesh(item.mesh, item.places[0])  # of many bodies those of the first
    places = offender_places(body, kind, shown)
    rows = [[place.count, *(round(value, 4) for value in place.middle), round(place.radius, 4)] for place in places]
    return {"item": item.item_id, "kind": kind, "indices": shown.tolist(), "total": len(elements), "places": rows}
