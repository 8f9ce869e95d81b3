"""Every verb of the Draw chapter, run on sheets and measured."""

import io

import ezdxf
import numpy as np
import pytest

from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points, find_kinks
from glass_spoon.kernel.curves.read.read_curve import curve_box, least_radius
from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.document import read_document
from glass_spoon.sheet.evaluate import Build, evaluate
from glass_spoon.sheet.lines import VERBS

TRIANGLE = [{"x": 0, "y": 0}, {"x": 100, "y": 0}, {"x": 100, "y": 80}]


def run(*lines: dict) -> Build:
    """Evaluate lines, numbered l1, l2 …"""
    numbered = [{"id": f"l{number}", **line} for number, line in enumerate(lines, 1)]
    return evaluate(read_document({"format": "glass-spoon/sheet", "version": 1, "lines": numbered}), ResultCache())


def curve(*lines: dict, item: str = ""):
    """Return the curve of the last line, or of an item, of a sheet without complaints."""
    build = run(*lines)
    for report in build.reports.values():
        assert report.status == "good", [finding.sentence for finding in report.findings]
    return build.items[item or f"l{len(lines)}"].item.curve


def failure(*lines: dict) -> str:
    """Return the sentence with which the last line fails."""
    report = run(*lines).reports[f"l{len(lines)}"]
    assert report.status == "failed"
    return report.findings[0].sentence


def draw(points: list, **fields) -> dict:
    return {"verb": "draw", "gives": fields.pop("gives", "a"), "points": points, **fields}


def line(x0, y0, x1, y1, **fields) -> dict:
    place = {"right": x0, "up": y0, "to_right": x1, "to_up": y1}
    return {"verb": "line", "gives": fields.pop("gives", f"line {x0} {y0}"), **place, **fields}


def box(of) -> list[float]:
    low, high = curve_box(of)
    return [*low, *high]


def test_straight_points_make_a_polyline_and_close():
    """Lengths of the open and of the closed triangle."""
    assert measure_length(curve(draw(TRIANGLE, manner="straight through"))).length == pytest.approx(180)
    closed = curve(draw(TRIANGLE, manner="straight through", shape="closed"))
    assert measure_length(closed).length == pytest.approx(180 + np.hypot(100, 80))


def test_pulling_points_are_not_reached_and_weights_pull_harder():
    """A heavier weight bends the curve more tightly."""
    soft = least_radius(curve(draw(TRIANGLE, manner="pulled by", degree=2)))[0]
    heavy = [TRIANGLE[0], {**TRIANGLE[1], "weight": 5}, TRIANGLE[2]]
    assert least_radius(curve(draw(heavy, manner="pulled by", degree=2)))[0] < soft


def test_points_out_of_the_plane_make_a_space_curve():
    """The third coordinate goes out of each plane to its side."""
    for plane, axis, sign in (("front", 1, -1), ("side", 0, 1), ("plan", 2, 1)):
        space = curve(draw([{"x": 0, "y": 0}, {"x": 5, "y": 5, "out": "7 mm"}, {"x": 9, "y": 0}], plane=plane))
        reach = curve_box(space)[1 if sign > 0 else 0][axis]
        assert reach * sign >= 7 - 1e-9


def test_an_end_at_an_angle_starts_that_way():
    """The tangent at the start has the typed angle."""
    bent = curve(draw(TRIANGLE, start="at an angle", start_angle="135°"))
    step = curve_points(bent, np.array([0, 1e-6]))
    assert np.degrees(np.arctan2(*(step[1] - step[0])[[2, 0]])) == pytest.approx(135, abs=0.01)


def test_uniform_spacing_differs_from_chordal():
    """Three spacings draw three curves."""
    uneven = [{"x": 0, "y": 0}, {"x": 1, "y": 5}, {"x": 90, "y": 0}, {"x": 91, "y": 9}]
    lengths = {s: measure_length(curve(draw(uneven, spacing=s))).length for s in ("chordal", "centripetal", "uniform")}
    assert len({round(value, 3) for value in lengths.values()}) == 3


