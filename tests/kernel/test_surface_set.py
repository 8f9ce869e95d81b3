"""Sets of surfaces: shared edges, sides, and the mesh of one piece."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from glass_spoon.kernel.curves.alter.place_curve import moving, place_curve, turning
from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.curves.evaluate.even_lengths import measure_alike, points_alike
from glass_spoon.kernel.curves.make.flat_shapes import make_circle
from glass_spoon.kernel.curves.make.line_and_arc import make_polyline
from glass_spoon.kernel.errors import CountImpossible, TooManyFaces
from glass_spoon.kernel.gauges.deviation import face_deviations
from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.kernel.meshes.mesh import Mesh, check_mesh
from glass_spoon.kernel.meshing.cut_set import cut_at_kinks
from glass_spoon.kernel.meshing.mesh_set import _drop_closed_strips, mesh_set
from glass_spoon.kernel.meshing.set_counts import Wish, plan_counts
from glass_spoon.kernel.meshing.set_parts import Parts
from glass_spoon.kernel.surfaces.alter.edit_surface import place_surface, reverse_surface, split_surface
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.make.loft import LoftShape, loft_sections
from glass_spoon.kernel.surfaces.sets.orient_set import orient_set
from glass_spoon.kernel.surfaces.sets.surface_set import EdgeName, SurfaceSet, place_set
from tests.zoo import ORIGIN, TURN, UP, enclosed_by, kettle_profile, random_curve, revolve_curve, sphere, torus


def can(radius: float = 20.0, height: float = 40.0) -> NurbsSurface:
    ring = make_circle((0, 0), radius)
    return loft_sections([ring, place_curve(ring, moving([0, 0, height]))], LoftShape(degree=1, ends=("flat", "flat")))


def sphere_in_parts() -> list[NurbsSurface]:
    whole = sphere(20.0)
    low, high = whole.domain(0)
    first, rest = split_surface(whole, 0, low + 0.25 * (high - low))
    second, third = split_surface(rest, 0, low + 0.5 * (high - low))
    return [first, second, third]


def euler(mesh: Mesh) -> int:
    return mesh.point_count - len(mesh.topology.edges.ends) + mesh.face_count


def test_edges_are_found_shared_whichever_way_they_run() -> None:
    """A reversed piece still shares its edges, and the set is closed."""
    first, second, third = sphere_in_parts()
    shape = SurfaceSet((first, reverse_surface(second, 1), third))
    assert len(shape.shared) == 3
    assert {pair.reversed for pair in shape.shared} == {True, False}
    assert shape.open_edges == []
    assert max(pair.gap for pair in shape.shared) < 1e-9
    assert shape.neighbours(0) == [1, 2]


def test_edges_apart_by_more_than_the_tolerance_are_open() -> None:
    """The tolerance decides whether two edges are one."""
    first, second, _ = sphere_in_parts()
    apart = place_set(SurfaceSet((second,)), moving([0.01, 0, 0])).surfaces[0]
    assert SurfaceSet((first, apart)).shared == []
    assert len(SurfaceSet((first, apart), 0.05).shared) == 1
    assert set(SurfaceSet((first, apart)).open_edges) == {EdgeName(k, 1, end) for k in (0, 1) for end in (0, -1)}


def test_neighbours_are_turned_to_face_alike_and_closed_ones_outwards() -> None:
    """Turned pieces face outwards again, and which were turned is told."""
    first, second, third = sphere_in_parts()
    inward = [reverse_surface(first, 0), second, reverse_surface(third, 1)]
    oriented = orient_set(SurfaceSet(tuple(inward)))
    assert enclosed_by(oriented.shape) == pytest.approx(4 / 3 * np.pi * 8000, rel=1e-9)
    assert oriented.turned.tolist() == [True, False, True]
    assert not oriented.one_sided


def test_a_band_with_half_a_twist_is_told_as_one_sided() -> None:
    """A band with half a twist has no outside."""
    rows = [loft_line(float(angle)) for angle in np.linspace(0, TURN, 13)]
    pieces = tuple(loft_sections([a, b], LoftShape(degree=1, align=False)) for a, b in pairwise(rows))
    assert orient_set(SurfaceSet(pieces)).one_sided


def loft_line(angle: float) -> NurbsCurve:
    half = np.array([np.cos(angle / 2), 0, np.sin(angle / 2)]) * 4
    line = make_polyline([np.array([20, 0, 0]) - half, np.array([20, 0, 0]) + half])
    return place_curve(line, turning(ORIGIN, UP, angle))


@pytest.mark.parametrize("poles", ["quads", "fan"])
@pytest.mark.parametrize(
    ("surfaces", "number"),
    [([sphere(20.0)], 2), (sphere_in_parts(), 2), ([torus(30.0, 8.0)], 0), ([can()], 2)],
    ids=["sphere", "sphere in parts", "torus", "can"],
)
def test_closed_sets_mesh_watertight(surfaces: list[NurbsSurface], number: int, poles: str) -> None:
    """Set meshes close with poles of both kinds, and hold the surface's volume."""
    shape = orient_set(SurfaceSet(tuple(surfaces))).shape
    mesh = mesh_set(shape, Wish((3.0, 3.0)), poles)  # type: ignore[arg-type]
    check_mesh(mesh)
    assert euler(mesh) == number
    assert (np.bincount(mesh.topology.edges.of_corner) == 2).all()
    assert mesh.topology.is_quads == (poles == "quads" or number == 0)
    assert enclosed_volume(mesh) == pytest.approx(
        enclosed_by(shape), rel=0.03
    )  # 17 edges round the tube: a polygon of 17 sides
    assert face_deviations(mesh, shape)[1].max() < 0.2


