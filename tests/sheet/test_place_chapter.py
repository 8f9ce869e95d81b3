"""Move, turn, scale, mirror, copy, repeat and take on every kind of item, held against points mapped by hand."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import surface_points
from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.document import read_document
from glass_spoon.sheet.edit import default_line
from glass_spoon.sheet.evaluate import Build, evaluate
from glass_spoon.sheet.items import BodiesItem, CurveItem, CurvesItem, Item, MeshItem, SurfaceItem, SurfacesItem, as_mesh
from glass_spoon.sheet.kinds import KINDS, kind_of, one_of
from tests.mesh_checker import check_result

SIZES = [0.1, 1.0, 100.0]
KIND_IDS = ["l1", "l2", "l3", "l4", "l5", "l6"]


def ground(size: float) -> list[dict[str, Any]]:
    """Return lines that give a curve, a set of them, a surface, a set of these, and meshes of both."""
    return [
        {"id": "s1", "verb": "size", "name": "unit", "value": f"{size} mm"},
        {"id": "l1", "verb": "circle", "gives": "circle", "plane": "plan", "radius": "3 * unit", "right": "5 * unit"},
        {"id": "l2", "verb": "row", "gives": "circles", "item": "l1", "count": 3, "x": 0, "z": "2 * unit"},
        {"id": "l3", "verb": "simple", "gives": "ball", "form": "sphere", "radius": "4 * unit"},
        {"id": "l4", "verb": "plate", "gives": "plate", "outline": "l1", "height": "unit"},
        {"id": "l5", "verb": "mesh", "gives": "ball mesh", "surface": "l3", "round": 16, "along": 8},
        {"id": "l6", "verb": "mesh", "gives": "plate mesh", "surface": "l4", "sizing": "edge length", "edge_length": "unit"},
    ]


def run(size: float, *lines: dict[str, Any]) -> Build:
    """Return the build of lines over the ground."""
    sheet = {"format": "glass-spoon/sheet", "version": 1, "lines": [*ground(size), *lines]}
    return evaluate(read_document(sheet), ResultCache())


def samples(item: Item) -> np.ndarray:
    """Return places (n, 3) that go with an item: its points, or places on it."""
    if isinstance(item, MeshItem | BodiesItem):
        return (item.whole if isinstance(item, BodiesItem) else item).mesh.positions
    if isinstance(item, CurveItem):
        return item.curve.control_points
    if isinstance(item, CurvesItem):
        return np.concatenate([curve.control_points for curve in item.curves])
    if isinstance(item, SurfaceItem):
        return item.surface.control_points.reshape(-1, 3)
    assert isinstance(item, SurfacesItem)
    return np.concatenate([surface.control_points.reshape(-1, 3) for surface in item.shape.surfaces])


def sorted_rows(points: np.ndarray, size: float) -> np.ndarray:
    """Return points in an order that does not depend on how they are numbered."""
    rounded = np.round(points / size, 6) + 0.0
    return rounded[np.lexsort(rounded.T)]


TURN = np.array([[0, -1, 0], [1, 0, 0], [0, 0, 1]])
PLACES = {
    "move": ({"x": "unit", "y": "-2 * unit", "z": "3 * unit"}, lambda p, u: p + u * np.array([1, -2, 3])),
    "turn": ({"angle": "90°", "x": "unit"}, lambda p, u: (p - [u, 0, 0]) @ TURN.T + [u, 0, 0]),
    "scale": (
        {"evenly": "by own factors", "fx": 2, "fy": 0.5, "fz": 3, "z": "unit"},
        lambda p, u: (p - [0, 0, u]) * [2, 0.5, 3] + [0, 0, u],
    ),
    "mirror": ({"across": "side plane", "at": "unit", "kept": "alone"}, lambda p, u: p * [-1, 1, 1] + [2 * u, 0, 0]),
}


@pytest.mark.parametrize("size", SIZES)
@pytest.mark.parametrize("verb", PLACES)
@pytest.mark.parametrize("item", KIND_IDS)
def test_any_item_is_placed(item: str, verb: str, size: float) -> None:
    """Its points lie where the map puts them; a mesh stays closed, keeps its volume's sign, and its normals look out."""
    values, mapped = PLACES[verb]
    before = run(size).items[item].item
    build = run(size, {"id": "p", "verb": verb, "item": item, **values})
    told = [finding for finding in build.reports["p"].findings if finding.code != "no_effect"]  # the circle was repeated
    assert build.reports["p"].status == "good" or not told, told
    after = build.items[item].item
    assert sorted_rows(samples(after), size) == pytest.approx(sorted_rows(mapped(samples(before), size), size), abs=2e-6)
    if isinstance(after, MeshItem) and isinstance(before, MeshItem):
        check_result(after.mesh, closed=True)
        share, near = {"scale": (3.0, 5e-3)}.get(verb, (1.0, 1e-9))  # stretched, bent quads are cut along other diagonals
        assert enclosed_volume(after.mesh) == pytest.approx(share * enclosed_volume(before.mesh), rel=near)
        assert after.every_piece == before.every_piece
        normals = after.mesh.points["normal"]
        assert np.linalg.norm(normals, axis=1) == pytest.approx(1.0)
        assert (np.einsum("ij,ij->i", normals, after.mesh.vertex_normals) > 0.5).all()
        if item == "l5":
            wanted = sorted_rows(mapped(on_its_surface(before), size), size)
            assert sorted_rows(on_its_surface(after), size) == pytest.approx(wanted, abs=2e-6)