@pytest.mark.parametrize(
    ("shape", "expected"),
    [
        ({"verb": "line", "to_right": 30, "to_up": 40}, 50),
        ({"verb": "arc", "given_by": "its bulge", "to_right": 100, "bulge": 50}, 50 * np.pi),
        ({"verb": "arc", "given_by": "its centre", "radius": 50, "start_angle": 0, "end_angle": "90°"}, 25 * np.pi),
        ({"verb": "arc", "given_by": "a place on it", "to_right": 100, "by_right": 50, "by_up": -50}, 50 * np.pi),
        ({"verb": "circle", "radius": 50}, 100 * np.pi),
        ({"verb": "ellipse", "first": 50, "second": 50}, 100 * np.pi),
        ({"verb": "rectangle", "width": 120, "height": 80, "radius": 10}, 400 - 80 + 20 * np.pi),
        (
            {
                "verb": "rectangle",
                "width": 120,
                "height": 80,
                "corners": "four corners",
                "radius": 1,
                "second": 2,
                "third": 3,
                "fourth": 4,
            },
            400 - 20 + 5 * np.pi,
        ),
        ({"verb": "polygon", "sides": 6, "radius": 50}, 300),
        ({"verb": "slot", "length": 60, "width": 20}, 120 + 20 * np.pi),
        (
            {"verb": "star", "tips": 6, "outer": 60, "inner": 40, "tip_radius": 0, "root_radius": 0},
            12 * np.sqrt(3600 + 1600 - 4800 * np.cos(np.pi / 6)),
        ),
        ({"verb": "helix", "turns": 4, "pitch": 10, "radius": 20, "end_radius": 20}, np.hypot(40, 4 * 40 * np.pi)),
        (
            {
                "verb": "helix",
                "turns": 4,
                "climbing": "to a height",
                "height": 100,
                "radius": 20,
                "end_radius": 20,
                "axis": "front-back axis",
            },
            np.hypot(100, 4 * 40 * np.pi),
        ),
    ],
)
@pytest.mark.parametrize("plane", ["front", "side", "plan"])
def test_shapes_have_their_lengths_on_every_plane(shape, expected, plane):
    """Each shape has the length of its formula on all planes."""
    fields = {**shape, "gives": "a"} | ({} if shape["verb"] == "helix" else {"plane": plane})
    assert measure_length(curve(fields)).length == pytest.approx(expected, rel=1e-6)  # helices are fitted


def test_a_conic_and_a_spiral_build():
    """Both give curves of sensible size."""
    assert least_radius(curve({"verb": "conic", "gives": "a"}))[0] > 0
    assert measure_length(curve({"verb": "spiral", "gives": "a", "turns": 2, "inner": 0, "outer": 40})).length > 200


def test_an_arc_runs_on_tangent_to_a_curve():
    """The arc leaves along the line's end and reaches its place."""
    first = line(0, 0, 50, 0)
    joined = curve(
        first, {"verb": "arc", "gives": "b", "given_by": "a tangent", "curve": "l1", "to_right": 100, "to_up": 50}
    )
    assert measure_length(joined).length == pytest.approx(25 * np.pi)
    assert curve_points(joined, np.array([joined.domain[1]]))[0] == pytest.approx([100, 0, 50])


