"""Slice by surfaces and curves, and openings with walls, rolled rims or kept insides, as lines of a sheet."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.sheet.document import read_document
from glass_spoon.sheet.items import MeshItem
from glass_spoon.sheet.propose import propose
from tests.mesh_checker import check_result
from tests.sheet.test_solids import run

CRATE = {"id": "b", "verb": "block", "form": "box", "width": "60 mm", "depth": "40 mm", "height": "40 mm", "edge": "4 mm"}
WAVE = {
    "id": "w",
    "verb": "draw",
    "plane": "plan",
    "gives": "wave",
    "points": [{"x": -40, "y": 5}, {"x": 0, "y": -6}, {"x": 40, "y": 8}],
}
DISH = [
    {"id": "c", "verb": "draw", "plane": "front", "points": [{"x": 0, "y": 10}, {"x": 40, "y": 16}, {"x": 90, "y": 40}]},
    {"id": "r", "verb": "revolve", "profile": "c", "gives": "dish"},
]
HOLE = {"id": "h", "verb": "circle", "radius": "6 mm", "plane": "plan", "right": "4 mm", "gives": "hole"}
SKIN = [
    {"id": "s", "verb": "simple", "form": "sheet", "radius": "80 mm", "second": "60 mm", "gives": "flat"},
    {"id": "m", "verb": "mesh", "surface": "s", "sizing": "edge length", "edge_length": "3 mm", "gives": "skin"},
]


def mesh_of(build: Any, name: str) -> Any:
    item = build.items[name].item
    assert isinstance(item, MeshItem)
    return item.mesh


def test_a_box_sliced_by_a_dish_and_by_a_wave_leaves_two_parts_that_are_the_whole() -> None:
    """Above and below a revolved surface, its pole inside the cut; before and behind a curve seen from above."""
    for lines, how, sides in (
        (DISH, {"by": "a surface", "surface": "r"}, ("above", "below")),
        ([WAVE], {"by": "a curve", "curve": "w"}, ("behind", "in front")),
    ):
        build = run(
            CRATE,
            *lines,
            *({"id": f"s{k}", "verb": "slice", "mesh": "b", **how, "side": side} for k, side in enumerate(sides)),
        )
        for k in range(2):
            assert build.reports[f"s{k}"].status == "good", build.reports[f"s{k}"].findings
            check_result(mesh_of(build, f"s{k}"), closed=True)
        volumes = [enclosed_volume(mesh_of(build, f"s{k}")) for k in range(2)]
        assert sum(volumes) == pytest.approx(60 * 40 * 40, rel=2e-3)
        first = mesh_of(build, "s0").face_centers.mean(axis=0)
        assert first[2 if lines is DISH else 1] > mesh_of(build, "s1").face_centers.mean(axis=0)[2 if lines is DISH else 1]


def test_the_surface_rests_and_a_side_that_is_none_is_told() -> None:
    """The cut's surface rests, and impossible sides are refused with those there are."""
    build = run(CRATE, *DISH, {"id": "x", "verb": "slice", "mesh": "b", "by": "a surface", "surface": "r", "side": "above"})
    assert {"b", "r"} <= set(build.resting)
    for side, word in (("behind", "neither of its sides is behind"), ("slanted plane", "Choose above")):
        found = run(CRATE, *DISH, {"id": "x", "verb": "slice", "mesh": "b", "by": "a surface", "surface": "r", "side": side})
        assert word in found.reports["x"].findings[0].sentence


@pytest.mark.parametrize("factor", [0.8, 1.0, 1.2])
def test_a_wall_right_through_follows_its_curve_and_its_body(factor: float) -> None:
    """The box less a cylinder, from above and as the curve lies; after the hole grows or shrinks by a fifth."""
    hole = {**HOLE, "radius": f"{6 * factor} mm"}
    for laid in ("from above", "as they lie"):
        build = run(
            CRATE,
            hole,
            {"id": "o", "verb": "open", "mesh": "b", "curves": ["h"], "rim": "walled right through", "laid": laid},
        )
        assert build.reports["o"].status == "good", build.reports["o"].findings
        mesh = mesh_of(build, "b")
        check_result(mesh, closed=True)
        assert enclosed_volume(mesh) == pytest.approx(96_000 - np.pi * 36 * factor**2 * 40, rel=3e-3)