def on_its_surface(item: MeshItem) -> np.ndarray:
    """Return the places (h, 3) on the surface of a mesh where the parameters lead that its corners carry."""
    surface = item.surface
    (u0, u1), (v0, v1) = surface.domain(0), surface.domain(1)
    uv = item.mesh.corners["uv"]
    return surface_points(surface, u0 + uv[:, 0] * (u1 - u0), v0 + uv[:, 1] * (v1 - v0))


REPEATS = {
    "row": ({"count": 4, "x": "20 * unit", "y": "unit"}, 4),
    "ring": ({"count": 5, "x": "30 * unit"}, 5),
    "ring one less": ({"count": 4, "x": "30 * unit", "angle": "90°"}, 4),
    "single": ({"count": 1}, 1),
}


def moved_by_hand(points: np.ndarray, name: str, size: float) -> np.ndarray:
    """Return the points of all copies, by plain sums and turns."""
    if name in ("row", "single"):
        return np.concatenate([points + k * size * np.array([20, 1, 0]) for k in range(REPEATS[name][1])])
    steps = {"ring": 2 * np.pi / 5, "ring one less": np.pi / 6}[name]
    copies = []
    for k in range(REPEATS[name][1]):
        c, s = np.cos(k * steps), np.sin(k * steps)
        copies.append((points - [30 * size, 0, 0]) @ np.array([[c, -s, 0], [s, c, 0], [0, 0, 1]]).T + [30 * size, 0, 0])
    return np.concatenate(copies)


@pytest.mark.parametrize("size", SIZES)
@pytest.mark.parametrize("name", REPEATS)
@pytest.mark.parametrize(
    ("item", "joints"), [*((item, "apart") for item in KIND_IDS), ("l5", "one mesh"), ("l6", "one mesh")]
)
def test_any_item_is_repeated(item: str, joints: str, name: str, size: float) -> None:
    """Copies lie where sums and turns put them, as one item of the kind that several are; meshes have so many faces more."""
    values, count = REPEATS[name]
    verb = "ring" if name.startswith("ring") else "row"
    build = run(size, {"id": "p", "verb": verb, "item": item, "joints": joints, **values})
    assert build.reports["p"].status == "good", build.reports["p"].findings
    before, after = build.items[item].item, build.items["p"].item
    assert after.kind == (KINDS[before.kind].several if joints == "apart" else "mesh") == build.document.kind_of("p")
    wanted = moved_by_hand(samples(before), name, size)
    assert sorted_rows(samples(after), size) == pytest.approx(sorted_rows(wanted, size), abs=2e-5)
    after = after.whole if isinstance(after, BodiesItem) else after
    if isinstance(after, MeshItem) and isinstance(before, MeshItem):
        check_result(after.mesh, closed=True)
        assert after.mesh.face_count == count * before.mesh.face_count
        assert enclosed_volume(after.mesh) == pytest.approx(count * enclosed_volume(before.mesh), rel=1e-9)
        keys = [piece.key for piece in after.every_piece]
        assert len(keys) == len(set(keys)) == count * len(before.every_piece)


