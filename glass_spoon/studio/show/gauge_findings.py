"""Gauges over their limits, told in the sheet at the line that made the mesh, with the change that would mend it."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from glass_spoon.kernel.gauges.reading import Reading
from glass_spoon.kernel.meshes.open_edges import find_gaps
from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.evaluate import Build
from glass_spoon.sheet.line import Action, Finding
from glass_spoon.sheet.lines.mesh_work.mesh_surface import MeshSurface
from glass_spoon.studio.flows.show_scene import Shown
from glass_spoon.studio.show.gauge_rows import STYLES
from glass_spoon.studio.show.sheet_rows import ChapterRows, SheetRow

ROUND_STEP = 8
"""Counts round are offered in steps of this."""

LEAST_WELD = 0.01
"""Weld distance in mm that is offered for gaps of no width."""

MARGIN = 1.15
"""How much denser than the formula asks: distances fall with the square of the edges only nearly, and in steps."""

WORDS = {
    "four_sided": "{value} of the faces have four sides",
    "evenness": "The faces are uneven: {value}, the limit is {limit}",
    "smallest_corner": "The narrowest corner is {value}, the limit is {limit}",
    "off_surface": "It stands {value} off the surface, the limit is {limit}",
    "kinks": "The smoothed shape turns by {value} along an edge, the limit is {limit}",
    "face_budget": "It has {value} faces",
    "crowded_edges": "{value} edges have three faces or more",
    "small_gaps": "{value} small gaps between open edges: they nearly meet",
    "doubled_points": "{value} points lie on others: seams that were never welded",
    "stray_points": "{value} points belong to no face",
    "odd_on_bends": "{value} triangles or many-sided faces lie on a bend",
    "close_loops": "{value} faces are too thin for smoothing to use",
}
"""What is told of each gauge; folds are told by the lines themselves."""

WORDS_OF_ONE = {
    "crowded_edges": "One edge has three faces or more",
    "small_gaps": "One small gap between open edges: they nearly meet",
    "doubled_points": "One point lies on another: a seam that was never welded",
    "stray_points": "One point belongs to no face",
    "odd_on_bends": "One triangle or many-sided face lies on a bend",
    "close_loops": "One face is too thin for smoothing to use",
}
"""The same where there is but one."""


def with_gauges(chapters: list[ChapterRows], build: Build, item: Shown, readings: list[Reading]) -> list[ChapterRows]:
    """Return the rows with what the gauges of a mesh complain about, at the line that made its last state."""
    state = build.items.get(item.item_id)
    found = gauge_findings(build.document, item, state.line_id, readings) if state else []
    if not found or state is None:
        return chapters
    return [replace(chapter, rows=[_told(row, state.line_id, found) for row in chapter.rows]) for chapter in chapters]


def _told(row: SheetRow, line_id: str, found: list[Finding]) -> SheetRow:
    """Return a row, with the findings where it is the one that made them."""
    if row.id != line_id:
        return row
    return replace(row, findings=(*row.findings, *found), status="look" if row.status == "good" else row.status)


def gauge_findings(document: SheetDocument, item: Shown, line_id: str, readings: list[Reading]) -> list[Finding]:
    """Return a finding for each gauge over its limit."""
    line = document.line(line_id)
    found = []
    for reading in readings:
        if reading.is_good or math.isnan(reading.value) or reading.code not in WORDS:
            continue
        style = STYLES[reading.code]
        limit = style.show(reading.limit) if reading.limit is not None else ""
        value = (
            f"{reading.value:,.0f} of {reading.limit:,.0f}" if reading.code == "face_budget" else style.show(reading.value)
        )
        words = WORDS_OF_ONE if reading.value == 1 and reading.code in WORDS_OF_ONE else WORDS
        sentence = words[reading.code].format(value=value, limit=limit) + "."
        actions = _mesh_ways(line, reading) if isinstance(line, MeshSurface) else ()
        actions += _added_ways(item, reading)
        offenders = tuple(reading.offenders[:1].tolist())
        found.append(Finding(reading.code, "look", sentence, actions, reading.kind, offenders))
    return found


def _mesh_ways(line: MeshSurface, reading: Reading) -> tuple[Action, ...]:
    """Return the changes of a mesh line that would mend a gauge."""
    limit = reading.limit or 1.0
    if reading.code == "evenness":
        return () if line.spaced == "evenly" else (Action("Space evenly", "spaced", "evenly"),)
    factor = {
        "off_surface": MARGIN * math.sqrt(reading.value / limit),
        "kinks": MARGIN * reading.value / limit,
        "face_budget": math.sqrt(limit / max(reading.value, 1.0)) * 0.97,
        "smallest_corner": 1.4,
    }.get(reading.code)
    if factor is None:
        return ()
    return _denser(line, factor)


def _denser(line: MeshSurface, factor: float) -> tuple[Action, ...]:
    """Return the change that makes a mesh denser by a factor along each way; none where a size or a text decides."""
    if line.sizing == "counts":
        counts = [_plain(line.round), _plain(line.along)]
        if None in counts:
            return ()
        around = max(
            ROUND_STEP, ROUND_STEP * (math.ceil if factor > 1 else math.floor)((counts[0] or 0) * factor / ROUND_STEP)
        )
        along = max(2, (math.ceil if factor > 1 else math.floor)((counts[1] or 0) * factor))
        values = (("round", str(around)), ("along", str(along)))
        return (Action(f"Try {around} round, {along} along", "round", str(around), values),)
    field = {"edge length": "edge_length", "chord": "chord"}.get(line.sizing)
    if field is None:
        return ()
    length = _plain(str(getattr(line, field)).removesuffix("mm").strip())
    if length is None:
        return ()
    power = 1 if field == "edge_length" else 2
    text = f"{float(np.format_float_positional(length / factor**power, 2, fractional=False)):g} mm"
    return (Action(f"Try {text}", field, text),)


def _plain(raw: object) -> float | None:
    """Return a plain number, None for an expression."""
    try:
        return float(str(raw))
    except ValueError:
        return None


def _added_ways(item: Shown, reading: Reading) -> tuple[Action, ...]:
    """Return lines that would mend a gauge."""
    verb = {
        "four_sided": "pair",
        "odd_on_bends": "pair",
        "evenness": "relax",
        "doubled_points": "weld",
        "stray_points": "clean",
        "crowded_edges": "clean",
        "small_gaps": "weld",
    }.get(reading.code)
    if verb is None:
        return ()
    words = {"pair": "Pair the triangles", "relax": "Relax it", "weld": "Weld them", "clean": "Clean it"}[verb]
    values = _closing(item) if reading.code == "small_gaps" else ()
    return (Action(words, "mesh", item.item_id, values, verb),)


def _closing(item: Shown) -> tuple[tuple[str, str], ...]:
    """Return the fields of a weld that closes the small gaps of a mesh."""
    widest = float(find_gaps(item.mesh, 0.0).widths.max(initial=0.0))
    return ("points", "edges"), ("distance", f"{max(float(f'{1.06 * widest:.2g}'), LEAST_WELD):g} mm")
