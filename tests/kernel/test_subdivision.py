"""Catmull-Clark against pyOpenSubdiv, closed-form limits and crease rules."""

import numpy as np
import pytest

from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.kernel.meshes.mesh import Mesh, check_mesh, make_mesh
from glass_spoon.kernel.meshes.topology import make_topology
from glass_spoon.kernel.meshing.mesh_surface import mesh_surface
from glass_spoon.kernel.subdivision.catmull_clark import predict_faces, split_plain, subdivide
from tests.zoo import cube_mesh, grid_mesh, sphere


def peer_subdivide(mesh, level):
    """Return the points of pyOpenSubdiv (float32, boundary rule: edge only)."""
    import pyOpenSubdiv.pysubdivision as peer

    faces = [face.tolist() for face in mesh.topology.face_corners.reshape(-1, 4)]
    result = peer.pysubdivide(level, mesh.positions.tolist(), faces, mesh.topology.face_corners.tolist(), [4] * len(faces))
    return np.array(result["vertices"]).reshape(-1, 3)


def as_set(points, digits=4):
    return np.unique(np.round(points, digits) + 0.0, axis=0)


@pytest.mark.parametrize("name", ["cube", "sphere", "grid"])
@pytest.mark.parametrize("level", [1, 2, 3])
def test_points_agree_with_pyopensubdiv(name, level):
    """The same set of points, closed and open; float32 on their side."""
    mesh = {"cube": cube_mesh(), "sphere": mesh_surface(sphere(2.0), 8, 4), "grid": grid_mesh(5, 3)}[name]
    rng = np.random.default_rng(1)
    mesh = mesh.moved(mesh.positions + rng.normal(size=mesh.positions.shape) * 0.05)
    theirs = peer_subdivide(mesh, level)
    ours = subdivide(mesh, level, hold_corners=False).positions
    assert len(ours) == len(theirs)
    from scipy.spatial import cKDTree

    distance, index = cKDTree(theirs).query(ours)
    assert distance.max() < 2e-6  # float32 of coordinates near one
    assert len(np.unique(index)) == len(ours)


def test_face_counts_are_predicted():
    """Corners times powers of four, triangles and pentagons included."""
    mesh = make_mesh(
        [[0, 0, 0], [1, 0, 0], [2, 0, 0], [0, 1, 0], [1, 1, 0], [2, 1, 0], [1, 2, 0]],
        [0, 1, 4, 3, 1, 2, 5, 4, 3, 4, 5, 6],
        offsets=[0, 4, 8, 12],
    )
    for level in range(4):
        finer = subdivide(mesh, level)
        check_mesh(finer)
        assert finer.face_count == predict_faces(mesh.topology, level)


def test_topology_of_the_finer_mesh_is_what_its_faces_say():
    """The edges that are handed over are those that the faces have."""
    finer = subdivide(mesh_surface(sphere(1.0), 8, 4), 1).topology
    plain = make_topology(finer.point_count, finer.face_corners.reshape(-1, 4))
    ours = np.sort(finer.edges.ends, axis=1)
    assert {tuple(pair) for pair in ours.tolist()} == {tuple(pair) for pair in plain.edges.ends.tolist()}
    ends = np.sort(np.column_stack((finer.face_corners, finer.face_corners[finer.next_corner])), axis=1)
    assert np.array_equal(ours[finer.edges.of_corner], ends)


def test_flat_stays_flat_and_the_square_rim_is_held():
    """A flat grid keeps its plane, its outline and its area when corners are held."""
    finer = subdivide(grid_mesh(3, 3), 3)
    assert np.abs(finer.positions[:, 2]).max() == 0
    assert np.linalg.norm(finer.face_vectors, axis=1).sum() == pytest.approx(9, rel=1e-12)


def test_first_step_of_the_cube_by_hand():
    """Face points on the sides, edge points at 3/4 of the half size, corners at 5/9 (n = 3)."""
    finer = subdivide(cube_mesh(2.0), 1)
    assert np.allclose(np.abs(finer.positions[:8]), 5 / 9)
    assert np.allclose(np.sort(np.abs(finer.positions[8:14]), axis=1), [[0, 0, 1]] * 6)
    assert np.allclose(np.sort(np.abs(finer.positions[14:]), axis=1), [[0, 0.75, 0.75]] * 12)


