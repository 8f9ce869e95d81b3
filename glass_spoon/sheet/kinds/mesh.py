"""Meshes."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.alter.place_curve import Placement
from glass_spoon.kernel.deform.space_map import SpaceMap
from glass_spoon.kernel.mesh_edits.keep_and_merge import keep_faces
from glass_spoon.kernel.repeat.placements import Placements
from glass_spoon.sheet.bodies_item import BodiesItem, stand_bodies
from glass_spoon.sheet.items import MeshItem
from glass_spoon.sheet.kinds.kind import Kind
from glass_spoon.sheet.mesh_item import placed_mesh, shaped_mesh


class MeshKind(Kind[MeshItem]):
    """A mesh: it goes with the surface that it stands for, and what is known of its faces goes with it."""

    name: ClassVar[str] = "mesh"
    noun: ClassVar[str] = "mesh"
    plural: ClassVar[str] = "meshes"
    several: ClassVar[str] = "bodies"
    single: ClassVar[str] = "mesh"
    parts: ClassVar[str] = "islands"

    def places(self, item: MeshItem) -> Floats:
        """Return its vertices."""
        return item.mesh.positions

    def place(self, item: MeshItem, placement: Placement) -> MeshItem:
        """Place it."""
        return placed_mesh(item, placement)

    def deform(self, item: MeshItem, of: SpaceMap, tolerance: float) -> tuple[MeshItem, float]:
        """Map its points, and the surface that it stands for where that can be followed."""
        return shaped_mesh(item, of, tolerance), 0.0

    def repeat(self, item: MeshItem, places: Placements) -> BodiesItem:
        """Repeat it as bodies, which are not written out."""
        return stand_bodies(item, places)

    def size(self, item: MeshItem) -> int:
        """Count the islands: parts that no edge joins."""
        return int(item.mesh.topology.components.max(initial=-1)) + 1

    def take(self, item: MeshItem, number: int) -> MeshItem:
        """Take one island, in the order of their first faces."""
        islands = item.mesh.topology.components
        order = islands[np.sort(np.unique(islands, return_index=True)[1])]
        kept = keep_faces(item.mesh, np.flatnonzero(islands == order[number]))
        return MeshItem(kept.mesh, item.surface, pieces=item.pieces, makers=item.makers, frame=item.frame)
