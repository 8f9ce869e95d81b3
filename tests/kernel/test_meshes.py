"""Topology, meshes of surfaces, pole caps, shading."""

from dataclasses import replace

import numpy as np
import pytest

from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.curves.make.line_and_arc import make_polyline
from glass_spoon.kernel.errors import CountImpossible, InvalidInput, TooManyFaces
from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume, mean_ratio
from glass_spoon.kernel.meshes.mesh import Mesh, check_mesh, make_mesh
from glass_spoon.kernel.meshes.shading import cut_triangles, shade_normals, sharp_edges, split_at_creases, split_at_jumps
from glass_spoon.kernel.meshes.topology import make_topology
from glass_spoon.kernel.meshing.divide_length import count_for_chord, count_for_edge_length, make_guide, share_count
from glass_spoon.kernel.meshing.mesh_surface import mesh_surface
from glass_spoon.kernel.meshing.pole_cap import make_disc, make_sector, make_tip
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_normals, surface_points
from glass_spoon.kernel.surfaces.make.revolve import revolve_curve
from tests.zoo import ORIGIN, TURN, UP, cone, cube_mesh, grid_mesh, kettle_profile, sphere, torus

KETTLE = revolve_curve(kettle_profile(), ORIGIN, UP, TURN)


def euler(topology):
    return topology.point_count - len(topology.edges.ends) + topology.face_count


@pytest.mark.parametrize("pages", [1, 2, 3, 4, 7])
def test_edges_count_all_their_faces(pages):
    """A book of so many pages: its back has as many faces, every other edge one."""
    angles = np.linspace(0, 3, pages)
    outer = [[np.cos(a), np.sin(a), z] for a in angles for z in (0, 1)]
    topology = make_mesh([[0, 0, 0], [0, 0, 1], *outer], [[0, 2 * k + 2, 2 * k + 3, 1] for k in range(pages)]).topology
    counts = topology.edge_face_counts
    assert counts[topology.find_edges(np.array([[0, 1]]))].tolist() == [pages]
    assert sorted(counts.tolist()) == [1] * (3 * pages) + [pages]


def test_cube_topology():
    """8 vertices, 12 edges, every edge between two faces, every corner with a twin running the other way."""
    topology = cube_mesh().topology
    assert len(topology.edges.ends) == 12
    assert (topology.edge_face_counts == 2).all()
    assert euler(topology) == 2
    twins = topology.twins
    assert (twins[twins] == np.arange(24)).all()
    assert (topology.face_corners[topology.next_corner[twins]] == topology.face_corners).all()


def test_corners_are_found_face_by_face_and_vertex_by_vertex():
    """Of faces of any sides in any order; every corner of a vertex, and no other."""
    topology = make_topology(6, [0, 1, 2, 3, 1, 4, 2, 4, 5, 3, 2], offsets=[0, 4, 7, 11])
    corners, owner = topology.corners_of_faces(np.array([2, 1]))
    assert topology.face_corners[corners].tolist() == [4, 5, 3, 2, 1, 4, 2]
    assert owner.tolist() == [0, 0, 0, 0, 1, 1, 1]
    at_two = topology.corners_at(np.array([2, 0]))
    assert topology.face_corners[at_two].tolist() == [2, 2, 2, 0]
    assert len(topology.corners_at(np.zeros(0, dtype=int))) == 0


def test_faces_spread_over_edges_up_to_what_is_not_marked():
    """From a face of a grid of 6 by 4 with a wall across: its own side alone, and no corner is slipped through."""
    topology = grid_mesh(6, 4).topology
    middles = grid_mesh(6, 4).face_centers
    across = int(np.argmax(np.ptp(middles, axis=0)))
    levels = np.unique(np.round(middles[:, across], 9))
    column = np.searchsorted(levels, np.round(middles[:, across], 9))
    wall = column == 3
    reached = topology.spread(np.flatnonzero(column == 0)[:1], ~wall)
    assert reached.tolist() == (column < 3).tolist()