@pytest.mark.parametrize("turned", ["kept upright", "turned with it"])
@pytest.mark.parametrize("item", KIND_IDS)
def test_any_item_is_spread_along_a_curve(item: str, turned: str) -> None:
    """The first copy stays, the last has gone as far as the curve; upright ones are only moved."""
    path = {"id": "path", "verb": "line", "gives": "path", "plane": "plan", "right": 0, "up": 0, "to_right": 60, "to_up": 0}
    spread = {"id": "p", "verb": "spread", "item": item, "path": "path", "count": 4, "turned": turned}
    build = run(1.0, path, spread)
    assert build.reports["p"].status == "good", build.reports["p"].findings
    before, after = samples(build.items[item].item), samples(build.items["p"].item)
    run_of = build.items["path"].item.curve.control_points
    way = run_of[-1] - run_of[0]
    wanted = np.concatenate([before + way * k / 3 for k in range(4)])
    assert sorted_rows(after, 1.0) == pytest.approx(sorted_rows(wanted, 1.0), abs=2e-5)


@pytest.mark.parametrize("joints", ["apart", "one mesh"])
def test_a_repeated_mesh_unites_smooths_and_takes_apart_again(joints: str) -> None:
    """Copies are bodies of their own: united with another they stay so, smoothed they divide, and any may be taken."""
    build = run(
        1.0,
        {"id": "r", "verb": "row", "gives": "row", "joints": joints, "item": "l5", "count": 3, "x": 20},
        {"id": "t", "verb": "take", "gives": "third", "item": "r", "number": 3},
        {"id": "u", "verb": "unite", "gives": "whole", "meshes": ["r", "l6"], "distance": "0 mm"},
        {"id": "m", "verb": "mark", "gives": "second", "mesh": "r", "what": "faces of pieces", "pieces": [{"piece": 2}]},
        {"id": "o", "verb": "turn_over", "mesh": "u", "faces": ["m"]},
        {"id": "f", "verb": "smooth", "mesh": "u", "times": 1},
    )
    assert {line: report.status for line, report in build.reports.items() if report.status == "failed"} == {}
    third = build.items["t"].item
    assert isinstance(third, MeshItem)
    check_result(third.mesh, closed=True)
    assert third.mesh.positions.mean(axis=0) == pytest.approx([40, 0, 0], abs=1e-9)
    faces = build.items["l5"].item.mesh.face_count
    assert build.reports["o"].told.startswith(f"{faces} faces turned over.")
    assert build.items["u"].item.mesh.face_count == 4 * (3 * faces + build.items["l6"].item.mesh.face_count)


def test_a_copy_is_worked_on_by_itself() -> None:
    """Of a curve, a surface, a set and a mesh: the copy moves, the first one stays."""
    for item in KIND_IDS:
        copy = {"id": "c", "verb": "copy", "gives": "second", "item": item}
        build = run(1.0, copy, {"id": "p", "verb": "move", "item": "c", "x": 7})
        assert build.document.kind_of("c") == build.items[item].item.kind
        assert samples(build.items["c"].item) == pytest.approx(
            samples(build.items[item].item) + np.array([7, 0, 0]), abs=1e-9
        )


