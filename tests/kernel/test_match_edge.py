"""A surface matched to another along an edge: by formulas, and by the continuity that Open CASCADE reads there."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from OCP.GeomAbs import GeomAbs_G2
from OCP.LocalAnalysis import LocalAnalysis_SurfaceContinuity

from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.curves.evaluate.closest_on_curve import closest_params
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.curves.make.interpolate import interpolate_points
from glass_spoon.kernel.curves.make.line_and_arc import make_polyline
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.patches.blend_edges import Border, nearest_borders, surface_borders
from glass_spoon.kernel.patches.match_edge import Matched, match_edge
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import evaluate_grid
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface, edge_curve
from glass_spoon.kernel.surfaces.make.revolve import revolve_curve
from tests.kernel.test_against_occt import as_occt_surface
from tests.zoo import ORIGIN, TURN, UP

KNOTS = np.repeat([0, 1 / 3, 2 / 3, 1], [4, 1, 1, 4])


def sheet(low: Floats, high: Floats, rise: Floats, seed: int = 0, size: float = 1.0) -> NurbsSurface:
    """Return a bicubic sheet over a rectangle, with a net that is uneven by up to 1 mm, tilted by a rise along x and y."""
    rng = np.random.default_rng(seed)
    share = np.linspace(0, 1, 6)
    x, y = np.meshgrid(low[0] + share * (high[0] - low[0]), low[1] + share * (high[1] - low[1]), indexing="ij")
    z = rise[0] * x + rise[1] * y + (rng.uniform(0, 1, x.shape) if seed else 0)
    return NurbsSurface((3, 3), (KNOTS, KNOTS), size * np.stack((x, y, z), axis=2), np.ones(x.shape))


def matched(surface: NurbsSurface, onto: NurbsSurface, grade: int, share: float = 0.5, **how: bool) -> Matched:
    first, second = nearest_borders(surface_borders(surface, 1e-9), surface_borders(onto, 1e-9))
    return match_edge(first, replace(second, grade=grade), share, **how)


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
@pytest.mark.parametrize("grade", [0, 1, 2])
def test_the_edge_comes_to_lie_on_the_other_and_the_rest_stays(grade: int, size: float) -> None:
    """At every size alike: within a millionth of it, the planes within a thousandth of a degree; half of it is as it was."""
    surface = sheet([1, 0], [11, 10], [0.3, 0.1], 3, size)
    onto = sheet([-10, 0.4], [0, 10.6], [-0.1, 0.2], 4, size)
    made = matched(surface, onto, grade)
    assert made.off < 1e-6 * 25 * size
    edge = edge_curve(made.surface, 1, 0)
    across = curve_points(edge, np.linspace(0, 1, 40))
    assert closest_params(edge_curve(onto, 1, -1), across)[1].max() < 3e-5 * size
    assert np.isnan(made.kink) == (grade == 0)
    assert grade == 0 or np.degrees(made.kink) < 1e-3
    assert grade < 2 or made.bend < 1e-3 / size
    far, v = np.linspace(0.5, 1, 9), np.linspace(0, 1, 17)
    kept = lengths(evaluate_grid(made.surface, far, v).points - evaluate_grid(surface, far, v).points)
    assert kept.max() < 1e-6 * 25 * size
    assert not made.folds


@pytest.mark.parametrize("seed", range(1, 7))
def test_open_cascade_finds_the_same_planes_and_curvatures(seed: int) -> None:
    """Of random sheets, at places along the edge: continuous in curvature by its own tests, the angles as small as told."""
    surface, onto = sheet([1, 0], [11, 10], [0.2, 0], seed), sheet([-10, 0], [0, 10], [0, 0.1], seed + 20)
    made = matched(surface, onto, 2)
    mine, theirs = as_occt_surface(made.surface), as_occt_surface(onto)
    edge, other = edge_curve(made.surface, 1, 0), edge_curve(onto, 1, -1)
    for v in np.linspace(0.05, 0.95, 7):
        at = float(closest_params(other, curve_points(edge, np.array([v])))[0][0])
        found = LocalAnalysis_SurfaceContinuity(mine, 0.0, float(v), theirs, 1.0, at, GeomAbs_G2, 1e-4, 1e-4)
        assert found.IsDone()
        assert found.G1Angle() < 1e-5
        assert found.G2CurvatureGap() < 1e-3
        assert found.IsG2()


def test_a_sheet_matched_to_a_tube_takes_its_curvature() -> None:
    """Beside a tube of 20 mm the sheet bends by 1/20 across: as a circle does."""
    half = revolve_curve(make_polyline([[20, 0, 0], [20, 0, 30]]), ORIGIN, UP, TURN / 4)
    surface = sheet([-15, 0], [-1, 30], [0, 0])
    turned = replace(surface, control_points=surface.control_points[..., [0, 2, 1]] + [0, 20, 0])
    first, second = nearest_borders(surface_borders(turned, 1e-9), surface_borders(half, 1e-9))
    made = match_edge(first, replace(second, grade=2), 0.6)
    border = Border(edge_curve(made.surface, first.axis, first.end), made.surface, first.axis, first.end)
    along = np.linspace(0.1, 0.9, 5)
    way = np.tile([-1.0, 0, 0], (5, 1))
    assert np.abs(border.bending(along, way)) == pytest.approx(1 / 20, abs=1e-5)


def test_what_meets_already_stays() -> None:
    """Two halves of one sheet, matched with curvature: nothing moves by more than the tolerance."""
    whole = sheet([0, 0], [10, 10], [0.1, 0.2])
    onto = replace(whole, control_points=whole.control_points - [10, 0, 1])
    made = matched(whole, onto, 2)
    assert made.moved < 1e-6 * 20
    points = [evaluate_grid(one, np.linspace(0, 1, 9), np.linspace(0, 1, 9)).points for one in (whole, made.surface)]
    assert lengths(points[0] - points[1]).max() < 1e-6 * 20


def test_a_corner_of_the_other_edge_is_followed() -> None:
    """Onto a curve with a corner: the edge has it too, at the same place."""
    surface = sheet([1, 0], [11, 10], [0, 0])
    corner = make_polyline([[0, 0, 0], [-2, 6, 1], [0, 10, 0]])
    first = next(border for border in surface_borders(surface, 1e-9) if (border.axis, border.end) == (1, 0))
    made = match_edge(first, Border(corner, grade=0), 1.0)
    assert made.off < 1e-5
    assert closest_params(edge_curve(made.surface, 1, 0), np.array([[-2.0, 6, 1]]))[1][0] < 1e-5


def test_a_short_edge_meets_a_long_one_where_it_is_nearest() -> None:
    """A sheet of 4 mm beside the middle of one of 10: it stays 4 mm wide, and meets the planes there."""
    surface, onto = sheet([1, 3], [9, 7], [0.1, 0.2], 5), sheet([-10, 0], [0, 10], [0.1, 0.1], 6)
    made = matched(surface, onto, 1, nearest=True)
    assert np.degrees(made.kink) < 1e-3
    ends = edge_curve(made.surface, 1, 0).control_points[[0, -1], 1]
    assert ends == pytest.approx([3, 7], abs=0.3)


def test_rings_are_matched_wherever_they_start() -> None:
    """A cone over a tube whose seam lies elsewhere, and that runs the other way: smooth all round."""
    tube = revolve_curve(make_polyline([[10, 0, -20], [10, 0, 0]]), ORIGIN, UP, TURN)
    cone = revolve_curve(make_polyline([[11, 0, 1], [4, 0, 12]]), ORIGIN, UP, TURN)
    turn = np.radians(50)
    rows = np.array([[np.cos(turn), -np.sin(turn), 0], [np.sin(turn), np.cos(turn), 0], [0, 0, 1]])
    made = matched(replace(cone, control_points=cone.control_points @ rows.T), tube, 2, 0.7)
    assert made.off < 1e-4
    assert np.degrees(made.kink) < 0.01
    assert made.surface.is_closed(0, 1e-4)


@pytest.mark.parametrize(
    ("surface", "onto", "how", "words"),
    [
        (sheet([-9, 0], [-1, 10], [0, 0]), sheet([-10, 0], [0, 10], [0, 0], 3), {}, "lies over the one"),
        (sheet([1, -5], [9, 15], [0, 0]), sheet([-10, 0], [0, 10], [0, 0]), {"nearest": True}, "past the end"),
        (
            sheet([11, -5], [19, 5], [0, 0]),
            revolve_curve(make_polyline([[10, 0, -20], [10, 0, 0]]), ORIGIN, UP, TURN),
            {},
            "One of the two edges is closed",
        ),
        (
            revolve_curve(make_polyline([[0, 0, 0], [10, 0, 8]]), ORIGIN, UP, TURN / 4),
            sheet([-10, -20], [10, -10], [0, 0]),
            {},
            "closes in a point",
        ),
    ],
)
def test_what_cannot_be_matched_is_refused_with_a_way_out(
    surface: NurbsSurface, onto: NurbsSurface, how: dict[str, bool], words: str
) -> None:
    """Laid over the other, past its end, closed against open, and ending in a point."""
    first = surface_borders(surface, 1e-9)
    if words == "closes in a point":
        first = [border for border in first if border.axis == 1]
    elif words == "lies over the one":
        first = [border for border in first if (border.axis, border.end) == (1, -1)]
    one, other = nearest_borders(first, surface_borders(onto, 1e-9))
    with pytest.raises(KernelError, match=words):
        match_edge(one, replace(other, grade=1), 0.5, **how)


def test_a_sheet_pulled_through_itself_is_told() -> None:
    """Brought far over its own far edge it runs back on itself."""
    surface = sheet([0, 0], [10, 10], [0, 0])
    over = interpolate_points([[25, 0, 0], [25, 5, 0], [25, 10, 0]])
    first = next(border for border in surface_borders(surface, 1e-9) if (border.axis, border.end) == (1, 0))
    assert match_edge(first, Border(over, grade=0), 0.4).folds
