"""What the board needs beside the meshes, as plain JSON in the extras of the glTF file: curves, points, sizes, readings."""

from __future__ import annotations

from typing import Any

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.alter.edit_knots import bezier_pieces
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import rational_derivatives
from glass_spoon.kernel.curves.read.read_curve import curvature_comb
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.gauges.reading import Reading
from glass_spoon.sheet.errors import SheetError
from glass_spoon.sheet.evaluate import Build
from glass_spoon.sheet.items import CurveItem
from glass_spoon.sheet.lines.draw.points import Draw
from glass_spoon.sheet.lines.references import LayPicture
from glass_spoon.studio.see.curve_rows import curve_rows
from glass_spoon.studio.see.gauge_rows import FIRST, gauge_rows
from glass_spoon.studio.see.handle_rows import handles_of, tables_of
from glass_spoon.studio.see.judging import EDGE_REACH, edge_lines, edge_readings, surface_lines
from glass_spoon.studio.see.mark_rows import marks_shown
from glass_spoon.studio.see.scene import Shown
from glass_spoon.studio.see.view_choice import ViewChoice

MOST_COMB = 4000
"""Most teeth of a comb in all."""

ARC_PARTS = 8
"""Cubics that stand for one rational piece on the board; a quarter circle is then right to 2e-5 of its radius."""


def board_extras(build: Build, shown: list[Shown], readings: list[Reading], view: ViewChoice) -> dict[str, Any]:
    """Return the extras of a view."""
    return {
        "curves": _curves(build),
        "pictures": [picture for line in build.document.lines if (picture := _picture(build, line)) is not None],
        "comb": _comb(build, view),
        "curveRows": [[row.label, row.text] for row in curve_rows(build, view.curve)],
        "drawings": [drawing for line in build.document.lines if (drawing := _drawing(build, line)) is not None],
        "judged": _judged(shown, view),
        "marks": marks_shown(build, view.level),
        "handles": [handle for line in build.document.lines for handle in handles_of(build, line)],
        "tables": tables_of(build.document),
        "shown": [{"id": item.item_id, "name": item.name, "surface": item.is_surface} for item in shown],
        "readings": [
            {"code": row.code, "text": row.text, "good": row.good, "bar": row.bar}
            for row in gauge_rows(readings, (*FIRST, "face_budget"))
        ],
        "failed": [
            finding.sentence
            for report in build.reports.values()
            for finding in report.findings
            if finding.severity == "failed"
        ][:1],
    }


def _judged(shown: list[Shown], view: ViewChoice) -> dict[str, Any]:
    """Return the lines drawn on surfaces, and the edges that they share."""
    lines: dict[str, Any] = dict(surface_lines(shown, view))
    if view.edges:
        lines["edges"] = edge_lines(edge_readings(shown, EDGE_REACH)[1])
    return lines


def _curves(build: Build) -> list[dict[str, Any]]:
    """Return all curves that are not hidden, with their looks."""
    result = []
    for name, state in (*build.visible("curve"), *build.visible("curves")):
        if build.document.is_hidden(state.item_id):
            continue
        look = build.document.look(state.item_id)
        curves = (state.item.curve,) if isinstance(state.item, CurveItem) else getattr(state.item, "curves", ())
        pieces = [np.round(display_cubics(curve), 4).reshape(-1, 12) for curve in curves]
        beziers = np.concatenate(pieces).tolist() if pieces else []
        result.append({"id": state.item_id, "name": name, "beziers": beziers, "colour": look.colour, "locked": look.locked})
    return result


def _picture(build: Build, line: object) -> dict[str, Any] | None:
    """Return where a reference picture lies, None for one not chosen or not shown."""
    if not isinstance(line, LayPicture) or line.paused or not line.picture or line.shown == "hidden":
        return None
    try:
        values = line.resolve(build.sizes)
    except (SheetError, KernelError):
        return None
    numbers = {name: values[name] for name in ("width", "right", "up", "turn", "strength")}
    place = {"plane": line.plane, "behind": line.depth == "behind", "locked": line.locked == "locked"}
    return {"line": line.id, "picture": line.picture, **place, **numbers}


