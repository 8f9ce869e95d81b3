"""Faces halved first, where a seam finds no room among them: told, offered by a press, and on the surface of the body."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.kernel.imprint.halve_faces import halve_faces
from glass_spoon.sheet.document import read_document
from glass_spoon.sheet.propose import propose
from tests.mesh_checker import check_result
from tests.sheet.test_bodies import SIZES, good, mesh, mm, run

BOX = {"verb": "block", "width": "60 mm", "depth": "40 mm", "height": "30 mm"}
CASES = [
    ("meet", "box", (21.0, 5.8, 11.3), 1),
    ("subtract", "box", (13.7, -12.4, -2.7), 1),
    ("fuse", "ball", (25.9, -12.9, 24.4), 1),
    ("meet", "ball", (-18.4, 1.9, 6.6), 2),
]
"""Bodies whose seam finds no room, and how many presses give it some."""


def pair(how: str, form: str, place: tuple[float, ...], size: float = 1.0) -> list[dict[str, Any]]:
    """Two bodies of the usual density, the second at a place, and the line that joins them."""
    sizes = {"width": 60, "depth": 40, "height": 30, "edge": 5}
    other = {"radius": 12, "width": 25, "depth": 20, "height": 30, "edge": 5}
    return [
        {**BOX, **{name: mm(value, size) for name, value in sizes.items()}},
        {"verb": "block", "form": form, **{name: mm(value, size) for name, value in other.items()}},
        {"verb": "move", "item": "l2", **{axis: mm(value, size) for axis, value in zip("xyz", place, strict=True)}},
        {"verb": how, **({"mesh": "l1", "others": ["l2"]} if how == "subtract" else {"meshes": ["l1", "l2"]})},
    ]


@pytest.mark.parametrize("size", SIZES)
@pytest.mark.parametrize(("how", "form", "place", "presses"), CASES)
def test_the_press_that_is_offered_makes_room(
    how: str, form: str, place: tuple[float, ...], presses: int, size: float
) -> None:
    """The sentence says what is the matter; its press, once or twice, makes the line good, and the body closed."""
    lines = pair(how, form, place, size)
    for _ in range(presses):
        report = run(*lines).reports["l4"]
        (finding,) = report.findings
        assert "half as large" in finding.sentence
        press = finding.actions[0]
        lines[-1] = {**lines[-1], press.field: press.value}
    build = run(*lines)
    good(build)
    check_result(mesh(build, "l4").mesh, closed=True)


def test_halved_faces_lie_on_the_surface_of_their_body() -> None:
    """A ball's points stay at its radius, so that its volume comes four times as near to the true one; a box stays one."""
    ball = mesh(run({"verb": "block", "form": "ball", "radius": "12 mm"}), "l1")
    once = halve_faces(ball.mesh, 1, ball.surface)
    assert once.face_count == 4 * ball.mesh.face_count
    assert np.linalg.norm(once.positions, axis=1) == pytest.approx(12, abs=1e-8)
    true = 4 / 3 * np.pi * 12**3
    off = [true - enclosed_volume(one) for one in (ball.mesh, once)]
    assert off[0] / off[1] == pytest.approx(4, rel=0.1)
    can = mesh(
        run(
            {"verb": "circle", "plane": "plan", "radius": "12 mm"},
            {"verb": "plate", "outline": "l1", "height": "20 mm"},
            {"verb": "mesh", "surface": "l2", "sizing": "edge length", "edge_length": "4 mm"},
        ),
        "l3",
    )
    finer = halve_faces(can.mesh, 1, can.surface)
    check_result(finer, closed=True)
    off = [np.pi * 144 * 20 - enclosed_volume(one) for one in (can.mesh, finer)]
    assert off[0] / off[1] == pytest.approx(4, rel=0.05)
    box = mesh(run(BOX), "l1")
    assert enclosed_volume(halve_faces(box.mesh, 2, box.surface)) == pytest.approx(60 * 40 * 30)
    shifted = ball.mesh.moved(ball.mesh.positions * [1, 1, 1.3])
    assert enclosed_volume(halve_faces(shifted, 1, ball.surface)) == pytest.approx(enclosed_volume(shifted), rel=5e-3)


def test_a_slice_halves_first_and_closed_bodies_stay_closed() -> None:
    """Four times the faces far from the cut; the part is as large as before."""
    cut = {"verb": "slice", "mesh": "l1", "at": "12 mm", "side": "below"}
    plain, finer = run(BOX, cut), run(BOX, {**cut, "finer": "halved"})
    good(finer)
    check_result(mesh(finer, "l2").mesh, closed=True)
    assert mesh(finer, "l2").mesh.face_count > 3 * mesh(plain, "l2").mesh.face_count
    assert enclosed_volume(mesh(finer, "l2").mesh) == pytest.approx(60 * 40 * 12)


@pytest.mark.parametrize(
    "text",
    [
        "fuse block and ball, faces halved",
        "subtract ball from block, halving the faces first",
        "meet block and ball with faces halved first",
    ],
)
def test_in_plain_words(text: str) -> None:
    """As one says it, nothing missed."""
    lines = [{"id": "a", **BOX, "gives": "block"}, {"id": "b", "verb": "block", "form": "ball", "gives": "ball"}]
    proposal = propose(text, read_document({"format": "glass-spoon/sheet", "version": 1, "lines": lines}))[0]
    assert getattr(proposal.line, "finer") == "halved"  # noqa: B009  (each of the verbs has it)
    assert not proposal.missed
