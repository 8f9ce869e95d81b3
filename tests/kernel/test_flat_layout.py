"""Boundaries with holes at random: what is filled has the area that the holes leave, or it is refused."""

from __future__ import annotations

import numpy as np
import pytest

from glass_spoon.kernel.curves.alter.place_curve import moving, place_curve
from glass_spoon.kernel.curves.make.line_and_arc import make_arc
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.patches.fill_holes import fill_holes
from glass_spoon.kernel.patches.fill_region import NARROW, OPEN, SMOOTH, fill_ring
from glass_spoon.kernel.patches.patch_layout import HeldEdge, Layout
from glass_spoon.kernel.patches.patch_space import PatchSpace
from glass_spoon.kernel.patches.region import Piece, make_loops
from glass_spoon.kernel.patches.unfairness import openness
from glass_spoon.kernel.patches.unfold import lies_flat, unfolded
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import evaluate_grid
from tests.kernel.test_patches import area_of, ball, cornered, line, round_ring, shoelace

PLATE = [(-50, -30), (50, -30), (50, 30), (-50, 30), (-50, -30)]


@pytest.mark.parametrize("seed", range(6))
def test_what_random_holes_leave_is_filled_or_refused(seed: int) -> None:
    """Never with patches that fold, which would count places twice: one to three holes, round or square, anywhere."""
    random = np.random.default_rng(seed)
    outer = line(*PLATE) if seed % 2 else round_ring(50)
    holes: list[tuple[float, float, float]] = []
    while len(holes) < 1 + seed % 3:
        x, y, radius = random.uniform(-32, 32), random.uniform(-16, 16), random.uniform(3, 9)
        if all(np.hypot(x - a, y - b) > radius + other + 4 for a, b, other in holes):
            holes.append((x, y, radius))
    rims = [
        round_ring(radius, (x, y, 0.0)) if k % 2 else cornered(4, radius, (x, y), 0.3)
        for k, (x, y, radius) in enumerate(holes)
    ]
    loops = make_loops([Piece(curve) for curve in (outer, *rims)], 1e-3)
    try:
        filled = fill_ring(*loops) if len(loops) == 2 else fill_holes(loops[0], loops[1:])
    except KernelError as error:
        assert "Trim it by the hole" in str(error)
        return
    assert area_of(filled) == pytest.approx(shoelace(outer) - sum(map(shoelace, rims)), rel=1e-3)


@pytest.mark.parametrize("count", [2, 3, 4])
def test_holes_in_a_row_take_four_patches_each(count: int) -> None:
    """Chords between them part the plate; without a crease, and flat."""
    at = np.linspace(-50, 50, 2 * count + 1)[1::2]
    loops = make_loops([Piece(curve) for curve in (line(*PLATE), *(round_ring(6, (x, 4.0, 0.0)) for x in at))], 1e-3)
    filled = fill_holes(loops[0], loops[1:])
    assert len(filled.surfaces) == 4 * count
    assert area_of(filled) == pytest.approx(6000 - count * np.pi * 36, rel=1e-4)
    assert filled.seam < 1e-4


Hole = tuple[float, float, float]
NINE: list[Hole] = [(x, y, 5.0) for x in (-32.0, 0.0, 32.0) for y in (-19.0, 0.0, 19.0)]
FIVE: list[Hole] = [(-26, -18, 6), (26, -18, 6), (-26, 18, 6), (26, 18, 6), (0, 0, 8)]
AROUND: list[Hole] = [(float(35 * np.cos(at)), float(35 * np.sin(at)), 5) for at in np.arange(6) * np.pi / 3]
ELL = [(-50, -40), (50, -40), (50, 0), (0, 0), (0, 40), (-50, 40), (-50, -40)]


@pytest.mark.parametrize(
    ("shape", "holes", "square", "size"),
    [
        ("plate", NINE, False, 1.0),
        ("plate", FIVE, False, 100.0),
        ("disc", FIVE, False, 1.0),
        ("disc", [*AROUND, (0, 0, 15)], False, 0.01),
        ("plate", [(-20, -12, 7), (20, -12, 7), (0, 14, 9)], True, 1.0),
        ("plate", [(35.7, 5.7, 4.5), (29.1, -13.0, 5.8)], True, 0.01),
        ("plate", [(35.7, 5.7, 4.5), (29.1, -13.0, 5.8)], True, 100.0),
        ("ell", [(-33.5, 18.5, 3.8), (-37.6, -8.7, 7.1)], True, 1.0),
    ],
)
def test_holes_in_no_row_are_parted_by_chords_that_end_on_chords(
    shape: str, holes: list[Hole], square: bool, size: float
) -> None:
    """Grids, rings about a middle, and holes crowded at an end: no patch folds, and the area is what the holes leave."""
    outer = round_ring(50 * size) if shape == "disc" else line(*(np.array({"plate": PLATE, "ell": ELL}[shape]) * size))
    rims = [
        cornered(4, radius * size, (x * size, y * size), 0.3)
        if square
        else round_ring(radius * size, (x * size, y * size, 0))
        for x, y, radius in holes
    ]
    loops = make_loops([Piece(curve) for curve in (outer, *rims)], 1e-3 * size)
    filled = fill_holes(loops[0], loops[1:])
    assert filled.openness > OPEN
    assert filled.seam < 1e-4
    assert area_of(filled) == pytest.approx(shoelace(outer) - sum(map(shoelace, rims)), rel=1e-4)


