"""The dataclasses that go to workers and come back; see `apart`."""

from __future__ import annotations

from functools import cache

from glass_spoon.formats.gltf import NamedMesh
from glass_spoon.formats.packed import Kinds, kinds_of
from glass_spoon.formats.picture import Encoded
from glass_spoon.formats.step import NamedSurfaces, ReadFace, ReadStep, ReadSurface
from glass_spoon.kernel.curves.alter.place_curve import Placement
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.topology import EdgeTable, Topology
from glass_spoon.kernel.repeat.placements import Placements
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.sets.surface_set import FlatCap, SurfaceSet
from glass_spoon.kernel.trims.face import Face, FaceSet


@cache
def packed_kinds() -> Kinds:
    """Return all kinds of values that are packed for work done apart."""
    return kinds_of(
        NamedMesh,
        Placements,
        Encoded,
        NamedSurfaces,
        ReadStep,
        ReadSurface,
        ReadFace,
        Placement,
        Placements,
        Mesh,
        EdgeTable,
        Topology,
        NurbsSurface,
        FlatCap,
        SurfaceSet,
        NurbsCurve,
        Face,
        FaceSet,
    )
