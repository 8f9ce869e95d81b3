"""STEP out and in (ISO 10303-21, application protocol 242), and IGES in (ANSI 5.3): exact surfaces with names, colours and
units.

The work is done by Open CASCADE through `step_occt`, apart: a broken file may end its reader, never the process that asked.
What a file holds is remembered by its content, so that no later build reads it again.
"""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, replace

from glass_spoon.formats.apart import ApartError, RefusedApart, Task, TooLongApart, Unusable, do_apart
from glass_spoon.kernel.remembered import Remembered
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.sets.surface_set import FlatCap, SurfaceSet
from glass_spoon.kernel.trims.face import Face, FaceSet

MEDIA_TYPE = "model/step"
MAX_BYTES = 8_000_000
"""Largest file that is read."""

Color = tuple[float, float, float]

_READ = Task("glass_spoon.formats.step_occt", "read", seconds=8.0)
SECONDS_A_MEGABYTE = 5.0
"""Seconds that a reader may take more for each megabyte: whole ones take about one."""

_WRITE = Task("glass_spoon.formats.step_occt", "write", seconds=300.0)


class UnwritableStep(Unusable):
    """Surfaces that could not be written; the text is a sentence."""


class UnreadableStep(Unusable):
    """A file that is no STEP file, or holds nothing that can be used; the text is a sentence for the modeler."""


@dataclass(frozen=True, eq=False)
class NamedSurfaces:
    """Surfaces to write as one shape with its name and colour (linear red, green, blue), None for none."""

    name: str
    shape: SurfaceSet | FaceSet
    color: Color | None = None


@dataclass(frozen=True, eq=False)
class ReadSurface:
    """A surface that was read, with the name and the colour of the shape it belongs to."""

    name: str
    surface: NurbsSurface
    color: Color | None


@dataclass(frozen=True, eq=False)
class ReadFace:
    """A face that was read with its boundary, and the name and the colour of the shape it belongs to."""

    name: str
    face: Face
    color: Color | None


@dataclass(frozen=True, eq=False)
class ReadStep:
    """What a file holds: surfaces in mm, facing as the file has them, and sentences on what could not be taken.

    caps: the planes of flat faces that are bounded by any curves. faces: every face with its boundary. left_out: of what is
    taken as whole surfaces; broken: of what could not be taken as faces either.
    """

    surfaces: tuple[ReadSurface, ...]
    caps: tuple[FlatCap, ...]
    left_out: tuple[str, ...]
    faces: tuple[ReadFace, ...] = ()
    broken: tuple[str, ...] = ()


def write_step(items: list[NamedSurfaces]) -> bytes:
    """Return a STEP file of surfaces in millimetres, each item one shape; edges that they share are shared in the file.

    Raises UnwritableStep where the writer fails or takes more time or memory than it may.
    """
    try:
        written: bytes = do_apart(_WRITE, (items,))
    except ApartError as error:
        raise UnwritableStep(
            "The STEP file could not be written: its writer failed. Send fewer surfaces at once."
        ) from error
    return written


def is_iges(data: bytes) -> bool:
    """Say whether a file begins as an IGES file does: lines of 80 columns, of the start section first (ANSI 5.3, 2.2.4)."""
    first = data.lstrip(b"\xef\xbb\xbf")[:80]
    return len(first) == 80 and first[72:73] in b"SC" and first[73:80].strip().isdigit()


def read_step(data: bytes) -> ReadStep:
    """Return the surfaces of a STEP or IGES file, exact: planes, cylinders, cones, spheres and tori too as NURBS.

    Faces that are a whole rectangle of their surface are taken, flat ones by their plane, and all of them with their
    boundaries.
    Raises UnreadableStep for a file that is too large, broken, or without a face.
    """
    if len(data) > MAX_BYTES:
        raise UnreadableStep(f"The file has {len(data):,} bytes; the most is {MAX_BYTES:,}. Keep only the parts you need.")
    if not is_iges(data) and not data.lstrip().startswith(b"ISO-10303-21"):
        raise UnreadableStep(
            "This is neither a STEP nor an IGES file: it does not start with ISO-10303-21, nor has it the columns of IGES. "
            "Export it again as STEP."
        )
    found = _read.get(hashlib.blake2b(data, digest_size=16).digest(), lambda: _read_apart(data))
    if isinstance(found, str):
        raise UnreadableStep(found)
    if not found.surfaces and not found.faces:
        told = " ".join(found.left_out)
        raise UnreadableStep(f"The file holds no surface that can be taken. {told}".strip())
    return found


_read: Remembered[ReadStep | str] = Remembered(16)
"""What files held, or the sentence that says why they cannot be read, by the hash of their content."""


def _read_apart(data: bytes) -> ReadStep | str:
    """Return what a file holds, or a sentence."""
    task = replace(_READ, seconds=_READ.seconds + SECONDS_A_MEGABYTE * len(data) / 1e6)
    try:
        found: ReadStep = do_apart(task, (data,))
    except RefusedApart as error:
        return str(error)
    except TooLongApart:
        return f"The file takes more than {task.seconds:.0f} seconds to read. Keep only the parts you need."
    except ApartError:
        return "The file is broken in a way that its reader cannot bear. Export it again, or keep only the parts you need."
    return found
