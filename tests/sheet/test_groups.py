"""Groups with their own origin and axes; things turned and scaled about it, and aligned to places, skins and each other."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from glass_spoon.kernel.curves.alter.frame import Frame, upright_frame
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import evaluate_grid
from glass_spoon.kernel.surfaces.evaluate.extents import surface_extent
from glass_spoon.sheet.cache import ResultCache
from glass_spoon.sheet.document import read_document
from glass_spoon.sheet.evaluate import Build, evaluate
from glass_spoon.sheet.items import MeshItem, as_mesh
from glass_spoon.sheet.lines.place.fields import own_frame
from glass_spoon.sheet.packed_items import pack_result, unpack_result
from glass_spoon.sheet.propose import propose
from tests.sheet.test_solids import run

LAMP = [
    {
        "id": "b",
        "verb": "block",
        "form": "box",
        "width": "20 mm",
        "depth": "12 mm",
        "height": "8 mm",
        "edge": "4 mm",
        "gives": "foot",
    },
    {
        "id": "n",
        "verb": "block",
        "form": "capsule",
        "radius": "3 mm",
        "height": "30 mm",
        "edge": "3 mm",
        "z": "8 mm",
        "gives": "stem",
    },
    {
        "id": "s",
        "verb": "block",
        "form": "ball",
        "radius": "6 mm",
        "sizing": "counts",
        "across": 4,
        "z": "44 mm",
        "gives": "bulb",
    },
]
GROUP = {"id": "g", "verb": "group", "meshes": ["b", "n", "s"], "origin": "bottom", "gives": "lamp"}


def group_of(build: Build, name: str = "g") -> MeshItem:
    item = as_mesh(build.items[name].item)
    assert item is not None
    return item


def test_a_group_shares_no_edges_and_its_parts_rest() -> None:
    """All faces of all, nothing welded, each part a piece with its own maker and name; the parts themselves rest."""
    build = run(*LAMP, GROUP)
    item = group_of(build)
    parts = [group_of(build, name) for name in "bns"]
    assert build.reports["g"].status == "good"
    assert item.mesh.face_count == sum(part.mesh.face_count for part in parts)
    assert item.mesh.topology.components.max() == 2
    assert enclosed_volume(item.mesh) == pytest.approx(sum(enclosed_volume(part.mesh) for part in parts))
    assert {"b", "n", "s"} <= set(build.resting)
    assert {piece.made_by[0] for piece in item.every_piece} == {"b", "n", "s"}
    assert {piece.made_by[-1] for piece in item.every_piece} == {"g"}
    assert item.every_piece[0].colour({"g": "amber"}) == "amber"
    assert item.every_piece[0].colour({"g": "amber", "b": "slate"}) == "slate"


def test_its_origin_and_axes_go_with_it() -> None:
    """Moved, turned, smoothed: the frame is at the middle of the foot, square and right-handed, up along the lamp."""
    build = run(
        *LAMP,
        GROUP,
        {"id": "m", "verb": "move", "item": "g", "x": "30 mm", "y": "5 mm"},
        {"id": "t", "verb": "turn", "item": "g", "angle": "90°", "axis": "front-back axis"},
        {"id": "k", "verb": "smooth", "mesh": "g"},
    )
    frame = own_frame(group_of(build))
    assert np.allclose(frame.axes @ frame.axes.T, np.eye(3), atol=1e-12)
    assert np.linalg.det(frame.axes) == pytest.approx(1)
    places = group_of(build).mesh.positions
    high = (places - frame.origin) @ frame.axes[2]
    assert high.min() == pytest.approx(0, abs=0.5)
    assert high.max() == pytest.approx(50, abs=0.5)
    assert frame.origin == pytest.approx((0, 5, -30)) or frame.origin == pytest.approx((0, 5, 30))


def test_turned_about_its_own_origin_it_stays_there() -> None:
    """After a move a quarter turn about its own upright axis swaps width and depth; scaled by two it grows up."""
    moved = {"id": "m", "verb": "move", "item": "g", "x": "30 mm", "z": "7 mm"}
    before = group_of(run(*LAMP, GROUP, moved)).mesh.positions
    turned = group_of(
        run(*LAMP, GROUP, moved, {"id": "t", "verb": "turn", "item": "g", "angle": "90°", "through": "its own origin"})
    )
    middle = np.array([30.0, 0, 0])
    assert np.allclose(
        turned.mesh.positions - middle, (before - middle) @ np.array([[0, 1, 0], [-1, 0, 0], [0, 0, 1.0]]), atol=1e-9
    )
    grown = group_of(
        run(*LAMP, GROUP, moved, {"id": "s2", "verb": "scale", "item": "g", "factor": 2, "about": "its own origin"})
    )
    assert grown.mesh.positions[:, 2].min() == pytest.approx(7)
    assert grown.mesh.positions[:, 2].max() == pytest.approx(7 + 100)


def test_own_factors_follow_its_own_axes() -> None:
    """A lamp that lies on its side is stretched along itself by the factor up."""
    lying = {"id": "t", "verb": "turn", "item": "g", "angle": "90°", "axis": "front-back axis"}
    tall = {"id": "s2", "verb": "scale", "item": "g", "evenly": "by own factors", "fz": 2, "about": "its own origin"}
    size = np.ptp(group_of(run(*LAMP, GROUP, lying, tall)).mesh.positions, axis=0)
    assert size == pytest.approx((100, 12, 20), abs=1e-6)


def test_what_has_no_origin_is_turned_about_the_middle_of_its_box() -> None:
    """Curve and surface turn about the middle of their box by half a turn."""
    for item, verb in (("c", {"verb": "circle", "radius": "5 mm", "right": "40 mm"}), ("b", LAMP[0])):
        line = {"id": item, **{k: v for k, v in verb.items() if k != "id"}}
        build = run(line, {"id": "t", "verb": "turn", "item": item, "angle": "180°", "through": "its own origin"})
        assert build.reports["t"].status == "good"
        assert own_frame(build.items[item].item).origin == pytest.approx(
            own_frame(run(line).items[item].item).origin, abs=1e-9
        )


def test_a_group_is_repeated_mirrored_and_grouped_again() -> None:
    """Four lamps in a row, all mirrored, in a group of groups: counts multiply, one of them keeps its own frame."""
    build = run(
        *LAMP,
        GROUP,
        {"id": "r", "verb": "row", "item": "g", "count": 4, "x": "40 mm", "gives": "lamps"},
        {"id": "i", "verb": "scale", "item": "r", "evenly": "by own factors", "fx": -1},
        {"id": "a", "verb": "group", "meshes": ["r"], "origin": "place", "x": "5 mm", "gives": "row of lamps"},
    )
    assert [build.reports[line].status for line in "ria"] == ["good"] * 3
    one, all_of = group_of(build), group_of(build, "a")
    assert all_of.mesh.face_count == 4 * one.mesh.face_count
    assert own_frame(all_of).origin == pytest.approx((5, 0, 0))


def skin_of_ball() -> dict[str, Any]:
    return {
        "id": "q",
        "verb": "block",
        "form": "ball",
        "radius": "50 mm",
        "sizing": "counts",
        "across": 24,
        "z": "100 mm",
        "gives": "float",
    }


def test_set_on_a_place_a_skin_and_another() -> None:
    """Foot on the place and upright along the facing; on a ball radially, with a gap; onto another's frame exactly."""
    on = {"id": "x", "verb": "align", "item": "g"}
    placed = group_of(run(*LAMP, GROUP, {**on, "x": "10 mm", "y": "20 mm", "z": "30 mm", "right": 1, "up": 0}))
    along = placed.mesh.positions[:, 0] - 10
    assert (along.min(), along.max()) == pytest.approx((0, 50))
    build = run(
        *LAMP,
        GROUP,
        skin_of_ball(),
        {**on, "to": "to a skin", "body": "q", "x": "100 mm", "z": "100 mm", "by": "its foot", "gap": "2 mm"},
    )
    frame = own_frame(group_of(build))
    ball = np.array([0, 0, 100.0])
    out = (frame.origin - ball) / np.linalg.norm(frame.origin - ball)
    assert np.linalg.norm(frame.origin - ball) == pytest.approx(52, abs=0.2)
    assert frame.axes[2] @ out == pytest.approx(1, abs=2e-3)
    other = {"id": "o", "verb": "block", "form": "box", "x": "70 mm", "gives": "plinth"}
    build = run(*LAMP, GROUP, other, {**on, "to": "to another", "other": "o", "turned": "30°"})
    aim, got = own_frame(build.items["o"].item), own_frame(group_of(build))
    assert got.origin == pytest.approx(aim.origin)
    assert got.axes[0] == pytest.approx((np.cos(np.pi / 6), 0.5, 0))