def test_sharp_edges_within_and_between_surfaces_are_creases() -> None:
    """Kinks inside a surface and edges between surfaces both crease the mesh."""
    mesh = mesh_set(SurfaceSet((can(),)), Wish(counts=(48, 10)))
    sharp = mesh.topology.edges.ends[np.isinf(mesh.edges["sharpness"])]
    assert len(sharp) == 96
    assert set(np.round(mesh.positions[sharp.ravel(), 2], 6)) == {0.0, 40.0}
    parts = split_surface(can(), 1, sum(can().domain(1)) / 2)
    joined = mesh_set(SurfaceSet(parts), Wish((3.0, 3.0)))
    sharp = joined.topology.edges.ends[np.isinf(joined.edges["sharpness"])]
    assert set(np.round(joined.positions[sharp.ravel(), 2], 6)) == {0.0, 40.0}


def test_faces_name_their_surface_and_corners_their_place_on_it() -> None:
    """Each face knows its surface, and UVs run over the seam."""
    shape = SurfaceSet(split_surface(can(), 1, sum(can().domain(1)) / 2))
    mesh = mesh_set(shape, Wish((3.0, 3.0)))
    lower = mesh.face_centers[:, 2] < 20
    assert (mesh.faces["piece"][lower] == 0).all()
    assert (mesh.faces["piece"][~lower] == 1).all()
    uv = mesh.corners["uv"]
    assert uv.min() > -0.5  # corners across the seam of the disc are moved by a turn
    assert np.ptp(uv[:, 1]) == pytest.approx(1.0)


def test_counts_agree_along_chains_and_rims_of_quads_are_even() -> None:
    """Shared edges have one count, and rims round poles are even."""
    cut = cut_at_kinks(SurfaceSet(tuple(sphere_in_parts())))
    assert sorted((len(fan.sectors), fan.closed) for fan in cut.fans) == [(3, True), (3, True)]
    counts = plan_counts(cut, Wish((7.0, 2.0)), "quads")
    for pair in cut.shape.shared:
        assert counts[pair.first.piece, pair.first.axis] == counts[pair.second.piece, pair.second.axis]
    rims = [sum(counts[sector.piece, sector.axis] for sector in fan.sectors) for fan in cut.fans]
    assert all(rim % 2 == 0 for rim in rims)