def test_two_walls_one_after_another_and_marks_of_what_was_made() -> None:
    """Twice in one sheet, from two sides; the second line's seams are marked by what made them."""
    other = {"id": "g", "verb": "circle", "radius": "5 mm", "plane": "front", "right": "-14 mm", "up": "20 mm"}
    build = run(
        CRATE,
        HOLE,
        other,
        {"id": "o", "verb": "open", "mesh": "b", "curves": ["h"], "rim": "walled right through", "laid": "from above"},
        {"id": "p", "verb": "open", "mesh": "b", "curves": ["g"], "rim": "walled right through", "laid": "from the front"},
        {"id": "k", "verb": "mark", "mesh": "b", "what": "edges made by", "maker": "p"},
    )
    assert [build.reports[line].status for line in ("o", "p", "k")] == ["good"] * 3
    check_result(mesh_of(build, "b"), closed=True)
    assert len(build.items["k"].item.mark) >= 32


def test_a_rolled_rim_lies_behind_the_skin_and_offers_the_radius_that_fits() -> None:
    """The offered radius, taken, makes the line good."""
    build = run(
        *SKIN, HOLE, {"id": "o", "verb": "open", "mesh": "m", "curves": ["h"], "rim": "rim rolled", "radius": "2 mm"}
    )
    mesh = mesh_of(build, "m")
    check_result(mesh, closed=False)
    assert mesh.positions[:, 2].min() == pytest.approx(-2)
    assert np.hypot(mesh.positions[:, 0] - 4, mesh.positions[:, 1]).min() == pytest.approx(4, abs=0.05)
    large = run(
        *SKIN, HOLE, {"id": "o", "verb": "open", "mesh": "m", "curves": ["h"], "rim": "rim rolled", "radius": "9 mm"}
    )
    finding = large.reports["o"].findings[0]
    assert "does not fit" in finding.sentence
    fits = finding.actions[0].value
    again = run(*SKIN, HOLE, {"id": "o", "verb": "open", "mesh": "m", "curves": ["h"], "rim": "rim rolled", "radius": fits})
    assert again.reports["o"].status == "good"


def test_what_a_curve_holds_is_kept() -> None:
    """The disc that is kept has the hole's area."""
    build = run(*SKIN, HOLE, {"id": "o", "verb": "open", "mesh": "m", "curves": ["h"], "rim": "kept inside"})
    mesh = mesh_of(build, "m")
    check_result(mesh, closed=False)
    assert np.linalg.norm(mesh.face_vectors, axis=1).sum() == pytest.approx(np.pi * 36, rel=0.03)
    assert "is kept" in build.reports["o"].told


GROUND = read_document(
    {"format": "glass-spoon/sheet", "version": 1, "lines": [{**CRATE, "gives": "crate"}, HOLE, WAVE, *DISH, *SKIN]}
)


@pytest.mark.parametrize(
    ("text", "verb", "values"),
    [
        (
            "slice crate by dish keeping the lower half",
            "slice",
            {"mesh": "b", "by": "a surface", "surface": "r", "side": "below"},
        ),
        ("slice crate along wave, keep what is behind", "slice", {"by": "a curve", "curve": "w", "side": "behind"}),
        (
            "cut crate along wave seen from the front, left open",
            "slice",
            {"by": "a curve", "seen": "from the front", "end": "left open"},
        ),
        ("slice crate at x 5 mm into two halves", "slice", {"at": "5 mm", "side": "to the right", "other": "stays too"}),
        ("cut crate along wave, keep both", "slice", {"by": "a curve", "curve": "w", "other": "stays too"}),
        ("slice crate along hole keeping the inside", "slice", {"by": "a curve", "curve": "h", "side": "inside"}),
        ("slice crate along hole, keep the rest", "slice", {"curve": "h", "side": "outside"}),
        ("saw crate in half", "slice", {"other": "stays too"}),
        ("open crate along hole right through", "open", {"curves": ["h"], "rim": "walled right through"}),
        ("open skin along hole, rim rolled by 3 mm", "open", {"mesh": "m", "rim": "rim rolled", "radius": "3 mm"}),
        ("open skin along hole keeping inside", "open", {"rim": "kept inside"}),
    ],
)
def test_plain_words(text: str, verb: str, values: dict[str, Any]) -> None:
    """A sentence as one would say it fills the line, and nothing of it is missed."""
    proposal = propose(text, GROUND)[0]
    line = proposal.line
    assert line.verb_name == verb
    assert {name: getattr(line, name) for name in values} == values
    assert proposal.missed == ()


