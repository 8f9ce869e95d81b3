"""What the board is told to judge surfaces by."""

from __future__ import annotations

import numpy as np
import pytest

from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.document import read_document
from glass_spoon.sheet.evaluate import Build, evaluate
from glass_spoon.studio.colours import TINTS
from glass_spoon.studio.see.judging import (
    colour_range,
    edge_lines,
    edge_readings,
    edge_rows,
    judged_values,
    surface_lines,
    tidy,
)
from glass_spoon.studio.see.mending import Mend, mend_for
from glass_spoon.studio.see.paint import PAINTS, face_paints, paint_of
from glass_spoon.studio.see.scene import Shown, shown_items
from glass_spoon.studio.see.view_choice import ViewChoice, read_view

TORUS = {"verb": "simple", "form": "torus", "radius": 40, "second": 10}
PIPE = {"verb": "simple", "form": "cylinder", "radius": 20, "height": 40, "gives": "pipe"}


def built(*lines: dict, looks: dict | None = None) -> tuple[Build, list[Shown]]:
    numbered = [{"id": f"l{number}", **line} for number, line in enumerate(lines, 1)]
    document = read_document({"format": "glass-spoon/sheet", "version": 1, "lines": numbered, "looks": looks or {}})
    build = evaluate(document, ResultCache())
    return build, shown_items(build, 0)


def view(**more: object) -> ViewChoice:
    return ViewChoice(None, 0, "", **more)  # type: ignore[arg-type]


def test_bends_of_a_torus_are_those_of_the_formulas() -> None:
    # do Carmo, section 3.3, example 5: K = cos(a) / (r (R + r cos(a))); H by both principal curvatures.
    """Gaussian, mean and largest curvature of the mesh's points by the book's formulas."""
    _, shown = built(TORUS, {"verb": "mesh", "surface": "l1", "round": 32, "along": 16})
    places = shown[0].mesh.positions
    from_ring = np.hypot(places[:, 0], places[:, 1]) - 40
    gaussian, mean, largest = (judged_values(shown, view(judge=kind))["l2"] for kind in ("gaussian", "mean", "largest"))
    second = (from_ring / 10) / (40 + from_ring)
    assert np.allclose(gaussian, second / 10, atol=2e-5)
    assert np.allclose(mean, (1 / 10 + second) / 2, atol=2e-4)
    assert np.allclose(largest, 1 / 10, atol=1e-4)


def test_draft_is_measured_against_the_direction() -> None:
    """A pipe has no draft upwards and all angles to the front."""
    _, shown = built(PIPE, {"verb": "mesh", "surface": "l1", "round": 32, "along": 4})
    assert np.allclose(judged_values(shown, view(judge="draft"))["l2"], 0, atol=1e-9)
    front = judged_values(shown, view(judge="draft", towards="front"))["l2"]
    assert front.max() == pytest.approx(90, abs=1e-3)
    assert colour_range({"l2": front}, "draft") == (-90.0, 90.0)


def test_colours_are_full_to_both_sides_of_zero() -> None:
    """Ranges of signed readings are symmetric, of others start at zero."""
    low, high = colour_range({"a": np.array([-1.0, 2.0, 3.0])}, "mean")
    assert low == -high
    assert colour_range({"a": np.array([1.0, 2.0])}, "largest")[0] == 0.0
    assert colour_range({}, "mean")[1] > 0


def test_lines_on_surfaces_lie_on_them() -> None:
    """Isocurves lie on the torus, and nothing is drawn unasked."""
    _, shown = built(TORUS)
    lines = surface_lines(shown, view(isocurves=7, net=True, arrows=True, combs=True))
    assert set(lines) == {"isocurves", "net", "arrows", "combs"}
    assert len(lines["isocurves"]) == 14
    places = np.concatenate([np.reshape(line, (-1, 3)) for line in lines["isocurves"]])
    tube = np.hypot(np.hypot(places[:, 0], places[:, 1]) - 40, places[:, 2])
    assert np.allclose(tube, 10, atol=2e-3)
    assert surface_lines(shown, view()) == {}


def test_edges_are_reported_worst_first_with_names() -> None:
    """Three shared edges, the sharp one first, with words."""
    lid = {"verb": "simple", "form": "disc", "radius": 20, "second": 0, "z": 40, "gives": "lid"}
    build, shown = built(PIPE, lid)
    rows, alone = edge_rows(shown, build.document, build)
    assert rows[0].between == "pipe · lid"
    assert rows[0].verdict == "G0"
    assert rows[0].angle == "90°"
    assert {row.between for row in rows[1:]} == {"pipe, its own seam", "lid, its own seam"}
    assert alone == 1
    lines = edge_lines(edge_readings(shown, 0.1)[1])
    assert {line["verdict"] for line in lines} == {"G0", "G2"}
    assert "a sharp edge" in next(line["text"] for line in lines if line["verdict"] == "G0")


