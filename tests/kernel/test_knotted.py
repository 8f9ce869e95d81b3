"""Knotted nets: rows tied round the loops of the rows above, no cord nearer to any than its thickness."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest

from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_curvature, curve_points
from glass_spoon.kernel.curves.make.flat_shapes import make_circle
from glass_spoon.kernel.curves.make.interpolate import interpolate_points
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.repeat.knotted import BEND, LOOP, ROOM, knot_net, knot_net_within
from glass_spoon.kernel.repeat.weave import sheet_outline
from glass_spoon.kernel.surfaces.make.outline_crossings import is_inside, is_inside_all

WHOLE_LOOP = np.concatenate((LOOP, LOOP[-2::-1] * (-1, 1, 1)))
"""Both halves of it."""


def along(cord: NurbsCurve, count: int) -> tuple[np.ndarray, float]:
    """Return places (count, 3) at even lengths of a cord, and how long it is."""
    arc = measure_length(cord)
    return curve_points(cord, arc.to_params(np.linspace(0, arc.length, count))), arc.length


def least_distance(one: np.ndarray, other: np.ndarray) -> float:
    """Return the least distance of places from others, each held against each."""
    return min(float(np.linalg.norm(other[:, None] - row, axis=2).min()) for row in np.array_split(one, 20))


def linking(one: np.ndarray, other: np.ndarray) -> float:
    """Return how often closed polygons run through each other (Gauss's integral, by the midpoints of their edges)."""
    a, b = (np.roll(places, -1, axis=0) - places for places in (one, other))
    p, q = (places + step / 2 for places, step in ((one, a), (other, b)))
    away = p[:, None] - q
    turned = np.einsum("ijk,ijk->ij", np.cross(a[:, None], b), away)
    return float((turned / np.linalg.norm(away, axis=2) ** 3).sum() / (4 * np.pi))


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
def test_no_cord_of_a_net_comes_nearer_than_its_thickness(size: float) -> None:
    """Rows of each other, and each of itself: cords twice as thick as they go over and under pass, all sizes alike."""
    height = 1.5 * size
    made = knot_net((200 * size, 180 * size), (50 * size, 85 * size), height)
    assert len(made.curves) == 4
    assert made.apart >= 2 * height * (1 - 1e-9)
    runs = [along(cord, 3000) for cord in made.curves]
    for number, (places, length) in enumerate(runs):
        for other, _ in runs[number + 1 :]:
            assert least_distance(places, other) > 1.99 * height
        # What lies farther along the cord than half round it may not come back to it.
        steps = np.linspace(0, length, len(places))
        for row, at in zip(places[::7], steps[::7], strict=True):
            far = np.abs(steps - at) > np.pi * height
            assert np.linalg.norm(places[far] - row, axis=1).min() > 1.99 * height
        assert curve_curvature(made.curves[number], np.linspace(*made.curves[number].domain, 4000)).max() < 1 / height


def test_the_cord_runs_through_its_loop_once() -> None:
    """Both closed far from the knot, they hang in each other: pulled apart they stay."""
    closed = []
    for places, down in ((WHOLE_LOOP, 1.0), (BEND, -1.0)):
        ends = np.array([[4.0, 40 * down, 0], [-4.0, 40 * down, 0]])
        round_about = np.vstack((along(interpolate_points(places), 1500)[0], ends))
        corners = np.vstack((round_about[1499:], round_about[:1]))
        fine = [np.linspace(one, other, 400, endpoint=False) for one, other in pairwise(corners)]
        closed.append(np.vstack((round_about[:1499], *fine)))
    assert abs(linking(*closed)) == pytest.approx(1, abs=0.01)


def test_the_unit_is_the_room_of_the_knot() -> None:
    """The places of the knot, drawn as they are, keep ROOM and a little more."""
    loop, bend = (along(interpolate_points(places), 1500)[0] for places in (WHOLE_LOOP, BEND))
    assert ROOM <= least_distance(bend, loop) < 1.03 * ROOM


@pytest.mark.parametrize(
    ("size", "mesh", "height", "words"),
    [
        ((100, 100), (20, 60), 1.5, "for their knots"),
        ((100, 100), (40, 30), 1.5, "for their knots"),
        ((60, 100), (50, 60), 1.0, "two meshes wide"),
        ((300, 20), (50, 60), 0.5, "one high"),
        ((9000, 9000), (30, 60), 0.5, "knots at most"),
    ],
)
def test_what_cannot_be_tied_is_refused(
    size: tuple[float, float], mesh: tuple[float, float], height: float, words: str
) -> None:
    """Meshes without room for their knots, too few of them, and too many: the sizes that would do are told."""
    with pytest.raises(InvalidInput, match=words):
        knot_net(size, mesh, height)


def test_whole_meshes_fill_the_sheet() -> None:
    """As wide and as high as asked, within the thickness of a cord."""
    made = knot_net((200, 180), (50, 85), 1.5)
    places = np.concatenate([along(cord, 2000)[0] for cord in made.curves])
    assert np.ptp(places, axis=0)[:2] == pytest.approx([200, 180], abs=3)


@pytest.mark.parametrize("turn", [0.0, 0.4])
def test_knots_within_an_outline_are_tied_where_a_loop_hangs(turn: float) -> None:
    """In a circle: every knot of the whole net that stays is tied as before, and no cord comes nearer than its thickness."""
    made = knot_net_within(make_circle([0, 0], 150), (40, 70), 1.5, turn)
    assert made.apart >= 3.0 * (1 - 1e-9) and len(made.curves) >= 4
    runs = [along(cord, 2000)[0] for cord in made.curves]
    for number, places in enumerate(runs):
        assert np.hypot(places[:, 0], places[:, 1]).max() < 150
        for other in runs[number + 1 :]:
            assert least_distance(places, other) > 2.97
    square = knot_net_within(sheet_outline((200, 180)), (50, 85), 1.5)
    whole = knot_net((200, 180), (50, 85), 1.5)
    assert square.apart >= 3.0 * (1 - 1e-9) and 1 <= len(square.curves) <= len(whole.curves)


def test_places_within_a_line_are_found_together_as_one_by_one() -> None:
    """A star of ten corners, random places; a level edge is no trouble."""
    rng, turns = np.random.default_rng(5), np.linspace(0, 2 * np.pi, 10, endpoint=False)
    star = np.stack((np.cos(turns), np.sin(turns)), axis=1) * np.where(np.arange(10) % 2, 0.4, 1.0)[:, None]
    for line in (star, np.array([[0, 0], [1, 0], [1, 1], [0, 1]], dtype=float)):
        places = rng.uniform(-1.2, 1.2, (3000, 2))
        # By the turns of the line round each place (the winding number): none outside, one inside.
        ways = line[None] - places[:, None]
        angles = np.arctan2(ways[..., 1], ways[..., 0])
        turns = (np.diff(angles, axis=1, append=angles[:, :1]) + np.pi) % (2 * np.pi) - np.pi
        assert is_inside_all(line, places).tolist() == (np.abs(turns.sum(axis=1)) > np.pi).tolist()
        assert [is_inside(line, place) for place in places[:50]] == is_inside_all(line, places[:50]).tolist()
