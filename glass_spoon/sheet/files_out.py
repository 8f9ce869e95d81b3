"""What a build gives to files: meshes at a level, curves and surfaces, under the names of the sheet, in open formats."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np

from glass_spoon.formats import dxf, gltf, obj, ply, step, stl, svg_drawing, usd
from glass_spoon.formats.gltf import NamedMesh
from glass_spoon.formats.named_curve import NamedCurve
from glass_spoon.formats.step import NamedSurfaces
from glass_spoon.kernel.errors import InvalidInput, KernelError
from glass_spoon.kernel.subdivision.catmull_clark import MAX_LEVEL, predict_faces, subdivide
from glass_spoon.kernel.surfaces.sets.surface_set import one_as_set
from glass_spoon.sheet.evaluate import Build, ItemState
from glass_spoon.sheet.items import BodiesItem, CurveItem, CurvesItem, MeshItem, SurfaceItem, SurfacesItem, TrimmedItem
from glass_spoon.sheet.mesh_item import FACE_LIMIT
from glass_spoon.sheet.planes import PLANE_AXES

Color = tuple[float, float, float]


@dataclass(frozen=True)
class MeshFormat:
    """A format for meshes: its name, its media type, and what writes it."""

    name: str
    media_type: str
    write: Callable[[list[NamedMesh]], bytes]


def written_out(meshes: list[NamedMesh]) -> list[NamedMesh]:
    """Return meshes with every copy of a body written out, for formats that know no copies. Raises KernelError."""
    faces = sum(one.face_count for one in meshes)
    if faces > FACE_LIMIT:
        raise KernelError(
            f"Written out, the bodies have {faces:,} faces; the most is {FACE_LIMIT:,}. glTF and OpenUSD keep each body "
            "once with its places: choose one of them, or a lower level."
        )
    return [one.written_out() for one in meshes]


MESH_FORMATS: Mapping[str, MeshFormat] = {
    "glb": MeshFormat("glTF", gltf.MEDIA_TYPE, gltf.write_glb),
    "obj": MeshFormat("OBJ", obj.MEDIA_TYPE, lambda meshes: obj.write_obj(written_out(meshes))),
    "usdc": MeshFormat("OpenUSD", usd.MEDIA_TYPE, usd.write_usd),
    "stl": MeshFormat("STL", stl.MEDIA_TYPE, lambda meshes: stl.write_stl(written_out(meshes))),
    "ply": MeshFormat("PLY", ply.MEDIA_TYPE, lambda meshes: ply.write_ply(written_out(meshes))),
}
CURVE_FORMATS: Mapping[str, tuple[str, str]] = {
    "dxf": ("DXF", dxf.MEDIA_TYPE),
    "svg": ("SVG", svg_drawing.MEDIA_TYPE),
}
SURFACE_FORMATS: Mapping[str, tuple[str, str]] = {"step": ("STEP", step.MEDIA_TYPE)}
ALL_FORMATS: Mapping[str, tuple[str, str]] = {
    **{ending: (one.name, one.media_type) for ending, one in MESH_FORMATS.items()},
    **CURVE_FORMATS,
    **SURFACE_FORMATS,
}
"""Names and media types by the ending of the file."""


class NothingToSend(KernelError):
    """There is nothing of the kind that a format takes."""


def named_meshes(build: Build, item: str, level: int, tell: Callable[[float], None] = lambda share: None) -> list[NamedMesh]:
    """Return the meshes of a build at a smoothing level, or ("" for all in sight) the one with an id; `tell` takes the share
    done.

    Raises NothingToSend, or KernelError for more faces than may be.
    """
    found = [
        (name, *((state.item.body, state.item.places) if isinstance(state.item, BodiesItem) else (state.item, None)))
        for name, state in build.named("mesh", "bodies")
        if isinstance(state.item, MeshItem | BodiesItem) and _goes_out(build, item, state)
    ]
    if not found and not item and any(state.item_id not in build.resting for _, state in build.named("mesh", "bodies")):
        raise NothingToSend("All meshes are hidden. Show those that are to go out, or choose one by its name.")
    if not found:
        raise NothingToSend("There is no mesh to send out yet. Add a mesh line, or mend the lines that need a look.")
    if not 0 <= level <= MAX_LEVEL:
        raise InvalidInput("The smoothing level", f"0 to {MAX_LEVEL}", str(level))
    faces = sum(predict_faces(one.mesh.topology, level) for _, one, _ in found)
    if faces > FACE_LIMIT:
        raise KernelError(f"That would be {faces:,} faces; the most is {FACE_LIMIT:,}. Choose a lower level.")
    names, result = build.document.item_names(), []
    for number, (name, one, places) in enumerate(found, 1):
        result.append(NamedMesh(name, subdivide(one.mesh, level), groups=one.group_names(names), places=places))
        tell(number / len(found))
    return result


def _sent(build: Build, item: str, *kinds: str) -> list[tuple[str, ItemState]]:
    """Return the items of some kinds: the one asked for, or all that are not hidden and that no line used up."""
    every = [entry for kind in kinds for entry in build.named(kind)]
    return [(name, state) for name, state in every if _goes_out(build, item, state)]


def _goes_out(build: Build, item: str, state: ItemState) -> bool:
    """Say whether an item goes out: the one asked for by id, or any ("") that is not hidden and that no line used up."""
    rests = build.document.is_hidden(state.item_id) or state.item_id in build.resting
    return item == state.item_id or (not item and not rests)


def write_curves(build: Build, item: str, ending: str, view: str = "front") -> bytes:
    """Return a DXF file of curves, or an SVG drawing of them in a view; hidden ones stay behind unless asked for by id."""
    found: list[NamedCurve] = []
    for name, state in _sent(build, item, "curve", "curves"):
        layer = build.document.look(state.item_id).layer
        one = state.item
        curves = (one.curve,) if isinstance(one, CurveItem) else one.curves if isinstance(one, CurvesItem) else ()
        numbered = len(curves) > 1
        found += [NamedCurve(f"{name} {k}" if numbered else name, curve, layer) for k, curve in enumerate(curves, 1)]
    if not found:
        raise NothingToSend("There is no curve to send out yet. Draw one, or mend the lines that need a look.")
    if ending == "dxf":
        return dxf.write_dxf(found)
    right, up = (np.array(axis) for axis in PLANE_AXES[view])
    return svg_drawing.write_svg(found, right, up)


def write_surfaces(build: Build, item: str, paint: Callable[[str], Color | None] = lambda item: None) -> bytes:
    """Return a STEP file of surfaces; `paint` gives the colour of an item. Hidden ones stay behind unless asked for."""
    found: list[NamedSurfaces] = []
    for name, state in _sent(build, item, "surface", "surfaces", "trimmed"):
        if isinstance(state.item, SurfaceItem):
            found.append(NamedSurfaces(name, one_as_set(state.item.surface), paint(state.item_id)))
        elif isinstance(state.item, SurfacesItem | TrimmedItem):
            found.append(NamedSurfaces(name, state.item.shape, paint(state.item_id)))
    if not found:
        raise NothingToSend("There is no surface to send out yet. Form one, or mend the lines that need a look.")
    return step.write_step(found)
