"""Faces turned inside out on purpose."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.mesh_edits.clean_mesh import reverse_faces
from glass_spoon.sheet.fields import Items, ReferencesSpec
from glass_spoon.sheet.items import MeshItem
from glass_spoon.sheet.line import Given
from glass_spoon.sheet.lines.mesh_work.fields import marked_faces, several
from glass_spoon.sheet.lines.mesh_work.mesh_work import MeshWork, Worked
from glass_spoon.sheet.phrase import Phrase


class TurnOver(MeshWork):
    """Faces turned inside out on purpose."""

    summary = "Turn a mesh, or marked faces of it, over: the other side faces out."
    words = ("reverse", "flip", "normals", "reverse normals", "flip normals", "inside out", "invert")
    phrases = (Phrase(r"turn(?= .* over$)"),)
    sentence = "**Turn over** {mesh}[, only {faces}]."

    verb: Literal["turn_over"] = "turn_over"
    faces: Annotated[Items, ReferencesSpec("Marks of the faces to turn; none turns all.", "mark", least=0)] = []

    def predict_faces(self, given: Given) -> int:
        """Return the faces that there are: no more come."""
        return given.mesh("mesh").mesh.face_count

    def work(self, given: Given, item: MeshItem) -> Worked:
        """Run the faces the other way round."""
        chosen = marked_faces(given, "faces", item) if self.faces else np.ones(item.mesh.face_count, dtype=bool)
        if not chosen.any():
            raise KernelError("The marks hold no faces of this mesh. Pick other marks, or none to turn all.")
        turned = reverse_faces(item.mesh, np.flatnonzero(chosen))
        return Worked(turned, f"{several(int(chosen.sum()), 'face')} turned over.")
