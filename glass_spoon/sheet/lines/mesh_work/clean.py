"""What a mesh should not have, taken out."""

from __future__ import annotations

from typing import Literal

from glass_spoon.kernel.mesh_edits.clean_mesh import clean_mesh
from glass_spoon.sheet.items import Done, MeshItem
from glass_spoon.sheet.line import Given
from glass_spoon.sheet.lines.mesh_work.fields import several
from glass_spoon.sheet.lines.mesh_work.mesh_work import MeshWork, Worked


class Clean(MeshWork):
    """What a mesh should not have, taken out."""

    summary = "Clean a mesh: doubled faces and stray points go, it is parted where it is no manifold, faces face alike."
    words = ("repair", "fix", "mend", "tidy", "manifold", "doubled", "stray", "normals", "orientation")
    sentence = "**Clean** {mesh}."

    verb: Literal["clean"] = "clean"

    def predict_faces(self, given: Given) -> int:
        """Return the faces that there are: no more come."""
        return given.mesh("mesh").mesh.face_count

    def work(self, given: Given, item: MeshItem) -> Worked:
        """Clean, and tell what was done."""
        done = clean_mesh(item.mesh)
        parts = [
            (done.doubled_faces, "doubled face", "taken out"),
            (done.stray_points, "stray point", "taken out"),
            (done.parted_points, "point", "parted where it was no manifold"),
            (done.turned_faces, "face", "turned to face like its neighbours"),
        ]
        told = "; ".join(f"{several(count, noun)} {words}" for count, noun, words in parts if count)
        told = f"{told}." if told else "There was nothing to clean."
        return Worked(done, told, done=Done("face", done.touched))
