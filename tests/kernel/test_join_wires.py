"""Wires in one skin: closed, all quads, as many holes as the net has rings, volumes by formula, whatever the curves."""

from __future__ import annotations

from itertools import combinations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.make.interpolate import interpolate_points
from glass_spoon.kernel.curves.make.line_and_arc import make_arc, make_polyline
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.gauges.crossings import crossing_faces
from glass_spoon.kernel.gauges.face_figures import figures_of
from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.kernel.wires.join_wires import Wirework, fitting_share, join_wires
from glass_spoon.kernel.wires.wire_shape import TooThick, WireShape

ROUND, SQUARE, FLAT = WireShape(4, 4, True, 1, 3), WireShape(4, 4, False, 1, 3), WireShape(6, 2, False, 1, 3)


def way(*points) -> NurbsCurve:
    """Return a polyline."""
    return make_polyline(np.array(points, dtype=float))


def scaled(shape: WireShape, size: float) -> WireShape:
    """Return a shape of another size."""
    return WireShape(shape.width * size, shape.height * size, shape.is_round, shape.halvings, shape.edge * size)


def euler(made: Wirework) -> int:
    """Return points less edges and faces; each point is of a face."""
    topology = made.mesh.topology
    assert len(np.unique(topology.face_corners)) == made.mesh.point_count
    return made.mesh.point_count - len(topology.edges.ends) + made.mesh.face_count


def check(made: Wirework) -> None:
    """Assert that a skin is closed, of quads alone, faces outwards and crosses itself nowhere."""
    topology = made.mesh.topology
    assert (topology.face_sides == 4).all() and (topology.edge_face_counts == 2).all()
    assert enclosed_volume(made.mesh) > 0 and not len(crossing_faces(made.mesh))
    assert len(made.of_joint) == made.mesh.face_count


def box(size: float) -> list[NurbsCurve]:
    """Return the twelve edges of a cube."""
    corners = size * np.array([[(k >> axis) & 1 for axis in range(3)] for k in range(8)], dtype=float)
    return [
        way(corners[a], corners[b]) for a, b in combinations(range(8), 2) if np.abs(corners[a] - corners[b]).sum() == size
    ]


def grid(count: int, pitch: float) -> list[NurbsCurve]:
    """Return a grid of straight lines each way."""
    at, end = pitch * np.arange(count), pitch * (count - 1)
    return [way((x, 0, 0), (x, end, 0)) for x in at] + [way((0, y, 0), (end, y, 0)) for y in at]


CROSS = [way((-30, 0, 0), (30, 0, 0)), way((0, -30, 0), (0, 30, 0))]
JACK = [*CROSS, way((0, 0, -30), (0, 0, 30))]


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
@pytest.mark.parametrize("shape", [ROUND, SQUARE, FLAT, WireShape(4, 4, True, 2, 2), WireShape(4, 4, True, 3, 1.5)])
@pytest.mark.parametrize(
    ("curves", "joints", "loose", "rings"),
    [
        ([way((0, 0, 0), (40, 0, 0))], 0, 2, 0),
        ([way((0, 0, 0), (40, 0, 0), (40, 30, 0))], 0, 2, 0),
        ([way((0, 0, 0), (40, 0, 0), (40, 40, 0), (0, 40, 0), (0, 0, 0))], 0, 0, 1),
        ([make_arc([0, 0, 0], [20, 0, 0], [0, 20, 0], 0, 2 * np.pi)], 0, 0, 1),
        (CROSS, 1, 4, 0),
        ([way((-30, 0, 0), (30, 0, 0)), way((0, 0, 0), (10, 30, 0))], 1, 3, 0),
        (JACK, 1, 6, 0),
        (grid(4, 20.0), 12, 0, 9),
        (box(40.0), 8, 0, 5),
    ],
)
def test_nets_become_one_skin(curves, joints, loose, rings, shape, size):
    """It has as many holes as the net has rings that no others make up, whatever its size."""
    moved = [NurbsCurve(one.degree, one.knots, size * one.control_points, one.weights) for one in curves]
    made = join_wires(moved, scaled(shape, size), 0.01 * size)
    check(made)
    assert (len(made.runs.joints), made.loose) == (joints, loose)
    assert euler(made) == 2 - 2 * rings
    smallest = np.degrees(figures_of(made.mesh).smallest_corners.min())
    assert smallest > 15


@pytest.mark.parametrize(
    ("curves", "shape", "volume"),
    [
        ([way((0, 0, 0), (40, 0, 0))], SQUARE, 640),
        ([way((0, 0, 0), (40, 0, 0), (40, 30, 0))], SQUARE, 16 * 70),
        ([way((0, 0, 0), (40, 0, 0), (40, 30, 0))], FLAT, 12 * 70),
        ([way((0, 0, 0), (40, 0, 0), (40, 40, 0), (0, 40, 0), (0, 0, 0))], SQUARE, 16 * 160),
        ([way((0, 0, 0), (40, 0, 0))], ROUND, 40 * 8 * 2 * 2 * np.sin(np.pi / 4) / 2),
        (
            [way((0, 0, 0), (40, 0, 0), (40, 40, 0), (0, 40, 0), (0, 0, 0))],
            WireShape(4, 4, True, 3, 3),
            160 * 64 * np.sin(np.pi / 16),
        ),
    ],
)
def test_straight_wires_have_the_volume_of_their_section(curves, shape, volume):
    """Section times length of the middle, also round mitred bends: exact, of a circle by its chords."""
    assert enclosed_volume(join_wires(curves, shape).mesh) == pytest.approx(volume, rel=1e-9)


