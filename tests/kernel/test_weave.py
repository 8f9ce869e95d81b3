"""Cords over and under each other: woven on the flat, and braided along curves."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.spatial import cKDTree
from scipy.spatial.distance import cdist

from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.curves.make.braid import braid
from glass_spoon.kernel.curves.make.flat_shapes import make_circle, make_rectangle, make_star
from glass_spoon.kernel.curves.make.line_and_arc import make_polyline
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.repeat.chain import make_chain
from glass_spoon.kernel.repeat.weave import Manner, Pattern, weave, weave_within


@pytest.mark.parametrize("factor", [0.01, 1.0, 100.0])
def test_a_plain_weave_goes_over_one_and_under_one(factor):
    """At each of 7 by 5 crossings one cord lies 0.4 mm over the middle and the other under it, by turns."""
    made = weave((28 * factor, 20 * factor), Manner((4 * factor, 4 * factor), 0.4 * factor))
    assert len(made.curves) == 12
    for k, cord in enumerate(made.curves[:7]):
        for j, other in enumerate(made.curves[7:]):
            x, y = (k - 3) * 4 * factor, (j - 2) * 4 * factor
            over = 0.4 * factor if (k + j) % 2 == 0 else -0.4 * factor
            assert curve_points(cord, np.array([y]))[0] == pytest.approx((x, y, over), abs=1e-9 * factor)
            assert curve_points(other, np.array([x]))[0] == pytest.approx((x, y, -over), abs=1e-9 * factor)
    assert made.apart == pytest.approx(0.8 * factor, rel=0.01)


def test_a_twill_goes_over_two_and_never_swings_past_its_height():
    """Between two crossings on one side it stays level; the cords come no nearer than is told."""
    made = weave((40, 40), Manner((5, 5), 1.0, "twill"))
    every = [curve_points(cord, np.linspace(*cord.domain, 1500)) for cord in made.curves]
    assert max(np.abs(points[:, 2]).max() for points in every) == pytest.approx(1)
    nearest = min(float(cdist(a, b).min()) for a in every[:8] for b in every[8:])
    assert made.apart == pytest.approx(nearest, abs=0.02)
    assert nearest > 1.9


def test_too_few_and_too_many_cords_are_refused():
    """One cord is no weave, and ten thousand are too many."""
    with pytest.raises(InvalidInput, match="left to right"):
        weave((5, 50), Manner((5, 5), 1))
    with pytest.raises(InvalidInput, match="front to back"):
        weave((50, 50_000), Manner((5, 5), 1))


OUTLINES = {"circle": make_circle((3, -2), 40), "star": make_star(5, 50.0, 25.0), "pane": make_rectangle(70, 40)}


def traced(curves, count=1200):
    """Return places along each of some curves."""
    return [curve_points(one, np.linspace(*one.domain, count)) for one in curves]


@pytest.mark.parametrize("outline", list(OUTLINES))
@pytest.mark.parametrize("pattern", ["plain", "twill", "three ways", "laid"])
def test_within_an_outline_cords_end_on_it_and_none_meets_another(outline, pattern):
    """No cord leaves the outline, all ends lie over it, and no two come nearer than is told, at any turn."""
    curve = OUTLINES[outline]
    edge = curve_points(curve, np.linspace(*curve.domain, 20_001))[:, :2]
    for turn in (0.0, 0.4):
        made = weave_within(curve, Manner((7, 7), 1.0, pattern, turn=turn))
        every = traced(made.curves)
        ends = np.concatenate([points[[0, -1], :2] for points in every])
        assert cKDTree(edge).query(ends)[0].max() < 0.01
        middle, reach = edge.mean(axis=0), np.linalg.norm(edge - edge.mean(axis=0), axis=1).max()
        assert max(np.linalg.norm(points[:, :2] - middle, axis=1).max() for points in every) < reach + 0.01
        nearest = min(float(cdist(a, b).min()) for k, a in enumerate(every) for b in every[k + 1 :])
        assert made.apart == pytest.approx(nearest, abs=0.05)
        # Across a notch of the star two ends of one line lie 0.39 mm apart.
        assert nearest > (0.38 if outline == "star" else 1.5 if pattern == "three ways" else 1.7)


@pytest.mark.parametrize("factor", [0.01, 1.0, 100.0])
def test_three_ways_cross_by_twos_each_over_the_next(factor):
    """A cord of hexagonal cane goes over one and under one, crossings lie evenly (common practice, no source)."""
    made = weave_within(make_circle((0, 0), 50 * factor), Manner((10 * factor, 10 * factor), factor, "three ways"))
    cord = made.curves[4]
    along = curve_points(cord, np.linspace(*cord.domain, 20_000))
    heights = along[:, 2] / factor
    tops = np.flatnonzero(np.abs(heights) > 1 - 1e-4)
    runs = np.split(tops, np.flatnonzero(np.diff(tops) > 1) + 1)
    signs = [np.sign(heights[run[0]]) for run in runs]
    assert signs == [signs[0] * (-1) ** k for k in range(len(signs))]
    middles = np.array([along[run].mean(axis=0) for run in runs])
    steps = np.linalg.norm(np.diff(middles[:, :2], axis=0), axis=1)
    np.testing.assert_allclose(steps, 10 * factor / np.sqrt(3), rtol=1e-2)


def test_half_the_step_gives_twice_the_wires():
    """A grille laid within a circle; its ring comes first."""
    few, many = (weave_within(make_circle((0, 0), 40), Manner((step, step), 1, "laid", "ring")) for step in (8, 4))
    assert (len(few.curves), len(many.curves)) == (1 + 20, 1 + 40)
    assert few.curves[0].control_points == pytest.approx(make_circle((0, 0), 40).control_points)


def test_loops_join_the_cords_of_each_way_into_one():
    """Two cords, smooth throughout, within their rectangle, that pass each other as the cut ones do."""
    made = weave((80, 60), Manner((8, 6), 1.0, ends="looped"))
    assert len(made.curves) == 2
    every = traced(made.curves, 20_000)
    for points in every:
        assert (np.abs(points).max(axis=0) <= (40 + 1e-9, 30 + 1e-9, 1.05)).all()
        ways = np.diff(points, axis=0)
        ways /= np.linalg.norm(ways, axis=1)[:, None]
        assert np.einsum("ij,ij->i", ways[:-1], ways[1:]).min() > 0.99
    assert float(cdist(every[0][::5], every[1][::5]).min()) == pytest.approx(2.0, abs=0.02)
    with pytest.raises(InvalidInput, match="two ways"):
        weave((80, 60), Manner((8, 6), 1.0, "three ways", "looped"))
    with pytest.raises(InvalidInput, match="left to right"):
        weave_within(make_rectangle(3, 90), Manner((8, 8), 1))
    with pytest.raises(InvalidInput, match="in a ring"):
        weave_within(make_circle((0, 0), 30), Manner((8, 6), 1.0, ends="looped"))


@pytest.mark.parametrize("strands", [3, 5, 7])
def test_strands_of_a_closed_braid_close_and_never_meet(strands):
    """On a ring each strand comes back to its own start; no two come nearer than is told, which is more than nothing."""
    made = braid(make_circle((0, 0), 80), strands, (6.0 * strands, 6.0), 30.0 * strands, 1e-3)
    every = [curve_points(one, np.linspace(*one.domain, 3000)) for one in made.curves]
    for one in every:
        assert one[0] == pytest.approx(one[-1], abs=1e-3)
    nearest = min(float(cdist(a, b).min()) for k, a in enumerate(every) for b in every[k + 1 :])
    assert made.apart == pytest.approx(nearest, abs=0.1)
    assert nearest > 1.5


def test_a_braid_is_as_wide_and_high_as_asked_and_an_even_one_is_refused():
    """Along a straight: 12 mm wide, 5 mm high."""
    line = make_polyline([(0, 0, 0), (120, 0, 0)])
    made = braid(line, 3, (12, 5), 30, 1e-4)
    points = np.concatenate([curve_points(one, np.linspace(*one.domain, 2000)) for one in made.curves])
    assert np.ptp(points[:, 1]) == pytest.approx(12, abs=0.01)
    assert np.ptp(points[:, 2]) == pytest.approx(5, abs=0.01)
    with pytest.raises(InvalidInput, match="odd and three or more"):
        braid(line, 4, (12, 5), 30, 1e-4)
    with pytest.raises(InvalidInput, match="four times the curve"):
        braid(line, 3, (12, 5), 1000, 1e-4)


@pytest.mark.parametrize("factor", [0.01, 1.0, 100.0])
def test_links_hang_in_each_other_and_do_not_meet(factor):
    """On a straight each is turned by a right angle, as long and wide as asked, and clear of the next by the slack."""
    line = make_polyline(np.array([(0, 0, 0), (300, 0, 0)]) * factor)
    made = make_chain(line, 24 * factor, 15 * factor, 4 * factor)
    assert len(made.links) == int(300 / (0.97 * 16))
    assert made.apart == pytest.approx((4 + 0.03 * 16) * factor, rel=1e-2)
    for k, link in enumerate(made.links[:6]):
        size = np.ptp(curve_points(link, np.linspace(*link.domain, 400)), axis=0) / factor
        assert size == pytest.approx((20, 11, 0) if k % 2 == 0 else (20, 0, 11), abs=1e-2)
    ring = make_chain(make_circle((0, 0), 60 * factor), 24 * factor, 15 * factor, 4 * factor)
    assert len(ring.links) % 2 == 0
    assert ring.apart > 4 * factor


@pytest.mark.parametrize(
    ("length", "width", "wire", "words"),
    [(24, 9, 4, "three times its wire"), (12, 15, 4, "length of a link"), (240, 15, 4, "number of links")],
)
def test_links_that_cannot_hang_are_refused(length, width, wire, words):
    """Too narrow for the next one's wire, too short for their width, too long for the curve."""
    with pytest.raises(InvalidInput, match=words):
        make_chain(make_polyline([(0, 0, 0), (300, 0, 0)]), length, width, wire)


