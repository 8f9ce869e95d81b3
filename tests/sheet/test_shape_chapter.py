"""The Shape chapter: bodies that are built straight, then bent, twisted and latticed, and straight again by a pause."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from scipy.spatial.distance import cdist

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.document import read_document
from glass_spoon.sheet.evaluate import Build, evaluate
from glass_spoon.sheet.propose import propose
from tests.sheet.test_patches import built

STRIP = {
    "verb": "block",
    "gives": "strip",
    "width": "188.49556 mm",
    "depth": "20 mm",
    "height": "4 mm",
    "sizing": "counts",
    "across": 96,
    "deep": 6,
    "high": 2,
}


def points(build: Build, item: str = "l1") -> Floats:
    """Return the vertices of a mesh."""
    return np.asarray(build.items[item].item.mesh.positions)


def volume(build: Build, item: str = "l1") -> float:
    """Return the volume of a mesh."""
    return float(enclosed_volume(build.items[item].item.mesh))


def test_a_strip_is_rolled_and_welded_and_straight_again_when_paused():
    """Bent by 360° at its lower side: a closed ring between 26 and 30 mm; paused, the sheet has the result it had before."""
    bend = {"verb": "bend", "item": "l1", "angle": "360°", "kept": "the outer side"}
    rolled = built(STRIP, bend)
    assert rolled.reports["l2"].status == "good", rolled.reports["l2"]
    centre = np.array([0.0, points(built(STRIP))[:, 2].min() + 30])
    radii = np.linalg.norm(points(rolled)[:, [0, 2]] - centre, axis=1)
    assert (radii.min(), radii.max()) == pytest.approx((26, 30), abs=1e-6)
    straight = built(STRIP)
    paused = built(STRIP, {**bend, "paused": True})
    assert paused.items["l1"].key == straight.items["l1"].key


def test_a_bend_to_a_radius_and_one_that_is_too_tight():
    """The core of 188.5 mm at 60 mm turns by 180°; at 1.5 mm it folds and runs over itself, and the line says so."""
    wide = built(STRIP, {"verb": "bend", "item": "l1", "given_by": "to a radius of", "radius": "60 mm"})
    assert np.ptp(points(wide)[:, 0]) == pytest.approx(2 * 62, abs=0.1)
    tight = built(STRIP, {"verb": "bend", "item": "l1", "given_by": "to a radius of", "radius": "1.5 mm"})
    said = " ".join(finding.sentence for finding in tight.reports["l2"].findings)
    assert "It folds on its inner side" in said and "lies over itself" in said
    along = built(STRIP, {"verb": "bend", "item": "l1", "way": "right"})
    assert "it goes back, front, up or down" in along.reports["l2"].findings[0].sentence


def test_volumes_are_kept_or_change_by_formula():
    """Of a bar of 20 by 20 by 60 mm: leaned, twisted, stretched with its volume; tapered to half: 7/12 of it."""
    bar = {"verb": "block", "gives": "bar", "width": "20 mm", "depth": "20 mm", "height": "60 mm", "edge": "2 mm"}
    whole = volume(built(bar))
    assert whole == pytest.approx(24_000)
    for line, wanted, within in (
        ({"verb": "shear", "angle": "30°"}, 24_000, 1e-9),
        ({"verb": "stretch", "factor": 2, "volume": "its volume kept"}, 24_000, 1e-9),
        ({"verb": "stretch", "factor": 2}, 48_000, 1e-9),
        ({"verb": "twist", "turn": "0° to 90°"}, 24_000, 1e-2),
        ({"verb": "taper", "factor": "1 to 0.5"}, 14_000, 1e-3),
        ({"verb": "bend", "axis": "upright axis", "way": "right", "angle": "45°"}, 24_000, 1e-3),
    ):
        build = built(bar, {**line, "item": "l1"})
        assert build.reports["l2"].status == "good", build.reports["l2"]
        assert volume(build) == pytest.approx(wanted, rel=within), line


def test_between_heights_the_rest_goes_on_straight():
    """A bar twisted between 20 and 40 mm: as it was below, turned by a right angle and straight above."""
    bar = {"verb": "block", "gives": "bar", "width": "20 mm", "depth": "10 mm", "height": "60 mm", "edge": "5 mm"}
    straight = points(built(bar))
    low = float(straight[:, 2].min())
    twist = {"verb": "twist", "item": "l1", "span": "between", "low": f"{low + 20} mm", "high": f"{low + 40} mm"}
    found = points(built(bar, twist))
    below, above = straight[:, 2] <= low + 20, straight[:, 2] >= low + 40
    assert found[below] == pytest.approx(straight[below], abs=1e-9)
    turned = np.column_stack((-straight[above, 1], straight[above, 0], straight[above, 2]))
    assert found[above] == pytest.approx(turned, abs=1e-9)
    backwards = built(bar, {**twist, "low": "40 mm", "high": "20 mm"})
    assert "upper height" in backwards.reports["l2"].findings[0].sentence


def test_marks_hold_a_shape_to_a_part_of_a_mesh():
    """Only the top of a bar is stretched up; what is farther than the reach stays, and a curve has no marks."""
    bar = {"verb": "block", "gives": "bar", "width": "20 mm", "depth": "20 mm", "height": "60 mm", "edge": "5 mm"}
    mark = {"verb": "mark", "mesh": "l1", "what": "faces facing", "towards": "up", "angle": "10°", "gives": "top"}
    before = points(built(bar))
    build = built(bar, mark, {"verb": "shear", "item": "l1", "marks": ["l2"], "reach": "20 mm", "angle": "45°"})
    assert build.reports["l3"].status == "good", build.reports["l3"]
    moved = np.linalg.norm(points(build) - before, axis=1)
    top = before[:, 2].max()
    assert moved[before[:, 2] == top] == pytest.approx(60)
    assert moved[before[:, 2] < top - 21].max() == 0.0


def test_a_lattice_moves_what_is_in_it_and_follows_its_box():
    """The middle point of a flat lattice lifted by 10 mm lifts the middle by 10/4; sides alike; a wrong point is told."""
    sheet = {"verb": "block", "gives": "slab", "width": "80 mm", "depth": "80 mm", "height": "10 mm", "edge": "5 mm"}
    lifted = {"verb": "lattice", "item": "l1", "tall": 2, "moves": [{"i": 2, "j": 2, "k": k, "rise": 10} for k in (1, 2)]}
    rise = points(built(sheet, lifted))[:, 2] - points(built(sheet))[:, 2]
    assert rise.max() == pytest.approx(10 / 4)
    sideways = {**lifted, "moves": [{"i": 1, "j": 2, "k": 1, "right": -6}], "sides": "left and right alike"}
    spread = points(built(sheet, sideways))
    assert spread[:, 0].min() == pytest.approx(-spread[:, 0].max())
    wide = points(built({**sheet, "width": "160 mm"}, lifted))
    assert (wide[:, 2] - points(built({**sheet, "width": "160 mm"}))[:, 2]).max() == pytest.approx(10 / 4)
    astray = built(sheet, {**lifted, "moves": [{"i": 4, "j": 1, "k": 1, "rise": 1}]})
    assert "within 3 by 3 by 2" in astray.reports["l2"].findings[0].sentence


def test_a_lattice_has_a_handle_at_every_point_where_it_has_gone():
    """Eighteen of them about the box as it was before; later lines do not move them."""
    sheet = {"verb": "block", "gives": "slab", "width": "80 mm", "depth": "80 mm", "height": "10 mm", "edge": "5 mm"}
    moves = [{"i": 3, "j": 3, "k": 2, "rise": 12}]
    build = built(
        sheet, {"verb": "lattice", "item": "l1", "tall": 2, "moves": moves}, {"verb": "move", "item": "l1", "x": "500 mm"}
    )
    handles = build.handles(build.document.lines[1])
    assert len(handles) == 18
    places = np.array([handle.place for handle in handles])
    low, high = points(built(sheet)).min(axis=0), points(built(sheet)).max(axis=0)
    assert places.min(axis=0) == pytest.approx(low)
    assert places.max(axis=0) == pytest.approx(np.add(high, (0, 0, 12)))


def test_a_row_of_posts_follows_a_curve_and_a_longer_one_is_told():
    """Filled along an arc of 60 mm; with its own length on a short line it goes on past the end and says by how much."""
    bar = {"verb": "block", "gives": "bar", "width": "100 mm", "depth": "6 mm", "height": "6 mm", "edge": "2 mm"}
    arc = {"verb": "circle", "gives": "path", "plane": "plan", "radius": "60 mm"}
    build = built(
        bar, arc, {"verb": "follow", "item": "l1", "curve": "l2", "fit": "filling it", "facing": "upright along it"}
    )
    radii = np.hypot(*points(build)[:, :2].T)
    assert (radii.min(), radii.max()) == pytest.approx((57, 63), abs=1e-6)
    line = {"verb": "line", "gives": "path", "plane": "front", "right": 0, "up": 0, "to_right": 30, "to_up": 0}
    over = built(bar, line, {"verb": "follow", "item": "l1", "curve": "l2"})
    assert "It is 70 mm longer" in over.reports["l3"].findings[0].sentence


@pytest.mark.parametrize("verb", ["bend", "twist", "taper", "shear", "stretch", "ripple", "lattice"])
@pytest.mark.parametrize(
    "lines",
    [
        [{"verb": "simple", "gives": "ball"}],
        [{"verb": "helix", "gives": "wire"}],
        [{"verb": "block", "gives": "box"}, {"verb": "row", "item": "l1", "gives": "boxes"}],
        [{"verb": "simple", "gives": "ball"}, {"verb": "mesh", "surface": "l1"}],
    ],
    ids=["surface", "curve", "bodies", "mesh"],
)
def test_every_shape_takes_every_kind_twice(lines: list[dict[str, Any]], verb: str):
    """One on another in one sheet: both say good and how far they stretch."""
    item = f"l{len(lines)}"
    moves = {"moves": [{"i": 1, "j": 1, "k": 1, "right": 2}]} if verb == "lattice" else {}
    shaped = built(*lines, {"verb": verb, "item": item, **moves}, {"verb": verb, "item": item, **moves})
    for number in (1, 2):
        report = shaped.reports[f"l{len(lines) + number}"]
        assert report.status == "good" or (verb == "twist" and item == "l2"), report  # a wide row is wrung
        assert "as long as before" in report.told


@pytest.mark.parametrize(
    ("text", "verb", "values"),
    [
        ("bend hull up by 40°", "bend", {"way": "up", "angle": "40°"}),
        ("bend hull by 90 degrees downwards along its front-back axis", "bend", {"way": "down", "axis": "front-back axis"}),
        ("bend hull to a radius of 30 mm", "bend", {"given_by": "to a radius of", "radius": "30 mm"}),
        ("twist hull by 0° to 180° eased about the upright axis", "twist", {"turn": "0° to 180° eased"}),
        ("taper hull by 1 to 0.4 left-right only", "taper", {"factor": "1 to 0.4", "ways": "left-right only"}),
        ("shear hull to the left by 12°", "shear", {"way": "left", "angle": "12°"}),
        ("stretch hull by 1.4, its volume kept", "stretch", {"volume": "its volume kept"}),
        ("ripple hull by 2 mm, 15 mm from wave to wave", "ripple", {"height": "2 mm", "wave": "15 mm"}),
        ("lattice round hull, 4 by 3 by 5 points", "lattice", {"across": 4, "deep": 3, "tall": 5}),
        ("follow spine with hull filling it", "follow", {"fit": "filling it", "curve": "l2", "item": "l3"}),
        ("lean hull by 10°", "shear", {"angle": "10°"}),
    ],
)
def test_shapes_are_said_in_plain_words(text, verb, values):
    """With a direction, an axis, an angle, a law."""
    lines = [
        {"id": "l1", "verb": "circle", "gives": "rim"},
        {"id": "l2", "verb": "line", "gives": "spine"},
        {"id": "l3", "verb": "simple", "gives": "hull"},
    ]
    proposal = propose(text, read_document({"format": "glass-spoon/sheet", "version": 1, "lines": lines}))[0]
    assert (proposal.verb, proposal.missed) == (verb, ())
    assert {name: str(getattr(proposal.line, name)) for name in values} == {name: str(one) for name, one in values.items()}
    assert proposal.line.item == "l3"


def test_an_old_cache_gives_the_same_shape():
    """What is taken from the cache is what was built."""
    lines = [STRIP, {"verb": "bend", "item": "l1"}]
    sheet = read_document(
        {
            "format": "glass-spoon/sheet",
            "version": 1,
            "lines": [{"id": f"l{k}", **line} for k, line in enumerate(lines, 1)],
        }
    )
    cache = ResultCache()
    first, second = evaluate(sheet, cache), evaluate(sheet, cache)
    assert points(first) == pytest.approx(points(second), abs=0)
    assert second.reports["l2"].from_cache


BALL = {"verb": "simple", "gives": "ball"}
SLAB = {
    "verb": "block",
    "gives": "badge",
    "width": "20 mm",
    "depth": "12 mm",
    "height": "2 mm",
    "edge": "1 mm",
    "z": "60 mm",
}


@pytest.mark.parametrize("manner", ["straight", "by the nearest place"])
@pytest.mark.parametrize("gap", [0.0, 0.5, -0.5])
def test_a_relief_keeps_its_height_over_a_ball(manner, gap):
    """A badge of 2 mm laid onto a ball of 50 mm: between 50 and 52 mm, and the gap more."""
    build = built(BALL, SLAB, {"verb": "lay_on", "item": "l2", "host": "l1", "manner": manner, "gap": f"{gap} mm"})
    assert build.reports["l3"].status == "good", build.reports["l3"]
    radii = np.linalg.norm(points(build, "l2"), axis=1)
    assert (radii.min(), radii.max()) == pytest.approx((50 + gap, 52 + gap), abs=1e-9)


def test_a_relief_on_a_mesh_follows_it_when_that_changes():
    """On a mesh of the ball it lies within the mesh's own distance from it; a smaller ball takes it along."""
    mesh = {"verb": "mesh", "surface": "l1", "round": 96, "along": 64}
    lines = [mesh, SLAB, {"verb": "lay_on", "item": "l3", "host": "l2"}]
    for radius in (40, 50, 60):
        build = built({**BALL, "radius": f"{radius} mm"}, *lines)
        radii = np.linalg.norm(points(build, "l3"), axis=1)
        assert (radii.min(), radii.max()) == pytest.approx((radius, radius + 2), abs=0.06)


