"""Dragging by hand as a line: its table, mirrored, with a falloff, found again after changes above, in words, by handles."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from glass_spoon.sheet.document import read_document
from glass_spoon.sheet.evaluate import Build
from glass_spoon.sheet.propose import propose
from tests.mesh_checker import check_result
from tests.sheet.test_solids import run

CRATE = {
    "id": "b",
    "verb": "block",
    "form": "box",
    "width": "40 mm",
    "depth": "40 mm",
    "height": "40 mm",
    "edge": "4 mm",
    "gives": "crate",
}


def row(x: float, y: float, z: float, right: float = 0, back: float = 0, rise: float = 0) -> dict[str, Any]:
    return {"x": x, "y": y, "z": z, "right": right, "back": back, "rise": rise}


def dragged(*rows: dict[str, Any], block: dict[str, Any] | None = None, **fields: Any) -> Build:
    return run({**CRATE, **(block or {})}, {"id": "d", "verb": "drag", "mesh": "b", "drags": list(rows), **fields})


def by_of(build: Build, block: dict[str, Any] | None = None) -> np.ndarray:
    before = run({**CRATE, **(block or {})}).items["b"].item.mesh.positions
    return build.items["b"].item.mesh.positions - before


def test_a_point_goes_as_typed_and_its_handle_stands_where_it_is() -> None:
    """With expressions and units; the handle changes the three numbers of its row."""
    build = dragged(row(4, 4, 40, "2 mm + 1 mm", 0, "0.5 cm"))
    by = by_of(build)
    assert np.abs(by).max(axis=1).astype(bool).sum() == 1
    assert by.max(axis=0) == pytest.approx((3, 0, 5))
    (handle,) = build.handles(build.document.line("d"))
    assert handle.place == pytest.approx((7, 4, 45))
    assert handle.start == pytest.approx((4, 4, 40))
    assert [(change.column, change.row, change.value) for change in handle.changes] == [
        ("right", 0, 3),
        ("back", 0, 0),
        ("rise", 0, 5),
    ]
    check_result(build.items["b"].item.mesh, closed=True)


def test_nothing_dragged_yet_says_what_to_do() -> None:
    """An empty table is good and says what to pick."""
    build = dragged()
    assert build.reports["d"].status == "good"
    assert "pick on the mesh" in build.reports["d"].told


def test_mirrored_and_following() -> None:
    """The other side goes as its mirror image, and what is about follows less and less."""
    build = dragged(row(12, 4, 40, 2, 0, 6), mirrored="left and right", reach="10 mm", law="1 to 0")
    after = build.items["b"].item.mesh.positions
    mirror = after * [-1, 1, 1]
    away = np.abs(after[:, None] - mirror[None]).max(axis=2).min(axis=1)
    assert away.max() < 1e-9
    assert by_of(build)[:, 2].max() == pytest.approx(6)
    assert (by_of(build)[:, 2] > 0.1).sum() > 10


def test_places_are_found_again_after_changes_above() -> None:
    """Another count, and sizes changed by a fifth: what is nearest to the place goes as far."""
    for block in ({"edge": "3.2 mm"}, {"edge": "5 mm"}, {"width": "48 mm"}, {"height": "41 mm"}):
        build = dragged(row(4, 4, 40, 0, 0, 5), block=block)
        assert build.reports["d"].status == "good", block
        assert by_of(build, block)[:, 2].max() == pytest.approx(5)


def test_what_finds_nothing_says_so_at_its_line() -> None:
    """One of two lost is worth a look and named; all lost is a failure with a way out."""
    build = dragged(row(4, 4, 40, 0, 0, 5), row(4, 4, 90, 0, 0, 5))
    assert build.reports["d"].status == "look"
    assert "Place 2 lies off the mesh" in build.reports["d"].findings[0].sentence
    assert len(build.handles(build.document.line("d"))) == 1
    lost = dragged(row(4, 4, 90, 0, 0, 5))
    assert lost.reports["d"].status == "failed"
    assert "Pick anew" in lost.reports["d"].findings[0].sentence


def test_edges_and_faces_go_whole() -> None:
    """Two points of an edge or four of a face move, with one handle."""
    for what, place, count in (("edges", (2, 4, 40), 2), ("faces", (2, 2, 40), 4)):
        build = dragged(row(*place, 0, 0, 3), what=what)
        assert (by_of(build)[:, 2] > 0).sum() == count
        assert len(build.handles(build.document.line("d"))) == 1


GROUND = read_document({"format": "glass-spoon/sheet", "version": 1, "lines": [CRATE]})


@pytest.mark.parametrize(
    ("text", "values"),
    [
        ("drag 4, 4, 40 by 2, 0, 5 by hand, points of crate", {"mesh": "b", "what": "points"}),
        (
            "drag 2, 2, 40 by 0, 0, 3 by hand, faces of crate, mirrored left and right",
            {"what": "faces", "mirrored": "left and right"},
        ),
        ("drag points of crate, falloff of 12 mm", {"reach": "12 mm"}),
    ],
)
def test_plain_words(text: str, values: dict[str, Any]) -> None:
    """A sentence as one would say it fills the line."""
    line = propose(text, GROUND)[0].line
    assert line.verb_name == "drag"
    assert {name: getattr(line, name) for name in values} == values
    if " by 0, 0, 3" in text:
        assert [str(cell) for cell in line.drags[0].values()] == ["2", "2", "40", "0", "0", "3"]


BOX = {"x": -20, "y": -20, "z": 0, "width": 40, "depth": 40, "height": 40}


@pytest.mark.parametrize("edge", ["2 mm", "4 mm", "10 mm"])
@pytest.mark.parametrize("share", [0.8, 1.0, 1.2])
@pytest.mark.parametrize("field", ["width", "depth", "height"])
def test_what_was_picked_goes_along_with_the_size(field: str, share: float, edge: str) -> None:
    """A corner and a point of a side, at three densities and ±20 %: they stay the corner, and that share of the side."""
    block = {field: f"{40 * share} mm", "edge": edge}
    build = dragged(row(20, 20, 40, 1, 1, 1), row(20, 0, 20, 2), block=block, box=[BOX])
    assert build.reports["d"].status == "good", build.reports["d"].findings
    before = run({**CRATE, **block}).items["b"].item.mesh
    by = by_of(build, block)
    size = np.ptp(before.positions, axis=0)
    went = np.flatnonzero(np.abs(by).max(axis=1))
    assert len(went) == 2
    corner = went[np.isclose(by[went], 1).all(axis=1)]
    assert before.positions[corner[0]] == pytest.approx(size * [0.5, 0.5, 1])
    side = went[np.isclose(by[went], [2, 0, 0]).all(axis=1)]
    step = float(edge.split()[0]) * 1.3
    assert before.positions[side[0]] == pytest.approx(size * [0.5, 0, 0.5], abs=step)
    (first, _) = build.handles(build.document.line("d"))
    assert first.place == pytest.approx(size * [0.5, 0.5, 1] + 1, abs=1e-3)


def test_a_side_picked_alone_and_mirrored_goes_along_too() -> None:
    """Across the middle as well; a flat mesh, which has no height, is no trouble."""
    build = dragged(row(20, 0, 20, 2), block={"width": "48 mm"}, box=[BOX], mirrored="left and right")
    by = by_of(build, {"width": "48 mm"})
    assert np.sort(by[np.abs(by).max(axis=1) > 0][:, 0]) == pytest.approx([-2, 2])
    flat = {"id": "b", "verb": "draw", "gives": "rim", "points": [{"x": 0, "y": 0}, {"x": 30, "y": 0}]}
    lines = [
        {**flat, "id": "p", "manner": "straight through"},
        {"id": "s", "verb": "extrude", "profile": "p", "distance": "20 mm", "direction": "front-back axis"},
        {"id": "b", "verb": "mesh", "surface": "s"},
    ]
    made = run(*lines)
    assert made.reports["b"].status in ("good", "look")
    mesh = made.items["b"].item.mesh
    low, size = mesh.positions.min(axis=0), np.ptp(mesh.positions, axis=0)
    box = dict(zip(("x", "y", "z", "width", "depth", "height"), [*low.tolist(), *size.tolist()], strict=True))
    corner = dict(zip("xyz", mesh.positions[0].tolist(), strict=True))
    drag = {"id": "d", "verb": "drag", "mesh": "b", "drags": [{**row(0, 0, 0, rise=3), **corner}], "box": [box]}
    assert run(*lines, drag).reports["d"].status == "good"
