"""Curves and surfaces of the kernel as Open CASCADE has them, and back."""

from __future__ import annotations

from typing import Any

import numpy as np
from OCP.Geom import Geom_BSplineCurve, Geom_BSplineSurface
from OCP.Geom2d import Geom2d_BSplineCurve
from OCP.gp import gp_Pnt, gp_Pnt2d
from OCP.OCP.collections import Array1_double, Array1_gp_Pnt, Array1_gp_Pnt2d, Array1_int, Array2_double, Array2_gp_Pnt

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve, make_curve
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface, make_surface


def distinct_knots(knots: Floats) -> tuple[Any, Any]:
    """Return knots as Open CASCADE has them: values and how often each is repeated."""
    values, counts = np.unique(knots, return_counts=True)
    own, times = Array1_double(1, len(values)), Array1_int(1, len(values))
    for place, (value, count) in enumerate(zip(values, counts, strict=True), 1):
        own.SetValue(place, float(value))
        times.SetValue(place, int(count))
    return own, times


def geom_surface(surface: NurbsSurface) -> Geom_BSplineSurface:
    """Return a surface as Open CASCADE has it."""
    rows, columns = surface.weights.shape
    poles, weights = Array2_gp_Pnt(1, rows, 1, columns), Array2_double(1, rows, 1, columns)
    for i in range(rows):
        for j in range(columns):
            poles.SetValue(i + 1, j + 1, gp_Pnt(*map(float, surface.control_points[i, j])))
            weights.SetValue(i + 1, j + 1, float(surface.weights[i, j]))
    (u, u_times), (v, v_times) = (distinct_knots(knots) for knots in surface.knots)
    p, q = surface.degrees
    if not surface.is_rational:
        return Geom_BSplineSurface(poles, u, v, u_times, v_times, p, q, False, False)
    return Geom_BSplineSurface(poles, weights, u, v, u_times, v_times, p, q, False, False)


def geom_curve(curve: NurbsCurve) -> Geom_BSplineCurve:
    """Return a curve as Open CASCADE has it."""
    poles, weights = Array1_gp_Pnt(1, len(curve.weights)), Array1_double(1, len(curve.weights))
    for place, (point, weight) in enumerate(zip(curve.control_points, curve.weights, strict=True), 1):
        poles.SetValue(place, gp_Pnt(*map(float, point)))
        weights.SetValue(place, float(weight))
    values, times = distinct_knots(curve.knots)
    if not curve.is_rational:
        return Geom_BSplineCurve(poles, values, times, curve.degree, False)
    return Geom_BSplineCurve(poles, weights, values, times, curve.degree, False)


def kernel_surface(surface: Any) -> NurbsSurface:
    """Return a B-spline surface of Open CASCADE as the kernel has it."""
    rows, columns = surface.NbUPoles(), surface.NbVPoles()
    points, weights = np.empty((rows, columns, 3)), np.empty((rows, columns))
    for i in range(rows):
        for j in range(columns):
            pole = surface.Pole(i + 1, j + 1)
            points[i, j] = pole.X(), pole.Y(), pole.Z()
            weights[i, j] = surface.Weight(i + 1, j + 1)
    knots = []
    for count, value, times in (
        (surface.NbUKnots(), surface.UKnot, surface.UMultiplicity),
        (surface.NbVKnots(), surface.VKnot, surface.VMultiplicity),
    ):
        knots.append(np.repeat([value(k) for k in range(1, count + 1)], [times(k) for k in range(1, count + 1)]))
    return make_surface((surface.UDegree(), surface.VDegree()), (knots[0], knots[1]), points, weights)


def geom_run(curve: NurbsCurve) -> Geom2d_BSplineCurve:
    """Return a curve (u, v, 0) in the parameters of a surface as Open CASCADE has it."""
    poles, weights = Array1_gp_Pnt2d(1, len(curve.weights)), Array1_double(1, len(curve.weights))
    for place, (point, weight) in enumerate(zip(curve.control_points, curve.weights, strict=True), 1):
        poles.SetValue(place, gp_Pnt2d(float(point[0]), float(point[1])))
        weights.SetValue(place, float(weight))
    values, times = distinct_knots(curve.knots)
    if not curve.is_rational:
        return Geom2d_BSplineCurve(poles, values, times, curve.degree, False)
    return Geom2d_BSplineCurve(poles, weights, values, times, curve.degree, False)


def kernel_run(curve: Any) -> NurbsCurve:
    """Return a curve of Open CASCADE in the parameters of a surface as the kernel has it, (u, v, 0)."""
    count = curve.NbPoles()
    points = np.array([[curve.Pole(k).X(), curve.Pole(k).Y(), 0.0] for k in range(1, count + 1)])
    weights = np.array([curve.Weight(k) for k in range(1, count + 1)])
    places = range(1, curve.NbKnots() + 1)
    knots = np.repeat([curve.Knot(k) for k in places], [curve.Multiplicity(k) for k in places])
    return make_curve(curve.Degree(), knots, points, weights)
