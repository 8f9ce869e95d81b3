"""Marks told by what made the faces: they find the same faces wherever those go, and say when they are lost."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
import pytest

from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.document import read_document
from glass_spoon.sheet.evaluate import Build, evaluate
from glass_spoon.sheet.items import MarkItem, MeshItem
from glass_spoon.sheet.mark_rule import FINDERS, OUTLINE, make_rule, rule_of_data
from glass_spoon.sheet.packed_items import pack_result, unpack_result
from glass_spoon.sheet.stored_files import write_inside
from tests.mesh_checker import check_result

GROUPS = """# units: mm
v 100 0 0
v 110 0 0
v 120 0 0
v 120 10 0
v 110 10 0
v 100 10 0
g left
f 1 2 5 6
g right
f 2 3 4 5
"""


def two_balls(**sizes: Any) -> list[dict[str, Any]]:
    """Return lines that mesh two balls apart from one another, with 24 by 8 and 20 by 6 edges."""
    return [
        {"id": "s1", "verb": "size", "name": "reach", "value": sizes.get("reach", "10 mm")},
        {"id": "a", "verb": "simple", "gives": "ball", "form": "sphere", "radius": "reach"},
        {"id": "b", "verb": "simple", "gives": "far ball", "form": "sphere", "radius": "reach / 2"},
        {"id": "c", "verb": "move", "curve": "b", "x": "4 * reach"},
        {"id": "ma", "verb": "mesh", "gives": "mesh a", "surface": "a", "round": sizes.get("round", 24), "along": 8},
        {"id": "mb", "verb": "mesh", "gives": "mesh b", "surface": "b", "round": 20, "along": 6},
    ]


def run(lines: list[dict[str, Any]]) -> Build:
    """Return the build of lines."""
    return evaluate(read_document({"format": "glass-spoon/sheet", "version": 1, "lines": lines}), ResultCache())


def mesh_of(build: Build, name: str) -> MeshItem:
    """Return a mesh of a build, which must be there."""
    reports = {line: report.findings[0].sentence for line, report in build.reports.items() if report.status == "failed"}
    assert name in build.items, reports
    item = build.items[name].item
    assert isinstance(item, MeshItem)
    return item


def mark_on(mesh: str, **values: Any) -> dict[str, Any]:
    """Return a line that marks."""
    return {"id": "m", "verb": "mark", "gives": "own", "mesh": mesh, **values}


UNITE = {"id": "u", "verb": "unite", "gives": "whole", "meshes": ["ma", "mb"]}
TURN = {"id": "t", "verb": "turn_over", "mesh": "u", "faces": ["m"]}


@pytest.mark.parametrize("order", [["ma", "mb"], ["mb", "ma"]])
@pytest.mark.parametrize(
    "rule", [{"what": "faces made by", "maker": "b"}, {"what": "faces made by", "maker": "mb"}, {"what": "everything"}]
)
@pytest.mark.parametrize("sizes", [{}, {"reach": "0.1 mm"}, {"reach": "1000 mm"}, {"round": 22}, {"round": 26}])
def test_faces_of_one_mesh_are_found_in_the_whole(order: list[str], rule: dict[str, Any], sizes: dict[str, Any]) -> None:
    """A mark made on mesh b, then both united, whichever comes first: the faces of b turn, and only they."""
    build = run([*two_balls(**sizes), mark_on("mb", **rule), {**UNITE, "meshes": order, "distance": "0 mm"}, TURN])
    whole, own = mesh_of(build, "u"), mesh_of(build, "mb")
    far = whole.mesh.face_centers[:, 0] > 2 * whole.mesh.positions[:, 0].min() * -1
    outward = np.einsum(
        "ij,ij->i", whole.mesh.face_normals, whole.mesh.face_centers - np.where(far[:, None], middle(own), 0)
    )
    if rule["what"] == "everything":  # a rule that asks for all finds all of the whole
        assert (outward < 0).all()
    else:
        assert far.sum() == own.mesh.face_count
        assert (outward[far] < 0).all()
        assert (outward[~far] > 0).all()


def middle(item: MeshItem) -> np.ndarray:
    """Return the middle of a mesh."""
    return (item.mesh.positions.min(axis=0) + item.mesh.positions.max(axis=0)) / 2


@pytest.mark.parametrize(
    "rule", [{"what": "faces named", "named": "right"}, {"what": "faces of pieces", "pieces": [{"piece": 2}]}]
)
@pytest.mark.parametrize("order", [["ma", "i"], ["i", "ma"], ["mb", "ma", "i"]])
def test_groups_of_a_file_are_found_in_the_whole(rule: dict[str, Any], order: list[str]) -> None:
    """The right half of a file's two faces stays the right half when its piece has another number."""
    file = {"id": "i", "verb": "import_mesh", "gives": "strip", "file": write_inside(GROUPS.encode(), "obj")}
    build = run([*two_balls(), file, mark_on("i", **rule), {**UNITE, "meshes": order}, TURN])
    whole = mesh_of(build, "u").mesh
    turned = np.flatnonzero(
        (np.abs(whole.face_centers[:, 2]) < 1e-9) & (whole.face_normals[:, 2] < -0.5) & (whole.face_centers[:, 0] > 99)
    )
    assert whole.face_centers[turned].tolist() == [[115.0, 5.0, 0.0]]
    assert build.reports["t"].told.startswith("1 face turned over.")


