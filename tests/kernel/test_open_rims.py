"""What is made of an opening's rim: walls through a body, a rolled lip, or what it held; volumes and areas by formula."""

from __future__ import annotations

import numpy as np
import pytest

from glass_spoon.kernel.curves.make.flat_shapes import make_circle, make_rectangle
from glass_spoon.kernel.errors import KernelError, RadiusTooLarge
from glass_spoon.kernel.imprint.join_solids import Rounding
from glass_spoon.kernel.imprint.keep_inside import keep_inside
from glass_spoon.kernel.imprint.tunnel import tunnel, wall_along
from glass_spoon.kernel.mesh_edits.open_along import open_along
from glass_spoon.kernel.mesh_edits.roll_rim import roll_rim
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.origin import check_origin
from tests.mesh_checker import check_result, open_sides
from tests.solid_bodies import ball, box, volume
from tests.zoo import grid_mesh

DOWN = np.array([0, 0, -1.0])
SKIN = grid_mesh(40, 30, 2.5)


def circle(x: float, y: float, radius: float, count: int = 400) -> np.ndarray:
    turn = np.arange(count) * 2 * np.pi / count
    return np.column_stack((x + radius * np.cos(turn), y + radius * np.sin(turn), 0 * turn))


def area(mesh: Mesh) -> float:
    return float(np.linalg.norm(mesh.face_vectors, axis=1).sum())


def bored(radius: float, height: float, count: int) -> float:
    """The volume of a prism over a regular polygon of `count` corners on a circle."""
    return count / 2 * radius**2 * np.sin(2 * np.pi / count) * height


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
def test_a_bore_through_a_box_by_formula(size: float) -> None:
    """Closed, of one piece and of genus one; the box less the prism of the wall's edges, at any size."""
    half = (20 * size, 20 * size, 10 * size)
    body = box(half, (14, 14, 7))
    made = tunnel(body, [make_circle((3 * size, -2 * size), 7 * size)], DOWN)
    check_result(made.mesh, closed=True)
    check_origin(made)
    assert made.mesh.topology.is_quads
    assert made.seams == 2
    wall = (
        np.abs(np.hypot(made.mesh.positions[:, 0] - 3 * size, made.mesh.positions[:, 1] + 2 * size) - 7 * size) < 1e-6 * size
    )
    count = int((wall & (np.abs(made.mesh.positions[:, 2] - 10 * size) < 1e-6 * size)).sum())
    assert count >= 16
    assert volume(made.mesh) == pytest.approx((8 * 20 * 20 * 10 - bored(7, 20, count)) * size**3, rel=2e-3)


def test_several_outlines_with_corners_at_once() -> None:
    """A round and a square one: two tunnels, four rims, the square's corners kept; a piece for each wall."""
    body = box((30, 20, 10), (20, 14, 7))
    made = tunnel(body, [make_circle((12, 0), 6), make_rectangle(14, 10, 0.0, (-12.0, 0.0))], DOWN)
    check_result(made.mesh, closed=True)
    assert made.seams == 4
    assert len(np.unique(made.mesh.faces["piece"])) == 3
    corners = np.array([(x, y, 10.0) for x in (-19, -5) for y in (-5, 5)])
    away = np.linalg.norm(made.mesh.positions[:, None] - corners[None], axis=2).min(axis=0)
    assert away.max() < 0.3


def test_rims_of_a_wall_rounded() -> None:
    """The rounded mouth is wider: a bore of 7 whose rim is rounded by 2 meets the top at 9; less is left of the body."""
    body = box((20, 20, 10), (20, 20, 10))
    sharp, round_ = (tunnel(body, [make_circle((0, 0), 7)], DOWN, None, how) for how in (None, Rounding(2.0, 4)))
    check_result(round_.mesh, closed=True)
    assert volume(round_.mesh) < volume(sharp.mesh)
    top = round_.mesh.positions[np.abs(round_.mesh.positions[:, 2] - 10) < 1e-9]
    assert np.hypot(top[:, 0], top[:, 1]).min() == pytest.approx(9.0, abs=0.02)


def test_a_wall_through_a_ball_follows_its_skin() -> None:
    """A bore through a ball's middle leaves 4/3 π (R² - r²)^(3/2) (the napkin ring, common mensuration, no source)."""
    made = tunnel(ball(30, 24), [make_circle((0, 0), 8)], DOWN)
    check_result(made.mesh, closed=True)
    assert volume(made.mesh) == pytest.approx(4 / 3 * np.pi * (900 - 64) ** 1.5, rel=0.015)


def test_the_body_of_a_wall_looks_out_and_holds_its_volume() -> None:
    """The body of the wall is closed and outward, with the cylinder's volume."""
    wall, surface = wall_along(make_circle((0, 0), 5), DOWN, box((10, 10, 10), (5, 5, 5)))
    check_result(wall, closed=True)
    height = float(np.ptp(wall.positions[:, 2]))
    assert height > 20
    assert volume(wall) == pytest.approx(np.pi * 25 * height, rel=0.03)
    assert surface.is_closed(0, 1e-9)