@pytest.mark.parametrize(
    ("size", "pitch", "pitch_d", "minor_d"),
    # ISO 724:1993, table 1: pitch diameter d2 and minor diameter d1 of the coarse series (from memory).
    [
        (6, 1.0, 5.350, 4.917),
        (8, 1.25, 7.188, 6.647),
        (10, 1.5, 9.026, 8.376),
        (12, 1.75, 10.863, 10.106),
        (16, 2.0, 14.701, 13.835),
        (20, 2.5, 18.376, 17.294),
        (24, 3.0, 22.051, 20.752),
    ],
)
def test_the_iso_metric_profile_drawn_with_the_verbs_has_the_tables_diameters(size, pitch, pitch_d, minor_d):
    """ISO 68-1: a triangle of height H = P sqrt(3) / 2, cut by H/8 at the crest and H/4 at the root."""
    sizes = [
        {"id": "s1", "verb": "size", "name": "d", "value": f"{size} mm"},
        {"id": "s2", "verb": "size", "name": "p", "value": f"{pitch} mm"},
        {"id": "s3", "verb": "size", "name": "h", "value": "p * sqrt(3) / 2"},
    ]
    lines = [
        line("d/2 + h/8", "0 mm", "d/2 - 7*h/8", "p/2", gives="flank"),
        line("d/2", "-p", "d/2", "p", gives="crest"),
        line("d/2 - 5*h/8", "-p", "d/2 - 5*h/8", "p", gives="root"),
        line("0 mm", "p/4", "d", "p/4", gives="half the pitch"),
        {"verb": "trim", "curve": "l1", "cutter": "l3", "keep": "start"},
        {"verb": "trim", "curve": "l1", "cutter": "l2", "keep": "end"},
        {"verb": "copy", "curve": "l1", "gives": "upper flank"},
        {"verb": "trim", "curve": "l7", "cutter": "l4", "keep": "start"},
    ]
    build = run(*lines[:0], *sizes, *[{"id": f"l{number}", **entry} for number, entry in enumerate(lines, 1)])
    assert {report.status for report in build.reports.values()} == {"good"}
    ends = build.items["l1"].item.curve.control_points
    assert 2 * ends[0, 0] == pytest.approx(size, abs=1e-6)
    assert 2 * ends[-1, 0] == pytest.approx(minor_d, abs=5e-4)  # the table has three decimals
    assert 2 * build.items["l7"].item.curve.control_points[-1, 0] == pytest.approx(pitch_d, abs=5e-4)


def test_a_coil_winds_around_a_curve():
    """The coil is longer than the path that it winds around."""
    coil = curve(
        draw([{"x": 0, "y": 0}, {"x": 40, "y": 30}, {"x": 90, "y": 0}]),
        {"verb": "coil", "gives": "b", "curve": "l1", "turns": 6},
    )
    assert measure_length(coil).length > 150


def test_two_views_become_one_edge():
    """Points of the edge lie on both circles; views on one plane are refused."""
    front = {"verb": "arc", "gives": "f", "given_by": "its centre", "radius": 40, "plane": "front"}
    side = {"verb": "arc", "gives": "s", "given_by": "its centre", "radius": 40, "plane": "side"}
    points = curve_points(
        curve(front, side, {"verb": "combine", "first": "l1", "second": "l2", "gives": "e"}), np.linspace(0, 1, 41)
    )
    assert np.hypot(points[:, 0], points[:, 2]) == pytest.approx(np.full(41, 40), abs=1e-3)
    assert points[:, 1] == pytest.approx(points[:, 0], abs=1e-3)
    assert "on another plane" in failure(front, {**front, "gives": "g"}, {"verb": "combine", "first": "l1", "second": "l2"})


def test_corners_are_rounded_each_by_its_own_value():
    """Own radii by number, and numbers that are none are refused."""
    sharp = draw(TRIANGLE, manner="straight through", shape="closed")
    base = {"verb": "round", "curve": "l1", "radius": "5 mm", "own": "1: 0, 2: 12 mm"}
    rounded = curve(sharp, base, item="l1")
    assert len(find_kinks(rounded, 0.01)) + int(len(find_kinks(rounded, 0.01)) == 0) == 1
    assert "1 to 3" in failure(sharp, {**base, "own": "7: 2"})
    assert read_document(
        {"format": "glass-spoon/sheet", "version": 1, "lines": [{"id": "l1", **sharp}, {"id": "l2", **base}]}
    )


