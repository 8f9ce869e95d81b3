"""What STEP needs of Open CASCADE: kernel surfaces to faces and back. Run apart, by `step` alone."""

from __future__ import annotations

import tempfile
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from OCP.BRep import BRep_Builder, BRep_Tool
from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut
from OCP.BRepBuilderAPI import (
    BRepBuilderAPI_MakeEdge,
    BRepBuilderAPI_MakeFace,
    BRepBuilderAPI_MakeSolid,
    BRepBuilderAPI_MakeWire,
    BRepBuilderAPI_NurbsConvert,
    BRepBuilderAPI_Sewing,
)
from OCP.BRepClass3d import BRepClass3d_SolidClassifier
from OCP.BRepGProp import BRepGProp
from OCP.BRepLib import BRepLib
from OCP.BRepTools import BRepTools
from OCP.Geom import Geom_Plane
from OCP.GeomConvert import GeomConvert
from OCP.gp import gp_Dir, gp_Pln, gp_Pnt
from OCP.GProp import GProp_GProps
from OCP.IFSelect import IFSelect_RetDone
from OCP.IGESCAFControl import IGESCAFControl_Reader
from OCP.Interface import Interface_Static
from OCP.Message import Message
from OCP.OCP.collections import Sequence_TDF_Label
from OCP.Quantity import Quantity_Color, Quantity_TOC_RGB
from OCP.STEPCAFControl import STEPCAFControl_Reader, STEPCAFControl_Writer
from OCP.STEPControl import STEPControl_AsIs
from OCP.TCollection import TCollection_ExtendedString
from OCP.TDataStd import TDataStd_Name
from OCP.TDocStd import TDocStd_Document
from OCP.TopAbs import TopAbs_FACE, TopAbs_IN, TopAbs_REVERSED, TopAbs_SHELL
from OCP.TopExp import TopExp_Explorer
from OCP.TopLoc import TopLoc_Location
from OCP.TopoDS import TopoDS, TopoDS_Compound, TopoDS_Face, TopoDS_Shape, TopoDS_Shell
from OCP.XCAFApp import XCAFApp_Application
from OCP.XCAFDoc import XCAFDoc_ColorSurf, XCAFDoc_DocumentTool, XCAFDoc_ShapeTool

from glass_spoon.formats.step import Color, NamedSurfaces, ReadFace, ReadStep, ReadSurface, UnreadableStep, is_iges
from glass_spoon.formats.step_faces import bounded_face, trimmed_faces
from glass_spoon.formats.step_geometry import geom_curve, geom_surface, kernel_surface
from glass_spoon.kernel.compile_ahead import load_compiled
from glass_spoon.kernel.surfaces.alter.edit_surface import reverse_surface
from glass_spoon.kernel.surfaces.alter.smooth_pieces import smooth_pieces
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface, edge_curve
from glass_spoon.kernel.surfaces.sets.surface_set import FlatCap, SurfaceSet, edge_loops
from glass_spoon.kernel.trims.face import FaceSet
from glass_spoon.kernel.trims.inside import is_void
from glass_spoon.kernel.trims.shared_edges import connected_parts, find_edges

make_ready = load_compiled
"""Called once by the keeper: loading what is compiled takes a second, which each worker would need anew."""

WHOLE = 1e-6
"""A face counts as a whole rectangle of its surface when its area differs from that by no more than this share."""

FACE_TOLERANCE = 1e-6
"""Tolerance in mm of single faces."""

FLAT = 1e-6
"""A face whose control points lie within this distance in mm of a plane is flat."""

for _printer in list(Message.DefaultMessenger_s().Printers()):
    Message.DefaultMessenger_s().RemovePrinter(_printer)


def write(items: list[NamedSurfaces]) -> bytes:
    """Return the file; see `step.write_step`."""
    document = _new_document()
    shapes, colors = XCAFDoc_DocumentTool.ShapeTool_s(document.Main()), XCAFDoc_DocumentTool.ColorTool_s(document.Main())
    for item in items:
        label = shapes.AddShape(_sewn(item.shape), False)
        TDataStd_Name.Set_s(label, TCollection_ExtendedString(item.name, True))
        if item.color is not None:
            colors.SetColor(label, Quantity_Color(*item.color, Quantity_TOC_RGB), XCAFDoc_ColorSurf)
    Interface_Static.SetCVal_s("write.step.schema", "AP242DIS")
    Interface_Static.SetCVal_s("write.step.unit", "MM")
    writer = STEPCAFControl_Writer()
    writer.SetColorMode(True)
    writer.SetNameMode(True)
    if not writer.Transfer(document, STEPControl_AsIs):
        raise RuntimeError("Open CASCADE could not turn the surfaces into STEP entities.")
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "part.step"
        if writer.Write(str(path)) != IFSelect_RetDone:
            raise RuntimeError("Open CASCADE could not write the STEP file.")
        return path.read_bytes()


