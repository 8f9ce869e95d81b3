"""DXF in and out, through ezdxf: lines, polylines with bulges, arcs, circles, ellipses and splines, each exact.

Units are those of the header variable $INSUNITS (DXF reference, 2018). Files written are DXF R2010 in millimetres.
"""

from __future__ import annotations

import io

import ezdxf.filemanagement as files
import numpy as np
from ezdxf import units
from ezdxf.document import Drawing
from ezdxf.entities import Arc, Circle, DXFEntity, DXFGraphic, Ellipse, Line, LWPolyline, Polyline, Spline
from ezdxf.layouts import Modelspace
from ezdxf.lldxf.const import DXFError

from glass_spoon.formats.dxf import MAX_BYTES, MAX_CURVES, MILLIMETRES, DxfDrawing, UnitUnknown, UnreadableDxf
from glass_spoon.formats.named_curve import NamedCurve
from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.curves.alter.edit_knots import trim_curve
from glass_spoon.kernel.curves.alter.follow_length import chain_curves
from glass_spoon.kernel.curves.alter.place_curve import Placement, place_curve
from glass_spoon.kernel.curves.evaluate.blossom import conversion_matrix
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve, from_homogeneous
from glass_spoon.kernel.curves.make.flat_shapes import arc_by_bulge
from glass_spoon.kernel.curves.make.line_and_arc import make_arc, make_polyline
from glass_spoon.kernel.curves.read.read_exact import CircleArc, find_arc
from glass_spoon.kernel.errors import KernelError

_HEADER_UNITS = {units.IN: 25.4, units.FT: 304.8, units.MM: 1.0, units.CM: 10.0, units.M: 1000.0}
_KINDS = "LINE ARC CIRCLE ELLIPSE LWPOLYLINE POLYLINE SPLINE"


def read_dxf(data: bytes, unit: str = "") -> DxfDrawing:
    """Return the curves of a drawing's model space in its order.

    unit: one of MILLIMETRES, or "" for the file's own. Raises UnitUnknown when the file has none, UnreadableDxf for a
    file that is too large, damaged or holds no curve.
    """
    if len(data) > MAX_BYTES:
        raise UnreadableDxf(f"The drawing has {len(data):,} bytes; the most is {MAX_BYTES:,}. Keep only what you need.")
    drawing = _parsed(data)
    scale = MILLIMETRES[unit] if unit else _HEADER_UNITS.get(drawing.units, 0.0)
    if not scale:
        raise UnitUnknown("The drawing does not say what its unit is. Choose the unit it was drawn in.")
    curves: list[NamedCurve] = []
    for entity in drawing.modelspace().query(_KINDS):
        if len(curves) >= MAX_CURVES:
            raise UnreadableDxf(f"The drawing has more than {MAX_CURVES:,} curves. Keep only what you need.")
        curve = _curve_of(entity)
        if curve is not None:
            name = f"{entity.dxftype().lower()} {len(curves) + 1}"
            scaled = place_curve(curve, Placement(np.eye(3) * scale, np.zeros(3)))
            curves.append(NamedCurve(name, scaled, str(entity.dxf.layer)))
    if not curves:
        raise UnreadableDxf("The drawing holds no line, arc, polyline or spline. Explode its blocks and save it again.")
    return DxfDrawing(curves, scale)


def _parsed(data: bytes) -> Drawing:
    """Return ezdxf's drawing of the bytes."""
    try:
        return files.read(io.StringIO(_decoded(data)))
    except (DXFError, ValueError, KeyError, IndexError, TypeError, AttributeError, RecursionError) as error:
        raise UnreadableDxf("The file is not a DXF drawing that can be read. Save it again as DXF text.") from error


def _decoded(data: bytes) -> str:
    """Return the text: UTF-8, as R2007 and later, or else Windows' Western code page."""
    try:
        return data.decode("utf-8-sig").replace("\r\n", "\n")
    except UnicodeDecodeError:
        return data.decode("cp1252", errors="replace").replace("\r\n", "\n")


