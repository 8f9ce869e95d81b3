"""Fonts of the user's own: TrueType, OpenType or WOFF, made small and plain apart, and kept as TrueType or OpenType."""

from __future__ import annotations

import io

from fontTools.subset import Options, Subsetter
from fontTools.ttLib import TTFont

from glass_spoon.formats.apart import MEGABYTE, ApartError, RefusedApart, Task, Unusable, do_apart

ENDINGS = ".ttf,.otf,.woff"
MOST_BYTES = 8_000_000
"""Bytes of a font that is taken in, and of what is kept of it."""

KEPT = (*range(0x20, 0x7F), *range(0xA0, 0x250), *range(0x370, 0x530), *range(0x2010, 0x2040), 0x20AC, 0x2116, 0x2122)
"""The letters that are kept: Latin, Greek and Cyrillic, with dashes and quotes."""

WRONG = "This is not a TrueType, OpenType or WOFF font. Choose a file that ends in .ttf, .otf or .woff."

_PLAIN = Task("glass_spoon.formats.own_font", "plain", seconds=30.0, memory=900 * MEGABYTE)


class UnreadableFont(Unusable):
    """A font that cannot be used; the text is a sentence."""


def own_font(data: bytes) -> bytes:
    """Return a font with the letters that are kept, outlines and pairs alone; raises UnreadableFont with a sentence."""
    if len(data) > MOST_BYTES:
        raise UnreadableFont(f"The font has {len(data):,} bytes; the most is {MOST_BYTES:,}. Choose one with fewer letters.")
    try:
        made: bytes = do_apart(_PLAIN, (data,))
    except RefusedApart as error:
        raise UnreadableFont(str(error)) from error
    except ApartError as error:
        raise UnreadableFont("The font could not be read in time. Choose another one.") from error
    return made


def plain(data: bytes) -> bytes:
    """Return a font made small and plain; run apart, by `own_font` alone."""
    try:
        face = TTFont(io.BytesIO(data), lazy=True)
        if not {"glyf", "CFF "} & set(face.keys()) or "cmap" not in face:
            raise UnreadableFont(WRONG)
        options = Options(layout_features=["kern"], hinting=False, notdef_outline=True, name_IDs=[], glyph_names=False)
        options.drop_tables += ["DSIG", "GSUB", "STAT", "fvar", "gvar", "avar", "HVAR", "MVAR", "meta"]
        subset = Subsetter(options)
        subset.populate(unicodes=KEPT)
        subset.subset(face)
        face.flavor = None
        file = io.BytesIO()
        face.save(file)
    except UnreadableFont:
        raise
    except Exception as error:  # fontTools raises what it meets, of many kinds
        raise UnreadableFont(WRONG) from error
    return file.getvalue()