def test_corners_are_cut():
    """Four chamfers take and give their lengths."""
    cut = curve(
        {"verb": "rectangle", "gives": "a", "width": 40, "height": 20, "radius": 0},
        {"verb": "chamfer", "curve": "l1", "setback": 3},
        item="l1",
    )
    assert measure_length(cut).length == pytest.approx(120 - 8 * 3 + 4 * 3 * np.sqrt(2))


def test_a_round_that_does_not_fit_offers_the_largest():
    """The offer is half of the shorter side."""
    report = run({"verb": "rectangle", "gives": "a", "width": 40, "height": 20, "radius": 30}).reports["l1"]
    assert report.findings[0].actions[0].value == "10 mm"


def test_an_svg_without_a_unit_is_asked_for_it_and_taken_in_the_unit_chosen():
    """Without a unit the report asks for one and offers them."""
    text = '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><path d="M0 0 H10"/></svg>'
    drawing = {"verb": "import_curve", "gives": "a", "svg": text}
    report = run(drawing).reports["l1"]
    assert "does not say what one of its units is" in report.findings[0].sentence
    assert [(action.field, action.value) for action in report.findings[0].actions] == [
        ("unit", "mm"),
        ("unit", "px"),
        ("unit", "inch"),
    ]
    assert measure_length(curve({**drawing, "unit": "cm"})).length == pytest.approx(100)


def test_ends_are_joined_blended_split_trimmed_and_extended():
    """Lengths of the joined, blended, split and extended curves."""
    first, second = line(0, 0, 50, 0), line(60, 10, 120, 10)
    join = {"verb": "join", "first": "l1", "second": "l2", "way": "a line between", "gives": "j"}
    assert measure_length(curve(first, second, join)).length == pytest.approx(110 + np.hypot(10, 10))
    assert measure_length(curve(first, second, {**join, "first_end": "start"})).length == pytest.approx(
        110 + np.hypot(60, 10)
    )
    moved = run(first, second, {**join, "way": "second moves"}).reports["l3"]
    assert "An end was moved by 14.1 mm" in moved.findings[0].sentence
    blend = {"verb": "blend", "gives": "b", "first": "l1", "second": "l2"}
    assert curve_points(curve(first, second, blend), np.array([0.0, 1.0])) == pytest.approx(
        np.array([[50, 0, 0], [60, 0, 10]])
    )
    assert measure_length(
        curve(first, {"verb": "split", "curve": "l1", "share": 0.3, "part": "second", "gives": "p"})
    ).length == pytest.approx(35)
    split = {"verb": "split", "curve": "l1", "where": "at a length", "length": 12}
    assert measure_length(curve(first, split)).length == pytest.approx(12)
    assert "below 50 mm" in failure(first, {**split, "length": 50})
    wall = line(30, -50, 30, 50)
    crossed = {"verb": "split", "curve": "l1", "where": "at a crossing", "cutter": "l2", "part": "second"}
    assert measure_length(curve(first, wall, crossed)).length == pytest.approx(20)
    assert "1 to 1" in failure(first, wall, {**crossed, "crossing": 2})
    assert "do not cross" in failure(first, line(30, 5, 30, 50), crossed)
    assert measure_length(
        curve(first, wall, {"verb": "trim", "curve": "l1", "cutter": "l2", "keep": "end"}, item="l1")
    ).length == pytest.approx(20)
    assert measure_length(curve(first, {"verb": "extend", "curve": "l1", "amount": 25}, item="l1")).length == pytest.approx(
        75
    )
    far = line(90, -50, 90, 50)
    reach = {"verb": "extend", "curve": "l1", "reach": "until it meets", "other": "l2"}
    assert measure_length(curve(first, far, reach, item="l1")).length == pytest.approx(90)


