"""Helical ridges with their core: threads, blades, beads."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.make.line_and_arc import make_arc, make_polyline
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.gauges.face_figures import figures_of
from glass_spoon.kernel.meshes.mesh import Mesh, check_mesh
from glass_spoon.kernel.meshing.mesh_set import mesh_set
from glass_spoon.kernel.meshing.set_counts import Wish
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import evaluate_grid
from glass_spoon.kernel.surfaces.make.ridge import RidgeShape, make_ridge, split_profile
from glass_spoon.kernel.surfaces.sets.orient_set import orient_set
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet
from glass_spoon.kernel.thread_sizes import MetricThread, read_designation
from tests.zoo import TURN, enclosed_by

# ISO 724, basic dimensions in mm: designation, pitch, pitch diameter d2, minor diameter d1. Written down from memory.
ISO_724 = [
    ("M6", 1.0, 5.350, 4.917),
    ("M8", 1.25, 7.188, 6.647),
    ("M10", 1.5, 9.026, 8.376),
    ("M12", 1.75, 10.863, 10.106),
    ("M16", 2.0, 14.701, 13.835),
    ("M20", 2.5, 18.376, 17.294),
    ("M24", 3.0, 22.051, 20.752),
    ("M24x1.5", 1.5, 23.026, 22.376),
]


def blade(width: float = 4, tip: float = 2, rise: float = 6) -> NurbsCurve:
    low = (width - tip) / 2
    return make_polyline([[0, 0, 0], [low, rise, 0], [low + tip, rise, 0], [width, 0, 0]])


def thread_profile(thread: MetricThread) -> NurbsCurve:
    return blade(thread.foot, thread.crest, thread.depth)


def edge_uses(mesh: Mesh) -> np.ndarray:
    return np.bincount(mesh.topology.edges.of_corner)


def closed(turns: float = 3.0, **more: object) -> RidgeShape:
    values: dict[str, object] = {"radii": (10.0, 10.0), "height": 60.0, "lead": 8.0, "first": 4.0, "turns": turns}
    return RidgeShape(**(values | {"ends": ("flat", "flat")} | more))  # type: ignore[arg-type]


@pytest.mark.parametrize(("name", "pitch", "middle", "minor"), ISO_724)
def test_designation_gives_the_diameters_of_iso_724(name: str, pitch: float, middle: float, minor: float) -> None:
    """Pitch, pitch diameter and minor diameter as in the standard's table."""
    thread = read_designation(name)
    assert thread.pitch == pitch
    assert thread.pitch_diameter == pytest.approx(middle, abs=6e-4)
    assert thread.minor_diameter == pytest.approx(minor, abs=6e-4)


@pytest.mark.parametrize("text", ["", "24", "M", "M25", "Mx2", "M24x20", "M24x0", "M24 coarse"])
def test_other_designations_are_refused_with_a_sentence(text: str) -> None:
    """Sizes that are none are refused by what one should write."""
    with pytest.raises(KernelError, match="should be"):
        read_designation(text)


@pytest.mark.parametrize(("name", "pitch", "middle", "minor"), ISO_724)
def test_finished_thread_has_the_diameters_of_iso_724(name: str, pitch: float, middle: float, minor: float) -> None:
    """The widths of thread and groove are equal at the pitch diameter."""
    thread = read_designation(name)
    core = thread.minor_diameter / 2
    shape = RidgeShape((core, core), 8 * pitch, pitch, pitch, 5.0)
    pieces = make_ridge(thread_profile(thread), shape, 1e-4).surfaces
    places = np.concatenate([evaluate_grid(p, *(np.linspace(*p.domain(k), 33) for k in (0, 1))).points for p in pieces[:25]])
    radius = np.hypot(places[..., 0], places[..., 1])
    assert 2 * radius.max() == pytest.approx(thread.diameter, abs=2e-4)
    assert 2 * radius.min() == pytest.approx(minor, abs=8e-4)
    # Both flanks at the same angle, midway along: where they stand half a pitch apart is the pitch diameter.
    sides = [_axial_line(piece) for piece in pieces[:25]]
    sides = [side for side in sides if abs(np.diff(side[:, 0])[0]) > 0.1 * pitch]
    rising, falling = ([side for side in sides if (side[1, 0] > side[0, 0]) == up][2] for up in (True, False))
    at = np.linspace(core, thread.diameter / 2, 201)
    low = np.interp(at, rising[:, 0], rising[:, 1])
    high = np.interp(at, falling[::-1, 0], falling[::-1, 1])
    width = (high - low) % pitch
    assert 2 * np.interp(-pitch / 2, -width, at) == pytest.approx(middle, abs=8e-4)


def _axial_line(piece: object) -> np.ndarray:
    """Return radius and height (2, 2) at both ends of the profile's run, halfway along a strip."""
    u, v = (piece.domain(k) for k in (0, 1))  # type: ignore[attr-defined]
    ends = evaluate_grid(piece, np.array([sum(u) / 2]), np.array(v)).points[0]  # type: ignore[arg-type]
    return np.column_stack((np.hypot(ends[:, 0], ends[:, 1]), ends[:, 2]))


