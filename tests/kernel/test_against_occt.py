"""Curves against a general-purpose geometry kernel (OCP, the Python side of Open CASCADE Technology).

Each fact is asked of both with the same control points, knots and weights.
"""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from OCP.GCPnts import GCPnts_AbscissaPoint
from OCP.Geom import Geom_BSplineCurve, Geom_BSplineSurface, Geom_OffsetCurve
from OCP.GeomAdaptor import GeomAdaptor_Curve
from OCP.GeomAPI import (
    GeomAPI_ExtremaCurveCurve,
    GeomAPI_IntCS,
    GeomAPI_Interpolate,
    GeomAPI_ProjectPointOnCurve,
    GeomAPI_ProjectPointOnSurf,
)
from OCP.GeomLProp import GeomLProp_CLProps
from OCP.gp import gp_Dir, gp_Pnt, gp_Vec
from OCP.OCP.collections import Array1_double, Array1_gp_Pnt, Array1_int, Array2_double, Array2_gp_Pnt, HArray1_gp_Pnt

from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.curves.alter.edit_knots import elevate_degree, insert_knots
from glass_spoon.kernel.curves.alter.offset_curve import offset_curve
from glass_spoon.kernel.curves.alter.refit_curve import remove_knot
from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.curves.evaluate.closest_on_curve import closest_params
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_curvature, curve_derivatives, curve_points
from glass_spoon.kernel.curves.make.helix import HelixShape, make_helix
from glass_spoon.kernel.curves.make.interpolate import interpolate_points
from glass_spoon.kernel.curves.read.cross_curves import find_crossings
from glass_spoon.kernel.curves.read.read_curve import least_radius
from glass_spoon.kernel.surfaces.alter.project_curve import project_along, project_nearest
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from tests.zoo import random_curve

SEEDS = st.integers(0, 10_000)
PARAMS = np.linspace(0.01, 0.99, 23)


def numbers(values: Floats) -> Array1_double:
    """Return numbers as the other kernel's array, which counts from one."""
    array = Array1_double(1, len(values))
    for index, value in enumerate(values, 1):
        array.SetValue(index, float(value))
    return array


def knots_of(knots: Floats) -> tuple[Array1_double, Array1_int]:
    """Return distinct knots and their multiplicities."""
    values, counts = np.unique(knots, return_counts=True)
    repeats = Array1_int(1, len(values))
    for index, count in enumerate(counts, 1):
        repeats.SetValue(index, int(count))
    return numbers(values), repeats


def as_occt(curve: NurbsCurve) -> Geom_BSplineCurve:
    """Return the same curve in the other kernel."""
    poles = Array1_gp_Pnt(1, len(curve.control_points))
    for index, point in enumerate(curve.control_points, 1):
        poles.SetValue(index, gp_Pnt(*map(float, point)))
    return Geom_BSplineCurve(poles, numbers(curve.weights), *knots_of(curve.knots), curve.degree)


def as_occt_surface(surface: NurbsSurface) -> Geom_BSplineSurface:
    """Return the same surface in the other kernel."""
    rows, columns = surface.control_points.shape[:2]
    poles, weights = Array2_gp_Pnt(1, rows, 1, columns), Array2_double(1, rows, 1, columns)
    for i in range(rows):
        for j in range(columns):
            poles.SetValue(i + 1, j + 1, gp_Pnt(*map(float, surface.control_points[i, j])))
            weights.SetValue(i + 1, j + 1, float(surface.weights[i, j]))
    (u, u_repeats), (v, v_repeats) = knots_of(surface.knots[0]), knots_of(surface.knots[1])
    return Geom_BSplineSurface(poles, weights, u, v, u_repeats, v_repeats, *surface.degrees)


def triple(point: gp_Pnt | gp_Vec) -> list[float]:
    return [point.X(), point.Y(), point.Z()]


def hill(rng: np.random.Generator) -> NurbsSurface:
    """Return a bicubic height field over 100 by 100 mm, up to 12 mm high."""
    side = np.linspace(0, 100, 6)
    x, y = np.meshgrid(side, side, indexing="ij")
    knots = np.repeat([0, 1 / 3, 2 / 3, 1], [4, 1, 1, 4])
    return NurbsSurface((3, 3), (knots, knots), np.stack((x, y, rng.uniform(0, 12, x.shape)), axis=2), np.ones(x.shape))


@given(SEEDS, st.integers(1, 7))
def test_points_and_derivatives_agree(seed: int, degree: int) -> None:
    """Points, first and second derivatives of a random curve agree with Open CASCADE's."""
    curve = random_curve(np.random.default_rng(seed), degree, degree + 5)
    other = as_occt(curve)
    ours = curve_derivatives(curve, PARAMS, 2)
    for k, t in enumerate(PARAMS):
        point, first, second = gp_Pnt(), gp_Vec(), gp_Vec()
        other.D2(float(t), point, first, second)
        theirs = np.array([triple(point), triple(first), triple(second)])
        assert np.abs(ours[:, k] - theirs).max() <= 1e-10 * (1 + np.abs(theirs).max())


