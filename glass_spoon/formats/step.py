"""STEP out and in (ISO 10303-21, application protocol 242): exact surfaces with names, colours and units.

The work is done by Open CASCADE through `step_occt`, which is heavy to load: it is loaded by the first file that is written
or read, never before.
"""

from __future__ import annotations

import importlib
from dataclasses import dataclass
from threading import Lock
from types import ModuleType

from glass_spoon.kernel.surfaces.surface import NurbsSurface
from glass_spoon.kernel.surfaces.surface_set import FlatCap, SurfaceSet

MEDIA_TYPE = "model/step"
MAX_BYTES = 8_000_000
"""Largest file that is read."""

Color = tuple[float, float, float]

_lock = Lock()


class UnreadableStep(ValueError):
    """A file that is no STEP file, or holds nothing that can be used; the text is a sentence for the modeler."""


@dataclass(frozen=True, eq=False)
class NamedSurfaces:
    """Surfaces to write as one shape with its name and colour (linear red, green, blue), None for none."""

    name: str
    shape: SurfaceSet
    color: Color | None = None


@dataclass(frozen=True, eq=False)
class ReadSurface:
    """A surface that was read, with the name and the colour of the shape it belongs to."""

    name: str
    surface: NurbsSurface
    color: Color | None


@dataclass(frozen=True, eq=False)
class ReadStep:
    """What a file holds: surfaces in mm, facing as the file has them, and sentences on what could not be taken.

    caps: the planes of flat faces that are bounded by any curves.
    """

    surfaces: tuple[ReadSurface, ...]
    caps: tuple[FlatCap, ...]
    left_out: tuple[str, ...]


def write_step(items: list[NamedSurfaces]) -> bytes:
    """Return a STEP file of surfaces in millimetres, each item one shape; edges that they share are shared in the file."""
    with _lock:
        written: bytes = _occt().write(items)
    return written


def read_step(data: bytes) -> ReadStep:
    """Return the surfaces of a STEP file, exact: planes, cylinders, cones, spheres and tori too are written as NURBS.

    Faces that are a whole rectangle of their surface are taken, and flat ones by their plane; bent ones bounded by other
    curves are left out and told.
    Raises UnreadableStep for a file that is too large, broken, or without a face.
    """
    if len(data) > MAX_BYTES:
        raise UnreadableStep(f"The file has {len(data):,} bytes; the most is {MAX_BYTES:,}. Keep only the parts you need.")
    if not data.lstrip().startswith(b"ISO-10303-21"):
        raise UnreadableStep("This is not a STEP file: it does not start with ISO-10303-21. Export it again as STEP.")
    with _lock:
        found: ReadStep = _occt().read(data)
    if not found.surfaces:
        told = " ".join(found.left_out)
        raise UnreadableStep(f"The file holds no surface that can be taken. {told}".strip())
    return found


def _occt() -> ModuleType:
    """Load the part that needs Open CASCADE."""
    return importlib.import_module("glass_spoon.formats.step_occt")