def test_a_cross_of_square_wires_has_its_volume():
    """Both wires less what they share, and the crotches filled to where the wires begin."""
    made = join_wires(CROSS, SQUARE)
    out = made.runs.joints[0] + 0
    begin = 1.3 * SQUARE.reach
    crotches = 4 * (begin - 2) ** 2 / 2 * 4
    assert enclosed_volume(made.mesh) == pytest.approx(2 * 60 * 16 - 64 + crotches, rel=1e-3)
    assert np.abs(out).max() < 1e-9


@pytest.mark.parametrize("halvings", [1, 2, 3])
def test_round_wires_lie_on_true_circles_and_joints_no_nearer(halvings):
    """Each point of a wire is half the thickness off its middle; in joints none is nearer to any."""
    made = join_wires(JACK, WireShape(4, 4, True, halvings, 3))
    places = made.mesh.positions
    away = np.min([np.linalg.norm(np.delete(places, axis, axis=1), axis=1) for axis in range(3)], axis=0)
    of_joint = np.unique(made.mesh.topology.face_corners.reshape(-1, 4)[made.of_joint == 1])
    on_wires = np.setdiff1d(np.arange(len(places)), of_joint)
    inside = np.abs(places).max(axis=1) < 30 - 1e-9
    assert away[of_joint].min() > 2 - 1e-9
    assert away[on_wires[inside[on_wires]]] == pytest.approx(2, abs=1e-9)


def test_the_order_and_the_ways_of_curves_do_not_matter():
    """The same net with its curves turned round, and in another order, has the same volume and counts."""
    one = join_wires(grid(3, 20.0), ROUND)
    turned = [way(curve.control_points[-1], curve.control_points[0]) for curve in grid(3, 20.0)[::-1]]
    other = join_wires(turned, ROUND)
    assert other.mesh.face_count == one.mesh.face_count
    assert enclosed_volume(other.mesh) == pytest.approx(enclosed_volume(one.mesh), rel=1e-6)


def test_ends_that_miss_are_brought_together():
    """Within the tolerance they meet in a joint, and it is told by how much."""
    near = [way((-30, 0, 0), (30, 0, 0)), way((0, 0.05, 0), (0, 30, 0))]
    assert len(join_wires(near, ROUND, 0.1).runs.joints) == 1
    assert join_wires(near, ROUND, 0.1).runs.gap == pytest.approx(0.05, abs=1e-6)
    assert len(join_wires(near, ROUND, 0.01).runs.joints) == 0


@pytest.mark.parametrize("curves", [box(40.0), CROSS, [way((0, 0, 0), (40, 0, 0), (40, 3, 0), (80, 3, 0))]])
def test_the_thickness_offered_fits(curves):
    """What is too thick is refused, and a share of its thickness found that is built."""
    wide = 60.0
    with pytest.raises(TooThick) as refused:
        join_wires(curves, WireShape(wide, wide, True, 1, 5))
    share = fitting_share(curves, WireShape(wide, wide, True, 1, 5), 0.01, refused.value.share)
    check(join_wires(curves, WireShape(share * wide, wide, True, 1, 5)))
    assert share > 0.02


def test_bends_too_tight_are_told():
    """A circle of 1.5 mm under a wire of 4 mm; of 20 mm nothing."""
    tight = join_wires([make_arc([0, 0, 0], [1.5, 0, 0], [0, 1.5, 0], 0, 1.5)], ROUND).tight
    assert tight is not None and tight[1] == pytest.approx(1.5)
    assert join_wires([make_arc([0, 0, 0], [20, 0, 0], [0, 20, 0], 0, 1.5)], ROUND).tight is None


def test_sizes_above_zero_are_asked_for():
    """No width makes no wire."""
    with pytest.raises(InvalidInput, match="above zero"):
        join_wires(CROSS, WireShape(0, 0, True, 1, 3))


PLACES = st.lists(st.tuples(*[st.integers(-3, 3)] * 3), min_size=3, max_size=7, unique=True)


@settings(max_examples=60, deadline=None)
@given(
    st.lists(st.tuples(*[st.integers(-3, 3)] * 3), min_size=3, max_size=7, unique=True), st.randoms(use_true_random=False)
)
def test_random_nets_are_closed_or_refused_in_words(places, random):
    """Straight and bent wires between random places of a lattice of 30 mm."""
    points = 30.0 * np.array(places, dtype=float)
    pairs = [pair for pair in combinations(range(len(points)), 2) if random.random() < 0.5] or [(0, 1)]
    curves = []
    for a, b in pairs:
        middle = (points[a] + points[b]) / 2 + np.array([random.uniform(-4, 4) for _ in range(3)])
        bent = interpolate_points(np.array([points[a], middle, points[b]]))
        curves.append(way(points[a], points[b]) if random.random() < 0.5 else bent)
    try:
        made = join_wires(curves, WireShape(2, 2, bool(random.getrandbits(1)), 1, 6), 1e-3)
    except TooThick as error:
        assert "At (" in str(error) and error.share > 0
        return
    topology = made.mesh.topology
    assert (topology.face_sides == 4).all() and (topology.edge_face_counts == 2).all()
    assert enclosed_volume(made.mesh) > 0
