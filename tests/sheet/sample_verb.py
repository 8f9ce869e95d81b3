"""A verb that comes from outside the program: one kernel function, one class."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
import scipy.sparse as sparse

from glass_spoon.kernel.arrays import Bools
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.origin import Origin, Reworked, Weighted, carry
from glass_spoon.kernel.meshes.topology import make_topology
from glass_spoon.sheet.fields import Items, ReferencesSpec
from glass_spoon.sheet.items import MeshItem
from glass_spoon.sheet.line import Given
from glass_spoon.sheet.lines.mesh_work.fields import marked_faces, several
from glass_spoon.sheet.lines.mesh_work.mesh_work import MeshWork, Worked


def fan_faces(mesh: Mesh, chosen: Bools) -> Reworked:
    """Return the mesh with some faces (f,) divided into triangles round their middles, of the role "strip"."""
    topology = mesh.topology
    fanned, count = np.flatnonzero(chosen), mesh.point_count
    middle = np.zeros(mesh.face_count, dtype=np.int64)
    middle[fanned] = count + np.arange(len(fanned))
    own, face = np.arange(len(topology.face_corners)), topology.face_of_corner
    kept = own[~chosen[face]]
    cut = own[chosen[face]]
    wedges = np.column_stack(
        (topology.face_corners[cut], topology.face_corners[topology.next_corner[cut]], middle[face[cut]])
    )
    sides = np.concatenate((topology.face_sides[~chosen], np.full(len(cut), 3)))
    offsets = np.concatenate(([0], np.cumsum(sides)))
    made = make_topology(count + len(fanned), np.concatenate((topology.face_corners[kept], wedges.ravel())), offsets=offsets)
    means = sparse.csr_array((1 / topology.face_sides[face], (face, topology.face_corners)), shape=(mesh.face_count, count))
    of_face = sparse.csr_array((1 / topology.face_sides[face], (face, own)), shape=(mesh.face_count, len(own)))
    every = sparse.eye_array(len(own), format="csr")
    laid = sparse.vstack((every[cut], every[topology.next_corner[cut]], of_face[face[cut]]), format="csr")
    order = np.arange(3 * len(cut)).reshape(3, -1).T.ravel()
    origin = Origin(
        topology,
        Weighted(sparse.csr_array(sparse.vstack((sparse.eye_array(count), means[fanned]), format="csr"))),
        Weighted(sparse.csr_array(sparse.vstack((every[kept], laid[order]), format="csr"))),
        np.concatenate((np.flatnonzero(~chosen), face[cut])),
        np.column_stack((made.find_edges(topology.edges.ends), np.arange(len(topology.edges.ends)))),
    )
    fresh = np.arange(made.face_count) >= int((~chosen).sum())
    origin = origin.with_roles({"strip": fresh}, {}, len(made.edges.ends))
    return Reworked(carry(mesh, made, origin), origin)


class Fan(MeshWork):
    """Faces divided round their middles."""

    summary = "Fan marked faces into triangles round their middles."
    words = ("poke", "pinwheel")
    sentence = "**Fan** {faces} of {mesh}."

    verb: Literal["fan"] = "fan"
    faces: Annotated[Items, ReferencesSpec("Marks of the faces.", "mark", least=1)] = []

    def predict_faces(self, given: Given) -> int:
        """Return the faces there will be at most."""
        return len(given.mesh("mesh").mesh.topology.face_corners)

    def work(self, given: Given, item: MeshItem) -> Worked:
        """Divide them."""
        chosen = marked_faces(given, "faces", item)
        return Worked(fan_faces(item.mesh, chosen), f"{several(int(chosen.sum()), 'face')} divided.")


VERBS = (Fan,)
