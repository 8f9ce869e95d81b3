"""Picks by hand stay on what was picked when lines above change its size, its count, or how it stands."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from glass_spoon.kernel.arrays import Floats, owned
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.meshes.marked import MarkKind, element_middles, nearest_elements
from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.document import read_document
from glass_spoon.sheet.evaluate import Build, evaluate
from glass_spoon.sheet.items import MarkItem, MeshItem
from glass_spoon.sheet.line import Given
from glass_spoon.sheet.lines import VERBS
from glass_spoon.sheet.picks import sign_rows
from glass_spoon.sheet.upgrades import UPGRADES, version_of

WHERE = np.array([[0.96, 0.94, 1.0], [0.5, 0.5, 1.0], [1.0, 0.1, 0.5], [0.02, 0.98, 1.0]])
"""Places in the box of a body, as shares: on its top and a side, some next to its corners."""

BODIES: dict[str, list[dict[str, Any]]] = {
    "box": [{"verb": "block", "gives": "b", "width": "60 * k", "depth": "40 * k", "height": "30 * k", "edge": "5 mm"}],
    "vase": [
        {
            "verb": "draw",
            "gives": "p",
            "points": [{"x": "20 * k", "y": "0"}, {"x": "34 * k", "y": "30 * k"}, {"x": "12 * k", "y": "70 * k"}],
        },
        {"verb": "revolve", "profile": "l2", "gives": "s"},
        {"verb": "mesh", "surface": "l3", "gives": "m", "round": "24", "along": "16"},
    ],
}


def built(k: float, *lines: dict[str, Any]) -> Build:
    """Return the build of lines by the present versions of their verbs, with a size k that all else follows."""
    every = ({"verb": "size", "name": "k", "value": k}, *lines)
    numbered = [{"id": f"l{number}", **line} for number, line in enumerate(every, 1)]
    versions = {verb: version_of(verb) for verb in UPGRADES}
    return evaluate(
        read_document({"format": "glass-spoon/sheet", "version": 1, "verb_versions": versions, "lines": numbered}),
        ResultCache(),
    )


def mesh_in(build: Build, item: str) -> MeshItem:
    """Return a mesh of a build."""
    found = build.items[item].item
    assert isinstance(found, MeshItem), build.reports
    return found


def in_box(item: MeshItem, places: Floats) -> Floats:
    """Return places (k, 3) as shares of the box about a mesh."""
    low = item.mesh.positions.min(axis=0)
    return (places - low) / np.ptp(item.mesh.positions, axis=0)


def picked(item: MeshItem, kind: MarkKind) -> list[dict[str, Any]]:
    """Return the rows that a pick at all of WHERE is kept as."""
    low, size = item.mesh.positions.min(axis=0), np.ptp(item.mesh.positions, axis=0)
    return sign_rows(item, kind, nearest_elements(item.mesh, low + WHERE * size, kind))


@pytest.mark.parametrize("body", list(BODIES))
@pytest.mark.parametrize("kind", ["face", "edge", "point"])
@pytest.mark.parametrize("k", [0.01, 0.8, 1.2, 100])
def test_marks_of_single_picks_hold_the_same_places_at_any_size(body: str, kind: MarkKind, k: float) -> None:
    """The body is 0.8 or 1.2 times as large, or a hundred times: no pick leaves its place by more than half a face."""
    made = [
        {**line, "edge": f"{5 * (k if k in (0.01, 100) else 1)} mm"} if line["verb"] == "block" else line
        for line in BODIES[body]
    ]
    last = f"l{len(made) + 1}"
    first = mesh_in(built(1.0, *BODIES[body]), last)
    rows = picked(first, kind)
    mark = {"verb": "mark", "gives": "spots", "mesh": last, "what": f"single {kind}s", "picks": rows}
    build = built(k, *made, mark)
    item, found = mesh_in(build, last), build.items[f"l{len(made) + 2}"].item
    assert isinstance(found, MarkItem) and found.lost == 0
    places = np.array([[row[axis] for axis in "xyz"] for row in rows])
    was = in_box(first, element_middles(first.mesh, kind)[nearest_elements(first.mesh, places, kind)])
    now = in_box(item, element_middles(item.mesh, kind)[found.mark.indices])
    away = np.linalg.norm(was[:, None] - now[None], axis=2)
    assert away.min(axis=1).max() < 0.11


TURNED: dict[str, dict[str, Any]] = {
    "turned": {"verb": "turn", "angle": "70°", "axis": "front-back axis", "x": "10 mm"},
    "moved": {"verb": "move", "x": "500 mm", "z": "-80 mm"},
    "scaled": {"verb": "scale", "factor": "1.7"},
    "stretched": {"verb": "scale", "evenly": "by own factors", "fx": "1.3", "fy": "0.6", "fz": "2"},
    "mirrored": {"verb": "mirror", "across": "side plane", "kept": "alone"},
}


@pytest.mark.parametrize("body", list(BODIES))
@pytest.mark.parametrize("how", list(TURNED))
@pytest.mark.parametrize("what", ["point", "face"])
def test_what_is_dragged_goes_along_with_what_is_placed_above_it(body: str, how: str, what: MarkKind) -> None:
    """Dragged and then placed is the same as placed and then dragged: the line above the drag turns all of it."""
    last = f"l{len(BODIES[body]) + 1}"
    rows = picked(mesh_in(built(1.0, *BODIES[body]), last), what)
    drags = [{**row, "right": "3 mm", "rise": "4 mm"} for row in rows]
    drag = {"verb": "drag", "mesh": last, "what": f"{what}s", "drags": drags, "axes": "own"}
    place = {**TURNED[how], "item": last}
    after, before = (mesh_in(built(1.0, *BODIES[body], *both), last) for both in ((drag, place), (place, drag)))
    np.testing.assert_allclose(before.mesh.positions, after.mesh.positions, atol=1e-9)


@pytest.mark.parametrize("how", sorted(set(TURNED) - {"stretched"}))
def test_what_is_dragged_goes_along_with_a_surface_that_is_placed_before_it_is_meshed(how: str) -> None:
    """The line that places the surface stands above the one that meshes it: a stretched one gets other edges."""
    *before, mesh = BODIES["vase"]
    rows = picked(mesh_in(built(1.0, *before, mesh), "l4"), "point")
    drag = {
        "verb": "drag",
        "axes": "own",
        "what": "points",
        "drags": [{**row, "back": "3 mm", "rise": "4 mm"} for row in rows],
    }
    place = {**TURNED[how], "item": "l3"}
    early = mesh_in(built(1.0, *before, place, {**mesh, "surface": "l3"}, {**drag, "mesh": "l5"}), "l5")
    late = mesh_in(built(1.0, *before, mesh, {**drag, "mesh": "l4"}, {**place, "item": "l4"}), "l4")
    order = (np.lexsort(np.round(item.mesh.positions, 6).T) for item in (early, late))
    first, second = (item.mesh.positions[rows_] for item, rows_ in zip((early, late), order, strict=True))
    np.testing.assert_allclose(first, second, atol=1e-6)


def test_along_the_axes_of_the_space_a_turn_above_leaves_the_way_as_it_is() -> None:
    """Up is up in space, whatever way the body was turned: what is typed means that."""
    rows = picked(mesh_in(built(1.0, *BODIES["box"]), "l2"), "point")[:1]
    drag = {"verb": "drag", "mesh": "l2", "drags": [{**rows[0], "rise": "4 mm"}]}
    turn = {"verb": "turn", "item": "l2", "angle": "90°", "axis": "front-back axis"}
    plain = mesh_in(built(1.0, *BODIES["box"], turn), "l2").mesh.positions
    moved = mesh_in(built(1.0, *BODIES["box"], turn, drag), "l2").mesh.positions - plain
    assert np.flatnonzero(np.abs(moved).max(axis=1) > 1e-9).size == 1
    np.testing.assert_allclose(moved[np.abs(moved).max(axis=1) > 1e-9], [[0, 0, 4]], atol=1e-9)


def test_a_spout_pulled_out_above_leaves_what_is_dragged_where_it_was() -> None:
    """The box about the body is larger then; what lies elsewhere on it stays the same point."""
    rows = picked(mesh_in(built(1.0, *BODIES["box"]), "l2"), "point")
    drag = {"verb": "drag", "mesh": "l2", "drags": [{**row, "rise": "4 mm"} for row in rows[:2]]}
    mark = {"verb": "mark", "gives": "side", "mesh": "l2", "what": "faces facing", "towards": "left", "angle": "10°"}
    pull = {"verb": "pull_out", "mesh": "l2", "marks": ["l3"], "distance": "45 mm"}
    without = mesh_in(built(1.0, *BODIES["box"], mark, pull), "l2").mesh.positions
    moved = mesh_in(built(1.0, *BODIES["box"], mark, pull, drag), "l2").mesh.positions - without
    went = np.flatnonzero(np.abs(moved).max(axis=1) > 1e-9)
    wanted = np.array([[row[axis] for axis in "xyz"] for row in rows[:2]])
    np.testing.assert_allclose(np.sort(without[went], axis=0), np.sort(wanted, axis=0), atol=1e-4)


def test_picks_on_what_was_taken_away_are_told() -> None:
    """Faces are deleted above: the mark says how many of its picks find nothing, and holds the others."""
    first = mesh_in(built(1.0, *BODIES["box"]), "l2")
    rows = picked(first, "face")
    top = {"verb": "mark", "gives": "side", "mesh": "l2", "what": "faces facing", "towards": "right", "angle": "10°"}
    gone = {"verb": "delete", "mesh": "l2", "marks": ["l3"]}
    build = built(
        1.0, *BODIES["box"], top, gone, {"verb": "mark", "gives": "m", "mesh": "l2", "what": "single faces", "picks": rows}
    )
    report, mark = build.reports["l5"], build.items["l5"].item
    assert isinstance(mark, MarkItem) and (mark.lost, len(mark.mark)) == (1, 3)
    assert report.status == "look" and "One pick finds nothing" in report.findings[0].sentence


@pytest.mark.parametrize("order", [("l2", "l3"), ("l3", "l2")])
def test_a_mark_used_on_a_whole_of_several_holds_what_was_picked_on_its_own(order: tuple[str, str]) -> None:
    """Two boxes become one mesh, the other one before it or behind it: the mark on the second finds its own face there."""
    first = {**BODIES["box"][0], "gives": "a"}
    second = {**BODIES["box"][0], "gives": "b", "x": "100 mm"}
    rows = picked(mesh_in(built(1.0, first, second), "l3"), "face")[:2]
    mark = {"verb": "mark", "gives": "spot", "mesh": "l3", "what": "single faces", "picks": rows}
    unite = {"verb": "unite", "meshes": list(order), "gives": "both"}
    build = built(1.0, first, second, mark, unite)
    whole, found = mesh_in(build, "l5"), build.items["l4"].item
    assert isinstance(found, MarkItem)
    middles = element_middles(whole.mesh, "face")[found.on(whole).indices]
    wanted = np.array([[row[axis] for axis in "xyz"] for row in rows])
    np.testing.assert_allclose(np.sort(middles, axis=0), np.sort(wanted, axis=0), atol=1e-4)


def test_a_body_put_in_before_it_leaves_what_is_dragged_as_it_is() -> None:
    """The whole of two boxes gets a third at its head: its pieces are numbered anew, and the drag takes the same point."""
    boxes = [{**BODIES["box"][0], "gives": name, "x": x} for name, x in (("a", "0 mm"), ("b", "100 mm"), ("c", "200 mm"))]
    unite = {"verb": "unite", "gives": "all"}
    rows = picked(mesh_in(built(1.0, *boxes, {**unite, "meshes": ["l2", "l3"]}), "l5"), "point")[:1]
    drag = {"verb": "drag", "mesh": "l5", "axes": "own", "drags": [{**rows[0], "rise": "4 mm"}]}
    moved = [
        mesh_in(built(1.0, *boxes, {**unite, "meshes": meshes}, *more), "l5").mesh.positions
        for meshes in (["l2", "l3"], ["l4", "l2", "l3"])
        for more in ([], [drag])
    ]
    for plain, dragged in (moved[:2], moved[2:]):
        went = np.abs(dragged - plain).max(axis=1) > 1e-9
        np.testing.assert_allclose(plain[went], [[rows[0][axis] for axis in "xyz"]], atol=1e-4)


def test_a_loop_that_was_picked_stays_that_loop() -> None:
    """The loop at three quarters of the height stays there when the body is a fifth higher or lower."""
    item = mesh_in(built(1.0, *BODIES["vase"]), "l4")
    places = item.mesh.positions
    height = np.unique(np.round(places[:, 2], 6))[12]
    radius = places[np.abs(places[:, 2] - height) < 1e-5][:, 0].max()
    beside = radius * np.array([np.cos(np.pi / 24), np.sin(np.pi / 24)])
    edge = nearest_elements(item.mesh, np.array([[*beside, height]]), "edge")
    row = sign_rows(item, "edge", edge)[0]
    mark = {
        "verb": "mark",
        "gives": "m",
        "mesh": "l4",
        "what": "loop",
        "picks": [row],
        **{axis: row[axis] for axis in "xyz"},
    }
    for k in (0.8, 1.0, 1.2):
        found = built(k, *BODIES["vase"], mark).items["l5"].item
        assert isinstance(found, MarkItem) and len(found.mark) == 24
        ends = found.mark.topology.edges.ends[found.mark.indices]
        np.testing.assert_allclose(mesh_in(built(k, *BODIES["vase"]), "l4").mesh.positions[ends, 2], k * height, rtol=1e-5)


def test_a_place_typed_anew_goes_before_the_one_that_was_picked() -> None:
    """The height of a picked loop is typed: what is nearest to it is marked."""
    item = mesh_in(built(1.0, *BODIES["vase"]), "l4")
    row = sign_rows(item, "edge", nearest_elements(item.mesh, np.array([[30, 0, 35]]), "edge"))[0]
    mark = {"verb": "mark", "gives": "m", "mesh": "l4", "what": "loop", "picks": [row]}
    found = built(1.0, *BODIES["vase"], {**mark, "x": 0, "y": -20, "z": 0}).items["l5"].item
    assert isinstance(found, MarkItem)
    ends = found.mark.topology.edges.ends[found.mark.indices]
    assert np.abs(item.mesh.positions[ends, 2]).max() < 1e-9


def test_what_is_known_by_its_surface_is_lost_on_a_mesh_without_one_that_lies_elsewhere() -> None:
    """Parameters are gone and the mesh is far off: nothing is dragged, and it is told; where it still lies there it is."""
    item = mesh_in(built(1.0, *BODIES["box"]), "l2")
    row = picked(item, "point")[0]
    line = VERBS["drag"].model_validate({"id": "d", "verb": "drag", "mesh": "l2", "drags": [row]})
    values = {**line.resolve({}), "drags": [[*(row[axis] for axis in "xyz"), 0, 0, 4, row["u"], row["v"], row["piece"]]]}
    for away, lost in ((0.0, False), (500.0, True)):
        bare = replace(item, mesh=replace(item.mesh.moved(owned(item.mesh.positions + away)), corners={}))
        given = Given(values, {"mesh": bare}, ids={"": "d"})
        if lost:
            with pytest.raises(KernelError, match="None of the places"):
                line.build(given)
        else:
            assert "1 place dragged" in line.build(given).told  # type: ignore[union-attr]  # a mesh