@pytest.mark.parametrize(
    ("line", "sentence"),
    [
        ({"verb": "take", "item": "l2", "number": 4}, "1 to 3: there are 3 curves"),
        (
            {"verb": "take", "item": "l1"},
            "It needs a set of curves, a set of surfaces, a trimmed surface or a mesh, and circle is a curve.",
        ),
        (
            {"verb": "move", "item": ""},
            "Pick a curve, a set of curves, a surface, a set of surfaces, a trimmed surface or a mesh for this line.",
        ),
        ({"verb": "move", "item": "gone"}, "What it used was removed. Pick a curve"),
        ({"verb": "mirror", "item": "l3"}, "A surface is mirrored alone: choose “alone”."),
        ({"verb": "mirror", "item": "l4"}, "A set of surfaces is mirrored alone"),
        ({"verb": "revolve", "profile": "l2"}, "It needs a curve, and circles is a set of curves. Pick another."),
        ({"verb": "flatten", "curve": "l5"}, " is a mesh."),
        ({"verb": "row", "item": "l5", "count": 2000, "x": 1, "gives": "many"}, ""),
        ({"verb": "row", "item": "l2", "count": 2000}, ""),
    ],
)
def test_refusals_name_kinds_in_words(line: dict[str, Any], sentence: str) -> None:
    """Articles and plurals come from the kinds; what is not refused is good."""
    report = run(1.0, {"id": "p", **line}).reports["p"]
    text = " ".join(finding.sentence for finding in report.findings)
    assert sentence in text
    assert (report.status in ("failed", "waiting")) == bool(sentence)


def test_what_cannot_join_is_offered_to_be_mirrored_alone() -> None:
    """The refusal is one press from a line that works."""
    findings = run(1.0, {"id": "p", "verb": "mirror", "item": "l3"}).reports["p"].findings
    (action,) = [action for finding in findings for action in finding.actions]
    assert (action.field, action.value) == ("kept", "alone")
    mended = run(1.0, {"id": "p", "verb": "mirror", "item": "l3", action.field: action.value})
    assert mended.reports["p"].status == "good"


def test_kinds_have_their_words() -> None:
    """As in a sentence."""
    assert one_of(["curve"]) == "a curve"
    assert one_of(["curves", "mesh", "mark"]) == "a set of curves, a mesh or a mark"


def test_the_kind_of_what_is_given_is_known_before_it_is_built() -> None:
    """Through copies of copies, sets of sets and takes of those; a line that has nothing yet counts as a curve's."""
    build = run(
        1.0,
        {"id": "a", "verb": "copy", "gives": "a", "item": "l3"},
        {"id": "b", "verb": "row", "gives": "b", "item": "a"},
        {"id": "c", "verb": "ring", "gives": "c", "item": "b"},
        {"id": "d", "verb": "take", "gives": "d", "item": "c", "number": 2},
        {"id": "e", "verb": "row", "gives": "e", "item": "l6"},
        {"id": "f", "verb": "copy", "gives": "f", "item": ""},
    )
    kinds = build.document.kinds()
    assert [kinds[one] for one in "abcdef"] == ["surface", "surfaces", "surfaces", "surface", "mesh", "curve"]
    for one in "abcde":
        assert build.items[one].item.kind == kinds[one]
    assert default_line(build.document, "mesh").surface in ("d", "c", "b")


