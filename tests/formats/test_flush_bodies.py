"""Bodies with faces in one plane, or on one cylinder, made one exactly: joined, cut, or what both hold."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from OCP.BRepCheck import BRepCheck_Analyzer

from glass_spoon.formats.step import NamedSurfaces, write_step
from glass_spoon.kernel.curves.alter.place_curve import Placement, moving, turning
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.surfaces.alter.edit_surface import place_surface
from glass_spoon.kernel.trims.face import FaceSet, make_face_set, whole_face
from glass_spoon.kernel.trims.mesh_faces import mesh_faces
from glass_spoon.kernel.trims.shared_edges import find_edges
from glass_spoon.kernel.trims.trim import join_bodies
from tests.formats.test_step_faces import figures, read_back
from tests.kernel.trims import block, can, pearl, volume_of

WAYS = ("united", "first less second", "common")

Corners = tuple[tuple[int, int, int], tuple[int, int, int]]


def placed(body: FaceSet, *placements: Placement) -> FaceSet:
    """Return a body placed, one placement after another."""
    surfaces = [face.surface for face in body.faces]
    for placement in placements:
        surfaces = [place_surface(surface, placement) for surface in surfaces]
    return make_face_set([whole_face(surface) for surface in surfaces])


def box(corners: Corners, size: float) -> FaceSet:
    """Return a box from a corner on, so many cells of a size wide."""
    low, cells = (size * np.array(row, dtype=float) for row in corners)
    return placed(block(tuple(cells)), moving(tuple(low + cells / 2)))


@st.composite
def boxes(draw: st.DrawFn) -> Corners:
    """Draw a box of whole cells: two of them have faces in common planes more often than not."""
    row = st.tuples(*[st.integers(0, 2)] * 3), st.tuples(*[st.integers(1, 3)] * 3)
    return draw(row[0]), draw(row[1])


@settings(max_examples=8, deadline=None)
@given(boxes(), boxes(), st.sampled_from([0.1, 10.0, 1000.0]))
def test_boxes_of_whole_cells_are_joined_as_their_cells_are(one: Corners, other: Corners, size: float) -> None:
    """Whatever faces lie in one another: the volume is that of the cells, closed; or it is refused."""
    (a, m), (b, n) = ((np.array(low), np.array(cells)) for low, cells in (one, other))
    both = int(np.maximum(np.minimum(a + m, b + n) - np.maximum(a, b), 0).prod())
    wanted = {"united": m.prod() + n.prod() - both, "first less second": m.prod() - both, "common": both}
    for way in WAYS:
        try:
            made, _ = join_bodies(box(one, size), box(other, size), way)  # type: ignore[arg-type]  # one of the three
        except KernelError as error:
            assert "touches it along a line alone" in str(error) or (wanted[way] == 0 and "Nothing is left" in str(error))
            continue
        assert len(find_edges(made).open_uses) == 0
        assert volume_of(mesh_faces(made, 2 * size)) == pytest.approx(wanted[way] * size**3, rel=1e-9)


def volume(made: FaceSet, folder: Path) -> float:
    """Return the volume in mm^3, as Open CASCADE integrates what it reads from a file of them."""
    assert len(find_edges(made).open_uses) == 0
    shape = read_back(write_step([NamedSurfaces("body", made)]), folder)
    assert BRepCheck_Analyzer(shape).IsValid()
    return figures(shape)[0]


UP = moving((0, 0, 20))

CASES = {
    "two lengths of one rod": (can(10, 30), can(10, 20), 6000 * np.pi, 2000 * np.pi, 4000 * np.pi),
    "a rod on a rod": (can(10, 10), placed(can(10, 10), UP), 4000 * np.pi, 2000 * np.pi, 0.0),
    "a thinner rod on it": (can(10, 10), placed(can(6, 10), UP), 2720 * np.pi, 2000 * np.pi, 0.0),
    "a hole as deep as its plate": (
        block((60, 40, 20)),
        can(9, 10),
        48000.0,
        48000 - 1620 * np.pi,
        1620 * np.pi,
    ),
    "a post on the floor of its plate": (
        block((60, 40, 20)),
        placed(can(9, 20), moving((0, 0, 10))),
        48000 + 1620 * np.pi,
        48000 - 1620 * np.pi,
        1620 * np.pi,
    ),
    "a turned block on another": (
        block((60, 40, 20)),
        placed(block((20, 20, 20)), turning((0, 0, 0), (0, 0, 1), 0.5), UP),
        56000.0,
        48000.0,
        0.0,
    ),
    "the same ball": (pearl(20), pearl(20), 4 / 3 * np.pi * 8000, None, 4 / 3 * np.pi * 8000),
}


@pytest.mark.parametrize("way", WAYS)
@pytest.mark.parametrize("name", CASES)
def test_flush_bodies_hold_what_the_formula_says(name: str, way: str, tmp_path: Path) -> None:
    """Rods, holes and blocks that end in one plane or go on as one cylinder."""
    first, second, *wanted = CASES[name]
    volumes = dict(zip(WAYS, wanted, strict=True))
    if not volumes[way]:
        with pytest.raises(KernelError, match="Nothing is left"):
            join_bodies(first, second, way)  # type: ignore[arg-type]  # one of the three
        return
    made, _ = join_bodies(first, second, way)  # type: ignore[arg-type]  # one of the three
    assert volume(made, tmp_path) == pytest.approx(volumes[way], rel=1e-5)


def test_a_turned_block_flush_with_the_top_and_over_a_side(tmp_path: Path) -> None:
    """What both hold, and what is left of each, make up the whole."""
    plate = block((60, 40, 20))
    turned = placed(block((20, 20, 10)), turning((0, 0, 0), (0, 0, 1), 0.5), moving((25, 5, 5)))
    parts = {way: volume(join_bodies(plate, turned, way)[0], tmp_path) for way in WAYS}  # type: ignore[arg-type]
    assert parts["united"] == pytest.approx(48000 + 4000 - parts["common"], rel=1e-6)
    assert parts["first less second"] == pytest.approx(48000 - parts["common"], rel=1e-6)
    assert 0 < parts["common"] < 4000
