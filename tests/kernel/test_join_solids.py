"""Closed bodies joined by quads: closed, all quads, volumes by formula and as Manifold has them, far faces untouched."""

from __future__ import annotations

from itertools import product

import manifold3d
import numpy as np
import pytest

from glass_spoon.kernel.errors import KernelError, RadiusTooLarge
from glass_spoon.kernel.gauges.crossings import crossing_faces
from glass_spoon.kernel.imprint.join_solids import JoinedSolids, Rounding, join_solids
from glass_spoon.kernel.imprint.solids import Meeting
from glass_spoon.kernel.mesh_edits.clean_mesh import reverse_faces
from glass_spoon.kernel.mesh_edits.gather_meshes import gather_meshes
from glass_spoon.kernel.meshes.closest_on_mesh import NearestOnMesh
from glass_spoon.kernel.meshes.mesh import Mesh, make_mesh
from glass_spoon.kernel.meshes.origin import check_origin
from tests.mesh_checker import check_result
from tests.solid_bodies import ball, box, euler, ring, rod, scaled, turned, volume

HOWS: tuple[Meeting, ...] = ("unite", "subtract", "meet")


def join(first: Mesh, second: Mesh, how: Meeting, rounding: Rounding | None = None) -> JoinedSolids:
    laid = reverse_faces(second, np.arange(second.face_count)).mesh if how == "subtract" else second
    return join_solids(gather_meshes([first, laid]), (first, second), how, rounding=rounding)


def by_manifold(first: Mesh, second: Mesh, how: Meeting) -> float:
    """Return the volume that Manifold finds for two meshes by itself."""
    a, b = (
        manifold3d.Manifold(
            manifold3d.Mesh64(
                mesh.positions.copy(), np.ascontiguousarray(NearestOnMesh(mesh).triangles[0].astype(np.uint64))
            )
        )
        for mesh in (first, second)
    )
    return float({"unite": a + b, "subtract": a - b, "meet": a ^ b}[how].volume())


def check(done: JoinedSolids) -> None:
    check_result(done.mesh, closed=True)
    check_origin(done)
    assert done.mesh.topology.is_quads
    triangles = NearestOnMesh(done.mesh).triangles[0]
    assert not len(crossing_faces(make_mesh(done.mesh.positions, triangles)))


BODIES = {
    "ball and rod": (ball(30, 12), rod(7, 100, 3, 20, (3, 2, 0)), (2, 0, 2)),
    "ball and ball": (ball(30, 12), ball(20, 12, (25, 3, 4)), (2, 2, 2)),
    "box and rod": (box((20, 20, 20), (10, 10, 10)), rod(7, 100, 3, 20, (3, 2, 0)), (2, 0, 2)),
    "box and ball on its edge": (box((20, 20, 20), (10, 10, 10)), ball(12, 8, (20, 1, 20.5)), (2, 2, 2)),
    "box and ball on its corner": (box((20, 20, 20), (10, 10, 10)), ball(12, 8, (20, 20, 20.5)), (2, 2, 2)),
    "box and box": (box((20, 20, 20), (10, 10, 10)), box((10, 10, 10), (6, 6, 6), (3, 2, 17)), (2, 2, 2)),
    "ring and ball": (ring(30, 8, 48, 20), ball(14, 8, (30, 1, 0)), (0, 2, 2)),
}


@pytest.mark.parametrize(("name", "how"), list(product(BODIES, HOWS)))
def test_two_bodies_become_one_skin_of_quads(name: str, how: Meeting) -> None:
    """Closed, of the right genus, no face through another, and as much inside as Manifold finds."""
    first, second, numbers = BODIES[name]
    done = join(first, second, how)
    check(done)
    assert euler(done.mesh) == numbers[HOWS.index(how)]
    assert done.exact == pytest.approx(by_manifold(first, second, how), rel=1e-9)
    assert volume(done.mesh) == pytest.approx(done.exact, rel=0.005 if how != "meet" else 0.03)
    assert np.degrees(done.narrowest) > 30


