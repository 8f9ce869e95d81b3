"""Every verb of the Form chapter, run on sheets and measured through the meshes of its surfaces."""

from __future__ import annotations

import numpy as np
import pytest

from glass_spoon.kernel.arrays import lengths
from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.gauges.face_figures import figures_of
from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume, read_area
from glass_spoon.kernel.meshing.mesh_surface import mesh_surface
from glass_spoon.sheet import edit
from glass_spoon.sheet.document import SheetDocument, read_document
from glass_spoon.sheet.expressions import Quantity
from glass_spoon.sheet.law_text import law_names, read_law
from glass_spoon.sheet.propose import propose
from tests.kernel.test_sweep import is_closed, volume
from tests.sheet.test_draw_chapter import failure, run

RING = {"verb": "circle", "gives": "ring", "plane": "plan", "radius": 30}
HELIX = {"verb": "helix", "gives": "wire", "turns": 3, "pitch": 20, "radius": 25, "end_radius": 25}


def surface(*lines: dict):
    """Return the surface of the last line of a sheet without complaints."""
    build = run(*lines)
    for report in build.reports.values():
        assert report.status == "good", [finding.sentence for finding in report.findings]
    return build.items[f"l{len(lines)}"].item.surface


def ring(height: float, radius: float, name: str) -> tuple[dict, dict]:
    """Return a circle and the line that lifts it."""
    return {**RING, "gives": name, "radius": radius}, {"verb": "move", "z": height}


def rings(*sizes: tuple[float, float]) -> list[dict]:
    """Return lines that give rings at heights, each circle followed by its move."""
    lines: list[dict] = []
    for height, radius in sizes:
        circle, move = ring(height, radius, f"ring {height}")
        lines += [circle, {**move, "curve": f"l{len(lines) + 1}"}]
    return lines


def document(*lines: dict) -> SheetDocument:
    numbered = [{"id": f"l{number}", **line} for number, line in enumerate(lines, 1)]
    return read_document({"format": "glass-spoon/sheet", "version": 1, "lines": numbered})


@pytest.mark.parametrize(
    ("body", "wanted"),
    [
        ({"form": "sphere", "radius": 20}, 4 / 3 * np.pi * 8000),
        ({"form": "ellipsoid", "radius": 20, "second": 30, "height": 10}, 4 / 3 * np.pi * 6000),
        ({"form": "torus", "radius": 40, "second": 10}, 2 * np.pi**2 * 40 * 100),
    ],
)
def test_closed_bodies_hold_their_volume(body: dict, wanted: float) -> None:
    """Sphere, cylinder, cone, torus and their kin by their formulas."""
    assert volume(surface({"verb": "simple", "gives": "b", **body}), 64, 64) == pytest.approx(wanted, rel=1e-4)


@pytest.mark.parametrize(
    ("body", "area"),
    [
        ({"form": "sphere", "radius": 50, "low": "0°", "high": "30°"}, 2 * np.pi * 50 * 25),
        ({"form": "cylinder", "radius": 20, "height": 30}, 2 * np.pi * 20 * 30),
        ({"form": "cone", "radius": 30, "second": 10, "height": 40}, np.pi * 40 * np.hypot(20, 40)),
        ({"form": "disc", "radius": 30, "second": 10}, np.pi * 800),
        ({"form": "disc", "radius": 30, "second": 0}, np.pi * 900),
        ({"form": "sheet", "radius": 30, "second": 20}, 600),
    ],
)
def test_open_bodies_have_their_area(body: dict, area: float) -> None:
    """A zone of a sphere by Archimedes: its area is that of the cylinder round it of the same height."""
    of = surface({"verb": "simple", "gives": "b", **body})
    coarse, fine = (read_area(figures_of(mesh_surface(of, 64 * k, 32 * k))).value for k in (1, 2))
    assert (4 * fine - coarse) / 3 == pytest.approx(area, rel=1e-5)


@pytest.mark.parametrize(
    ("body", "word"),
    [
        ({"form": "torus", "radius": 10, "second": 20}, "below 10"),
        ({"form": "sphere", "low": "30°", "high": "10°"}, "above 30"),
        ({"form": "disc", "radius": 10, "second": 10}, "below 10"),
    ],
)
def test_impossible_bodies_are_told(body: dict, word: str) -> None:
    """Radii and spans that make no body are told."""
    assert word in failure({"verb": "simple", "gives": "b", **body})


def test_a_loft_runs_through_a_list_of_rings() -> None:
    """Two rings taken as a list make the frustum."""
    lines = rings((0, 30), (50, 20))
    loft = {"verb": "loft", "sections": ["l1", "l3"], "gives": "skin", "start": "flat", "end": "flat", "degree": 1}
    assert volume(surface(*lines, loft), 64, 32) == pytest.approx(np.pi * 50 / 3 * 1900, rel=1e-4)


