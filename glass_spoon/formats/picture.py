"""Reference pictures written anew: PNG, JPEG and WebP, read apart by Pillow through `raster`, within limits on time
and memory.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from glass_spoon.formats.apart import MEGABYTE, ApartError, RefusedApart, Task, Unusable, do_apart

MAX_PIXELS = 60_000_000
"""Most pixels unpacked: a larger picture is refused before memory is taken."""

KEPT_EDGE = 3000
"""Longest edge kept, in pixels."""

WRONG = "This is not a PNG, JPEG, WebP or SVG picture. Save it as one of these and try again."

_ENCODE = Task("glass_spoon.formats.raster", "encode", seconds=30.0, memory=900 * MEGABYTE)


class UnreadablePicture(Unusable):
    """A picture that cannot be used; the text is a sentence."""


@dataclass(frozen=True)
class Encoded:
    """A picture written anew: bytes, media type, size in pixels."""

    data: bytes
    media_type: str
    width: int
    height: int


def encode_raster(data: bytes) -> Encoded:
    """Return a PNG, JPEG or WebP picture upright by its EXIF orientation, without other metadata, as PNG or JPEG.

    Raises UnreadablePicture for what is no such picture, is too large, or is broken.
    """
    encoded: Encoded = unpacked(_ENCODE, (data,))
    return encoded


def unpacked(task: Task, arguments: tuple[Any, ...]) -> Any:
    """Return what is made of a picture apart; raises UnreadablePicture with a sentence."""
    try:
        return do_apart(task, arguments)
    except RefusedApart as error:
        raise UnreadablePicture(str(error)) from error
    except ApartError as error:
        raise UnreadablePicture(
            "The picture could not be unpacked. Make it smaller, save it again and try once more."
        ) from error