def _curve_of(entity: DXFEntity) -> NurbsCurve | None:
    """Return one entity as a curve in drawing units, None when it has no length or is damaged."""
    try:
        if isinstance(entity, Line):
            return _polyline(np.array([entity.dxf.start.xyz, entity.dxf.end.xyz]))
        if isinstance(entity, Circle):  # an Arc is a Circle too
            return _circle_or_arc(entity)
        if isinstance(entity, Ellipse):
            return _ellipse(entity)
        if isinstance(entity, LWPolyline):
            return _flat_polyline(entity)
        if isinstance(entity, Polyline):
            return _old_polyline(entity)
        if isinstance(entity, Spline):
            return _spline(entity)
    except (KernelError, DXFError, ValueError, IndexError, ZeroDivisionError):
        return None
    return None


def _polyline(points: Floats) -> NurbsCurve | None:
    """Return the poly-line through points (n, 3), neighbours at one place taken once."""
    keep = np.append(True, lengths(np.diff(points, axis=0)) > 0)
    return make_polyline(points[keep]) if keep.sum() > 1 else None


def _frame(entity: DXFGraphic, elevation: float = 0.0) -> Placement:
    """Return the map from an entity's own coordinates to the drawing's (the arbitrary axis algorithm, by ezdxf)."""
    ocs = entity.ocs()
    axes = np.array([ocs.to_wcs(axis).xyz for axis in ((1, 0, 0), (0, 1, 0), (0, 0, 1))])
    return Placement(axes.T, elevation * axes[2])


def _circle_or_arc(entity: Circle) -> NurbsCurve:
    """Return a circle, or an arc counter-clockwise in its own coordinates."""
    start, end = 0.0, 2 * np.pi
    if isinstance(entity, Arc):
        start = float(np.radians(entity.dxf.start_angle))
        end = start + float(np.radians(entity.dxf.end_angle) - start) % (2 * np.pi)
        end = end if end > start else start + 2 * np.pi
    radius = float(entity.dxf.radius)
    arc = make_arc(entity.dxf.center.xyz, [radius, 0, 0], [0, radius, 0], start, end)
    return place_curve(arc, _frame(entity))


def _ellipse(entity: Ellipse) -> NurbsCurve:
    """Return an elliptic arc; its coordinates are the drawing's own."""
    major, minor = np.array(entity.dxf.major_axis.xyz), np.array(entity.minor_axis.xyz)
    start = float(entity.dxf.start_param)
    sweep = float(entity.dxf.end_param - start) % (2 * np.pi)
    return make_arc(entity.dxf.center.xyz, major, minor, start, start + (sweep or 2 * np.pi))


def _flat_polyline(entity: LWPolyline) -> NurbsCurve | None:
    """Return straight runs and arcs."""
    rows = np.array(entity.get_points("xyb"), dtype=np.float64)
    return _with_bulges(rows, closed=bool(entity.closed), frame=_frame(entity, float(entity.dxf.elevation)))


def _old_polyline(entity: Polyline) -> NurbsCurve | None:
    """Return a polyline of separate vertices, plane with bulges or in space; meshes are passed over."""
    if not (entity.is_2d_polyline or entity.is_3d_polyline):
        return None
    places = np.array([vertex.dxf.location.xyz for vertex in entity.vertices], dtype=np.float64)
    if entity.is_3d_polyline:
        return _polyline(np.vstack((places, places[:1])) if entity.is_closed else places)
    bulges = np.array([vertex.dxf.bulge for vertex in entity.vertices])
    frame = _frame(entity, float(places[0, 2]))
    return _with_bulges(np.column_stack((places[:, :2], bulges)), closed=bool(entity.is_closed), frame=frame)


def _with_bulges(rows: Floats, *, closed: bool, frame: Placement) -> NurbsCurve | None:
    """Return the curve of rows x, y, bulge."""
    ends = np.roll(rows, -1, axis=0) if closed else rows[1:]
    pairs = [(a, b) for a, b in zip(rows, ends, strict=False) if np.hypot(*(b - a)[:2]) > 0]
    if not pairs:
        return None
    pieces = [arc_by_bulge(a[:2], b[:2], float(a[2])) for a, b in pairs]
    return place_curve(chain_curves(pieces), frame)


