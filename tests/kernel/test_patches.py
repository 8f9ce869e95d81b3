"""Patches over boundaries and nets, held against balls, planes and formulas; watertight whatever the curves."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from glass_spoon.kernel.curves.alter.place_curve import place_curve, turning
from glass_spoon.kernel.curves.evaluate.closest_on_curve import span_params
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.curves.make.interpolate import interpolate_points
from glass_spoon.kernel.curves.make.line_and_arc import make_arc, make_polyline
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.kernel.meshing.mesh_set import mesh_set
from glass_spoon.kernel.meshing.set_counts import Wish
from glass_spoon.kernel.patches.fill_holes import fill_holes
from glass_spoon.kernel.patches.fill_net import fill_net
from glass_spoon.kernel.patches.fill_region import Filled, fill_region, fill_regions, fill_ring
from glass_spoon.kernel.patches.net_graph import read_net
from glass_spoon.kernel.patches.region import Piece, make_loop, make_loops
from glass_spoon.kernel.surfaces.evaluate.closest_points import closest_points
from glass_spoon.kernel.surfaces.evaluate.evaluate_surface import evaluate_grid
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.make.revolve import revolve_curve

SIZES = [0.5, 5000.0]


def ball(radius: float) -> NurbsSurface:
    """Return a whole ball."""
    half = make_arc([0, 0, 0], [0, 0, -radius], [radius, 0, 0], 0, np.pi)
    return revolve_curve(half, [0, 0, 0], [0, 0, 1], 2 * np.pi)


def great_arc(first, second, radius: float) -> NurbsCurve:
    """Return the shorter arc of a great circle between two directions."""
    a, b = (np.asarray(way, dtype=float) / np.linalg.norm(way) for way in (first, second))
    aside = b - (a @ b) * a
    return make_arc([0, 0, 0], radius * a, radius * aside / np.linalg.norm(aside), 0, np.arccos(a @ b))


def arc_over(start, middle, end) -> NurbsCurve:
    """Return the circular arc from one point to another through a third."""
    normal = np.cross(middle - start, end - start)
    lines = np.stack((middle - start, end - start, normal))
    sums = [(middle - start) @ (middle + start) / 2, (end - start) @ (end + start) / 2, normal @ start]
    center = np.linalg.solve(lines, sums)
    first = start - center
    aside = np.cross(normal / np.linalg.norm(normal), first)
    sweep = np.arctan2((end - center) @ aside, (end - center) @ first) % (2 * np.pi)
    return make_arc(center, first, aside, 0, sweep)


def hole(sides: int, opening: float, radius: float, grade: int) -> list[Piece]:
    """Return the boundary of a hole of so many sides in a ball, its corners `opening` radians from the top."""
    turns = 2 * np.pi * np.arange(sides) / sides + 0.3
    corners = np.stack(
        (np.sin(opening) * np.cos(turns), np.sin(opening) * np.sin(turns), np.full(sides, np.cos(opening))), axis=1
    )
    beside = ball(radius) if grade else None
    return [Piece(great_arc(corners[k], corners[(k + 1) % sides], radius), beside, grade, k) for k in range(sides)]


def grid_of(surface: NurbsSurface, count: int) -> np.ndarray:
    """Return points (count², 3) of a surface, even in its parameters."""
    us, vs = (np.linspace(*surface.domain(axis), count) for axis in (0, 1))
    return evaluate_grid(surface, us, vs).points.reshape(-1, 3)


def radii(surfaces) -> np.ndarray:
    """Return the distances from the origin of many points of surfaces."""
    shares = [(np.linspace(*one.domain(0), 21), np.linspace(*one.domain(1), 21)) for one in surfaces]
    return np.concatenate(
        [np.linalg.norm(evaluate_grid(one, *own).points, axis=2).ravel() for one, own in zip(surfaces, shares, strict=True)]
    )


def filled(pieces: list[Piece], tolerance: float = 1e-6, **more) -> Filled:
    """Fill a boundary."""
    return fill_region(make_loop(pieces, tolerance), **more)


@pytest.mark.parametrize("radius", SIZES)
@pytest.mark.parametrize("sides", [3, 4, 5, 6])
@pytest.mark.parametrize("grade", [1, 2])
def test_a_hole_in_a_ball_is_filled_with_the_ball(sides, grade, radius):
    """Within 0.05 % of the radius, going on within 0.01°, smooth inside, all sizes alike; half a percent is asked for."""
    found = filled(hole(sides, 0.6, radius, grade), 1e-6 * radius)
    assert len(found.surfaces) == (1 if sides == 4 else sides)
    assert radii(found.surfaces) == pytest.approx(radius, rel=5e-4)
    assert np.degrees(max(found.kinks.values())) < 0.01
    assert np.degrees(found.seam) < 0.01
    assert found.off < 1e-4 * radius


def test_regions_filled_together_are_those_filled_alone():
    """Of three kinds and three sizes, some bent more: none knows of another."""
    loops = []
    for sides, opening, radius in (
        (4, 0.6, 1.0),
        (4, 1.1, 40.0),
        (3, 0.6, 1.0),
        (5, 0.9, 3.0),
        (4, 0.2, 0.01),
        (3, 1.0, 7.0),
    ):
        bare = [piece.curve for piece in hole(sides, opening, radius, 0)]
        params = [np.linspace(*curve.domain, 65) for curve in bare]
        normals = [curve_points(curve, at) / radius for curve, at in zip(bare, params, strict=True)]
        known = zip(bare, params, normals, strict=True)
        pieces = [Piece(curve, None, 1, k, (at, along)) for k, (curve, at, along) in enumerate(known)]
        loops.append(make_loop(pieces, 1e-6 * radius))
    for loop, together in zip(loops, fill_regions(loops), strict=True):
        alone = fill_region(loop)
        for one, other in zip(alone.surfaces, together.surfaces, strict=True):
            assert np.abs(one.control_points - other.control_points).max() < 1e-9 * loop.length  # sums in another order
        assert alone.kinks == pytest.approx(together.kinks, abs=1e-7)


@pytest.mark.parametrize("grade", [1, 2])
def test_a_round_hole_in_a_ball_is_filled_with_the_ball(grade):
    """A circle has no corner: five patches close it, within half a percent."""
    rim = make_arc([0, 0, 30], [40, 0, 0], [0, 40, 0], 0, 2 * np.pi)
    found = filled([Piece(rim, ball(50.0), grade)])
    assert len(found.surfaces) == 5
    assert radii(found.surfaces) == pytest.approx(50, rel=5e-3)
    assert np.degrees(max(found.kinks.values())) < 0.01


def test_two_arcs_close_a_lens():
    """Two sides, two corners: six patches that lie on the ball."""
    ends = np.array([[30.0, 0, 40], [-30, 0, 40]])
    arcs = [arc_over(ends[k], np.array([0, y, np.sqrt(2500 - y * y)]), ends[1 - k]) for k, y in enumerate((-12.0, 12.0))]
    found = filled([Piece(arc, ball(50.0), 1, k) for k, arc in enumerate(arcs)], 1e-6)
    assert len(found.surfaces) == 6
    assert radii(found.surfaces) == pytest.approx(50, rel=5e-3)


@pytest.mark.parametrize("tension", [0.0, 5.0])
def test_a_flat_boundary_is_filled_flat(tension):
    """An L of six corners, away from the origin and tilted: no point leaves its plane."""
    corners = np.array([[0, 0, 0], [10, 0, 0], [10, 6, 0], [4, 6, 0], [4, 9, 0], [0, 9, 0], [0, 0, 0]], dtype=float)
    tilt = np.linalg.qr(np.array([[2.0, 1, 0.3], [0.2, 1, 0.5], [0.1, 0.4, 1.5]]))[0]
    found = filled([Piece(make_polyline(corners @ tilt.T + 100))], tension=tension)
    places = np.concatenate([one.control_points.reshape(-1, 3) for one in found.surfaces]) - 100
    assert np.abs(places @ tilt[:, 2]).max() < 1e-8


def test_a_patch_follows_its_curves_and_its_guides():
    """Its edges lie on the curves; a curve inside is passed; tension draws it down."""
    ways = np.linspace(0, 1, 9)
    sides = [
        np.stack((60 * ways, 0 * ways, 8 * np.sin(np.pi * ways)), axis=1),
        np.stack((60 + 0 * ways, 40 * ways, 0 * ways), axis=1),
        np.stack((60 * (1 - ways), 40 + 0 * ways, 8 * np.sin(np.pi * ways)), axis=1),
        np.stack((0 * ways, 40 * (1 - ways), 0 * ways), axis=1),
    ]
    curves = [interpolate_points(side) for side in sides]
    pieces = [Piece(curve, number=k) for k, curve in enumerate(curves)]
    through = np.array([[30.0, 20, 22], [20, 20, 19]])
    plain, guided = filled(pieces), filled(pieces, places=through)
    for found in (plain, guided):
        for curve in curves:
            assert closest_points(found.surfaces[0], curve_points(curve, span_params(curve, 5)))[2].max() < 0.01
    assert closest_points(guided.surfaces[0], through)[2].max() < 1e-2
    assert plain.surfaces[0].control_points[..., 2].max() < 12


def test_ends_that_only_nearly_meet_are_brought_together_or_told():
    """Within the tolerance they are, and the gap is told; beyond it the place and the distance stand in the refusal."""
    pieces = hole(4, 0.6, 50.0, 0)
    moved = NurbsCurve(
        2, pieces[0].curve.knots, pieces[0].curve.control_points + np.array([0, 0, 0.2]), pieces[0].curve.weights
    )
    open_ones = [Piece(moved), *pieces[1:]]
    assert make_loop(open_ones, 0.3).gap == pytest.approx(0.2)
    assert len(filled(open_ones, 0.3).surfaces) == 1
    with pytest.raises(KernelError, match=r"open at .*0\.2 mm away.*Bring these ends together"):
        make_loop(open_ones, 0.1)


@pytest.mark.parametrize("radius", SIZES)
def test_three_great_circles_give_the_ball(radius):
    """Eight three-sided regions: the radius within 0.1 % (here 0.002 %), creases under 0.1°, closed, a closed mesh."""
    axes = np.eye(3) * radius
    circles = [make_arc([0, 0, 0], axes[k], axes[(k + 1) % 3], 0, 2 * np.pi) for k in range(3)]
    net = fill_net(circles, 1e-4 * radius)
    assert (net.sides, len(net.shape.surfaces)) == ({3: 8}, 24)
    assert radii(net.shape.surfaces) == pytest.approx(radius, rel=2e-5)
    assert np.degrees(net.kink) < 0.02
    assert net.shape.open_edges == []
    mesh = mesh_set(net.shape, Wish(counts=(16, 16)))
    assert set(np.diff(mesh.topology.face_offsets)) == {4}
    assert len(mesh.topology.boundary_edges) == 0
    volume = 4 / 3 * np.pi * radius**3
    assert enclosed_volume(mesh) == pytest.approx(volume, rel=0.02)


def grid(height, across: int = 5, along: int = 4) -> list[NurbsCurve]:
    """Return curves over a height field of 100 by 80 mm, some of them run backwards."""
    x, y = np.linspace(0, 100, 41), np.linspace(0, 80, 41)
    up = [np.stack((0 * y + at, y, height(0 * y + at, y)), axis=1) for at in np.linspace(0, 100, across)]
    over = [np.stack((x, 0 * x + at, height(x, 0 * x + at)), axis=1) for at in np.linspace(0, 80, along)]
    return [interpolate_points(row[:: -1 if k % 2 else 1]) for k, row in enumerate(up + over)]


HEIGHTS = {
    "saddle": (lambda x, y: (x - 50) * (y - 40) / 50, 0.05),
    "bowl": (lambda x, y: (x - 50) ** 2 / 100 + (y - 40) ** 2 / 80, 0.1),
    "waves": (lambda x, y: 8 * np.sin(x / 20) * np.cos(y / 25), 0.3),
}


@pytest.mark.parametrize("name", sorted(HEIGHTS))
def test_a_net_over_a_height_field_comes_near_to_it(name):
    """Twelve regions of four sides, creases under 0.3°, between the curves within some tenths of a mm of 100."""
    height, off = HEIGHTS[name]
    net = fill_net(grid(height), 0.5)
    assert net.sides == {4: 12}
    assert np.degrees(net.kink) < 0.3
    for one in net.shape.surfaces:
        places = grid_of(one, 9)
        assert np.abs(places[:, 2] - height(places[:, 0], places[:, 1])).max() < off


def test_regions_are_left_out_and_curves_are_sharp():
    """Without the second region eleven are filled; across a sharp curve neighbours only meet."""
    height = HEIGHTS["waves"][0]
    assert sum(fill_net(grid(height), 0.5, left=frozenset({2})).sides.values()) == 11
    roof = grid(lambda x, y: 30 - np.abs(x - 50) * 0.6 + 0 * y, across=3, along=2)
    assert fill_net(roof, 0.5, sharp=frozenset({1})).sides == {4: 2}
    with pytest.raises(KernelError, match="left out"):
        fill_net(roof, 0.5, left=frozenset({1, 2}))


def test_loose_ends_and_open_nets_are_told():
    """A curve that hangs over is told with its place; curves that close nothing are refused with a way out."""
    frame = grid(lambda x, y: 0 * x + 0 * y, across=2, along=2)
    spur = make_polyline(np.array([[50.0, 0, 0], [50, 30, 0]]))
    graph = read_net([*frame, spur], 0.1)
    assert graph.loose == pytest.approx(np.array([[50.0, 30, 0]]))
    assert len(graph.regions) == 1
    with pytest.raises(KernelError, match="close no region"):
        read_net([spur], 0.1)


@settings(max_examples=12, deadline=None)
@given(st.integers(2, 4), st.integers(2, 4), st.integers(0, 10**6), st.sampled_from([0.01, 1.0, 100.0]))
def test_random_nets_are_watertight_or_refused_in_words(across, along, seed, size):
    """Wherever the curves run, neighbours share their edges: only the outer boundary stays open."""
    random = np.random.default_rng(seed)
    bumps = random.normal(size=(3, 3)) * 6

    def height(x, y):
        u, v = np.pi * np.asarray(x) / 100, np.pi * np.asarray(y) / 80
        return sum(bumps[i, j] * np.sin(i * u + 0.3) * np.cos(j * v) for i in range(3) for j in range(3))

    curves = [
        NurbsCurve(one.degree, one.knots, one.control_points * size, one.weights) for one in grid(height, across, along)
    ]
    try:
        net = fill_net(curves, 0.05 * size)
    except KernelError as error:
        assert str(error)
        return
    assert net.sides == {4: (across - 1) * (along - 1)}
    around = {(edge.piece, edge.axis, edge.end) for edge in net.shape.open_edges}
    assert len(around) == 2 * (across - 1) + 2 * (along - 1)


def round_ring(radius: float, middle=(0.0, 0.0, 0.0), turn: float = 0.0) -> NurbsCurve:
    """Return a circle in plan that starts at a turn."""
    across = np.array([[np.cos(turn), np.sin(turn), 0], [-np.sin(turn), np.cos(turn), 0]])
    return make_arc(middle, radius * across[0], radius * across[1], 0, 2 * np.pi)


def cornered(sides: int, radius: float, middle=(0.0, 0.0), turn: float = 0.0) -> NurbsCurve:
    """Return a polygon in plan."""
    at = 2 * np.pi * np.arange(sides + 1) / sides + turn
    return make_polyline(radius * np.stack((np.cos(at), np.sin(at), 0 * at), axis=1) + np.array([*middle, 0.0]))


def area_of(filled: Filled) -> float:
    """Return the area of patches, by their own derivatives."""
    nodes, weights = np.polynomial.legendre.leggauss(40)
    grids = [evaluate_grid(surface, (nodes + 1) / 2, (nodes + 1) / 2) for surface in filled.surfaces]
    parts = [np.linalg.norm(np.cross(grid.along_u, grid.along_v), axis=2) for grid in grids]
    return float(sum(weights @ part @ weights for part in parts) / 4)


def shoelace(curve: NurbsCurve) -> float:
    """Return the area within a plane curve, by many places."""
    x, y, _ = curve_points(curve, span_params(curve, 400)).T
    return abs(float((x[:-1] * y[1:] - x[1:] * y[:-1]).sum() / 2))


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
@pytest.mark.parametrize(
    ("outer", "inner", "patches"),
    [
        ((0, 30.0), (0, 10.0), 4),
        ((0, 30.0), (0, 10.0, (9, 4)), 4),
        ((4, 30.0), (0, 10.0, (-3, 5)), 4),
        ((0, 30.0), (3, 12.0, (3, 2)), 6),
        ((4, 30.0), (4, 10.0, (0, 0), 0.785), 8),
        ((4, 30.0), (4, 10.0, (0, 0), 0.3), 4),
        ((5, 30.0), (4, 8.0, (-6, 3), 0.3), 6),
        ((4, 30.0), (4, 8.0, (-6, 3), 0.3), 5),
    ],
)
def test_a_flat_boundary_round_a_hole_is_filled_flat(outer, inner, patches, size):
    """Its area is that of the boundary less that of the hole, so nothing folds; it runs from any start, either way round."""

    def made(sides, radius, middle=(0, 0), turn=0.0):
        place = size * np.array(middle, dtype=float)
        return cornered(sides, size * radius, place, turn) if sides else round_ring(size * radius, [*place, 0.0], turn + 1)

    one, other = made(*outer), made(*inner)
    wanted = shoelace(one) - shoelace(other)
    for pieces in ([Piece(one), Piece(other)], [Piece(other).reversed(), Piece(one)]):
        filled = fill_ring(*make_loops(pieces, 1e-3 * size))
        assert patches is None or len(filled.surfaces) == patches
        assert area_of(filled) == pytest.approx(wanted, rel=1e-3)
        assert max(np.abs(surface.control_points[..., 2]).max() for surface in filled.surfaces) < 1e-9 * size
        assert filled.seam < 1e-4 and filled.follows


def line(*places) -> NurbsCurve:
    """Return straight lines in plan."""
    return make_polyline([[*place, 0.0] for place in places])


def arc(middle, radius: float, start: float, end: float) -> NurbsCurve:
    """Return an arc in plan between angles in degrees."""
    return make_arc([*middle, 0.0], [radius, 0, 0], [0, radius, 0], np.radians(start), np.radians(end))


BENT = {
    "a tombstone": (2, [line((0, 0), (40, 0)), line((40, 0), (40, 30)), arc((20, 30), 20, 0, 180), line((0, 30), (0, 0))]),
    "one corner rounded": (3, [line((0, 0), (40, 0), (40, 20)), arc((30, 20), 10, 0, 90), line((30, 30), (0, 30), (0, 0))]),
    "a line into an arc": (3, [line((0, 0), (40, 0), (40, 20)), arc((20, 20), 20, 0, 90), line((20, 40), (0, 0))]),
    "two lines into arcs": (
        2,
        [
            line((0, 0), (30, 0)),
            arc((30, 10), 10, -90, 0),
            line((40, 10), (40, 40), (10, 40)),
            arc((10, 30), 10, 90, 180),
            line((0, 30), (0, 0)),
        ],
    ),
}


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
@pytest.mark.parametrize("name", BENT)
def test_sides_that_run_from_lines_into_arcs_are_followed(name, size):
    """Patches have a vertex where the bend jumps: edges lie 1e-5 of the size off, where splines across it were 1e-3 off."""
    corners, curves = BENT[name]
    placed = [replace(curve, control_points=curve.control_points * size) for curve in curves]
    loop = make_loop([Piece(curve, number=number) for number, curve in enumerate(placed)], 1e-3 * size)
    assert len(loop.sides) == corners
    filled = fill_region(loop)
    places = np.concatenate([curve_points(curve, span_params(curve, 2000))[:-1] for curve in placed])[:, :2]
    ahead = np.roll(places, -1, axis=0)
    wanted = abs(float((places[:, 0] * ahead[:, 1] - ahead[:, 0] * places[:, 1]).sum() / 2))
    assert filled.follows and filled.off < 1e-5 * 40 * size
    assert area_of(filled) == pytest.approx(wanted, rel=2e-5)
    assert filled.seam < 1e-4


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
@pytest.mark.parametrize(
    ("outer", "holes"),
    [
        (4, [(0, (-12, 0), 6), (0, (12, 3), 7)]),
        (4, [(4, (-12, 2), 7), (3, (13, -2), 8)]),
        (0, [(0, (-14, 0), 7), (4, (14, 1), 7)]),
        (6, [(0, (-15, -3), 5), (0, (1, 7), 5), (0, (14, -4), 5)]),
    ],
)
def test_what_holes_leave_of_a_flat_boundary_is_filled(outer, holes, size):
    """Its area is that of the boundary without the holes; flat, without a crease."""

    def made(sides, middle, radius):
        place, turn = size * np.array(middle, float), 0.2
        return cornered(sides, size * radius, place, turn) if sides else round_ring(size * radius, [*place, 0.0], turn)

    curves = [made(outer, (0, 0), 32), *(made(*hole) for hole in holes)]
    filled = fill_holes((loops := make_loops([Piece(curve) for curve in curves], 1e-3 * size))[0], loops[1:])
    wanted = shoelace(curves[0]) - sum(shoelace(curve) for curve in curves[1:])
    assert area_of(filled) == pytest.approx(wanted, rel=1e-3)
    assert max(np.abs(surface.control_points[..., 2]).max() for surface in filled.surfaces) < 1e-9 * size
    assert filled.seam < 1e-4 and filled.follows


def test_a_ball_with_two_holes_is_given_back():
    """Going on smoothly from the ball at all three, without a crease; within 2 % of its radius."""
    rims = [round_ring(60 * np.sin(turn), (0, 0, 60 * np.cos(turn)), turn) for turn in (np.radians(35),)]
    for way in ((-0.25, 0.0), (0.25, 0.1)):
        tilts = turning((0, 0, 0), (0, 1, 0), way[0]), turning((0, 0, 0), (1, 0, 0), way[1])
        cap = round_ring(60 * np.sin(0.1), (0, 0, 60 * np.cos(0.1)), 0.1)
        rims.append(place_curve(place_curve(cap, tilts[0]), tilts[1]))
    loops = make_loops([Piece(rim, ball(60), 1, number) for number, rim in enumerate(rims)], 1e-3)
    filled = fill_holes(loops[0], loops[1:])
    shares = np.linspace(0, 1, 11)
    places = np.concatenate([evaluate_grid(one, shares, shares).points.reshape(-1, 3) for one in filled.surfaces])
    assert np.abs(np.linalg.norm(places, axis=1) / 60 - 1).max() < 2e-2
    assert max(filled.kinks.values()) < np.radians(0.1) and filled.seam < np.radians(0.1)


@pytest.mark.parametrize(("middle", "radius"), [((40, 0, 0), 6), ((26, 0, 0), 8), ((-8, 2, 0), 3), ((-2, 0, 0), 6)])
def test_holes_that_are_not_within_a_boundary_and_apart_are_refused(middle, radius):
    """One outside, one across the boundary, one in another hole, one across that."""
    rings = [Piece(round_ring(30)), Piece(round_ring(7, (-9, 0, 0))), Piece(round_ring(radius, middle))]
    loops = make_loops(rings, 0.01)
    with pytest.raises(KernelError, match="apart from other holes"):
        fill_holes(loops[0], loops[1:])


@pytest.mark.parametrize("size", [0.5, 5000.0])
def test_a_ring_of_a_ball_is_given_back_between_two_holes(size):
    """Going on smoothly from the ball at both: 0.1 % of its radius, and no crease."""
    turns = (np.radians(60), np.radians(15))
    rims = [round_ring(size * np.sin(turn), (0, 0, size * np.cos(turn)), turn) for turn in turns]
    loops = make_loops([Piece(rim, ball(size), 1, number) for number, rim in enumerate(rims)], 1e-3 * size)
    filled = fill_ring(*loops)
    shares = np.linspace(0, 1, 11)
    places = np.concatenate([evaluate_grid(one, shares, shares).points.reshape(-1, 3) for one in filled.surfaces])
    assert np.abs(np.linalg.norm(places, axis=1) / size - 1).max() < 1e-3
    assert max(filled.kinks.values()) < np.radians(0.1) and filled.seam < np.radians(0.1)


@pytest.mark.parametrize(
    ("middle", "radius", "words"), [((45, 0, 0), 10, "beside each other"), ((25, 0, 0), 10, "meets the boundary")]
)
def test_loops_that_are_no_hole_are_refused(middle, radius, words):
    """One beside the boundary, and one across it."""
    with pytest.raises(KernelError, match=words):
        fill_ring(*make_loops([Piece(round_ring(30)), Piece(round_ring(radius, middle))], 0.01))