def test_a_mesh_united_twice_over_knows_its_first_maker() -> None:
    """Whole and a third mesh made one: the faces of b are found still."""
    third = {"id": "mc", "verb": "mesh", "gives": "mesh c", "surface": "a", "round": 10, "along": 5}
    again = {"id": "w", "verb": "unite", "gives": "all", "meshes": ["mc", "u"], "points": "open", "distance": "0 mm"}
    turn = {"id": "t", "verb": "turn_over", "mesh": "w", "faces": ["m"]}
    build = run([*two_balls(), mark_on("mb", what="faces made by", maker="b"), third, UNITE, again, turn])
    assert build.reports["t"].told.startswith(f"{mesh_of(build, 'mb').mesh.face_count} faces turned over.")


def test_what_a_line_made_is_marked_by_its_role() -> None:
    """Strips and loops of Support are found at once by the next line, and after the mesh was united with another."""
    crease = {"id": "k", "verb": "crease", "mesh": "ma", "marks": ["m"], "how": "for some levels", "sharpness": 2}
    support = {"id": "p", "verb": "support", "mesh": "ma"}
    marks = [
        {
            "id": "m1",
            "verb": "mark",
            "gives": "strips",
            "mesh": "ma",
            "what": "faces made by",
            "maker": "p",
            "role": "strip",
        },
        {"id": "m2", "verb": "mark", "gives": "loops", "mesh": "ma", "what": "edges made by", "maker": "p", "role": "loop"},
        {
            "id": "m3",
            "verb": "mark",
            "gives": "no pairs",
            "mesh": "ma",
            "what": "faces made by",
            "maker": "p",
            "role": "pair",
        },
    ]
    level = mark_on("ma", what="edges at a height", low=0, reach="0.1 mm")
    later = {"id": "t", "verb": "turn_over", "mesh": "u", "faces": ["m1"]}
    build = run([*two_balls(), level, crease, support, *marks, UNITE, later])
    assert build.reports["m1"].told == "48 faces marked."
    assert build.reports["m2"].told == "48 edges marked."
    assert build.reports["m3"].findings[0].code == "empty_mark"
    assert build.reports["t"].told.startswith("48 faces turned over.")
    united = mesh_of(build, "u").mesh
    assert (np.abs(united.positions[united.topology.edges.ends[united.edges["maker"] > 0]][:, :, 2]) > 0.1).all()


def test_a_mark_that_lost_what_it_held_says_so_where_it_is_used() -> None:
    """Creases become loops; whoever uses the mark of the creases afterwards is told why it holds nothing."""
    level = mark_on("ma", what="edges at a height", low=0, reach="0.1 mm")
    crease = {"id": "k", "verb": "crease", "mesh": "ma", "marks": ["m"], "how": "for some levels", "sharpness": 2}
    creases = {"id": "m2", "verb": "mark", "gives": "soft ones", "mesh": "ma", "what": "creases"}
    support = {"id": "p", "verb": "support", "mesh": "ma"}
    again = {"id": "k2", "verb": "crease", "mesh": "ma", "marks": ["m2"], "how": "for ever"}
    relax = {"id": "r", "verb": "relax", "mesh": "ma", "held": ["m2"], "rounds": 1}
    build = run([*two_balls(), level, crease, creases, support, again, relax])
    assert build.reports["m2"].told == "24 edges marked."
    failed = build.reports["k2"]
    assert failed.status == "failed"
    assert "The mark soft ones held 24 edges where it was made, and finds nothing on mesh a" in failed.findings[0].sentence
    lines = [*two_balls(), level, crease, creases, support, relax]
    held = run(lines).reports["r"]
    assert [finding.code for finding in held.findings if finding.code == "lost_mark"] == ["lost_mark"]
    assert held.status == "look"