def test_a_loft_takes_the_curves_of_a_set_one_after_another() -> None:
    """Four rings of a row make the cylinder."""
    row = {"verb": "row", "curve": "l1", "count": 4, "x": 0, "z": 10, "gives": "rings"}
    loft = {"verb": "loft", "sections": "l2", "gives": "skin", "start": "flat", "end": "flat"}
    assert volume(surface(RING, row, loft), 64, 32) == pytest.approx(np.pi * 900 * 30, rel=1e-4)


def test_a_loft_without_sections_waits_and_with_one_says_what_it_needs() -> None:
    """No section waits, and one section says that it needs two."""
    report = run({"verb": "loft", "sections": [], "gives": "skin"}).reports["l1"]
    assert report.status == "waiting"
    assert "Pick a curve" in report.findings[0].sentence
    assert "2 or more" in failure(RING, {"verb": "loft", "sections": ["l1"], "gives": "skin"})


def test_a_changed_section_changes_the_loft_and_an_untouched_one_comes_from_the_cache() -> None:
    """The key changes with a section and with their order, and not otherwise."""
    lines = rings((0, 30), (50, 20))
    loft = {"verb": "loft", "sections": ["l1", "l3"], "gives": "skin"}
    before, after = (run(*lines, loft).reports["l5"].key, run(*rings((0, 31), (50, 20)), loft).reports["l5"].key)
    assert before == run(*lines, loft).reports["l5"].key != after
    swapped = {**loft, "sections": ["l3", "l1"]}
    assert run(*lines, swapped).reports["l5"].key != before


def test_a_new_loft_takes_the_curves_that_nothing_uses_and_words_name_them_in_order() -> None:
    """Free curves are taken as default, and named ones in the order said."""
    sheet = document(*rings((0, 30), (50, 20)), {**RING, "gives": "lid"}, {"verb": "revolve", "profile": "l5", "gives": "b"})
    assert edit.default_line(sheet, "loft").sections == ["l1", "l3"]
    assert propose("loft ring 50 ring 0", sheet)[0].line.sections == ["l3", "l1"]


def test_a_section_that_is_used_is_named_before_it_is_removed() -> None:
    """The loft and what follows it are named."""
    sheet = document(*rings((0, 30), (50, 20)), {"verb": "loft", "sections": ["l1", "l3"], "gives": "skin"})
    assert [line.id for line in edit.dependents(sheet, "l3")] == ["l4", "l5"]


def test_a_round_cord_along_a_helix_is_as_long_as_pappus_says() -> None:
    """Area by length of the helix is the cord's volume."""
    cord = {"verb": "cord", "path": "l1", "width": 6, "gives": "spring", "start": "flat", "end": "flat", "tolerance": 1e-4}
    length = 3 * np.hypot(2 * np.pi * 25, 20)
    assert volume(surface(HELIX, cord), 32, 300) == pytest.approx(np.pi * 9 * length, rel=1e-5)


def test_a_domed_cord_closes_all_in_quads() -> None:
    """The spring with domes is closed and all quads."""
    build = run(
        HELIX,
        {"verb": "cord", "path": "l1", "width": 6, "gives": "spring", "start": "domed", "end": "domed"},
        {"verb": "mesh", "surface": "l2", "round": 16, "along": 200, "gives": "m"},
    )
    mesh = build.items["l3"].item.mesh
    assert is_closed(mesh)
    assert (np.diff(mesh.topology.face_offsets) == 4).all()
    assert enclosed_volume(mesh) > 0


@pytest.mark.parametrize("section", ["oval", "square", "rectangular"])
def test_cords_of_other_sections_hold_area_times_length(section: str) -> None:
    """Oval, square and rectangular cords hold their volume."""
    line = {"verb": "line", "gives": "axis", "plane": "front", "to_right": 0, "to_up": 80}
    cord = {"verb": "cord", "path": "l1", "section": section, "width": 6, "height": 4, "gives": "bar"}
    area = {"oval": np.pi * 6, "square": 36, "rectangular": 24}[section]
    assert volume(surface(line, cord), 64, 40) == pytest.approx(area * 80, rel=1e-4)


def test_a_profile_drawn_anywhere_is_swept_about_its_middle_facing_out() -> None:
    """Wherever the profile was drawn, the bar is the same."""
    line = {"verb": "line", "gives": "axis", "to_right": 80, "to_up": 0}
    profile = {"verb": "rectangle", "gives": "section", "plane": "side", "width": 10, "height": 4, "radius": 0}
    sweep = {"verb": "sweep", "profile": "l1", "path": "l2", "gives": "bar"}
    for place in (0, 55):
        of = surface({**profile, "right": place, "up": place / 2}, line, sweep)
        assert volume(of, 32, 40) == pytest.approx(40 * 80, rel=1e-6)


