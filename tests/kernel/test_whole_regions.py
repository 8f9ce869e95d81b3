"""Regions of several patches that are meshed as one: even quads up to their rims, every vertex on its patch."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from glass_spoon.kernel.curves.alter.place_curve import moving, place_curve, turning
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.mesh_edits.relax_mesh import relax_mesh
from glass_spoon.kernel.meshes.mesh import Mesh, check_mesh
from glass_spoon.kernel.meshing import mesh_set as meshing
from glass_spoon.kernel.meshing.count_plan import CountRule
from glass_spoon.kernel.meshing.cut_set import cut_at_kinks
from glass_spoon.kernel.meshing.explain_valences import REASONS, explain_valences
from glass_spoon.kernel.meshing.mesh_set import mesh_set
from glass_spoon.kernel.meshing.set_counts import Wish, plan_counts, planned, predicted_faces
from glass_spoon.kernel.patches.fill_holes import fill_holes
from glass_spoon.kernel.patches.fill_region import fill_ring
from glass_spoon.kernel.patches.region import Piece, make_loops
from glass_spoon.kernel.surfaces.evaluate.closest_points import closest_points
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_points
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.make.loft import LoftShape, loft_sections
from glass_spoon.kernel.surfaces.sets.orient_set import orient_set
from glass_spoon.kernel.surfaces.sets.split_to_meet import split_to_meet
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet, gather_sets, place_set, reverse_set
from glass_spoon.kernel.trims.from_set import faces_of_set
from glass_spoon.kernel.trims.mesh_faces import mesh_faces
from tests.kernel.test_patches import cornered, line, round_ring

PLATE = [(-60, -40), (60, -40), (60, 40), (-60, 40), (-60, -40)]
HOLES = [(-35, 0, 12), (5, 10, 14), (38, -8, 10)]
SIZES = [0.01, 1.0, 100.0]


def patched(outer: NurbsCurve, rims: list[NurbsCurve], within: float = 1e-3) -> SurfaceSet:
    """Return the patches between a boundary and holes, as a region."""
    loops = make_loops([Piece(curve) for curve in (outer, *rims)], within)
    filled = fill_holes(loops[0], loops[1:]) if len(rims) > 1 else fill_ring(loops[0], loops[1])
    return SurfaceSet(filled.surfaces, max(4 * filled.off, 1e-6), regions=(tuple(range(len(filled.surfaces))),))


def plate(size: float = 1.0, turn: float = 0.0, heights: tuple[float, ...] = (0, 0, 0)) -> SurfaceSet:
    """Return a plate with three round holes, turned in its plane, the holes at heights."""
    rims = [round_ring(r * size, (x * size, y * size, z * size)) for (x, y, r), z in zip(HOLES, heights, strict=True)]
    placed = turning([0, 0, 0], [0, 0, 1], turn)
    return patched(*_placed(line(*(np.array(PLATE) * size)), rims, placed), within=1e-3 * size)


def _placed(outer: NurbsCurve, rims: list[NurbsCurve], placed) -> tuple[NurbsCurve, list[NurbsCurve]]:
    return place_curve(outer, placed), [place_curve(rim, placed) for rim in rims]


def wall(curve: NurbsCurve, way: list[float]) -> NurbsSurface:
    """Return the surface that a curve sweeps along a way."""
    return loft_sections([curve, place_curve(curve, moving(way))], LoftShape(degree=1))


def corner_angles(mesh: Mesh) -> np.ndarray:
    """Return all corners of quads in degrees."""
    corners = mesh.positions[mesh.topology.face_corners.reshape(-1, 4)]
    ahead, back = np.roll(corners, -1, axis=1) - corners, np.roll(corners, 1, axis=1) - corners
    cosines = (ahead * back).sum(axis=2) / np.linalg.norm(ahead, axis=2) / np.linalg.norm(back, axis=2)
    return np.degrees(np.arccos(np.clip(cosines, -1, 1)))


def evenness(mesh: Mesh) -> tuple[float, float]:
    """Return the geometric mean of the areas of quads over their mean, and the area of them all."""
    corners = mesh.positions[mesh.topology.face_corners.reshape(-1, 4)]
    areas = np.linalg.norm(np.cross(corners[:, 2] - corners[:, 0], corners[:, 3] - corners[:, 1]), axis=1) / 2
    return float(np.exp(np.log(areas).mean()) / areas.mean()), float(areas.sum())


def is_even(mesh: Mesh, rims: int, least: float = 40.0) -> bool:
    """Say whether a mesh is sound, closed but for its rims, and even."""
    check_mesh(mesh)
    angles = corner_angles(mesh)
    return (
        len(mesh.topology.boundary_loops) == rims
        and bool((mesh.topology.edge_face_counts <= 2).all())
        and float(angles.min()) > least
        and float(angles.max()) < 180 - least
        and evenness(mesh)[0] > 0.93
    )


@pytest.mark.parametrize("size", SIZES)
@pytest.mark.parametrize("turn", [0.0, 0.6])
def test_a_plate_with_holes_is_meshed_evenly_at_any_size_and_turn(size: float, turn: float) -> None:
    """Its grids would have corners below 20° and twice the faces; as one it has the area that the holes leave."""
    shape = plate(size, turn)
    mesh = mesh_set(shape, Wish((3 * size, 3 * size)))
    assert is_even(mesh, 4)
    area = (120 * 80 - np.pi * sum(r**2 for *_, r in HOLES)) * size**2
    assert evenness(mesh)[1] == pytest.approx(area, rel=3e-3)
    assert mesh.face_count == pytest.approx(area / (3 * size) ** 2, rel=0.1)
    grids = mesh_set(replace(shape, regions=()), Wish((3 * size, 3 * size)))
    assert corner_angles(grids).min() < 20
    assert evenness(grids)[0] < 0.9


@pytest.mark.parametrize("step", [1.0, 2.3, 2.9, 3.1, 5.0, 9.0])
def test_rims_take_even_counts_and_the_faces_are_foretold(step: float) -> None:
    """Whatever the edges: no rim is left odd, and the count is near enough to search by."""
    shape = plate()
    mesh = mesh_set(shape, Wish((step, step)))
    assert is_even(mesh, 4, 30.0)
    assert all(len(loop) % 2 == 0 for loop in mesh.topology.boundary_loops)
    cut = cut_at_kinks(shape)
    assert predicted_faces(cut, plan_counts(cut, Wish((step, step)), "quads")) == pytest.approx(mesh.face_count, rel=0.25)


def test_every_vertex_lies_on_its_patch_where_its_uv_says() -> None:
    """Bent patches, the holes at heights: one corner at least gives back the place of a vertex, but for few that lie just
    beyond the patches of all their faces; those lie on the next.
    """
    shape = plate(heights=(2.0, -1.0, 3.0))
    mesh = mesh_set(shape, Wish((4.0, 4.0)))
    assert is_even(mesh, 4, 35.0)
    away = np.full(mesh.point_count, np.inf)
    corners, owner = mesh.topology.face_corners, mesh.faces["piece"][mesh.topology.face_of_corner].astype(int)
    for number, surface in enumerate(shape.surfaces):
        own = owner == number
        low, high = np.array([surface.domain(axis) for axis in (0, 1)]).T
        found = surface_points(surface, *(low + mesh.corners["uv"][own] * (high - low)).T)
        np.minimum.at(away, corners[own], np.linalg.norm(found - mesh.positions[corners[own]], axis=1))
    beyond = away > 1e-6
    assert beyond.mean() < 0.03
    assert away.max() < 2.0
    nearest = [closest_points(surface, mesh.positions[beyond])[2] for surface in shape.surfaces]
    assert np.min(nearest, axis=0).max() < 1e-6
    assert set(np.unique(owner)) == set(range(len(shape.surfaces)))


def test_it_shares_the_vertices_of_its_rims_with_what_stands_on_them() -> None:
    """Walls round the plate and tubes in its holes: one skin, its only rims the free ends, sharp where they meet."""
    shape = plate()
    curves = [line(*PLATE), *(round_ring(r, (x, y, 0.0)) for x, y, r in HOLES)]
    walls = [SurfaceSet((wall(curve, [0, 0, 25.0]),), 1e-3) for curve in curves]
    whole, _ = split_to_meet(gather_sets([shape, *walls], 1e-2))
    assert len(whole.regions) == 1
    mesh = mesh_set(orient_set(whole).shape, Wish((3.0, 3.0)))
    assert is_even(mesh, 4)
    flat = np.abs(mesh.positions[mesh.topology.edges.ends][..., 2]).max(axis=1) < 1e-9
    inner = mesh.topology.edge_faces[flat & (mesh.edges["sharpness"] > 0)]
    rim = sum(len(loop) for loop in mesh_set(shape, Wish((3.0, 3.0))).topology.boundary_loops)
    assert len(inner) == pytest.approx(rim, abs=8)
    assert mesh.points["normal"][np.abs(mesh.positions[:, 2]) < 1e-9].shape[0] > 500


def test_two_of_them_side_by_side_share_an_edge() -> None:
    """Both plates are meshed as one each; the edge between them has one row of vertices, and is smooth."""
    shape = plate()
    pair, _ = split_to_meet(gather_sets([shape, place_set(shape, moving([120.0, 0, 0]))], 1e-2))
    assert [len(region) for region in pair.regions] == [len(shape.surfaces)] * 2
    mesh = mesh_set(pair, Wish((3.0, 3.0)))
    assert is_even(mesh, 7)
    assert not (mesh.edges.get("sharpness", np.zeros(1)) > 0).any()
    assert np.abs(mesh.points["normal"] - [0, 0, mesh.points["normal"][0, 2]]).max() < 1e-9


@pytest.mark.parametrize("changed", ["mirrored", "turned over"])
def test_its_faces_look_to_the_side_of_its_patches(changed: str) -> None:
    """Also where it is mirrored, which keeps its sides, or they are changed over."""
    mirrored = replace(moving([0, 0, 0]), matrix=np.diag([-1.0, 1.0, 1.0]))
    other = place_set(plate(), mirrored) if changed == "mirrored" else reverse_set(plate())
    found = []
    for one in (plate(), other):
        mesh = mesh_set(one, Wish((4.0, 4.0)))
        corners = mesh.positions[mesh.topology.face_corners.reshape(-1, 4)]
        turn = np.cross(corners[:, 2] - corners[:, 0], corners[:, 3] - corners[:, 1])[:, 2]
        found.append(float(np.sign(turn[0])))
        assert (np.sign(turn) == found[-1]).all()
        assert np.abs(mesh.points["normal"] - [0, 0, found[-1]]).max() < 1e-9
    assert found[0] == (found[1] if changed == "mirrored" else -found[1])


def test_odd_vertices_are_told_by_the_rims() -> None:
    """A region that keeps its grids has them at corners of its patches."""
    shape = plate()
    wish = Wish((3.0, 3.0))
    assert set(explain_valences(mesh_set(shape, wish), len(shape.surfaces), shape.regions)) == {REASONS[3]}
    ring = patched(round_ring(30), [round_ring(12)])
    assert cut_at_kinks(ring).before is None
    assert explain_valences(mesh_set(ring, wish), len(ring.surfaces), ring.regions) == {}


def test_counts_that_no_rim_can_have_leave_it_its_grids(monkeypatch: pytest.MonkeyPatch) -> None:
    """Odd counts along two edges of a rim between corners add up to nothing odd; nor are rims filled that are too coarse."""
    shape = plate()
    odd = Wish((3.0, 3.0), rule=CountRule(2, 1))
    assert mesh_set(shape, odd).face_count == mesh_set(replace(shape, regions=()), odd).face_count
    cut, counts = planned(cut_at_kinks(shape), odd, "quads")
    assert cut.before is None
    assert predicted_faces(cut, counts) == mesh_set(shape, odd).face_count

    def refused(*_: object) -> None:
        raise KernelError("too coarse")

    monkeypatch.setattr(meshing, "fill_whole", refused)
    wish = Wish((4.0, 4.0))
    assert mesh_set(shape, wish).face_count == mesh_set(replace(shape, regions=()), wish).face_count


def test_what_cannot_be_seen_as_one_keeps_its_grids() -> None:
    """A region that turns round, a single patch, and one with a crease."""

    def taken(shape: SurfaceSet) -> bool:
        return cut_at_kinks(shape).before is not None

    shape = plate()
    assert taken(shape)
    assert not taken(replace(shape, regions=((0,),)))
    up = place_set(shape, turning([60.0, 0, 0], [0, 1, 0], np.pi / 2))
    both, _ = split_to_meet(gather_sets([shape, up], 1e-2))
    assert not taken(replace(both, regions=(tuple(range(len(both.surfaces))),)))


def test_regions_keep_their_surfaces_where_others_are_gathered_and_cut() -> None:
    """Numbers go on behind what comes first; a surface that is cut leaves both its parts in its region."""
    tall = wall(line((60, -40), (60, 0)), [0, 0, 20.0])
    shape = plate()
    whole, parents = split_to_meet(gather_sets([SurfaceSet((tall,)), shape], 1e-2))
    assert whole.regions == (tuple(np.flatnonzero(parents > 0).tolist()),)
    assert len(whole.surfaces) > 1 + len(shape.surfaces)


def test_flat_patches_are_one_face_to_trims() -> None:
    """A region in one plane is a piece of that plane: one face with its holes, meshed evenly; a bent one is its patches."""
    square = patched(cornered(5, 50), [round_ring(8, (10, 5, 0)), round_ring(6, (-15, -8, 0))])
    faces = faces_of_set(square)
    assert len(faces.faces) == 1
    assert len(faces.faces[0].loops) == 3
    mesh = mesh_faces(faces, 3.0)
    assert is_even(mesh, 3)
    area = 2.5 * 2500 * np.sin(2 * np.pi / 5) - np.pi * 100
    assert evenness(mesh)[1] == pytest.approx(area, rel=5e-3)
    bent = plate(heights=(2.0, -1.0, 3.0))
    assert len(faces_of_set(bent).faces) == len(bent.surfaces)


def test_a_region_does_not_make_its_neighbours_coarser() -> None:
    """A sheet that widens from the plate's edge takes the counts that it would take alone, nearly."""
    far = line((160, -120), (160, 120))
    sheet = SurfaceSet((loft_sections([line((60, -40), (60, 40)), far], LoftShape(degree=1)),))
    alone = plan_counts(cut_at_kinks(sheet), Wish((3.0, 3.0)), "quads")
    whole, _ = split_to_meet(gather_sets([plate(), sheet], 1e-2))
    cut = cut_at_kinks(whole)
    assert cut.before is not None
    counts = plan_counts(cut, Wish((3.0, 3.0)), "quads")
    own = [piece for piece, parent in enumerate(cut.parents) if parent == len(whole.surfaces) - 1]
    across = counts[own].sum(axis=0) if len(own) > 1 else counts[own[0]]
    assert across.max() >= 0.9 * alone.max()