def test_limit_of_a_regular_vertex_is_the_bicubic_spline():
    """Inside a regular grid the limit is the uniform bicubic B-spline: weights 1/36 (1, 4, 1; 4, 16, 4; 1, 4, 1)."""
    rng = np.random.default_rng(5)
    mesh = grid_mesh(6, 6)
    positions = mesh.positions + rng.normal(size=mesh.positions.shape) * 0.2
    net = positions.reshape(7, 7, 3)[2:5, 2:5]
    weights = np.outer([1, 4, 1], [1, 4, 1]) / 36
    limit = np.einsum("ij,ijk->k", weights, net)
    center = 3 * 7 + 3
    steps = [np.linalg.norm(subdivide(mesh.moved(positions), level).positions[center] - limit) for level in (1, 3, 5)]
    assert steps[2] < steps[0] / 200  # the second eigenvalue at regular points is 1/4 a step in the normal part


def test_limit_of_an_extraordinary_vertex():
    """The limit mask is n^2 v + 4 sum e + sum f over n (n + 5) (Halstead, Kass, DeRose, SIGGRAPH 1993)."""
    mesh = cube_mesh(2.0)
    corner = mesh.positions[0]
    edges, faces = mesh.positions[[1, 2, 4]], mesh.positions[[3, 5, 6]]
    limit = (9 * corner + 4 * edges.sum(axis=0) + faces.sum(axis=0)) / (3 * 8)
    reached = subdivide(mesh, 5).positions[0]
    assert np.linalg.norm(reached - limit) < 1e-2
    assert np.linalg.norm(reached - limit) < np.linalg.norm(subdivide(mesh, 3).positions[0] - limit) / 8


def test_sharp_cube_stays_a_cube():
    """With every edge infinitely sharp no point leaves the cube's faces, and the volume is kept."""
    from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume

    cube = cube_mesh(2.0)
    creased = Mesh(cube.topology, cube.positions, edges={"sharpness": np.full(12, np.inf)})
    finer = subdivide(creased, 3)
    assert np.allclose(np.abs(finer.positions).max(axis=1), 1)
    assert enclosed_volume(finer) == pytest.approx(8, rel=1e-12)


def test_crease_ring_follows_the_cubic_spline():
    """Vertices with two sharp edges move by 1/8, 3/4, 1/8 along the crease only."""
    cube = cube_mesh(2.0)
    top = np.isin(cube.topology.edges.ends, [4, 5, 6, 7]).all(axis=1)
    creased = Mesh(cube.topology, cube.positions, edges={"sharpness": np.where(top, np.inf, 0.0)})
    finer = subdivide(creased, 1)
    expected = 0.75 * cube.positions[4] + 0.125 * (cube.positions[5] + cube.positions[6])
    assert np.allclose(finer.positions[4], expected)


def test_semi_sharp_creases_lie_between_smooth_and_sharp():
    """Sharpness one is sharp for one step and smooth after; a half lies half way on the first."""
    cube = cube_mesh(2.0)

    def first_edge_point(sharpness):
        mesh = Mesh(cube.topology, cube.positions, edges={"sharpness": np.full(12, sharpness)})
        return subdivide(mesh, 1).positions[14]

    smooth, half, sharp = first_edge_point(0.0), first_edge_point(0.5), first_edge_point(1.0)
    assert np.allclose(half, (smooth + sharp) / 2)
    after = subdivide(Mesh(cube.topology, cube.positions, edges={"sharpness": np.full(12, 1.0)}), 1)
    assert not after.edges


def test_attributes_are_carried():
    """Corner uv linearly, face values copied."""
    grid = grid_mesh(2, 2)
    uv = grid.positions[grid.topology.face_corners][:, :2]
    mesh = Mesh(grid.topology, grid.positions, corners={"uv": uv}, faces={"part": np.arange(4.0)})
    finer = subdivide(mesh, 2, hold_corners=True)
    check_mesh(finer)
    assert np.array_equal(finer.faces["part"], np.repeat(np.arange(4.0), 16))
    assert finer.corners["uv"].min() == 0
    assert finer.corners["uv"].max() == 2


def test_moving_points_of_a_known_cage_gives_the_same_result():
    """The cached stencils are linear: a moved cage smooths to the moved points."""
    mesh = mesh_surface(sphere(1.0), 8, 4)
    shift = np.array([1.0, -2.0, 3.0])
    assert np.allclose(subdivide(mesh.moved(mesh.positions + shift), 3).positions, subdivide(mesh, 3).positions + shift)


def test_three_faces_at_an_edge_are_refused():
    """The sentence says that an edge joins at most two."""
    book = make_mesh([[0, 0, 0], [0, 0, 1], [1, 0, 0], [0, 1, 0], [-1, 0, 0]], [[0, 1, 2], [0, 1, 3], [0, 1, 4]])
    with pytest.raises(InvalidInput, match="at most two faces"):
        subdivide(book, 1)