def test_hidden_items_are_not_shown() -> None:
    """Only what is shown is judged."""
    _, shown = built(PIPE, TORUS, looks={"l1": {"hidden": True}})
    assert [item.item_id for item in shown] == ["l2"]


def test_meshes_take_the_colours_of_their_surfaces_and_pieces() -> None:
    """The collar's faces are amber until the whole has a colour of its own."""
    lines = [
        PIPE,
        {"verb": "cut_surface", "surface": "l1", "gives": "body", "share": 0.7},
        {"verb": "cut_surface", "surface": "l1", "gives": "collar", "share": 0.7, "part": "second"},
        {"verb": "gather", "surfaces": ["l2", "l3"]},
        {"verb": "mesh", "surface": "l4", "sizing": "edge length", "edge_length": 4},
    ]
    build, shown = built(*lines, looks={"l3": {"colour": "slate"}})
    mesh = next(item for item in shown if item.item_id == "l5")
    paints = face_paints(build, mesh)
    assert paints is not None
    collar = mesh.mesh.face_centers[:, 2] > 28
    assert np.allclose(paints[collar], PAINTS["slate"])
    assert np.allclose(paints[~collar], TINTS[1])
    plain, shown = built(*lines, looks={"l4": {"colour": "amber"}})
    assert face_paints(plain, shown[0]) is None
    assert PAINTS["amber"] in [paint_of(plain.document, item) for item in shown]


def test_view_takes_only_what_makes_sense() -> None:
    """Wrong words and numbers fall back to what makes sense."""
    build, _ = built(PIPE)
    chosen = read_view({"judge": "mean", "towards": "right", "isocurves": "999", "net": "1", "edges": "yes"}, build.document)
    assert (chosen.judge, chosen.towards, chosen.isocurves, chosen.net, chosen.edges) == ("mean", "right", 40, True, False)
    nothing = read_view({"judge": "colour", "towards": "x", "isocurves": "-1"}, build.document)
    assert (nothing.judge, nothing.towards, nothing.isocurves) == ("", "up", 0)


@pytest.mark.parametrize(
    ("value", "text"), [(0.0, "0"), (3e-13, "0"), (0.00002, "0.00002"), (0.0123, "0.012"), (90.0, "90")]
)
def test_small_numbers_are_written_plainly(value: float, text: str) -> None:
    """Small and large numbers without an exponent."""
    assert tidy(value) == text


def test_meshes_are_coloured_by_corners_valence_and_deviation():
    """Of a cube: every point has three edges, every corner is square, nothing to be off from."""
    from glass_spoon.kernel.meshing.mesh_surface import mesh_surface
    from glass_spoon.studio.see.judging import colour_range, mesh_values
    from glass_spoon.studio.see.scene import Shown
    from tests.zoo import cube_mesh, torus

    cube = Shown("k", "l1", "cube", cube_mesh(), None, False)
    assert mesh_values(cube, "valence").tolist() == [-1.0] * 8
    assert np.allclose(mesh_values(cube, "corners"), 0, atol=1e-9)
    assert mesh_values(cube, "deviation") is None
    ring = torus(30, 10)
    item = Shown("k", "l2", "ring", mesh_surface(ring, 48, 16), ring, False)
    values = mesh_values(item, "deviation")
    sag = 10 * (1 - np.cos(np.pi / 16))  # of the smaller circle's chords
    assert 0.5 * sag < values.max() < 2 * sag
    assert colour_range({"l2": values}, "deviation")[0] == 0.0
    assert colour_range({}, "valence") == (-2.0, 2.0)
    assert mesh_values(Shown("k", "l3", "bare", cube_mesh(), None, True), "valence") is None