@pytest.mark.parametrize("step", [9.0, 10.0, 12.0, 13.5])
@pytest.mark.parametrize("pattern", ["plain", "twill", "three ways"])
def test_ends_come_down_into_the_middle_of_a_ring_and_never_meet(step: float, pattern: Pattern) -> None:
    """Those that have room end at its height, so that wires join it there; no two cords come nearer than without a ring."""
    outline = make_circle((0, 0), 54)
    cut, ringed = (weave_within(outline, Manner((step, step), 1.0, pattern, ends)) for ends in ("cut", "ring"))
    ends = np.array([[one.control_points[0], one.control_points[-1]] for one in ringed.curves[1:]]).reshape(-1, 3)
    assert np.hypot(ends[:, 0], ends[:, 1]) == pytest.approx(54, abs=1e-6)
    low = np.abs(ends[:, 2]) < 1e-12
    assert low.mean() > 0.2 or pattern == "three ways"
    assert ringed.apart > 0.93 * min(cut.apart, 2.0)
    assert ringed.loose == int((~low).sum())


def test_ends_that_stay_beside_a_ring_are_counted_and_less_height_brings_them_in() -> None:
    """Of 36 ends on a circle fewer and fewer stay over or under it as cords go less far up and down; cut ends are none."""
    outline = make_circle((0, 0), 127.4)
    loose = [weave_within(outline, Manner((28.0, 28.0), height, "plain", "ring")).loose for height in (1.8, 1.0, 0.5, 0.2)]
    assert loose == sorted(loose, reverse=True)
    assert loose[0] > 0
    assert loose[-1] == 0
    assert weave_within(outline, Manner((28.0, 28.0), 1.8, "plain", "cut")).loose == 0