def test_one_more_turn_adds_the_profile_swept_round_by_pappus() -> None:
    # A section through the axis goes round: volume = area x way of its centroid, whatever the pitch.
    """The volume of a turn by area and way of its centroid."""
    shorter, longer = (enclosed_by(make_ridge(blade(), closed(turns), 1e-5)) for turns in (3.0, 4.0))
    area, centroid = 18.0, 10 + 6 * (4 + 2 * 2) / (3 * (4 + 2))
    assert longer - shorter == pytest.approx(TURN * centroid * area, rel=1e-5)


@pytest.mark.parametrize(("turns", "starts"), [(0.2, 1), (0.5, 1), (0.95, 1), (0.2, 3)])
def test_less_than_a_turn_adds_its_faded_sections_swept_round_by_pappus(turns: float, starts: int) -> None:
    """The ridge goes as far as it is told, and bare core follows: volume by quadrature of area times the way it goes."""
    shape = closed(turns, starts=starts, lead=8.0 * starts, fade=(0.5, 0.7))
    angle = np.linspace(0, TURN * turns, 20_001)
    step = np.minimum(np.clip(angle / 0.5, 0, 1), np.clip((angle[-1] - angle) / 0.7, 0, 1))
    fade = (step**3 * (10 - 15 * step + 6 * step**2))[:, None]
    runs = split_profile(blade(), 8.0)
    along, out, level = (
        np.concatenate([getattr(runs[0], name)[:1], *(getattr(run, name)[1:] for run in runs)])
        for name in ("along", "out", "level")
    )
    z, h = fade * along + (1 - fade) * level, fade * out
    low, high, width = h[:, :-1], h[:, 1:], np.diff(z, axis=1)
    sections = (width * (10 * (low + high) / 2 + (low**2 + low * high + high**2) / 6)).sum(axis=1)
    added = starts * np.trapezoid(sections, angle)
    assert enclosed_by(make_ridge(blade(), shape, 1e-4)) == pytest.approx(np.pi * 100 * 60 + added, rel=2e-6)


def test_left_hand_is_the_mirror_image() -> None:
    """Left and right hand have the same volume, more than the core's."""
    right, left = (enclosed_by(make_ridge(blade(), closed(hand=hand))) for hand in (1, -1))
    assert left == pytest.approx(right, rel=1e-12)
    assert right > np.pi * 100 * 60


def test_internal_ridge_faces_the_axis() -> None:
    """Turned inwards, the same ridge encloses the same with the other sign."""
    outer = enclosed_by(make_ridge(blade(), closed()))
    inner = enclosed_by(make_ridge(blade(), closed(inward=True)))
    assert inner == pytest.approx(-outer, rel=1e-12)


def test_core_alone_remains_where_the_ridge_has_no_height() -> None:
    """A flat profile leaves the cylinder of the core."""
    flat = make_polyline([[0, 0, 0], [2, 0, 0], [4, 0, 0]])
    assert enclosed_by(make_ridge(flat, closed(), 1e-5)) == pytest.approx(np.pi * 100 * 60, rel=1e-6)


@pytest.mark.parametrize(
    "more",
    [
        {},
        {"hand": -1, "phase": 1.0},
        {"turns": 2.37},
        {"starts": 3, "lead": 24.0, "turns": 1.4},
        {"radii": (6.0, 14.0)},
        {"ends": ("pointed", "domed"), "points": (15.0, 0.0)},
        {"fade": (3.0, 0.2)},
        {"turns": 0.5, "fade": (1.0, 1.5)},
        {"starts": 3, "lead": 24.0, "turns": 0.2, "fade": (0.5, 0.5)},
    ],
)
def test_every_ridge_meshes_as_one_closed_piece_of_quads(more: dict[str, object]) -> None:
    """Starts, fades, tapers and ends of all kinds: closed, quads, Euler number two."""
    shape = make_ridge(blade(), closed(**more))  # type: ignore[arg-type]
    assert shape.open_edges == []
    oriented = orient_set(shape)
    assert not oriented.turned.any()
    assert not oriented.one_sided
    mesh = mesh_set(shape, Wish((3.0, 1.5)))
    check_mesh(mesh)
    assert mesh.topology.is_quads
    assert mesh.point_count - len(mesh.topology.edges.ends) + mesh.face_count == 2
    assert (edge_uses(mesh) == 2).all()


@pytest.mark.parametrize("wish", [(3.0, 1.5), (2.7, 1.5), (2.0, 2.0), (1.3, 1.1)])
def test_a_point_is_meshed_to_its_tip(wish: tuple[float, float]) -> None:
    """Whatever the counts round it: a vertex lies at the tip, 15 mm below the core; a dome is nearly as high as it is."""
    shape = make_ridge(blade(), closed(ends=("pointed", "domed"), points=(15.0, 0.0)))
    mesh = mesh_set(shape, Wish(wish))
    check_mesh(mesh)
    lowest = mesh.positions[np.argmin(mesh.positions[:, 2])]
    assert np.allclose(lowest, [0, 0, -15], atol=1e-6)
    assert mesh.positions[:, 2].max() > 60 + 9.0