@pytest.mark.parametrize("turned", [0.0, 0.7])
def test_flat_patches_that_fold_are_drawn_apart(turned: float) -> None:
    """A patch whose inner points lie outside it is opened in its plane, its edges kept; one on a bent boundary is left."""
    space = PatchSpace(3)
    shares = np.array([np.mean(space.knots[k + 1 : k + 6]) for k in range(space.count)])
    x, y = np.meshgrid(shares, shares, indexing="ij")
    plane = np.array([[1, 0, 0], [0, np.cos(turned), np.sin(turned)]])
    net = np.stack((x, y), axis=2) @ plane
    sides = {(0, 1): net[:, 0], (1, 2): net[-1], (2, 3): net[::-1, -1], (0, 3): net[0]}
    layout = Layout(((0, 1, 2, 3),), {key: HeldEdge(control) for key, control in sides.items()})
    folded = net.copy()
    folded[1:-1, 1:-1] += 3 * plane[0]
    assert openness(3, folded.reshape(1, -1, 3), 17)[0] < 0
    normal = lies_flat(layout)
    assert normal is not None
    (opened,) = unfolded(layout, space, folded[None], normal)
    assert openness(3, opened.reshape(1, -1, 3), 17)[0] > 0.9
    assert np.abs(opened - net).max() < 0.02
    assert np.array_equal(opened[0], net[0])
    bent = {key: HeldEdge(control + [[0, 0, 0.1]] * (control[:, :1] > 0.5)) for key, control in sides.items()}
    assert lies_flat(Layout(layout.quads, bent)) is None


@pytest.mark.parametrize(("height", "size"), [(3.0, 1.0), (12.0, 0.01), (12.0, 100.0), (25.0, 1.0)])
def test_holes_that_stand_out_of_the_plane_are_raised_to_smoothly(height: float, size: float) -> None:
    """Three round holes above a round boundary: few patches, none folds, kinks between them under half a degree, and the
    edges are those of the curves.
    """
    holes = [(-30, 15, 9), (30, 18, 7), (2, -18, 11)]
    rims = [round_ring(radius * size, (x * size, y * size, height * size)) for x, y, radius in holes]
    loops = make_loops([Piece(curve) for curve in (round_ring(60 * size), *rims)], 1e-3 * size)
    filled = fill_holes(loops[0], loops[1:])
    assert len(filled.surfaces) in (12, 18)
    assert filled.openness > OPEN
    assert filled.seam < np.radians(0.5)
    assert filled.off < 1e-4 * 120 * size
    heights = np.concatenate([surface.control_points[..., 2].ravel() for surface in filled.surfaces]) / size
    assert -0.15 * height < heights.min() <= heights.max() < 1.25 * height


def test_holes_in_a_ball_are_patched_as_the_ball_runs() -> None:
    """A cap of a ball of radius 60 with three holes, going on from the ball at all rims: within 0.5 % of it."""
    beside = ball(60.0)
    up = np.array([[0, 0], [0.3, 0.2], [-0.28, 0.22], [0.02, -0.33]])
    rims = []
    for (x, y), around in zip(up, (0.75, 0.12, 0.14, 0.1), strict=True):
        way = np.array([x, y, np.sqrt(1 - x * x - y * y)])
        across = np.cross(way, [0.0, 1.0, 0.0])
        across = across / np.linalg.norm(across)
        square = np.cross(way, across)
        middle, radius = 60 * np.cos(around) * way, 60 * np.sin(around)
        rims.append(make_arc(middle, radius * across, radius * square, 0, 2 * np.pi))
    loops = make_loops([Piece(curve, beside, 1) for curve in rims], 1e-6)
    filled = fill_holes(loops[0], loops[1:])
    assert filled.openness > OPEN
    assert filled.crease < np.radians(0.5)
    places = np.concatenate([evaluate_grid(surface, SHARES, SHARES).points.reshape(-1, 3) for surface in filled.surfaces])
    assert np.abs(np.linalg.norm(places, axis=1) - 60).max() < 0.3


SHARES = np.linspace(0, 1, 17)


@pytest.mark.parametrize(
    ("shape", "hole", "height"),
    [
        ("plate", (-19.2, -7.4, 3.1), -1.5),
        ("plate", (18.7, 14.6, 7.3), 0.36),
        ("ell", (-17.0, 17.9, 7.9), 1.87),
        ("ell", (2.2, -8.7, 3.4), -1.6),
    ],
)
@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
def test_a_square_hole_anywhere_leaves_patches_that_meet_smoothly(
    shape: str, hole: Hole, height: float, size: float
) -> None:
    """Above or below the plane, and where no line from a corner runs across to another boundary."""
    x, y, radius = (value * size for value in hole)
    rim = place_curve(cornered(4, radius, (x, y), 0.3), moving([0, 0, height * size]))
    outer = line(*(np.array({"plate": PLATE, "ell": ELL}[shape]) * size))
    loops = make_loops([Piece(outer), Piece(rim)], 1e-3 * size)
    filled = fill_ring(*loops)
    assert filled.openness > NARROW
    assert filled.seam < SMOOTH
    assert area_of(filled) == pytest.approx(shoelace(outer) - shoelace(rim), rel=0.02)


def test_patches_are_the_same_in_a_finer_space() -> None:
    """The same splines over more spans, to rounding."""
    few, more = PatchSpace(3), PatchSpace(6)
    net = np.random.default_rng(4).uniform(-1, 1, (2, few.count, few.count, 3))
    shares = np.linspace(0, 1, 23)
    for old, new in zip(net, more.finer(net), strict=True):
        one, other = (evaluate_grid(space.surface(own), shares, shares).points for space, own in ((few, old), (more, new)))
        assert np.abs(one - other).max() < 1e-12