def _comb(build: Build, view: ViewChoice) -> dict[str, Any] | None:
    """Return the curvature comb of the curve looked at: places and vectors, in mm and 1/mm."""
    state = build.items.get(view.curve) if view.comb else None
    if state is None or not isinstance(state.item, CurveItem):
        return None
    places, teeth = curvature_comb(state.item.curve, view.comb)
    if len(places) > MOST_COMB:
        step = len(places) // MOST_COMB + 1
        places, teeth = places[::step], teeth[::step]
    return {"places": np.round(places, 4).tolist(), "teeth": np.round(teeth, 7).tolist()}


def _drawing(build: Build, line: object) -> dict[str, Any] | None:
    """Return the points of a draw line in mm, with what was typed."""
    if not isinstance(line, Draw) or line.id not in build.reports:
        return None
    try:
        points = line.resolve(build.sizes)["points"]
    except (SheetError, KernelError):
        return None
    if build.document.is_hidden(line.id):
        return None
    raw = [[point.x, point.y, point.out] for point in line.points]
    return {
        "line": line.id,
        "name": line.gives,
        "plane": line.plane,
        "closed": line.shape == "closed",
        "manner": line.manner,
        "locked": build.document.look(line.id).locked,
        "ends": [line.start, line.end],
        "angles": _angles(build, line),
        "points": [[x, y, sharp, out, weight] for x, y, out, sharp, weight in points],
        "raw": raw,
    }


def _angles(build: Build, line: Draw) -> list[float]:
    """Return the directions of both ends in radians, as typed."""
    try:
        return [
            float(line.spec(name).resolve(name, getattr(line, name), build.sizes)) for name in ("start_angle", "end_angle")
        ]
    except (SheetError, KernelError):
        return [0.0, 0.0]


def display_cubics(curve: NurbsCurve) -> Floats:
    """Return cubic Bezier pieces (k, 4, 3) in mm: exact for polynomial pieces up to cubic, by end tangents otherwise."""
    pieces = bezier_pieces(curve)
    degree = pieces.shape[1] - 1
    if not curve.is_rational and degree <= 3:
        return _raised(pieces[..., :3] / pieces[..., 3:])
    ends = np.linspace(0.0, 1.0, ARC_PARTS + 1)
    value, slope = _casteljau(pieces, ends)
    points, tangents = rational_derivatives(np.moveaxis(np.stack((value, slope)), -1, 0).reshape(4, 2, -1))
    points, tangents = (array.reshape(len(pieces), -1, 3) for array in (points, tangents))
    third = 1 / (3 * ARC_PARTS)
    cubics = (
        points[:, :-1],
        points[:, :-1] + tangents[:, :-1] * third,
        points[:, 1:] - tangents[:, 1:] * third,
        points[:, 1:],
    )
    return np.stack(cubics, axis=2).reshape(-1, 4, 3)


def _casteljau(pieces: Floats, at: Floats) -> tuple[Floats, Floats]:
    """Return homogeneous values and first derivatives, each (pieces, len(at), 4), of Bezier pieces (pieces, p + 1, 4)."""
    layer = np.repeat(pieces[:, None], len(at), axis=1)
    t = at[None, :, None, None]
    while layer.shape[2] > 2:
        layer = layer[:, :, :-1] * (1 - t) + layer[:, :, 1:] * t
    slope = (pieces.shape[1] - 1) * (layer[:, :, 1] - layer[:, :, 0])
    return layer[:, :, 0] * (1 - t[..., 0]) + layer[:, :, 1] * t[..., 0], slope


def _raised(control: Floats) -> Floats:
    """Return Bezier pieces (k, p + 1, 3) of degree up to 3 as cubics (k, 4, 3) (The NURBS Book, equation 5.36)."""
    while control.shape[1] < 4:
        p = control.shape[1]
        share = (np.arange(1, p) / p)[:, None]
        inner = share * control[:, :-1] + (1 - share) * control[:, 1:]
        control = np.concatenate((control[:, :1], inner, control[:, -1:]), axis=1)
    return control
