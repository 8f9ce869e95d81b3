"""Plane shapes at places in space: told in words, drawn there, and short words that once meant something else."""

from __future__ import annotations

from typing import Any

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
    ("circle radius 15 at x -30, y 15", "plan", (-30, 15, 0)),
    ("circle radius 15 with x 5 and y 7", "plan", (5, 7, 0)),
    ("circle radius 15 x=5 y=7 z=3", "plan", (5, 7, 3)),
    ("circle radius 15 at (x 4, z 12)", "front", (4, 0, 12)),
    ("circle radius 15 at y 4 and z 12", "side", (0, 4, 12)),
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


@pytest.mark.parametrize(
    ("text", "verb", "place"),
    [
        ("ball of radius 5 at x 3, y 4, z 5", "simple", ("3", "4", "5")),
        ("ball of radius 5 at x 3 and z 5", "simple", ("3", "0 mm", "5")),
        ("block 10 by 12 by 14 at x=3 y=4 z=5", "block", ("3", "4", "5")),
        ("taper it by 1 to 0.5 about 1, 2, 3", "taper", ("1", "2", "3")),
        ("twist it by 90° about the upright axis through 10, 20, 0", "twist", ("10", "20", "0")),
        ("ring of 6 round 10, 20, 0", "ring", ("10", "20", "0")),
    ],
)
def test_coordinates_by_letter_and_places_of_lines_that_may_have_one(text: str, verb: str, place: tuple[str, ...]) -> None:
    """All three stand where they were said, a line is given its place where it had none, and no other field is touched."""
    found, fields, missed = first(text)
    assert (found, tuple(fields[axis] for axis in "xyz"), missed) == (verb, place, ())
    plain = built({"verb": verb}).document.lines[0].model_dump()
    changed = {name for name in fields if fields[name] != plain[name]} - {"x", "y", "z", "item", "about", "joints"}
    assert changed <= {
        "simple": {"radius"},
        "block": {"width", "depth", "height"},
        "twist": {"turn"},
        "ring": {"count"},
    }.get(verb, {"factor"})


def test_a_place_for_a_line_that_has_none_is_told_as_not_understood() -> None:
    """Its three numbers do not become the turns, the pitch and the start angle of a helix."""
    verb, fields, missed = first("helix radius 5 at 3, 4, 5")
    assert (verb, fields["radius"], fields["turns"], fields["pitch"]) == ("helix", "5", 4, "10 mm")
    assert missed == ("at", "3,", "4,", "5")


@pytest.mark.parametrize(
    ("text", "left", "missed"),
    [
        ("tube radius 10, 40 high, wall 2", {"radius": "10", "height": "40"}, ("wall", "2")),
        ("ball radius 8 swept 90", {"radius": "8"}, ("swept", "90")),
        ("cone radius 4, 10 high, at height 5", {"radius": "4", "height": "10", "z": "5"}, ()),
        ("stretch it up by 10 mm", {"reach": "0 mm"}, ("up", "10 mm")),
    ],
)
def test_numbers_that_nothing_names_do_not_slip_into_small_fields(
    text: str, left: dict[str, Any], missed: tuple[str, ...]
) -> None:
    """A wall is no angle, coordinate or tolerance: what no field has a word for is told."""
    verb, fields, told = first(text)
    plain = built({"verb": verb}).document.lines[0].model_dump()
    assert told == missed
    kept = {name: fields[name] for name in plain if name not in ("id", "item", "form", "second")}
    assert kept == {name: value for name, value in plain.items() if name in kept} | left