def test_bent_faces_of_a_region_are_filled_as_one() -> None:
    """Two bent regions side by side, trimmed or not: each by its own faces would have corners below 20°."""
    bent = plate(heights=(2.0, -1.0, 3.0))
    pair, _ = split_to_meet(gather_sets([bent, place_set(bent, moving([120.0, 0, 0]))], 1e-2))
    faces = faces_of_set(pair)
    assert [len(region) for region in faces.regions] == [len(bent.surfaces)] * 2
    mesh = mesh_faces(faces, 4.0)
    assert is_even(mesh, 7, 35.0)
    assert corner_angles(mesh_faces(replace(faces, regions=()), 4.0)).min() < 20
    sharp = mesh.topology.edges.ends[mesh.edges["sharpness"] > 0]
    assert np.abs(mesh.positions[sharp][..., 0] - 60).max() < 1e-6  # where they meet, not smoothly
    assert len(sharp) == 20
    assert set(np.unique(mesh.faces["piece"])) <= set(range(len(faces.faces)))
    corners, owner = mesh.topology.face_corners, mesh.faces["piece"][mesh.topology.face_of_corner].astype(int)
    near = np.full(mesh.point_count, np.inf)
    for number in np.unique(owner).tolist():
        surface, own = faces.faces[number].surface, owner == number
        low, high = np.array([surface.domain(axis) for axis in (0, 1)]).T
        found = surface_points(surface, *(low + mesh.corners["uv"][own] * (high - low)).T)
        np.minimum.at(near, corners[own], np.linalg.norm(found - mesh.positions[corners[own]], axis=1))
    assert (near > 1e-6).mean() < 0.03
    assert near.max() < 2.0
    facing = (mesh.points["normal"][corners.reshape(-1, 4)].mean(axis=1) * mesh.face_vectors).sum(axis=1)
    assert (facing > 0).all()


