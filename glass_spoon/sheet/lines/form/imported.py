"""Surfaces that come from files."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from glass_spoon.formats.step import UnreadableStep, read_step
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet
from glass_spoon.sheet.fields import ChoiceSpec, FileSpec
from glass_spoon.sheet.items import Item, SurfacesItem
from glass_spoon.sheet.line import Finding, Given, Line
from glass_spoon.sheet.lines.form.fields import SurfaceName, noted

MOST_KEPT = 3_000_000
"""Largest file that a sheet keeps."""

TOLERANCE = 0.01
"""Distance in mm up to which edges of the file are shared."""


class ImportStep(Line):
    """The surfaces of a STEP file."""

    chapter = "Form"
    summary = "Import the surfaces of a STEP file, exactly, with their names and colours."
    words = ("step", "stp", "file", "cad", "load", "open", "insert", "iso 10303")
    sentence = "**Import STEP** {gives} of {step}[, taking {taken}]."
    gives_kind = "surfaces"

    verb: Literal["import_step"] = "import_step"
    step: Annotated[str, Field(max_length=MOST_KEPT), FileSpec("The STEP file.", endings=".step,.stp")] = ""
    taken: Annotated[
        Literal["all surfaces", "bent ones"],
        ChoiceSpec(
            "Which surfaces; flat faces bounded by curves close what lies around them.",
            ("all surfaces", "bent ones"),
            ("all surfaces", "all but flat ends"),
        ),
    ] = "all surfaces"
    gives: SurfaceName = "import"

    def build(self, given: Given) -> SurfacesItem:
        """Read the file."""
        if not self.step.strip():
            raise KernelError("Choose a STEP file: click “no file yet”.")
        try:
            found = read_step(self.step.encode("utf-8", "surrogateescape"))
        except UnreadableStep as error:
            raise KernelError(str(error)) from error
        surfaces = tuple(read.surface for read in found.surfaces)
        shape = SurfaceSet(surfaces, TOLERANCE, found.caps if self.taken == "all surfaces" else ())
        names = tuple(read.name for read in found.surfaces)
        return SurfacesItem(shape, (), found.left_out, names, tuple(read.color for read in found.surfaces))

    def inspect(self, item: Item) -> list[Finding]:
        """List what the reader could not take."""
        return noted(item, "left out")
