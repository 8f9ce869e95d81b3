"""Files that a sheet refers to by their content's hash, because they are too large to stand in it.

Small ones are written into the sheet itself; how the others are found, the sources of an evaluation say (sources.py).
"""

from __future__ import annotations

import base64
import binascii
import hashlib
import re
import zlib

from glass_spoon.kernel.errors import KernelError

MOST_INSIDE = 900_000
"""Most characters of a file that is written into the sheet."""

_REFERENCE = re.compile(r"^stored:([0-9a-f]{32}):([a-z]{2,5})$")
_INSIDE = re.compile(r"^inside:([a-z]{2,5}):")


def digest_of(data: bytes) -> str:
    """Return the hash that names a content."""
    return hashlib.blake2b(data, digest_size=16).hexdigest()


def write_inside(data: bytes, ending: str) -> str | None:
    """Return the text that stands in a sheet for a small file, None for one that is too large."""
    text = f"inside:{ending}:" + base64.b64encode(zlib.compress(data, 6)).decode("ascii")
    return text if len(text) <= MOST_INSIDE else None


def reference_to(data: bytes, ending: str) -> str:
    """Return the text that refers to a stored file."""
    return f"{reference_start(digest_of(data))}{ending}"


def reference_start(digest: str) -> str:
    """Return how every text that refers to a content starts."""
    return f"stored:{digest}:"


def stored_parts(text: str) -> tuple[str, str] | None:
    """Return the hash and the ending of a stored file that a text refers to, None for other texts."""
    found = _REFERENCE.match(text)
    return (found[1], found[2]) if found else None


def inside_file(text: str, most: int) -> tuple[bytes, str]:
    """Return the bytes and the ending of a file that a sheet holds.

    Raises KernelError with a sentence where it is broken, or has more than `most` bytes.
    """
    inside = _INSIDE.match(text)
    if inside is None:
        raise KernelError("The file in this line cannot be read. Choose it again.")
    try:
        unpacker = zlib.decompressobj()
        data = unpacker.decompress(base64.b64decode(text[inside.end() :], validate=True), most + 1)
    except (zlib.error, binascii.Error, ValueError) as error:
        raise KernelError("The file in this line is broken. Choose it again.") from error
    if len(data) > most:
        raise KernelError(f"The file in this line has more than {most:,} bytes. Choose a smaller one.")
    return data, inside[1]
