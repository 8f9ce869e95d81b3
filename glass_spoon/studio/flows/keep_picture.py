"""Take a reference picture in: checked, turned upright, made smaller where it is huge, and written anew."""

from __future__ import annotations

import io
import re
from dataclasses import dataclass
from typing import Any
from xml.etree.ElementTree import Element, ParseError, tostring

from defusedxml import DefusedXmlException
from defusedxml.ElementTree import fromstring
from PIL import Image, ImageOps, UnidentifiedImageError

from glass_spoon.studio.models import Project, ReferencePicture
from glass_spoon.studio.sentences import Refused

MAX_BYTES = 5_000_000
"""Largest file taken in."""

MAX_PIXELS = 60_000_000
"""Most pixels unpacked: a larger picture is refused before memory is taken."""

KEPT_EDGE = 3000
"""Longest edge kept, in pixels."""

MAX_PICTURES = 200
"""Most pictures of a project."""

RASTER = {"PNG": "image/png", "JPEG": "image/jpeg", "WEBP": "image/webp"}
_WRONG = "This is not a PNG, JPEG, WebP or SVG picture. Save it as one of these and try again."
_NOT_DRAWN = {"script", "foreignObject", "iframe", "audio", "video", "image", "use", "a", "animate", "set", "style", "link"}
_LENGTH = re.compile(r"^\s*([\d.]+)")


@dataclass(frozen=True)
class Encoded:
    """A picture written anew: bytes, media type, size in pixels."""

    data: bytes
    media_type: str
    width: int
    height: int


def keep_picture(project: Project, user: Any, name: str, data: bytes) -> ReferencePicture:
    """Return a new picture of a project; Refused with a sentence for what cannot be used."""
    if len(data) > MAX_BYTES:
        raise Refused(f"The picture has {len(data):,} bytes; the most is {MAX_BYTES:,}. Make it smaller and try again.")
    if project.pictures.count() >= MAX_PICTURES:
        raise Refused(f"A project holds up to {MAX_PICTURES} pictures.")
    encoded = (
        encode_svg(data) if data.lstrip()[:5].lower().startswith((b"<svg", b"<?xml", b"<!doc")) else encode_raster(data)
    )
    short = " ".join(name.rsplit("/", 1)[-1].split())[:80] or "picture"
    return ReferencePicture.objects.create(project=project, made_by=user, name=short, **encoded.__dict__)


def encode_raster(data: bytes) -> Encoded:
    """Return a PNG, JPEG or WebP picture upright by its EXIF orientation, without other metadata, as PNG or JPEG."""
    try:
        with Image.open(io.BytesIO(data), formats=list(RASTER)) as picture:
            if picture.width * picture.height > MAX_PIXELS:
                raise Refused(f"The picture has {picture.width:,} by {picture.height:,} pixels: too many. Make it smaller.")
            picture.draft("RGB", (2 * KEPT_EDGE, 2 * KEPT_EDGE))
            upright = ImageOps.exif_transpose(picture)
            upright.thumbnail((KEPT_EDGE, KEPT_EDGE))
            clear = upright.mode in ("RGBA", "LA", "PA") or "transparency" in upright.info
            return _written(
                upright.convert("RGBA" if clear else "RGB"), "PNG" if clear or picture.format == "PNG" else "JPEG"
            )
    except Refused:
        raise
    except (UnidentifiedImageError, Image.DecompressionBombError, OSError, ValueError, SyntaxError, MemoryError) as error:
        raise Refused(_WRONG) from error


def _written(picture: Image.Image, kind: str) -> Encoded:
    """Return the picture's bytes without metadata."""
    plain = Image.new(picture.mode, picture.size)
    plain.paste(picture)
    file = io.BytesIO()
    plain.save(file, kind, **({"quality": 88} if kind == "JPEG" else {"optimize": False}))
    return Encoded(file.getvalue(), RASTER[kind], picture.width, picture.height)


def encode_svg(data: bytes) -> Encoded:
    """Return an SVG picture without scripts, styles, links and anything fetched from elsewhere."""
    try:
        root = fromstring(data, forbid_dtd=False, forbid_entities=True, forbid_external=True)
    except (DefusedXmlException, ParseError, ValueError) as error:
        raise Refused("The SVG picture cannot be read. Save it again as plain SVG.") from error
    if _local(root.tag) != "svg":
        raise Refused(_WRONG)
    _strip(root)
    width, height = _svg_size(root)
    root.set("width", str(width))
    root.set("height", str(height))
    return Encoded(tostring(root), "image/svg+xml", round(width), round(height))


def _local(tag: Any) -> str:
    return str(tag).rsplit("}", 1)[-1]


def _strip(element: Element) -> None:
    """Take away elements and attributes that act or fetch."""
    for name in list(element.attrib):
        value = element.attrib[name].lower()
        if (
            _local(name).lower().startswith("on")
            or _local(name) in ("href", "style")
            or ("url(" in value and "url(#" not in value)
        ):
            del element.attrib[name]
    for child in list(element):
        if _local(child.tag) in _NOT_DRAWN or not isinstance(child.tag, str):
            element.remove(child)
        else:
            _strip(child)


def _svg_size(root: Element) -> tuple[float, float]:
    """Return width and height in px, from the viewBox or the size, up to KEPT_EDGE."""
    box = [float(part) for part in re.split(r"[\s,]+", root.get("viewBox", "").strip()) if re.fullmatch(r"-?[\d.]+", part)]
    if len(box) == 4 and min(box[2:]) > 0:
        width, height = box[2:]
    else:
        sizes = [_LENGTH.match(root.get(name, "")) for name in ("width", "height")]
        if not all(sizes):
            raise Refused("The SVG picture says no size. Give it a viewBox and try again.")
        width, height = (float(size[1]) for size in sizes if size)
        root.set("viewBox", f"0 0 {width} {height}")
    if not (0 < width < 1e6 and 0 < height < 1e6):
        raise Refused("The SVG picture says no usable size. Give it a viewBox and try again.")
    factor = 1200 / max(width, height)
    return max(1.0, width * factor), max(1.0, height * factor)