def test_what_lies_beside_the_host_is_told():
    """Half beside it: a share in the note; all of it: refused with a way out."""
    beside = built(BALL, {**SLAB, "x": "50 mm"}, {"verb": "lay_on", "item": "l2", "host": "l1"})
    assert "lies beside the host" in beside.reports["l3"].findings[0].sentence
    away = built(BALL, {**SLAB, "x": "500 mm"}, {"verb": "lay_on", "item": "l2", "host": "l1"})
    assert away.reports["l3"].status == "failed"
    assert "take the nearest place" in away.reports["l3"].findings[0].sentence


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
def test_cords_over_a_hole_of_the_host_are_told_for_what_they_are(size):
    """A dome that is open on top: no tolerance helps, and none is offered; over the closed dome they lie."""
    weave = {"verb": "weave", "width": f"{60 * size} mm", "depth": f"{60 * size} mm"}
    steps = {"across": f"{15 * size} mm", "along": f"{15 * size} mm", "height": f"{size} mm"}
    laid = {"verb": "lay_on", "item": "l2", "host": "l1", "tolerance": f"{0.01 * size} mm"}
    for top, status in (("90°", "good"), ("60°", "failed")):
        dome = {"verb": "simple", "form": "sphere", "radius": f"{50 * size} mm", "low": "10°", "high": top}
        report = built(dome, weave | steps, laid).reports["l3"]
        assert report.status == status, report
        if status == "failed":
            (finding,) = report.findings
            assert "over a hole in it" in finding.sentence
            assert not finding.actions