def test_surfaces_beside_it_keep_their_grids() -> None:
    """A sheet that goes on from the plate is a grid, its count that of the plate's edge."""
    sheet = wall(line((60, -40), (60, 40)), [30.0, 0, 0])
    whole, _ = split_to_meet(gather_sets([plate(), SurfaceSet((sheet,))], 1e-2))
    mesh = mesh_set(orient_set(whole).shape, Wish((3.0, 3.0)))
    assert is_even(mesh, 4)
    beyond = mesh.positions[mesh.topology.face_corners.reshape(-1, 4)].mean(axis=1)[:, 0] > 60
    assert beyond.sum() == 10 * (np.isclose(mesh.positions[:, 0], 60.0).sum() - 1)
    assert isinstance(whole.surfaces[0], NurbsSurface)


def test_it_is_relaxed_as_one() -> None:
    """Vertices cross from patch to patch, and no line between patches holds them; all stay on the patches."""
    shape = plate(heights=(2.0, -1.0, 3.0))
    mesh = mesh_set(shape, Wish((4.0, 4.0)))
    relaxed = relax_mesh(mesh, shape, rounds=30)
    assert relaxed.after > relaxed.before
    piece = mesh.faces["piece"][mesh.topology.edge_faces]
    border = (mesh.topology.edge_faces[:, 1] >= 0) & (piece[:, 0] != piece[:, 1])
    there = np.unique(mesh.topology.edges.ends[border])
    there = there[~mesh.topology.on_boundary[there]]
    gone = np.linalg.norm(relaxed.mesh.positions - mesh.positions, axis=1)
    assert np.median(gone[there]) > 0.3 * np.median(gone[~mesh.topology.on_boundary])
    inner = relaxed.mesh.positions[~mesh.topology.on_boundary]
    nearest = [closest_points(surface, inner)[2] for surface in shape.surfaces]
    assert np.min(nearest, axis=0).max() < 1e-5