def _spline(entity: Spline) -> NurbsCurve | None:
    """Return a spline; one of fit points only as ezdxf interpolates it, an unclamped one clamped exactly."""
    tool = entity.construction_tool()
    control = np.array([point.xyz for point in tool.control_points], dtype=np.float64)
    knots, degree = np.array(tool.knots(), dtype=np.float64), tool.degree
    weights = np.array(tool.weights() or np.ones(len(control)), dtype=np.float64)
    if (weights <= 0).any() or (np.diff(knots) < 0).any() or len(knots) != len(control) + degree + 1:
        return None
    low, high = float(knots[degree]), float(knots[-degree - 1])
    if not low < high:
        return None
    if np.ptp(knots[: degree + 1]) > 0 or np.ptp(knots[-degree - 1 :]) > 0:
        return _clamped(degree, knots, np.column_stack((control * weights[:, None], weights)), low, high)
    return trim_curve(NurbsCurve(degree, knots, control, weights), low, high)


def _clamped(degree: int, knots: Floats, homogeneous: Floats, low: float, high: float) -> NurbsCurve:
    """Return an unclamped spline over its domain with clamped knots."""
    inner = knots[(knots > low) & (knots < high)]
    clamped = np.concatenate((np.full(degree + 1, low), inner, np.full(degree + 1, high)))
    return from_homogeneous(degree, clamped, conversion_matrix(knots, degree, clamped, degree) @ homogeneous)


def write_dxf(curves: list[NamedCurve]) -> bytes:
    """Return a DXF R2010 file in mm, each curve on the layer of its own name.

    Poly-lines, circles and circular arcs flat on a plane across z stay such; all others are splines, exact.
    """
    drawing = files.new("R2010", setup=False)
    drawing.units = units.MM
    space = drawing.modelspace()
    for number, item in enumerate(curves, 1):
        layer = _layer_name(item.layer or item.name, number)
        if layer not in drawing.layers:
            drawing.layers.add(layer)
        _add(space, item.curve, layer)
    text = io.StringIO()
    drawing.write(text)
    return text.getvalue().encode("utf-8")


def _layer_name(name: str, number: int) -> str:
    """Return a name without the signs that DXF forbids in layers."""
    return (
        "".join("_" if sign in '<>/\\":;?*|=`,' or ord(sign) < 32 else sign for sign in name).strip()[:200]
        or f"curve {number}"
    )


def _add(space: Modelspace, curve: NurbsCurve, layer: str) -> None:
    """Add one curve."""
    attributes = {"layer": layer}
    arc = find_arc(curve)
    if curve.degree == 1:
        space.add_polyline3d(curve.control_points.tolist(), dxfattribs=attributes)
    elif isinstance(arc, CircleArc) and abs(arc.normal[2]) > 1 - 1e-12:
        _add_arc(space, arc, attributes)
    else:
        knots, weights = curve.knots.tolist(), curve.weights.tolist()
        if curve.is_rational:
            space.add_rational_spline(curve.control_points.tolist(), weights, curve.degree, knots, attributes)
        else:
            space.add_open_spline(curve.control_points.tolist(), curve.degree, knots, attributes)


def _add_arc(space: Modelspace, arc: CircleArc, attributes: dict[str, str]) -> None:
    """Add a circle or an arc about the z axis, counter-clockwise as DXF has it."""
    if abs(arc.sweep) >= 2 * np.pi - 1e-12:
        space.add_circle(arc.center.tolist(), arc.radius, attributes)
        return
    out = arc.start - arc.center
    first = float(np.degrees(np.arctan2(out[1], out[0])))
    turn = float(np.degrees(arc.sweep)) * float(np.sign(arc.normal[2]))
    start, end = (first, first + turn) if turn > 0 else (first + turn, first)
    space.add_arc(arc.center.tolist(), arc.radius, start, end, dxfattribs=attributes)