def _new_document() -> Any:
    """Return an empty document."""
    document = TDocStd_Document(TCollection_ExtendedString("BinXCAF"))
    XCAFApp_Application.GetApplication_s().NewDocument(TCollection_ExtendedString("BinXCAF"), document)
    return document


def _sewn(shape: SurfaceSet | FaceSet) -> TopoDS_Shape:
    """Return a set as a shape: faces sewn along the edges that they share, solids where they close."""
    if isinstance(shape, FaceSet):
        return _with_hollows(shape)
    faces = [
        BRepBuilderAPI_MakeFace(geom_surface(piece), FACE_TOLERANCE).Face()
        for surface in shape.surfaces
        for piece in smooth_pieces(surface)
    ]
    faces += [_cap_face(shape, number) for number in range(len(shape.caps))]
    return _together(faces, shape.tolerance)


def _with_hollows(shape: FaceSet) -> TopoDS_Shape:
    """Return faces sewn: each set of them that faces inwards as a hollow of the solid about it."""
    parts = connected_parts(shape)
    hollow = [not len(find_edges(part).open_uses) and is_void(part) for part in parts]
    if len(parts) == 1 or not any(hollow):
        return _together(trimmed_faces(shape), shape.tolerance)
    made = [_together(trimmed_faces(part), part.tolerance) for part, empty in zip(parts, hollow, strict=True) if not empty]
    for part, empty in zip(parts, hollow, strict=True):
        if not empty:
            continue
        within = _together(trimmed_faces(part), part.tolerance)
        place = gp_Pnt(*map(float, part.faces[0].inner_point))
        for k, solid in enumerate(made):
            if BRepClass3d_SolidClassifier(solid, place, part.tolerance).State() == TopAbs_IN:
                made[k] = BRepAlgoAPI_Cut(solid, within).Shape()
                break
        else:
            made.append(within)
    builder, together = BRep_Builder(), TopoDS_Compound()
    builder.MakeCompound(together)
    for one in made:
        builder.Add(together, one)
    return made[0] if len(made) == 1 else together


def _together(faces: list[Any], tolerance: float) -> TopoDS_Shape:
    """Return faces sewn along the edges that they share, solids where they close."""
    if len(faces) == 1:
        return _solid(_shell_of(faces[0])) or faces[0]
    sewing = BRepBuilderAPI_Sewing(max(tolerance, FACE_TOLERANCE))
    for face in faces:
        sewing.Add(face)
    sewing.Perform()
    sewn = sewing.SewedShape()
    found, shells = [], TopExp_Explorer(sewn, TopAbs_SHELL)
    while shells.More():
        found.append(TopoDS.Shell(shells.Current()))
        shells.Next()
    loose = TopExp_Explorer(sewn, TopAbs_FACE, TopAbs_SHELL)
    while loose.More():
        found.append(_shell_of(TopoDS.Face(loose.Current())))
        loose.Next()
    solids = [_solid(shell) for shell in found]
    if len(found) == 1:
        return solids[0] or sewn
    builder, together = BRep_Builder(), TopoDS_Compound()
    builder.MakeCompound(together)
    for shell, solid in zip(found, solids, strict=True):
        builder.Add(together, solid or shell)
    return together


def _shell_of(face: TopoDS_Face) -> TopoDS_Shell:
    """Return a shell of one face."""
    builder, shell = BRep_Builder(), TopoDS_Shell()
    builder.MakeShell(shell)
    builder.Add(shell, face)
    return shell


def _solid(shell: TopoDS_Shell) -> TopoDS_Shape | None:
    """Return the solid that a shell closes, its outside outwards; None where the shell is open."""
    if not BRep_Tool.IsClosed_s(shell):
        return None
    shell.Closed(True)
    solid = BRepBuilderAPI_MakeSolid(shell).Solid()
    BRepLib.OrientClosedSolid_s(solid)
    return solid


