"""What would read as good and is seen nowhere: lines behind what stands for their item, bodies out of reach."""

from __future__ import annotations

import pytest

from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.document import SheetDocument, read_document
from glass_spoon.sheet.edit import RefusedEdit, set_fields
from glass_spoon.sheet.edit_many import move_before
from glass_spoon.sheet.evaluate import evaluate
from glass_spoon.sheet.propose import propose
from tests.sheet.test_solids import run

CUBE = {"id": "a", "verb": "block", "width": "20 mm", "depth": "20 mm", "height": "20 mm", "edge": "10 mm", "gives": "cube"}
PEG = {**CUBE, "id": "b", "gives": "peg", "x": "10 mm", "y": "10 mm", "z": "10 mm"}
FUSED = [CUBE, PEG, {"id": "f", "verb": "fuse", "meshes": ["a", "b"], "gives": "whole"}]
SHARP = {"id": "m", "verb": "mark", "mesh": "a", "what": "sharp edges", "gives": "its edges"}
BEVELLED = [*FUSED, SHARP, {"id": "v", "verb": "bevel", "mesh": "a", "marks": ["m"], "width": "1 mm"}]


def sheet(lines: list[dict]) -> SheetDocument:
    return read_document({"format": "glass-spoon/sheet", "version": 1, "lines": lines})


def test_a_change_behind_what_used_the_item_up_is_told() -> None:
    """The bevel of a cube that is fused already has no effect, and offers both ways out."""
    report = run(*BEVELLED).reports["v"]
    assert report.status == "look" and "seen nowhere: whole, of line 3, stands for cube" in report.findings[0].sentence
    assert [action.label for action in report.findings[0].actions] == ["Change whole instead", "Move it before line 3"]


def test_moving_it_before_takes_its_mark_along() -> None:
    """Then the fused skin is that of the bevelled cube."""
    moved = move_before(sheet(BEVELLED), "v", "f")
    assert [line.id for line in moved.lines] == ["a", "b", "m", "v", "f"]
    build = evaluate(moved, ResultCache())
    assert all(report.status in ("good", "look") for report in build.reports.values())
    assert not any(finding.code == "no_effect" for report in build.reports.values() for finding in report.findings)
    plain = enclosed_volume(run(*FUSED).items["f"].item.mesh)
    assert enclosed_volume(build.items["f"].item.mesh) < plain - 10


def test_changing_what_stands_for_it_has_effect() -> None:
    """The press sets the mesh; the mark by its rule holds the edges of the whole."""
    changed = set_fields(sheet(BEVELLED), "v", {"mesh": "f"})
    report = evaluate(changed, ResultCache()).reports["v"]
    assert report.status == "good", report.findings


def test_what_needs_the_line_itself_cannot_stand_before_it() -> None:
    """A bevel of the seam of a fused skin."""
    lines = [*FUSED, {**SHARP, "mesh": "f"}, {"id": "v", "verb": "bevel", "mesh": "f", "marks": ["m"], "width": "1 mm"}]
    with pytest.raises(RefusedEdit, match="needs line 3"):
        move_before(sheet(lines), "v", "f")


def test_what_a_later_line_takes_has_effect() -> None:
    """A copy of the bevelled cube shows the bevel, and a cube that nothing used up needs no telling."""
    copied = run(*BEVELLED, {"id": "c", "verb": "copy", "item": "a", "gives": "second"})
    assert copied.reports["v"].status == "good"
    assert run(CUBE, SHARP, BEVELLED[-1]).reports["v"].status == "good"


@pytest.mark.parametrize(("sentence", "meant"), [("bevel cube by 1 mm", "f"), ("smooth peg 2 times", "f")])
def test_a_sentence_means_what_stands_for_the_item(sentence: str, meant: str) -> None:
    """And says so; a name for something new stays that."""
    first = propose(sentence, sheet(FUSED))[0]
    assert first.line.changes == meant and "in whole since line 3" in first.note
    assert propose("box 10 by 10 by 10 named cube", sheet(FUSED))[0].note == ""


@pytest.mark.parametrize("size", [0.01, 1, 100])
def test_bodies_out_of_reach_are_told(size: float) -> None:
    """Nothing is taken out, or made one, of what lies apart; what lies within is a hollow, or gone."""
    cube = CUBE | dict.fromkeys(("width", "depth", "height"), f"{20 * size} mm") | {"edge": f"{10 * size} mm"}
    far = cube | {"id": "b", "gives": "far", "x": f"{90 * size} mm"}
    within = cube | dict.fromkeys(("width", "depth", "height"), f"{4 * size} mm") | {"id": "c", "z": f"{5 * size} mm"}
    taken = run(cube, far, {"id": "s", "verb": "subtract", "mesh": "a", "others": ["b"]}).reports["s"]
    assert taken.status == "look" and "does not reach the body" in taken.findings[0].sentence
    joined = run(cube, far, {"id": "s", "verb": "fuse", "meshes": ["a", "b"]}).reports["s"]
    assert joined.status == "look" and "2 pieces" in joined.findings[0].sentence
    hollow = run(cube, within | {"gives": "inn"}, {"id": "s", "verb": "subtract", "mesh": "a", "others": ["c"]})
    assert hollow.reports["s"].status == "good" and "1 body lies wholly inside, and is a hollow" in hollow.reports["s"].told


@pytest.mark.parametrize("size", [0.01, 1, 100])
@pytest.mark.parametrize("share", [0.8, 1, 1.2])
def test_a_wall_is_even_over_faces_pulled_out(size: float, share: float) -> None:
    """A box of 40 without its top, its floor pulled down by 5, given a wall of 2 outside: by formula."""
    low, wall = 5 * share * size, 2 * share * size
    box = {"id": "a", "verb": "block", "gives": "box", "edge": f"{10 * size} mm"}
    box |= dict.fromkeys(("width", "depth", "height"), f"{40 * size} mm")
    lines = [
        box,
        {"id": "t", "verb": "mark", "mesh": "a", "what": "faces facing", "towards": "up", "gives": "top"},
        {"id": "d", "verb": "delete", "mesh": "a", "marks": ["t"]},
        {"id": "u", "verb": "mark", "mesh": "a", "what": "faces facing", "towards": "down", "gives": "floor"},
        {"id": "p", "verb": "pull_out", "mesh": "a", "marks": ["u"], "distance": f"{low} mm"},
        {"id": "w", "verb": "thicken", "mesh": "a", "wall": f"{wall} mm", "side": "outside"},
    ]
    build = run(*lines)
    assert build.reports["w"].status == "good"
    inside = (40 * size) ** 2 * (40 * size + low)
    outside = (40 * size + 2 * wall) ** 2 * (40 * size + low + wall)
    assert enclosed_volume(build.items["a"].item.mesh) == pytest.approx(outside - inside, rel=1e-9)