def test_an_outline_off_the_body_or_end_on_says_so() -> None:
    """Outlines beside the body and seen end on are refused in words."""
    with pytest.raises(KernelError, match="no outline lies on the body"):
        tunnel(box((10, 10, 10), (5, 5, 5)), [make_circle((80, 0), 5)], DOWN)
    with pytest.raises(KernelError, match="encloses nothing"):
        tunnel(box((10, 10, 10), (5, 5, 5)), [make_circle((0, 0), 5)], np.array([0, 1.0, 0]))


@pytest.mark.parametrize("over", [False, True])
@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
def test_a_rolled_rim_is_a_quarter_of_a_torus(size: float, over: bool) -> None:
    """Its area by Pappus: a quarter arc of r about an axis R away has its middle at R - r (1 - 2/π) from the rim's R."""
    skin = grid_mesh(40, 30, 2.5 * size)
    radius, roll = 9 * size, 2 * size
    opened = open_along(skin, [circle(50 * size, 37 * size, radius)])
    rim = np.zeros(len(opened.mesh.topology.edges.ends), dtype=bool)
    rim[opened.origin.edge_roles == opened.origin.roles.index("rim")] = True
    rolled = roll_rim(opened.mesh, rim, roll, 16, over=over)
    check_result(rolled.mesh, closed=False)
    check_origin(rolled)
    lip = rolled.origin.faces_in("lip")
    found = float(np.linalg.norm(rolled.mesh.face_vectors[lip], axis=1).sum())
    arc, middle = np.pi / 2 * roll, radius - roll * 2 / np.pi
    assert found == pytest.approx(2 * np.pi * middle * arc, rel=0.02)
    ends = rolled.mesh.positions[np.unique(rolled.mesh.topology.face_corners.reshape(-1, 4)[lip])]
    assert ends[:, 2].min() == pytest.approx(0 if over else -roll, abs=1e-9 * size)
    assert ends[:, 2].max() == pytest.approx(roll if over else 0, abs=1e-9 * size)
    assert open_sides(rolled.mesh) == open_sides(opened.mesh)


def test_a_roll_that_does_not_fit_names_the_largest() -> None:
    """It is less than the radius of the hole, and fits."""
    opened = open_along(SKIN, [circle(50, 37, 5)])
    rim = opened.origin.edge_roles == opened.origin.roles.index("rim")
    with pytest.raises(RadiusTooLarge) as found:
        roll_rim(opened.mesh, rim, 6.0, 4)
    assert 3.0 < found.value.largest < 5.0
    check_result(roll_rim(opened.mesh, rim, 0.98 * found.value.largest, 4).mesh, closed=False)
    with pytest.raises(KernelError, match="No open edge"):
        roll_rim(ball(10, 4), np.ones(len(ball(10, 4).topology.edges.ends), dtype=bool), 1.0, 2)


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
def test_what_an_outline_holds_has_its_area(size: float) -> None:
    """Two discs cut out of a skin: rims on the outlines, area of their polygons, far faces kept as they were."""
    skin = grid_mesh(40, 30, 2.5 * size)
    outlines = [circle(30 * size, 37 * size, 14 * size), circle(70 * size, 37 * size, 11 * size)[::-1]]
    done, off = keep_inside(skin, outlines)
    check_result(done.mesh, closed=False)
    check_origin(done)
    assert done.mesh.topology.components.max() == 1
    assert area(done.mesh) == pytest.approx(np.pi * (14**2 + 11**2) * size**2, rel=0.02)
    assert off < 0.2 * size
    middle = np.hypot(done.mesh.face_centers[:, 0] - 30 * size, done.mesh.face_centers[:, 1] - 37 * size) < 2 * size
    assert middle.any()
    assert np.array_equal(done.mesh.face_centers[middle], skin.face_centers[done.origin.faces[middle]])


def test_what_is_held_and_what_is_left_are_the_whole() -> None:
    """The disc and the skin that is opened along the same outline add up, but for the chords of both rims."""
    inside = keep_inside(SKIN, [circle(50, 37, 15)])[0].mesh
    outside = open_along(SKIN, [circle(50, 37, 15)]).mesh
    assert area(inside) + area(outside) == pytest.approx(100 * 75, rel=2e-3)


def test_an_outline_with_corners_or_off_the_skin_is_refused_in_words() -> None:
    """Corners, heights off the skin and crossing outlines each get their sentence."""
    square = np.array([(40, 30, 0), (60, 30, 0), (60, 45, 0), (40, 45, 0.0)])
    with pytest.raises(KernelError, match="has corners: Round them"):
        keep_inside(
            SKIN,
            [
                np.repeat(square, 20, axis=0)
                + np.tile(np.arange(20) / 20, 4)[:, None] * np.repeat(np.roll(square, -1, 0) - square, 20, axis=0)
            ],
        )
    with pytest.raises(KernelError, match="off the mesh"):
        keep_inside(SKIN, [circle(50, 37, 15) + np.array([0, 0, 5.0])])
    with pytest.raises(KernelError, match="crosses another"):
        keep_inside(SKIN, [circle(50, 37, 15), circle(60, 37, 15)])
