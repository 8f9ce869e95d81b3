"""Match in a sheet: on every kind of item beside it, at ±20 %, in plain words, joined and meshed."""

from __future__ import annotations

import numpy as np
import pytest

from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import evaluate_grid
from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.edit_many import add_proposal
from glass_spoon.sheet.propose import propose
from glass_spoon.sheet.text_form.write_text import said
from tests.mesh_checker import check_result
from tests.sheet.test_solids import run

LEFT = "sheet 30 by 40 at -20, 0, 6 called left sheet"
RIGHT = "sheet 30 by 40 at 16, 0, 0 called right sheet"


def typed(*sentences: str) -> SheetDocument:
    """Return the sheet that sentences make, each the first proposal of the finder."""
    document = SheetDocument(name="typed")
    for sentence in sentences:
        document, _ = add_proposal(document, propose(sentence, document)[0], None)
    return document


@pytest.mark.parametrize(
    ("sentence", "line"),
    [
        ("match left sheet to right sheet with its curvature", "Match left sheet, to right sheet, with its curvature."),
        ("match left sheet to right sheet G2", "Match left sheet, to right sheet, with its curvature."),
        ("match right sheet to left sheet tangent", "Match right sheet, to left sheet, smoothly."),
        ("match it to left sheet", "Match right sheet, to left sheet, smoothly."),
        (
            "match left sheet to right sheet over 30% of the way across",
            "Match left sheet, to right sheet, smoothly, changing 0.3 of the way across.",
        ),
        (
            "match the end round edge of left sheet to right sheet",
            "Match left sheet, at its end round edge, to right sheet, smoothly.",
        ),
        (
            "match left sheet to the end along edge of right sheet",
            "Match left sheet, to right sheet, at the end along edge, smoothly.",
        ),
        (
            "match left sheet to right sheet where it is nearest",
            "Match left sheet, to right sheet, smoothly, running where it is nearest.",
        ),
        (
            "blend surfaces from the end along edge of left sheet to the start along edge of right sheet",
            "Blend surfaces from left sheet, at its end along edge, leaving smoothly, to right sheet, at the start along "
            "edge, arriving smoothly, giving left sheet blend.",
        ),
    ],
)
def test_plain_words_say_which_edge_of_which_surface_meets_which(sentence: str, line: str) -> None:
    """Edges belong to the surface that they are said of, and what stands behind "to" is what is met."""
    document = typed(LEFT, RIGHT)
    made, added = add_proposal(document, propose(sentence, document)[0], None)
    assert said(made, added.id) == line


def matched(scale: float, *, meeting: str = "with its curvature", lift: float = 6.0, onto: str = "right"):
    """Build two sheets and more, at some scale, the left one matched to something on the right."""
    length = {name: f"{value * scale} mm" for name, value in {"wide": 30, "deep": 40, "x": 16, "lift": lift}.items()}
    lines = [
        {"id": "left", "verb": "simple", "form": "sheet", "radius": length["wide"], "second": length["deep"],
         "x": f"{-20 * scale} mm", "z": length["lift"]},
        {"id": "right", "verb": "simple", "form": "sheet", "radius": length["wide"], "second": length["deep"],
         "x": length["x"]},
        {"id": "far", "verb": "simple", "form": "sheet", "radius": length["wide"], "second": length["deep"],
         "x": f"{46 * scale} mm"},
        {"id": "both", "verb": "gather", "surfaces": ["right", "far"]},
        {"id": "rail", "verb": "line", "plane": "plan", "right": f"{2 * scale} mm", "up": f"{-20 * scale} mm",
         "to_right": f"{3 * scale} mm", "to_up": f"{20 * scale} mm"},
        {"id": "m", "verb": "match", "surface": "left", "onto": onto, "meeting": meeting, "share": 0.8},
    ]  # fmt: skip
    return run(*lines)


@pytest.mark.parametrize("scale", [0.01, 1.0, 100.0])
@pytest.mark.parametrize("lift", [4.8, 6.0, 7.2])
def test_the_sheet_runs_into_the_other_at_every_size(scale: float, lift: float) -> None:
    """Good, at the same height along the edge, level there, and as far beyond as before."""
    build = matched(scale, lift=lift)
    assert build.reports["m"].status == "good"
    surface = build.items["left"].item.surface
    grid = evaluate_grid(surface, np.linspace(0, 1, 11), np.linspace(0, 1, 11))
    near = grid.points.reshape(-1, 3)[:, 0] > 0.9 * scale
    assert np.abs(grid.points.reshape(-1, 3)[near, 2]).max() < 2e-4 * scale
    assert np.abs(grid.normals.reshape(-1, 3)[near, 2]).min() > 1 - 1e-6
    assert grid.points[..., 0].min() == pytest.approx(-35 * scale)
    assert "Its edge is at most" in build.reports["m"].told


