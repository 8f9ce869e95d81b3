"""A lofted surface made to follow one or two guide rails between its sections."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats, cross, directions, lengths
from glass_spoon.kernel.curves.evaluate.basis import basis_matrix
from glass_spoon.kernel.curves.evaluate.closest_on_curve import closest_params
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.errors import InvalidInput, KernelError, place_text
from glass_spoon.kernel.surfaces.make.section_runs import SectionRun

SPANS = 8
"""Stations between two sections that are tried first; doubled until all rails are followed."""

MOST_STATIONS = 4096
NEAR = 0.02
"""A rail meets a section when it passes within this share of the section's size."""


@dataclass(frozen=True, eq=False)
class _Rail:
    """A rail: its curve, its parameter at each section (sections,), and where on the sections it runs (a share of u)."""

    curve: NurbsCurve
    at: Floats
    share: Floats


def follow_rails(
    section: NurbsCurve, run: SectionRun, stations: Floats, rails: list[NurbsCurve], tolerance: float
) -> SectionRun:
    """Return the run bent so that it follows the rails within `tolerance` mm; at the stations (sections,) it stays as it is.

    section: degree and knots round of all sections. Between sections every section is moved as a whole: by one rail
    shifted, by two rails also turned and scaled, so that it goes through both. Raises InvalidInput for more than two rails,
    KernelError for a rail that misses a section, with the place and the distance.
    """
    if not 1 <= len(rails) <= 2:
        raise InvalidInput("The guide rails", "one or two", str(len(rails)))
    nets = _at(run, stations)
    found = [_meet(section, nets, rail) for rail in rails]
    count = SPANS
    while count * (len(stations) - 1) <= MOST_STATIONS:
        ends = stations[:-1, None] + np.diff(stations)[:, None] * np.arange(count) / count
        params = np.append(ends.ravel(), stations[-1])
        spline = scipy.interpolate.make_interp_spline(params, _moved(section, run, stations, found, params), k=3)
        between = (params[:-1] + params[1:]) / 2
        there = spline(between)
        true = _moved(section, run, stations, found, between)
        if float(lengths(there[..., :3] / there[..., 3:] - true[..., :3] / true[..., 3:]).max()) <= tolerance:
            return SectionRun(np.moveaxis(np.asarray(spline.c), 0, 1), 3, np.asarray(spline.t))
        count *= 2
    raise KernelError(f"The rails could not be followed within {tolerance:.3g} mm. Refit them, or allow more.")


def _at(run: SectionRun, params: Floats) -> Floats:
    """Return the homogeneous rows (n, round, 4) of a run at parameters (n,)."""
    return np.moveaxis(np.tensordot(basis_matrix(run.knots, run.degree, params), run.net, axes=(1, 1)), 1, 1)


def _meet(section: NurbsCurve, nets: Floats, rail: NurbsCurve) -> _Rail:
    """Return where a rail passes through all sections, in their order."""
    params, shares = [], []
    for number, net in enumerate(nets, 1):
        curve = NurbsCurve(section.degree, section.knots, net[:, :3] / net[:, 3:], net[:, 3])
        size = float(np.ptp(curve.control_points, axis=0).max())
        places = curve_points(rail, np.linspace(*rail.domain, 129))
        own, _ = closest_params(curve, places)
        away = lengths(curve_points(curve, own) - places)
        best = int(np.argmin(away))
        foot = curve_points(curve, own[best : best + 1])
        at, apart = closest_params(rail, foot)
        for _ in range(8):
            own_there, _ = closest_params(curve, curve_points(rail, at))
            foot = curve_points(curve, own_there)
            at, apart = closest_params(rail, foot)
        if float(apart[0]) > NEAR * size:
            raise KernelError(
                f"The rail misses section {number} by {float(apart[0]):.3g} mm, nearest at {place_text(foot[0])}. "
                "Draw it through every section."
            )
        params.append(float(at[0]))
        shares.append(float(own_there[0]))
    steps = np.diff(params)
    if not ((steps > 0).all() or (steps < 0).all()):
        raise KernelError("The rail does not pass the sections in their order. Draw it along the loft.")
    return _Rail(rail, np.array(params), np.array(shares))


def _moved(section: NurbsCurve, run: SectionRun, stations: Floats, rails: list[_Rail], params: Floats) -> Floats:
    """Return homogeneous rows (n, round, 4) at parameters (n,), moved so that they go through the rails."""
    rows = _at(run, params)
    points, mass = rows[..., :3] / rows[..., 3:], rows[..., 3:]
    own, wanted = [], []
    for rail in rails:
        share = _between(stations, rail.share, params)
        basis = basis_matrix(section.knots, section.degree, share)
        value = np.einsum("nk,nkd->nd", basis, rows)
        own.append(value[:, :3] / value[:, 3:])
        # What a rail misses a section by is shared out between the sections, so that they stay where they are.
        on_rail = curve_points(rail.curve, _between(stations, rail.at, params))
        wanted.append(on_rail - _misses(section, run, stations, rail, params))
    moved = points + (wanted[0] - own[0])[:, None] if len(rails) == 1 else _carried(points, own, wanted)
    return np.concatenate((moved * mass, mass), axis=2)


def _between(stations: Floats, values: Floats, params: Floats) -> Floats:
    """Return values (n,) that run smoothly and without overshoot through those at the stations."""
    if len(stations) == 2:
        return np.interp(params, stations, values)
    return np.asarray(scipy.interpolate.PchipInterpolator(stations, values)(params))


def _misses(section: NurbsCurve, run: SectionRun, stations: Floats, rail: _Rail, params: Floats) -> Floats:
    """Return by how much (n, 3) the rail misses the sections, run evenly between them."""
    rows = _at(run, stations)
    value = np.einsum("nk,nkd->nd", basis_matrix(section.knots, section.degree, rail.share), rows)
    gap = curve_points(rail.curve, rail.at) - value[:, :3] / value[:, 3:]
    return np.column_stack([np.interp(params, stations, gap[:, axis]) for axis in range(3)])


def _carried(points: Floats, own: list[Floats], wanted: list[Floats]) -> Floats:
    """Return sections (n, k, 3) moved, turned and scaled so that the line between two places comes onto another."""
    before, after = own[1] - own[0], wanted[1] - wanted[0]
    size = np.maximum(lengths(before), 1e-12)
    scale = lengths(after) / size
    a, b = directions(before), directions(after)
    axis, lean = cross(a, b), 1 + np.einsum("ij,ij->i", a, b)
    relative = points - own[0][:, None]
    # Rodrigues' turn that brings a onto b the shortest way.
    first = cross(np.broadcast_to(axis[:, None], relative.shape), relative)
    second = cross(np.broadcast_to(axis[:, None], relative.shape), first)
    turned = relative + first + second / np.maximum(lean, 1e-9)[:, None, None]
    return np.asarray(wanted[0][:, None] + scale[:, None, None] * turned)