def test_letters_are_written_made_solid_and_laid_on():
    """A name of five letters on a tube: plates with their holes, closed, all quads, 1.5 mm over the tube."""
    tube = {"verb": "line", "gives": "side", "plane": "front", "right": 30, "up": -30, "to_right": 30, "to_up": 30}
    lines = [
        tube,
        {"verb": "revolve", "profile": "l1", "gives": "tube"},
        {"verb": "write", "text": "Heron", "height": "10 mm", "side": "about", "gives": "name"},
        {"verb": "plate", "outline": "l3", "height": "1.5 mm", "gives": "letters"},
        {"verb": "mesh", "surface": "l4", "sizing": "edge length", "edge_length": "1 mm", "gives": "solid letters"},
        {"verb": "move", "item": "l5", "y": "-60 mm"},
        {"verb": "lay_on", "item": "l5", "host": "l2", "way": "back"},
    ]
    build = built(*lines)
    assert build.reports["l3"].told.startswith("5 letters, 7 outlines")
    assert build.reports["l4"].told == "5 plates, 2 holes."
    assert build.reports["l7"].status == "good", build.reports["l7"]
    mesh = build.items["l5"].item.mesh
    assert len(mesh.topology.boundary_edges) == 0
    radii = np.hypot(*points(build, "l5")[:, :2].T)
    assert (radii.min(), radii.max()) == pytest.approx((30, 31.5), abs=1e-6)
    assert points(build, "l5")[:, 1].max() < 0


