"""Meshes on a USD stage (schema UsdGeomMesh: subdivisionScheme, creaseIndices, creaseLengths, creaseSharpnesses)."""

from __future__ import annotations

import re
import tempfile
from pathlib import Path

import numpy as np
from pxr import Gf, Kind, Sdf, Tf, Usd, UsdGeom, Vt

from glass_spoon.formats.gltf import NamedMesh
from glass_spoon.kernel.repeat.placements import Placements

SHARP_FOR_EVER = 10.0
"""Sharpness that the schema takes for an edge that is never smoothed."""


def write(meshes: list[NamedMesh]) -> bytes:
    """Return a binary file (usdc) of the meshes."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "meshes.usdc"
        stage = Usd.Stage.CreateNew(str(path))
        UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.z)
        UsdGeom.SetStageMetersPerUnit(stage, 0.001)
        root = UsdGeom.Scope.Define(stage, "/Part")
        Usd.ModelAPI(root.GetPrim()).SetKind(Kind.Tokens.component)
        stage.SetDefaultPrim(root.GetPrim())
        taken: set[str] = set()
        for item in meshes:
            name = _free_name(item.name, taken)
            if item.places is None:
                _mesh(stage, item, f"/Part/{name}")
            else:
                _bodies(stage, item, item.places, f"/Part/{name}")
        stage.GetRootLayer().Save()
        del stage
        return path.read_bytes()


def _free_name(name: str, taken: set[str]) -> str:
    """Return a name that a prim may have and none has yet."""
    base = Tf.MakeValidIdentifier(re.sub(r"\s+", "_", name.strip()) or "mesh")
    free, number = base, 2
    while free in taken:
        free, number = f"{base}_{number}", number + 1
    taken.add(free)
    return free


def _bodies(stage: Usd.Stage, item: NamedMesh, places: Placements, path: str) -> None:
    """Define a body and its places (schema UsdGeomPointInstancer); skewed copies, which it cannot hold, are written out."""
    parted = places.parted()
    if parted is None:
        _mesh(stage, item.written_out(), path)
        return
    moves, turns, sizes = parted
    many = UsdGeom.PointInstancer.Define(stage, path)
    many.GetPrim().SetMetadata("displayName", item.name)
    _mesh(stage, item, f"{path}/body")
    many.CreatePrototypesRel().SetTargets([Sdf.Path(f"{path}/body")])
    many.CreateProtoIndicesAttr(Vt.IntArray.FromNumpy(np.zeros(len(places), dtype=np.int32)))
    many.CreatePositionsAttr(Vt.Vec3fArray.FromNumpy(moves.astype(np.float32)))
    many.CreateOrientationsfAttr(Vt.QuatfArray([Gf.Quatf(float(w), float(x), float(y), float(z)) for x, y, z, w in turns]))
    many.CreateScalesAttr(Vt.Vec3fArray.FromNumpy(sizes.astype(np.float32)))
    many.CreateExtentAttr(many.ComputeExtentAtTime(Usd.TimeCode.Default(), Usd.TimeCode.Default()))


def _mesh(stage: Usd.Stage, item: NamedMesh, path: str) -> None:
    """Define one mesh."""
    mesh, topology = item.mesh, item.mesh.topology
    prim = UsdGeom.Mesh.Define(stage, path)
    prim.GetPrim().SetMetadata("displayName", item.name)
    prim.CreatePointsAttr(Vt.Vec3fArray.FromNumpy(mesh.positions.astype(np.float32)))
    prim.CreateFaceVertexCountsAttr(Vt.IntArray.FromNumpy(topology.face_sides.astype(np.int32)))
    prim.CreateFaceVertexIndicesAttr(Vt.IntArray.FromNumpy(topology.face_corners.astype(np.int32)))
    prim.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.catmullClark)
    prim.CreateInterpolateBoundaryAttr(UsdGeom.Tokens.edgeAndCorner)
    prim.CreateExtentAttr(UsdGeom.PointBased.ComputeExtent(prim.GetPointsAttr().Get()))
    prim.CreateDisplayColorAttr([Gf.Vec3f(*(float(value) for value in item.color))])
    names: set[str] = set()
    for group, faces in item.face_groups():
        indices = Vt.IntArray.FromNumpy(faces.astype(np.int32))
        subset = UsdGeom.Subset.CreateGeomSubset(
            prim, _free_name(group, names), UsdGeom.Tokens.face, indices, "group", UsdGeom.Tokens.partition
        )
        subset.GetPrim().SetMetadata("displayName", group)
    sharpness = mesh.edges.get("sharpness")
    creased = np.flatnonzero(sharpness > 0) if sharpness is not None else np.zeros(0, dtype=np.int64)
    if sharpness is not None and len(creased):
        ends = topology.edges.ends[creased].astype(np.int32)
        prim.CreateCreaseIndicesAttr(Vt.IntArray.FromNumpy(np.ascontiguousarray(ends.ravel())))
        prim.CreateCreaseLengthsAttr(Vt.IntArray.FromNumpy(np.full(len(creased), 2, dtype=np.int32)))
        values = np.minimum(sharpness[creased], SHARP_FOR_EVER).astype(np.float32)
        prim.CreateCreaseSharpnessesAttr(Vt.FloatArray.FromNumpy(values))
    if "uv" in mesh.corners:
        api = UsdGeom.PrimvarsAPI(prim)
        st = api.CreatePrimvar("st", Sdf.ValueTypeNames.TexCoord2fArray, UsdGeom.Tokens.faceVarying)
        st.Set(Vt.Vec2fArray.FromNumpy(mesh.corners["uv"].astype(np.float32)))
