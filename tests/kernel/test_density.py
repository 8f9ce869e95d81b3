"""Counts by rule and programme, densities that are searched for, steps at bends, cages fitted to their smoothed shape."""

from __future__ import annotations

from itertools import product

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from glass_spoon.kernel.arrays import lengths
from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.curves.make.flat_shapes import make_circle, make_rectangle
from glass_spoon.kernel.curves.make.interpolate import interpolate_points
from glass_spoon.kernel.curves.make.line_and_arc import make_polyline
from glass_spoon.kernel.curves.read.bend_spacing import bend_shares, divide_by_bend
from glass_spoon.kernel.errors import CountImpossible, KernelError
from glass_spoon.kernel.gauges.deviation import smoothed_deviation
from glass_spoon.kernel.meshes.marked import mark_sharper
from glass_spoon.kernel.meshing.count_plan import CountPlan, CountRule
from glass_spoon.kernel.meshing.mesh_set import mesh_set
from glass_spoon.kernel.meshing.mesh_surface import mesh_surface
from glass_spoon.kernel.meshing.search_density import length_for_faces, length_for_tolerance
from glass_spoon.kernel.meshing.set_counts import Wish
from glass_spoon.kernel.subdivision.fit_smoothed import fit_smoothed
from glass_spoon.kernel.subdivision.limit_surface import limit_surface
from glass_spoon.kernel.surfaces.make.revolve import revolve_curve
from glass_spoon.kernel.surfaces.make.sweep import SweepShape, sweep_profile
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet
from tests.zoo import ORIGIN, TURN, UP, sphere, torus


@settings(max_examples=80)
@given(st.integers(1, 9), st.integers(0, 8), st.floats(0, 60), st.floats(0, 30))
def test_nearest_allowed_count_is_that_of_a_search(step: int, rest: int, wished: float, least: float) -> None:
    """The formula agrees with trying every count that the rule allows."""
    rule = CountRule(step, rest % step)
    allowed = [n for n in range(1, 200) if n % step == rule.rest and n >= least]
    best = min(abs(n - wished) for n in allowed)
    found = rule.nearest(wished, least)
    assert found in allowed
    assert abs(found - wished) == pytest.approx(best)


def test_odd_counts_cannot_be_even_as_well() -> None:
    """Odd and even at once is refused; multiples of three and even gives multiples of six."""
    with pytest.raises(CountImpossible, match="even"):
        CountRule(2, 1).and_even()
    assert CountRule(3, 0).and_even().nearest(9, 1) in (6, 12)


@settings(max_examples=40)
@given(st.lists(st.floats(0.6, 6), min_size=4, max_size=4), st.booleans())
def test_tied_counts_are_the_best_of_all(wished: list[float], even: bool) -> None:
    """Brute force: a + b = c, all counts up to 14, and c + d even where asked for."""
    plan = CountPlan(np.array(wished), np.ones(4), [CountRule()] * 4)
    plan.equal.append(([0, 1], [2]))
    if even:
        plan.even_sums.append(([2, 3], 2))

    def cost(counts: tuple[int, ...]) -> float:
        return sum(abs(n - w) / max(w, 1) for n, w in zip(counts, wished, strict=True))

    best = min(
        cost(counts)
        for counts in product(range(1, 15), repeat=4)
        if counts[0] + counts[1] == counts[2] and not (even and (counts[2] + counts[3]) % 2)
    )
    found = plan.solve().tolist()
    assert found[0] + found[1] == found[2]
    assert not (even and (found[2] + found[3]) % 2)
    assert cost(tuple(found)) == pytest.approx(best, abs=1e-4)


def test_counts_asked_for_give_way_where_nothing_else_helps() -> None:
    """A wish is given up for a condition that has to hold, and the impossible is told."""
    plan = CountPlan(np.array([5.0, 5.0]), np.ones(2), [CountRule()] * 2)
    plan.even_sums.append(([0, 1], 2))
    plan.fixed[:] = (5, 4)
    assert plan.solve().sum() % 2 == 0
    plan = CountPlan(np.array([5.0]), np.ones(1), [CountRule(2, 1)])
    plan.even_sums.append(([0], 2))
    with pytest.raises(CountImpossible, match="No counts"):
        plan.solve()


def test_flat_end_of_a_wide_thin_bar_is_a_grid_of_squares() -> None:
    """A bar of 120 by 24: four sharp corners get a vertex each, and every corner of every face is square."""
    path = make_polyline([[0, 0, 0], [0, 0, 300]])
    bar = sweep_profile(make_rectangle(120, 24), path, SweepShape(ends=("flat", "flat")), 1e-3)
    mesh = mesh_set(SurfaceSet((bar.surface,)), Wish((30.0, 30.0)))
    assert mesh.topology.is_quads
    assert len(mesh.topology.boundary_edges) == 0
    corners = mesh.topology.face_corners
    here = mesh.positions[corners]
    ahead = mesh.positions[corners[mesh.topology.next_corner]] - here
    back = mesh.positions[corners[mesh.topology.previous_corner]] - here
    assert np.abs(np.einsum("ij,ij->i", ahead, back)).max() < 1e-6
    # The seam runs up the middle of a narrow side, which takes two edges for it.
    assert len(mark_sharper(mesh, np.radians(60))) == 2 * (2 * 4 + 2 * 2) + 4 * 10


