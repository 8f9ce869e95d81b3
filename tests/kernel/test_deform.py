"""Maps of space: bent, twisted, tapered, leaned, latticed, laid along curves; and curves and surfaces under them."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.interpolate import BSpline, RegularGridInterpolator

from glass_spoon.kernel.curves.alter.place_curve import Placement
from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points, find_kinks
from glass_spoon.kernel.curves.make.flat_shapes import make_circle
from glass_spoon.kernel.curves.make.line_and_arc import make_arc, make_polyline
from glass_spoon.kernel.deform.along_curve import AlongCurve, FromCurve
from glass_spoon.kernel.deform.bends import Bend, Ripple, Shear, Stretch, Taper, Twist
from glass_spoon.kernel.deform.lattice import Lattice
from glass_spoon.kernel.deform.refit import deform_curve, deform_set, deform_surface
from glass_spoon.kernel.deform.space_map import Axes, how_stretched, jacobians
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import evaluate_grid
from glass_spoon.kernel.surfaces.make.plate import make_plate
from glass_spoon.kernel.surfaces.make.plate_shape import PlateShape
from glass_spoon.kernel.surfaces.make.revolve import revolve_curve
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet

ROUND = 188.49555921538757
"""Twice pi times 30: a strip of this length closes at a radius of 30."""
ALONG_X = Axes.along((0, 0, 0), (1, 0, 0), (0, 0, 1))
ALONG_Z = Axes.along((0, 0, 0), (0, 0, 1), (1, 0, 0))


@pytest.fixture
def places() -> np.ndarray:
    """Return places of a box of 100 mm."""
    return np.random.default_rng(5).random((500, 3)) * 100 - 50


def test_a_strip_bent_all_round_closes_and_keeps_its_length_and_heights():
    """Bent by 360°: both ends meet, the core is a circle of 30 mm, what stands 2 mm over it lies on 28."""
    bend = Bend(ALONG_X, -ROUND / 2, ROUND / 2, angle=2 * np.pi, held=0.0)
    along = np.linspace(-ROUND / 2, ROUND / 2, 10_001)
    core, over = (bend.apply(np.column_stack((along, 0 * along, 0 * along + height))) for height in (0.0, 2.0))
    middle = np.array([0, 0, 30.0])
    assert np.linalg.norm(core - middle, axis=1) == pytest.approx(30, abs=1e-9)
    assert np.linalg.norm(over - middle, axis=1) == pytest.approx(28, abs=1e-9)
    assert core[0] == pytest.approx(core[-1], abs=1e-9)
    steps = np.linalg.norm(np.diff(core, axis=0), axis=1)
    chord = 2 * 30 * np.sin(np.pi / 10_000)
    assert steps == pytest.approx(chord, abs=1e-9)
    assert bend.apply(np.zeros((1, 3))) == pytest.approx(np.zeros((1, 3)), abs=1e-12)


@pytest.mark.parametrize("angle", [1e-13, 1e-9, 1e-4, -1.2, 3.0])
def test_a_small_bend_is_nearly_none_and_what_lies_beyond_goes_on_straight(angle):
    """Between -20 and 30 mm: the place of x mm is at R sin and R (1 - cos) there, and on the tangent after it."""
    bend = Bend(ALONG_X, -20, 30, angle=angle, held=-20)
    radius = 50 / angle
    found = bend.apply(np.array([(30, 4, 0), (75, 4, 0), (-60, 4, 0.0)]))
    end = (-20 + radius * np.sin(angle), 4, 2 * radius * np.sin(angle / 2) ** 2)
    assert found[0] == pytest.approx(end, abs=1e-9)
    assert found[1] == pytest.approx(end + 45 * np.array([np.cos(angle), 0, np.sin(angle)]), abs=1e-9)
    assert found[2] == pytest.approx((-60, 4, 0), abs=1e-9)


def test_twist_and_shear_keep_every_volume_and_taper_changes_it_by_formula(places):
    """Determinants of the derivatives: 1, 1, the square of the factor; a cone cut at half width has 7/12 of the volume."""
    eased = Twist(ALONG_Z, -50, 50, turn=lambda shares: 3 * shares**2)
    assert np.linalg.det(jacobians(eased, places, 100)) == pytest.approx(1, abs=1e-7)
    assert np.linalg.det(jacobians(Shear(ALONG_Z, -50, 50, slope=0.7), places, 100)) == pytest.approx(1, abs=1e-9)
    taper = Taper(ALONG_Z, -50, 50, factor=lambda shares: 1 - shares / 2)
    factor = 1 - (places[:, 2] + 50) / 200
    assert np.linalg.det(jacobians(taper, places, 100)) == pytest.approx(factor**2, abs=1e-7)
    assert (factor**2).mean() == pytest.approx(7 / 12, rel=0.05)
    one_way = Taper(ALONG_Z, -50, 50, factor=lambda shares: 1 + shares, ways=(True, False)).apply(places)
    assert one_way[:, 1:] == pytest.approx(places[:, 1:], abs=1e-12)
    turned = Twist(ALONG_Z, 0, 10, turn=lambda shares: np.pi / 2 * shares).apply(
        np.array([(5, 0, 0), (5, 0, 10), (5, 0, 99.0)])
    )
    assert turned == pytest.approx(np.array([(5, 0, 0), (0, 5, 10), (0, 5, 99)]), abs=1e-12)


def test_stretch_keeps_the_volume_where_asked_and_ripples_have_their_length(places):
    """1.5 times as long is thinner by the root of it; a wave of 20 mm comes back after 20."""
    kept = Stretch(ALONG_Z, -50, 50, factor=1.5, keeps_volume=True)
    assert np.linalg.det(jacobians(kept, places, 100)) == pytest.approx(1, abs=1e-9)
    assert kept.placement is not None
    assert kept.placement.apply(places) == pytest.approx(kept.apply(places), abs=1e-12)
    between = Stretch(ALONG_Z, 0, 10, factor=3, whole=False)
    assert between.placement is None
    assert between.apply(np.array([(1, 1, -5), (1, 1, 5), (1, 1, 20.0)]))[:, 2] == pytest.approx([-5, 15, 40])
    wave = Ripple(ALONG_X, 3, 20)
    assert (wave.apply(places) - places)[:, 2] == pytest.approx(3 * np.sin(2 * np.pi * places[:, 0] / 20), abs=1e-9)
    rings = Ripple(ALONG_X, 3, 20, manner="in rings")
    away = np.hypot(places[:, 0], places[:, 1])
    assert (rings.apply(places) - places)[:, 2] == pytest.approx(3 * np.sin(2 * np.pi * away / 20), abs=1e-9)


@pytest.mark.parametrize("smooth", [True, False])
def test_a_lattice_moves_nothing_until_it_is_moved_and_gives_affine_maps_exactly(smooth, places):
    """3 by 4 by 6 points; moved as a map of space moves them, all of space follows that map (Sederberg and Parry 1986)."""
    rng = np.random.default_rng(2)
    still = Lattice(places.min(axis=0), places.max(axis=0), np.zeros((3, 4, 6, 3)), smooth)
    assert np.abs(still.apply(places) - places).max() < 1e-12
    assert still.placement is not None
    matrix, offset = np.eye(3) + 0.3 * rng.normal(size=(3, 3)), rng.normal(size=3)
    moves = still.places @ matrix.T + offset - still.places
    moved = Lattice(still.low, still.high, moves, smooth)
    assert np.abs(moved.apply(places) - (places @ matrix.T + offset)).max() < 1e-10
    assert moved.placement is not None
    assert np.abs(moved.placement.apply(places) - moved.apply(places)).max() < 1e-9


def test_a_lattice_of_two_points_each_way_is_the_trilinear_map_and_goes_on_outside(places):
    """Held against SciPy's interpolation on a grid; outside it goes as at its border."""
    rng = np.random.default_rng(3)
    low, high, moves = np.full(3, -50.0), np.full(3, 50.0), rng.normal(size=(2, 2, 2, 3)) * 5
    ends = [np.array([-50.0, 50.0])] * 3
    wanted = places + RegularGridInterpolator(ends, moves)(places)
    assert Lattice(low, high, moves).apply(places) == pytest.approx(wanted, abs=1e-10)
    outside, border = np.array([(60.0, 10, 0), (90.0, 10, 0)]), np.array([(50.0, 10, 0)] * 2)
    lattice = Lattice(low, high, moves)
    assert lattice.apply(outside) - outside == pytest.approx(lattice.apply(border) - border)