def section(number: int, out: float, height: float, bow: float) -> dict[str, Any]:
    """A bowed section of a panel, standing on the side plane."""
    places = ((0, 0), (bow, height / 2), (0.6 * bow, height))
    points = [{"x": x, "y": y, "out": out} for x, y in places]
    return {"id": f"c{number}", "verb": "draw", "plane": "side", "gives": f"s{number}", "points": points}


def test_a_wheel_opening_with_a_rolled_lip_in_a_panel_with_a_wall_takes_ten_lines() -> None:
    """Loft, mesh, open with a rolled rim, thicken by 5 mm, smooth: closed, one piece with one hole through it, all quads."""
    build = run(
        section(1, -260, 300, 60),
        section(2, -80, 340, 90),
        section(3, 120, 350, 90),
        section(4, 300, 280, 50),
        {"id": "l", "verb": "loft", "sections": ["c1", "c2", "c3", "c4"], "gives": "panel"},
        {"id": "m", "verb": "mesh", "surface": "l", "sizing": "edge length", "edge_length": "14 mm", "gives": "wing"},
        {
            "id": "w",
            "verb": "circle",
            "plane": "front",
            "radius": "95 mm",
            "right": "20 mm",
            "up": "150 mm",
            "gives": "wheel",
        },
        {
            "id": "o",
            "verb": "open",
            "mesh": "m",
            "curves": ["w"],
            "laid": "from the front",
            "rim": "rim rolled",
            "radius": "12 mm",
            "steps": 4,
        },
        {"id": "t", "verb": "thicken", "mesh": "m", "wall": "5 mm"},
        {"id": "k", "verb": "smooth", "mesh": "m"},
    )
    assert {report.status for report in build.reports.values()} == {"good"}
    mesh = mesh_of(build, "m")
    check_result(mesh, closed=True)
    topology = mesh.topology
    assert topology.point_count - len(topology.edges.ends) + topology.face_count == 0
    assert topology.is_quads


@pytest.mark.parametrize(
    ("curves", "status", "words"),
    [
        (((29, 5),), "look", "It breaks out at the side"),
        (((10, 5), (14, 5)), "failed", "The curves cross"),
        (((10, 6), (10, 3)), "failed", "one holds another"),
        (((10, 5), (90, 5)), "failed", "no outline lies on the body"),
    ],
)
def test_walls_that_are_no_openings_are_told(curves: tuple[tuple[float, float], ...], status: str, words: str) -> None:
    """Over the side, crossing, one in another, off the body: in words of curves, with a way out that exists."""
    holes = [
        {"id": f"h{k}", "verb": "circle", "radius": f"{r} mm", "right": f"{x} mm", "plane": "plan"}
        for k, (x, r) in enumerate(curves)
    ]
    line = {"id": "o", "verb": "open", "mesh": "b", "rim": "walled right through", "laid": "from above"}
    report = run(CRATE, *holes, {**line, "curves": [hole["id"] for hole in holes]}).reports["o"]
    told = report.told + " ".join(finding.sentence for finding in report.findings)
    assert words in told
    assert (report.status == "failed") == (status == "failed")


def test_a_slice_of_a_group_keeps_its_origin() -> None:
    """The frame of the group is that of the slice."""
    build = run(
        CRATE,
        {"id": "g", "verb": "group", "meshes": ["b"], "origin": "bottom"},
        {"id": "x", "verb": "slice", "mesh": "g", "at": "12 mm", "side": "below"},
    )
    assert build.items["x"].item.frame.origin == pytest.approx((0, 0, 0))


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
def test_both_parts_of_a_slice_stay_and_each_is_taken(size: float) -> None:
    """A plane, a slanted one, a surface and a curve: two closed bodies in one line, which together are the whole."""
    crate = {
        **CRATE,
        **{name: f"{size * mm} mm" for name, mm in (("width", 60), ("depth", 40), ("height", 40), ("edge", 4))},
    }
    wave = {**WAVE, "points": [{name: value * size for name, value in row.items()} for row in WAVE["points"]]}
    for how in (
        {"side": "below", "at": f"{11 * size} mm"},
        {"side": "slanted plane", "right": 1, "back": 2, "up": 3, "z": f"{15 * size} mm"},
        {"by": "a curve", "curve": "w", "side": "behind"},
    ):
        build = run(
            crate,
            wave,
            {"id": "s", "verb": "slice", "mesh": "b", **how, "other": "stays too"},
            *({"id": f"t{k}", "verb": "take", "item": "s", "number": k} for k in (1, 2)),
        )
        assert [build.reports[line].status for line in ("s", "t1", "t2")] == ["good"] * 3
        check_result(mesh_of(build, "s"), closed=True)
        alone = run(crate, wave, {"id": "s", "verb": "slice", "mesh": "b", **how})
        volumes = [enclosed_volume(mesh_of(build, line)) for line in ("t1", "t2")]
        assert volumes[0] == pytest.approx(enclosed_volume(mesh_of(alone, "s")), rel=1e-12)
        assert sum(volumes) == pytest.approx(96_000 * size**3, rel=2e-3)
        for line in ("t1", "t2"):
            check_result(mesh_of(build, line), closed=True)


