"""More of the Form chapter: surfaces worked on, gathered, ridged and plated; skins, tables, rolls and whole examples."""

from __future__ import annotations

import numpy as np
import pytest

from glass_spoon.formats.step import NamedSurfaces, write_step
from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.gauges.face_figures import figures_of
from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume, read_area
from glass_spoon.kernel.meshing.mesh_surface import mesh_surface
from glass_spoon.kernel.surfaces.alter.edit_surface import isocurve
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet
from glass_spoon.sheet import edit
from glass_spoon.sheet.expressions import Quantity
from glass_spoon.sheet.law_text import law_names, read_law
from glass_spoon.sheet.propose import propose
from tests.kernel.test_sweep import is_closed
from tests.sheet.test_draw_chapter import failure, run
from tests.sheet.test_form_chapter import document, surface

PIPE = {"verb": "simple", "form": "cylinder", "radius": 20, "height": 40, "gives": "pipe"}


def area(made) -> float:
    """Return the area in mm^2 of a fine mesh of a surface."""
    return read_area(figures_of(mesh_surface(made, 96, 40))).value


def test_surface_is_lengthened_at_either_end() -> None:
    """The pipe grows at its start by the length."""
    longer = surface(
        PIPE, {"verb": "lengthen", "surface": "l1", "length": 10, "end": "start"}, {"verb": "copy_surface", "surface": "l1"}
    )
    assert area(longer) == pytest.approx(2 * np.pi * 20 * 50, rel=1e-3)
    assert longer.control_points[..., 2].min() == pytest.approx(-10)


def test_parallel_surface_lies_inside_and_tells_of_folds() -> None:
    """The inner pipe's area, and the fold's sentence with its limit."""
    inner = surface(PIPE, {"verb": "parallel", "surface": "l1", "distance": 2})
    assert area(inner) == pytest.approx(2 * np.pi * 18 * 40, rel=1e-3)
    build = run(PIPE, {"verb": "parallel", "surface": "l1", "distance": 25})
    finding = build.reports["l2"].findings[0]
    assert "folds" in finding.sentence
    assert "Less than 20.00 mm does not fold." in finding.sentence


def test_seam_swap_and_flip_work_in_place() -> None:
    """After seam, swap and flip the surface starts at the place asked for."""
    turned = surface(
        PIPE,
        {"verb": "seam", "surface": "l1", "found": "place", "x": 0, "y": 20, "z": 10},
        {"verb": "swap", "surface": "l1"},
        {"verb": "swap", "surface": "l1"},
        {"verb": "swap", "surface": "l1"},
        {"verb": "copy_surface", "surface": "l1"},
    )
    start = turned.control_points[:, 0]
    assert np.allclose(np.hypot(start[:, 0], start[:, 1] - 20), 0, atol=1e-6) or np.allclose(
        start[0, :2], [0, 20], atol=1e-6
    )


def test_rebuild_tells_when_fewer_points_do_not_do() -> None:
    """A hopeless rebuild says that it stays; a loose one counts what it saved."""
    build = run(PIPE, {"verb": "rebuild", "surface": "l1", "tolerance": 1e-4})
    assert "it stays as it is" in build.reports["l2"].findings[0].sentence
    lighter = run(
        {"verb": "draw", "gives": "p", "points": [{"x": 10 + k % 2, "y": 3 * k} for k in range(20)]},
        {"verb": "revolve", "profile": "l1"},
        {"verb": "rebuild", "surface": "l2", "tolerance": 5},
    )
    assert lighter.reports["l3"].status == "good"
    assert "became" in lighter.items["l2"].item.told


def test_cut_and_isocurve_find_the_nearest_place() -> None:
    """The part above the place, and the isocurve at its height."""
    upper = surface(PIPE, {"verb": "cut_surface", "surface": "l1", "found": "place", "x": 25, "z": 30, "part": "second"})
    assert area(upper) == pytest.approx(2 * np.pi * 20 * 10, rel=1e-3)
    build = run(PIPE, {"verb": "isocurve", "surface": "l1", "found": "place", "x": 25, "z": 30})
    assert np.allclose(build.items["l2"].item.curve.control_points[:, 2], 30)