@pytest.mark.parametrize("many", [False, True])
def test_what_is_laid_along_a_circle_lies_at_its_radius(many, places):
    """Along a circle of 80 mm, filled: heights above it stay heights; of very many places too."""
    own = np.tile(places, (20, 1)) + np.random.default_rng(1).random((10_000, 3)) if many else places
    low, high = float(own[:, 0].min()), float(own[:, 0].max())
    circle = make_circle((0, 0), 80)
    axes = Axes.along((0, 0, 0), (1, 0, 0), (0, 0, 1))
    follow = AlongCurve(axes, low, high, circle, rate=160 * np.pi / (high - low), facing="upright along it")
    found = follow.apply(own)
    assert found[:, 2] == pytest.approx(own[:, 2], abs=1e-6)
    assert np.abs(np.hypot(found[:, 0], found[:, 1]) - 80) == pytest.approx(np.abs(own[:, 1]), abs=1e-6)
    straight = AlongCurve(axes, 0, 10, make_polyline([(0, 0, 0), (0, 40, 0)]))
    assert straight.apply(np.array([(-5, 0, 1), (50, 0, 1.0)])) == pytest.approx(
        np.array([(0, -5, 1), (0, 50, 1.0)]), abs=1e-9
    )


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
def test_what_lies_along_an_arc_is_unrolled_by_formula(size):
    """Of a place at radius r and angle a of an arc of radius 30, what is along it is 30 a and what is beside it 30 - r."""
    random = np.random.default_rng(3)
    angle, radius, height = random.uniform(0, 2.5, 2000), random.uniform(20, 45, 2000), random.uniform(-5, 5, 2000)
    arc = make_arc((0, 0, 0), (30 * size, 0, 0), (0, 30 * size, 0), 0, 2.5)
    back = FromCurve(ALONG_X, arc, "upright along it")
    found = back.apply(size * np.stack((radius * np.cos(angle), radius * np.sin(angle), height), axis=1))
    assert found == pytest.approx(size * np.stack((30 * angle, 30 - radius, height), axis=1), abs=1e-7 * size)
    again = AlongCurve(ALONG_X, 0.0, 75 * size, arc, facing="upright along it").apply(found)
    assert np.hypot(again[:, 0], again[:, 1]) == pytest.approx(size * radius, abs=1e-7 * size)
    ends = size * np.array([(30, -10, 1.0), (40, -10, 1.0)])  # before its start it goes straight on
    assert back.apply(ends) == pytest.approx(size * np.array([(-10, 0, 1.0), (-10, -10, 1.0)]), abs=1e-7 * size)


