"""Gauges against VTK's Verdict, closed forms and made-up defects."""

from itertools import pairwise

import numpy as np
import pytest
import vtk
from scipy.spatial import ConvexHull
from vtk.util.numpy_support import vtk_to_numpy

from glass_spoon.kernel.gauges import defects, face_quality, whole_mesh
from glass_spoon.kernel.gauges.corner_geometry import CornerGeometry
from glass_spoon.kernel.gauges.deviation import face_deviations
from glass_spoon.kernel.gauges.face_figures import figures_of
from glass_spoon.kernel.gauges.offender_places import offender_places
from glass_spoon.kernel.gauges.read_gauges import read_gauges, read_quick_gauges
from glass_spoon.kernel.gauges.reading import Limits
from glass_spoon.kernel.meshes.mesh import make_mesh
from glass_spoon.kernel.meshes.near_points import near_pairs
from glass_spoon.kernel.meshes.shading import cut_triangles
from glass_spoon.kernel.meshing.mesh_surface import mesh_surface
from tests.zoo import cube_mesh, grid_mesh, sphere, torus

LIMITS = Limits()


def verdict(mesh, quad_measure, triangle_measure):
    """Return VTK's Verdict figures (f,) of a mesh."""
    points, cells = vtk.vtkPoints(), vtk.vtkCellArray()
    points.SetDataTypeToDouble()
    for p in mesh.positions:
        points.InsertNextPoint(*p)
    offsets = mesh.topology.face_offsets
    for a, b in pairwise(offsets):
        cells.InsertNextCell(int(b - a), [int(i) for i in mesh.topology.face_corners[a:b]])
    data = vtk.vtkPolyData()
    data.SetPoints(points)
    data.SetPolys(cells)
    quality = vtk.vtkMeshQuality()
    quality.SetInputData(data)
    getattr(quality, f"SetQuadQualityMeasureTo{quad_measure}")()
    if triangle_measure:
        getattr(quality, f"SetTriangleQualityMeasureTo{triangle_measure}")()
    quality.Update()
    return vtk_to_numpy(quality.GetOutput().GetCellData().GetArray("Quality"))


def crooked():
    """A grid with random points off the plane: every quad another shape."""
    mesh = grid_mesh(9, 7)
    return mesh.moved(mesh.positions + np.random.default_rng(4).normal(size=mesh.positions.shape) * 0.16)


def triangles():
    """The same as triangles."""
    mesh = crooked()
    quads = mesh.topology.face_corners.reshape(-1, 4)
    return make_mesh(mesh.positions, np.vstack((quads[:, [0, 1, 2]], quads[:, [0, 2, 3]])))


def test_scaled_jacobian_is_verdicts():
    """Quads and triangles."""
    for mesh in (crooked(), triangles()):
        ours = face_quality.scaled_jacobians(CornerGeometry(mesh))
        assert np.allclose(ours, verdict(mesh, "ScaledJacobian", "ScaledJacobian"), atol=1e-9)


def test_aspect_ratio_is_verdicts():
    """Quads and triangles."""
    for mesh in (crooked(), triangles()):
        ours = face_quality.aspect_ratios(CornerGeometry(mesh))
        assert np.allclose(ours, verdict(mesh, "AspectRatio", "AspectRatio"), rtol=1e-9)


def test_warpage_is_one_minus_vtks():
    """VTK gives min cos^3; the manual's figure is one minus that."""
    mesh = crooked()
    ours = face_quality.warpages(CornerGeometry(mesh))
    assert np.allclose(ours, 1 - verdict(mesh, "Warpage", None), atol=1e-9)


def test_corner_angles_are_verdicts():
    """Least and largest angle of every quad, in degrees there."""
    mesh = crooked()
    angles = np.degrees(CornerGeometry(mesh).angles.reshape(-1, 4))
    assert np.allclose(angles.min(axis=1), verdict(mesh, "MinAngle", None), atol=1e-7)


