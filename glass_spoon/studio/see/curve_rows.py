"""The readings of one curve, as rows for the gauges' column."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.curves.alter.work_on_ends import End
from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points, find_kinks
from glass_spoon.kernel.curves.read.cross_curves import self_crossings
from glass_spoon.kernel.curves.read.read_curve import JoinTolerances, crowded_points, curve_box, least_radius, read_join
from glass_spoon.sheet.evaluate import Build
from glass_spoon.sheet.items import CurveItem

SHARP_ANGLE = np.radians(0.5)
REACH = 1.0
"""Ends within so many mm of each other are reported as a joint …"""

REACH_SHARE = 0.05
"""… and ends within this share of the curve's length."""

MOST_SPANS = 400
"""Curves of more spans are not searched for self-crossings while something is dragged."""


@dataclass(frozen=True)
class CurveRow:
    """One reading: a label, its text, what it means, and whether it is worth a look."""

    label: str
    text: str
    title: str
    look: bool = False
    detail: str = ""


def curve_rows(build: Build, item_id: str) -> list[CurveRow]:
    """Return the readings of a curve; none when there is no such curve."""
    state = build.items.get(item_id) or build.held.get(item_id)
    if state is None or not isinstance(state.item, CurveItem):
        return []
    curve = state.item.curve
    low, high = curve_box(curve)
    extents = "×".join(f"{value:.1f}" for value in high - low) + " mm"
    rows = [
        CurveRow("Length", f"{measure_length(curve).length:,.2f} mm", "True length along the curve."),
        CurveRow("Extents", extents, "Extents of the curve along x, y and z."),
        _radius_row(curve),
        CurveRow("Control points", f"{len(curve.control_points)}, degree {curve.degree}", "Of the exact curve."),
        CurveRow("Sharp points", f"{len(find_kinks(curve, SHARP_ANGLE))}", "Places where the direction jumps."),
    ]
    if len(curve.breaks) <= MOST_SPANS:
        count = len(self_crossings(curve)[0])
        rows.append(CurveRow("Crosses itself", f"{count}×" if count else "no", "Places where it meets itself.", bool(count)))
    crowded = len(crowded_points(curve.control_points))
    if crowded:
        rows.append(
            CurveRow("Points too close", f"{crowded}", "Control points far nearer to the next than others.", look=True)
        )
    told = [CurveRow("Made", "", state.item.told)] if state.item.told else []
    return rows + _joins(build, item_id, curve) + told


def _radius_row(curve: NurbsCurve) -> CurveRow:
    """Return the least radius, with its place in the title."""
    radius, at = least_radius(curve)
    x, y, z = curve_points(curve, np.array([at]))[0]
    text = "straight" if np.isinf(radius) else f"{radius:.4g} mm"
    return CurveRow("Least radius", text, f"Smallest radius of curvature, at x {x:.1f}, y {y:.1f}, z {z:.1f}.")


def _joins(build: Build, item_id: str, curve: NurbsCurve) -> list[CurveRow]:
    """Return how each end meets the nearest end of another curve within reach."""
    rows = []
    reach = max(REACH, REACH_SHARE * measure_length(curve, 1e-6).length)
    ends: tuple[End, End] = ("start", "end")
    for end in ends:
        best: tuple[float, str, NurbsCurve, End] | None = None
        here = curve.control_points[0 if end == "start" else -1]
        for name, state in build.visible("curve"):
            if state.item_id == item_id or not isinstance(state.item, CurveItem):
                continue
            for other_end in ends:
                there = state.item.curve.control_points[0 if other_end == "start" else -1]
                gap = float(np.linalg.norm(there - here))
                if gap <= reach and (best is None or gap < best[0]):
                    best = gap, name, state.item.curve, other_end
        if best is not None:
            report = read_join(curve, end, best[2], best[3], JoinTolerances())
            title = f"Its {end} and the {best[3]} of {best[1]}. G0 within 0.001 mm, G1 within 0.1°, G2 within 2 % of bend."
            angle = f"angle {np.degrees(report.angle):.2g}°"
            detail = f"gap {report.gap:.3g} mm, {angle}, curvature jump {report.jump:.2g} per mm"
            words = report.grade or f"{report.gap:.3g} mm apart"
            rows.append(CurveRow(f"{end.capitalize()} meets {best[1]}", words, title, report.grade in ("", "G0"), detail))
    return rows
