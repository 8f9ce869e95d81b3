"""Results of lines as bytes and back."""

from __future__ import annotations

from functools import cache

from glass_spoon.formats.packed import Kinds, Unpackable, kinds_of, pack, unpack
from glass_spoon.kernel.curves.alter.frame import Frame
from glass_spoon.kernel.curves.alter.place_curve import Placement
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.gauges.reading import Reading
from glass_spoon.kernel.meshes.marked import Mark
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.topology import EdgeTable, Topology
from glass_spoon.kernel.repeat.placements import Placements
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.sets.surface_set import FlatCap, SurfaceSet
from glass_spoon.kernel.trims.face import Face, FaceSet
from glass_spoon.sheet.cache import Result
from glass_spoon.sheet.items import (
    BodiesItem,
    CurveItem,
    CurvesItem,
    Done,
    Maker,
    MarkItem,
    MarkRule,
    MeshItem,
    Note,
    Piece,
    SurfaceItem,
    SurfacesItem,
    TrimmedItem,
)
from glass_spoon.sheet.line import Action, Finding
from glass_spoon.sheet.pose import Pose


@cache
def item_kinds() -> Kinds:
    """Return all kinds of values that results are made of."""
    items = (
        CurveItem,
        CurvesItem,
        SurfaceItem,
        SurfacesItem,
        TrimmedItem,
        MeshItem,
        BodiesItem,
        MarkItem,
        Piece,
        Maker,
        Done,
        Note,
    )
    told = (Pose, Frame, Finding, Action, Reading, MarkRule, Mark)
    shapes = (NurbsCurve, NurbsSurface, SurfaceSet, FlatCap, Face, FaceSet, Placement, Placements, Mesh, Topology, EdgeTable)
    return kinds_of(*items, *told, *shapes)


def pack_result(result: Result) -> bytes | None:
    """Return a result as bytes, None for one that cannot be packed. Inverse: unpack_result."""
    try:
        return pack(result, item_kinds())
    except Unpackable:
        return None


def unpack_result(data: bytes) -> Result:
    """Return the result of packed bytes; raises Unpackable."""
    found = unpack(data, item_kinds())
    if not isinstance(found, tuple) or len(found) != 2:
        raise Unpackable("These bytes are no result.")
    return found  # type: ignore[return-value]  # packed as one
