"""Triangles joined to quads."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.mesh_edits.pair_triangles import pair_triangles
from glass_spoon.sheet.fields import Number, NumberSpec
from glass_spoon.sheet.items import MeshItem
from glass_spoon.sheet.line import Given
from glass_spoon.sheet.lines.mesh_work.fields import HeldMarks, marked_edges, several
from glass_spoon.sheet.lines.mesh_work.mesh_work import MeshWork, Worked


class PairTriangles(MeshWork):
    """Triangles joined to quads."""

    summary = "Pair the triangles of a mesh to quads, as many and as square as can be."
    words = ("quads", "triangles", "tris", "convert", "join triangles", "triangles quads", "quadrangulate", "untriangulate")
    sentence = "**Pair** the triangles of {mesh} that turn by less than {angle}[, keeping the edges {held}]."

    verb: Literal["pair"] = "pair"
    angle: Annotated[
        Number,
        NumberSpec(
            "Neighbours that turn by more stay apart.",
            "angle",
            label="largest turn",
            least=0,
            above=True,
            most=np.pi,
            step=5,
        ),
    ] = "40°"
    held: HeldMarks = []

    def predict_faces(self, given: Given) -> int:
        """Return the faces that there are: no more come."""
        return given.mesh("mesh").mesh.face_count

    def work(self, given: Given, item: MeshItem) -> Worked:
        """Pair by the best matching."""
        done = pair_triangles(item.mesh, given.number("angle"), marked_edges(given, "held", item))
        left = f"{several(done.left, 'triangle')} left." if done.left else "No triangle is left."
        return Worked(done, f"{several(done.pairs, 'pair')} made. {left}")