def test_block_by_block_figures_are_those_of_whole_arrays():
    """Crooked quads, dented and folded ones, sides of no length: two routes to one figure."""
    mesh = crooked()
    flat = mesh.positions.copy()
    flat[12] = flat[13]  # a side without length
    for positions in (mesh.positions, flat, mesh.positions * [1, 1, 0]):
        moved = mesh.moved(positions)
        geometry, figures = CornerGeometry(moved), figures_of(moved)
        assert np.allclose(figures.areas, geometry.areas, rtol=1e-12)
        assert np.allclose(figures.normals, geometry.normals, atol=1e-12)
        assert np.allclose(figures.side_lengths, geometry.side_lengths, rtol=1e-12)
        assert np.allclose(figures.scaled_jacobians, face_quality.scaled_jacobians(geometry), atol=1e-12)
        assert np.allclose(figures.aspect_ratios, face_quality.aspect_ratios(geometry), rtol=1e-12)
        assert np.allclose(figures.warpages, face_quality.warpages(geometry), atol=1e-12)
        corners = moved.positions[cut_triangles(moved, moved.topology.face_corners)] - moved.positions[0]
        assert np.allclose(figures.cones, np.linalg.det(corners).reshape(-1, 2).sum(axis=1), atol=1e-12)
        smallest, largest = face_quality.corner_range(geometry)
        assert np.allclose(figures.smallest_corners, smallest, atol=1e-7)  # from cosines: half the digits near 0 and pi
        assert np.allclose(figures.largest_corners, largest, atol=1e-7)


def test_near_pairs_are_those_of_every_pair():
    """Random points, doubled ones and a crowd at one place, against all distances."""
    rng = np.random.default_rng(8)
    points = rng.uniform(0, 1, (300, 3))
    points[50:80] = points[20:50] + rng.normal(size=(30, 3)) * 0.004
    for crowd in (0, 200):
        points[:crowd] = [0.2, 0.4, 0.6]
        apart = np.linalg.norm(points[:, None] - points, axis=2)
        found = {tuple(sorted(pair)) for pair in near_pairs(points, 0.01).tolist()}
        assert found == {tuple(pair) for pair in np.argwhere(np.triu(apart <= 0.01, 1)).tolist()}


def test_square_is_perfect():
    """90 degrees, Jacobian, aspect ratio and evenness one, warpage zero."""
    readings = {r.code: r.value for r in read_gauges(grid_mesh(4, 4), None, LIMITS)}
    assert readings["smallest_corner"] == pytest.approx(np.pi / 2)
    for code in ("scaled_jacobian", "aspect_ratio", "evenness", "edge_evenness", "four_sided"):
        assert readings[code] == pytest.approx(1.0), code
    assert readings["warpage"] == pytest.approx(0.0, abs=1e-15)


def test_evenness_of_two_areas():
    """Areas 1 and 3: sqrt(3) / 2."""
    assert whole_mesh.mean_ratio(np.array([1.0, 3.0])) == pytest.approx(np.sqrt(3) / 2)


def test_cube_measures():
    """Volume, area and size of a cube of side two; inside out the volume turns negative."""
    cube = cube_mesh(2.0)
    assert whole_mesh.enclosed_volume(cube) == pytest.approx(8)
    assert whole_mesh.read_area(figures_of(cube)).value == pytest.approx(24)
    assert whole_mesh.bounding_size(cube).tolist() == [2, 2, 2]
    flipped = make_mesh(cube.positions, cube.topology.face_corners.reshape(-1, 4)[:, ::-1])
    assert whole_mesh.enclosed_volume(flipped) == pytest.approx(-8)


@pytest.mark.parametrize("seed", range(4))
def test_volume_is_that_of_qhull(seed):
    """Convex hulls of random points, and a tetrahedron by the determinant of its sides."""
    points = np.random.default_rng(seed).normal(size=(30, 3)) * [1, 20, 300]
    hull = ConvexHull(points)
    turned = [
        face if np.dot(np.cross(*(points[face[1:]] - points[face[0]])), equation[:3]) > 0 else face[::-1]
        for face, equation in zip(hull.simplices, hull.equations, strict=True)
    ]
    assert whole_mesh.enclosed_volume(make_mesh(points, turned)) == pytest.approx(hull.volume, rel=1e-12)
    sides = points[1:4] - points[0]
    solid = make_mesh(points[:4], [[0, 2, 1], [0, 1, 3], [1, 2, 3], [0, 3, 2]])
    assert whole_mesh.enclosed_volume(solid) == pytest.approx(np.linalg.det(sides) / 6, rel=1e-12)


