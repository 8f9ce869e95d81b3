"""How well a sheet survives change: every size and number of it varied by itself, and all sizes together."""

from __future__ import annotations

import random
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any, Literal

import numpy as np

from glass_spoon.kernel.gauges.defects import read_crowded_edges, read_folded, read_open_edges
from glass_spoon.kernel.gauges.face_figures import figures_of
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet
from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.edit import set_lines
from glass_spoon.sheet.errors import SheetError
from glass_spoon.sheet.evaluate import Build, evaluate
from glass_spoon.sheet.expressions import Quantity, resolve_sizes
from glass_spoon.sheet.fields import NumberSpec, PointsSpec, TableSpec
from glass_spoon.sheet.items import BodiesItem, Item, MeshItem
from glass_spoon.sheet.line import Line
from glass_spoon.sheet.lines.sizes import Size
from glass_spoon.sheet.sources import NOTHING_KEPT, Sources

Outcome = Literal["sane", "told", "failed", "silent"]
"""sane: rebuilt without a fault. told: a fault that a line tells. failed: a line refuses, with a sentence. silent: a fault
that nothing tells."""

SAME = 1e-6
"""Share of the size of a surface within which its edges are one."""

SEED = 20
"""Of the changes of all sizes together, so that they are the same each time."""


@dataclass(frozen=True, eq=False)
class Trial:
    """A change of a sheet: its line ("" for all sizes together), the field, how it reads, and the sheet as it makes it.

    changes: the values, by line and field.
    """

    line: str
    field: str
    label: str
    changes: dict[str, dict[str, Any]]
    document: SheetDocument


@dataclass(frozen=True)
class Result:
    """What came of a change, the sentence that tells it ("" where nothing does), and the line that it is about."""

    trial: Trial
    outcome: Outcome
    sentence: str = ""
    told_at: str = ""

    @property
    def line(self) -> str:
        """The line that was changed, "" for all sizes together."""
        return self.trial.line

    @property
    def label(self) -> str:
        """How the change reads."""
        return self.trial.label


@dataclass(frozen=True)
class Survival:
    """The results of all changes of a sheet."""

    results: tuple[Result, ...]

    @property
    def share(self) -> float:
        """The share of changes after which the sheet is sane, 1 for a sheet without numbers."""
        return sum(one.outcome == "sane" for one in self.results) / len(self.results) if self.results else 1.0

    @property
    def faults(self) -> tuple[Result, ...]:
        """The changes after which it is not."""
        return tuple(one for one in self.results if one.outcome != "sane")


def survive(
    document: SheetDocument,
    share: float = 0.2,
    together: int = 20,
    sources: Sources = NOTHING_KEPT,
    progress: Callable[[float], None] = lambda done: None,
) -> Survival:
    """Return what comes of every number of a sheet made larger and smaller by a share, and of all sizes changed together.

    together: how many times all sizes are changed at once, each by a random part of the share. progress: takes the share
    that is done, and may raise to stop.
    """
    cache = ResultCache()
    before = evaluate(document, cache, sources=sources)
    trials = [*single_changes(document, share), *joint_changes(document, share, together)]
    results = []
    for number, trial in enumerate(trials):
        results.append(_result(trial, before, evaluate(trial.document, cache, sources=sources)))
        progress((number + 1) / len(trials))
    return Survival(tuple(results))


def single_changes(document: SheetDocument, share: float) -> Iterator[Trial]:
    """Yield every number of a sheet changed by itself, up and down; those that are nothing, and remarks, left out."""
    sizes, _ = resolve_sizes({line.name: line.value for line in document.lines if isinstance(line, Size)})
    for line in document.lines:
        if line.paused:
            continue
        for factor in (1 + share, 1 - share):
            if isinstance(line, Size):
                label = f"{line.name} by {percent(factor)}"
                yield from _changed(document, line, "value", scaled(line.value, factor), label)
                continue
            for name in line.used_fields():
                for value, what in _field_changes(line, name, factor, sizes):
                    yield from _changed(document, line, name, value, f"{what} by {percent(factor)}")


def joint_changes(document: SheetDocument, share: float, count: int) -> Iterator[Trial]:
    """Yield all sizes of a sheet changed at once, each by a random part of the share; nothing where there are none."""
    rng = random.Random(SEED)
    sizes = [line for line in document.lines if isinstance(line, Size)]
    for number in range(count if len(sizes) > 1 else 0):
        changes = {line.id: {"value": scaled(line.value, 1 + rng.uniform(-share, share))} for line in sizes}
        yield Trial("", "value", f"all sizes together, {number + 1}", changes, set_lines(document, changes))


def percent(factor: float) -> str:
    """Write a factor as a change."""
    return f"{100 * (factor - 1):+.0f} %"


def scaled(raw: Any, factor: float) -> str:
    """Return a typed number, or an expression, multiplied."""
    return f"({raw}) * {factor:.4g}"