def test_by_its_head_it_hangs() -> None:
    """Its top comes to the place and looks down on it: it hangs below a ceiling that faces down."""
    build = run(*LAMP, GROUP, {"id": "x", "verb": "align", "item": "g", "by": "its head", "z": "200 mm", "up": -1})
    places = group_of(build).mesh.positions
    assert places[:, 2].max() == pytest.approx(200)
    assert places[:, 2].min() == pytest.approx(150)


@pytest.mark.parametrize("size", [0.01, 100.0])
def test_frames_keep_square_at_any_size(size: float) -> None:
    """A frame brought onto another is square and there, at any size."""
    rng = np.random.default_rng(3)
    for _ in range(50):
        first, second = (upright_frame(rng.normal(size=3) * size, rng.normal(size=3)) for _ in range(2))
        there = first.onto(second)
        assert np.allclose(there.matrix @ there.matrix.T, np.eye(3), atol=1e-12)
        moved = first.placed(there)
        assert np.allclose(moved.origin, second.origin, atol=1e-12 * max(size, 1))
        assert np.allclose(moved.axes, second.axes, atol=1e-12)
    for up in ((1, 0, 0), (-1, 0, 0), (0, 0, -1)):
        assert np.linalg.det(upright_frame(np.zeros(3), np.array(up, dtype=float)).axes) == pytest.approx(1)


