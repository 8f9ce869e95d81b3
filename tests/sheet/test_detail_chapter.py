"""The Detail chapter as lines: jobs done with marks that are asked again, at every size, in plain words; handles."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.document import read_document
from glass_spoon.sheet.evaluate import Build, evaluate
from glass_spoon.sheet.items import MeshItem
from glass_spoon.sheet.lines import VERBS
from glass_spoon.sheet.propose import propose
from tests.mesh_checker import check_result


def run(*lines: dict[str, Any]) -> Build:
    numbered = [{"id": f"l{number}", **line} for number, line in enumerate(lines, 1)]
    return evaluate(read_document({"format": "glass-spoon/sheet", "version": 1, "lines": numbered}), ResultCache())


def mesh_of(build: Build, name: str) -> MeshItem:
    for line, report in build.reports.items():
        assert report.status in ("good", "look"), (line, [finding.sentence for finding in report.findings])
    item = build.items[name].item
    assert isinstance(item, MeshItem)
    return item


def crate(size: float, edge: float) -> dict[str, Any]:
    side = f"{size} mm"
    return {"id": "b", "verb": "block", "form": "box", "width": side, "depth": side, "height": side, "edge": f"{edge} mm"}


def mark(name: str, mesh: str = "b", **values: Any) -> dict[str, Any]:
    return {"id": name, "verb": "mark", "mesh": mesh, "gives": name, **values}


TOP = {"what": "faces facing", "towards": "up", "angle": "30°"}


@pytest.mark.parametrize("edge", [10.0, 4.0])
@pytest.mark.parametrize("size", [32.0, 40.0, 48.0])
def test_inset_pull_out_and_bevel_follow_the_crate(size: float, edge: float) -> None:
    """At two densities and ±20 %: the top inset by 4 and raised by 6 adds (s - 8)² × 6 mm³; its rim bevelled takes some."""
    lines = [
        crate(size, edge),
        mark("top", **TOP),
        {"id": "i", "verb": "inset", "mesh": "b", "marks": ["top"], "distance": "4 mm"},
        mark("lid", what="faces made by", maker="i", role="top"),
        {"id": "p", "verb": "pull_out", "mesh": "b", "marks": ["lid"], "distance": "6 mm", "rows": 2},
    ]
    item = mesh_of(run(*lines), "b")
    check_result(item.mesh, closed=True)
    raised = (size - 8) ** 2 * 6
    assert enclosed_volume(item.mesh) == pytest.approx(size**3 + raised)
    done = run(
        *lines,
        mark("rim", what="edges made by", maker="p", role="rim"),
        {"id": "v", "verb": "bevel", "mesh": "b", "marks": ["rim"], "width": "2 mm", "steps": 4},
        {"id": "m", "verb": "smooth", "mesh": "b"},
    )
    check_result(mesh_of(done, "b").mesh, closed=True)
    assert "bevelled" in done.reports["v"].told


def test_a_tunnel_through_a_crate_and_a_lid_on_it() -> None:
    """Two groups of faces bridged make genus one; filled again it is a plain box."""
    holes = [
        mark("a", what="faces in a box", x="-9 mm", y="-9 mm", z="39 mm", x_to="9 mm", y_to="9 mm", z_to="41 mm"),
        mark("c", what="faces in a box", x="-9 mm", y="-9 mm", z="-1 mm", x_to="9 mm", y_to="9 mm", z_to="1 mm"),
    ]
    build = run(crate(40, 8), *holes, {"id": "t", "verb": "bridge", "mesh": "b", "marks": ["a", "c"], "steps": 5})
    mesh = mesh_of(build, "b").mesh
    check_result(mesh, closed=True)
    assert mesh.point_count - len(mesh.topology.edges.ends) + mesh.face_count == 0
    hole = 64000 - enclosed_volume(mesh)
    assert hole == pytest.approx(round(hole / 64) * 64)
    assert hole > 0
    filled = run(
        crate(40, 8),
        *holes,
        {"id": "f", "verb": "fill", "mesh": "b", "marks": ["a", "c"], "manner": "stretched over the rim"},
    )
    assert enclosed_volume(mesh_of(filled, "b").mesh) == pytest.approx(64000)


def test_faces_are_taken_out_and_split_off() -> None:
    """What Delete leaves and what Split off gives are the whole."""
    build = run(
        crate(40, 8),
        mark("top", **TOP),
        {"id": "s", "verb": "split_off", "mesh": "b", "marks": ["top"], "gives": "lid"},
        {"id": "d", "verb": "delete", "mesh": "b", "marks": ["top"]},
    )
    assert mesh_of(build, "s").mesh.face_count == 25
    assert mesh_of(build, "b").mesh.face_count == 125


def test_a_spout_along_a_curve() -> None:
    """Pulled along a quarter of a circle, thinner to its end; its mouth is where the curve ends."""
    build = run(
        crate(40, 5),
        {"id": "c", "verb": "arc", "gives": "way"} if "arc" in VERBS else {},
        mark("top", what="faces in a box", x="-6 mm", y="-6 mm", z="39 mm", x_to="6 mm", y_to="6 mm", z_to="41 mm"),
        {
            "id": "p",
            "verb": "pull_out",
            "mesh": "b",
            "marks": ["top"],
            "way": "along a curve",
            "curve": "c",
            "rows": 12,
            "scale": "1 to 0.5",
        },
    )
    item = mesh_of(build, "b")
    check_result(item.mesh, closed=True)
    assert "The way is" in build.reports["p"].told


def test_loops_come_and_go() -> None:
    """Four loops across a ring of edges; all idle ones go again, and say how little that changed."""
    build = run(
        crate(40, 8),
        mark("ring", what="ring", x="4 mm", y="-20 mm", z="20 mm"),
        {"id": "n", "verb": "insert_loops", "mesh": "b", "marks": ["ring"], "count": 4},
        {"id": "r", "verb": "remove_loops", "mesh": "b", "which": "all idle", "tolerance": "0.01 mm"},
    )
    assert mesh_of(build, "b").mesh.face_count == 6
    assert "the shape is off by nothing" in build.reports["r"].told


def test_a_dent_fades_and_a_rim_becomes_round() -> None:
    """The push reaches its depth, and the rounded rim tells its radius."""
    build = run(
        crate(40, 4),
        mark("top", what="faces in a box", x="-3 mm", y="-3 mm", z="39 mm", x_to="3 mm", y_to="3 mm", z_to="41 mm"),
        {"id": "s", "verb": "nudge", "mesh": "b", "marks": ["top"], "how": "pushed", "out": "-5 mm", "reach": "14 mm"},
        mark("belt", what="loop", x="20 mm", y="0 mm", z="20 mm"),
        {
            "id": "t",
            "verb": "true_up",
            "mesh": "b",
            "marks": ["belt"],
            "shape": "round",
            "sized": "given",
            "radius": "25 mm",
        },
    )
    mesh = mesh_of(build, "b").mesh
    check_result(mesh, closed=True)
    low = mesh.positions[np.abs(mesh.positions[:, :2]).max(axis=1) < 1]
    assert low[:, 2].max() == pytest.approx(35)
    assert "Radius 25 mm" in build.reports["t"].told


def test_the_rim_of_marked_faces_becomes_a_circle() -> None:
    """A square of faces on the top, rounded up: its rim has one radius."""
    build = run(
        crate(40, 4),
        mark("lid", what="faces in a box", x="-9 mm", y="-9 mm", z="39 mm", x_to="9 mm", y_to="9 mm", z_to="41 mm"),
        {"id": "t", "verb": "true_up", "mesh": "b", "marks": ["lid"], "shape": "round"},
    )
    item = mesh_of(build, "b")
    assert "1 piece made round" in build.reports["t"].told
    top = item.mesh.positions[np.isclose(item.mesh.positions[:, 2], 40)]
    away = np.hypot(top[:, 0], top[:, 1])
    assert np.isclose(away, np.sort(away)[17:].min()).sum() >= 16


@pytest.mark.parametrize("size", [32.0, 40.0, 48.0])
def test_faces_are_pulled_out_to_a_surface(size: float) -> None:
    """The top of a crate ends on a ball about its foot: every point there is as far from the middle as the ball's radius."""
    ball = {"id": "s", "verb": "simple", "form": "sphere", "radius": "90 mm", "gives": "dome"}
    pull = {"id": "p", "verb": "pull_out", "mesh": "b", "marks": ["top"], "way": "to a surface", "surface": "s", "rows": 3}
    item = mesh_of(run(crate(size, 8), mark("top", **TOP), ball, pull), "b")
    check_result(item.mesh, closed=True)
    tops = item.mesh.positions[item.mesh.positions[:, 2] > size + 1e-6]
    assert np.linalg.norm(tops, axis=1).max() == pytest.approx(90, abs=1e-6)
    sides = 4 * round(size / 8) * 3
    assert item.mesh.face_count == 6 * round(size / 8) ** 2 + sides
    small = {**ball, "radius": "15 mm"}
    assert "miss the surface" in run(crate(size, 8), mark("top", **TOP), small, pull).reports["p"].findings[0].sentence


