"""Where surfaces cross, faces between the crossings, bodies of them, and their meshes: against formulas and Open CASCADE."""

from __future__ import annotations

import numpy as np
import pytest
from OCP.BRepAlgoAPI import BRepAlgoAPI_Section
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace
from OCP.BRepGProp import BRepGProp
from OCP.GProp import GProp_GProps

from glass_spoon.formats.step_geometry import geom_surface
from glass_spoon.kernel.arrays import lengths
from glass_spoon.kernel.curves.alter.place_curve import moving, turning
from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.curves.make.flat_shapes import make_circle, make_rectangle
from glass_spoon.kernel.curves.make.line_and_arc import make_polyline
from glass_spoon.kernel.errors import KernelError, TooManyFaces
from glass_spoon.kernel.meshes.mesh import check_mesh
from glass_spoon.kernel.surfaces.alter.edit_surface import place_surface
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_points
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.trims.common_places import Parallel
from glass_spoon.kernel.trims.cross_surfaces import Crossing, cross_surfaces
from glass_spoon.kernel.trims.cutters import faces_as_cutter, let_through, standing_on
from glass_spoon.kernel.trims.face import FaceSet, make_face_set, place_face, reverse_face, whole_face
from glass_spoon.kernel.trims.join_crossings import crossing_curves
from glass_spoon.kernel.trims.mesh_faces import area_of, mesh_faces
from glass_spoon.kernel.trims.shared_edges import find_edges
from glass_spoon.kernel.trims.trim import join_bodies, keep_side, part_by
from tests.kernel.trims import TO_X, area_of_mesh, ball, can, corners_of, pearl, plane, ring, tube, volume_of

SHARES = np.linspace(0.0, 1.0, 301)


def crossings(first: NurbsSurface, second: NurbsSurface) -> list[Crossing]:
    """Return where two surfaces cross."""
    return cross_surfaces(Parallel(first), Parallel(second))


def off_both(first: NurbsSurface, second: NurbsSurface, one: Crossing) -> float:
    """Return how far in mm a crossing is off either surface, by its own parameters there."""
    places = curve_points(one.curve, SHARES)
    found = []
    for surface, run in ((first, one.first), (second, one.second)):
        params = curve_points(run, SHARES)[:, :2]
        bounds = np.array([surface.domain(axis) for axis in (0, 1)]).T
        found.append(float(lengths(surface_points(surface, *np.clip(params, *bounds).T) - places).max()))
    return max(found)


def length_of(found: list[Crossing]) -> float:
    """Return the length in mm of crossings together."""
    return sum(measure_length(one.curve).length for one in found)


@pytest.mark.parametrize("factor", [0.01, 1.0, 100.0])
def test_equal_cylinders_cross_in_two_ellipses_that_touch_twice(factor: float) -> None:
    """Each ellipse has the axes r and r times the root of two; branches end where the cylinders touch, at (0, ±r, 0)."""
    first, second = tube(10 * factor, 30 * factor), place_surface(tube(10 * factor, 30 * factor), TO_X)
    found = crossings(first, second)
    assert max(off_both(first, second, one) for one in found) < 1e-8 * 60 * factor
    # The perimeter by the arithmetic-geometric mean (Gauss), to all digits.
    a, b = 10 * factor * np.sqrt(2), 10 * factor
    steps = np.linspace(0, 2 * np.pi, 4097)[:-1]
    perimeter = float(np.hypot(a * np.sin(steps), b * np.cos(steps)).mean() * 2 * np.pi)
    assert length_of(found) == pytest.approx(2 * perimeter, rel=1e-7)
    ends = np.concatenate([curve_points(one.curve, np.array([0.0, 1.0]))[list(one.touching)] for one in found])
    assert np.abs(np.abs(ends) - [0, 10 * factor, 0]).max() < 1e-6 * factor


def test_planes_cut_balls_in_circles_and_what_only_touches_is_no_crossing() -> None:
    """Radius by Pythagoras; a plane on a tube's side, and one beyond, cut nothing."""
    for height in (0.0, 7.0, -19.0):
        found = crossings(ball(20), plane(40, height))
        assert length_of(found) == pytest.approx(2 * np.pi * np.sqrt(400 - height**2), rel=1e-7)
    lying = place_surface(tube(10, 30), TO_X)
    assert crossings(lying, plane(40, 10.0)) == []
    assert crossings(lying, plane(40, 10.1)) == []
    assert len(crossings(lying, plane(40, 9.999))) == 2


def test_a_cut_through_poles_and_along_a_seam_is_followed() -> None:
    """A plane through the axis of a ball runs through both poles: two half circles, exact to their ends."""
    upright = place_surface(plane(40), turning((0, 0, 0), (1, 0, 0), np.pi / 2))
    for angle in (0.0, 0.4, np.pi / 2):
        turned = place_surface(upright, turning((0, 0, 0), (0, 0, 1), angle))
        found = crossings(ball(20), turned)
        assert length_of(found) == pytest.approx(2 * np.pi * 20, rel=1e-6)
        assert max(off_both(ball(20), turned, one) for one in found) < 1e-6


