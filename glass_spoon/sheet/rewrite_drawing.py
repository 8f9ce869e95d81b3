"""Write a drawn curve in another manner, keeping its shape: through points, pulled by control points, or straight."""

from __future__ import annotations

from typing import Any

import numpy as np

from glass_spoon.kernel.curves.alter.refit_curve import Points, points_pulling, points_straight, points_through
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.edit import RefusedEdit, set_fields
from glass_spoon.sheet.lines.draw.points import Draw
from glass_spoon.sheet.planes import PLANE_AXES, plane_normal

DIGITS = 4
"""Decimals of the coordinates written, in mm."""


def rewrite_drawing(
    document: SheetDocument, line: Draw, curve: NurbsCurve, manner: str, tolerance: float
) -> tuple[SheetDocument, str]:
    """Return the document with a draw line's points and manner replaced, and a sentence on what was done.

    curve: what the line draws now. The fewest points found that keep it within `tolerance` mm are taken; expressions of
    sizes in the old points are gone. Raises RefusedEdit for a line drawn with its mirror image, KernelError as the fits do.
    """
    if line.half != "by itself" and line.shape == "open":
        raise RefusedEdit("Draw the half by itself first; its mirror image would be written along.")
    if manner == "through":
        points = points_through(curve, tolerance)
    elif manner == "straight through":
        points = points_straight(curve, tolerance)
    else:
        points = points_pulling(curve, 3, tolerance)
    rows = _sheet_points(line.plane, points)
    values: dict[str, Any] = {"manner": manner, "points": rows, "half": "by itself"}
    closed = points.closed or bool(np.ptp(points.places[[0, -1]], axis=0).max() < 1e-9)
    if closed and not points.closed:
        rows.pop()
        rows[0]["sharp"] = manner != "straight through"
    values |= {"shape": "closed" if closed else "open"}
    if points.tangents is not None and not closed:
        right, up = (np.array(axis) for axis in PLANE_AXES[line.plane])
        angles = [float(np.degrees(np.arctan2(tangent @ up, tangent @ right))) for tangent in points.tangents]
        values |= {
            "start": "at an angle",
            "start_angle": round(angles[0], 4),
            "end": "at an angle",
            "end_angle": round(angles[1], 4),
        }
    before, after = len(line.points), len(values["points"])  # type: ignore[arg-type]
    told = f"{before} points became {after}; the largest distance is {points.largest:.2g} mm"
    return set_fields(document, line.id, values), told


def _sheet_points(plane: str, points: Points) -> list[dict[str, Any]]:
    """Return points as a sheet holds them."""
    axes = np.array([*PLANE_AXES[plane], plane_normal(plane)])
    local = np.round(points.places @ axes.T, DIGITS) + 0.0
    return [
        {"x": x, "y": y, "out": out, "sharp": bool(sharp)}
        for (x, y, out), sharp in zip(local.tolist(), points.sharp, strict=True)
    ]