def test_rules_are_data() -> None:
    """Every kind of rule is written to JSON and read back as the same rule; an unknown kind is refused by name."""
    build = run([*two_balls(), UNITE])
    item = mesh_of(build, "u")
    values: dict[str, dict[str, Any]] = {
        "loop": {"place": (10.0, 0.0, 0.0)},
        "ring": {"place": (10.0, 0.0, 0.0)},
        "strip": {"place": (10.0, 0.0, 0.0)},
        "path": {"picks": ((10.0, 0.0, 0.0), (0.0, 0.0, 10.0))},
        "sharp edges": {"angle": 0.5},
        "corners": {"angle": 0.5},
        "borders of colours": {"colours": (("a", "plum"),)},
        "faces facing": {"way": (0, 0, 1), "angle": 0.5},
        "faces sideways": {"angle": 0.5},
        "faces in a box": {"low": (0.0, 0.0, 0.0), "high": (50.0, 50.0, 50.0)},
        "faces in a band": {"low": 0.0, "high": 5.0},
        "edges of the surface": {"side": "end"},
        "points in a box": {"low": (0.0, 0.0, 0.0), "high": (50.0, 50.0, 50.0)},
        "edges in a box": {"low": (0.0, 0.0, 0.0), "high": (50.0, 50.0, 50.0)},
        "faces of pieces": {"keys": ("mb/0",), "numbers": (0,)},
        "faces named": {"names": ("left",)},
        "faces made by": {"maker": "b", "role": ""},
        "edges made by": {"maker": "p", "role": "loop"},
        "edges at a height": {"height": 0.0, "reach": 0.5},
        "single faces": {"picks": ((10.0, 0.0, 0.0),)},
        "single edges": {"picks": ((10.0, 0.0, 0.0), (0.0, 0.0, 10.0))},
        "single points": {"picks": ()},
    }
    for what in (*FINDERS, OUTLINE):
        rule = make_rule(what, values.get(what, {}), 1, "without", (make_rule("creases", {}),))
        again = rule_of_data(json.loads(json.dumps(rule.to_data())))
        assert again == rule
        assert hash(again) == hash(rule)
        assert again.ask(item).indices.tolist() == rule.ask(item).indices.tolist()
    with pytest.raises(InvalidInput, match="What is marked"):
        make_rule("faces of the moon", {})


def test_marks_are_packed_and_find_the_same_afterwards() -> None:
    """A mark that is kept in the database comes back as the same rule with the same elements."""
    build = run([*two_balls(), mark_on("mb", what="faces made by", maker="b"), UNITE])
    item = build.items["m"].item
    data = pack_result((item, ()))
    assert data is not None
    back = unpack_result(data)[0]
    assert isinstance(back, MarkItem)
    assert back.rule == item.rule
    assert back.on(mesh_of(build, "u")).indices.tolist() == item.on(mesh_of(build, "u")).indices.tolist()


def test_every_verb_on_meshes_keeps_its_faces_and_passes_the_checker() -> None:
    """One after another on one sheet: all results are sound, faces are foretold, and the maker of each face stays known."""
    level = mark_on("ma", what="edges at a height", low=0, reach="0.1 mm")
    lines = [
        *two_balls(),
        level,
        {"id": "k", "verb": "crease", "mesh": "ma", "marks": ["m"], "how": "for some levels", "sharpness": 2},
        {"id": "p", "verb": "support", "mesh": "ma"},
        UNITE,
        {"id": "w", "verb": "weld", "mesh": "u", "distance": "0.001 mm"},
        {"id": "c", "verb": "clean", "mesh": "u"},
        {"id": "q", "verb": "pair", "mesh": "u"},
        {"id": "r", "verb": "relax", "mesh": "u", "rounds": 2},
        {"id": "s", "verb": "smooth", "mesh": "u", "times": 1},
    ]
    lines[3]["id"], lines[11]["id"] = "mv", "cl"
    for count in range(10, len(lines) + 1):
        build = run(lines[:count])
        item = mesh_of(build, "u")
        check_result(item.mesh, closed=True)
        whole = evaluate(build.document, ResultCache())
        assert [piece.key for piece in mesh_of(whole, "u").every_piece] == ["ma/0.u-0", "mb/0.u-1"]
        pieces = np.bincount(item.mesh.faces["piece"])
        assert pieces.min() > 0
        made = make_rule("faces made by", {"maker": "b", "role": ""}).ask(item)
        assert set(np.flatnonzero(item.mesh.face_centers[:, 0] > 20)) == set(made.indices.tolist())


