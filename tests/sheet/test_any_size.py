"""No result depends on the unit: every verb's sample, and all demo parts, at 0.01 to 100 times the size."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.document import SheetDocument, read_document
from glass_spoon.sheet.evaluate import Build, evaluate
from glass_spoon.sheet.expressions import Quantity, resolve_sizes
from glass_spoon.sheet.fields import CornersSpec, LawSpec, NumberSpec, PointsSpec, Spec, TableSpec
from glass_spoon.sheet.items import Item, MarkItem
from glass_spoon.sheet.kinds import kind_of
from glass_spoon.sheet.line import Line
from glass_spoon.sheet.lines.sizes import Size

FORMATS = Path(__file__).parent / "formats" / "version-1"
FACTORS = [0.01, 0.1, 10.0, 100.0]


def scaled_value(spec: Spec, name: str, line: Line, sizes: dict[str, Quantity], factor: float) -> Any:
    """Return a field of a line at another size, None where it stays as it is."""
    raw = getattr(line, name)
    if isinstance(spec, NumberSpec) and spec.dimension == "length":
        return f"{float(spec.resolve(name, raw, sizes)) * factor!r} mm"
    if isinstance(spec, PointsSpec):
        points = spec.resolve(name, raw, sizes)
        return [
            {"x": x * factor, "y": y * factor, "out": out * factor, "sharp": sharp, "weight": weight}
            for x, y, out, sharp, weight in points
        ]
    if isinstance(spec, LawSpec) and spec.dimension == "length":
        law = spec.resolve(name, raw, sizes)
        return f"{law.start * factor!r} mm to {law.end * factor!r} mm {law.way}, bias {law.bias!r}"
    if isinstance(spec, CornersSpec):
        factor = factor if spec.dimension == "length" else 1.0
        return [{"corner": corner, "value": value * factor} for corner, value in spec.resolve(name, raw, sizes)]
    if isinstance(spec, TableSpec):
        rows = []
        for row in spec.resolve(name, raw, sizes):
            pairs = zip(spec.columns, row, strict=True)
            rows.append({c.name: v * factor if c.dimension == "length" else v for c, v in pairs if v is not None})
        return rows
    return None


def scaled(document: SheetDocument, factor: float) -> SheetDocument:
    """Return the sheet with every length of every line multiplied; sizes are put into the lines."""
    sizes, _ = resolve_sizes({line.name: line.value for line in document.lines if isinstance(line, Size)})
    lines = []
    for line in document.lines:
        data = line.model_dump(mode="json")
        if isinstance(line, Size):
            lines.append(data)
            continue
        for name, spec in line.specs().items():
            try:
                value = scaled_value(spec, name, line, sizes, factor)
            except Exception:  # a field of another wording may hold what does not resolve
                continue
            if value is not None:
                data[name] = value
        lines.append(data)
    sheet = {"format": "glass-spoon/sheet", "version": 1, "lines": lines, "limits": document.limits.model_dump(mode="json")}
    return read_document(sheet)


def built(document: SheetDocument) -> Build:
    """Return the build of a sheet."""
    return evaluate(document, ResultCache())


def assert_alike(small: Build, other: Build, factor: float) -> None:
    """Every line has the status and the items have the places that they had, times the factor."""
    told = {line: report.findings for line, report in other.reports.items()}
    assert {line: report.status for line, report in small.reports.items()} == {
        line: report.status for line, report in other.reports.items()
    }, told
    for item_id, state in small.items.items():
        if not isinstance(state.item, MarkItem):
            assert_item_alike(state.item, other.items[item_id].item, factor, item_id)


def assert_item_alike(before: Item, after: Item, factor: float, name: str) -> None:
    """The places of an item are those of the other at another size."""
    one, two = (kind_of(item).places(item) for item in (before, after))
    assert len(one) == len(two), name
    if len(one):
        size = float(np.ptp(one, axis=0).max())
        off = float(np.abs(two / factor - one).max()) / max(size, 1e-9)
        assert off < 1e-6, (name, off)


def stored_verbs() -> list[tuple[str, dict[str, Any]]]:
    """Return a sheet for each verb over the same ground, but of those whose sizes are given elsewhere: files, norms."""
    found = []
    for path in sorted(FORMATS.parent.glob("*/every-verb.json")):
        stored = json.loads(path.read_text())
        found += [
            (f"{verb} {path.parent.name}", {**stored["sheet"], "lines": [*stored["sheet"]["lines"], known["line"]]})
            for verb, known in stored["verbs"].items()
            if not verb.startswith("import") and verb not in ("lay", "thread")
        ]
    return found


@pytest.mark.parametrize("factor", FACTORS)
@pytest.mark.parametrize(("verb", "sheet"), stored_verbs(), ids=[verb for verb, _ in stored_verbs()])
def test_no_result_of_a_verb_depends_on_the_unit(verb: str, sheet: dict[str, Any], factor: float) -> None:
    """A sample of every verb over one ground, all lengths and tolerances multiplied."""
    document = read_document(sheet)
    assert_alike(built(scaled(document, 1.0)), built(scaled(document, factor)), factor)


OTHERS = {"every-verb", "drain-plug", "ventilator"}
"""Sheets with sizes that are given elsewhere: by a norm, by an imported drawing."""

DEMOS = sorted(path for path in FORMATS.glob("*.json") if path.stem not in OTHERS)


@pytest.mark.parametrize("factor", FACTORS)
@pytest.mark.parametrize("path", DEMOS, ids=lambda path: path.stem)
def test_no_demo_part_depends_on_the_unit(path: Path, factor: float) -> None:
    """Every demo part whole, all lengths and tolerances multiplied."""
    document = read_document(json.loads(path.read_text())["sheet"])
    assert_alike(built(scaled(document, 1.0)), built(scaled(document, factor)), factor)
