"""The demo parts: built without failures, and every gauge over its limit has its reason in the sheet."""

from __future__ import annotations

import json

import pytest

from glass_spoon.kernel.gauges.read_gauges import read_gauges
from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.document import SheetDocument, read_document
from glass_spoon.sheet.evaluate import evaluate
from glass_spoon.sheet.items import MeshItem
from glass_spoon.sheet.lines.remarks import Remark
from tests.conftest import DEMO

PARTS = sorted(path.stem for path in DEMO.glob("*.json"))


def remarked(document: SheetDocument, line_id: str) -> bool:
    """Say whether the line after a line is a remark."""
    lines = [line.id for line in document.lines]
    after = lines.index(line_id) + 1
    return after < len(lines) and isinstance(document.lines[after], Remark)


@pytest.mark.parametrize("name", PARTS)
def test_a_demo_part_meets_its_gauges_or_says_why_not(name: str) -> None:
    """A mesh with a gauge over its limit is followed by a remark, and one without by none."""
    document = read_document(json.loads((DEMO / f"{name}.json").read_text()))
    build = evaluate(document, ResultCache())
    assert not [report for report in build.reports.values() if report.status in ("failed", "waiting")]
    for item, state in build.named("mesh"):
        assert isinstance(state.item, MeshItem)
        readings = read_gauges(state.item.mesh, state.item.surface, document.limits.for_gauges())
        over = [reading.code for reading in readings if not reading.is_good]
        assert bool(over) == remarked(document, state.line_id), (item, over)