def test_grid_has_one_boundary_loop():
    """The rim of a 3 by 2 grid, in order."""
    topology = grid_mesh(3, 2).topology
    loop = topology.boundary_loops
    assert len(loop) == 1
    assert len(loop[0]) == 10
    assert set(loop[0]) == set(np.flatnonzero(topology.on_boundary))


def test_components_and_valences():
    """Two cubes apart are two pieces of valence three."""
    cube = cube_mesh()
    faces = np.vstack((cube.topology.face_corners.reshape(-1, 4), cube.topology.face_corners.reshape(-1, 4) + 8))
    two = make_topology(16, faces)
    assert two.components.max() == 1
    assert (two.valences == 3).all()


def test_derived_edges_do_not_depend_on_numbering():
    """Renumbering vertices keeps counts of edges, boundaries and faces at edges."""
    mesh = grid_mesh(4, 3)
    order = np.random.default_rng(0).permutation(mesh.point_count)
    other = make_topology(mesh.point_count, order[mesh.topology.face_corners].reshape(-1, 4))
    assert np.array_equal(np.sort(other.edge_face_counts), np.sort(mesh.topology.edge_face_counts))


@pytest.mark.parametrize(
    ("faces", "word"), [([[0, 1]], "3 corners"), ([[0, 1, 9]], "vertex from"), ([[0, 1, 1, 2]], "different vertices")]
)
def test_bad_faces_are_refused(faces, word):
    """The sentence says what a face needs."""
    with pytest.raises(InvalidInput, match=word):
        make_topology(4, faces)


@pytest.mark.parametrize("count", [4, 6, 8, 10, 14, 26, 48, 100])
def test_disc_caps_are_quads_without_folds(count):
    """All quads, none turned, the area that of the polygon; four inner vertices of valence three from 8 on."""
    disc = make_disc(count)
    p = disc.places[disc.faces]
    a, b = p[:, 2] - p[:, 0], p[:, 3] - p[:, 1]
    areas = (a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]) / 2
    assert areas.min() > 0
    assert areas.sum() == pytest.approx(count / 2 * np.sin(TURN / count), rel=1e-12)
    topology = make_topology(len(disc.places), disc.faces)
    assert euler(topology) == 1
    inner = topology.valences[count:]
    assert (inner == 3).sum() == 4
    assert set(inner) <= {3, 4}


@pytest.mark.parametrize("count", [8, 10, 12, 14, 26, 36, 38, 48, 100])
def test_tips_have_a_vertex_in_their_middle(count):
    """Quads without folds of the same area as the cap, and one vertex at the very middle with four edges."""
    tip = make_tip(count)
    p = tip.places[tip.faces]
    a, b = p[:, 2] - p[:, 0], p[:, 3] - p[:, 1]
    areas = (a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]) / 2
    assert areas.min() > 0
    assert areas.sum() == pytest.approx(count / 2 * np.sin(TURN / count), rel=1e-12)
    topology = make_topology(len(tip.places), tip.faces)
    assert euler(topology) == 1
    (middle,) = np.flatnonzero(np.hypot(*tip.places.T) == 0)
    assert topology.valences[middle] == 4


@pytest.mark.parametrize("count", [2, 4, 6, 12, 40])
def test_sector_caps_are_quads_without_folds(count):
    """The same for a quarter of the disc."""
    disc = make_sector(count)
    p = disc.places[disc.faces]
    a, b = p[:, 2] - p[:, 0], p[:, 3] - p[:, 1]
    areas = (a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]) / 2
    assert areas.min() > 0
    assert areas.sum() == pytest.approx(count / 2 * np.sin(np.pi / 2 / count), rel=1e-12)


