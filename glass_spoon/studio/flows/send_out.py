"""Write files to be sent out, in jobs that any worker may take; how far each is stands in the database."""

from __future__ import annotations

import io
import re
import zipfile
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from glass_spoon.formats import dxf, gltf, obj, ply, step, stl, svg_drawing, usd
from glass_spoon.formats.apart import Unusable
from glass_spoon.formats.clean_text import whole_number
from glass_spoon.formats.gltf import NamedMesh
from glass_spoon.formats.named_curve import NamedCurve
from glass_spoon.kernel.gauges.deviation import read_off_surface
from glass_spoon.kernel.subdivision.catmull_clark import MAX_LEVEL, predict_faces, subdivide
from glass_spoon.kernel.surfaces.surface_set import SurfaceSet
from glass_spoon.sheet.document import SheetDocument, read_document
from glass_spoon.sheet.items import CurveItem, MeshItem, SurfaceItem, SurfacesItem
from glass_spoon.sheet.line import FACE_LIMIT
from glass_spoon.sheet.planes import PLANE_AXES
from glass_spoon.studio.colours import PAINTS
from glass_spoon.studio.flows import parcels
from glass_spoon.studio.flows.build_part import finished_build
from glass_spoon.studio.flows.watched_work import PATIENCE
from glass_spoon.studio.models import Parcel
from glass_spoon.studio.sentences import Refused

FORMATS = {
    "glb": ("glTF", gltf.MEDIA_TYPE, gltf.write_glb),
    "obj": ("OBJ", obj.MEDIA_TYPE, obj.write_obj),
    "usdc": ("OpenUSD", usd.MEDIA_TYPE, usd.write_usd),
    "stl": ("STL", stl.MEDIA_TYPE, stl.write_stl),
    "ply": ("PLY", ply.MEDIA_TYPE, ply.write_ply),
}
CURVE_FORMATS = {"dxf": ("DXF", dxf.MEDIA_TYPE), "svg": ("SVG", svg_drawing.MEDIA_TYPE)}
SURFACE_FORMATS = {"step": ("STEP", step.MEDIA_TYPE)}
ALL_FORMATS = {**{kind: entry[:2] for kind, entry in FORMATS.items()}, **CURVE_FORMATS, **SURFACE_FORMATS}


@dataclass(frozen=True)
class Order:
    """What is to be sent out: meshes at a level, or curves, seen in a view where the format is flat.

    as_set: meshes at all levels up to that one, a file each, with a list of their counts and distances.
    """

    user: int
    part: int
    document: SheetDocument
    item: str
    format: str
    level: int
    view: str = "front"
    as_set: bool = False


def read_order(user: int, part: int, document: SheetDocument, form: Any) -> Order:
    """Return the order that a form asks for; Refused with a sentence otherwise."""
    kind, level = str(form.get("format", "")), str(form.get("level", "0"))
    as_set, level = level.startswith("to "), level.removeprefix("to ")
    if kind not in ALL_FORMATS:
        raise Refused("Choose glTF, OBJ, OpenUSD, STL or PLY for meshes, STEP for surfaces, DXF or SVG for curves.")
    times = whole_number(level, MAX_LEVEL)
    if times is None:
        raise Refused(f"The smoothing level should be 0 to {MAX_LEVEL}.")
    view = str(form.get("view", "front"))
    if view not in PLANE_AXES:
        raise Refused("Choose the front, side or plan view.")
    field = "curve" if kind in CURVE_FORMATS else "surface" if kind in SURFACE_FORMATS else "mesh"
    item = str(form.get(field, ""))
    return Order(user, part, document, item, kind, times, view, as_set and kind in FORMATS)


def start_parcel(order: Order) -> Parcel:
    """Ask for a file, wait a moment, and return the parcel ready or under way."""
    parcels.sweep()
    name = re.sub(r"[^\w -]", "", order.document.name).strip() or "part"
    level = f" x{order.level}" if order.level and order.format in FORMATS else ""
    filename, media_type = f"{name}{level}.{order.format}", ALL_FORMATS[order.format][1]
    if order.as_set:
        filename, media_type = f"{name} levels.zip", "application/zip"
    asked = {"item": order.item, "format": order.format, "level": order.level, "view": order.view, "as_set": order.as_set}
    asked["document"] = order.document.model_dump(mode="json")
    parcel = parcels.make(order.user, order.part, asked, filename, media_type)
    parcels.hand_over(parcel)
    return parcels.wait_for(parcel, PATIENCE)


def write_parcel(token: str) -> None:
    """Build, smooth and write a file that was asked for; a failure is kept as a sentence. This is the job."""
    parcel = Parcel.objects.filter(token=token).exclude(stage__in=("ready", "failed", "cancelled")).first()
    if parcel is None:
        return
    asked = dict(parcel.order)
    order = Order(parcel.user_id, parcel.part_id, read_document(asked.pop("document")), **asked)
    try:
        parcels.tell(parcel, "building", 0.0)
        if order.format in SURFACE_FORMATS:
            data = _surface_data(order, parcel)
        else:
            data = _curve_data(order) if order.format in CURVE_FORMATS else _mesh_data(order, parcel)
        parcels.finish(parcel, data)
    except parcels.Cancelled:
        return
    except (Refused, Unusable) as error:
        parcels.fail(parcel, str(error))
    except Exception:
        parcels.fail(parcel, "The file could not be written. The sheet is safe; try again.")
        raise


