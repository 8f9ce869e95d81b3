"""Changes that would mend a gauge over its limit, one press away: of a line, or a line that is added."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from glass_spoon.kernel.gauges.read_gauges import read_gauges
from glass_spoon.kernel.gauges.reading import Reading
from glass_spoon.kernel.gauges.smoothed_shape import widening
from glass_spoon.kernel.mesh_edits.open_edges import find_gaps
from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.edit import RefusedEdit, set_fields
from glass_spoon.sheet.items import MeshItem
from glass_spoon.sheet.line import Action, Line
from glass_spoon.sheet.lines.finish import Smooth
from glass_spoon.sheet.lines.mesh_work.creases import Support
from glass_spoon.sheet.lines.mesh_work.fields import several
from glass_spoon.sheet.lines.mesh_work.mesh_surface import MeshSurface
from glass_spoon.studio.flows.build_part import evaluate_trial
from glass_spoon.studio.flows.watched_work import Report
from glass_spoon.studio.see.scene import Shown

ROUND_STEP = 8
"""Counts round are offered in steps of this."""

LEAST_WELD = 0.01
"""Weld distance in mm that is offered for gaps of no width."""

LEAST_FACES = 6
"""Fewest faces that may be asked for."""

MARGIN = 1.15
"""How much denser than the formula asks: distances fall with the square of the edges only nearly, and in steps."""

TRIES, GROWN = 5, 1.2
"""Changes that are tried, each at least so many times the one before: distances depend on where the edges fall as well."""

MOST_TRIED = 20_000
"""Largest mesh that is made to see whether a change mends: larger ones would keep the sheet waiting."""


def untold(share: float) -> None:
    """Tell nobody the share that is done."""


def changes(
    document: SheetDocument, cause: Line, item: Shown, reading: Reading, report: Report = untold
) -> tuple[Action, ...]:
    """Return the changes of the line that caused it, or of the one that meshed, that would mend a gauge.

    report: told before each trial, as trials may take seconds; what it raises ends them.
    """
    if isinstance(cause, MeshSurface):
        return _mesh_ways(document, cause, reading, item.mesh.face_count, report)
    if isinstance(cause, Support) and reading.code == "close_loops":
        return _wider_loops(cause, item)
    if isinstance(cause, Smooth):
        maker = document.line(item.item_id) if document.has(item.item_id) else None
        return _smooth_ways(document, cause, maker, item, reading, report)
    return ()


def _smooth_ways(
    document: SheetDocument, line: Smooth, maker: Line | None, item: Shown, reading: Reading, report: Report
) -> tuple[Action, ...]:
    """Return the changes that mend what smoothing caused: fewer times, or another mesh to smooth."""
    if reading.code == "face_budget":
        times, limit = _plain(line.times), reading.limit or 1.0
        fewer = None if times is None else int(times) - math.ceil(math.log(reading.value / limit, 4))
        return () if fewer is None or fewer < 1 else (Action(f"Smooth {several(fewer, 'time')}", "times", str(fewer)),)
    if reading.code == "off_surface" and isinstance(maker, MeshSurface):
        if maker.lying == "points":
            return (Action("Lay its smoothed shape on the surface", "lying", "smoothed", line=maker.id),)
        return tuple(
            replace(action, line=maker.id) for action in _mesh_ways(document, maker, reading, item.mesh.face_count, report)
        )
    return ()


def _wider_loops(line: Support, item: Shown) -> tuple[Action, ...]:
    """Return the distance at which smoothing can use the loops."""
    now = _plain(str(line.distance).removesuffix("mm").strip())
    if now is None or line.way != "loops":
        return ()
    text = f"{float(f'{1.05 * now * widening(item.mesh):.2g}'):g} mm"
    return (Action(f"Try {text}", "distance", text),)


def _mesh_ways(
    document: SheetDocument, line: MeshSurface, reading: Reading, faces: int, report: Report
) -> tuple[Action, ...]:
    """Return the changes of a mesh line that mend a gauge: found by a rule, tried, and found anew from what that reads.

    faces: of the mesh now. Changes that lead to large meshes are offered by the rule alone; none passes the budget.
    """
    if reading.code == "evenness":
        return () if line.spaced == "evenly" else (Action("Space evenly", "spaced", "evenly"),)
    whole = 1.0
    for tried in range(TRIES):
        report(tried / TRIES)
        factor = _denser_by(reading)
        if factor is None:
            return ()
        if tried:
            factor = max(factor, GROWN) if factor > 1 else min(factor, 1 / GROWN)
        whole *= factor
        actions = _denser(line, whole)
        if reading.code != "face_budget" and faces * factor**2 > document.limits.face_budget:
            return ()
        if not actions or faces * factor**2 > MOST_TRIED:
            return actions
        made = _meshed_so(document, line, actions[0])
        if made is None:
            return ()
        readings = read_gauges(made.mesh, made.surface, document.limits.for_gauges())
        reading = next(found for found in readings if found.code == reading.code)
        if reading.is_good:
            return actions
        faces = made.mesh.face_count
    return ()


def _denser_by(reading: Reading) -> float | None:
    """Return how many times denser along each way a mesh must be for a gauge to keep its limit, by rule."""
    limit = reading.limit or 1.0
    return {
        "off_surface": MARGIN * math.sqrt(reading.value / limit),
        "kinks": MARGIN * reading.value / limit,
        "face_budget": math.sqrt(limit / max(reading.value, 1.0)) * 0.97,
        "smallest_corner": 1.4,
    }.get(reading.code)


def _meshed_so(document: SheetDocument, line: MeshSurface, action: Action) -> MeshItem | None:
    """Return the mesh that a line gives once it is changed, None where it gives none."""
    try:
        changed = set_fields(document, line.id, dict(action.values or ((action.field, action.value),)))
    except RefusedEdit:
        return None
    state = evaluate_trial(changed, line.id).items.get(line.id)
    return state.item if state is not None and isinstance(state.item, MeshItem) else None


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
    if line.sizing == "faces":
        faces = _plain(line.faces)
        count = 0 if faces is None else max(LEAST_FACES, int(float(f"{faces * factor**2:.3g}")))
        return (Action(f"Try about {count:,}", "faces", str(count)),) if count else ()
    field = {"edge length": "edge_length", "chord": "chord", "tolerance": "tolerance"}.get(line.sizing)
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


def added_lines(document: SheetDocument, item: Shown, reading: Reading) -> tuple[Action, ...]:
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
    values = _closing(item) if reading.code == "small_gaps" else ()
    if not values and any(line.verb_name == verb and line.changes == item.item_id for line in _working(document)):
        return ()  # it is there already, and once more would do no more
    words = {"pair": "Pair the triangles", "relax": "Relax it", "weld": "Weld them", "clean": "Clean it"}[verb]
    return (Action(words, "mesh", item.item_id, values, verb),)


def _working(document: SheetDocument) -> list[Line]:
    """Return the lines that are not paused."""
    return [line for line in document.lines if not line.paused]


def _closing(item: Shown) -> tuple[tuple[str, str], ...]:
    """Return the fields of a weld that closes the small gaps of a mesh."""
    widest = float(find_gaps(item.mesh, 0.0).widths.max(initial=0.0))
    return ("points", "edges"), ("distance", f"{max(float(f'{1.06 * widest:.2g}'), LEAST_WELD):g} mm")