def test_level_out_of_range_is_refused():
    """0 to 6."""
    with pytest.raises(InvalidInput, match="0 to 6"):
        subdivide(cube_mesh(), 7)


def test_plain_division_rounds_nothing_and_halves_every_edge():
    """Plain division keeps the cube's places and volume; too many levels are refused."""
    cube = cube_mesh(2.0)
    plain = split_plain(cube, 2)
    assert plain.face_count == 6 * 16
    assert np.abs(plain.positions).max(axis=1).tolist() == [1.0] * plain.point_count
    assert enclosed_volume(plain) == pytest.approx(8.0)
    with pytest.raises(InvalidInput, match="level"):
        split_plain(cube, 7)


def test_500_quads_give_8000_after_two_levels():
    """Common practice, no source: every level multiplies quads by four."""
    grid = grid_mesh(25, 20)
    assert grid.face_count == 500
    assert subdivide(grid, 2).face_count == predict_faces(grid.topology, 2) == 8000


def test_sharpness_stays_on_both_halves_of_an_edge_divided_plainly():
    """Both halves of each edge keep the sharpness whole."""
    cube = cube_mesh()
    sharp = Mesh(cube.topology, cube.positions, {}, {"sharpness": np.full(12, 2.5)})
    finer = split_plain(sharp, 1)
    assert (finer.edges["sharpness"] == 2.5).sum() == 24


def slow_step(mesh):
    """One step by the rules of DeRose, Kass and Truong (1998), one by one: vertices, then faces, then edges."""
    points, topology = mesh.positions, mesh.topology
    faces = [
        topology.face_corners[a:b].tolist()
        for a, b in zip(topology.face_offsets[:-1], topology.face_offsets[1:], strict=True)
    ]
    middles = [points[face].mean(axis=0) for face in faces]
    ends = topology.edges.ends.tolist()
    beside = {tuple(edge): [k for k, face in enumerate(faces) if set(edge) <= set(face)] for edge in ends}
    sharpness = {
        tuple(edge): np.inf if len(beside[tuple(edge)]) == 1 else value
        for edge, value in zip(ends, mesh.edges["sharpness"].tolist(), strict=True)
    }
    edges = []
    for edge in map(tuple, ends):
        plain = points[list(edge)].mean(axis=0)
        around = beside[edge]
        smooth = (points[list(edge)].sum(axis=0) + sum(middles[k] for k in around)) / (2 + len(around))
        share = min(sharpness[edge], 1.0)
        edges.append(share * plain + (1 - share) * smooth)
    vertices = []
    for vertex, place in enumerate(points):
        own = [edge for edge in map(tuple, ends) if vertex in edge]
        others = [points[a if b == vertex else b] for a, b in own]
        near = [middles[k] for k, face in enumerate(faces) if vertex in face]
        n = len(own)
        smooth = (np.mean(near, axis=0) + np.mean(others, axis=0) + (n - 2) * place) / n
        sharp = [edge for edge in own if sharpness[edge] > 0]
        share = min(np.mean([min(sharpness[edge], 1e6) for edge in sharp]), 1.0) if sharp else 0.0
        if len(sharp) < 2:
            rule, share = smooth, 0.0
        elif len(sharp) == 2:
            rule = 0.75 * place + 0.125 * sum(points[a if b == vertex else b] for a, b in sharp)
        else:
            rule = place
        vertices.append(share * rule + (1 - share) * smooth)
    return np.array(vertices + middles + edges)


@pytest.mark.parametrize("seed", range(6))
def test_semi_sharp_creases_follow_the_rules_of_the_paper(seed):
    """Random sharpness, parts of a level among it, on a closed and on an open mesh; what is left of it after."""
    rng = np.random.default_rng(seed)
    mesh = subdivide(cube_mesh(), 1) if seed % 2 else grid_mesh(3, 3)
    sharpness = rng.choice([0.0, 0.0, 0.3, 0.8, 1.0, 2.5, np.inf], len(mesh.topology.edges.ends))
    away = rng.normal(size=mesh.positions.shape) * 0.1
    creased = Mesh(mesh.topology, mesh.positions + away, {}, {"sharpness": sharpness})
    found = subdivide(creased, 1, hold_corners=False)
    assert np.allclose(found.positions, slow_step(creased), atol=1e-12)
    halves = found.edges["sharpness"][: 2 * len(sharpness)]
    assert np.array_equal(halves, np.repeat(np.maximum(sharpness - 1, 0), 2))