@pytest.mark.parametrize("joints", ["apart", "one mesh"])
def test_pieces_of_copies_of_copies_stay_apart(joints: str) -> None:
    """A ring of a row, copied, united with the mesh it began with: every piece has its own key, and is marked alone."""
    lines = [
        {"id": "r", "verb": "row", "gives": "row", "joints": joints, "item": "l5", "count": 3, "x": 20},
        {"id": "g", "verb": "ring", "gives": "ring", "joints": joints, "item": "r", "count": 4, "x": -60},
        {"id": "c", "verb": "copy", "gives": "copy", "item": "g"},
        {"id": "v", "verb": "move", "item": "c", "z": 50},
        {"id": "u", "verb": "unite", "gives": "whole", "meshes": ["g", "c", "l5"], "distance": "0 mm"},
    ]
    build = run(1.0, *lines)
    faces = build.items["l5"].item.mesh.face_count
    for name, count in (("r", 3), ("g", 12), ("c", 12), ("u", 25)):
        keys = [piece.key for piece in as_mesh(build.items[name].item).every_piece]
        assert len(keys) == len(set(keys)) == count
        for piece in (1, 2, count):
            mark = {
                "id": "m",
                "verb": "mark",
                "gives": "m",
                "mesh": name,
                "what": "faces of pieces",
                "pieces": [{"piece": piece}],
            }
            found = run(1.0, *lines, mark).items["m"].item.mark
            owners = as_mesh(build.items[name].item).mesh.faces["piece"]
            assert found.indices.tolist() == np.flatnonzero(owners == piece - 1).tolist()
    for maker, count in (("l5", 25), ("r", 24), ("g", 24), ("c", 12), ("u", 25)):
        mark = {"id": "m", "verb": "mark", "gives": "m", "mesh": "u", "what": "faces made by", "maker": maker}
        assert len(run(1.0, *lines, mark).items["m"].item.mark) == count * faces


@pytest.mark.parametrize("size", SIZES)
@pytest.mark.parametrize("item", KIND_IDS)
def test_everything_is_scaled_to_a_size(item: str, size: float) -> None:
    """As wide, as deep or as high as it is asked, the others by the same factor; what is flat that way says so."""
    lines: list[dict[str, Any]] = []
    for number, (measured, about) in enumerate((("wide", "a place"), ("deep", "its own origin"), ("high", "a place"))):
        scale = {"verb": "scale", "item": f"c{number}", "evenly": "evenly to", "size": "70 * unit", "measured": measured}
        lines += [{"id": f"c{number}", "verb": "copy", "item": item}, {"id": f"w{number}", "about": about, **scale}]
    build = run(size, *lines)
    low, high = kind_of(build.items[item].item).extent(build.items[item].item, np.eye(3))
    span = high - low
    for way in range(3):
        if span[way] < 1e-9 * span.max():
            assert "Measure it another way" in build.reports[f"w{way}"].findings[0].sentence
            continue
        scaled = build.items[f"c{way}"].item
        low, high = kind_of(scaled).extent(scaled, np.eye(3))
        assert high - low == pytest.approx(span * 70 * size / span[way], rel=2e-3)
        assert (high - low)[way] == pytest.approx(70 * size, rel=1e-6)


@pytest.mark.parametrize("size", SIZES)
@pytest.mark.parametrize(("axis", "along"), [("upright axis", 2), ("left-right axis", 0), ("front-back axis", 1)])
@pytest.mark.parametrize("item", ["l1", "l3", "l5"])
def test_a_ring_stands_at_a_radius(item: str, axis: str, along: int, size: float) -> None:
    """Seven copies evenly round, all as far from the axis; the middle of the first, of whatever kind, at 40 from it."""
    ring = {"id": "r", "verb": "ring", "item": item, "count": 7, "axis": axis, "radius": "40 * unit", "joints": "apart"}
    build = run(size, ring)
    assert build.reports["r"].status == "good"
    copies = np.array_split(samples(build.items["r"].item), 7)
    across = np.delete(np.array([points.mean(axis=0) for points in copies]), along, axis=1)
    away = np.linalg.norm(across, axis=1)
    assert away == pytest.approx(np.full(7, away[0]), rel=1e-9)
    turns = np.unwrap(np.arctan2(*across.T))
    assert np.abs(np.diff(turns)) == pytest.approx(np.full(6, 2 * np.pi / 7), abs=1e-9)
    first = copies[0]
    middle = np.delete((first.min(axis=0) + first.max(axis=0)) / 2, along)
    assert np.linalg.norm(middle) == pytest.approx(40 * size, rel=1e-6)