def _mesh_data(order: Order, parcel: Parcel) -> bytes:
    """Return the bytes of a file of meshes, or of an archive of all levels."""
    if order.as_set:
        return _level_set(order, parcel)
    meshes = _meshes(order, parcel)
    parcels.tell(parcel, "writing", 0.8)
    return FORMATS[order.format][2](meshes)


def _level_set(order: Order, parcel: Parcel) -> bytes:
    """Return an archive of the meshes at every level up to the one asked for, and a list of counts and distances."""
    archive = io.BytesIO()
    rows = ["level\tmesh\tfaces\tlargest distance from the surface, mm"]
    with zipfile.ZipFile(archive, "w", zipfile.ZIP_DEFLATED) as box:
        for level in range(order.level + 1):
            meshes = _meshes(replace(order, level=level, as_set=False), parcel)
            box.writestr(f"level {level}.{order.format}", FORMATS[order.format][2](meshes))
            rows += [f"{level}\t{item.name}\t{item.mesh.face_count}\t{_off(order, item)}" for item in meshes]
            parcels.tell(parcel, "writing", (level + 1) / (order.level + 1))
        box.writestr("levels.txt", "\n".join(rows) + "\n")
    return archive.getvalue()


def _off(order: Order, item: NamedMesh) -> str:
    """Return the largest distance in mm of a mesh from its surface, "-" where there is none."""
    for name, state in finished_build(order.document).named("mesh"):
        if name == item.name and isinstance(state.item, MeshItem) and state.item.surface is not None:
            reading = read_off_surface(item.mesh, state.item.surface, order.document.limits.for_gauges())[0]
            return f"{reading.value:.4g}"
    return "-"


def _curve_data(order: Order) -> bytes:
    """Return the bytes of a file of curves; hidden ones stay behind unless asked for by name."""
    build = finished_build(order.document)
    found: list[NamedCurve] = []
    for name, state in (*build.named("curve"), *build.named("curves")):
        if order.item not in ("", state.item_id) or (not order.item and order.document.is_hidden(state.item_id)):
            continue
        layer = order.document.look(state.item_id).layer
        curves = (state.item.curve,) if isinstance(state.item, CurveItem) else getattr(state.item, "curves", ())
        numbered = len(curves) > 1
        found += [NamedCurve(f"{name} {k}" if numbered else name, curve, layer) for k, curve in enumerate(curves, 1)]
    if not found:
        raise Refused("There is no curve to send out yet. Draw one, or mend the lines that need a look.")
    if order.format == "dxf":
        return dxf.write_dxf(found)
    right, up = (np.array(axis) for axis in PLANE_AXES[order.view])
    return svg_drawing.write_svg(found, right, up)


def _surface_data(order: Order, parcel: Parcel) -> bytes:
    """Return the bytes of a file of surfaces; hidden ones stay behind unless asked for by name."""
    build = finished_build(order.document)
    found: list[step.NamedSurfaces] = []
    for name, state in (*build.named("surface"), *build.named("surfaces")):
        if order.item not in ("", state.item_id) or (not order.item and order.document.is_hidden(state.item_id)):
            continue
        color = PAINTS.get(order.document.look(state.item_id).colour)
        if isinstance(state.item, SurfaceItem):
            found.append(step.NamedSurfaces(name, SurfaceSet((state.item.surface,)), color))
        elif isinstance(state.item, SurfacesItem):
            found.append(step.NamedSurfaces(name, state.item.shape, color))
    if not found:
        raise Refused("There is no surface to send out yet. Form one, or mend the lines that need a look.")
    parcels.tell(parcel, "writing", 0.5)
    return step.write_step(found)


def _meshes(order: Order, parcel: Parcel) -> list[NamedMesh]:
    """Return the meshes asked for at their level."""
    build = finished_build(order.document)
    parcels.tell(parcel, "smoothing", 0.3)
    found = [
        (name, state.item)
        for name, state in build.named("mesh")
        if isinstance(state.item, MeshItem) and (not order.item or build.items.get(order.item) is state)
    ]
    if not found:
        raise Refused("There is no mesh to send out yet. Add a mesh line, or mend the lines that need a look.")
    faces = sum(predict_faces(item.mesh.topology, order.level) for _, item in found)
    if faces > FACE_LIMIT:
        raise Refused(f"That would be {faces:,} faces; the most is {FACE_LIMIT:,}. Choose a lower level.")
    result = []
    for number, (name, item) in enumerate(found, 1):
        groups = item.group_names(order.document.item_names())
        result.append(NamedMesh(name, subdivide(item.mesh, order.level), groups=groups))
        parcels.tell(parcel, "smoothing", 0.3 + 0.5 * number / len(found))
    return result