@pytest.mark.parametrize(("side", "expected"), [("outside", 60), ("inside", 40)])
@pytest.mark.parametrize("plane", ["front", "side", "plan"])
def test_offsets_of_closed_curves_know_outside_from_inside(side, expected, plane):
    """Inside and outside keep their meaning after the curve is reversed."""
    circle = {"verb": "circle", "gives": "a", "radius": 50, "plane": plane}
    away = curve(circle, {"verb": "offset", "curve": "l1", "distance": 10, "side": side, "gives": "o"})
    assert least_radius(away)[0] == pytest.approx(expected)
    back = curve(
        circle,
        {"verb": "reverse", "curve": "l1"},
        {"verb": "offset", "curve": "l1", "distance": 10, "side": side, "gives": "o"},
    )
    assert least_radius(back)[0] == pytest.approx(expected)


def test_an_offset_in_pieces_is_worth_a_look():
    """Two pieces are told at the line."""
    ends = [(-30, 12), (-42, 0), (-30, -12), (0, -2), (30, -12), (42, 0), (30, 12), (0, 2)]
    report = run(
        draw([{"x": x, "y": y} for x, y in ends], shape="closed"),
        {"verb": "offset", "curve": "l1", "distance": 3, "side": "inside", "gives": "o"},
    ).reports["l2"]
    assert report.status == "look"
    assert "2 pieces" in report.findings[0].sentence


def test_curves_are_respaced_and_refitted():
    """Counts of points after each, and the told line of the refit."""
    first = draw([{"x": 0, "y": 0}, {"x": 30, "y": 40}, {"x": 90, "y": 10}])
    even = curve(first, {"verb": "respace", "curve": "l1", "count": 10, "between": "straight between points"}, item="l1")
    assert len(even.control_points) == 11
    step = curve(
        first,
        {"verb": "respace", "curve": "l1", "measure": "steps of", "step": 5, "between": "straight between points"},
        item="l1",
    )
    assert np.linalg.norm(np.diff(step.control_points, axis=0), axis=1) == pytest.approx(
        np.full(len(step.control_points) - 1, 5), abs=0.3
    )
    build = run(first, {"verb": "respace", "curve": "l1", "count": 60}, {"verb": "refit", "curve": "l1", "tolerance": 0.05})
    fitted = build.items["l1"].item
    assert len(fitted.curve.control_points) < 15
    assert "control points became" in fitted.told


def test_curves_are_copied_moved_turned_scaled_and_flattened():
    """Boxes of the curves after each verb."""
    first = line(10, 0, 20, 0)
    assert box(curve(first, {"verb": "move", "curve": "l1", "x": 1, "y": 2, "z": 3}, item="l1")) == pytest.approx(
        [11, 2, 3, 21, 2, 3]
    )
    assert box(curve(first, {"verb": "turn", "curve": "l1"}, item="l1")) == pytest.approx([0, 10, 0, 0, 20, 0], abs=1e-9)
    assert box(curve(first, {"verb": "scale", "curve": "l1", "factor": 2}, item="l1")) == pytest.approx([20, 0, 0, 40, 0, 0])
    own = {"verb": "scale", "curve": "l1", "evenly": "by own factors", "fx": -1}
    assert box(curve(first, own, item="l1")) == pytest.approx([-20, 0, 0, -10, 0, 0])
    space = draw([{"x": 0, "y": 0}, {"x": 5, "y": 5, "out": 7}, {"x": 9, "y": 0}])
    assert np.ptp(curve(space, {"verb": "flatten", "curve": "l1"}, item="l1").control_points[:, 1]) == pytest.approx(
        0, abs=1e-12
    )
    assert box(curve(first, {"verb": "copy", "curve": "l1", "gives": "b"})) == box(curve(first))


def test_a_half_is_mirrored_and_welded_at_the_axis():
    """Closed at the axis, alone on the other side, and refused off the mirror."""
    half = draw([{"x": 0, "y": 0}, {"x": 40, "y": 20}, {"x": 0, "y": 60}])
    whole = curve(half, {"verb": "mirror", "curve": "l1"}, item="l1")
    assert whole.is_closed(0)
    assert box(whole)[0] == pytest.approx(-box(whole)[3], abs=1e-9)
    assert box(curve(half, {"verb": "mirror", "curve": "l1", "kept": "alone"}, item="l1"))[3] == pytest.approx(0, abs=1e-9)
    assert "off the mirror" in failure(line(10, 0, 20, 0), {"verb": "mirror", "curve": "l1"})


