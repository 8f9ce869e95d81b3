"""Fair and Restore symmetry as lines: typed in words, near marks, beside creases, told."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.sheet.evaluate import Build
from glass_spoon.sheet.propose import propose
from tests.sheet.test_drag import CRATE
from tests.sheet.test_solids import run

DENT = {
    "id": "d",
    "verb": "drag",
    "mesh": "b",
    "drags": [
        {"x": 4, "y": 8, "z": 40, "right": 0, "back": 0, "rise": 6},
        {"x": 20, "y": 4, "z": 20, "right": 3, "back": 0, "rise": 0},
    ],
}


def built(*lines: dict[str, Any]) -> Build:
    build = run(CRATE, DENT, *lines)
    for line, report in build.reports.items():
        assert report.status in ("good", "look"), (line, [finding.sentence for finding in report.findings])
    return build


def places(build: Build) -> np.ndarray:
    return build.items["b"].item.mesh.positions


def test_a_bump_is_faired_and_the_volume_kept() -> None:
    """The dragged point sinks back most of the way; the volume stays and is told."""
    build = built({"id": "f", "verb": "fair", "mesh": "b", "rounds": 6})
    rough, done = built(), build
    assert places(rough)[:, 2].max() == pytest.approx(46)
    assert places(done)[:, 2].max() < 42
    assert enclosed_volume(done.items["b"].item.mesh) == pytest.approx(enclosed_volume(rough.items["b"].item.mesh), rel=1e-9)
    assert "its volume is as before" in done.reports["f"].told


def test_creases_stay_unless_they_may_go() -> None:
    """With the edges of the crate creased they keep to their place, and go when that is said."""
    marks = [{"id": "m", "verb": "mark", "mesh": "b", "what": "edges in a box", **corner_box()}]
    crease = {"id": "c", "verb": "crease", "mesh": "b", "marks": ["m"]}
    fair = {"id": "f", "verb": "fair", "mesh": "b", "rounds": 10}
    held, free = built(*marks, crease, fair), built(*marks, crease, {**fair, "creases": "creases go too"})
    corner = np.isclose(places(built()), [20, 20, 40]).all(axis=1)
    assert places(held)[corner][0] == pytest.approx((20, 20, 40))
    assert np.abs(places(free)[corner][0] - [20, 20, 40]).max() > 0.5


def corner_box() -> dict[str, Any]:
    """Return a box about the upper edge at the right."""
    return {"x": 19, "y": -21, "z": 39, "x_to": 21, "y_to": 21, "z_to": 41}


def test_only_what_is_marked_is_faired() -> None:
    """Far from the mark nothing goes; near it points follow less and less."""
    mark = {"id": "m", "verb": "mark", "mesh": "b", "what": "faces facing", "towards": "up"}
    build = built(mark, {"id": "f", "verb": "fair", "mesh": "b", "rounds": 8, "marks": ["m"], "reach": "6 mm"})
    went = np.abs(places(build) - places(built())).max(axis=1)
    low = places(built())[:, 2] < 30
    assert went[low].max() == 0
    assert went[~low].max() > 1


def test_symmetry_is_restored_and_told() -> None:
    """Both dents are shared with the other side: half of each on both, or all of it where one side leads."""
    both = built({"id": "s", "verb": "restore_symmetry", "mesh": "b", "within": "8 mm"})
    assert "pairs of points" in both.reports["s"].told
    assert places(both)[:, 2].max() == pytest.approx(43)
    lead = built({"id": "s", "verb": "restore_symmetry", "mesh": "b", "within": "8 mm", "leading": "far"})
    assert places(lead)[:, 2].max() == pytest.approx(46)
    for build in (both, lead):
        images = places(build) * [-1, 1, 1]
        assert np.abs(images[:, None] - places(build)[None]).max(axis=2).min(axis=1).max() < 1e-9
    narrow = built({"id": "s", "verb": "restore_symmetry", "mesh": "b", "within": "1 mm"})
    assert any("points have none across" in finding.sentence for finding in narrow.reports["s"].findings)
    apart = run(CRATE, {"id": "s", "verb": "restore_symmetry", "mesh": "b", "at": "500 mm"})
    assert "No point has one across" in apart.reports["s"].findings[0].sentence


@pytest.mark.parametrize(
    ("text", "verb", "fields"),
    [
        ("fair crate in 12 rounds", "fair", {"rounds": "12"}),
        ("smooth out the bumps of crate", "fair", {}),
        ("iron out crate", "fair", {}),
        ("restore the symmetry of crate", "restore_symmetry", {}),
        ("make crate symmetric again", "restore_symmetry", {}),
        ("restore the symmetry of crate front to back", "restore_symmetry", {"across": "front plane"}),
    ],
)
def test_both_are_typed_in_words(text: str, verb: str, fields: dict[str, str]) -> None:
    """The verb is found, nothing is left over."""
    document = run(CRATE).document
    first = propose(text, document)[0]
    assert (first.verb, first.missed) == (verb, ())
    values = first.line.model_dump()
    assert {name: values[name] for name in fields} == fields


def test_anything_is_pinched_to_a_curve() -> None:
    """A crate's side drawn towards a line over it, in plain words; a curve too; paused it is as before."""
    line = {
        "id": "g",
        "verb": "line",
        "plane": "front",
        "right": 26,
        "up": 20,
        "to_right": 26,
        "to_up": 21,
        "gives": "guide",
    }
    document = run(CRATE, line).document
    first = propose("pinch crate to guide by 0.5 within 18 mm evenly", document)[0]
    assert (first.verb, first.missed) == ("pinch", ())
    pinch = first.line.model_dump() | {"id": "n"}
    done = run(CRATE, line, pinch)
    assert done.reports["n"].status in ("good", "look"), done.reports["n"].findings
    before, after = places(run(CRATE, line)), places(done)
    near = np.isclose(before, [20, 0, 20]).all(axis=1)
    assert after[near][0] == pytest.approx((20 + 6 * 0.5 * (1 - 6 / 18), 0, 20))
    assert np.array_equal(after[before[:, 0] < 0], before[before[:, 0] < 0])
    assert np.array_equal(places(run(CRATE, line, pinch | {"paused": True})), before)
    rim = {"id": "r", "verb": "circle", "plane": "plan", "radius": "20 mm", "gives": "rim"}
    away = run(rim, line, {"id": "n", "verb": "pinch", "item": "r", "curve": "g", "strength": -0.5, "around": "30 mm"})
    assert away.reports["n"].status in ("good", "look"), away.reports["n"].findings