def test_length_for_a_count_of_faces_comes_nearest() -> None:
    """No other length gives a count nearer to the one asked for."""

    def faces(length: float) -> int:
        return int(np.ceil(100 / length)) ** 2

    for wanted in (4, 100, 961, 5000):
        found = faces(length_for_faces(faces, 100.0, wanted))
        assert abs(found - wanted) == min(abs(n * n - wanted) for n in range(1, 200))


def test_loosest_length_keeps_the_tolerance_and_one_longer_does_not() -> None:
    """The length found keeps the tolerance to within two per cent of the loosest."""
    length, reached = length_for_tolerance(lambda step: step**2 / 100, 100.0, 0.09)
    assert reached <= 0.09
    assert length == pytest.approx(3.0, rel=0.02)
    with pytest.raises(KernelError, match="No mesh"):
        length_for_tolerance(lambda step: 1.0, 100.0, 0.5)


def test_smoothed_sphere_passes_through_the_points_it_was_fitted_to() -> None:
    """After fitting, the limit surface goes through the points and deviates less."""
    ball = sphere(40)
    mesh = mesh_surface(ball, 32, 16)
    fitted, left = fit_smoothed(mesh, 1e-4)
    assert left <= 1e-4
    assert lengths(limit_surface(fitted).positions - mesh.positions).max() <= 1e-4
    assert smoothed_deviation(fitted, ball) < 0.1 * smoothed_deviation(mesh, ball)


def test_deviation_of_a_fitted_torus_falls_with_the_fourth_power_of_the_edges() -> None:
    """Halving the edges brings a plain cage four times nearer, a fitted one about sixteen times (cubic B-splines)."""
    ring = torus(30, 10)
    plain, fitted = [], []
    for count in (16, 32):
        mesh = mesh_surface(ring, 2 * count, count)
        plain.append(smoothed_deviation(mesh, ring))
        fitted.append(smoothed_deviation(fit_smoothed(mesh, 1e-9)[0], ring))
    assert plain[0] / plain[1] == pytest.approx(4, rel=0.15)
    assert fitted[0] / fitted[1] > 12


def test_chord_deviation_falls_with_the_square_of_the_edges() -> None:
    """The middle of an edge of a circle of radius r over an angle a stands off by r (1 - cos a / 2)."""
    ring = make_circle((0, 0), 10)
    for count in (8, 16):
        angle = 2 * np.pi / count
        assert 10 * (1 - np.cos(angle / 2)) == pytest.approx(10 * angle**2 / 8, rel=0.02)
    assert measure_length(ring).length == pytest.approx(20 * np.pi)


def test_steps_are_shorter_at_a_bend_and_even_where_nothing_bends() -> None:
    """Steps are even where nothing bends and shift to the half that does."""
    assert np.allclose(bend_shares(np.zeros(11), 3.0), np.linspace(0, 1, 11))
    assert np.allclose(bend_shares(np.full(11, 0.2), 3.0), np.linspace(0, 1, 11))
    shares = bend_shares(np.where(np.arange(101) < 50, 0.0, 1.0), 4.0)
    assert shares[50] < 0.25  # the straight half takes a tenth of the density, near enough
    straight = measure_length(make_polyline([[0, 0, 0], [100, 0, 0]]))
    assert np.allclose(divide_by_bend(straight, 0.0, 100.0, 10, 5.0), np.arange(0, 101, 10))


def test_meshes_are_denser_where_the_surface_bends() -> None:
    """A quarter more of the points lie where the profile is rounded."""
    profile = interpolate_points([[40, 0, 0], [40, 0, 60], [40, 0, 100], [30, 0, 112], [10, 0, 114]])
    body = revolve_curve(profile, np.zeros(3), np.array([0, 0, 1.0]), 2 * np.pi)
    even, dense = (mesh_surface(body, 24, 30, bend=bend) for bend in (0.0, 3.0))
    high = [int((mesh.positions[:, 2] > 95).sum()) for mesh in (even, dense)]
    assert high[1] > 1.3 * high[0]
    of_set = mesh_set(SurfaceSet((body,)), Wish(counts=(24, 30), bend=3.0))
    assert int((of_set.positions[:, 2] > 95).sum()) > 1.2 * high[0]  # counts of sets are shared out a little otherwise


@pytest.mark.parametrize("count", [16, 32, 64, 128])
def test_the_smoothed_shape_of_a_can_comes_to_it_as_its_edges_shorten(count: int) -> None:
    """Its rims stay sharp, and round it the limit of a polygon of n points lies 2 r sin(pi / n)^2 / 3 inside the circle."""
    outline = make_polyline([[0, 0, 0], [10, 0, 0], [10, 0, 20], [0, 0, 20]])
    mesh = mesh_surface(revolve_curve(outline, ORIGIN, UP, TURN), count, 3 * count // 4, poles="quads", crease_sharp=True)
    off = smoothed_deviation(mesh, revolve_curve(outline, ORIGIN, UP, TURN))
    assert off == pytest.approx(2 / 3 * 10 * np.sin(np.pi / count) ** 2, rel=0.02)
