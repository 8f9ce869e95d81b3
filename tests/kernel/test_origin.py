"""Every change of mesh tells where its elements came from, and all attributes follow.

The zoo mesh lies flat and bears a value of its own on every point, edge, corner and face. So where a value went can be held
against places: a corner's value is its place, an edge's its number, and the edge with that number must run through the
same places; a face's value is its number, and its middle must lie inside the old face with that number.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
import pytest

from glass_spoon.kernel.detail.connect import connect_edges, connect_points
from glass_spoon.kernel.detail.lay_loops import lay_beside, lay_through
from glass_spoon.kernel.mesh_edits.clean_mesh import clean_mesh, part_non_manifold, reverse_faces, turn_alike
from glass_spoon.kernel.mesh_edits.cut_rings import cut_rings, predict_cut_faces
from glass_spoon.kernel.mesh_edits.gather_meshes import gather_meshes
from glass_spoon.kernel.mesh_edits.keep_and_merge import drop_stray_points, keep_faces, merge_points
from glass_spoon.kernel.mesh_edits.open_edges import put_points_in
from glass_spoon.kernel.mesh_edits.pair_triangles import pair_triangles
from glass_spoon.kernel.mesh_edits.weld import weld
from glass_spoon.kernel.meshes.attributes import RULES
from glass_spoon.kernel.meshes.mesh import Mesh, make_mesh
from glass_spoon.kernel.meshes.origin import Reworked, check_origin, same_elements, unchanged
from glass_spoon.kernel.subdivision.catmull_clark import split_plain, subdivide
from glass_spoon.kernel.subdivision.refine_origin import RefinedCorners
from glass_spoon.kernel.subdivision.support_loops import creases_to_loops, loops_to_creases, predict_loop_faces
from tests.mesh_checker import check_result, faces_of, open_sides
from tests.zoo import ODD_MESHES, cube_mesh, grid_mesh


def bearing(mesh: Mesh) -> Mesh:
    """Return a mesh with a value of its own on every element: corners bear their places, edges and faces numbers from 1."""
    edges, corners = len(mesh.topology.edges.ends), mesh.topology.face_corners
    return Mesh(
        mesh.topology,
        mesh.positions,
        {"place": mesh.positions, "normal": np.tile([0.0, 0.0, 1.0], (mesh.point_count, 1))},
        {"number": np.arange(1.0, edges + 1), "maker": np.arange(edges)},
        {"place": mesh.positions[corners], "uv": mesh.positions[corners][:, :2] / 7},
        {
            "number": np.arange(1.0, mesh.face_count + 1),
            "piece": np.arange(mesh.face_count),
            "maker": np.arange(mesh.face_count),
        },
    )


def mixed_faces() -> Mesh:
    """Return a flat mesh of quads, two triangles and a face with six sides."""
    quads = faces_of(grid_mesh(4, 3))
    a, b, c, d = quads[0]
    first, second = quads[5], quads[6]
    six = [first[0], first[1], second[1], second[2], second[3], first[3]]
    faces = [[a, b, c], [a, c, d], *quads[1:5], six, *quads[7:]]
    offsets = np.concatenate(([0], np.cumsum([len(face) for face in faces])))
    return make_mesh(grid_mesh(4, 3).positions, np.concatenate(faces), offsets=offsets)


def triangulated() -> Mesh:
    """Return a flat grid of triangles, with one quad left."""
    quads = faces_of(grid_mesh(4, 3))
    faces = [face for a, b, c, d in quads[:-1] for face in ([a, b, c], [a, c, d])] + [quads[-1]]
    offsets = np.concatenate(([0], np.cumsum([len(face) for face in faces])))
    return make_mesh(grid_mesh(4, 3).positions, np.concatenate(faces), offsets=offsets)


def exploded(mesh: Mesh) -> Mesh:
    """Return a mesh whose faces share no vertex."""
    corners = mesh.topology.face_corners
    return make_mesh(mesh.positions[corners], np.arange(len(corners)), offsets=mesh.topology.face_offsets)


def with_rubbish(mesh: Mesh) -> Mesh:
    """Return a mesh with a doubled face, a face turned over and a point that no face uses."""
    faces = faces_of(mesh)
    faces[2] = faces[2][::-1]
    faces.append(faces[4][1:] + faces[4][:1])
    offsets = np.concatenate(([0], np.cumsum([len(face) for face in faces])))
    return make_mesh(np.vstack((mesh.positions, [[50.0, 0, 0]])), np.concatenate(faces), offsets=offsets)


def corner_to_corner() -> Mesh:
    """Return two flat quads that share one vertex."""
    points = [[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [2, 1, 0], [2, 2, 0], [1, 2, 0]]
    return make_mesh(points, [[0, 1, 2, 3], [2, 4, 5, 6]])


def side_by_side() -> Mesh:
    """Return one wide quad over two narrow ones, whose middle vertex it does not know."""
    points = [[0, 0, 0], [1, 0, 0], [2, 0, 0], [0, 1, 0], [1, 1, 0], [2, 1, 0], [0, 1, 0], [2, 1, 0], [2, 2, 0], [0, 2, 0]]
    return make_mesh(points, [[0, 1, 4, 3], [1, 2, 5, 4], [6, 7, 8, 9]])


def creased() -> Mesh:
    """Return a flat grid with a crease along its middle."""
    mesh = grid_mesh(4, 4)
    ends = mesh.positions[mesh.topology.edges.ends]
    sharp = np.where((ends[:, :, 0] == 2).all(axis=1), 2.0, 0.0)
    return replace(mesh, edges={"sharpness": sharp})


def some_cuts(mesh: Mesh) -> list[tuple[int, np.ndarray]]:
    """Return two cuts of one ring and one of another."""
    middles = mesh.positions[mesh.topology.edges.ends].mean(axis=1)
    nearest = [int(np.linalg.norm(middles - place, axis=1).argmin()) for place in ([2.5, 0, 0], [4, 0.5, 0])]
    return [(nearest[0], np.array([0.2, 0.7])), (nearest[1], np.array([0.6]))]


def with_sharpness(mesh: Mesh, sharp: np.ndarray) -> Mesh:
    return replace(mesh, edges={**mesh.edges, "sharpness": sharp})


def middle_row(mesh: Mesh) -> np.ndarray:
    """Mark the edges along the middle of a flat grid of four by four."""
    return np.asarray((mesh.positions[mesh.topology.edges.ends][:, :, 0] == 2).all(axis=1))


CHANGES: dict[str, tuple[Callable[[], Mesh], Callable[[Mesh], Reworked]]] = {
    "nothing": (mixed_faces, unchanged),
    "weld": (lambda: exploded(mixed_faces()), lambda mesh: weld(mesh, 1e-6)),
    "weld open edges": (side_by_side, lambda mesh: weld(mesh, 1e-6, "edges")),
    "some faces": (mixed_faces, lambda mesh: keep_faces(mesh, np.array([1, 3, 6, 9]))),
    "stray points": (lambda: with_rubbish(mixed_faces()), drop_stray_points),
    "clean": (lambda: with_rubbish(mixed_faces()), clean_mesh),
    "part": (corner_to_corner, part_non_manifold),
    "turn some": (mixed_faces, lambda mesh: reverse_faces(mesh, np.array([0, 5, 6]))),
    "turn all": (mixed_faces, lambda mesh: reverse_faces(mesh, np.arange(mesh.face_count))),
    "turn alike": (lambda: with_rubbish(mixed_faces()), turn_alike),
    "pair": (triangulated, pair_triangles),
    "cut rings": (mixed_faces, lambda mesh: cut_rings(mesh, some_cuts(mesh))),
    "connect points": (mixed_faces, lambda mesh: connect_points(mesh, np.arange(mesh.point_count) % 3 == 0)),
    "connect edges": (mixed_faces, lambda mesh: connect_edges(mesh, np.arange(len(mesh.topology.edges.ends)) % 3 == 0)),
    "loops beside": (lambda: grid_mesh(4, 4), lambda mesh: lay_beside(mesh, middle_row(mesh), 0.3, "both")),
    "a loop on one side": (lambda: grid_mesh(4, 4), lambda mesh: lay_beside(mesh, middle_row(mesh), 0.3, "left")),
    "divide": (
        lambda: grid_mesh(4, 4),
        lambda mesh: cut_rings(mesh, lay_through(mesh.topology, np.arange(mesh.face_count) == 5, 3, 2)),
    ),
    "put points in": (side_by_side, lambda mesh: put_points_in(mesh, 1e-6)),
    "support": (creased, lambda mesh: creases_to_loops(with_sharpness(mesh, creased().edges["sharpness"]), 0.5)),
}


@pytest.mark.parametrize("name", CHANGES)
def test_every_value_traces_to_its_source(name: str) -> None:
    """Points and corners keep their places, edges lie on those whose numbers they bear, faces in theirs."""
    made, change = CHANGES[name]
    before = bearing(made())
    done = change(before)
    after = done.mesh
    check_origin(done)
    if name not in ("stray points", "turn alike"):  # these leave a doubled face where it is
        check_result(after, oriented=name != "turn some")
    assert after.points["place"] == pytest.approx(after.positions, abs=1e-12)
    assert after.corners["place"] == pytest.approx(after.positions[after.topology.face_corners], abs=1e-12)
    assert after.corners["uv"] * 7 == pytest.approx(after.corners["place"][:, :2], abs=1e-12)
    assert_faces_lie_in_their_own(before, after, paired=name == "pair")
    assert_edges_lie_on_their_own(before, after)


def assert_faces_lie_in_their_own(before: Mesh, after: Mesh, paired: bool = False) -> None:
    """The number that a face bears is that of an old face which holds it: of one of its triangles, where two were paired."""
    assert (after.faces["piece"] == after.faces["number"] - 1).all()
    assert (after.faces["maker"] == after.faces["piece"]).all()
    old = faces_of(before)
    for number, face in zip(after.faces["piece"].tolist(), faces_of(after), strict=True):
        outline = before.positions[old[number]][:, :2]
        middle = after.positions[face][:, :2].mean(axis=0)
        if paired and len(face) == 4 and len(outline) == 3:
            assert {tuple(point) for point in outline} <= {tuple(point) for point in after.positions[face][:, :2]}
        else:
            assert inside(middle, outline)


def inside(place: np.ndarray, outline: np.ndarray) -> bool:
    """Say whether a place lies in a convex outline, whichever way it runs."""
    along = np.roll(outline, -1, axis=0) - outline
    to = place - outline
    side = along[:, 0] * to[:, 1] - along[:, 1] * to[:, 0]
    return bool((side >= -1e-9).all() or (side <= 1e-9).all())


def assert_edges_lie_on_their_own(before: Mesh, after: Mesh) -> None:
    """An edge with a number lies on the old edge of that number, and every edge that lies on an old one has a number."""
    old = before.positions[before.topology.edges.ends]
    numbers = after.edges["number"].astype(int)
    for number, maker, ends in zip(numbers, after.edges["maker"], after.positions[after.topology.edges.ends], strict=True):
        on = [k for k, edge in enumerate(old) if all(lies_on(place, edge) for place in ends)]
        assert (number - 1 in on) if on else number == 0
        assert maker in on if on else maker == 0


def lies_on(place: np.ndarray, edge: np.ndarray) -> bool:
    """Say whether a place lies on an edge."""
    run = edge[1] - edge[0]
    share = np.clip((place - edge[0]) @ run / (run @ run), 0, 1)
    return bool(np.linalg.norm(edge[0] + share * run - place) < 1e-9)


def test_normals_follow_what_turns_and_go_where_they_would_be_wrong() -> None:
    """Turned with all faces, kept by what keeps its points, dropped by what turns some or makes points between."""
    mesh = bearing(mixed_faces())
    assert (reverse_faces(mesh, np.arange(mesh.face_count)).mesh.points["normal"][:, 2] == -1).all()
    assert "normal" not in reverse_faces(mesh, np.array([0])).mesh.points
    assert (reverse_faces(mesh, np.zeros(0, dtype=int)).mesh.points["normal"][:, 2] == 1).all()
    assert (keep_faces(mesh, np.array([1])).mesh.points["normal"][:, 2] == 1).all()
    assert (weld(bearing(exploded(mixed_faces())), 1e-6).mesh.points["normal"][:, 2] == 1).all()
    assert "normal" not in cut_rings(mesh, some_cuts(mesh)).mesh.points
    assert "normal" not in subdivide(mesh, 1).points


def test_merged_points_take_the_mean_and_edges_the_largest() -> None:
    """Two vertices made one: their values are mixed, and of two edges that become one the sharper stays."""
    mesh = bearing(exploded(grid_mesh(2, 1)))
    sharp = np.arange(1.0, 9.0)
    welded = weld(with_sharpness(mesh, sharp), 1e-6)
    both = [k for k, row in enumerate(welded.origin.points.matrix.toarray()) if (row > 0).sum() == 2]
    assert len(both) == 2
    shared = welded.mesh.topology.find_edges(np.array([both]))[0]
    own = {frozenset(map(tuple, ends)) for ends in mesh.positions[mesh.topology.edges.ends]}
    assert len(own) == 7
    at_shared = [
        k
        for k, ends in enumerate(mesh.positions[mesh.topology.edges.ends])
        if all(any(np.allclose(end, welded.mesh.positions[v]) for v in both) for end in ends)
    ]
    assert welded.mesh.edges["sharpness"][shared] == max(sharp[at_shared])


def test_a_smoother_mesh_carries_as_a_plain_division_does() -> None:
    """Only places and sharpness differ: corners, faces and numbers of edges are those of the division without rounding."""
    mesh = bearing(mixed_faces())
    plain, smooth = split_plain(mesh, 2), subdivide(mesh, 2)
    assert plain.topology.key == smooth.topology.key
    assert plain.corners["place"] == pytest.approx(plain.positions[plain.topology.face_corners], abs=1e-12)
    assert plain.points["place"] == pytest.approx(plain.positions, abs=1e-12)
    assert smooth.points["place"] == pytest.approx(smooth.positions, abs=1e-12)
    assert_faces_lie_in_their_own(mesh, plain)
    assert_edges_lie_on_their_own(mesh, plain)
    for place in ("corners", "faces", "edges"):
        for name, values in getattr(plain, place).items():
            assert getattr(smooth, place)[name] == pytest.approx(values), f"{name} on {place}"


def test_corners_of_a_division_are_mixed_as_their_matrix_says() -> None:
    """The quick way and the matrix agree for faces of any count of sides."""
    corners = RefinedCorners(mixed_faces().topology)
    values = np.random.default_rng(1).random((len(mixed_faces().topology.face_corners), 3))
    assert corners.mix(values) == pytest.approx(corners.matrix @ values, abs=1e-14)


@pytest.mark.parametrize("second", ["turn some", "cut rings", "some faces"])
@pytest.mark.parametrize("first", ["weld", "clean", "turn all"])
def test_changes_that_follow_one_another_are_one(first: str, second: str) -> None:
    """The origin of both together is where the values of the first mesh are found in the last."""
    made, change = CHANGES[first]
    before = bearing(made())
    one = change(before)
    whole = one.then(CHANGES[second][1](one.mesh))
    check_origin(whole)
    assert whole.origin.points.mix(before.positions) == pytest.approx(whole.mesh.positions, abs=1e-12)
    corners = whole.origin.corners.mix(before.corners["place"])
    assert corners == pytest.approx(whole.mesh.positions[whole.mesh.topology.face_corners], abs=1e-12)
    assert (before.faces["number"][whole.origin.faces] == whole.mesh.faces["number"]).all()
    carried = np.zeros(len(whole.mesh.topology.edges.ends))
    np.maximum.at(carried, whole.origin.edges[:, 0], before.edges["number"][whole.origin.edges[:, 1]])
    assert (carried == whole.mesh.edges["number"]).all()


def test_roles_tell_what_is_new_and_outlive_what_follows() -> None:
    """Pairs, loops and strips have their roles; after faces are turned they have them still."""
    paired = pair_triangles(triangulated())
    assert paired.origin.faces_in("pair").sum() == paired.pairs
    assert (paired.mesh.topology.face_sides[paired.origin.faces_in("pair")] == 4).all()
    supported = creases_to_loops(creased(), 0.5)
    strips = supported.origin.faces_in("strip")
    middles = supported.mesh.face_centers[strips]
    assert len(middles) == 8
    assert (np.abs(middles[:, 0] - 2) < 0.5).all()
    both = supported.then(reverse_faces(supported.mesh, np.array([0])))
    assert (both.origin.faces_in("strip") == strips).all()
    assert (both.origin.edge_roles > 0).sum() == len(supported.loops)


def test_faces_are_foretold_exactly() -> None:
    """Cut rings and support loops leave as many faces as was said."""
    mesh = mixed_faces()
    assert cut_rings(mesh, some_cuts(mesh)).mesh.face_count == predict_cut_faces(mesh.topology, some_cuts(mesh))
    assert creases_to_loops(creased(), 0.5).mesh.face_count == predict_loop_faces(creased(), 0.5)
    assert predict_loop_faces(grid_mesh(3, 3), 0.5) == 9


def test_loops_taken_back_leave_the_cage_and_its_values() -> None:
    """The cage that loops were put into comes back, its faces with their own numbers."""
    mesh = with_sharpness(bearing(grid_mesh(4, 4)), creased().edges["sharpness"])
    supported = creases_to_loops(mesh, 0.5)
    ends = supported.mesh.positions[supported.mesh.topology.edges.ends]
    back = loops_to_creases(supported.mesh, np.flatnonzero((np.abs(ends[:, :, 0] - 2) < 1e-9).all(axis=1)))
    check_origin(back)
    check_result(back.mesh)
    assert back.mesh.face_count == 16
    assert sorted(back.mesh.faces["number"].tolist()) == mesh.faces["number"].tolist()


def test_whole_numbers_stay_whole_numbers() -> None:
    """Numbers of pieces and makers are int32 after every change, whatever they were given as."""
    for (place, name), rule in RULES.items():
        for made, change in CHANGES.values():
            values = getattr(change(bearing(made())).mesh, place)
            if name in values:
                assert (values[name].dtype == np.int32) == rule.whole


def test_meshes_laid_together_keep_all_their_values_in_order() -> None:
    """Values of each mesh stand after those of the ones before; pieces are numbered on; what one lacks is zero."""
    first, second = bearing(mixed_faces()), bearing(cube_mesh(2.0))
    whole = gather_meshes([first, second, grid_mesh(1, 1)])
    assert whole.faces["number"].tolist() == [*first.faces["number"], *second.faces["number"], 0]
    assert whole.faces["piece"].tolist() == list(range(len(whole.faces["piece"])))
    assert whole.points["place"][:-4] == pytest.approx(whole.positions[:-4])
    assert whole.corners["place"][:-4] == pytest.approx(whole.positions[whole.topology.face_corners][:-4])
    numbers = whole.edges["number"].astype(int)
    for mesh, at in ((first, 0), (second, first.point_count)):
        for number, ends in enumerate(mesh.topology.edges.ends, 1):
            assert numbers[whole.topology.find_edges(ends[None] + at)[0]] == number


@pytest.mark.parametrize("name", ODD_MESHES)
def test_odd_meshes_come_through_every_change_that_takes_them(name: str) -> None:
    """Empty, one face, dart, fin, twisted band, bodies that touch, inside out: each change gives a mesh and its origin."""
    mesh = ODD_MESHES[name]()
    for change in (unchanged, drop_stray_points, clean_mesh, part_non_manifold, turn_alike, pair_triangles):
        done = change(mesh)
        check_origin(done)
        check_result(done.mesh, oriented=False)
    for done in (weld(mesh, 1e-6), weld(mesh, 1e-6, "edges"), reverse_faces(mesh, np.arange(mesh.face_count))):
        check_origin(done)
        assert open_sides(done.mesh) == open_sides(mesh)
    merged = merge_points(mesh, np.arange(mesh.point_count))
    assert merged.mesh.positions == pytest.approx(mesh.positions)
    assert same_elements(mesh.topology).of_point.tolist() == list(range(mesh.point_count))


def test_cleaning_parts_what_touches_and_leaves_what_is_sound() -> None:
    """A fin is parted into one band and one face, cubes that touch in a point or an edge into two closed cubes."""
    for name, points in (("touching_in_a_point", 16), ("touching_in_an_edge", 16)):
        cleaned = clean_mesh(ODD_MESHES[name]()).mesh
        check_result(cleaned, closed=True)
        assert cleaned.point_count == points
    assert clean_mesh(ODD_MESHES["inside_out"]()).mesh.face_count == 6