@pytest.mark.parametrize(("onto", "status"), [("right", "good"), ("both", "good"), ("rail", "look")])
def test_surfaces_sets_and_curves_are_met(onto: str, status: str) -> None:
    """A set by its nearest open edge; of a curve it is told that there are no planes to go on in."""
    build = matched(1.0, onto=onto)
    assert build.reports["m"].status == status
    notes = [finding.sentence for finding in build.reports["m"].findings]
    assert any("A curve has no planes" in note for note in notes) == (onto == "rail")


def test_two_matched_sheets_gather_and_mesh_as_one() -> None:
    """Matched from both sides to one in the middle: three pieces share two edges, and the mesh has one rim."""
    lines = [
        {"id": "a", "verb": "simple", "form": "sheet", "radius": "30 mm", "second": "40 mm", "x": "-32 mm", "z": "5 mm"},
        {"id": "b", "verb": "simple", "form": "sheet", "radius": "30 mm", "second": "40 mm"},
        {"id": "c", "verb": "simple", "form": "sheet", "radius": "30 mm", "second": "40 mm", "x": "32 mm", "z": "-4 mm"},
        {"id": "m1", "verb": "match", "surface": "a", "onto": "b", "meeting": "smoothly"},
        {"id": "m2", "verb": "match", "surface": "c", "onto": "b", "meeting": "with its curvature"},
        {"id": "all", "verb": "gather", "surfaces": ["a", "b", "c"]},
        {"id": "mesh", "verb": "mesh", "surface": "all", "sizing": "edge length", "edge_length": "4 mm"},
    ]
    build = run(*lines)
    assert {report.status for report in build.reports.values()} == {"good"}
    mesh = build.items["mesh"].item.mesh
    check_result(mesh, closed=False)
    assert len(mesh.topology.boundary_loops) == 1
    assert int(mesh.topology.components.max()) == 0


def test_matching_twice_and_pausing_bring_the_same_back() -> None:
    """A second match of what meets already moves next to nothing."""
    build = matched(1.0)
    again = run(
        *[line.model_dump(mode="json") for line in build.document.lines],
        {"id": "again", "verb": "match", "surface": "left", "onto": "right", "meeting": "with its curvature", "share": 0.5},
    )
    assert again.reports["again"].status == "good"
    before, after = (evaluate_grid(one.items["left"].item.surface, *[np.linspace(0, 1, 9)] * 2) for one in (build, again))
    assert np.abs(before.points - after.points).max() < 1e-3


def test_a_surface_meets_itself_across_its_own_gap() -> None:
    """A tube with a slit of 40°: blended from one of its edges to the other it is the tube again, matched it is closed."""
    tube = [
        {"id": "a", "verb": "arc", "given_by": "its centre", "radius": "20 mm", "start_angle": "20°", "end_angle": "340°",
         "plane": "plan"},
        {"id": "s", "verb": "extrude", "profile": "a", "distance": "30 mm"},
    ]  # fmt: skip
    blended = run(*tube, {"id": "w", "verb": "blend_surfaces", "first": "s", "second": "s", "second_meeting": "smoothly"})
    assert blended.reports["w"].status == "good"
    points = evaluate_grid(blended.items["w"].item.surface, np.linspace(0, 1, 9), np.linspace(0, 1, 9)).points
    assert np.hypot(points[..., 0], points[..., 1]) == pytest.approx(20, abs=0.2)
    matched_up = run(*tube, {"id": "w", "verb": "match", "surface": "s", "onto": "s"})
    assert matched_up.reports["w"].status == "good"
    ends = evaluate_grid(matched_up.items["s"].item.surface, np.array([0.0, 1.0]), np.linspace(0, 1, 9)).points
    gaps = [np.linalg.norm(ends[0] - ends[1], axis=-1).max(), np.linalg.norm(ends[0] - ends[1][::-1], axis=-1).max()]
    assert min(gaps) < 1e-4
