"""Plates: outlines with holes pulled straight, drafted, with soft edges and flat caps."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from glass_spoon.kernel.curves.alter.edit_knots import join_curves, reverse_curve
from glass_spoon.kernel.curves.alter.place_curve import moving, place_curve
from glass_spoon.kernel.curves.alter.round_corners import round_corners
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.make.flat_shapes import make_circle, make_rectangle, make_star
from glass_spoon.kernel.curves.make.interpolate import interpolate_points
from glass_spoon.kernel.curves.make.line_and_arc import make_arc, make_polyline
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.kernel.meshes.mesh import Mesh, check_mesh
from glass_spoon.kernel.meshing.mesh_set import mesh_set
from glass_spoon.kernel.meshing.set_counts import Wish
from glass_spoon.kernel.surfaces.make.plate import make_plate
from glass_spoon.kernel.surfaces.make.plate_shape import PlateEdge, PlateShape
from glass_spoon.kernel.surfaces.sets.orient_set import orient_set
from tests.zoo import enclosed_by

BOX = make_rectangle(20, 10)
LID = round_corners(BOX, 1.0)
ELL = make_polyline([[0, 0, 0], [60, 0, 0], [60, 20, 0], [20, 20, 0], [20, 50, 0], [0, 50, 0], [0, 0, 0]])
HALF = join_curves([make_polyline([[-10, 0, 0], [10, 0, 0]]), make_arc([0, 0, 0], [10, 0, 0], [0, 10, 0], 0, np.pi)])
BLOB = interpolate_points([[0, 0, 0], [20, -5, 0], [25, 15, 0], [5, 18, 0]], closed=True)
COARSE = Wish((2.0, 2.0))


def hole(radius: float, x: float = 0, y: float = 0) -> NurbsCurve:
    return place_curve(make_circle((0, 0), radius), moving([x, y, 0]))


def solid(mesh: Mesh) -> float:
    """Return the volume of a mesh that is closed and of quads alone."""
    check_mesh(mesh)
    assert mesh.topology.is_quads
    assert (np.bincount(mesh.topology.edges.of_corner) == 2).all()
    return enclosed_volume(mesh)


def prismatoid(low: float, middle: float, high: float, height: float) -> float:
    """Return the volume by Simpson's rule, exact where the section's area is a quadratic of the height."""
    return height / 6 * (low + 4 * middle + high)


def rectangle_area(offset: float) -> float:
    return (20 - 2 * offset) * (10 - 2 * offset)


def test_plain_box_is_exact_and_takes_a_grid_on_its_caps() -> None:
    """The volume is exact, and only the eight corners have three edges."""
    mesh = mesh_set(make_plate(BOX, [], PlateShape(0, 5)), COARSE)
    assert solid(mesh) == pytest.approx(1000, rel=1e-12)
    corners = np.bincount(mesh.topology.face_corners)
    assert sorted(set(corners)) == [3, 4]
    assert (corners == 3).sum() == 8


@pytest.mark.parametrize("degrees", [12.0, -12.0])
def test_mitred_draft_is_a_prismatoid(degrees: float) -> None:
    """The volume of a drafted box is that of the prismatoid with mitred corners."""
    lean = 5 * np.tan(np.radians(degrees))
    mesh = mesh_set(make_plate(BOX, [], PlateShape(0, 5, np.radians(degrees))), COARSE)
    areas = [rectangle_area(share * lean) for share in (0, 0.5, 1)]
    assert solid(mesh) == pytest.approx(prismatoid(*areas, 5), rel=1e-9)


def test_draft_to_both_sides_breaks_at_the_outline() -> None:
    """Both halves of the draft start at the outline and double the formula."""
    mesh = mesh_set(make_plate(BOX, [], PlateShape(-3, 3, np.radians(10))), COARSE)
    lean = 3 * np.tan(np.radians(10))
    assert solid(mesh) == pytest.approx(2 * prismatoid(200, rectangle_area(lean / 2), rectangle_area(lean), 3), rel=1e-9)


def test_rounded_corners_of_a_draft_are_pieces_of_cones() -> None:
    """Areas at three heights by Steiner's formula give the volume."""
    lean = 5 * np.tan(np.radians(10))
    shape = make_plate(BOX, [], PlateShape(0, 5, -np.radians(10), "rounded"))
    # Steiner: the area grows by the perimeter times the offset, and by a circle of it.
    areas = [200 + 60 * share * lean + np.pi * (share * lean) ** 2 for share in (0, 0.5, 1)]
    fine = mesh_set(shape, Wish((0.2, 0.5)))
    assert solid(fine) == pytest.approx(prismatoid(*areas, 5), rel=1e-4)