def occt_length(first: NurbsSurface, second: NurbsSurface) -> float:
    """Return the length in mm of the section that Open CASCADE finds."""
    shapes = [BRepBuilderAPI_MakeFace(geom_surface(one), 1e-7).Face() for one in (first, second)]
    section = BRepAlgoAPI_Section(*shapes)
    section.Build()
    properties = GProp_GProps()
    BRepGProp.LinearProperties_s(section.Shape(), properties)
    return float(properties.Mass())


def test_crossings_of_random_pairs_are_as_long_as_open_cascade_has_them() -> None:
    """Tubes, balls and rings in random places: the same length of all branches, and on both surfaces."""
    random = np.random.default_rng(7)
    makers = (
        lambda: tube(random.uniform(4, 12), 25),
        lambda: ball(random.uniform(6, 15)),
        lambda: ring(14, random.uniform(3, 6)),
    )
    compared = 0
    for _ in range(16):
        pair = []
        for _side in range(2):
            turn = turning((0, 0, 0), random.normal(size=3), random.uniform(0, np.pi))
            pair.append(place_surface(makers[random.integers(3)](), turn.then(moving(random.uniform(-8, 8, 3)))))
        found = crossings(*pair)
        known = occt_length(*pair)
        if known < 1.0:
            continue
        compared += 1
        assert max(off_both(*pair, one) for one in found) < 1e-5
        assert length_of(found) == pytest.approx(known, rel=1e-3)  # of one pair it leaves out some hundredths of a mm
    assert compared > 8


def opened(shape: FaceSet, step: float = 1.5) -> None:
    """Hold the mesh of faces to what every mesh of them keeps: quads, sound, even, its rims on the boundaries."""
    mesh = mesh_faces(shape, step)
    check_mesh(mesh)
    assert mesh.topology.is_quads
    corners = corners_of(mesh)
    assert ((corners > 45) & (corners < 135)).mean() > 0.98


@pytest.mark.parametrize("radius", [3.0, 6.0, 9.5])
def test_a_bore_opens_a_tube_on_both_sides(radius: float) -> None:
    """Two rims more, Euler's number down by two, and the area by quadrature of the removed discs."""
    wall = make_face_set([whole_face(tube(10, 30))])
    through = let_through(make_circle((0, 0), radius), np.array([0.0, 0.0, 1.0]), wall)
    turned = [place_face(face, turning((0, 0, 0), (1, 0, 0), np.pi / 2)) for face in through.shape.faces]
    parted = part_by(wall, [faces_as_cutter(make_face_set(turned))])
    kept = keep_side(wall, parted, "outside")
    opened(kept)
    mesh = mesh_faces(kept, 0.4)
    assert len(mesh.topology.boundary_loops) == 4
    across = np.linspace(-radius, radius, 20001)
    heights = 2 * np.sqrt(np.maximum(radius**2 - across**2, 0)) / np.sqrt(1 - (across / 10) ** 2)
    removed = 2 * float(np.trapezoid(heights, across))
    area = area_of_mesh(mesh)
    assert area == pytest.approx(2 * np.pi * 10 * 60 - removed, rel=2e-3)


@pytest.mark.parametrize("factor", [0.01, 100.0])
def test_closed_bodies_are_joined_taken_and_met(factor: float) -> None:
    """Unequal cylinders: united and common add up to both, to the chord error of the meshes; all closed and of quads."""
    first, second = can(10 * factor, 30 * factor), can(8 * factor, 30 * factor, TO_X)
    volumes = {}
    for way in ("united", "first less second", "common"):
        made, parted = join_bodies(first, second, way)  # type: ignore[arg-type]  # one of the three
        assert not len(find_edges(made).open_uses)
        assert parted.off < 1e-7 * 60 * factor
        mesh = mesh_faces(made, 1.6 * factor)
        assert not len(mesh.topology.boundary_edges)
        opened(made, 1.6 * factor)
        volumes[way] = volume_of(mesh) / factor**3
    whole = volume_of(mesh_faces(first, 1.6 * factor)) / factor**3
    assert volumes["first less second"] + volumes["common"] == pytest.approx(whole, rel=3e-3)
    other = volume_of(mesh_faces(second, 1.6 * factor)) / factor**3
    assert volumes["united"] + volumes["common"] == pytest.approx(whole + other, rel=3e-3)


def test_a_ball_with_a_bore_is_a_ring_of_the_known_volume() -> None:
    """The napkin ring: 4/3 pi h^3 with h the half height of the bore, whatever the ball (a classic of the textbooks)."""
    made, _ = join_bodies(pearl(20), can(12, 30), "first less second")
    mesh = mesh_faces(made, 0.7)
    assert not len(mesh.topology.boundary_edges)
    assert volume_of(mesh) == pytest.approx(4 / 3 * np.pi * 16**3, rel=2e-3)