def test_kettle_mesh_is_all_quads_and_welded():
    """One rim, no seam, all quads, each face on the side of its normal."""
    mesh = mesh_surface(KETTLE, 48, 26)
    check_mesh(mesh)
    assert mesh.topology.is_quads
    assert len(mesh.topology.boundary_loops) == 1
    assert len(mesh.topology.boundary_loops[0]) == 48
    assert not mesh.topology.same_direction.any()
    normals = mesh.points["normal"][mesh.topology.face_corners]
    assert (np.einsum("ij,ij->i", normals, mesh.face_normals[mesh.topology.face_of_corner]) > 0).all()


def test_points_lie_on_the_surface_at_their_uv():
    """The uv of every corner evaluates to its position, caps included, and the point normal to the surface's."""
    mesh = mesh_surface(KETTLE, 24, 20)
    uv, corner = mesh.corners["uv"], mesh.topology.face_corners
    low, high = KETTLE.domain(1)
    u, v = uv[:, 0] % 1.0, low + uv[:, 1] * (high - low)
    u = np.where((uv[:, 0] == 1.0), 1.0, u)
    assert np.abs(surface_points(KETTLE, u, v) - mesh.positions[corner]).max() < 1e-9  # mm
    inner = v > low + 1
    facing = np.einsum("ij,ij->i", surface_normals(KETTLE, u, v), mesh.points["normal"][corner])
    assert np.median(facing[inner]) > 1 - 1e-12


def test_mesh_edges_lie_on_the_sharp_points():
    """Rings stand exactly on both sharp points of the profile, and carry an infinite crease."""
    mesh = mesh_surface(KETTLE, 32, 25)
    creased = np.unique(mesh.topology.edges.ends[mesh.edges["sharpness"] > 0])
    rings = {tuple(np.round([np.hypot(x, y), z], 9)) for x, y, z in mesh.positions[creased]}
    assert rings == {(74.0, 0.0), (46.0, 146.0)}
    assert (mesh.edges["sharpness"] > 0).sum() == 64


def test_even_spacing_is_by_arc_length():
    """Rings of a cone are evenly spaced, and edges along have one length."""
    mesh = mesh_surface(revolve_curve(make_polyline([[2, 0, 0], [8, 0, 8]]), ORIGIN, UP, TURN), 12, 5)
    assert np.allclose(np.unique(np.round(mesh.positions[:, 2], 12)), np.linspace(0, 8, 6), atol=1e-11)


def test_spacing_by_parameter_differs():
    """By parameter, rings follow the knots and not the length."""
    profile = kettle_profile()
    mesh = mesh_surface(KETTLE, 8, 12, spaced="by parameter", poles="fan")
    heights = np.unique(np.round(mesh.positions[:, 2], 6))
    assert np.isclose(heights[-1], curve_points(profile, np.array([profile.domain[1]]))[0, 2])


@pytest.mark.parametrize(("round_count", "along"), [(8, 4), (16, 9), (30, 16), (64, 40)])
def test_sphere_mesh_closes_both_poles_with_quads(round_count, along):
    """Closed, all quads, Euler number two, eight vertices of valence three, the volume nearly that of the sphere."""
    mesh = mesh_surface(sphere(5.0), round_count, along)
    check_mesh(mesh)
    assert mesh.topology.is_quads
    assert euler(mesh.topology) == 2
    assert (mesh.topology.valences == 3).sum() == 8
    assert np.allclose(np.linalg.norm(mesh.positions, axis=1), 5, rtol=1e-12)
    assert enclosed_volume(mesh) > 0