def test_a_law_scales_a_cord_down_to_its_end() -> None:
    """The tapered cord holds the frustum's volume."""
    line = {"verb": "line", "gives": "axis", "to_right": 0, "to_up": 60}
    cord = {"verb": "cord", "path": "l1", "width": 20, "scale": "1 to 0.5", "gives": "handle", "tolerance": 1e-5}
    assert volume(surface(line, cord), 64, 60) == pytest.approx(np.pi * 60 / 3 * (100 + 50 + 25), rel=1e-4)


def test_too_tight_a_bend_is_worth_a_look_and_names_its_place() -> None:
    """The finding names the place of the bend."""
    path = {"verb": "draw", "gives": "path", "points": [{"x": 0, "y": 0}, {"x": 30, "y": 0}, {"x": 33, "y": 30}]}
    report = run(path, {"verb": "cord", "path": "l1", "width": 60, "gives": "fat"}).reports["l2"]
    assert report.status == "look"
    assert "too wide for the bend at x" in report.findings[0].sentence


@pytest.mark.parametrize("sides", ["to one side", "to both sides"])
@pytest.mark.parametrize("distance", [25, -25])
def test_an_extruded_plate_holds_area_times_height(sides: str, distance: float) -> None:
    """Distances of both signs to one and to both sides."""
    plate = {"verb": "rectangle", "gives": "plate", "plane": "plan", "width": 40, "height": 30, "radius": 0}
    of = surface(plate, {"verb": "extrude", "profile": "l1", "distance": distance, "sides": sides, "gives": "block"})
    assert volume(of, 32, 24) == pytest.approx(40 * 30 * 25, rel=1e-6)
    low, high = of.control_points[..., 2].min(), of.control_points[..., 2].max()
    middle = 0 if sides == "to both sides" else distance / 2
    assert (low, high) == pytest.approx((middle - 12.5, middle + 12.5))


def test_an_eased_extrusion_follows_its_law() -> None:
    """Volume by the trapezoid rule over the law's own squares."""
    shares = np.linspace(0, 1, 2001)
    factors = read_law("1 to 0.4 eased", "number", {}).at(shares) ** 2
    wanted = np.pi * 900 * 50 * np.trapezoid(factors, shares)
    of = surface(RING, {"verb": "extrude", "profile": "l1", "distance": 50, "scale": "1 to 0.4 eased", "gives": "post"})
    assert volume(of, 64, 96) == pytest.approx(wanted, rel=1e-3)


def test_an_outline_that_bends_in_keeps_open_ends() -> None:
    """Flat ends are refused with the verb that makes them; open ones pass."""
    points = [{"x": x, "y": y} for x, y in ((0, 0), (60, 0), (60, 50), (40, 50), (40, 12), (20, 12), (20, 50), (0, 50))]
    notch = {"verb": "draw", "gives": "notch", "points": points, "shape": "closed", "manner": "straight through"}
    assert "make a Plate of it" in failure(notch, {"verb": "extrude", "profile": "l1", "gives": "block"})
    surface(notch, {"verb": "extrude", "profile": "l1", "gives": "block", "start": "open", "end": "open"})


def test_an_isocurve_of_a_cylinder_is_its_rim() -> None:
    """Its length is the circumference, and a pole is refused."""
    body = {"verb": "simple", "form": "cylinder", "radius": 20, "height": 30, "gives": "b"}
    build = run(body, {"verb": "isocurve", "gives": "rim", "surface": "l1"})
    rim = build.items["l2"].item.curve
    assert measure_length(rim).length == pytest.approx(2 * np.pi * 20)
    assert np.ptp(rim.control_points[:, 2]) == 0
    ball = {"verb": "simple", "gives": "b"}
    assert "one point" in failure(ball, {"verb": "isocurve", "gives": "rim", "surface": "l1"})


def test_both_parts_of_a_cut_surface_make_the_whole() -> None:
    """Both heights add up to the whole."""
    body = {"verb": "simple", "form": "cylinder", "radius": 20, "height": 30, "gives": "b"}
    cut = {"verb": "cut_surface", "surface": "l1", "share": 0.25, "gives": "part"}
    spans = [np.ptp(surface(body, {**cut, "part": part}).control_points[..., 2]) for part in ("first", "second")]
    assert spans == pytest.approx([7.5, 22.5])


def test_flipping_turns_the_volume_round() -> None:
    """A flipped ball encloses its volume with the other sign."""
    build = run({"verb": "simple", "gives": "b"}, {"verb": "flip", "surface": "l1"})
    assert volume(build.items["l1"].item.surface, 32, 32) == pytest.approx(-4 / 3 * np.pi * 125_000, rel=1e-3)