def test_gathered_surfaces_face_alike_and_mesh_as_one() -> None:
    """Bottom, pipe and top close to their volume with pieces in order."""
    build = run(
        PIPE,
        {"verb": "simple", "form": "sphere", "low": "-90°", "high": "0°", "radius": 20, "gives": "bottom"},
        {"verb": "simple", "form": "disc", "radius": 20, "second": 0, "z": 40, "gives": "lid"},
        {"verb": "flip", "surface": "l2"},
        {"verb": "gather", "surfaces": ["l1", "l2", "l3"]},
        {"verb": "mesh", "surface": "l5", "sizing": "edge length", "edge_length": 3},
    )
    assert build.reports["l5"].status == "good"
    mesh = build.items["l6"].item.mesh
    assert is_closed(mesh)
    assert mesh.topology.is_quads
    wanted = np.pi * 400 * 40 + 2 / 3 * np.pi * 8000
    assert enclosed_volume(mesh) == pytest.approx(wanted, rel=0.02)
    assert set(np.unique(mesh.faces["piece"])) == {0.0, 1.0, 2.0}
    assert build.items["l5"].item.parts == (0, 1, 2)


def test_gathering_what_does_not_meet_is_told() -> None:
    """Two pipes apart share no edge, and that is said."""
    build = run(PIPE, {**PIPE, "x": 100, "gives": "other"}, {"verb": "gather", "surfaces": ["l1", "l2"]})
    assert "2 surfaces share no whole edge" in build.reports["l3"].findings[0].sentence


def test_sets_are_moved_turned_and_mirrored_whole() -> None:
    """A thread moved and mirrored is still whole and outward."""
    build = run(
        {"verb": "thread", "size": "M12", "height": 20, "turns": 5},
        {"verb": "move", "curve": "l1", "x": 30},
        {"verb": "mirror", "curve": "l1", "kept": "alone"},
        {"verb": "mesh", "surface": "l1", "round": 24, "along": 2},
    )
    assert all(report.status == "good" for report in build.reports.values())
    mesh = build.items["l4"].item.mesh
    assert mesh.positions[:, 0].mean() == pytest.approx(-30, abs=0.5)
    assert enclosed_volume(mesh) > 0


@pytest.mark.parametrize("form", ["blade", "bead"])
def test_ridge_stands_on_its_core(form: str) -> None:
    """Blade and bead reach their height over the core."""
    ridge = {"verb": "ridge", "form": form, "rise": 20, "turns": 3}
    build = run(ridge, {"verb": "mesh", "surface": "l1", "round": 24, "along": 6})
    mesh = build.items["l2"].item.mesh
    assert build.reports["l2"].status == "good"
    assert np.hypot(*mesh.positions[:, :2].T).max() == pytest.approx(32, rel=1e-3)


def test_ridge_of_an_own_profile_stands_outwards_whichever_way_it_is_drawn() -> None:
    """The fin points outwards whichever way its profile runs."""
    for up in (6, -6):
        build = run(
            {"verb": "draw", "gives": "fin", "points": [{"x": 0, "y": 0}, {"x": 3, "y": up}, {"x": 6, "y": 0}]},
            {"verb": "ridge", "form": "own", "profile": "l1", "turns": 3},
            {"verb": "mesh", "surface": "l2", "round": 24, "along": 6},
        )
        assert np.hypot(*build.items["l3"].item.mesh.positions[:, :2].T).max() == pytest.approx(18, rel=0.01)


def test_thread_that_is_none_is_refused_with_what_could_be_written() -> None:
    """Sizes that are none name sizes that are."""
    assert "M24" in failure({"verb": "thread", "size": "M24 coarse"})
    assert "M24 or M27" in failure({"verb": "thread", "size": "M25"})


def test_step_file_comes_in_with_names_and_what_is_left_out() -> None:
    """Name, colour and shape come in, and the mesh holds the volume."""
    torus = run({"verb": "simple", "form": "torus", "radius": 40, "second": 10}).items["l1"].item.surface
    text = write_step([NamedSurfaces("ring", SurfaceSet((torus,)), (0.5, 0.1, 0.1))]).decode()
    build = run({"verb": "import_step", "step": text}, {"verb": "mesh", "surface": "l1", "round": 48, "along": 24})
    assert all(report.status == "good" for report in build.reports.values())
    item = build.items["l1"].item
    assert item.names == ("ring",) * len(item.names)
    assert item.colors[0] == pytest.approx((0.5, 0.1, 0.1), abs=1e-3)
    assert is_closed(build.items["l2"].item.mesh)
    assert enclosed_volume(build.items["l2"].item.mesh) == pytest.approx(2 * np.pi**2 * 40 * 100, rel=0.03)