@pytest.mark.parametrize("how", HOWS)
def test_faces_far_from_the_seam_stay_what_and_where_they_were(how: Meeting) -> None:
    """Those more than three edges away are identical, corner by corner."""
    first, second, _ = BODIES["ball and rod"]
    done = join(first, second, how)
    whole = gather_meshes([first, second])
    kept = np.flatnonzero(done.origin.faces_in("kept"))
    seam = np.concatenate([done.mesh.positions[points[0]] for points in done.rings])
    middles = done.mesh.face_centers[kept]
    away = np.linalg.norm(middles[:, None] - seam, axis=2).min(axis=1)
    edge = 5.0
    far = kept[away > 3 * edge]
    assert len(far) > 20 or how == "meet"
    new = done.mesh.positions[done.mesh.topology.face_corners.reshape(-1, 4)[far]]
    old = whole.positions[whole.topology.face_corners.reshape(-1, 4)[done.origin.faces[far]]]
    assert np.array_equal(np.sort(new.reshape(len(far), -1)), np.sort(old.reshape(len(far), -1)))


@pytest.mark.parametrize("how", HOWS)
@pytest.mark.parametrize("factor", [0.01, 100.0])
def test_the_same_at_another_size(how: Meeting, factor: float) -> None:
    """A hundred times as large or small: the same faces, the same places."""
    first, second, _ = BODIES["ball and ball"]
    done, other = join(first, second, how), join(scaled(first, factor), scaled(second, factor), how)
    assert other.mesh.face_count == done.mesh.face_count
    assert np.allclose(
        other.mesh.positions, done.mesh.positions * factor, atol=1e-2 * factor
    )  # flat faces: last digits may choose another


@pytest.mark.parametrize("seed", range(30))
def test_any_two_bodies_in_any_place_are_joined_or_refused_in_words(seed: int) -> None:
    """Closed, nothing folded or crossing, the volume near Manifold's; or a sentence that says what to do."""
    rng = np.random.default_rng(seed)
    makers = (
        lambda: ball(rng.uniform(12, 25), int(rng.integers(8, 16))),
        lambda: box(tuple(rng.uniform(8, 20, 3)), tuple(rng.integers(6, 14, 3))),
        lambda: rod(rng.uniform(5, 12), rng.uniform(30, 70), int(rng.integers(3, 7)), int(rng.integers(10, 24))),
        lambda: ring(rng.uniform(15, 25), rng.uniform(4, 8), 2 * int(rng.integers(16, 30)), 2 * int(rng.integers(6, 12))),
    )
    first, second = (turned(makers[int(rng.integers(4))](), rng, 14.0) for _ in range(2))
    how = HOWS[seed % 3]
    try:
        done = join(first, second, how)
    except KernelError as error:
        assert str(error).endswith(".")
        return
    check(done)
    assert volume(done.mesh) == pytest.approx(by_manifold(first, second, how), rel=0.15)


def test_most_pairs_are_joined() -> None:
    """Of bodies whose faces are small against them, at least four of five."""
    rng = np.random.default_rng(7)
    joined = 0
    for number in range(15):
        first = turned(ball(20, 20), rng, 8.0)
        second = turned((rod(7, 80, 6, 50), ring(20, 6, 72, 24), ball(14, 14))[number % 3], rng, 8.0)
        try:
            check(join(first, second, HOWS[number % 2]))
            joined += 1
        except KernelError:
            continue
    assert joined >= 12


def test_a_body_set_flat_on_another_is_joined_to_it() -> None:
    """Coplanar faces: the seam is the lower rim of the upper box, whose points stay; nothing is taken off by subtracting."""
    low, high = box((20, 20, 20), (10, 10, 10)), box((10, 10, 10), (6, 6, 6), (3, 2, 30))
    done = join(low, high, "unite")
    check(done)
    assert volume(done.mesh) == pytest.approx(64000 + 8000, rel=1e-9)
    rim = done.mesh.positions[done.rings[0][0]]
    assert np.allclose(rim[:, 2], 20)
    assert len(rim) == 24
    assert join(low, high, "subtract").mesh.face_count == low.face_count
    with pytest.raises(KernelError, match="do not overlap"):
        join(low, high, "meet")


