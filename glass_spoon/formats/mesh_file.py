"""Meshes out of any file that is read here, and the packed form in which one that was read is handed on."""

from __future__ import annotations

import io
import json
import zipfile

import numpy as np

from glass_spoon.formats.obj import read_obj
from glass_spoon.formats.ply import read_ply
from glass_spoon.formats.read_gltf import read_gltf
from glass_spoon.formats.read_mesh import Progress, ReadMesh, UnreadableMesh, untold
from glass_spoon.formats.stl import read_stl
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.topology import make_topology

READERS = {"obj": read_obj, "stl": read_stl, "ply": read_ply, "glb": read_gltf, "gltf": read_gltf}

PACKED_VERSION = 1
"""Raised when a reader gives other meshes, or the packed form changes: what was packed before is read again."""


def read_mesh_file(data: bytes, ending: str, progress: Progress = untold) -> ReadMesh:
    """Return the mesh of a file by its ending; `progress` is told the share that is done. Raises UnreadableMesh."""
    if ending not in READERS:
        raise UnreadableMesh("Choose an OBJ, STL, PLY or glTF file.")
    return READERS[ending](data, progress)


def pack_mesh(read: ReadMesh) -> bytes:
    """Return a mesh that was read as bytes, its arrays as they are. Inverse: unpack_mesh."""
    mesh = read.mesh
    said = {"unit": read.unit, "groups": read.groups, "left_out": read.left_out, "colors": read.colors}
    arrays = {"positions": mesh.positions, "corners": mesh.topology.face_corners, "offsets": mesh.topology.face_offsets}
    arrays |= {f"corner {name}": values for name, values in mesh.corners.items()}
    arrays |= {f"face {name}": values for name, values in mesh.faces.items()}
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_STORED) as box:
        box.writestr("said.json", json.dumps(said))
        for name, values in arrays.items():
            with box.open(f"{name}.npy", "w", force_zip64=True) as place:
                np.lib.format.write_array(place, np.ascontiguousarray(values), allow_pickle=False)
    return packed.getvalue()


def unpack_mesh(data: bytes) -> ReadMesh:
    """Return the mesh that `pack_mesh` packed."""
    with zipfile.ZipFile(io.BytesIO(data)) as box:
        said = json.loads(box.read("said.json"))
        arrays = {}
        for entry in box.namelist():
            if entry.endswith(".npy"):
                arrays[entry.removesuffix(".npy")] = np.load(io.BytesIO(box.read(entry)), allow_pickle=False)
    positions = arrays["positions"]
    topology = make_topology(len(positions), arrays["corners"], offsets=arrays["offsets"])
    corners = {name.removeprefix("corner "): values for name, values in arrays.items() if name.startswith("corner ")}
    faces = {name.removeprefix("face "): values for name, values in arrays.items() if name.startswith("face ")}
    colors = tuple(None if color is None else (color[0], color[1], color[2]) for color in said["colors"])
    mesh = Mesh(topology, positions, corners=corners, faces=faces)
    return ReadMesh(mesh, said["unit"], tuple(said["groups"]), tuple(said["left_out"]), colors)