def test_open_mesh_has_no_volume():
    """NaN, and such a reading breaks no limit."""
    reading = whole_mesh.read_volume(figures_of(grid_mesh(2, 2)))
    assert np.isnan(reading.value)
    assert reading.is_good


def test_volume_does_not_depend_on_place():
    """Moving a torus far away keeps its volume."""
    mesh = mesh_surface(torus(10.0, 3.0), 32, 16)
    far = mesh.moved(mesh.positions + np.array([1e4, -2e4, 3e4]))
    assert whole_mesh.enclosed_volume(far) == pytest.approx(whole_mesh.enclosed_volume(mesh), rel=1e-9)  # far: 4 digits less


def test_open_edges_are_the_rim():
    """14 edges round a 4 by 3 grid, each pointed at."""
    reading = defects.read_open_edges(grid_mesh(4, 3).topology)
    assert reading.value == 14
    assert len(reading.offenders) == 14


def test_unwelded_seam_is_doubled():
    """Two grids side by side that share no vertex: 3 doubled points and 2 doubled edges."""
    left = grid_mesh(1, 2)
    right = left.positions + np.array([1, 0, 0])
    faces = left.topology.face_corners.reshape(-1, 4)
    mesh = make_mesh(np.vstack((left.positions, right)), np.vstack((faces, faces + len(right))))
    assert [reading.value for reading in defects.read_doubled(mesh, LIMITS)] == [3, 2]


def test_third_page_of_a_book_is_crowded():
    """The spine has three faces."""
    book = make_mesh([[0, 0, 0], [0, 0, 1], [1, 0, 0], [0, 1, 0], [-1, 0, 0]], [[0, 1, 2], [0, 1, 3], [0, 1, 4]])
    assert defects.read_crowded_edges(book.topology).value == 1


def test_stray_points_are_counted():
    """A vertex that no face uses."""
    mesh = make_mesh(np.vstack((grid_mesh(1, 1).positions, [[9, 9, 9]])), [[0, 1, 3, 2]])
    reading = defects.read_stray_points(mesh.topology)
    assert reading.offenders.tolist() == [4]


def test_dented_quad_is_folded():
    """A corner pulled over the diagonal is found; the grid around is not blamed."""
    mesh = grid_mesh(3, 3)
    positions = mesh.positions.copy()
    positions[5] = [1.9, 1.9, 0]
    reading = defects.read_folded(figures_of(mesh.moved(positions)))
    assert 0 < reading.value <= 4
    assert 0 in reading.offenders or 4 in reading.offenders


def test_face_folded_over_its_neighbour_is_found():
    """A strip of three whose end is turned back over the middle."""
    points = [[0, 0, 0], [1, 0, 0], [2, 0, 0], [0, 1, 0], [1, 1, 0], [2, 1, 0], [1.2, 0, 0.05], [1.2, 1, 0.05]]
    mesh = make_mesh(points, [[0, 1, 4, 3], [1, 2, 5, 4], [2, 6, 7, 5]])
    assert 2 in defects.read_folded(figures_of(mesh)).offenders


def test_one_face_inside_out_is_found():
    """Of a cube with one face turned, that face."""
    cube = cube_mesh()
    faces = cube.topology.face_corners.reshape(-1, 4).copy()
    faces[2] = faces[2, ::-1]
    assert defects.read_folded(figures_of(make_mesh(cube.positions, faces))).offenders.tolist() == [2]


def test_pole_of_a_fan_is_unusual():
    """A fan of 12 has one vertex of 12 edges, at each pole."""
    reading = defects.read_odd_valences(mesh_surface(sphere(1.0), 12, 6, poles="fan").topology)
    assert reading.value == 2


