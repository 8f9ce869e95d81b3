"""Meshes that come from files."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from glass_spoon.formats.read_mesh import MILLIMETRES
from glass_spoon.kernel.errors import KernelError
from glass_spoon.sheet.fields import ChoiceSpec, FileSpec
from glass_spoon.sheet.items import Item, MeshItem, Note, Piece
from glass_spoon.sheet.line import Action, Finding, Given, Line
from glass_spoon.sheet.lines.mesh_work.fields import MeshName, mesh_findings, several
from glass_spoon.sheet.sources import read_kept_mesh
from glass_spoon.sheet.stored_files import MOST_INSIDE

MOST_TOLD = 5
"""Most names of groups that are told."""

ENDINGS = ".obj,.stl,.ply,.glb,.gltf"


class UnitUnknown(KernelError):
    """A file that says no unit, and none is chosen."""


class ImportMesh(Line):
    """The mesh of a file."""

    chapter = "Mesh"
    summary = "Import a mesh from an OBJ, STL, PLY or glTF file; quads, groups and uv are kept."
    words = ("obj", "stl", "ply", "gltf", "glb", "file", "load", "open", "scan", "insert")
    sentence = "**Import mesh** {gives} of {file}[, one unit of it being {unit}]."
    gives_kind = "mesh"
    signs = True

    verb: Literal["import_mesh"] = "import_mesh"
    file: Annotated[str, Field(max_length=MOST_INSIDE), FileSpec("The OBJ, STL, PLY or glTF file.", endings=ENDINGS)] = ""
    unit: Annotated[
        Literal["as it says", "mm", "cm", "m", "inch", "foot"],
        ChoiceSpec(
            "The unit of the file, where it says none.",
            ("as it says", "mm", "cm", "m", "inch", "foot"),
            ("what it says", "1 mm", "1 cm", "1 m", "1 inch", "1 foot"),
        ),
    ] = "as it says"
    gives: MeshName = "imported"

    def build(self, given: Given) -> MeshItem:
        """Read the file, in millimetres."""
        if not self.file:
            raise KernelError("Choose a mesh file: click “no mesh yet”.")
        read = read_kept_mesh(self.file, given.sources, given.progress)
        unit = read.unit if self.unit == "as it says" else MILLIMETRES[self.unit]
        if unit is None:
            raise UnitUnknown("The file says no unit. Which is it?")
        notes = tuple(Note("left_out", sentence) for sentence in read.left_out)
        told = f"{several(read.mesh.face_count, 'face')} read{_groups_told(read.groups)}."
        own = (given.ids[""],)
        colors = read.colors or (None,) * len(read.groups)
        pieces = tuple(Piece(own, name, color) for name, color in zip(read.groups, colors, strict=True)) or (Piece(own),)
        return MeshItem(read.in_millimetres(unit), None, notes, told, pieces=pieces)

    def inspect(self, item: Item) -> list[Finding]:
        """List what the reader could not take, and point at folded faces."""
        return mesh_findings(item)

    def ways_out(self, error: Exception) -> tuple[Action, ...]:
        """Offer the units."""
        if isinstance(error, UnitUnknown):
            return tuple(
                Action(word, "unit", unit) for word, unit in (("Millimetres", "mm"), ("Metres", "m"), ("Inches", "inch"))
            )
        return ()


def _groups_told(groups: tuple[str, ...]) -> str:
    """Return words on the groups of a file, with the first names."""
    if len(groups) < 2:
        return ""
    few = ", ".join(groups[:MOST_TOLD]) + (" and more" if len(groups) > MOST_TOLD else "")
    return f" in {len(groups)} groups: {few}"