def test_letters_along_a_curve_stand_on_it_and_too_many_are_refused():
    """On a circle of 40 mm their feet lie on it; on a short line they run past its end."""
    circle = {"verb": "circle", "gives": "ring", "radius": "40 mm"}
    write = {"verb": "write", "text": "HHHHHHHH", "side": "along", "curve": "l1"}
    build = built(circle, write)
    places = np.concatenate([one.control_points for one in build.items["l2"].item.curves])
    radii = np.hypot(places[:, 0], places[:, 2])
    assert radii.min() > 29 and radii.max() < 41.5
    line = {"verb": "line", "gives": "ring", "right": 0, "up": 0, "to_right": 30, "to_up": 0}
    assert "run past its end" in built(line, write).reports["l2"].findings[0].sentence


def test_a_weave_laid_on_a_ball_keeps_its_heights_and_becomes_cords():
    """0.4 mm over and under on a ball of 26 mm: 25.6 and 26.4; the cords of 0.7 mm do not meet and are meshed closed."""
    lines = [
        {**BALL, "radius": "26 mm"},
        {"verb": "weave", "width": "28 mm", "depth": "28 mm", "across": "4 mm", "along": "4 mm", "height": "0.4 mm"},
        {"verb": "move", "item": "l2", "z": "40 mm"},
        {"verb": "lay_on", "item": "l2", "host": "l1", "base": "middle"},
        {"verb": "cord", "path": "l2", "width": "0.7 mm"},
        {"verb": "mesh", "surface": "l5", "sizing": "edge length", "edge_length": "0.5 mm"},
    ]
    build = built(*lines)
    assert build.reports["l2"].told == "14 cords; cords up to 0.799 mm thick pass each other."
    assert build.reports["l4"].status == "good", build.reports["l4"]
    curves = build.items["l2"].item.curves
    radii = [np.linalg.norm(curve_points(one, np.linspace(*one.domain, 2000)), axis=1) for one in curves]
    assert (min(one.min() for one in radii), max(one.max() for one in radii)) == pytest.approx((25.6, 26.4), abs=0.01)
    places = [curve_points(one, np.linspace(*one.domain, 600)) for one in curves]
    assert min(float(cdist(a, b).min()) for a in places[:7] for b in places[7:]) > 0.75
    assert len(build.items["l6"].item.mesh.topology.boundary_edges) == 0