@given(SEEDS)
def test_curvature_and_length_agree(seed: int) -> None:
    """Curvature at places and the whole length agree with theirs."""
    curve = random_curve(np.random.default_rng(seed), 3, 9)
    other = as_occt(curve)
    bends = [GeomLProp_CLProps(other, float(t), 2, 1e-12).Curvature() for t in PARAMS]
    assert curve_curvature(curve, PARAMS) == pytest.approx(bends, rel=1e-8)
    # Its own quadrature is asked for 1e-9 mm.
    assert measure_length(curve).length == pytest.approx(
        GCPnts_AbscissaPoint.Length_s(GeomAdaptor_Curve(other), 1e-9), rel=1e-7
    )


@given(SEEDS, st.integers(2, 5))
def test_inserting_and_removing_knots_gives_the_same_control_points(seed: int, degree: int) -> None:
    """Inserted control points are theirs, and removing the knot gives the curve back."""
    rng = np.random.default_rng(seed)
    curve = random_curve(rng, degree, degree + 4)
    at = float(rng.uniform(0.05, 0.95))
    other = as_occt(curve)
    other.InsertKnot(at, 1, 0.0)
    ours = insert_knots(curve, [at])
    theirs = np.array([triple(other.Pole(k + 1)) for k in range(other.NbPoles())])
    assert np.abs(ours.control_points - theirs).max() <= 1e-10 * (1 + np.abs(theirs).max())
    again = remove_knot(ours, at, 1e-6)
    assert again is not None
    assert np.abs(again.control_points - curve.control_points).max() < 1e-7


@given(SEEDS, st.integers(1, 4), st.integers(1, 3))
def test_raising_the_degree_gives_the_same_control_points(seed: int, degree: int, more: int) -> None:
    """Degree elevation gives their control points."""
    curve = random_curve(np.random.default_rng(seed), degree, degree + 4)
    other = as_occt(curve)
    other.IncreaseDegree(degree + more)
    ours = elevate_degree(curve, degree + more)
    theirs = np.array([triple(other.Pole(k + 1)) for k in range(other.NbPoles())])
    # Both ways through the raised polynomials lose a few digits on weights between 0.5 and 2.
    assert np.abs(ours.control_points - theirs).max() <= 1e-8 * (1 + np.abs(theirs).max())


@given(SEEDS)
def test_no_place_of_the_curve_is_nearer_than_the_closest_one(seed: int) -> None:
    """Their projection and our ends find nothing nearer."""
    rng = np.random.default_rng(seed)
    curve = random_curve(rng, 3, 8)
    points = rng.uniform(-100, 100, (5, 3))
    other = as_occt(curve)
    ours = closest_params(curve, points)[1]
    for point, distance in zip(points, ours, strict=True):
        found = GeomAPI_ProjectPointOnCurve(gp_Pnt(*map(float, point)), other)
        ends = lengths(curve.control_points[[0, -1]] - point).min()
        theirs = min(ends, found.LowerDistance()) if found.NbPoints() else ends
        assert distance <= theirs + 1e-9


@given(SEEDS)
def test_crossings_of_plane_curves_are_the_places_of_no_distance(seed: int) -> None:
    """Each crossing that they find is one of ours."""
    rng = np.random.default_rng(seed)
    curves = []
    for _ in range(2):
        curve = random_curve(rng, 3, 6)
        curves.append(NurbsCurve(3, curve.knots, curve.control_points * [1, 1, 0], curve.weights))
    ours = curve_points(curves[0], find_crossings(*curves)[0])
    extrema = GeomAPI_ExtremaCurveCurve(*map(as_occt, curves))
    theirs = []
    for k in range(1, extrema.NbExtrema() + 1):
        if extrema.Distance(k) < 1e-7:
            a, b = gp_Pnt(), gp_Pnt()
            extrema.Points(k, a, b)
            theirs.append(triple(a))
    for place in theirs:
        assert len(ours)
        assert lengths(ours - place).min() < 1e-4  # flat crossings slide along both curves