def _cap_face(shape: SurfaceSet, number: int) -> TopoDS_Shape:
    """Return a flat cap as a face of its plane, bounded by the edges that it closes."""
    cap = shape.caps[number]
    plane = gp_Pln(gp_Pnt(*map(float, cap.origin)), gp_Dir(*map(float, cap.normal)))
    wires = []
    for loop in edge_loops(shape, shape.rims[number]):
        wire = BRepBuilderAPI_MakeWire()
        for name, _ in loop:
            edge = edge_curve(shape.surfaces[name.piece], name.axis, name.end)
            wire.Add(BRepBuilderAPI_MakeEdge(geom_curve(edge)).Edge())
        size = sum(float(shape.edges.lengths[shape.edges.number[name]]) for name, _ in loop)
        wires.append((size, wire.Wire()))
    ordered = [wire for _, wire in sorted(wires, key=lambda pair: -pair[0])]
    made = BRepBuilderAPI_MakeFace(Geom_Plane(plane).Pln(), ordered[0], True)
    for wire in ordered[1:]:
        made.Add(TopoDS.Wire(wire.Reversed()))
    return made.Face()


@dataclass(frozen=True)
class _Named:
    """A shape of the file with its name and colour."""

    name: str
    shape: TopoDS_Shape
    color: Color | None


def read(data: bytes) -> ReadStep:
    """Return what a file holds; see `step.read_step`."""
    document = _new_document()
    kind = "IGES" if is_iges(data) else "STEP"
    reader = IGESCAFControl_Reader() if kind == "IGES" else STEPCAFControl_Reader()
    reader.SetColorMode(True)
    reader.SetNameMode(True)
    Interface_Static.SetCVal_s("xstep.cascade.unit", "MM")
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / f"part.{kind.lower()}"
        path.write_bytes(data)
        if reader.ReadFile(str(path)) != IFSelect_RetDone or not reader.Transfer(document):
            raise UnreadableStep(f"The {kind} file is broken and could not be read. Export it again.")
    surfaces: list[ReadSurface] = []
    caps: list[FlatCap] = []
    faces: list[ReadFace] = []
    trimmed: Counter[str] = Counter()
    broken: Counter[str] = Counter()
    for named in _shapes(document):
        for face, color in _faces(document, named):
            surface, cap, bounded = _whole_surface(face), _flat_cap(face), bounded_face(face)
            if bounded is None:
                broken[named.name] += 1
            else:
                faces.append(ReadFace(named.name, bounded, color))
            if surface is not None:
                surfaces.append(ReadSurface(named.name, surface, color))
            elif cap is not None:
                caps.append(cap)
            else:
                trimmed[named.name] += 1
    left_out = [
        f"{count} face{'' if count == 1 else 's'} of {name or 'the part'} {'is' if count == 1 else 'are'} bounded by curves "
        "across the surface (holes or trims) and left out."
        for name, count in trimmed.items()
    ]
    lost = [
        f"{count} face{'' if count == 1 else 's'} of {name or 'the part'} left out: the boundary could not be read."
        for name, count in broken.items()
    ]
    return ReadStep(tuple(surfaces), tuple(_distinct_planes(caps)), tuple(left_out), tuple(faces), tuple(lost))


def _distinct_planes(caps: list[FlatCap]) -> Iterator[FlatCap]:
    """Yield caps, one for each plane and side."""
    seen: list[FlatCap] = []
    for cap in caps:
        alike = any(
            cap.normal @ other.normal > 1 - 1e-9 and abs((cap.origin - other.origin) @ other.normal) < FLAT for other in seen
        )
        if not alike:
            seen.append(cap)
            yield cap


def _flat_cap(face: Any) -> FlatCap | None:
    """Return the plane of a flat face, facing as the face does; None for a bent one."""
    points = kernel_surface(_plain_surface(face)).control_points
    flat = points.reshape(-1, 3)
    middle = flat.mean(axis=0)
    normal = np.linalg.svd(flat - middle)[2][2]
    if np.abs((flat - middle) @ normal).max() > FLAT:
        return None
    across = np.cross(points[-1, 0] - points[0, 0], points[0, -1] - points[0, 0]) @ normal
    side = np.sign(across) * (-1 if face.Orientation() == TopAbs_REVERSED else 1)
    return FlatCap(middle, side * normal)