def test_the_edges_of_a_mesh_become_cords():
    """A box of 6 by 4 by 2 faces: its lines; along the diagonals of its top alone; a mesh without them is told."""
    box = {"verb": "block", "gives": "box", "width": "30 mm", "depth": "20 mm", "height": "10 mm", "edge": "5 mm"}
    top = {"verb": "mark", "mesh": "l1", "what": "faces facing", "towards": "up", "angle": "10°", "gives": "top"}
    wires = built(box, {"verb": "wires", "mesh": "l1"})
    assert wires.reports["l2"].told == "21 wires, 9 of them closed."
    cage = built(
        box, top, {"verb": "wires", "mesh": "l1", "marks": ["l2"], "which": "diagonals"}, {"verb": "cord", "path": "l3"}
    )
    places = np.concatenate([one.control_points for one in cage.items["l3"].item.curves])
    assert np.ptp(places[:, 2]) < 1e-9
    assert cage.reports["l4"].status in ("good", "look")
    sides = {"verb": "mark", "mesh": "l1", "what": "sharp edges", "angle": "170°", "gives": "none"}
    assert (
        "hold none" in built(box, sides, {"verb": "wires", "mesh": "l1", "marks": ["l2"]}).reports["l3"].findings[0].sentence
    )


def test_cords_follow_all_wires_of_a_ball():
    """A place of a carried frame asked again, a rounding beside itself, gave it a false turn: one of the 21 was refused."""
    lines = [
        {"verb": "simple", "gives": "ball"},
        {"verb": "mesh", "surface": "l1", "round": 16, "along": 8},
        {"verb": "wires", "mesh": "l2"},
        {"verb": "cord", "path": "l3", "width": "1.5 mm"},
    ]
    report = built(*lines).reports["l4"]
    assert report.status == "good", report