def test_a_mark_that_finds_nothing_and_a_size_too_large_say_what_to_do() -> None:
    """The inset too large offers a size that folds nothing."""
    build = run(
        crate(40, 8),
        mark("top", **TOP),
        {"id": "d", "verb": "delete", "mesh": "b", "marks": ["top"]},
        {"id": "p", "verb": "pull_out", "mesh": "b", "marks": ["top"]},
    )
    assert build.reports["p"].status in ("failed", "look")
    wide = run(
        crate(40, 8), mark("top", **TOP), {"id": "i", "verb": "inset", "mesh": "b", "marks": ["top"], "distance": "30 mm"}
    )
    finding = wide.reports["i"].findings[0]
    assert "would fold: the largest that folds none is 19.8 mm" in finding.sentence
    assert finding.actions[0].value == "19.8 mm"


@pytest.mark.parametrize(
    ("verb", "values", "field"),
    [
        ("pull_out", {"distance": "6 mm"}, "distance"),
        ("pull_out", {"way": "one way", "z": "7 mm"}, "z"),
        ("pull_out", {"way": "to a level", "level": "50 mm"}, "level"),
        ("inset", {"distance": "3 mm", "depth": "-4 mm"}, "depth"),
        ("nudge", {"how": "moved", "z": "5 mm"}, "z"),
        ("nudge", {"how": "pushed", "out": "3 mm"}, "out"),
    ],
)
def test_a_handle_stands_where_the_faces_are(verb: str, values: dict[str, Any], field: str) -> None:
    """Its place is the middle of what was worked on, and its change drives the field."""
    build = run(crate(40, 8), mark("top", **TOP), {"id": "w", "verb": verb, "mesh": "b", "marks": ["top"], **values})
    item = mesh_of(build, "b")
    line = build.document.line("w")
    resolved = line.resolve({})
    handle = line.handles(resolved, lambda name: item if name == "mesh" else None)[0]
    assert handle.place[2] == pytest.approx(item.mesh.positions[:, 2].max(), abs=4.1)
    assert field in {change.field for change in handle.changes}
    assert line.handles(resolved, lambda name: None) == []