@pytest.mark.parametrize("size", [0.01, 1, 100])
@pytest.mark.parametrize("around", [24, 25, 40])
def test_sides_of_a_surface_are_marked_whatever_the_counts(size: float, around: int) -> None:
    """An open tube: its start and end have as many edges as go round, its first and last side as many as go along."""
    lines = [
        {"id": "p", "verb": "line", "gives": "p", "right": 10 * size, "up": 0, "to_right": 14 * size, "to_up": 30 * size},
        {"id": "r", "verb": "revolve", "gives": "tube", "profile": "p"},
        {"id": "m", "verb": "mesh", "gives": "tube mesh", "surface": "r", "round": around, "along": 7},
        *(
            {"id": side, "verb": "mark", "gives": side, "mesh": "m", "what": "edges of the surface", "side": side}
            for side in ("start", "end", "first", "last", "every")
        ),
    ]
    build = run(lines)
    mesh = mesh_of(build, "m").mesh
    heights = {}
    for side in ("start", "end"):
        mark = build.items[side].item.mark
        heights[side] = mesh.positions[mesh.topology.edges.ends[mark.indices]][..., 2]
        assert len(mark) == around
        assert np.ptp(heights[side]) == pytest.approx(0, abs=1e-9 * size)
    assert sorted(float(each.mean()) for each in heights.values()) == pytest.approx([0, 30 * size], abs=1e-9 * size)
    assert len(build.items["first"].item.mark) == len(build.items["last"].item.mark) == 7
    assert build.items["first"].item.mark.indices.tolist() == build.items["last"].item.mark.indices.tolist()  # the seam
    assert len(build.items["every"].item.mark) == 2 * around + 7


def test_points_and_edges_in_a_box_are_those_with_their_middles_inside() -> None:
    """Held against the coordinates; such a mark may be joined with one of faces in one line."""
    box = {"x": -20, "y": -20, "z": 0.1, "x_to": 20, "y_to": 20, "z_to": 20}
    lines = [
        *two_balls(),
        mark_on("ma", what="points in a box", **box),
        {"id": "e", "verb": "mark", "gives": "e", "mesh": "ma", "what": "edges in a box", **box},
        {"id": "b2", "verb": "mark", "gives": "f", "mesh": "ma", "what": "faces in a band", "low": -20, "high": -5},
        {
            "id": "j",
            "verb": "mark",
            "gives": "j",
            "mesh": "ma",
            "what": "points in a box",
            "meeting": "with",
            "others": ["b2"],
            **box,
        },
    ]
    build = run(lines)
    mesh = mesh_of(build, "ma").mesh
    up = mesh.positions[:, 2]
    assert build.items["m"].item.mark.indices.tolist() == np.flatnonzero(up >= 0.1).tolist()
    middles = up[mesh.topology.edges.ends].mean(axis=1)
    assert build.items["e"].item.mark.indices.tolist() == np.flatnonzero(middles >= 0.1).tolist()
    low = np.unique(mesh.topology.face_corners.reshape(-1, 4)[mesh.face_centers[:, 2] <= -5])
    assert set(build.items["j"].item.mark.indices.tolist()) == set(np.flatnonzero(up >= 0.1).tolist()) | set(low.tolist())


@pytest.mark.parametrize("order", [["ma", "mb"], ["mb", "ma"]])
def test_makers_of_several_meshes_stay_apart_in_the_whole(order: list[str]) -> None:
    """Both meshes were supported: the strips of each line are found on its own ball, whichever comes first."""
    lines = two_balls()
    for mesh in ("ma", "mb"):
        lines += [
            {
                "id": f"l{mesh}",
                "verb": "mark",
                "gives": f"l{mesh}",
                "mesh": mesh,
                "what": "edges at a height",
                "low": 0,
                "reach": 0.1,
            },
            {"id": f"k{mesh}", "verb": "crease", "mesh": mesh, "marks": [f"l{mesh}"], "sharpness": 2},
            {"id": f"p{mesh}", "verb": "support", "mesh": mesh},
        ]
    marks = [
        {
            "id": f"s{mesh}",
            "verb": "mark",
            "gives": f"s{mesh}",
            "mesh": "u",
            "what": "faces made by",
            "maker": f"p{mesh}",
            "role": "strip",
        }
        for mesh in ("ma", "mb")
    ]
    build = run([*lines, {**UNITE, "meshes": order, "distance": "0 mm"}, *marks])
    whole = mesh_of(build, "u").mesh
    for mesh, around, far in (("ma", 24, False), ("mb", 20, True)):
        found = build.items[f"s{mesh}"].item.mark
        assert len(found) == 2 * around
        assert ((whole.face_centers[found.indices][:, 0] > 20) == far).all()