def _shapes(document: Any) -> Iterator[_Named]:
    """Yield the shapes of a document, those of assemblies one by one where they stand."""
    tool = XCAFDoc_DocumentTool.ShapeTool_s(document.Main())
    labels = Sequence_TDF_Label()
    tool.GetFreeShapes(labels)
    for place in range(1, labels.Length() + 1):
        yield from _parts(document, labels.Value(place), None, "")


def _parts(document: Any, label: Any, location: Any, outer: str) -> Iterator[_Named]:
    """Yield the shapes of a label, moved by a location where there is one."""
    target = label
    if XCAFDoc_ShapeTool.IsReference_s(label):
        referred = type(label)()
        XCAFDoc_ShapeTool.GetReferredShape_s(label, referred)
        target = referred
    name = _name(label) or _name(target) or outer
    own = XCAFDoc_ShapeTool.GetLocation_s(label)
    moved = own if location is None else location.Multiplied(own)
    if XCAFDoc_ShapeTool.IsAssembly_s(target):
        parts = Sequence_TDF_Label()
        XCAFDoc_ShapeTool.GetComponents_s(target, parts)
        for place in range(1, parts.Length() + 1):
            yield from _parts(document, parts.Value(place), moved, name)
        return
    shape = XCAFDoc_ShapeTool.GetShape_s(target)
    yield _Named(_name(target) or name, shape.Moved(moved), _color(document, label, target))


def _name(label: Any) -> str:
    """Return the name of a label, "" for none."""
    found = TDataStd_Name()
    return found.Get().ToExtString() if label.FindAttribute(TDataStd_Name.GetID_s(), found) else ""


def _color(document: Any, *labels: Any) -> Color | None:
    """Return the first colour found on labels."""
    tool, color = XCAFDoc_DocumentTool.ColorTool_s(document.Main()), Quantity_Color()
    for label in labels:
        if tool.GetColor_s(label, XCAFDoc_ColorSurf, color):
            return color.Red(), color.Green(), color.Blue()
    return None


def _faces(document: Any, named: _Named) -> Iterator[tuple[Any, Color | None]]:
    """Yield the faces of a shape, their surfaces as B-splines, with the colour of the face or its shape."""
    tool, color = XCAFDoc_DocumentTool.ColorTool_s(document.Main()), Quantity_Color()
    explorer = TopExp_Explorer(named.shape, TopAbs_FACE)
    while explorer.More():
        face = explorer.Current()
        explorer.Next()
        own = tool.GetColor(face.Located(TopLoc_Location()), XCAFDoc_ColorSurf, color)
        converted = TopExp_Explorer(BRepBuilderAPI_NurbsConvert(face, True).Shape(), TopAbs_FACE)
        yield TopoDS.Face(converted.Current()), (color.Red(), color.Green(), color.Blue()) if own else named.color


def _whole_surface(face: Any) -> NurbsSurface | None:
    """Return the surface of a face that is a whole rectangle of it, facing as the face does; None for another."""
    low_u, high_u, low_v, high_v = BRepTools.UVBounds_s(face)
    piece = _plain_surface(face)
    own = piece.Bounds()
    bounds = [float(np.clip(value, *own[:2])) for value in (low_u, high_u)]
    bounds += [float(np.clip(value, *own[2:])) for value in (low_v, high_v)]
    if bounds[0] >= bounds[1] or bounds[2] >= bounds[3]:
        return None
    piece.Segment(*bounds)
    if abs(_area(BRepBuilderAPI_MakeFace(piece, FACE_TOLERANCE).Face()) - _area(face)) > WHOLE * _area(face):
        return None
    surface = kernel_surface(piece)
    return reverse_surface(surface, 0) if face.Orientation() == TopAbs_REVERSED else surface


def _plain_surface(face: Any) -> Any:
    """Return the surface of a face as a B-spline with clamped knots."""
    surface = GeomConvert.SurfaceToBSplineSurface_s(BRep_Tool.Surface_s(face)).Copy()
    if surface.IsUPeriodic():
        surface.SetUNotPeriodic()
    if surface.IsVPeriodic():
        surface.SetVNotPeriodic()
    surface.Segment(*surface.Bounds())  # one that was periodic has knots beyond its ends until it is cut there
    return surface


def _area(face: Any) -> float:
    """Return the area of a face in mm^2."""
    props = GProp_GProps()
    BRepGProp.SurfaceProperties_s(face, props, 1e-9)
    return float(props.Mass())