@pytest.mark.parametrize(("text", "words"), [("", "Choose a STEP or IGES file"), ("solid", "neither a STEP nor an IGES")])
def test_no_step_file_is_told(text: str, words: str) -> None:
    """An empty and a wrong file each get their sentence."""
    assert words in failure({"verb": "import_step", "step": text})


def test_plate_with_holes_lies_where_its_outline_does() -> None:
    """On the front plane the plate lies towards the viewer, with its holes."""
    front = {"verb": "rectangle", "gives": "o", "plane": "front", "width": 60, "height": 40, "radius": 0}
    hole = {"verb": "circle", "gives": "h", "plane": "front", "radius": 4, "right": -15}
    build = run(
        front,
        hole,
        {"verb": "row", "gives": "hs", "curve": "l2", "count": 3, "x": 15},
        {"verb": "plate", "outline": "l1", "holes": ["l3"], "height": 8, "upper": "rounded", "upper_size": 2},
        {"verb": "mesh", "surface": "l4", "sizing": "edge length", "edge_length": 4},
    )
    assert [report.status for report in build.reports.values()] == ["good"] * 5
    mesh = build.items["l5"].item.mesh
    assert is_closed(mesh)
    assert np.ptp(mesh.positions[:, 1]) == pytest.approx(8)
    assert mesh.positions[:, 1].min() == pytest.approx(-8)  # towards the viewer, the side that counts
    assert enclosed_volume(mesh) == pytest.approx((60 * 40 - 3 * np.pi * 16) * 8, rel=0.05)


def test_plate_refuses_what_does_not_fit() -> None:
    """An edge, holes or a height that fail are told with what fits."""
    square = {"verb": "rectangle", "gives": "o", "plane": "plan", "width": 20, "height": 20, "radius": 0}
    assert "The largest that fits is 9.999 mm" in failure(
        square, {"verb": "plate", "outline": "l1", "height": 40, "upper": "rounded", "upper_size": 12}
    )
    high = {"verb": "circle", "gives": "h", "plane": "front", "radius": 3}
    assert "in the plane of the outline" in failure(square, high, {"verb": "plate", "outline": "l1", "holes": ["l2"]})
    assert "other than 0 mm" in failure(square, {"verb": "plate", "outline": "l1", "height": 0})


@pytest.mark.parametrize(
    ("values", "size"),
    [
        ({"direction": "by x, y, z", "x": 3, "y": 4, "z": 0}, (3, 4, 0)),
        ({"direction": "to a height", "z": 25}, (0, 0, 25)),
        ({"direction": "to a height", "z": -5}, (0, 0, -5)),
    ],
)
def test_extrusion_by_a_vector_and_to_a_height(values: dict, size: tuple) -> None:
    """The far edge lies where the values say."""
    line = {"verb": "line", "gives": "base", "plane": "plan", "to_right": 30, "to_up": 0}
    wall = surface(line, {"verb": "extrude", "profile": "l1", **values})
    assert np.allclose(wall.control_points[0, -1] - wall.control_points[0, 0], size)


def test_skin_is_drawn_over_its_rings() -> None:
    """Widths and heights of the mesh are the table's."""
    rings = [{"height": 0, "width": 60}, {"height": 40, "width": "90 mm", "depth": 70}, {"height": 110, "width": 50}]
    skin = surface({"verb": "skin", "rings": rings})
    mesh = mesh_surface(skin, 48, 40)
    level = np.abs(mesh.positions[:, 2] - 0) < 1e-6
    assert np.ptp(mesh.positions[level, 0]) == pytest.approx(60)
    assert np.ptp(mesh.positions[:, 2]) == pytest.approx(110)


def test_skins_that_share_a_ring_meet_exactly() -> None:
    """Two skins over one ring gather without a gap."""
    build = run(
        {"verb": "skin", "rings": [{"height": 0, "width": 60, "corner": 10}, {"height": 50, "width": 40}], "gives": "a"},
        {"verb": "skin", "first": "from a surface", "neighbour": "l1", "rings": [{"height": 90, "width": 30}], "gives": "b"},
        {"verb": "gather", "surfaces": ["l1", "l2"], "tolerance": 1e-6},
        {"verb": "mesh", "surface": "l3", "sizing": "edge length", "edge_length": 5},
    )
    assert [report.status for report in build.reports.values()] == ["good"] * 4
    mesh = build.items["l4"].item.mesh
    rims = np.unique(mesh.topology.edges.ends[np.bincount(mesh.topology.edges.of_corner) == 1])
    assert np.allclose(np.minimum(mesh.positions[rims, 2], 90 - mesh.positions[rims, 2]), 0, atol=1e-6)