def test_a_curve_through_points_runs_as_theirs() -> None:
    """Chordal cubic through points with given end directions: the same interpolation problem, one solution."""
    points = np.array([[0, 0, 0], [30, 10, 0], [50, 40, 5], [90, 30, 0], [120, 0, 10]], dtype=float)
    steps = lengths(np.diff(points, axis=0))
    params = np.concatenate(([0.0], np.cumsum(steps)))
    ours = interpolate_points(points)
    low, high = ours.domain
    ends = curve_derivatives(ours, np.array([low, high]), 1)[1] * (high - low) / params[-1]
    places = HArray1_gp_Pnt(1, len(points))
    for index, point in enumerate(points, 1):
        places.SetValue(index, gp_Pnt(*map(float, point)))
    builder = GeomAPI_Interpolate(places, False, 1e-9)
    builder.Load(gp_Vec(*map(float, ends[0])), gp_Vec(*map(float, ends[1])), False)
    builder.Perform()
    theirs = builder.Curve()
    first, last = theirs.FirstParameter(), theirs.LastParameter()
    shares = np.linspace(0, 1, 41)
    other = np.array([triple(theirs.Value(float(first + s * (last - first)))) for s in shares])
    assert np.abs(curve_points(ours, low + shares * (high - low)) - other).max() < 1e-8


def test_an_offset_lies_on_theirs() -> None:
    """Their offset curve's points lie on ours within the tolerance."""
    points = [[0, 0, 0], [40, 25, 0], [80, 10, 0], [130, 30, 0]]
    curve = interpolate_points(points)
    ours = offset_curve(curve, 6, [0, 0, 1], tolerance=1e-4)[0]
    theirs = Geom_OffsetCurve(as_occt(curve), -6.0, gp_Dir(0, 0, 1))
    low, high = curve.domain
    places = np.array([triple(theirs.Value(float(t))) for t in np.linspace(low, high, 60)])
    assert closest_params(ours, places)[1].max() < 1e-4


@pytest.mark.parametrize("pitch", [1.0, 8.0])
def test_a_helix_is_as_long_and_as_bent_in_the_other_kernel(pitch: float) -> None:
    """Length and curvature of a helix are those of the formula, as they measure them."""
    fit = make_helix(HelixShape(radii=(10, 10), pitch=pitch, turns=2))
    other = as_occt(fit.curve)
    wanted = 2 * np.hypot(2 * np.pi * 10, pitch)
    assert GCPnts_AbscissaPoint.Length_s(GeomAdaptor_Curve(other), 1e-9) == pytest.approx(wanted, rel=1e-7)
    slope = pitch / (2 * np.pi)
    bends = [GeomLProp_CLProps(other, float(t), 2, 1e-12).Curvature() for t in np.linspace(*fit.curve.domain, 41)[1:-1]]
    assert bends == pytest.approx(np.full(39, 10 / (100 + slope**2)), rel=1e-3)  # second derivatives of a fit


@settings(max_examples=20)
@given(st.integers(0, 500))
def test_the_least_radius_is_the_least_that_they_find(seed: int) -> None:
    """No place that they sample bends more than the least radius says."""
    curve = random_curve(np.random.default_rng(seed), 3, 8)
    other = as_occt(curve)
    radius, _ = least_radius(curve)
    bends = [GeomLProp_CLProps(other, float(t), 2, 1e-12).Curvature() for t in np.linspace(1e-6, 1 - 1e-6, 400)]
    assert radius <= 1 / max(bends) * (1 + 1e-9)


@settings(max_examples=20)
@given(st.integers(0, 50))
def test_a_line_laid_onto_a_surface_goes_where_their_rays_meet_it(seed: int) -> None:
    """Rays of theirs meet the surface on the curve that we laid."""
    rng = np.random.default_rng(seed)
    surface = hill(rng)
    line = interpolate_points([[10, 20, 40], [50, 60, 45], [90, 70, 40]])
    laid = project_along(line, [surface], np.array([0.0, 0.0, -1.0]), 1e-4).curve
    other = as_occt_surface(surface)
    for t in np.linspace(*line.domain, 9):
        start = curve_points(line, np.array([t]))[0]
        ray = as_occt(NurbsCurve(1, np.array([0.0, 0, 1, 1]), np.array([start, start - [0, 0, 60]]), np.ones(2)))
        meeting = GeomAPI_IntCS(ray, other)
        assert meeting.NbPoints() == 1
        assert closest_params(laid, np.array([triple(meeting.Point(1))]))[1][0] < 2e-4


@settings(max_examples=20)
@given(st.integers(0, 50))
def test_a_line_laid_to_the_nearest_places_is_as_near_as_theirs(seed: int) -> None:
    """Where nearest places are unique ours lie on theirs, otherwise no farther off."""
    rng = np.random.default_rng(seed)
    surface = hill(rng)
    line = interpolate_points([[15, 20, 16], [50, 60, 18], [85, 70, 16]])
    laid = project_nearest(line, [surface], 1e-4).curve
    other = as_occt_surface(surface)
    for t in np.linspace(*line.domain, 7):
        start = curve_points(line, np.array([t]))[0]
        nearest = GeomAPI_ProjectPointOnSurf(gp_Pnt(*map(float, start)), other)
        assert closest_params(laid, np.array([triple(nearest.NearestPoint())]))[1][0] < 1e-2 or (
            closest_params(laid, start[None])[1][0] <= nearest.LowerDistance() + 2e-4
        )