GROUND = read_document(
    {
        "format": "glass-spoon/sheet",
        "version": 1,
        "lines": [crate(40, 8), mark("top", **TOP), mark("edges", what="sharp edges")],
    }
)


@pytest.mark.parametrize(
    ("text", "verb", "values"),
    [
        (
            "pull out top of block by 12 mm",
            "pull_out",
            {"marks": ["top"], "distance": "12 mm", "way": "along their normals"},
        ),
        ("pull out top 1.5 cm up in 3 rows", "pull_out", {"way": "one way", "z": "1.5 cm", "rows": "3"}),
        ("inset top by 3 mm, each by itself", "inset", {"distance": "3 mm", "grouping": "each by itself"}),
        ("bevel edges with a radius of 4 mm in 6 steps", "bevel", {"sized": "radius", "radius": "4 mm", "steps": "6"}),
        ("fill top smoothly", "fill", {"marks": ["top"], "manner": "smooth with the faces about it"}),
        ("delete top", "delete", {"marks": ["top"]}),
        ("true up edges to be round with radius 20 mm", "true_up", {"shape": "round", "radius": "20 mm", "sized": "given"}),
        ("nudge top 4 mm up fading over 20 mm", "nudge", {"how": "moved", "z": "4 mm", "reach": "20 mm"}),
    ],
)
def test_plain_words(text: str, verb: str, values: dict[str, Any]) -> None:
    """A sentence as one would say it fills the line."""
    line = propose(text, GROUND)[0].line
    assert line.verb_name == verb
    assert {
        name: str(getattr(line, name)) if name in ("rows", "steps") else getattr(line, name) for name in values
    } == values