@pytest.mark.parametrize(
    ("rings", "words"),
    [
        ([], "1 or more"),
        ([{"height": 0}], "The width of ring 1"),
        ([{"height": 0, "width": 0}, {"height": 9, "width": 5}], "above 0 mm wide"),
        ([{"height": 0, "width": 10, "size": 3}, {"height": 9, "width": 5}], "A column of the rings"),
        ([{"height": 0, "width": "ten"}, {"height": 9, "width": 5}], "width of ring 1"),
    ],
)
def test_rings_that_cannot_be_read_are_told(rings: list, words: str) -> None:
    """Rows that cannot be read are told by their number."""
    assert words in failure({"verb": "skin", "rings": rings})


def test_sizes_in_a_table_are_renamed_and_counted_as_used() -> None:
    """A renamed size is renamed in tables and found used."""
    rings = [{"height": 0, "width": "foot"}, {"height": "foot / 2", "width": 20}]
    sheet = document({"verb": "size", "name": "foot", "value": "60 mm"}, {"verb": "skin", "rings": rings})
    renamed = edit.set_field(sheet, "l1", "name", "base")
    assert renamed.line("l2").rings[1]["height"] == "base / 2"
    assert edit.used_sizes(sheet.line("l2")) == {"foot"}


def test_net_is_pulled_where_the_moves_say() -> None:
    """One control point rises; numbers that are none are told."""
    sheet = {"verb": "simple", "form": "sheet", "radius": 100, "second": 60}
    lifted = surface(
        sheet,
        {"verb": "pull", "surface": "l1", "moves": [{"round": 1, "along": 2, "x": 0, "y": 0, "z": "5 mm"}]},
        {"verb": "copy_surface", "surface": "l1"},
    )
    assert lifted.control_points[0, 1, 2] == pytest.approx(5)
    assert "round 1 to 2" in failure(
        sheet, {"verb": "pull", "surface": "l1", "moves": [{"round": 3, "along": 1, "x": 0, "y": 0, "z": 1}]}
    )


def test_revolve_climbs_and_flattens() -> None:
    """A ramp reaches its height, flattening its widths, and over a turn is one turn."""
    line = {"verb": "line", "gives": "p", "right": 20, "up": 0, "to_right": 30, "to_up": 0}
    ramp = surface(line, {"verb": "revolve", "profile": "l1", "course": "climbing", "rise": 40, "angle": "720°"})
    assert ramp.control_points[..., 2].max() == pytest.approx(80, abs=1e-6)
    post = {**line, "to_right": 20, "to_up": 50}
    oval = surface(post, {"verb": "revolve", "profile": "l1", "section": "oval", "flattened": 0.5})
    assert np.ptp(oval.control_points[..., 0]) == pytest.approx(40)
    assert np.ptp(oval.control_points[..., 1]) == pytest.approx(20)
    whole = surface(post, {"verb": "revolve", "profile": "l1", "angle": "400°"})
    assert np.allclose(whole.control_points, surface(post, {"verb": "revolve", "profile": "l1"}).control_points)


def test_oar_is_one_sweep_of_two_profiles() -> None:
    """The blade's end has the thickness of the second profile."""
    build = run(
        {"verb": "line", "gives": "way", "to_right": 1000, "to_up": 0},
        {"verb": "circle", "gives": "loom", "plane": "side", "radius": 20},
        {"verb": "ellipse", "gives": "blade", "plane": "side", "first": 8, "second": 70},
        {
            "verb": "sweep", "profile": "l2", "others": ["l3"], "path": "l1", "facing": "upright",
            "blend": "0, 0 at 0.6, 1", "tolerance": 0.05,
        },
        {"verb": "mesh", "surface": "l4", "round": 24, "along": 60},
    )  # fmt: skip
    assert [report.status for report in build.reports.values()] == ["good"] * 5
    mesh = build.items["l5"].item.mesh
    assert is_closed(mesh)
    tip = mesh.positions[:, 0] > 1000 - 1e-6
    assert np.ptp(mesh.positions[tip, 1]) == pytest.approx(16, abs=0.2)