def test_a_chain_on_too_small_a_ring_is_refused():
    """Round 60 mm it hangs; round 12 mm its links would run into one another, and the line says what to change."""
    circle = {"verb": "circle", "gives": "ring", "radius": "60 mm"}
    wide = built(circle, {"verb": "chain", "curve": "l1"}, {"verb": "cord", "path": "l2", "width": "4 mm"})
    assert wide.reports["l2"].told.startswith("26 links")
    assert wide.reports["l3"].status == "good"
    tight = built({**circle, "radius": "12 mm"}, {"verb": "chain", "curve": "l1"})
    assert "thinner wire, or a softer curve" in tight.reports["l2"].findings[0].sentence


def test_a_lattice_stands_round_what_marks_hold():
    """Round the top of a post: its box is the top's, its handles stand there, and what is farther than the reach stays."""
    post = {"verb": "block", "gives": "post", "width": "20 mm", "depth": "20 mm", "height": "60 mm", "edge": "5 mm"}
    mark = {"verb": "mark", "mesh": "l1", "what": "faces facing", "towards": "up", "angle": "10°", "gives": "top"}
    moves = [{"i": 2, "j": 2, "k": k, "rise": 8} for k in (1, 2)]
    lattice = {"verb": "lattice", "item": "l1", "tall": 2, "marks": ["l2"], "reach": "10 mm", "moves": moves}
    before, build = points(built(post)), built(post, mark, lattice)
    moved = np.linalg.norm(points(build) - before, axis=1)
    top = before[:, 2].max()
    assert moved[before[:, 2] == top].max() == pytest.approx(8 / 4)
    assert moved[before[:, 2] < top - 11].max() == 0.0
    places = np.array([handle.place for handle in build.handles(build.document.lines[2])])
    assert places[:, 2].min() == pytest.approx(top, abs=1e-3)