def test_rows_rings_and_copies_along_a_curve_are_sets_to_take_from():
    """Row, ring and spread hold curves at their places; a number too high is told."""
    first = {"verb": "circle", "gives": "a", "radius": 5}
    row = {"verb": "row", "curve": "l1", "count": 4, "x": 20, "gives": "r"}
    assert box(curve(first, row, {"verb": "take", "curves": "l2", "number": 4, "gives": "t"}))[0] == pytest.approx(55)
    ring = {"verb": "ring", "curve": "l1", "count": 4, "x": 30, "gives": "r"}
    assert box(curve(first, ring, {"verb": "take", "curves": "l2", "number": 3, "gives": "t"}))[3] == pytest.approx(65)
    build = run(first, row, {"verb": "ring", "curve": "l2", "count": 3, "gives": "all"})
    assert len(build.items["l3"].item.curves) == 12
    path = line(0, 0, 0, 90, plane="plan", gives="path")
    spread = {"verb": "spread", "curve": "l1", "path": "l2", "count": 4, "gives": "s"}
    assert box(curve(first, path, spread, {"verb": "take", "curves": "l3", "number": 4, "gives": "t"}))[1] == pytest.approx(
        90
    )
    assert "there are 4 curves" in failure(first, row, {"verb": "take", "curves": "l2", "number": 9, "gives": "t"})


def test_a_spread_set_turns_with_its_path():
    """Ribs follow the path, or stay upright where asked."""
    path = {
        "verb": "arc",
        "gives": "p",
        "plane": "plan",
        "given_by": "its centre",
        "radius": 50,
        "start_angle": 0,
        "end_angle": "90°",
    }
    rib = line(45, 0, 55, 0)
    kept = {"verb": "spread", "curve": "l2", "path": "l1", "count": 3, "gives": "s"}
    take = {"verb": "take", "curves": "l3", "number": 3, "gives": "t"}
    assert box(curve(path, rib, kept, take)) == pytest.approx([0, 45, 0, 0, 55, 0], abs=1e-6)
    upright = {**kept, "turned": "kept upright"}
    assert box(curve(path, rib, upright, take)) == pytest.approx([-5, 50, 0, 5, 50, 0], abs=1e-6)


def test_curves_are_laid_onto_a_surface():
    """Laid curves lie on the ball; one that misses it is refused."""
    profile = {
        "verb": "arc",
        "gives": "p",
        "given_by": "its centre",
        "radius": 50,
        "start_angle": "-90°",
        "end_angle": "90°",
    }
    ball = {"verb": "revolve", "profile": "l1", "gives": "ball"}
    hoop = {"verb": "circle", "gives": "h", "radius": 20}
    for way in ("to the nearest places", "along front-back"):
        lines = [profile, ball, hoop, {"verb": "project", "curve": "l3", "surface": "l2", "way": way, "gives": "on it"}]
        if way == "to the nearest places":
            lines.insert(3, {"verb": "move", "curve": "l3", "y": -80})
            lines[4]["id"] = "l5"
        laid = curve(*lines, item="" if len(lines) == 4 else "l5")
        points = curve_points(laid, np.linspace(*laid.domain, 101))
        assert np.linalg.norm(points, axis=1) == pytest.approx(np.full(101, 50), abs=0.02)
    assert (points[:, 1] < 0).all()  # seen from the front, the near side is met first
    wide = {**hoop, "radius": 60}
    assert "miss the surface" in failure(
        profile, ball, wide, {"verb": "project", "curve": "l3", "surface": "l2", "way": "along front-back"}
    )