def test_cords_follow_every_path_of_a_set() -> None:
    """Fourteen slats hold fourteen volumes."""
    build = run(
        {"verb": "line", "gives": "slat", "plane": "side", "right": -30, "to_right": 30},
        {"verb": "row", "gives": "slats", "curve": "l1", "count": 14, "x": 12},
        {"verb": "cord", "path": "l2", "section": "rectangular", "width": 8, "height": 3, "facing": "upright"},
        {"verb": "mesh", "surface": "l3", "sizing": "edge length", "edge_length": 4},
    )
    assert [report.status for report in build.reports.values()] == ["good"] * 4
    assert enclosed_volume(build.items["l4"].item.mesh) == pytest.approx(14 * 60 * 24, rel=1e-6)


def test_path_corners_are_rounded_or_broken() -> None:
    """Rounded and broken corners shorten the pipe."""
    points = [{"x": 0, "y": 0}, {"x": 60, "y": 0}, {"x": 60, "y": 60}]
    bend = {"verb": "draw", "gives": "bend", "manner": "straight through", "points": points}
    lengths_now = []
    for corners in ("mitred", "rounded", "broken"):
        cord = {"verb": "cord", "path": "l1", "width": 6, "corners": corners, "corner_size": 15}
        pipe = surface(bend, {**cord, "start": "open", "end": "open"})
        lengths_now.append(measure_length(isocurve(pipe, 1, 0.0)).length)
    assert lengths_now[0] > lengths_now[2] > lengths_now[1] - 5


@pytest.mark.parametrize(
    ("text", "values"),
    [("1, 1.4 at 0.3, 0.5", [1, 1.4, 0.5]), ("0°, 90° at n / 6, 0°", [0, np.pi / 2, 0])],
)
def test_law_through_places_is_read(text: str, values: list) -> None:
    """Values and places of laws as typed, with their sizes."""
    law = read_law(text, "angle" if "°" in text else "number", {"n": Quantity(3.0)})
    assert law.values == pytest.approx(values)
    assert law.between[0][0] == pytest.approx(0.3 if "0.3" in text else 0.5)
    assert law_names(text) == ({"n"} if "n" in text else set())


def test_fitted_surfaces_tell_how_far_off_they_are() -> None:
    """The sentence names no more than the tolerance; an exact surface tells nothing."""
    line = {"verb": "line", "gives": "p", "right": 20, "up": 0, "to_right": 30, "to_up": 0}
    climbing = {"verb": "revolve", "profile": "l1", "course": "climbing", "rise": 40, "tolerance": 0.004}
    told = run(line, climbing).reports["l2"].told
    assert 0 < float(told.removeprefix("At most ").removesuffix(" mm off.")) <= 0.004
    assert run(line, {"verb": "revolve", "profile": "l1"}).reports["l2"].told == ""


def test_a_sheet_is_rolled_with_its_drawing() -> None:
    """A label all round a post: the drawing on it keeps its length, and its middle row stays at the sheet's height."""
    sheet = {"verb": "simple", "gives": "label", "form": "sheet", "radius": 100, "second": 30, "z": 12}
    mark = {"verb": "circle", "gives": "mark", "plane": "plan", "radius": 9}
    lines = [sheet, mark, {"verb": "move", "curve": "l2", "z": 12}, {"verb": "roll", "surface": "l1", "radius": 20}]
    build = run(*lines, {"verb": "carry", "curves": ["l2"], "source": "l1", "target": "l4", "tolerance": 0.001})
    assert [report.status for report in build.reports.values()] == ["good"] * 5
    (carried,) = build.items["l5"].item.curves
    assert measure_length(carried).length == pytest.approx(2 * np.pi * 9, rel=1e-4)
    assert "at least 15.9155 mm" in failure(sheet, {"verb": "roll", "surface": "l1", "radius": 15})


def test_a_seat_profile_respaced_to_15_points_carries_14_slats() -> None:
    """Common practice, no source: one slat on each stretch between neighbouring points."""
    seat = {"verb": "draw", "gives": "seat", "points": [{"x": 0, "y": 0}, {"x": 180, "y": -30}, {"x": 420, "y": 15}]}
    spaced = run(seat, {"verb": "respace", "curve": "l1", "count": 14}).items["l1"].item.curve
    slat = {"verb": "line", "gives": "slat", "plane": "side", "right": -30, "to_right": 30}
    build = run(
        seat,
        {"verb": "respace", "curve": "l1", "count": 14},
        slat,
        {"verb": "spread", "curve": "l3", "path": "l1", "count": 14},
        {"verb": "cord", "path": "l4", "section": "rectangular", "width": 8, "height": 3},
    )
    assert [report.status for report in build.reports.values()] == ["good"] * 5
    assert len(spaced.breaks) == 15  # 14 steps
    assert len(build.items["l5"].item.shape.surfaces) == 14