def test_a_frame_is_kept_with_the_result() -> None:
    """Packed and read again it is the same."""
    item = group_of(run(*LAMP, GROUP))
    packed = pack_result((item, ()))
    assert packed is not None
    again = unpack_result(packed)[0]
    assert isinstance(again, MeshItem)
    assert isinstance(again.frame, Frame)
    assert np.array_equal(again.frame.origin, item.frame.origin)


GROUND = read_document({"format": "glass-spoon/sheet", "version": 1, "lines": [*LAMP, GROUP, skin_of_ball()]})


@pytest.mark.parametrize(
    ("text", "verb", "values"),
    [
        ("group foot, stem and bulb giving torch", "group", {"meshes": ["b", "n", "s"], "gives": "torch"}),
        ("group foot and stem, origin at the top", "group", {"meshes": ["b", "n"], "origin": "top"}),
        ("turn lamp by 30° about its own origin", "turn", {"item": "g", "angle": "30°", "through": "its own origin"}),
        ("scale lamp by 1.5 about its own origin", "scale", {"item": "g", "factor": "1.5", "about": "its own origin"}),
        (
            "align lamp by its foot to a skin, float, gap 2 mm",
            "align",
            {"item": "g", "by": "its foot", "body": "q", "gap": "2 mm"},
        ),
        (
            "align lamp to another, foot, turned by 45°",
            "align",
            {"item": "g", "to": "to another", "other": "b", "turned": "45°"},
        ),
    ],
)
def test_plain_words(text: str, verb: str, values: dict[str, Any]) -> None:
    """A sentence as one would say it fills the line, and nothing of it is missed."""
    proposal = propose(text, GROUND)[0]
    line = proposal.line
    assert line.verb_name == verb
    assert {name: str(getattr(line, name)) if name == "factor" else getattr(line, name) for name in values} == values
    assert proposal.missed == ()


