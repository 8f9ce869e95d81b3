"""Boundaries with holes at random: what is filled has the area that the holes leave, or it is refused."""

from __future__ import annotations

import numpy as np
import pytest

from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.patches.fill_holes import fill_holes
from glass_spoon.kernel.patches.fill_region import fill_ring
from glass_spoon.kernel.patches.region import Piece, make_loops
from tests.kernel.test_patches import area_of, cornered, line, round_ring, shoelace

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