@pytest.mark.parametrize("factor", [0.01, 1.0, 100.0])
def test_curves_are_followed_within_the_tolerance_and_keep_their_corners(factor):
    """A line bent by 120° keeps its length; a frame of four corners has four corners after it is twisted."""
    line = make_polyline(np.array([(-50, 0, 0), (50, 0, 0)]) * factor)
    bend = Bend(ALONG_X, -40 * factor, 40 * factor, angle=2.1, held=0.0)
    made = deform_curve(line, bend, 1e-4 * factor)
    assert made.off <= 1e-4 * factor
    assert measure_length(made.curve).length == pytest.approx(100 * factor, rel=1e-5)
    frame = make_polyline(np.array([(0, 0, 0), (30, 0, 0), (30, 0, 40), (0, 0, 40), (0, 0, 0)]) * factor)
    twisted = deform_curve(frame, Twist(ALONG_Z, 0, 40 * factor, turn=lambda shares: shares), 1e-4 * factor)
    corners = curve_points(twisted.curve, find_kinks(twisted.curve, np.radians(5)))
    assert len(corners) == 3
    assert corners[1] / factor == pytest.approx((30 * np.cos(1), 30 * np.sin(1), 40), abs=1e-3)


def test_surfaces_are_followed_keep_their_poles_and_seams_and_stay_joined():
    """A ball and a tube: poles stay one point, seams closed, shared edges shared; an affine map is exact."""
    ball = revolve_curve(make_arc((0, 0, 0), (20, 0, 0), (0, 0, 20), -np.pi / 2, np.pi / 2), (0, 0, 0), (0, 0, 1), 2 * np.pi)
    bend = Bend(ALONG_Z, -20, 20, angle=1.0, held=0.0)
    made = deform_surface(ball, bend, 0.01)
    assert made.surface.is_closed(0, 1e-9)
    assert made.surface.is_pole(1, 0, 1e-9) and made.surface.is_pole(1, -1, 1e-9)
    us, vs = (np.linspace(*ball.domain(axis), 37) for axis in (0, 1))
    wanted = bend.apply(np.ascontiguousarray(evaluate_grid(ball, us, vs).points).reshape(-1, 3)).reshape(37, 37, 3)
    assert np.linalg.norm(evaluate_grid(made.surface, us, vs).points - wanted, axis=2).max() < 0.015
    tube = revolve_curve(make_polyline([(20, 0, 0), (20, 0, 30)]), (0, 0, 0), (0, 0, 1), 2 * np.pi)
    cone = revolve_curve(make_polyline([(20, 0, 30), (8, 0, 50)]), (0, 0, 0), (0, 0, 1), 2 * np.pi)
    both = SurfaceSet((tube, cone), 1e-6)
    shaped = deform_set(both, Taper(ALONG_Z, 0, 50, factor=lambda shares: 1 + shares**2), 0.01)
    assert len(both.shared) == len(shaped.shape.shared) == 3  # the rim between them, and both seams
    exact = deform_set(both, Shear(ALONG_Z, 0, 50, slope=0.5), 0.01)
    assert exact.off == 0.0
    assert exact.shape.surfaces[0].weights.shape == tube.weights.shape