def test_predicted_size_and_poles_are_limited_before_memory_is_taken() -> None:
    """Too many faces are refused before they are made."""
    with pytest.raises(TooManyFaces):
        mesh_set(SurfaceSet((torus(30.0, 8.0),)), Wish((1e-4, 1e-4)))
    with pytest.raises(CountImpossible, match="round a pole"):
        mesh_set(SurfaceSet((sphere(20.0),)), Wish((0.05, 10.0)))


def test_kettle_as_a_set_is_the_kettle() -> None:
    """One surface as a set gives the disc that the surface alone would."""
    body = revolve_curve(kettle_profile(), ORIGIN, UP, TURN)
    shape = SurfaceSet((body,))
    mesh = mesh_set(shape, Wish((8.0, 8.0)))
    assert euler(mesh) == 1
    assert face_deviations(mesh, shape)[1].max() < 1.0
    assert len({tuple(sector.piece for sector in fan.sectors) for fan in cut_at_kinks(shape).fans}) == 1


@settings(max_examples=40)
@given(st.integers(0, 10_000), st.integers(1, 5), st.integers(0, 8))
def test_lengths_of_many_curves_are_those_of_each(seed: int, degree: int, more: int) -> None:
    """Batched arc lengths agree with each curve's own."""
    rng = np.random.default_rng(seed)
    first = random_curve(rng, degree, degree + 1 + more, rational=False)
    curves = [first]
    for _ in range(3):
        curves.append(type(first)(degree, first.knots, rng.normal(size=first.control_points.shape) * 10, first.weights))
    table = measure_alike(curves)
    shares = np.linspace(0, 1, 9)
    params = table.to_params(np.arange(4), shares, exact=True)
    assert np.allclose(points_alike(curves, params), [curve_points(c, p) for c, p in zip(curves, params, strict=True)])
    for curve, own, length in zip(curves, params, table.lengths, strict=True):
        exact = measure_length(curve)
        assert length == pytest.approx(exact.length, rel=1e-3)  # near a cusp the speed is no polynomial
        assert np.abs(exact.at_params(own) - shares * exact.length).max() < 5e-3 * exact.length


@pytest.mark.parametrize("sectors", [6, 12, 16])
def test_quads_about_a_pole_lie_on_the_sectors_across_it(sectors: int) -> None:
    """The core of a disc made of sectors reaches over its middle: every vertex is on the disc, whosever face it is."""
    slice_ = revolve_curve(make_polyline([[0, 0, 5], [12, 0, 5]]), ORIGIN, UP, TURN / sectors)
    parts = [place_surface(slice_, turning([0, 0, 0], [0, 0, 1], k * TURN / sectors)) for k in range(sectors)]
    shape = SurfaceSet(tuple(parts), 1e-4)
    mesh = mesh_set(shape, Wish(lengths=(0.55, 0.55)))
    assert mesh.topology.is_quads
    assert face_deviations(mesh, shape)[1].max() < 1e-3


def test_faces_whose_sides_fall_together_go_or_become_triangles() -> None:
    """Of a quad with one side of no length three corners are left; with two, or opposite corners as one, nothing."""
    faces = np.array([[0, 1, 2, 3], [1, 4, 5, 2], [4, 6, 7, 5], [6, 8, 9, 7], [8, 10, 11, 9]])
    uv = np.stack((faces, -faces), axis=2).astype(float)
    parts = Parts([np.zeros((12, 3))], [np.zeros((12, 3))], [faces], [uv], [np.arange(5)], 12)
    #                  0  1  2  3  4  5  6  7  8  9 10 11
    labels = np.array([0, 1, 2, 3, 4, 2, 4, 2, 8, 8, 10, 8])
    _drop_closed_strips(parts, labels)
    assert parts.faces[0].tolist() == [[0, 1, 2, 3]]
    assert parts.faces[1].tolist() == [[2, 1, 4], [9, 7, 6]]
    assert parts.uvs[1][0, :, 0].tolist() == [2, 1, 4]
    assert parts.owners[1].tolist() == [1, 3]
    assert len(parts.faces) == 2