def test_lid_of_the_trade_takes_a_rounded_edge_in_three_steps() -> None:
    # Common practice, no source: 20 by 10, corners of 1, height 1, top edge 0.1 in 3 steps.
    """The rounded edge takes what Pappus says, in three steps."""
    shape = make_plate(LID, [], PlateShape(0, 1, upper=PlateEdge("rounded", 0.1, 3)))
    mesh = mesh_set(shape, Wish((0.5, 0.5)))
    volume = solid(mesh)
    on_edge = np.unique(np.round(mesh.positions[mesh.positions[:, 2] > 0.9 - 1e-9, 2], 6))
    assert len(on_edge) == 4
    # Pappus: the edge takes (1 - pi / 4) r^2 off along the outline, whose corners bring its middle nearer.
    area, taken = 200 - (4 - np.pi), (1 - np.pi / 4) * 0.01
    outline = 2 * (18 + 8) + 2 * np.pi
    assert volume == pytest.approx(area - taken * outline, rel=2e-3)


def test_edge_of_a_disc_is_exact() -> None:
    """A disc's rounded edge is exact by Pappus, in quadratic sides."""
    shape = make_plate(make_circle((0, 0), 10), [], PlateShape(0, 5, upper=PlateEdge("rounded", 2)))
    sides = shape.surfaces
    assert all(surface.degrees[0] == 2 for surface in sides)
    places = sides[1].control_points[:, -1]
    assert np.allclose(np.hypot(places[::2, 0], places[::2, 1]), 8)
    centroid = 10 - 2 * (10 - 3 * np.pi) / (12 - 3 * np.pi)  # of the square corner less its quarter circle, from outside
    taken = (1 - np.pi / 4) * 4 * 2 * np.pi * (10 - (10 - centroid) * 1.0)
    fine = mesh_set(shape, Wish((0.4, 0.2)))
    assert solid(fine) == pytest.approx(np.pi * 100 * 5 - taken, rel=2e-3)


def test_chamfer_growing_out_widens_the_side() -> None:
    """The side becomes wider by the chamfer, volume by prismatoids."""
    shape = make_plate(BOX, [], PlateShape(0, 5, upper=PlateEdge("chamfered", 1), outside=True))
    mesh = mesh_set(shape, COARSE)
    wide = 22 * 12
    assert solid(mesh) == pytest.approx(wide * 4 + prismatoid(wide, 21 * 11, 200, 1), rel=1e-9)


@pytest.mark.parametrize(
    ("outline", "holes", "shape", "number"),
    [
        (ELL, [], PlateShape(0, 5, upper=PlateEdge("rounded", 2), lower=PlateEdge("chamfered", 1)), 2),
        (ELL, [hole(5, 10, 10), hole(4, 40, 10)], PlateShape(0, 5, upper=PlateEdge("rounded", 1)), -2),
        (make_circle((0, 0), 10), [hole(4)], PlateShape(0, 5, upper=PlateEdge("rounded", 1)), 0),
        (BLOB, [], PlateShape(0, 6, 0.1, upper=PlateEdge("rounded", 1)), 2),
        (HALF, [], PlateShape(0, 6, upper=PlateEdge("rounded", 1)), 2),
        (HALF, [], PlateShape(0, 6, -0.3, upper=PlateEdge("rounded", 1)), 2),
        (ELL, [], PlateShape(0, 5, -0.2, "rounded"), 2),
        (reverse_curve(ELL), [reverse_curve(hole(5, 10, 10))], PlateShape(0, 5), 0),
        (make_star(5, 30, 12), [], PlateShape(0, 4, upper=PlateEdge("rounded", 1)), 2),
    ],
    ids=["ell", "two holes", "ring", "blob", "half disc", "half disc out", "ell out", "run backwards", "star"],
)
def test_plates_are_closed_and_of_quads(outline: NurbsCurve, holes: list, shape: PlateShape, number: int) -> None:
    """Round, free and cornered outlines with holes close, of the expected Euler number."""
    made = make_plate(outline, holes, shape)
    assert made.open_edges == []
    assert not orient_set(made).turned.any()
    mesh = mesh_set(made, COARSE)
    assert solid(mesh) > 0
    assert mesh.point_count - len(mesh.topology.edges.ends) + mesh.face_count == number