def test_the_part_that_is_kept_comes_first() -> None:
    """A ring cut across, closed and left open: the line says which number each part has."""
    ring = [
        {"id": "c", "verb": "circle", "radius": "4 mm", "plane": "front", "right": "20 mm"},
        {"id": "r", "verb": "revolve", "profile": "c"},
        {"id": "m", "verb": "mesh", "surface": "r", "round": 40, "along": 16},
    ]
    cut = {"id": "s", "verb": "slice", "mesh": "m", "other": "stays too", "at": "8 mm"}
    build = run(*ring, {**cut, "side": "to the right"}, {"id": "t", "verb": "take", "item": "s", "number": 2})
    assert "number 1 is what is kept, number 2 the rest" in build.reports["s"].told
    assert mesh_of(build, "t").positions[:, 0].max() < 8.1
    build = run(*ring, {**cut, "side": "behind", "at": "10 mm"}, {"id": "t", "verb": "take", "item": "s", "number": 1})
    assert mesh_of(build, "t").positions[:, 1].min() > 9.9
    build = run(*ring, {**cut, "side": "behind", "at": "0.3 mm", "end": "left open"})
    assert "number 1 is what is kept, number 2 the rest" in build.reports["s"].told
    assert len(mesh_of(build, "s").topology.boundary_loops) == 4


ZIG = {
    "id": "z",
    "verb": "draw",
    "plane": "plan",
    "manner": "straight through",
    "gives": "zigzag",
    "points": [{"x": -40, "y": 5}, {"x": -6, "y": -7}, {"x": 8, "y": 9}, {"x": 40, "y": -2}],
}
FINE = {**CRATE, "edge": "3 mm"}
ALONG = {"id": "s", "verb": "slice", "mesh": "b", "by": "a curve"}


def scaled(line: dict[str, Any], size: float) -> dict[str, Any]:
    """Return a line with its lengths in mm and its points as many times as large."""
    result = {
        name: f"{size * float(value[:-3])} mm" if str(value).endswith(" mm") else value for name, value in line.items()
    }
    if "points" in line:
        result["points"] = [{axis: value * size for axis, value in row.items()} for row in line["points"]]
    return result


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
def test_a_body_cut_along_a_closed_curve_falls_into_core_and_rest(size: float) -> None:
    """Volumes by formula to the chords of the wall; both in one line; the press where a side was asked for."""
    lines = [scaled(FINE, size), scaled({**HOLE, "radius": "11 mm"}, size)]
    core, rest = np.pi * 121 * 40 * size**3, (96_000 - np.pi * 121 * 40) * size**3
    found = []
    for side, volume in (("inside", core), ("outside", rest)):
        build = run(*lines, {**ALONG, "curve": "h", "side": side})
        assert build.reports["s"].status == "good", build.reports["s"].findings
        check_result(mesh_of(build, "s"), closed=True)
        found.append(enclosed_volume(mesh_of(build, "s")))
        assert found[-1] == pytest.approx(volume, rel=0.02)
    assert sum(found) == pytest.approx(96_000 * size**3, rel=2e-3)
    both = run(*lines, {**ALONG, "curve": "h", "side": "inside", "other": "stays too"})
    assert enclosed_volume(mesh_of(both, "s")) == pytest.approx(sum(found), rel=1e-9)
    (finding,) = run(*lines, {**ALONG, "curve": "h", "side": "below"}).reports["s"].findings
    for press in finding.actions:
        assert run(*lines, {**ALONG, "curve": "h", press.field: press.value}).reports["s"].status == "good"


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
def test_a_body_cut_along_a_curve_with_corners_keeps_them(size: float) -> None:
    """Both sides are the whole to the last digits; each has the area behind the zigzag by the shoelace formula."""
    lines = [scaled(FINE, size), scaled(ZIG, size)]
    x = np.linspace(-30, 30, 200_001)
    y = np.interp(x, [row["x"] for row in ZIG["points"]], [row["y"] for row in ZIG["points"]])
    behind = float(np.trapezoid(20 - y, x)) * 40 * size**3
    for side, volume in (("behind", behind), ("in front", 96_000 * size**3 - behind)):
        build = run(*lines, {**ALONG, "curve": "z", "side": side})
        assert build.reports["s"].status == "good", build.reports["s"].findings
        check_result(mesh_of(build, "s"), closed=True)
        assert enclosed_volume(mesh_of(build, "s")) == pytest.approx(volume, rel=1e-6)
        places = mesh_of(build, "s").positions / size
        for row in ZIG["points"][1:3]:
            assert np.hypot(places[:, 0] - row["x"], places[:, 1] - row["y"]).min() < 1e-6


