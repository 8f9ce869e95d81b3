"""Plane shapes at places in space: told in words, drawn there, and short words that once meant something else."""

from __future__ import annotations

import numpy as np
import pytest

from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.sheet.document import read_document
from glass_spoon.sheet.propose import propose
from tests.sheet.test_patches import built

EMPTY = {"format": "glass-spoon/sheet", "version": 1, "lines": []}


def first(text: str) -> tuple[str, dict[str, object], tuple[str, ...]]:
    """Return the verb of the likeliest proposal in an empty sheet, its fields, and the words that it misses."""
    proposal = propose(text, read_document(EMPTY))[0]
    return proposal.verb, proposal.line.model_dump(), proposal.missed


PLACES = [
    ("circle radius 15 at 0,0,40", "plan", (0, 0, 40)),
    ("circle radius 15 at 10, 200, -40 mm", "plan", (10, 200, -40)),
    ("circle radius 15 at height 40", "plan", (0, 0, 40)),
    ("circle radius 15 at z = 3 cm", "plan", (0, 0, 30)),
    ("circle radius 15 on the front plane at 5, 20, 30", "front", (5, 20, 30)),
    ("circle radius 15 on the front plane at height 30", "front", (0, 0, 30)),
    ("circle radius 15 in the side view at 5, 20, 30", "side", (5, 20, 30)),
    ("circle radius 15 at y 25", "front", (0, 25, 0)),
    ("circle radius 15 in plan at 10, 20, 40", "plan", (10, 20, 40)),
]


@pytest.mark.parametrize(("text", "plane", "centre"), PLACES)
def test_a_shape_lies_where_it_is_said(text: str, plane: str, centre: tuple[float, float, float]) -> None:
    """All of the text is understood, and the circle that is drawn has its centre there and its radius."""
    verb, fields, missed = first(text)
    assert (verb, fields["plane"], missed) == ("circle", plane, ())
    curve = built(fields).items["l1"].item.curve
    places = curve_points(curve, np.linspace(*curve.domain, 96, endpoint=False))
    assert places.mean(axis=0) == pytest.approx(centre, abs=0.05)
    assert np.linalg.norm(places - centre, axis=1) == pytest.approx(15)


@pytest.mark.parametrize(
    ("text", "fields"),
    [
        ("circle radius 15 in plan", {"radius": "15", "plane": "plan"}),
        ("spiral from 5 to 40 in 4 turns", {"inner": "5", "outer": "40", "turns": "4"}),
        ("box 4 in by 3 in by 2 in", {"width": "4 inch", "depth": "3 inch", "height": "2 inch"}),
        ("circle radius 2in", {"radius": "2 inch"}),
        ("circle r 15", {"radius": "15", "gives": "circle"}),
        ("square 40", {"width": "40", "height": "40"}),
        ("polygon 6 sides radius 20", {"sides": "6", "radius": "20", "across": "corners"}),
        ("star with 5 points 40 and 20", {"tips": "5", "outer": "40", "inner": "20"}),
        ("plane 100 by 60", {"form": "sheet", "radius": "100", "second": "60"}),
        ("flat sheet 100 by 60", {"form": "sheet", "radius": "100", "second": "60"}),
        ("tube radius 10, 50 long", {"form": "cylinder", "radius": "10", "height": "50"}),
        ("ring of radius 60 mm with a tube of radius 8 mm", {"form": "torus", "radius": "60 mm", "second": "8 mm"}),
        ("line 50 long", {"right": "0 mm", "to_right": "50"}),
        ("rectangle 40 by 20 on the front plane at height 30", {"width": "40", "height": "20", "up": "30", "out": "0 mm"}),
    ],
)
def test_short_words_mean_what_they_say(text: str, fields: dict[str, str]) -> None:
    """Nothing of the text is left over, or stands in a field that was not meant."""
    _, found, missed = first(text)
    assert {name: found[name] for name in fields} == fields
    assert missed == ()


@pytest.mark.parametrize("text", ["helix radius 12 pitch 5 height 60", "spring 60 mm high, pitch 5 mm, radius 12"])
def test_a_helix_by_pitch_and_height_has_the_turns_that_follow(text: str) -> None:
    """60 mm at 5 mm a turn are twelve turns: it ends at 60 mm, above where it began."""
    verb, fields, missed = first(text)
    assert (verb, missed) == ("helix", ())
    curve = built(fields).items["l1"].item.curve
    ends = curve_points(curve, np.array(curve.domain))
    assert ends[1] - ends[0] == pytest.approx((0, 0, 60), abs=1e-5)
    quarter = curve_points(curve, np.array([curve.domain[0] + (curve.domain[1] - curve.domain[0]) / 48]))[0]
    assert quarter == pytest.approx((0, 12, 1.25), abs=1e-4)


def test_a_pitch_against_the_height_is_refused() -> None:
    """No turns lead down by a pitch that climbs."""
    climb = {"climbing": "with a pitch to a height", "pitch": "5 mm"}
    for height in ("-60 mm", "0 mm"):
        report = built({"verb": "helix", **climb, "height": height}).reports["l1"]
        assert report.status == "failed"
        assert "pitch" in report.findings[0].sentence


def test_a_number_said_for_another_field_stands_for_none() -> None:
    """The rise of a helix whose turns and height are said is told as not understood, not taken for something else."""
    _, fields, missed = first("helix 8 turns to a height of 60, radius 12, core radius 3, pitch")
    assert fields["turns"] == "8"
    assert fields["height"] == "60"
    assert "8" not in missed
