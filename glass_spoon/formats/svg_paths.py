"""Curves out of an SVG drawing: lines, arcs, quadratic and cubic Beziers, each converted exactly.

Units, viewBox and transforms are resolved by svgelements; 96 px are one inch (CSS Values 3, section 6.2). The drawing's
y runs down; the curves' second coordinate runs up.
"""

from __future__ import annotations

import io
import re
from dataclasses import dataclass
from xml.etree.ElementTree import Element, tostring

import numpy as np
import svgelements as svg

from glass_spoon.formats.safe_xml import UnreadableXml, read_xml
from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.curves.alter.edit_knots import rescale_domain
from glass_spoon.kernel.curves.alter.follow_length import chain_curves
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.make.line_and_arc import make_arc

MAX_BYTES = 2_000_000
MAX_SEGMENTS = 20_000
MILLIMETRES = {"px": 25.4 / 96, "mm": 1.0, "cm": 10.0, "in": 25.4, "pt": 25.4 / 72, "pc": 25.4 / 6, "q": 0.25}
"""Millimetres of one of each absolute unit (CSS Values 3, section 6.2)."""

UNITS = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "inch": 25.4, "foot": 304.8, "px": 25.4 / 96}
"""Millimetres of one of each unit that may be chosen for a drawing that names none."""

_LENGTH = re.compile(r"\s*([0-9.]+(?:e[-+]?[0-9]+)?)\s*([a-z]*)\s*$", re.IGNORECASE)


class UnreadableSvg(ValueError):
    """The drawing cannot be used; the text says why and what to do."""


class SvgUnitUnknown(UnreadableSvg):
    """The drawing does not say what one of its units is."""


@dataclass(frozen=True, eq=False)
class DrawnPath:
    """A path of the drawing: its id (or ""), its curve in the xy plane in mm, y up."""

    name: str
    curve: NurbsCurve


def read_svg(data: bytes, unit: str = "") -> list[DrawnPath]:
    """Return the connected paths of a drawing in its order.

    unit: one of UNITS for one unit of the drawing's own coordinates, or "" for what its width and height say. Raises
    SvgUnitUnknown when these name no unit, UnreadableSvg for a file that is too large, is not well-formed, declares
    entities, or holds no path.
    """
    root = _checked_root(data)
    own = _take_scale(root)
    scale = UNITS[unit] if unit else own
    if scale is None:
        raise SvgUnitUnknown("The drawing does not say what one of its units is. Choose the unit it was drawn in.")
    try:
        drawing = svg.SVG.parse(io.StringIO(_as_text(root)), reify=True, ppi=96.0)
        shapes = [element for element in drawing.elements() if isinstance(element, svg.Shape)]
        if sum(len(svg.Path(shape)) for shape in shapes) > MAX_SEGMENTS:
            raise UnreadableSvg(f"The drawing has more than {MAX_SEGMENTS:,} segments. Keep only the paths you need.")
        paths = [path for shape in shapes for path in _paths_of(shape, scale)]
    except (ValueError, TypeError, ZeroDivisionError, AttributeError, IndexError, OverflowError, RecursionError) as error:
        if isinstance(error, UnreadableSvg):
            raise
        raise UnreadableSvg("The drawing holds a path that cannot be read. Save it again as plain SVG.") from error
    if not paths:
        raise UnreadableSvg("The drawing holds no path. Convert its shapes or text to paths and try again.")
    return paths


def _checked_root(data: bytes) -> Element:
    """Parse safely, and refuse what can grow or act."""
    if len(data) > MAX_BYTES:
        raise UnreadableSvg(f"The drawing has {len(data):,} bytes; the most is {MAX_BYTES:,}. Keep only the paths you need.")
    try:
        root = read_xml(data)
    except UnreadableXml as error:
        raise UnreadableSvg(str(error)) from error
    if not str(root.tag).endswith("svg"):
        raise UnreadableSvg("The file is XML, but not an SVG drawing.")
    if any(str(element.tag).endswith("}use") or element.tag == "use" for element in root.iter()):
        raise UnreadableSvg("The drawing uses linked copies (the use element). Expand them into paths and try again.")
    if sum(count_segments(element) for element in root.iter()) > MAX_SEGMENTS:
        raise UnreadableSvg(f"The drawing has more than {MAX_SEGMENTS:,} segments. Keep only the paths you need.")
    return root


