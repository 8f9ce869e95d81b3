"""Marked points bevelled: corners cut off or rounded."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.arrays import Bools
from glass_spoon.kernel.detail.bevel import CORNER
from glass_spoon.kernel.detail.bevel_points import bevel_points
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.sheet.fields import ChoiceSpec, Number, NumberSpec
from glass_spoon.sheet.items import Aim, Done, MeshItem
from glass_spoon.sheet.line import Given
from glass_spoon.sheet.lines.detail.detail_work import DetailWork, MarkedAny, fold_note
from glass_spoon.sheet.lines.mesh_work.fields import several
from glass_spoon.sheet.lines.mesh_work.mesh_work import Worked
from glass_spoon.sheet.phrase import Phrase


class BevelPoints(DetailWork):
    """Marked points bevelled."""

    summary = "Bevel points: each gives way to a patch of quads; at an open rim the corner of a sheet is cut or rounded off."
    words = (
        "bevel corners",
        "bevel vertices",
        "chamfer corners",
        "cut corners",
        "cut off corners",
        "round corners of a sheet",
        "truncate",
        "round place at a point",
        "scoop corners",
    )
    phrases = (Phrase(r"in {steps} steps", finds=False),)
    sentence = "**Bevel points** {marks} of {mesh} by {width} along their edges[, {profile}][, in {steps} steps]."

    acts_on = ("point",)
    act_key = "B"

    verb: Literal["bevel_points"] = "bevel_points"
    marks: MarkedAny = []
    width: Annotated[
        Number,
        NumberSpec("How far along each edge from the point the patch reaches.", "length", least=0, above=True, most=1e5),
    ] = "2 mm"
    profile: Annotated[
        Literal["round", "flat", "hollow"],
        ChoiceSpec(
            "How the patch's rim crosses the faces: as an arc tangent to the edges, straight, or at the width from the point.",
            ("round", "flat", "hollow"),
        ),
    ] = "round"
    steps: Annotated[
        Number,
        NumberSpec(
            "Edges of the rim across each face; even counts make all quads.", label="steps", least=1, most=64, whole=True
        ),
    ] = 2

    def predict_faces(self, given: Given) -> int:
        """Bound the faces: what is filled across each corner of a face, and the patches."""
        item, steps = given.mesh("mesh"), given.count("steps")
        corners = int(self.points_of(given, item)[item.mesh.topology.face_corners].sum())
        return item.mesh.face_count + corners * (steps + 1 + (steps + 1) ** 2 // 2)

    def work(self, given: Given, item: MeshItem) -> Worked:
        """Bevel, and tell what is no quad, what was cut off a rim, and what would fold."""
        chosen = self.points_of(given, item)
        width = given.number("width")
        done = bevel_points(item.mesh, chosen, width, given.count("steps"), self.profile)
        patches = np.flatnonzero(done.origin.faces_in(CORNER))
        told = f"{several(int(chosen.sum()), 'point')} bevelled, {several(len(patches), 'face')} in their places."
        if done.opened:
            told += f" {several(done.opened, 'point')} lay at an open rim: the corner is cut off there."
        if done.odd:
            told += (
                f" {several(done.odd, 'face')} {'is' if done.odd == 1 else 'are'} no quads: even steps make quads of quads."
            )
        notes = fold_note(done.folded, done.fits, width, "width")
        return Worked(done, told, notes, Done("face", patches, _aim(item.mesh, chosen)), stands=False)

    def aimed(self) -> str:
        """Draw the width from a point along an edge."""
        return "width"


def _aim(mesh: Mesh, chosen: Bools) -> Aim | None:
    """Return the way from the first marked point along its first edge."""
    ends = mesh.topology.edges.ends.astype(np.int64)
    point = int(chosen.argmax())
    edges = np.flatnonzero((ends == point).any(axis=1))
    if not len(edges):
        return None
    other = int(ends[edges[0]].sum()) - point
    way = mesh.positions[other] - mesh.positions[point]
    size = float(np.linalg.norm(way))
    return Aim(mesh.positions[point], way / size) if size > 0 else None