def test_a_mesh_is_coloured_by_how_far_its_last_line_took_it() -> None:
    """A loop of a cylinder that bulges by 2 mm is removed: the faces in its place are off by 2 mm, the ends are not."""
    profile = {
        "verb": "draw",
        "manner": "straight through",
        "points": [{"x": 20, "y": 0}, {"x": 22, "y": 20}, {"x": 20, "y": 40}],
    }
    lines = [profile, {"verb": "revolve", "profile": "l1"}, {"verb": "mesh", "surface": "l2", "round": 64, "along": 2}]
    lines += [{"verb": "mark", "mesh": "l3", "what": "edges at a height", "low": "20 mm"}]
    before, shown = built(*lines)
    assert judged_values(shown, view(judge="change"), before) == {}
    build, shown = built(*lines, {"verb": "remove_loops", "mesh": "l3", "marks": ["l4"]})
    values = judged_values(shown, view(judge="change"), build)["l3"]
    assert values == pytest.approx(2.0, abs=1e-6), "every face of what is left spans the loop that went"
    assert colour_range({"l3": values}, "change") == (0.0, pytest.approx(2.0))
    nudged, shown = built(*lines, {"verb": "nudge", "mesh": "l3", "marks": ["l4"], "how": "moved", "z": "3 mm"})
    values = judged_values(shown, view(judge="change"), nudged)["l3"]
    assert values.max() <= 3.0
    assert judged_values(shown, view(judge="change"), None) == {}


SHEETS = [
    {"verb": "simple", "form": "sheet", "radius": 30, "second": 40, "x": -15, "z": 0, "gives": "left"},
    {"verb": "simple", "form": "sheet", "radius": 30, "second": 40, "x": 15, "z": 0, "gives": "right"},
    {"verb": "turn", "item": "l2", "axis": "front-back axis", "angle": 20},
]


def test_surfaces_that_meet_in_a_crease_can_be_matched_before_they_are_used() -> None:
    """By the line behind both; of gathered ones before they were gathered; never behind a line that used what is changed."""
    build, shown = built(*SHEETS)
    row = edge_rows(shown, build.document, build)[0][0]
    assert row.verdict == "G0"
    assert row.mend == Mend("l3", "l1", "l2", "smoothly", "end round", "start round")
    gather = {"verb": "gather", "surfaces": ["l1", "l2"], "gives": "both"}
    build, shown = built(*SHEETS, gather)
    row = edge_rows(shown, build.document, build)[0][0]
    assert row.mend is not None
    assert (row.mend.after, {row.mend.surface, row.mend.onto}) == ("l3", {"l1", "l2"})
    mesh = {"verb": "mesh", "surface": "l1", "sizing": "edge length", "edge_length": 4}
    build, shown = built(SHEETS[0], mesh, SHEETS[1], {**SHEETS[2], "item": "l3"})
    row = edge_rows(shown, build.document, build)[0][0]
    assert row.mend == Mend("l4", "l3", "l1", "smoothly", "start round", "end round")
    assert mend_for(build, "l1", "", "smoothly") is None
    assert mend_for(build, "l1", "l1", "smoothly") is None


def test_each_of_two_edges_between_the_same_surfaces_is_mended_itself() -> None:
    """Halves of a tube meet at two edges: the press beside each names its own, on both sides, and brings that together."""
    half = {"verb": "arc", "plane": "plan", "right": "-20 mm", "to_right": "20 mm", "bulge": "20 mm"}
    lines = [
        half | {"gives": "near"},
        {"verb": "extrude", "profile": "l1", "distance": "30 mm", "gives": "low"},
        half | {"bulge": "-12 mm", "gives": "far"},
        {"verb": "extrude", "profile": "l3", "distance": "30 mm", "gives": "high"},
    ]
    build, shown = built(*lines)
    rows = [row for row in edge_rows(shown, build.document, build)[0] if row.mend]
    assert len({(row.mend.edge, row.mend.onto_edge) for row in rows if row.mend}) == len(rows) == 2
    for row in rows:
        assert row.mend is not None and "nearest" not in (row.mend.edge, row.mend.onto_edge)
        surface, onto, meeting = row.mend.surface, row.mend.onto, row.mend.meeting
        edges = {"edge": row.mend.edge, "onto_edge": row.mend.onto_edge}
        after, mended = built(*lines, {"verb": "match", "surface": surface, "onto": onto, "meeting": meeting, **edges})
        assert after.reports["l5"].status == "good"
        left = [one for one in edge_rows(mended, after.document, after)[0] if one.mend]
        others = [(one.mend.edge, one.mend.onto_edge) for one in left if one.mend and one.mend.meeting == "smoothly"]
        assert len(others) == 1 and others[0] != (row.mend.edge, row.mend.onto_edge)


def test_edges_of_one_surface_or_of_a_body_offer_nothing() -> None:
    """A lid on a pipe may be matched; a seam, and the sides of a shell that has no single surfaces, may not."""
    build, shown = built(PIPE)
    assert all(row.mend is None for row in edge_rows(shown, build.document, build)[0])
