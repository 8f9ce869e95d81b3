"""What a change of a mesh is said to have done to its gauges: each figure held against corners that are known."""

from __future__ import annotations

import numpy as np
import pytest

from glass_spoon.kernel.meshes.mesh import Mesh, make_mesh
from glass_spoon.sheet.lines.mesh_work.gauges_told import change_told

TWO = [[0, 1, 4, 3], [1, 2, 5, 4]]
CUBE = [[0, 3, 2, 1], [4, 5, 6, 7], [0, 1, 5, 4], [1, 2, 6, 5], [2, 3, 7, 6], [3, 0, 4, 7]]


def strip(x: float = 1.0, y: float = 0.0) -> Mesh:
    """Return two quads of side 1 beside each other; the vertex between them at the foot stands at (x, y)."""
    return make_mesh([[0, 0, 0], [x, y, 0], [2, 0, 0], [0, 1, 0], [1, 1, 0], [2, 1, 0]], TWO)


def cube(faces: int) -> Mesh:
    corners = [[x, y, z] for z in (0, 1) for x, y in ((0, 0), (1, 0), (1, 1), (0, 1))]
    return make_mesh(corners, CUBE[:faces])


def test_a_change_that_makes_nothing_worse_is_not_spoken_of() -> None:
    """A corner that moves by less than 5 degrees, or stays between 30 and 150, is no news."""
    assert change_told(strip(), strip()) == ""
    assert change_told(strip(), strip(y=0.05)) == ""
    assert change_told(strip(), strip(1.4)) == ""


def test_folds_that_come_and_go_are_told_with_their_number() -> None:
    """Pushed over the upper edge, the vertex turns both faces over at a corner; back, both are mended."""
    assert "It folds 2 faces." in change_told(strip(), strip(y=1.5))
    assert "2 faces folded before are not now." in change_told(strip(y=1.5), strip())


@pytest.mark.parametrize("angle", [10.0, 20.0])
def test_the_narrowest_and_the_widest_corner_are_told_in_degrees(angle: float) -> None:
    """A vertex that slides aside along the foot: its corner with the upper edge is the arctangent of the slide."""
    x = 1 + 1 / np.tan(np.radians(angle))
    told = change_told(strip(), make_mesh([[0, 0, 0], [x, 0, 0], [2 * x, 0, 0], [0, 1, 0], [1, 1, 0], [2 * x, 1, 0]], TWO))
    assert f"The narrowest corner has {angle:.0f}° now, 90° before." in told
    assert f"The widest corner has {180 - angle:.0f}° now, 90° before." in told


def test_a_body_that_opens_or_closes_is_told() -> None:
    """A cube without its last face has four open edges."""
    assert change_told(cube(6), cube(5)) == "It was closed and has 4 open edges now."
    assert change_told(cube(5), cube(6)) == "It is closed now."
    assert change_told(cube(5), cube(4)) == ""
