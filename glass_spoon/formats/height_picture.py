"""Pictures as heights: the greys of a PNG, JPEG or WebP, kept as a PGM (Netpbm: P5, 16 bits, the dark first)."""

from __future__ import annotations

import re

import numpy as np

from glass_spoon.formats.apart import MEGABYTE, Task
from glass_spoon.formats.picture import unpacked
from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.errors import KernelError

GREY_EDGE = 512
"""Longest edge kept, in pixels: more is more than meshes have points for."""

ENDINGS = ".png,.jpg,.jpeg,.webp"
MOST_BYTES = 40 + 2 * GREY_EDGE * GREY_EDGE
"""Bytes of the largest picture that is kept."""

_GREYS = Task("glass_spoon.formats.raster", "greys", seconds=30.0, memory=900 * MEGABYTE)
_HEAD = re.compile(rb"P5\s+(\d{1,5})\s+(\d{1,5})\s+65535\s")


def grey_picture(data: bytes) -> bytes:
    """Return the greys of a picture as a PGM; what is clear counts as black. Raises UnreadablePicture with a sentence."""
    greys: bytes = unpacked(_GREYS, (data, GREY_EDGE))
    return greys


def write_greys(greys: Floats) -> bytes:
    """Return a PGM of greys (rows, columns) from 0 to 1, the top row first."""
    rows, columns = greys.shape
    values = np.round(np.clip(greys, 0.0, 1.0) * 65535).astype(">u2")
    return f"P5\n{columns} {rows}\n65535\n".encode("ascii") + values.tobytes()


def read_greys(data: bytes) -> Floats:
    """Return the greys (rows, columns) of a PGM of 16 bits, 0 to 1; raises KernelError with a sentence."""
    head = _HEAD.match(data)
    columns, rows = (int(head[1]), int(head[2])) if head else (0, 0)
    if head is None or not 0 < rows * columns <= GREY_EDGE * GREY_EDGE or len(data) != head.end() + 2 * rows * columns:
        raise KernelError("The picture in this line is broken. Choose it again.")
    return np.frombuffer(data, ">u2", offset=head.end()).reshape(rows, columns) / 65535.0
