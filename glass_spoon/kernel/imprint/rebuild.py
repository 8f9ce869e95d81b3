"""A mesh with faces taken out about seams and new ones put in, whose values are those of the skins they lie on."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Ints
from glass_spoon.kernel.imprint.skins import Skin
from glass_spoon.kernel.mesh_edits.assemble import Assembly


class Rebuild(Assembly):
    """An assembly whose new faces take their values from where they lie on a skin."""

    def add_quads(self, quads: Ints, role: str, skin: Skin) -> None:
        """Add quads (q, 4) over numbers of points."""
        if not len(quads):
            return
        every = self.places
        own, at = np.unique(quads, return_inverse=True)
        weights, corners = skin.weights(every[own])
        fresh = own >= self.mesh.point_count
        self.mix(own[fresh], self.mesh.topology.face_corners[corners[fresh]].astype(np.int64), weights[fresh])
        old = skin.faces[skin.near.ask(every[quads].mean(axis=1))[1]]
        shape = (*quads.shape, 3)
        self.add_faces(quads, corners[at.ravel()].reshape(shape), old, role, weights[at.ravel()].reshape(shape))