_COMMAND = re.compile(r"([MmLlHhVvCcSsQqTtAaZz])([^MmLlHhVvCcSsQqTtAaZz]*)")
_NUMBER = re.compile(r"[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?")
_TAKES = {"m": 2, "l": 2, "h": 1, "v": 1, "c": 6, "s": 4, "q": 4, "t": 2, "a": 7, "z": 0}
"""Numbers that a segment of each command takes (SVG 1.1, section 8.3); flags of arcs may be written together."""


def count_segments(element: Element) -> int:
    """Return about how many segments an element draws, counted in its text alone, before anything is made of it."""
    path = element.get("d", "")
    count = len(_NUMBER.findall(element.get("points", ""))) // 2
    for command, numbers in _COMMAND.findall(path):
        takes = _TAKES[command.lower()]
        count += max(1, len(_NUMBER.findall(numbers)) // takes) if takes else 1
    return count


def _take_scale(root: Element) -> float | None:
    """Return the millimetres of one user unit, None when width and height name no unit.

    Takes width, height and viewBox off the root so that they act once.
    """
    width, height = (_millimetres(root.attrib.pop(name, "")) for name in ("width", "height"))
    box = [float(part) for part in re.split(r"[\s,]+", root.attrib.pop("viewBox", "").strip()) if _is_number(part)]
    if width is None and height is None:
        return None
    if len(box) != 4 or min(box[2:]) <= 0:
        return MILLIMETRES["px"]
    return min(size / extent for size, extent in ((width, box[2]), (height, box[3])) if size is not None)


def _millimetres(text: str) -> float | None:
    """Return a CSS length in mm, or None for none, a bare number, a percentage, a relative unit, or nothing wide."""
    match = _LENGTH.match(text)
    if not match or match[2].lower() not in MILLIMETRES or not _is_number(match[1]) or not float(match[1]):
        return None
    return float(match[1]) * MILLIMETRES[match[2].lower()]


def _is_number(text: str) -> bool:
    try:
        return bool(np.isfinite(float(text)))
    except ValueError:
        return False


def _as_text(root: Element) -> str:
    """Return the drawing without scripts, styles' imports, images and foreign objects."""
    unwanted = ("script", "image", "foreignObject", "text", "animate", "set")
    for parent in root.iter():
        for child in list(parent):
            if str(child.tag).rsplit("}", 1)[-1] in unwanted:
                parent.remove(child)
    return tostring(root, encoding="unicode")


def _paths_of(shape: svg.Shape, scale: float) -> list[DrawnPath]:
    """Return the curves of a shape, one for each connected piece."""
    name = str(shape.id or "")
    result = []
    for piece in svg.Path(shape).as_subpaths():
        segments = [curve for segment in svg.Path(piece) if (curve := _segment(segment, scale)) is not None]
        if segments:
            result.append(DrawnPath(name, chain_curves(segments)))
    return result


def _point(point: svg.Point, scale: float) -> Floats:
    """Return a point (3,) in mm, y up."""
    return np.array([point.x, -point.y, 0.0]) * scale


def _segment(segment: svg.PathSegment, scale: float) -> NurbsCurve | None:
    """Return one segment as a curve whose domain is about its length in mm; None for moves and empty segments."""
    if isinstance(segment, svg.Move) or segment.start is None or segment.end is None:
        return None
    if isinstance(segment, svg.Arc):
        curve = _arc(segment, scale)
    else:
        inner = {
            svg.CubicBezier: ("control1", "control2"),
            svg.QuadraticBezier: ("control",),
        }.get(type(segment), ())
        names = ("start", *inner, "end")
        control = np.array([_point(getattr(segment, name), scale) for name in names])
        degree = len(control) - 1
        knots = np.repeat([0.0, 1.0], degree + 1)
        curve = NurbsCurve(degree, knots, control, np.ones(len(control)))
    size = float(lengths(np.diff(curve.control_points, axis=0)).sum())
    if not np.isfinite(size):
        raise UnreadableSvg("The drawing holds a coordinate that is not a number.")
    return rescale_domain(curve, 0.0, size) if size > 1e-9 else None


def _arc(segment: svg.Arc, scale: float) -> NurbsCurve:
    """Return the exact rational arc from the centre, the two half-axis ends and the sweep."""
    center = _point(segment.center, scale)
    x_axis, y_axis = _point(segment.prx, scale) - center, _point(segment.pry, scale) - center
    start = float(segment.get_start_t())
    return make_arc(center, x_axis, y_axis, start, start + float(segment.sweep))
