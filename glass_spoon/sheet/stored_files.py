"""Files that a sheet refers to by their content's hash, because they are too large to stand in it.

Small ones are written into the sheet itself. Whoever keeps the others says here how they are found; a sheet stays pure, as
a hash names one content for ever.
"""

from __future__ import annotations

import base64
import binascii
import hashlib
import re
import zlib
from collections.abc import Callable

from glass_spoon.kernel.errors import KernelError

MOST_INSIDE = 900_000
"""Most characters of a file that is written into the sheet."""

_REFERENCE = re.compile(r"^stored:([0-9a-f]{32}):([a-z]{2,5})$")
_INSIDE = re.compile(r"^inside:([a-z]{2,5}):")

Loader = Callable[[str], bytes | None]
_loaders: list[Loader] = []


def add_loader(load: Loader) -> None:
    """Say how stored files are found by their hash, None for one that is not there; the last one said is asked first."""
    _loaders.insert(0, load)


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


def read_file(text: str, most: int) -> tuple[bytes, str]:
    """Return the bytes and the ending of a file that a sheet holds or refers to.

    Raises KernelError with a sentence where it is not there, broken, or has more than `most` bytes.
    """
    if inside := _INSIDE.match(text):
        try:
            unpacker = zlib.decompressobj()
            data = unpacker.decompress(base64.b64decode(text[inside.end() :], validate=True), most + 1)
        except (zlib.error, binascii.Error, ValueError) as error:
            raise KernelError("The file in this line is broken. Choose it again.") from error
        if len(data) > most:
            raise KernelError(f"The file in this line has more than {most:,} bytes. Choose a smaller one.")
        return data, inside[1]
    parts = stored_parts(text)
    if parts is None:
        raise KernelError("The file in this line cannot be read. Choose it again.")
    for load in _loaders:
        found = load(parts[0])
        if found is not None:
            return found, parts[1]
    raise KernelError("The file of this line is not kept here. Choose it again.")
