"""Which line put a mesh over the limit of a gauge: the first of those since which it is over."""

from __future__ import annotations

from glass_spoon.kernel.gauges.reading import Reading
from glass_spoon.sheet.evaluate import Build
from glass_spoon.studio.flows.build_part import RESULTS
from glass_spoon.studio.flows.watched_work import Working
from glass_spoon.studio.see.gauge_findings import is_over
from glass_spoon.studio.see.scene import Shown, drawn_as, watched_readings

MOST_FACES = 300_000
"""Largest mesh whose states are read back line by line; for a larger one the last line is named."""


def gauge_causes(build: Build, item: Shown, readings: list[Reading]) -> dict[str, str] | Working:
    """Return the id of the line that caused each gauge to be over its limit, by code; or how far the reading of them is.

    Read backwards from the last state, as long as one is over its limit and the results are still at hand.
    """
    state = build.items.get(item.item_id)
    over = {reading.code for reading in readings if is_over(reading)}
    if state is None or not over:
        return {}
    found = dict.fromkeys(over, state.line_id)
    limits = build.document.limits.for_gauges()
    for before in _states_before(build, item, state.line_id):
        earlier = watched_readings(before, limits)
        if isinstance(earlier, Working):
            return earlier
        over &= {reading.code for reading in earlier if is_over(reading)}
        if not over:
            break
        found |= dict.fromkeys(over, before.item_id)
    return found


def _states_before(build: Build, item: Shown, last: str) -> list[Shown]:
    """Return the earlier states of a mesh, latest first, each under the id of the line that made it."""
    lines = [line.id for line in build.document.lines if line.item_id == item.item_id and line.id in build.reports]
    found: list[Shown] = []
    for line_id in reversed(lines[: lines.index(last)] if last in lines else []):
        report = build.reports[line_id]
        if report.status == "paused":
            continue
        kept = RESULTS.get(report.key) if report.key else None
        drawn, places = (None, None) if kept is None else drawn_as(kept[0])
        if drawn is None or drawn.mesh.face_count > MOST_FACES:
            break
        shown = Shown(f"{report.key}:0", line_id, item.name, drawn.mesh, drawn.surface, is_surface=False, places=places)
        found.append(shown)
    return found