def test_bodies_that_do_not_cross() -> None:
    """Apart they lie beside each other, one inside the other makes a hollow; nothing else changes."""
    large, small = ball(30, 8), ball(10, 4)
    assert volume(join(large, small, "subtract").mesh) == pytest.approx(volume(large) - volume(small))
    assert join(large, small, "unite").mesh.face_count == large.face_count
    assert join(large, small, "meet").mesh.face_count == small.face_count
    apart = ball(10, 4, (50, 0, 0))
    assert join(large, apart, "unite").mesh.face_count == large.face_count + apart.face_count


def test_what_is_no_solid_is_refused_with_a_way_out() -> None:
    """An open sheet, faces against each other, inside out, parts that run into each other."""
    good = ball(20, 6)
    open_box = make_mesh(good.positions, good.topology.face_corners.reshape(-1, 4)[1:])
    with pytest.raises(KernelError, match="first body is not closed: 4 of its edges"):
        join(open_box, good, "unite")
    with pytest.raises(KernelError, match="second body is inside out"):
        join(good, reverse_faces(good, np.arange(good.face_count)).mesh, "unite")
    with pytest.raises(KernelError, match="Fuse them first"):
        join(good, gather_meshes([ball(10, 6, (15, 0, 0)), ball(10, 6, (22, 0.3, 0))]), "unite")


@pytest.mark.parametrize(("steps", "close"), [(1, 0.02), (6, 0.004)])
def test_a_rounded_bore_by_formula(steps: int, close: float) -> None:
    """The edge of a bore in a block, rounded by r: (1 - π/4) r² at 0.2234 r off the edge, turned round (Pappus); r²/2 at r/3
    for a chamfer. Common formulas of mensuration, no source.
    """
    block, bore = box((20, 20, 10), (24, 24, 12)), rod(8, 60, 14, 70)
    sharp, done = join(block, bore, "subtract"), join(block, bore, "subtract", Rounding(2.0, steps))
    check(done)
    area, off = (2.0, 2 / 3) if steps == 1 else ((1 - np.pi / 4) * 4, 0.2234 * 2)
    taken = 2 * area * 2 * np.pi * (8 + off)
    assert volume(sharp.mesh) - volume(done.mesh) == pytest.approx(taken, rel=0.12)
    assert volume(done.mesh) == pytest.approx(40 * 40 * 20 - np.pi * 64 * 20 - taken, rel=close)


def test_a_round_between_two_balls_touches_both() -> None:
    """The ball's middle keeps its radius from both skins all along: a ring of known radius (by Pythagoras)."""
    first, second = ball(30, 32), ball(20, 24, (36, 0, 0))
    done = join(first, second, "unite", Rounding(3.0, 4))
    check(done)
    round_faces = done.origin.faces_in("round")
    points = np.unique(done.mesh.topology.face_corners.reshape(-1, 4)[round_faces])
    x = (33**2 - 23**2 + 36**2) / 72
    axis = np.sqrt(33**2 - x**2)
    places = done.mesh.positions[points]
    away = np.hypot(np.hypot(places[:, 1], places[:, 2]) - axis, places[:, 0] - x)
    assert np.allclose(away, 3.0, rtol=0.05)


def test_a_radius_that_does_not_fit_says_which_does() -> None:
    """The rounding between ball and rod is refused with a radius that can be had."""
    first, second = ball(30, 24), rod(7, 100, 6, 40, (3, 2, 0))
    with pytest.raises(RadiusTooLarge) as told:
        join(first, second, "subtract", Rounding(30.0))
    assert 2 < told.value.largest < 30
