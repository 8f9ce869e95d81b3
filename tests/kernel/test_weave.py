"""Cords over and under each other: woven on the flat, and braided along curves."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.spatial.distance import cdist

from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.curves.make.flat_shapes import make_circle
from glass_spoon.kernel.curves.make.line_and_arc import make_polyline
from glass_spoon.kernel.curves.make.weave import braid, weave
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.repeat.chain import make_chain


@pytest.mark.parametrize("factor", [0.01, 1.0, 100.0])
def test_a_plain_weave_goes_over_one_and_under_one(factor):
    """At each of 7 by 5 crossings one cord lies 0.4 mm over the middle and the other under it, by turns."""
    made = weave((28 * factor, 20 * factor), (4 * factor, 4 * factor), 0.4 * factor)
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
    made = weave((40, 40), (5, 5), 1.0, "twill")
    every = [curve_points(cord, np.linspace(*cord.domain, 1500)) for cord in made.curves]
    assert max(np.abs(points[:, 2]).max() for points in every) == pytest.approx(1)
    nearest = min(float(cdist(a, b).min()) for a in every[:8] for b in every[8:])
    assert made.apart == pytest.approx(nearest, abs=0.02)
    assert nearest > 1.9


def test_too_few_and_too_many_cords_are_refused():
    """One cord is no weave, and ten thousand are too many."""
    with pytest.raises(InvalidInput, match="left to right"):
        weave((5, 50), (5, 5), 1)
    with pytest.raises(InvalidInput, match="front to back"):
        weave((50, 50_000), (5, 5), 1)


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