def test_what_lies_over_itself_round_a_closed_curve_is_told():
    """A bar longer than the way round."""
    bar = {"verb": "block", "gives": "bar", "width": "100 mm", "depth": "2 mm", "height": "2 mm", "edge": "2 mm"}
    ring = {"verb": "circle", "gives": "path", "radius": "10 mm"}
    build = built(bar, ring, {"verb": "follow", "item": "l1", "curve": "l2"})
    assert "lies over itself" in build.reports["l3"].findings[0].sentence


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
@pytest.mark.parametrize(("manner", "whole"), [("straight", 60.0), ("in rings", 30.0)])
def test_waves_are_counted_from_end_to_end(manner: str, whole: float, size: float) -> None:
    """Three waves over a sheet of 60 mm are as waves of 20 mm, rings of 10 mm: the same points."""
    sheet = [
        {"verb": "simple", "form": "sheet", "radius": f"{60 * size} mm", "second": f"{60 * size} mm"},
        {"verb": "mesh", "surface": "l1", "round": 24, "along": 24},
    ]
    line = {"verb": "ripple", "item": "l2", "height": f"{2 * size} mm", "manner": manner}
    if manner == "in rings":
        line["axis"] = "left-right axis"
    counted = built(*sheet, {**line, "spacing": "count", "waves": 3})
    given = built(*sheet, {**line, "wave": f"{whole / 3 * size} mm"})
    assert counted.reports["l3"].status == "good"
    places, same = (one.items["l2"].item.mesh.positions for one in (counted, given))
    assert np.allclose(places, same, atol=1e-9 * size)
    assert np.ptp(places[:, 2]) == pytest.approx(4 * size, rel=0.1)


@pytest.mark.parametrize("plane", ["plan", "front", "side"])
def test_a_guard_within_an_outline_lies_in_its_plane_on_its_ring(plane: str) -> None:
    """Three ways of wire within a circle of a view become cords that do not meet, and one closed mesh of 43 bodies."""
    lines = [
        {"verb": "circle", "gives": "rim", "plane": plane, "radius": "40 mm", "up": "50 mm"},
        {"verb": "weave", "within": "outline", "outline": "l1", "ends": "ring", "pattern": "three ways", "height": "1.2 mm"},
        {"verb": "cord", "path": "l2", "width": "1 mm"},
        {"verb": "mesh", "surface": "l3", "sizing": "edge length", "edge_length": "0.6 mm"},
    ]
    build = built(*lines)
    assert build.reports["l2"].told.startswith("A ring and 42 cords; cords up to 1.5")
    assert [report.status for report in build.reports.values()] == ["good"] * 4, build.reports
    mesh = build.items["l4"].item.mesh
    assert len(mesh.topology.boundary_edges) == 0 and mesh.topology.components.max() == 42
    out = {"plan": 2, "front": 1, "side": 0}[plane]
    assert np.abs(mesh.positions[:, out]).max() == pytest.approx(1.7, abs=0.02)


def test_a_cord_follows_a_path_whose_joints_are_known_to_the_last_digit_alone() -> None:
    """Joints of 1/3 do not fall on themselves when spans are parted: the frame that is carried along them does not jump."""
    path = {"verb": "weave", "width": "70 mm", "depth": "40 mm", "across": "7 mm", "along": "3.3333333 mm", "turn": "20°"}
    build = built(path, {"verb": "cord", "path": "l1", "width": "1 mm"})
    assert build.reports["l2"].status == "good", build.reports["l2"].findings


def test_a_curve_called_ring_is_the_outline_and_not_the_ends() -> None:
    """“with a ring” speaks of the ends; “within ring” of the curve of that name."""
    ring = {"id": "l1", "verb": "circle", "gives": "ring", "plane": "plan"}
    document = read_document({"format": "glass-spoon/sheet", "version": 1, "lines": [ring]})
    for text, ends in (("weave within ring 8 mm apart", "cut"), ("weave within ring with a ring, 8 mm apart", "ring")):
        line = propose(text, document)[0].line
        assert (line.verb_name, line.outline, line.within, line.ends) == ("weave", "l1", "outline", ends)  # type: ignore[attr-defined]
        assert (line.across, line.along) == ("8 mm", "8 mm")  # type: ignore[attr-defined]