def test_bodies_apart_and_nested_are_told_by_where_they_lie() -> None:
    """Nothing crosses: what is inside is found by winding numbers."""
    small, far = pearl(3, (2, 1, 0)), pearl(3, (60, 0, 0))
    united, parted = join_bodies(pearl(20), small, "united")
    assert len(united.faces) == 1
    assert parted.crossings == 0
    assert len(join_bodies(pearl(20), small, "first less second")[0].faces) == 2
    assert len(join_bodies(pearl(20), far, "united")[0].faces) == 2
    with pytest.raises(KernelError, match="do not meet"):
        join_bodies(pearl(20), far, "common")


def test_what_has_no_answer_is_refused_with_a_way_out() -> None:
    """Faces in one another, open bodies, cuts that end inside, curves off the surface, nothing on a side."""
    with pytest.raises(KernelError, match="first body is open"):
        join_bodies(make_face_set([whole_face(tube(10, 30))]), pearl(5), "united")
    sheet = make_face_set([whole_face(plane(20))])
    short = let_through(make_polyline(np.array([[-30.0, 3.0, 0.0], [5.0, 3.0, 0.0]])), np.array([0.0, 0.0, 1.0]), sheet)
    assert len(part_by(sheet, [short]).short) == 1
    half = let_through(make_polyline(np.array([[0.0, 0.0, 9.0], [30.0, 3.0, 9.0]])), np.array([0.0, 0.0, 1.0]), pearl(20))
    with pytest.raises(KernelError, match="parts nothing"):
        part_by(pearl(20), [half])
    with pytest.raises(KernelError, match="lies up to"):
        standing_on(make_polyline(np.array([[-5.0, 0.0, 4.0], [5.0, 0.0, 4.0]])), sheet)
    hole = let_through(make_circle((0, 0), 5), np.array([0.0, 0.0, 1.0]), sheet)
    parted = part_by(sheet, [hole])
    assert area_of(keep_side(sheet, parted, "inside").faces[0]) == pytest.approx(np.pi * 25, rel=0.05)
    with pytest.raises(TooManyFaces):
        mesh_faces(sheet, 0.001)


def test_crossing_cuts_part_a_sheet_in_all_their_pieces() -> None:
    """Two lines and a circle that they cross make eight parts; those that hang together go together."""
    sheet = make_face_set([whole_face(plane(20))])
    down = np.array([0.0, 0.0, 1.0])
    lines = [make_polyline(np.array(ends, dtype=float)) for ends in ([[-30, 1, 0], [30, 2, 0]], [[1, -30, 0], [2, 30, 0]])]
    cutters = [let_through(curve, down, sheet) for curve in (*lines, make_circle((0, 0), 8))]
    parted = part_by(sheet, cutters)
    assert len(parted.faces) == 8
    assert sum(area_of(face) for face in parted.faces) == pytest.approx(1600, rel=0.05)
    mesh = mesh_faces(make_face_set(parted.faces), 1.5)
    assert area_of_mesh(mesh) == pytest.approx(1600, rel=1e-9)
    assert len(mesh.topology.boundary_loops) == 1


def test_rounded_outlines_are_met_where_their_bend_jumps() -> None:
    """A rectangle with round corners has curvature that jumps eight times: the cut is exact all along."""
    sheet = make_face_set([whole_face(plane(40))])
    cut = let_through(make_rectangle(40, 24, 5), np.array([0.0, 0.0, 1.0]), sheet)
    parted = part_by(sheet, [cut])
    assert parted.off < 1e-6
    rim = next(face for face in parted.faces if len(face.loops) == 1)
    total = sum(use.length for use in find_edges(make_face_set([rim])).uses)
    assert total == pytest.approx(2 * (30 + 14) + 2 * np.pi * 5, rel=1e-8)


def test_faces_go_with_their_surfaces() -> None:
    """Moved, mirrored and reversed, a face keeps its boundary, and its side but where it is reversed."""
    hole = let_through(make_circle((3, 0), 4), np.array([0.0, 0.0, 1.0]), make_face_set([whole_face(plane(20))]))
    sheet = make_face_set([whole_face(plane(20))])
    face = keep_side(sheet, part_by(sheet, [hole]), "outside").faces[0]
    for moved in (place_face(face, moving((1, 2, 3))), place_face(face, turning((0, 0, 0), (0, 0, 1), 1.0))):
        assert area_of(moved) == pytest.approx(area_of(face))
    mirrored = place_face(face, TO_X)
    assert len(mirrored.loops) == 2
    for other in (reverse_face(face), place_face(face, turning((0, 0, 0), (1, 0, 0), np.pi))):
        mesh = mesh_faces(make_face_set([other]), 2.0)
        assert mesh.face_normals[:, 2].max() < -0.999
        check_mesh(mesh)


def test_sections_come_back_as_whole_curves() -> None:
    """A seam parts a crossing in the parameters, not in the curve that is given."""
    curves, off = crossing_curves(make_face_set([whole_face(tube(10, 30))]), make_face_set([whole_face(plane(40, 5.0))]))
    assert len(curves) == 1
    assert curves[0].is_closed(1e-6)
    assert off < 1e-6
