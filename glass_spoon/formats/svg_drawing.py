"""An SVG drawing of curves as seen in a view: exact lines, arcs and cubics where a curve is such, fitted ones elsewhere."""

from __future__ import annotations

from xml.sax.saxutils import quoteattr

import numpy as np

from glass_spoon.formats.named_curve import NamedCurve
from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.alter.edit_knots import bezier_pieces
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve, from_homogeneous
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_derivatives, curve_points
from glass_spoon.kernel.curves.read.read_curve import curve_box
from glass_spoon.kernel.curves.read.read_exact import find_arc

MEDIA_TYPE = "image/svg+xml"
MARGIN = 5.0
"""Empty border in mm."""

STROKE = 0.25
"""Line width in mm."""


def write_svg(curves: list[NamedCurve], right: Floats, up: Floats, tolerance: float = 1e-7) -> bytes:
    """Return a drawing in mm of curves seen along the plane axes `right` (3,) and `up` (3,), at full size.

    Polynomial pieces up to cubic and circular arcs across the view are exact; others are cubics within `tolerance` mm.
    """
    flat = [(item, _flattened(item.curve, right, up)) for item in curves]
    boxes = [curve_box(curve) for _, curve in flat]
    low = np.min([box[0] for box in boxes], axis=0) - MARGIN
    high = np.max([box[1] for box in boxes], axis=0) + MARGIN
    width, height = (float(high[k] - low[k]) for k in (0, 1))
    head = (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{_text(width)}mm" height="{_text(height)}mm" '
        f'viewBox="{_text(low[0])} {_text(-high[1])} {_text(width)} {_text(height)}">\n'
    )
    body = "".join(
        f'<path id={quoteattr(item.name)} d="{path_data(curve, tolerance)}" fill="none" stroke="#1d2b30" '
        f'stroke-width="{STROKE}"/>\n'
        for item, curve in flat
    )
    return (head + body + "</svg>\n").encode()


def _flattened(curve: NurbsCurve, right: Floats, up: Floats) -> NurbsCurve:
    """Return the curve in view coordinates: right, up, 0."""
    axes = np.array([right, up, np.zeros(3)])
    return NurbsCurve(curve.degree, curve.knots, curve.control_points @ axes.T, curve.weights)


def path_data(curve: NurbsCurve, tolerance: float) -> str:
    """Return the path data of a curve in the xy plane, y turned down."""
    pieces = bezier_pieces(curve)
    parts = [f"M{_pair(pieces[0, 0, :2] / pieces[0, 0, 3])}"]
    degree = pieces.shape[1] - 1
    for piece in pieces:
        parts.append(_piece_data(from_homogeneous(degree, np.repeat([0.0, 1.0], degree + 1), piece), tolerance))
    closed = curve.is_closed(1e-9 * (1 + float(np.abs(curve.control_points).max())))
    return "".join(parts) + ("Z" if closed else "")


def _piece_data(piece: NurbsCurve, tolerance: float) -> str:
    """Return the commands of one Bezier piece."""
    control = piece.control_points[:, :2]
    if piece.degree == 1 or (not piece.is_rational and piece.degree <= 3):
        letter = {1: "L", 2: "Q", 3: "C"}[piece.degree]
        return letter + " ".join(_pair(point) for point in control[1:])
    arc = find_arc(piece)
    if arc is not None:
        large, sweep = int(arc.sweep > np.pi), int(arc.normal[2] < 0)
        return f"A{_text(arc.radius)} {_text(arc.radius)} 0 {large} {sweep} {_pair(control[-1])}"
    return "".join("C" + " ".join(_pair(point) for point in cubic[1:]) for cubic in _cubics(piece, tolerance))


def _cubics(piece: NurbsCurve, tolerance: float) -> Floats:
    """Return cubics (k, 4, 2) with the piece's tangents at evenly spaced parameters, as many as the tolerance needs."""
    count = 4
    while True:
        stops = np.linspace(0, 1, count + 1)
        values = curve_derivatives(piece, stops, 1)[:, :, :2]
        third = values[1] / (3 * count)
        cubics = np.stack((values[0, :-1], values[0, :-1] + third[:-1], values[0, 1:] - third[1:], values[0, 1:]), axis=1)
        middles = (cubics[:, 0] + 3 * cubics[:, 1] + 3 * cubics[:, 2] + cubics[:, 3]) / 8
        off = np.abs(middles - curve_points(piece, (stops[:-1] + stops[1:]) / 2)[:, :2]).max()
        if off <= tolerance or count >= 4096:
            return cubics
        count *= 2


def _pair(point: Floats) -> str:
    """Write a point, y down."""
    return f"{_text(point[0])},{_text(-point[1])}"


def _text(value: float) -> str:
    """Write a number to a billionth of a mm."""
    return f"{round(float(value), 9) + 0.0:.9f}".rstrip("0").rstrip(".")