def test_distance_of_sphere_chords_by_formula():
    """Face centres of a fine mesh lie r - |centre| inside; the largest is found to 1e-9."""
    ball = sphere(5.0)
    mesh = mesh_surface(ball, 24, 12)
    expected = 5 - np.linalg.norm(mesh.face_centers, axis=1)
    _, found = face_deviations(mesh, ball)
    assert np.allclose(found, expected, atol=1e-9)


def test_distance_without_uv_is_the_same():
    """The search from a grid finds the same feet."""
    ball = torus(10.0, 3.0)
    mesh = mesh_surface(ball, 20, 9)
    bare = make_mesh(mesh.positions, mesh.topology.face_corners.reshape(-1, 4))
    assert np.allclose(face_deviations(bare, ball)[1], face_deviations(mesh, ball)[1], atol=1e-9)


def test_large_meshes_are_measured_at_a_sample():
    """No more places than asked for."""
    mesh = mesh_surface(sphere(5.0), 64, 32)
    faces, _ = face_deviations(mesh, sphere(5.0), most=400)
    assert len(faces) * 2 <= 400


def test_smoothing_counts():
    """Four times the corners a level."""
    assert whole_mesh.count_levels(cube_mesh().topology) == [6, 24, 96, 384, 1536, 6144, 24576]


def test_quick_gauges_agree_with_all():
    """The figures that follow a drag are those of the full reading, to the digits of float32."""
    mesh, ball = mesh_surface(sphere(5.0), 24, 12), sphere(5.0)
    full = {r.code: r.value for r in read_gauges(mesh, ball, LIMITS)}
    for reading in read_quick_gauges(mesh, ball, LIMITS):
        assert reading.value == pytest.approx(full[reading.code], rel=2e-5), reading.code  # float32


def test_progress_is_told():
    """Shares rise towards one."""
    shares = []
    read_gauges(grid_mesh(2, 2), None, LIMITS, progress=shares.append)
    assert shares == sorted(shares)
    assert shares == pytest.approx([1 / 4, 1 / 2, 3 / 4, 1])


def test_empty_mesh_breaks_nothing():
    """A mesh without faces has readings, NaN where there is nothing to read."""
    empty = make_mesh(np.zeros((0, 3)), np.zeros((0, 4), dtype=int))
    codes = {r.code: r.value for r in read_gauges(empty, None, LIMITS)}
    assert np.isnan(codes["four_sided"])
    assert codes["folded"] == 0


def test_offenders_are_gathered_to_places() -> None:
    """Faces in two corners of a grid and one between: three places, the largest first, each with its middle and reach."""
    mesh = grid_mesh(12, 12)
    first, second, alone = [0, 1, 12, 13, 2], [142, 143], [66]
    places = offender_places(mesh, "face", np.array([*second, *first, *alone]))
    assert [place.count for place in places] == [5, 2, 1]
    box = mesh.positions[mesh.topology.face_corners.reshape(-1, 4)[first]].reshape(-1, 3)
    assert np.allclose(places[0].middle, (box.min(axis=0) + box.max(axis=0)) / 2)
    assert places[0].radius == pytest.approx(np.linalg.norm(np.ptp(box, axis=0)) / 2)


def test_the_two_sides_of_a_gap_are_one_place() -> None:
    """They share no vertex, but one's middle lies within the other's reach."""
    mesh = make_mesh([[x, y, 0.0] for y in (0, 1, 1.1, 2) for x in (0, 4)], [[0, 1, 3, 2], [4, 5, 7, 6]])
    sides = [k for k, ends in enumerate(mesh.topology.edges.ends.tolist()) if ends in ([2, 3], [4, 5])]
    assert [place.count for place in offender_places(mesh, "edge", np.array(sides))] == [2]
    assert [place.count for place in offender_places(mesh, "point", np.array([0, 7]))] == [1, 1]
    assert offender_places(mesh, "face", np.zeros(0, dtype=int)) == []
