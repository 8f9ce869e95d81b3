"""Swell as a line: by an amount, a picture, or ridges; on what is marked; in plain words; as sizes change."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from glass_spoon.formats.height_picture import write_greys
from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.sheet.document import SheetDocument, read_document
from glass_spoon.sheet.propose import propose
from glass_spoon.sheet.stored_files import write_inside
from tests.sheet.test_solids import run

BOX = {"id": "b", "verb": "block", "width": "40 mm", "depth": "40 mm", "height": "40 mm", "edge": "10 mm", "gives": "crate"}
TOP = {"id": "m", "verb": "mark", "mesh": "b", "what": "faces facing", "towards": "up", "gives": "lid"}
ROD = [
    {"id": "s", "verb": "simple", "form": "cylinder", "radius": "10 mm", "height": "30 mm", "gives": "rod"},
    {"id": "k", "verb": "mesh", "surface": "s", "round": 240, "along": 120, "gives": "skin"},
]


def swelled(**fields: Any) -> dict[str, Any]:
    return {"id": "w", "verb": "swell", "mesh": "b", **fields}


def ramp() -> str:
    """A picture of 8 by 4 that rises from left to right."""
    text = write_inside(write_greys(np.tile((np.arange(8) + 0.5) / 8, (4, 1))), "pgm")
    assert text is not None
    return text


@pytest.mark.parametrize("share", [0.8, 1.0, 1.2])
@pytest.mark.parametrize(("side", "sign"), [("outwards", 1), ("inwards", -1)])
def test_an_even_amount_is_the_parallel_box(share: float, side: str, sign: int) -> None:
    """(40 ± 2 d)³, told by its share."""
    build = run(BOX, swelled(amount=f"{2 * share} mm", side=side))
    assert build.reports["w"].status == "good" and "its volume is" in build.reports["w"].told
    assert enclosed_volume(build.items["b"].item.mesh) == pytest.approx((40 + sign * 4 * share) ** 3)


def test_marked_faces_alone_go_and_neighbours_follow_in_part() -> None:
    """The lid goes straight up; with a reach its walls follow less and less."""
    alone = run(BOX, TOP, swelled(amount="3 mm", marks=["m"])).items["b"].item.mesh
    assert enclosed_volume(alone) == pytest.approx(40**3 + 40 * 40 * 3)
    near = run(BOX, TOP, swelled(amount="3 mm", marks=["m"], reach="15 mm")).items["b"].item.mesh
    assert enclosed_volume(near) > 40**3 + 40 * 40 * 3


def test_a_law_runs_along_its_axis() -> None:
    """From nothing at the left to 4 mm at the right: the left wall stays, the right one goes by 4."""
    mesh = run(BOX, swelled(amount="0 mm to 4 mm", axis="left-right axis")).items["b"].item.mesh
    low, high = mesh.positions.min(axis=0), mesh.positions.max(axis=0)
    assert low[0] == pytest.approx(-20) and high[0] == pytest.approx(24) and high[1] == pytest.approx(24)


def test_a_picture_is_heights() -> None:
    """A grey ramp laid flat along the upright axis over the lid: a wedge over it, and refused without a picture."""
    fields = {"by": "picture", "picture": ramp(), "low": "0 mm", "high": "8 mm", "marks": ["m"]}
    mesh = run(BOX, TOP, swelled(**fields)).items["b"].item.mesh
    lid = mesh.positions[mesh.positions[:, 2] > 39.9]
    inner = np.abs(lid[:, 0]) < 15
    assert lid[inner][:, 2] == pytest.approx(40 + 8 * (lid[inner][:, 0] + 20) / 40)
    missing = run(BOX, swelled(by="picture")).reports["w"]
    assert missing.status == "failed" and "Choose a picture" in missing.findings[0].sentence


def test_a_picture_goes_round_with_its_middle_at_the_front() -> None:
    """White is to the right of its middle: three times round it falls from white to black three times."""
    lines = [*ROD, {**swelled(by="picture", picture=ramp(), laid="round", times=3, high="1 mm"), "mesh": "k"}]
    mesh = run(*lines).items["k"].item.mesh
    low = mesh.positions[np.isclose(mesh.positions[:, 2], mesh.positions[:, 2].min())]
    radii = np.hypot(low[:, 0], low[:, 1])[np.argsort(np.arctan2(low[:, 0], -low[:, 1]))]
    falls = np.diff(radii, append=radii[0]) < -0.05
    assert (falls & ~np.roll(falls, 1)).sum() == 3 and radii.min() > 10.06 and radii.max() < 10.95


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
def test_a_knurl_on_a_rod(size: float) -> None:
    """40 round: pyramids of the height asked, at every size; told where the faces are too long for it."""
    rod = [{**ROD[0], "radius": f"{10 * size} mm", "height": f"{30 * size} mm"}, ROD[1]]
    fine = run(*rod, {**swelled(by="ridges", rise=f"{0.4 * size} mm"), "mesh": "k"})
    radii = np.hypot(*fine.items["k"].item.mesh.positions[:, :2].T)
    assert fine.reports["w"].status == "good"
    assert radii.min() == pytest.approx(10 * size) and radii.max() == pytest.approx(10.4 * size)
    coarse = run(
        rod[0], {**ROD[1], "round": 48, "along": 24}, {**swelled(by="ridges", rise=f"{0.4 * size} mm"), "mesh": "k"}
    )
    assert coarse.reports["w"].status == "look" and "do not show whole" in coarse.reports["w"].findings[0].sentence


def test_what_folds_offers_the_largest_that_does_not() -> None:
    """And that folds nothing."""
    report = run(BOX, swelled(amount="12 mm", side="inwards")).reports["w"]
    (action,) = report.findings[0].actions
    assert "would fold" in report.findings[0].sentence and action.field == "amount"
    assert run(BOX, swelled(amount=action.value, side="inwards")).reports["w"].status == "good"


def document() -> SheetDocument:
    return read_document({"format": "glass-spoon/sheet", "version": 1, "lines": [BOX, TOP]})


@pytest.mark.parametrize(
    ("sentence", "values"),
    [
        ("swell crate by 2 mm", {"by": "amount", "amount": "2 mm", "side": "outwards"}),
        ("inflate crate 1.5 mm", {"by": "amount", "amount": "1.5 mm"}),
        ("shrink crate by 1 mm", {"side": "inwards", "amount": "1 mm"}),
        ("swell crate inwards by 2 mm", {"side": "inwards", "amount": "2 mm"}),
        ("swell crate by 1 to 3 eased along the left-right axis", {"amount": "1 to 3 eased", "axis": "left-right axis"}),
        ("swell lid by 3 fading over 10", {"marks": "['m']", "amount": "3", "reach": "10"}),
        ("knurl crate with 40 ridges 0.3 mm high", {"by": "ridges", "count": "40", "rise": "0.3 mm", "pattern": "crossing"}),
        (
            "straight ribs on crate, 24 round, 1 mm high",
            {"by": "ridges", "pattern": "straight", "count": "24", "rise": "1 mm"},
        ),
        ("swell crate by a picture", {"by": "picture"}),
    ],
)
def test_in_plain_words(sentence: str, values: dict[str, str]) -> None:
    """What is said is filled, and nothing is missed."""
    first = propose(sentence, document())[0]
    said = first.line.model_dump()
    assert (first.verb, first.missed) == ("swell", ())
    assert {name: str(said[name]) for name in values} == values


@pytest.mark.parametrize(
    ("axis", "towards", "across", "out"),
    [("front-back axis", "forwards", (0, 1.0), (1, -1)), ("left-right axis", "right", (1, 1.0), (0, 1))],
)
def test_a_picture_is_laid_as_its_view_shows_it(
    axis: str, towards: str, across: tuple[int, float], out: tuple[int, int]
) -> None:
    """Over the front it rises to the right, over the right side to the back, and not upwards."""
    mark = {**TOP, "towards": towards}
    fields = {"by": "picture", "picture": ramp(), "high": "8 mm", "marks": ["m"], "axis": axis}
    places = run(BOX, mark, swelled(**fields)).items["b"].item.mesh.positions
    own = places[(places[:, out[0]] * out[1] > 19.9) & (np.abs(places[:, across[0]]) < 15)]
    rises = np.abs(own[:, out[0]]) - 20
    assert len(own) > 9 and rises == pytest.approx(8 * (across[1] * own[:, across[0]] + 20) / 40, abs=1e-3)  # 16 bits


@pytest.mark.parametrize(("axis", "front"), [("left-right axis", (0, -1, 0)), ("front-back axis", (0, 0, 1))])
def test_round_a_lying_axis_the_middle_is_at_the_front_or_on_top(axis: str, front: tuple[int, int, int]) -> None:
    """A ramp that goes round once has its middle grey there, and its jump across from it."""
    ball = {
        "id": "b",
        "verb": "block",
        "form": "ball",
        "radius": "20 mm",
        "sizing": "counts",
        "across": 24,
        "gives": "crate",
    }
    fields = {"by": "picture", "picture": ramp(), "high": "8 mm", "axis": axis, "laid": "round"}
    before, after = (run(*lines).items["b"].item.mesh.positions for lines in ([ball], [ball, swelled(**fields)]))
    went = np.linalg.norm(after - before, axis=1)
    middle = int(np.argmax((before - before.mean(axis=0)) @ np.array(front)))
    assert went[middle] == pytest.approx(4, abs=0.6)