@pytest.mark.parametrize(
    ("lines", "values", "words"),
    [
        ([FINE, ZIG], {"curve": "z", "side": "inside"}, "An open curve has no inside"),
        ([FINE, ZIG], {"curve": "z", "side": "to the right"}, "has no such side"),
        ([FINE, HOLE], {"curve": "h", "side": "inside", "end": "left open"}, "Delete the faces made by this line"),
        ([FINE, {**HOLE, "right": "200 mm"}], {"curve": "h", "side": "inside"}, "move it over the body"),
        ([FINE], {"by": "a plane", "side": "inside"}, "Only a closed curve has an inside"),
        ([*SKIN, HOLE], {"mesh": "m", "curve": "h", "side": "inside"}, "Open the skin along it"),
    ],
)
def test_what_cannot_be_cut_along_a_curve_says_what_can(lines: list[Any], values: dict[str, Any], words: str) -> None:
    """Each refusal names a way out."""
    (finding,) = run(*lines, {**ALONG, **values, "id": "x"}).reports["x"].findings
    assert words in finding.sentence


@pytest.mark.parametrize("rim", ["rim plain", "walled right through"])
def test_faces_too_large_for_an_opening_are_halved_by_a_press(rim: str) -> None:
    """A box of few faces leaves no room for a circle: the press that is offered makes some."""
    box = {"id": "b", "verb": "block", "width": "100 mm", "depth": "60 mm", "height": "40 mm", "edge": "60 mm"}
    opened = {"id": "o", "verb": "open", "mesh": "b", "curves": ["h"], "rim": rim, "laid": "from above"}
    hole = {**HOLE, "right": "0 mm", "radius": "15 mm"}
    build, tries = run(box, hole, opened), 0
    while build.reports["o"].status == "failed":
        action = build.reports["o"].findings[0].actions[0]
        assert action.field == "finer"
        opened, tries = {**opened, action.field: action.value}, tries + 1
        build = run(box, hole, opened)
    assert tries
    check_result(mesh_of(build, "b"), closed=rim == "walled right through")


@pytest.mark.parametrize("size", [0.4, 32.0, 40.0, 48.0, 4000.0])
@pytest.mark.parametrize("side", ["below", "above", "to the left", "in front"])
def test_a_plane_through_the_middle_halves_whatever_the_size(size: float, side: str) -> None:
    """Each half of a box is half of it, also where the plane runs along its edges, and after its size has changed."""
    edge = f"{size / 10} mm"
    box = CRATE | {"width": f"{1.5 * size} mm", "depth": f"{size} mm", "height": f"{size} mm", "edge": edge, "z": "7 mm"}
    build = run(box, {"id": "s", "verb": "slice", "mesh": "b", "by": "a plane through its middle", "side": side})
    assert build.reports["s"].status == "good", build.reports["s"].findings
    half = mesh_of(build, "s")
    check_result(half, closed=True)
    assert enclosed_volume(half) == pytest.approx(0.75 * size**3, rel=1e-9)


def test_halves_stay_both_and_a_slanted_plane_has_no_middle() -> None:
    """The rest is as large; a slanted plane says what may be kept instead."""
    middle = {"id": "s", "verb": "slice", "mesh": "b", "by": "a plane through its middle"}
    build = run(CRATE, middle | {"other": "stays too"})
    assert enclosed_volume(mesh_of(build, "s")) == pytest.approx(60 * 40 * 40)
    told = run(CRATE, middle | {"side": "slanted plane"}).reports["s"]
    assert told.status == "failed"
    assert "keep above, below" in told.findings[0].sentence
