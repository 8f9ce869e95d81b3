"""Marks on the board: what a pick offers, and that the offered line finds what was picked."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
import pytest

from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.document import read_document
from glass_spoon.sheet.evaluate import Build, evaluate
from glass_spoon.sheet.items import MarkItem, MeshItem
from glass_spoon.studio.see.mark_rows import marks_shown, pick
from glass_spoon.studio.sentences import Refused
from glass_spoon.studio.show.bench_context import ACTS
from tests.conftest import DEMO

CACHE = ResultCache()


def built(data: dict[str, Any]) -> Build:
    """Return the build of a sheet as JSON."""
    return evaluate(read_document(data), CACHE)


@pytest.fixture
def lantern() -> dict[str, Any]:
    """The demo lantern as JSON: three surfaces gathered and meshed, two marks."""
    return json.loads((DEMO / "lantern.json").read_text())


def sheet(*lines: dict[str, Any]) -> dict[str, Any]:
    """Return a sheet of lines numbered l1, l2 …"""
    rows = [{"id": f"l{number}", **line} for number, line in enumerate(lines, 1)]
    return {"format": "glass-spoon/sheet", "version": 1, "name": "Marks", "lines": rows}


PRISM = sheet(
    {"verb": "rectangle", "gives": "base", "plane": "plan", "width": 40, "height": 30, "radius": 0},
    {"verb": "plate", "gives": "block", "outline": "l1", "height": "20 mm"},
    {"verb": "mesh", "gives": "block mesh", "surface": "l2", "sizing": "edge length", "edge_length": "5 mm"},
)
TUBE = sheet(
    {"verb": "circle", "gives": "ring", "plane": "plan", "radius": 20},
    {"verb": "extrude", "gives": "tube", "profile": "l1", "distance": "30 mm", "start": "open", "end": "open"},
    {"verb": "mesh", "gives": "tube mesh", "surface": "l2", "round": 24, "along": 6},
)


def marked_by(data: dict[str, Any], mesh: str, values: dict[str, Any]) -> MarkItem:
    """Return the mark that a line with these values makes at the end of a sheet."""
    line = {"id": "zz", "verb": "mark", "gives": "picked", "mesh": mesh, **values}
    build = built(data | {"lines": [*data["lines"], line]})
    assert build.reports["zz"].status != "failed", build.reports["zz"].findings
    item = build.items["zz"].item
    assert isinstance(item, MarkItem)
    return item


def mesh_of(build: Build, item: str) -> MeshItem:
    """Return a mesh of a build."""
    found = build.items[item].item
    assert isinstance(found, MeshItem)
    return found


@pytest.mark.parametrize("gesture", ["loop", "ring", "strip"])
def test_the_first_offer_marks_what_was_picked(gesture: str) -> None:
    """A loop, a ring or a strip through a place, found again by that place."""
    build = built(TUBE)
    told = pick(build, {"mesh": "l3", "gesture": gesture, "place": [20.0, 0.5, 15.2]})
    offer = told["offers"][0]
    assert offer["words"] == f"this {gesture}"
    mark = marked_by(TUBE, "l3", offer["values"]).mark
    assert mark.kind == told["kind"]
    assert np.array_equal(np.sort(mark.indices), np.sort(told["indices"]))


def test_a_level_loop_is_offered_by_its_height() -> None:
    """The loop at a height is offered as that rule and holds the same edges."""
    told = pick(built(TUBE), {"mesh": "l3", "gesture": "loop", "place": [20.0, 0.3, 15.0]})
    words = {offer["words"]: offer["values"] for offer in told["offers"]}
    assert "the edges at height 15 mm" in words
    mark = marked_by(TUBE, "l3", words["the edges at height 15 mm"]).mark
    assert len(mark) == 24
    assert set(mark.indices) == set(told["indices"])


def test_an_open_rim_is_offered_as_the_rim() -> None:
    """The rule holds both rims, of which one was picked."""
    told = pick(built(TUBE), {"mesh": "l3", "gesture": "loop", "place": [20.0, 0.3, 0.0]})
    words = {offer["words"]: offer["values"] for offer in told["offers"]}
    mark = marked_by(TUBE, "l3", words["the open rim"]).mark
    assert len(mark) == 48
    assert set(told["indices"]) < set(mark.indices)


def test_a_sharp_edge_is_offered_by_its_angle() -> None:
    """The offered angle takes the twelve edges of the box."""
    told = pick(built(PRISM), {"mesh": "l3", "gesture": "edge", "place": [20.0, 15.0, 7.5]})
    words = {offer["words"]: offer["values"] for offer in told["offers"]}
    assert "all edges sharper than 85°" in words or "all edges sharper than 80°" in words
    rule = next(values for name, values in words.items() if name.startswith("all edges sharper"))
    mark = marked_by(PRISM, "l3", rule).mark
    ends = mesh_of(built(PRISM), "l3").mesh.positions[mesh_of(built(PRISM), "l3").mesh.topology.edges.ends[mark.indices]]
    length = np.linalg.norm(ends[:, 1] - ends[:, 0], axis=1).sum()
    assert length == pytest.approx(4 * (40 + 30 + 20))


def test_a_face_of_a_gathered_set_is_offered_by_the_surface_it_came_from(lantern) -> None:
    """All faces of the glass lie in its band of heights."""
    build = built(lantern)
    told = pick(build, {"mesh": "l5", "gesture": "face", "place": [0.0, -55.0, 110.0]})
    offer = told["offers"][0]
    assert offer["words"] == "all faces of glass"
    mark = marked_by(lantern, "l5", offer["values"]).mark
    mesh = mesh_of(build, "l5").mesh
    heights = mesh.face_centers[mark.indices, 2]
    assert told["indices"][0] in set(mark.indices.tolist())
    assert 0.3 * mesh.face_count < len(mark) < 0.9 * mesh.face_count
    assert heights.min() > 10
    assert heights.max() < 220


def test_single_elements_tell_their_place(lantern) -> None:
    """The place of a pick is the middle of what was picked, to be kept in a mark of single picks."""
    build = built(lantern)
    for gesture, kind in (("point", "point"), ("edge", "edge"), ("face", "face")):
        told = pick(build, {"mesh": "l5", "gesture": gesture, "place": [0.0, -55.0, 110.0]})
        assert told["kind"] == kind
        assert len(told["indices"]) == 1
        picks = [dict(zip("xyz", told["place"], strict=True))]
        mark = marked_by(lantern, "l5", {"what": f"single {kind}s", "picks": picks}).mark
        assert mark.indices.tolist() == told["indices"]


@pytest.mark.parametrize(
    "asked",
    [
        {"mesh": "l4", "gesture": "face", "place": [0, 0, 0]},
        {"mesh": "l5", "gesture": "heap", "place": [0, 0, 0]},
        {"mesh": "l5", "gesture": "face", "place": [0, 0]},
        {"mesh": "l5", "gesture": "face", "place": "here"},
        {"mesh": "l5", "gesture": "face", "place": [0, float("nan"), 0]},
        {},
    ],
)
def test_picks_that_mean_nothing_are_refused(lantern, asked) -> None:
    """Wrong kinds, meshes and places raise a refusal."""
    with pytest.raises(Refused):
        pick(built(lantern), asked)


def test_marks_are_shown_with_the_count_of_the_cage_at_every_level(lantern) -> None:
    """The count stays that of the cage; edges double and faces become four with each level."""
    build = built(lantern)
    cage = {mark["name"]: mark for mark in marks_shown(build, 0)}
    fine = {mark["name"]: mark for mark in marks_shown(build, 2)}
    for name, factor in (("foot edges", 4), ("glass band", 16)):
        assert fine[name]["count"] == cage[name]["count"] == len(cage[name]["indices"])
        assert len(fine[name]["indices"]) == factor * cage[name]["count"]
        assert fine[name]["kind"] == cage[name]["kind"]


def test_marks_of_hidden_items_are_not_shown(lantern) -> None:
    """Marks go with their mesh and with themselves."""
    hidden = lantern | {"looks": {**lantern.get("looks", {}), "l6": {"hidden": True}}}
    assert [mark["name"] for mark in marks_shown(built(hidden), 0)] == ["glass band"]
    gone = lantern | {"looks": {**lantern.get("looks", {}), "l5": {"hidden": True}}}
    assert marks_shown(built(gone), 0) == []


def test_faces_that_a_line_made_are_offered_by_that_line() -> None:
    """Support loops make faces of their own; a pick on one offers all of them."""
    data = sheet(
        *[{key: value for key, value in line.items() if key != "id"} for line in PRISM["lines"]],
        {"verb": "mark", "gives": "sharp ones", "mesh": "l3", "what": "sharp edges", "angle": "40°"},
        {"verb": "crease", "mesh": "l3", "marks": ["l4"], "sharpness": 2},
        {"verb": "support", "mesh": "l3"},
    )
    build = built(data)
    assert build.reports["l6"].status != "failed", build.reports["l6"].findings
    item = mesh_of(build, "l3")
    made = np.flatnonzero(item.mesh.faces["maker"] > 0)
    place = item.mesh.face_centers[made[0]]
    told = pick(build, {"mesh": "l3", "gesture": "face", "place": place.tolist()})
    offers = {offer["words"]: offer["values"] for offer in told["offers"]}
    assert "all faces made by line 6" in offers
    mark = marked_by(data, "l3", offers["all faces made by line 6"]).mark
    assert np.array_equal(mark.indices, made)
    assert np.array_equal(marked_by(data, "l3", offers["the strips of line 6"]).mark.indices, made)
    loops = np.flatnonzero(item.mesh.edges["maker"] > 0)
    middle = item.mesh.positions[item.mesh.topology.edges.ends[loops[0]]].mean(axis=0)
    told = pick(build, {"mesh": "l3", "gesture": "edge", "place": middle.tolist()})
    offers = {offer["words"]: offer["values"] for offer in told["offers"]}
    assert np.array_equal(marked_by(data, "l3", offers["the loops of line 6"]).mark.indices, loops)


def test_edges_on_a_side_of_the_surface_are_offered_by_that_side() -> None:
    """A pick on the upper rim of a tube offers the edges at the end of its surface, a pick between offers no side."""
    data = sheet(
        {"verb": "line", "gives": "p", "right": 10, "up": 0, "to_right": 14, "to_up": 30},
        {"verb": "revolve", "gives": "tube", "profile": "l1"},
        {"verb": "mesh", "gives": "tube mesh", "surface": "l2", "round": 24, "along": 7},
    )
    build = built(data)
    rim = pick(build, {"mesh": "l3", "gesture": "edge", "place": [14, 0.5, 30]})
    offers = {offer["words"]: offer["values"] for offer in rim["offers"]}
    named = [words for words in offers if words.endswith("of the surface")]
    assert named in (["the edges at the end of the surface"], ["the edges at the start of the surface"])
    found = marked_by(data, "l3", offers[named[0]]).mark
    ends = mesh_of(build, "l3").mesh.positions[mesh_of(build, "l3").mesh.topology.edges.ends[found.indices]]
    assert len(found) == 24
    assert ends[..., 2] == pytest.approx(30)
    inner = pick(build, {"mesh": "l3", "gesture": "edge", "place": [-12, 0.5, 15]})
    assert not any(offer["words"].endswith("of the surface") for offer in inner["offers"])


@pytest.mark.parametrize("kind", ["face", "edge", "point"])
def test_keys_of_what_is_done_to_picks_differ(kind: str) -> None:
    """No two verbs on the same kind share a key, and none has a digit's or a sign's."""
    keys = [act.key for act in ACTS if kind in act.kinds.split()]
    assert len(keys) > 3
    assert len(set(keys)) == len(keys)
    assert all(key.isalpha() and len(key) == 1 for key in keys)


@pytest.mark.django_db
def test_a_verb_is_done_to_a_pick_in_one_change(as_user, part, edit) -> None:
    """A mark and a line of the verb on it, taken back by one undo; a verb that works on no pick is refused."""
    owner = as_user("owner")
    count, revision = len(part.document["lines"]), part.revision
    values = {"mesh": "l4", "what": "faces facing", "towards": "up", "angle": "20°"}
    assert edit(owner, op="act", verb="inset", after="l4", values=json.dumps(values)).status_code == 200
    part.refresh_from_db()
    assert (len(part.document["lines"]), part.revision) == (count + 2, revision + 1)
    at = next(k for k, line in enumerate(part.document["lines"]) if line["verb"] == "inset")
    mark, line = part.document["lines"][at - 1 : at + 1]
    assert (mark["verb"], line["marks"], line["mesh"]) == ("mark", [mark["id"]], "l4")
    assert edit(owner, op="act", verb="revolve", values=json.dumps(values)).status_code == 400