def test_fitted_sides_keep_the_tolerance() -> None:
    """A drafted free outline holds more than the plain one and is not empty."""
    made = make_plate(BLOB, [], PlateShape(0, 6, 0.1), 1e-3)
    plain = make_plate(BLOB, [], PlateShape(0, 6), 1e-3)
    lower, upper = (mesh_set(one, Wish((0.5, 1.0))) for one in (made, plain))
    assert solid(upper) > solid(lower) > 0


@pytest.mark.parametrize(
    ("outline", "shape", "words"),
    [
        (LID, PlateShape(0, 9, upper=PlateEdge("rounded", 1.5)), "largest that fits is 1.000 mm"),
        (BOX, PlateShape(0, 9, upper=PlateEdge("rounded", 6)), "largest that fits is 4.999 mm"),
        (BOX, PlateShape(0, 2, upper=PlateEdge("rounded", 3)), "height. The largest that fits is 1.999 mm"),
        (BOX, PlateShape(0, 9, 1.0), "largest that fits is 29.05°"),
        (BOX, PlateShape(0, 0), "above 0 mm"),
        (BOX, PlateShape(0, 5, upper=PlateEdge("rounded", 0)), "above 0 mm"),
        (make_polyline([[0, 0, 0], [9, 0, 0], [9, 9, 0]]), PlateShape(0, 5), "closed"),
        (make_polyline([[0, 0, 0], [9, 9, 0], [9, 0, 0], [0, 9, 0], [0, 0, 0]]), PlateShape(0, 5), "cross"),
    ],
)
def test_what_does_not_fit_is_refused_with_the_largest_that_does(outline: NurbsCurve, shape: PlateShape, words: str) -> None:
    """Each refusal names the largest size or angle that fits."""
    with pytest.raises(KernelError, match=words):
        make_plate(outline, [], shape)


def test_largest_edge_named_really_fits() -> None:
    """Just under the largest edge a plate is made."""
    made = make_plate(LID, [], PlateShape(0, 9, upper=PlateEdge("rounded", 0.9999)))
    assert made.open_edges == []


@pytest.mark.parametrize("other", [hole(4, 40, 0), hole(4, 0, 3), hole(30)])
def test_holes_have_to_lie_inside(other: NurbsCurve) -> None:
    """A hole across the rim, over another or round it all is refused."""
    with pytest.raises(KernelError, match="Draw the holes inside"):
        make_plate(BOX, [other], PlateShape(0, 5))


@settings(max_examples=25)
@given(st.integers(0, 10_000), st.integers(3, 9), st.floats(0, 8), st.floats(-0.5, 0.5), st.booleans())
def test_any_outline_gives_a_closed_plate_or_a_sentence(
    seed: int, count: int, edge: float, draft: float, bent: bool
) -> None:
    """Random outlines, edges and drafts: closed quads outwards, or words."""
    rng = np.random.default_rng(seed)
    angle = np.sort(rng.uniform(0, 2 * np.pi, count))
    radius = rng.uniform(8, 25, count)
    points = np.column_stack((radius * np.cos(angle), radius * np.sin(angle), np.zeros(count)))
    upper = PlateEdge("rounded", edge) if edge > 0.01 else PlateEdge()
    try:
        outline = interpolate_points(points, closed=True) if bent else make_polyline(np.vstack((points, points[:1])))
        made = make_plate(outline, [], PlateShape(0, 12, draft, "rounded", upper=upper))
        mesh = mesh_set(made, Wish((3.0, 3.0)))
    except KernelError as error:
        assert str(error).endswith(".")
        return
    check_mesh(mesh)
    assert mesh.topology.is_quads
    assert made.open_edges == []
    assert enclosed_by(made) > 0  # the sides alone; the caps lie level with the origin and above it