def test_rims_and_edge_loops_of_a_mesh_become_curves():
    """The rim of a mesh has the profile's radius; a closed one has none."""
    profile = line(40, 0, 60, 90, gives="p")
    body, mesh = (
        {"verb": "revolve", "profile": "l1", "gives": "b"},
        {"verb": "mesh", "surface": "l2", "round": 24, "along": 10, "gives": "m"},
    )
    rim = curve(profile, body, mesh, {"verb": "loop", "mesh": "l3", "z": 90, "gives": "rim"})
    assert rim.control_points[:, 2] == pytest.approx(np.full(25, 90))
    assert measure_length(rim).length == pytest.approx(24 * 2 * 60 * np.sin(np.pi / 24))
    around = curve(
        profile,
        body,
        mesh,
        {"verb": "loop", "which": "edge loop", "mesh": "l3", "x": "50 mm", "y": "6 mm", "z": "45 mm", "gives": "ring"},
    )
    assert around.is_closed(1e-9)
    assert np.ptp(around.control_points[:, 2]) < 1e-9
    ball = [
        {"verb": "arc", "gives": "p", "given_by": "its centre", "radius": 50, "start_angle": "-90°", "end_angle": "90°"},
        body,
        mesh,
    ]
    assert "no rim" in failure(*ball, {"verb": "loop", "mesh": "l3", "gives": "rim"})


def test_a_dxf_drawing_is_imported_and_asks_for_its_unit():
    """The unit is asked for, and kept paths can be taken by number."""
    drawing = ezdxf.new("R2010")
    drawing.units = 0
    space = drawing.modelspace()
    space.add_line((0, 0), (2, 0))
    space.add_line((2, 0), (2, 3))
    text = io.StringIO()
    drawing.write(text)
    asked = {"verb": "import_dxf", "gives": "a", "dxf": text.getvalue()}
    report = run(asked).reports["l1"]
    assert "does not say" in report.findings[0].sentence
    assert [action.value for action in report.findings[0].actions] == ["mm", "cm", "inch"]
    assert measure_length(curve({**asked, "unit": "inch"})).length == pytest.approx(5 * 25.4)
    assert measure_length(curve({**asked, "unit": "cm", "linked": "kept apart", "path": 2})).length == pytest.approx(30)


def test_a_picture_line_gives_nothing_and_is_good():
    """A reference picture makes no item."""
    build = run({"verb": "lay", "picture": "7", "width": "310 mm"})
    assert build.reports["l1"].status == "good"
    assert not build.items


@pytest.mark.parametrize("verb", [verb for verb, cls in VERBS.items() if cls.chapter in ("Draw", "References")])
def test_every_verb_says_a_whole_sentence_and_answers_an_empty_sheet(verb):
    """Whatever is missing is said in a sentence; nothing is raised."""
    build = run({"verb": verb})
    report = build.reports["l1"]
    assert report.status in ("good", "waiting", "failed")
    for finding in report.findings:
        assert finding.sentence.rstrip("?").endswith((".", "one", "”"))
    sentence = "".join(part.text for part in build.document.line("l1").prose())
    assert sentence.endswith(".")
    assert "  " not in sentence


def test_letters_of_a_stored_sheet_stay_where_they_were():
    """Pairs are kerned in new lines; in older ones each letter stands by itself, as it did."""
    text = {"id": "w", "verb": "write", "text": "AVA", "gives": "letters"}
    old = read_document({"format": "glass-spoon/sheet", "version": 1, "lines": [text]})
    new = read_document({"format": "glass-spoon/sheet", "version": 1, "verb_versions": {"write": 2}, "lines": [text]})
    assert (old.line("w").pairs, new.line("w").pairs) == ("each by itself", "kerned")
    apart, near = (evaluate(document, ResultCache()).items["w"].item for document in (old, new))
    widths = [max(curve.control_points[:, 0].max() for curve in item.curves) for item in (apart, near)]
    assert widths[1] < widths[0] - 0.5