def _changed(document: SheetDocument, line: Line, field: str, value: Any, label: str) -> Iterator[Trial]:
    """Yield the sheet with a field changed; nothing where the value does not fit the field at all."""
    try:
        changes = {line.id: {field: value}}
        yield Trial(line.id, field, label, changes, set_lines(document, changes))
    except SheetError:
        return


def _field_changes(line: Line, name: str, factor: float, sizes: dict[str, Quantity]) -> Iterator[tuple[Any, str]]:
    """Yield the values of a field with one number in it multiplied, and what that number is called."""
    spec, raw = line.spec(name), getattr(line, name)
    if isinstance(spec, NumberSpec):
        value = _within(spec, name, raw, factor, sizes)
        if value is not None:
            yield value, f"{spec.label or name}".replace("_", " ")
    elif isinstance(spec, PointsSpec):
        rows = [point.model_dump() for point in raw]
        for number, axis in ((number, axis) for number in range(len(rows)) for axis in ("x", "y", "out")):
            yield from _cell_changes(rows, number, axis, factor, f"{axis} of point {number + 1}")
    elif isinstance(spec, TableSpec):
        columns = [column for column in spec.columns if not (column.whole or column.aside)]
        for number, column in ((number, column) for number in range(len(raw)) for column in columns):
            yield from _cell_changes(raw, number, column.name, factor, f"{column.label} of {spec.noun[0]} {number + 1}")


def _cell_changes(rows: list[Any], number: int, cell: str, factor: float, label: str) -> Iterator[tuple[Any, str]]:
    """Yield rows with one cell multiplied; none for a cell that is empty or nothing."""
    typed = rows[number].get(cell)
    if typed not in (None, 0, 0.0, "0", "0 mm"):
        changed = [dict(row) for row in rows]
        changed[number][cell] = scaled(typed, factor)
        yield changed, label


def _within(spec: NumberSpec, name: str, raw: Any, factor: float, sizes: dict[str, Quantity]) -> str | None:
    """Return a number multiplied, kept within the range of its field; None for one that does not change."""
    try:
        now = spec.resolve(name, raw, sizes)
    except (SheetError, ValueError):
        return None
    if now == 0:  # a part of it is nothing, too
        return None
    wanted = now * factor
    if spec.whole:
        wanted = float(round(wanted)) if round(wanted) != round(now) else now + (1 if factor > 1 else -1)
    low = -np.inf if spec.least is None else spec.least
    high = np.inf if spec.most is None else spec.most
    kept = float(np.clip(wanted, low, high))
    if kept == now:
        return None
    if kept != wanted or spec.whole:
        return (
            f"{np.degrees(kept):.10g}°"
            if spec.dimension == "angle"
            else f"{kept:.10g}" + (" mm" if spec.dimension == "length" else "")
        )
    return scaled(raw, factor)


def _result(trial: Trial, before: Build, after: Build) -> Result:
    """Return what came of a change."""
    known = {line: report.status for line, report in before.reports.items()}
    for line, report in after.reports.items():
        if report.status == "failed" and known.get(line) != "failed":
            number = after.document.number_of(line)
            sentence = next((finding.sentence for finding in report.findings), "")
            return Result(trial, "failed", f"Line {number}: {sentence}" if number else sentence, line)
    fault = next((text for text in _faults(before, after)), "")
    if not fault:
        return Result(trial, "sane")
    told = [
        (finding.sentence, line)
        for line, report in after.reports.items()
        if report.status == "look" and known.get(line) != "look"
        for finding in report.findings
    ]
    return Result(trial, "told", *told[0]) if told else Result(trial, "silent", fault)


def _faults(before: Build, after: Build) -> Iterator[str]:
    """Yield what is wrong with meshes that was not before: folded faces, edges of three faces, open edges, no mesh."""
    known = {item: faults_of(one) for item, state in before.items.items() if (one := _one_of(state.item)) is not None}
    for item, was in known.items():
        state = after.items.get(item)
        name = before.document.item_name(item)
        one = None if state is None else _one_of(state.item)
        if one is None:
            yield f"{name} is gone"
            continue
        now = faults_of(one)
        for what, count in now.items():
            if count and not was[what]:
                yield f"{name}: {count} {what}"


def _one_of(item: Item) -> MeshItem | None:
    """Return a mesh, or the one that bodies are copies of; None for what is neither."""
    return item.body if isinstance(item, BodiesItem) else item if isinstance(item, MeshItem) else None


def faults_of(item: MeshItem) -> dict[str, int]:
    """Return how many faces are folded, edges have three faces, and edges are open where what was meshed is not."""
    mesh = item.mesh
    return {
        "folded faces": int(read_folded(figures_of(mesh)).value),
        "edges of three faces": int(read_crowded_edges(mesh.topology).value),
        "open edges": 0 if _is_open(item.surface) else int(read_open_edges(mesh.topology).value),
    }


def _is_open(shape: NurbsSurface | SurfaceSet | None) -> bool:
    """Say whether what a mesh was made of has open edges itself, as a body that is turned by less than a whole turn."""
    if isinstance(shape, NurbsSurface):
        shape = SurfaceSet((shape,), SAME * shape.size)
    return shape is not None and bool(shape.open_edges)