def test_a_lid_takes_a_rounded_top_edge_in_three_steps() -> None:
    """Common practice, no source: 20 by 10 with corners of 1 and height 1, its top edge 0.1 in 3 steps.

    The volume is that of the block less what the edge takes, by Pappus at the corners; the chords of the mesh round them
    lose two thirds of their sag.
    """
    lid = {"verb": "plate", "outline": "l1", "height": 1, "upper": "rounded", "upper_size": 0.1, "upper_steps": 3}
    build = run(
        {"verb": "rectangle", "gives": "outline", "plane": "plan", "width": 20, "height": 10, "radius": 1},
        lid,
        {"verb": "mesh", "surface": "l2", "sizing": "chord", "chord": 0.001},
    )
    assert [report.status for report in build.reports.values()] == ["good"] * 3
    mesh = build.items["l3"].item.mesh
    assert is_closed(mesh)
    assert np.ptp(mesh.positions, axis=0) == pytest.approx([20, 10, 1])
    size, straight, turns = 0.1, 2 * (18 + 8), np.radians([0, 30, 60, 90])
    # Between the square corner and the three chords of the quarter turn: area and middle, by triangles from its centre.
    fan = np.sin(np.radians(30)) / 2 * size**2
    taken = size**2 - 3 * fan
    moment = size**3 / 2 - fan * (np.cos(turns[:-1]) + np.cos(turns[1:])).sum() * size / 3
    corners = 2 * np.pi * (taken * (1 - size) + moment)
    block = 20 * 10 - (4 - np.pi)
    assert enclosed_volume(mesh) == pytest.approx(block - taken * straight - corners, abs=2 * np.pi * 0.001 * 2 / 3 * 1.1)


def test_gathered_sets_keep_their_flat_ends() -> None:
    """A plate gathered with a wall that stands on its own keeps both ends: it is still closed."""
    build = run(
        {"verb": "rectangle", "gives": "outline", "plane": "plan", "width": 30, "height": 20},
        {"verb": "plate", "outline": "l1", "height": 4},
        {"verb": "simple", "gives": "ball", "form": "sphere", "radius": 5, "z": 40},
        {"verb": "gather", "surfaces": ["l2", "l3"]},
        {"verb": "mesh", "surface": "l4", "sizing": "edge length", "edge_length": 2},
    )
    mesh = build.items["l5"].item.mesh
    assert is_closed(mesh)
    block = (30 * 20 - (4 - np.pi) * 100) * 4  # corners of 10
    assert enclosed_volume(mesh) == pytest.approx(block + 4 / 3 * np.pi * 125, rel=2e-2)


def test_a_turned_handle_in_36_segments_looks_round() -> None:
    """Common practice, no source. Its faces turn by ten degrees, and stand off by 0.4 % of the radius."""
    build = run(
        {"verb": "draw", "gives": "handle", "points": [{"x": 12, "y": 0}, {"x": 16, "y": 45}, {"x": 11, "y": 90}]},
        {"verb": "revolve", "profile": "l1"},
        {"verb": "mesh", "surface": "l2", "round": 36, "along": 12},
    )
    mesh = build.items["l3"].item.mesh
    radii = np.hypot(*mesh.positions[:, :2].T)
    ends = mesh.topology.edges.ends
    level = np.abs(np.diff(mesh.positions[ends, 2], axis=1)[:, 0]) < 1e-9
    middles = np.hypot(*mesh.positions[ends[level]].mean(axis=1)[:, :2].T)
    assert level.sum() == 36 * 13
    assert (1 - middles / radii[ends[level, 0]]).max() == pytest.approx(1 - np.cos(np.radians(5)), rel=1e-9)
    assert (1 - middles / radii[ends[level, 0]]).max() < 0.004


def test_carry_is_proposed_from_the_sheet_to_what_was_made_of_it() -> None:
    """The last surface is where the drawing goes, the one before is where it lies."""
    lines = (
        {"verb": "simple", "gives": "label", "form": "sheet"},
        {"verb": "circle", "gives": "mark", "plane": "plan", "radius": 9},
        {"verb": "roll", "surface": "l1", "gives": "rolled"},
    )
    line = propose("carry", document(*lines))[0].line
    assert (line.verb, line.source, line.target, line.curves) == ("carry", "l1", "l3", ["l2"])
