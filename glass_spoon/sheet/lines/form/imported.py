"""Surfaces that come from files."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Literal

from pydantic import Field

from glass_spoon.formats.step import ReadStep, UnreadableStep, read_step
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet
from glass_spoon.kernel.trims.face import make_face_set
from glass_spoon.kernel.trims.shared_edges import find_edges
from glass_spoon.sheet.fields import ChoiceSpec, FileSpec
from glass_spoon.sheet.items import Item, SurfacesItem, TrimmedItem
from glass_spoon.sheet.line import Action, Finding, Given, Line
from glass_spoon.sheet.lines.form.fields import SurfaceName, noted
from glass_spoon.sheet.lines.mesh_work.fields import several

MOST_KEPT = 3_000_000
"""Largest file that a sheet keeps."""

TOLERANCE = 0.01
"""Distance in mm up to which edges of the file are shared."""


class StepTrimmed(KernelError):
    """All that a file holds is trimmed."""


def _bounded(found: ReadStep) -> TrimmedItem:
    """Return the faces of a file with their boundaries."""
    faces = make_face_set([read.face for read in found.faces])
    shape = make_face_set(faces.faces, max(faces.tolerance, min(TOLERANCE, 10 * faces.tolerance)))
    told = f"{several(len(found.faces), 'face')}, {several(len(find_edges(shape).open_uses), 'open edge')}."
    names = tuple(read.name for read in found.faces)
    return TrimmedItem(shape, found.broken, told, names, tuple(read.color for read in found.faces))


class ImportStep(Line):
    """The surfaces of a STEP or IGES file."""

    chapter = "Form"
    summary = "Import the surfaces of a STEP or IGES file, exactly, with their names and colours."
    words = ("step", "stp", "file", "cad", "load", "open", "insert", "iso 10303", "iges", "igs")
    sentence = "**Import STEP** {gives} of {step}[, taking {taken}]."
    gives_kind = "surfaces"

    verb: Literal["import_step"] = "import_step"
    step: Annotated[
        str, Field(max_length=MOST_KEPT), FileSpec("The STEP or IGES file.", endings=".step,.stp,.iges,.igs")
    ] = ""
    taken: Annotated[
        Literal["all surfaces", "bent ones", "faces"],
        ChoiceSpec(
            "Which surfaces: whole ones, flat faces closing what lies around them; or every face with its boundary.",
            ("all surfaces", "bent ones", "faces"),
            ("all surfaces", "all but flat ends", "every face as it is trimmed"),
        ),
    ] = "all surfaces"
    gives: SurfaceName = "import"

    def kind_made_of(self, kind: str) -> str:
        """Give trimmed surfaces where faces are taken with their boundaries."""
        return "trimmed" if self.taken == "faces" else kind

    def build(self, given: Given) -> SurfacesItem | TrimmedItem:
        """Read the file."""
        if not self.step.strip():
            raise KernelError("Choose a STEP or IGES file: click “no file yet”.")
        try:
            found = read_step(self.step.encode("utf-8", "surrogateescape"))
        except UnreadableStep as error:
            raise KernelError(str(error)) from error
        if self.taken == "faces":
            return _bounded(found)
        if not found.surfaces:
            raise StepTrimmed("All bent faces of the file are trimmed: take every face as it is trimmed.")
        surfaces = tuple(read.surface for read in found.surfaces)
        shape = SurfaceSet(surfaces, TOLERANCE, found.caps if self.taken == "all surfaces" else ())
        names = tuple(read.name for read in found.surfaces)
        return SurfacesItem(shape, (), found.left_out, names, tuple(read.color for read in found.surfaces))

    def inspect(self, item: Item) -> list[Finding]:
        """List what the reader could not take, and the way to take it."""
        way = (Action("Take every face as it is trimmed", "taken", "faces"),)
        return [
            replace(finding, actions=way) if "bounded by curves" in finding.sentence else finding
            for finding in noted(item, "left out")
        ]

    def ways_out(self, error: Exception) -> tuple[Action, ...]:
        """Offer to take faces with their boundaries."""
        return (Action("Take every face as it is trimmed", "taken", "faces"),) if isinstance(error, StepTrimmed) else ()