def test_a_long_core_goes_on_bare_with_square_faces() -> None:
    """Above the collar lines stand upright and rings lie level; without it they would lean over the whole length."""
    shape = make_ridge(blade(), closed(height=160.0, ends=("open", "open")))
    mesh = mesh_set(shape, Wish((3.0, 3.0)))
    smallest = np.degrees(figures_of(mesh).smallest_corners)
    bare = (mesh.positions[mesh.topology.face_corners, 2].reshape(-1, 4) > 90).all(axis=1)
    assert bare.sum() > 300
    assert smallest[bare].min() > 89
    assert smallest.min() > 20
    assert enclosed_by(make_ridge(blade(), closed(height=160.0), 1e-5)) - enclosed_by(
        make_ridge(blade(), closed(), 1e-5)
    ) == pytest.approx(np.pi * 100 * 100, rel=1e-6)


def test_open_ends_leave_two_rims() -> None:
    """Without ends there are two rims, at the bottom and the top."""
    shape = make_ridge(blade(), closed(ends=("open", "open")))
    mesh = mesh_set(shape, Wish((3.0, 1.5)))
    assert mesh.point_count - len(mesh.topology.edges.ends) + mesh.face_count == 0
    heights = mesh.positions[np.unique(mesh.topology.edges.ends[edge_uses(mesh) == 1]), 2]
    assert np.allclose(np.minimum(heights, 60 - heights), 0, atol=1e-9)


def test_loops_of_the_ridge_run_along_the_helix() -> None:
    """Edges along the crest rise as the pitch does."""
    mesh = mesh_set(make_ridge(blade(), closed()), Wish((3.0, 1.5)))
    crest = np.abs(np.hypot(*mesh.positions[:, :2].T) - 16) < 1e-3
    edges = mesh.topology.edges.ends
    along = edges[crest[edges].all(axis=1)]
    rise = np.abs(np.diff(mesh.positions[along, 2], axis=1)[:, 0])
    turn = np.abs(np.angle(np.exp(1j * np.diff(np.arctan2(*mesh.positions[along, :2].T[::-1]).T, axis=1)[:, 0])))
    slanted = turn > 0.05  # the others run across the crest
    assert np.allclose(rise[slanted], 8 * turn[slanted] / TURN, atol=2e-3)


@pytest.mark.parametrize(
    ("profile", "more", "words"),
    [
        (blade(9, 2), {}, "at most 8 mm wide, the pitch"),
        (blade(), {"turns": 9.0}, "it needs 84.8 mm. At most 5.9 turns fit"),
        (blade(), {"first": 0.1}, "above the foot"),
        (blade(), {"turns": 0.5, "height": 14.0}, "it needs 20.8 mm. Make the core longer"),
        (blade(), {"fade": (0.01, 1.0)}, "at least 5°"),
        (blade(), {"fade": (15.0, 15.0)}, "together"),
        (make_polyline([[0, 1, 0], [2, 6, 0], [4, 0, 0]]), {}, "starts and ends on the core"),
        (make_polyline([[0, 0, 0], [2, -12, 0], [4, 0, 0]]), {}, "clear of the axis"),
        (blade(), {"radii": (0.0, 5.0)}, "above 0 mm"),
        (blade(), {"starts": 13}, "1 to 12"),
    ],
)
def test_what_cannot_be_wound_is_refused_with_what_could(profile: NurbsCurve, more: dict[str, object], words: str) -> None:
    """Profiles and shapes that fail are told with what would do."""
    with pytest.raises(KernelError, match=words):
        make_ridge(profile, closed(**more))  # type: ignore[arg-type]


@settings(max_examples=25)
@given(
    st.floats(0.4, 6),
    st.integers(1, 4),
    st.floats(2, 12),
    st.tuples(st.floats(0.02, 7), st.floats(0.02, 7)),
    st.tuples(st.floats(2, 20), st.floats(2, 20)),
    st.booleans(),
)
def test_any_ridge_is_closed_or_refused(
    turns: float, starts: int, width: float, fade: tuple[float, float], radii: tuple[float, float], bead: bool
) -> None:
    """Random ridges close and hold more than their core, or are refused."""
    foot = min(4.0, width)
    profile = make_arc([foot / 2, 0, 0], [-foot / 2, 0, 0], [0, 3, 0], 0, np.pi) if bead else blade(foot, foot / 2)
    shape = closed(turns=turns, starts=starts, lead=starts * width, fade=fade, radii=radii, height=90.0)
    try:
        made: SurfaceSet = make_ridge(profile, shape)
    except KernelError as error:
        assert str(error).endswith(".")
        return
    assert made.open_edges == []
    mesh = mesh_set(made, Wish((4.0, 2.0)))
    check_mesh(mesh)
    assert (edge_uses(mesh) == 2).all()
    assert enclosed_by(made) > np.pi * min(radii) ** 2 * 90 * 0.999