def test_a_changed_part_changes_the_group() -> None:
    """The bulb grows by a fifth: the group does too, and keeps its origin."""
    cache = ResultCache()
    for radius in (6.0, 7.2):
        lines = [*LAMP[:2], {**LAMP[2], "radius": f"{radius} mm"}, GROUP]
        build = evaluate(read_document({"format": "glass-spoon/sheet", "version": 1, "lines": lines}), cache)
        assert group_of(build).mesh.positions[:, 2].max() == pytest.approx(44 + radius, abs=0.1)
        assert own_frame(group_of(build)).origin == pytest.approx((0, 0, 0), abs=1e-9)


SWUNG = [{"x": 0, "y": 30}, {"x": 15, "y": 10}, {"x": 32, "y": 40}, {"x": 60, "y": 38}, {"x": 70, "y": 60}]
"""A drawn curve whose control points lie well outside of it."""


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
def test_curves_and_surfaces_are_set_down_by_themselves_not_by_their_control_points(size: float) -> None:
    """The lowest place rests on the level, to a billionth of the size: of a curve, a surface, bodies turned."""
    points = [{axis: value * size for axis, value in point.items()} for point in SWUNG]
    curve = {"id": "c", "verb": "draw", "plane": "front", "points": points}
    level = f"{5 * size} mm"
    down = {"id": "d", "verb": "set_down", "level": level}
    build = run(curve, {**down, "item": "c"})
    item = build.items["c"].item.curve
    lowest = curve_points(item, np.linspace(*item.domain, 200_001))[:, 2].min()
    assert lowest == pytest.approx(5 * size, abs=1e-8 * size)
    assert item.control_points[:, 2].min() < lowest - 0.1 * size
    solid = {"id": "r", "verb": "revolve", "profile": "c", "axis": "left-right axis"}
    build = run(curve, solid, {**down, "item": "r"})
    surface = build.items["r"].item.surface
    assert surface_extent(surface, np.eye(3))[0][2] == pytest.approx(5 * size, abs=1e-8 * size)
    us, vs = (np.linspace(*surface.domain(axis), 400) for axis in (0, 1))
    assert evaluate_grid(surface, us, vs).points[..., 2].min() == pytest.approx(5 * size, abs=0.02 * size)
    rod = {
        "id": "b",
        "verb": "block",
        "form": "capsule",
        "radius": f"{4 * size} mm",
        "height": f"{30 * size} mm",
        "edge": f"{3 * size} mm",
    }
    build = run(
        rod,
        {"id": "t", "verb": "turn", "item": "b", "angle": "37°", "axis": "left-right axis"},
        {"id": "w", "verb": "ring", "item": "b", "count": 5},
        {**down, "item": "w"},
    )
    whole = as_mesh(build.items["w"].item)
    assert whole is not None
    assert whole.mesh.positions[:, 2].min() == pytest.approx(5 * size, abs=1e-8 * size)


def test_extents_along_any_axes_are_those_of_a_fine_mesh() -> None:
    """A sphere reaches its radius any way; a torus by formula: R sin of the slant plus r."""
    rng = np.random.default_rng(5)
    whole = {"verb": "simple", "radius": "20 mm", "second": "6 mm", "low": "-90°", "high": "90°"}
    ball_, ring_ = (run({"id": "s", "form": form, **whole}).items["s"].item.surface for form in ("sphere", "torus"))
    for _ in range(10):
        up = rng.normal(size=3)
        axes = upright_frame(np.zeros(3), up).axes
        low, high = surface_extent(ball_, axes)
        assert high == pytest.approx([20] * 3, abs=1e-7)
        assert low == pytest.approx([-20] * 3, abs=1e-7)
        flat = np.hypot(axes[:, 0], axes[:, 1])
        assert surface_extent(ring_, axes)[1] == pytest.approx(20 * flat + 6, abs=1e-7)
