"""What the readings of a curve say."""

import json

import pytest

from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.document import read_document
from glass_spoon.sheet.evaluate import Build, evaluate
from glass_spoon.studio.see.curve_rows import CurveRow, curve_rows


def build_of(*lines: dict) -> Build:
    numbered = [{"id": f"l{number}", **line} for number, line in enumerate(lines, 1)]
    return evaluate(read_document({"format": "glass-spoon/sheet", "version": 1, "lines": numbered}), ResultCache())


def joint(*lines: dict) -> CurveRow | None:
    """Return the row about the end of the first curve."""
    return next((row for row in curve_rows(build_of(*lines), "l1") if row.label.startswith("End meets")), None)


LINE = {"verb": "line", "gives": "edge", "right": 0, "up": 0, "to_right": 100, "to_up": 0}


@pytest.mark.parametrize(
    ("other", "words", "detail"),
    [
        ({"right": 100, "up": 0, "to_right": 150, "to_up": 0}, "G2", "gap 0 mm, angle 0°, curvature jump 0 per mm"),
        ({"right": 100, "up": 0, "to_right": 150, "to_up": 50}, "G0", "angle 45°"),
        ({"right": 103, "up": 0, "to_right": 150, "to_up": 0}, "3 mm apart", "gap 3 mm"),
    ],
)
def test_a_joint_is_told_with_its_gap_angle_and_jump(other, words, detail):
    """Apart, G0, G1 and G2 with the figures that say so."""
    row = joint(LINE, {"verb": "line", "gives": "other", **other})
    assert row is not None
    assert (row.text, row.look) == (words, words != "G2")
    assert detail in row.detail


def test_a_joint_of_tangent_arc_is_smooth_but_not_in_curvature():
    """A line into its tangent arc is G1 with the jump of one over the radius."""
    arc = {"verb": "arc", "gives": "other", "given_by": "its centre", "center_right": 100, "center_up": 20, "radius": 20}
    row = joint(LINE, {**arc, "start_angle": "-90°", "end_angle": 0})
    assert row is not None
    assert row.text == "G1"
    assert "jump 0.05 per mm" in row.detail


def test_ends_far_from_all_others_are_not_reported():
    """Ends far off have no row."""
    assert joint(LINE, {"verb": "line", "gives": "other", "right": 120, "up": 0, "to_right": 150, "to_up": 0}) is None


@pytest.mark.django_db
def test_the_corners_that_a_line_works_on_are_told_in_their_order(as_user, part, edit):
    """Four corners of the rectangle, and a line that has none is refused."""
    owner = as_user("owner")
    part.document = json.loads(json.dumps(part.document))
    part.document["lines"] = [
        {"id": "l1", "verb": "rectangle", "gives": "plate", "width": 40, "height": 20, "radius": 0},
        {"id": "l2", "verb": "round", "curve": "l1", "radius": 2},
    ]
    part.save()
    places = owner.get(f"/parts/{part.id}/corners/l2.json").json()["places"]
    assert sorted((abs(x), abs(z)) for x, _, z in places) == [(20, 10)] * 4
    assert len({tuple(place) for place in places}) == 4
    assert owner.get(f"/parts/{part.id}/corners/l1.json").status_code == 422