def test_sphere_volume_converges_to_the_formula():
    """4/3 pi r^3, the error falling with the square of the edge."""
    exact = 4 / 3 * np.pi * 125
    coarse, fine = (exact - enclosed_volume(mesh_surface(sphere(5.0), n, n // 2)) for n in (48, 96))
    assert fine > 0
    assert coarse / fine == pytest.approx(4, rel=0.1)  # second order: a quarter at half the edge
    assert fine / exact < 2e-3


def test_torus_is_closed_both_ways():
    """Euler number zero and volume 2 pi^2 R r^2 (Pappus), second order in the edge."""
    mesh = mesh_surface(torus(10.0, 3.0), 60, 24)
    check_mesh(mesh)
    assert euler(mesh.topology) == 0
    assert (mesh.topology.valences == 4).all()
    exact = 2 * np.pi**2 * 10 * 9
    errors = [exact - enclosed_volume(mesh_surface(torus(10.0, 3.0), 40 * k, 16 * k)) for k in (1, 2, 4)]
    assert errors[0] / errors[1] == pytest.approx(4, rel=0.05)  # second order
    assert errors[1] / errors[2] == pytest.approx(4, rel=0.02)  # second order


def test_pappus_area_of_the_kettle():
    """The area of the mesh tends to 2 pi times the first moment of the profile (Pappus's first theorem)."""
    from scipy.integrate import quad

    from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_derivatives

    profile = kettle_profile()

    def strip(t):
        values = curve_derivatives(profile, np.array([t]), 1)
        return abs(values[0, 0, 0]) * np.linalg.norm(values[1, 0])

    exact = TURN * quad(strip, *profile.domain, limit=400, points=profile.breaks[1:-1])[0]
    mesh = mesh_surface(KETTLE, 192, 160)
    assert np.linalg.norm(mesh.face_vectors, axis=1).sum() == pytest.approx(exact, rel=3e-4)  # chords of 192 and 160


def test_partial_revolve_is_open_and_quads():
    """A half turn with a pole: one boundary, all quads, none turned."""
    half = revolve_curve(kettle_profile(), ORIGIN, UP, np.pi)
    mesh = mesh_surface(half, 24, 26)
    check_mesh(mesh)
    assert mesh.topology.is_quads
    assert len(mesh.topology.boundary_loops) == 1
    assert not mesh.topology.same_direction.any()


def test_fan_closes_a_pole_with_triangles():
    """Odd counts are fine for a fan: one triangle an edge of the ring."""
    mesh = mesh_surface(KETTLE, 9, 12, poles="fan")
    check_mesh(mesh)
    assert (mesh.topology.face_sides == 3).sum() == 9
    assert not mesh.topology.same_direction.any()


def test_cone_tip_keeps_its_vertex_where_the_core_has_a_middle():
    """With 16 round the core is 4 by 4, and its middle vertex lies on the tip."""
    mesh = mesh_surface(cone(3.0, 4.0), 16, 8)
    assert np.linalg.norm(mesh.positions, axis=1).min() < 1e-9


def test_faces_of_the_kettle_are_even():
    """Geometric over arithmetic mean of areas is above 0.95 with 48 by 26."""
    mesh = mesh_surface(KETTLE, 48, 26)
    assert mean_ratio(np.linalg.norm(mesh.face_vectors, axis=1)) > 0.95


def test_counts_from_an_edge_length():
    """A circle of radius 5 with edges of 1 takes 31; a line of 10 takes 10."""
    surface = revolve_curve(make_polyline([[5, 0, 0], [5, 0, 10]]), ORIGIN, UP, TURN)
    assert count_for_edge_length(make_guide(surface, 0), 1.0) == 31
    assert count_for_edge_length(make_guide(surface, 1), 1.0) == 10


def test_counts_from_a_chord_tolerance():
    """The sag of a chord of a circle is r (1 - cos(pi / n)): the least n that keeps it is found."""
    surface = revolve_curve(make_polyline([[5, 0, 0], [5, 0, 10]]), ORIGIN, UP, TURN)
    wanted = int(np.ceil(np.pi / np.arccos(1 - 0.05 / 5)))
    assert count_for_chord(make_guide(surface, 0), 0.05) == wanted
    assert count_for_chord(make_guide(surface, 1), 0.05) == 1


def test_shares_add_up_and_leave_none_out():
    """Largest remainder: sums are kept, and the shortest run has an edge."""
    assert share_count(np.array([10.0, 0.1, 20.0]), 10).tolist() == [3, 1, 6]
    with pytest.raises(CountImpossible, match="2 along is too few"):
        share_count(np.array([1.0, 1.0, 1.0]), 2)


@pytest.mark.parametrize(
    ("counts", "error", "word"),
    [
        ((47, 26), CountImpossible, "46 or 48"),
        ((2, 26), InvalidInput, "3 or more"),
        ((48, 0), InvalidInput, "1 or more"),
        ((48, 2), CountImpossible, "too few"),
        ((100_000, 10_000), TooManyFaces, "1,000,000,000 faces"),
        ((100_000, 30), CountImpossible, "at most 1,024"),
    ],
)
def test_impossible_counts_are_refused(counts, error, word):
    """Each with a sentence that names the way out, before memory is taken."""
    with pytest.raises(error, match=word):
        mesh_surface(KETTLE, *counts)


def test_shade_vertices_split_at_creases_only():
    """A cube with four sharp edges round its top: the top's corners get normals of their own."""
    cube = cube_mesh()
    top = np.isin(cube.topology.edges.ends, [4, 5, 6, 7]).all(axis=1)
    shade = split_at_creases(cube.topology, top)
    assert len(shade.source) == 12
    assert (shade.source[shade.of_corner] == cube.topology.face_corners).all()
    normals = shade_normals(cube, shade)
    corners = shade.of_corner[4:8]
    assert np.allclose(normals[corners], [0, 0, 1])


def test_shade_vertices_split_at_uv_jumps():
    """The seam of a revolve is split, nothing else."""
    mesh = mesh_surface(revolve_curve(make_polyline([[5, 0, 0], [5, 0, 10]]), ORIGIN, UP, TURN), 8, 4)
    shade = split_at_jumps(split_at_creases(mesh.topology, sharp_edges(mesh)), mesh.corners["uv"])
    assert len(shade.source) == mesh.point_count + 5


def test_triangles_follow_the_shorter_diagonal_and_keep_dented_quads_upright():
    """A kite is cut the short way, an arrowhead through its dent."""
    kite = [[0, 0, 0], [3, -1, 0], [6, 0, 0], [3, 1, 0]]
    arrow = [[0, 0, 0], [4, 0, 0], [1, 1, 0], [0, 4, 0]]
    mesh = make_mesh(kite + arrow, [[0, 1, 2, 3], [5, 6, 7, 4]])
    triangles = cut_triangles(mesh, mesh.topology.face_corners)
    assert {frozenset(t) for t in triangles.tolist()} == {
        frozenset({0, 1, 3}),
        frozenset({1, 2, 3}),
        frozenset({4, 5, 6}),
        frozenset({4, 6, 7}),
    }
    p = mesh.positions[triangles]
    assert (np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])[:, 2] > 0).all()


def test_shading_breaks_where_a_worked_mesh_bends() -> None:
    """The twelve edges of a cube with no crease, none of a ring of eight, and none where a surface gave the normals."""
    cube = cube_mesh()
    assert sharp_edges(cube) is not None
    assert int(np.sum(sharp_edges(cube))) == len(cube.topology.edges.ends) == 12
    turns = np.arange(8) * np.pi / 4
    foot = np.column_stack((np.cos(turns), np.sin(turns), np.zeros(8)))
    around = np.column_stack((np.arange(8), (np.arange(8) + 1) % 8, 8 + (np.arange(8) + 1) % 8, 8 + np.arange(8)))
    assert sharp_edges(make_mesh(np.vstack((foot, foot + np.array([0.0, 0.0, 1.0]))), around)) is None
    given = Mesh(cube.topology, cube.positions, {"normal": cube.vertex_normals})
    assert sharp_edges(given) is None
    worked = replace(given, edges={"maker": np.zeros(12, dtype=np.int32)})
    assert int(np.sum(sharp_edges(worked))) == 12