@pytest.mark.parametrize(
    ("text", "start", "end"),
    [("2", 2, 2), ("1 to 0.5", 1, 0.5), ("n to 2 * n eased", 3, 6), ("1 to 2 eased in, bias 0.3", 1, 2)],
)
def test_laws_are_read_as_typed(text: str, start: float, end: float) -> None:
    """Ends and the sizes used are those of the text."""
    law = read_law(text, "number", {"n": Quantity(3.0)})
    assert (law.start, law.end) == (start, end)
    assert law_names(text) == ({"n"} if "n to" in text else set())


def test_a_law_that_cannot_be_read_says_how_it_is_written() -> None:
    """Half a law and a scale of none are told how to write."""
    line = {"verb": "line", "gives": "axis", "to_right": 0, "to_up": 60}
    assert "1 to 0.5 eased" in failure(line, {"verb": "cord", "path": "l1", "scale": "1 to", "gives": "h"})
    assert "at least 0.001" in failure(line, {"verb": "cord", "path": "l1", "scale": "1 to 0", "gives": "h"})


def test_a_size_in_a_law_is_renamed_with_it() -> None:
    """The law's text follows the new name."""
    sheet = document(
        {"verb": "size", "name": "taper", "value": 0.5},
        {"verb": "line", "gives": "axis"},
        {"verb": "cord", "path": "l2", "scale": "1 to taper eased", "gives": "h"},
    )
    renamed = edit.set_field(sheet, "l1", "name", "thin")
    assert renamed.lines[2].scale == "1 to thin eased"
    assert "thin" in edit.used_sizes(renamed.lines[2])


def test_a_straight_section_extrudes_to_a_sheet() -> None:
    """The width of the sheet is the distance."""
    of = surface({"verb": "line", "gives": "edge"}, {"verb": "extrude", "profile": "l1", "distance": 15, "gives": "s"})
    assert lengths(of.control_points[0, 0] - of.control_points[0, -1]) == pytest.approx(15)


def test_a_surface_is_moved_turned_and_scaled_like_a_curve() -> None:
    """A sphere becomes an ellipsoid of the product's volume."""
    body = {"verb": "simple", "form": "sphere", "radius": 10, "gives": "b"}
    build = run(
        body,
        {"verb": "scale", "curve": "l1", "evenly": "by own factors", "fx": 2, "fy": 1, "fz": 3},
        {"verb": "turn", "curve": "l1", "angle": 90, "axis": "upright axis"},
        {"verb": "move", "curve": "l1", "x": 5, "y": 0, "z": 0},
    )
    of = build.items["l1"].item.surface
    assert volume(of, 64, 64) == pytest.approx(4 / 3 * np.pi * 6000, rel=1e-3)
    assert np.ptp(of.control_points.reshape(-1, 3), axis=0) == pytest.approx([20, 40, 60])


def test_a_mirrored_surface_still_faces_out_and_is_not_welded() -> None:
    """The mirrored torus faces out; welding a surface is refused."""
    body = {"verb": "simple", "form": "torus", "radius": 30, "second": 8, "x": 50, "gives": "b"}
    build = run(body, {"verb": "mirror", "curve": "l1", "kept": "alone"})
    of = build.items["l1"].item.surface
    assert volume(of, 48, 96) == pytest.approx(2 * np.pi**2 * 30 * 64, rel=1e-3)
    assert of.control_points[..., 0].max() < 0
    assert "mirrored alone" in failure(body, {"verb": "mirror", "curve": "l1"})


def test_a_profile_is_revolved_about_a_line_from_an_angle() -> None:
    """A torus about a line away from the middle, half of it, and a bent line refused."""
    profile = {"verb": "circle", "gives": "o", "radius": 8, "right": 70, "up": 10}
    axis = {"verb": "line", "gives": "axis", "right": 30, "up": 0, "to_right": 30, "to_up": 50}
    turned = {"verb": "revolve", "profile": "l1", "axis": "line", "line": "l2", "gives": "ring"}
    assert volume(surface(profile, axis, turned), 48, 96) == pytest.approx(2 * np.pi**2 * 40 * 64, rel=1e-3)
    half = surface(profile, axis, {**turned, "angle": "180°", "start_angle": "90°"})
    assert half.control_points[..., 0].max() < 30 + 8 + 1e-9
    bent = {"verb": "draw", "gives": "bent", "points": [{"x": 0, "y": 0}, {"x": 5, "y": 9}, {"x": 0, "y": 20}]}
    assert "should be a straight line" in failure(profile, bent, turned)
