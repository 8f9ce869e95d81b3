"""The model as a glTF file: as it stands, and as it would be while something is dragged."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from glass_spoon.formats.gltf import NamedMesh, write_moved_glb, write_view_glb
from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.gauges.reading import Reading
from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.edit import set_lines
from glass_spoon.sheet.evaluate import Build
from glass_spoon.studio.flows.build_part import evaluate_trial, finished_build
from glass_spoon.studio.see.board_extras import board_extras
from glass_spoon.studio.see.judging import colour_range, judged_values
from glass_spoon.studio.see.paint import face_paints, paint_of
from glass_spoon.studio.see.scene import Shown, gauged, quick_readings, shown_items
from glass_spoon.studio.see.view_choice import ViewChoice, read_view


def _named(build: Build, shown: list[Shown], values: Mapping[str, Floats]) -> list[NamedMesh]:
    """Return what is shown as meshes to write, with the values that colour them."""
    return [
        NamedMesh(
            item.item_id,
            item.picture,
            paint_of(build.document, item),
            values.get(item.item_id),
            face_paints(build, item),
            places=item.places,
        )
        for item in shown
    ]


def _extras(
    build: Build, shown: list[Shown], readings: list[Reading], view: ViewChoice
) -> tuple[dict[str, Any], dict[str, Floats]]:
    """Return the extras of a view, and the values that colour its meshes."""
    values = judged_values(shown, view, build) if view.judge else {}
    extras = board_extras(build, shown, readings, view)
    if view.judge:
        extras["range"] = colour_range(values, view.judge)
    return extras, values


def view_file(document: SheetDocument, view: ViewChoice) -> bytes:
    """Return the model as shown; the gauges come with the page, not with the file."""
    build = finished_build(document, view.after)
    shown = shown_items(build, view.level)
    extras, values = _extras(build, shown, [], view)
    return write_view_glb(_named(build, shown, values), extras)


def preview_file(
    document: SheetDocument, changes: dict[str, dict[str, Any]], known: list[str], view: Mapping[str, str]
) -> bytes:
    """Return the model with fields of lines changed, its quick readings in the extras; nothing is saved.

    When the board knows all topologies (`known`, by key) the file holds points and normals only.
    """
    chosen = read_view(view, document)
    changed = set_lines(document, changes)
    build = evaluate_trial(changed, chosen.after)
    shown = shown_items(build, chosen.level)
    item = gauged(shown, chosen.mesh)
    readings = quick_readings(item, changed.limits.for_gauges()) if item else []
    extras, values = _extras(build, shown, readings, chosen)
    extras["told"] = " ".join(filter(None, (_told(build, line) for line in changes)))
    same = bool(shown) and all(entry.mesh.topology.key in known for entry in shown)
    return (write_moved_glb if same else write_view_glb)(_named(build, shown, values), extras)


def _told(build: Build, line: str) -> str:
    """Return what a line would do with the fields tried: the weld's count before it is done, the faces of a count."""
    report = build.reports.get(line)
    if report is None:
        return ""
    return " ".join([report.told, *(finding.sentence for finding in report.findings)]).strip()