def test_flat_caps_are_refused_with_a_way_out():
    """The lid of a plate would not stay flat; under an affine map it does."""
    plate = make_plate(make_circle((0, 0), 30), [], PlateShape(0, 5))
    with pytest.raises(KernelError, match="Make a mesh of it"):
        deform_set(plate, Bend(ALONG_X, -30, 30, angle=1.0), 0.01)
    assert deform_set(plate, Shear(ALONG_Z, 0, 5, slope=0.5), 0.01).shape.caps


def test_it_is_told_how_far_space_is_stretched_and_that_it_folds(places):
    """A shear has the golden singular values; a bend tighter than it is thick turns space over."""

    class Doubled:
        """All twice as large."""

        placement = Placement(2 * np.eye(3), np.zeros(3))

        def apply(self, points: np.ndarray) -> np.ndarray:
            """Return them."""
            return 2 * points

    assert (how_stretched(Doubled(), places).least, how_stretched(Doubled(), places).largest) == pytest.approx((2, 2))
    golden = how_stretched(Shear(ALONG_Z, -50, 50, slope=1.0), places)
    assert golden.largest == pytest.approx((1 + np.sqrt(5)) / 2, rel=1e-6)
    assert golden.folded == 0
    assert how_stretched(Bend(ALONG_X, -50, 50, angle=2 * np.pi), places).folded > 0


@pytest.mark.parametrize("smooth", [True, False])
@pytest.mark.parametrize("counts", [(2, 2, 2), (3, 2, 5), (6, 4, 3)])
def test_a_lattice_is_the_sum_of_its_splines(counts: tuple[int, int, int], smooth: bool) -> None:
    """Held against SciPy's B-splines, axis by axis, and Bernstein's polynomials among them."""
    random = np.random.default_rng(4)
    low, high, moves = np.array([-2.0, 0, 5]), np.array([3.0, 1, 9]), random.normal(size=(*counts, 3))
    points = low + random.random((50, 3)) * (high - low)
    expected = points.copy()
    shares = (points - low) / (high - low)
    bases = []
    for axis, count in enumerate(counts):
        degree = count - 1 if smooth else min(3, count - 1)
        knots = np.concatenate((np.zeros(degree), np.linspace(0, 1, count - degree + 1), np.ones(degree)))
        bases.append(BSpline(knots, np.eye(count), degree)(shares[:, axis]))
    expected += np.einsum("ni,nj,nk,ijkd->nd", *bases, moves)
    assert Lattice(low, high, moves, smooth).apply(points) == pytest.approx(expected, abs=1e-12)
