"""What pictures need of Pillow. Run apart, by `picture` alone."""

from __future__ import annotations

import io

import numpy as np
from PIL import Image, ImageOps, UnidentifiedImageError

from glass_spoon.formats.height_picture import write_greys
from glass_spoon.formats.picture import KEPT_EDGE, MAX_PIXELS, WRONG, Encoded, UnreadablePicture

RASTER = {"PNG": "image/png", "JPEG": "image/jpeg", "WEBP": "image/webp"}
"""Media types by Pillow's names of the formats that are read."""


def encode(data: bytes) -> Encoded:
    """Return a picture written anew; see `picture.encode_raster`."""
    try:
        with Image.open(io.BytesIO(data), formats=list(RASTER)) as picture:
            if picture.width * picture.height > MAX_PIXELS:
                raise UnreadablePicture(
                    f"The picture has {picture.width:,} by {picture.height:,} pixels: too many. Make it smaller."
                )
            kind = picture.format
            picture.draft("RGB", (2 * KEPT_EDGE, 2 * KEPT_EDGE))
            picture.thumbnail((KEPT_EDGE, KEPT_EDGE))  # before anything that copies it
            upright = ImageOps.exif_transpose(picture)
            clear = upright.mode in ("RGBA", "LA", "PA") or "transparency" in upright.info
            return _written(upright.convert("RGBA" if clear else "RGB"), "PNG" if clear or kind == "PNG" else "JPEG")
    except (UnidentifiedImageError, Image.DecompressionBombError, OSError, ValueError, SyntaxError) as error:
        raise error if isinstance(error, UnreadablePicture) else UnreadablePicture(WRONG) from error


def _written(picture: Image.Image, kind: str) -> Encoded:
    """Return the picture's bytes without metadata."""
    plain = Image.new(picture.mode, picture.size)
    plain.paste(picture)
    file = io.BytesIO()
    plain.save(file, kind, **({"quality": 88} if kind == "JPEG" else {"optimize": False}))
    return Encoded(file.getvalue(), RASTER[kind], picture.width, picture.height)


def greys(data: bytes, edge: int) -> bytes:
    """Return the greys of a picture as a PGM of 16 bits; see `height_picture.grey_picture`."""
    try:
        with Image.open(io.BytesIO(data), formats=list(RASTER)) as picture:
            if picture.width * picture.height > MAX_PIXELS:
                raise UnreadablePicture(
                    f"The picture has {picture.width:,} by {picture.height:,} pixels: too many. Make it smaller."
                )
            upright = ImageOps.exif_transpose(picture)
            deep = upright.mode in ("I;16", "I", "F")
            if deep:
                values = np.asarray(upright, dtype=np.float64)
                values /= max(65535.0, float(values.max(initial=1.0)))
                grey = Image.fromarray(values.astype(np.float32))
            else:
                clear = upright.convert("RGBA")
                black = Image.new("RGBA", clear.size, "black")
                grey = Image.fromarray(np.asarray(Image.alpha_composite(black, clear).convert("L"), dtype=np.float32) / 255)
            grey.thumbnail((edge, edge), Image.Resampling.BOX)
            return write_greys(np.asarray(grey, dtype=np.float64))
    except (UnidentifiedImageError, Image.DecompressionBombError, OSError, ValueError, SyntaxError) as error:
        raise error if isinstance(error, UnreadablePicture) else UnreadablePicture(WRONG) from error
