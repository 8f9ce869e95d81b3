"""Take a reference picture in: checked, turned upright, made smaller where it is huge, and written anew."""

from __future__ import annotations

import math
import re
from typing import Any
from xml.etree.ElementTree import Element, tostring

from glass_spoon.formats.picture import WRONG, Encoded, UnreadablePicture, encode_raster
from glass_spoon.formats.safe_xml import UnreadableXml, read_xml
from glass_spoon.studio.flows.quotas import check_room
from glass_spoon.studio.models import Project, ReferencePicture
from glass_spoon.studio.sentences import Refused

MAX_BYTES = 5_000_000
"""Largest file taken in."""

MAX_PICTURES = 200
"""Most pictures of a project."""

_NOT_DRAWN = {"script", "foreignObject", "iframe", "audio", "video", "image", "use", "a", "animate", "set", "style", "link"}
_LENGTH = re.compile(r"^\s*(\d+\.?\d*|\.\d+)\s*(?:px|mm|cm|in|pt|pc|q|em|ex|%)?\s*$", re.IGNORECASE)


def keep_picture(project: Project, user: Any, name: str, data: bytes) -> ReferencePicture:
    """Return a new picture of a project; Refused with a sentence for what cannot be used."""
    if len(data) > MAX_BYTES:
        raise Refused(f"The picture has {len(data):,} bytes; the most is {MAX_BYTES:,}. Make it smaller and try again.")
    check_room(project.pk, len(data))
    if project.pictures.count() >= MAX_PICTURES:
        raise Refused(f"A project holds up to {MAX_PICTURES} pictures.")
    is_svg = data.lstrip(b"\xef\xbb\xbf \t\r\n")[:5].lower().startswith((b"<svg", b"<?xml", b"<!doc", b"<!--"))
    encoded = encode_svg(data) if is_svg else _raster(data)
    short = " ".join(name.rsplit("/", 1)[-1].split())[:80] or "picture"
    return ReferencePicture.objects.create(project=project, made_by=user, name=short, **encoded.__dict__)


def _raster(data: bytes) -> Encoded:
    """Return a picture of pixels written anew; Refused with a sentence."""
    try:
        return encode_raster(data)
    except UnreadablePicture as error:
        raise Refused(str(error)) from error


def encode_svg(data: bytes) -> Encoded:
    """Return an SVG picture without scripts, styles, links and anything fetched from elsewhere."""
    try:
        root = read_xml(data)
    except UnreadableXml as error:
        raise Refused(str(error)) from error
    if _local(root.tag) != "svg":
        raise Refused(WRONG)
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
    box = [_number(part) for part in re.split(r"[\s,]+", root.get("viewBox", "").strip())]
    sides = [value for value in box if value is not None]
    if len(sides) == len(box) == 4 and min(sides[2:]) > 0:
        width, height = sides[2:]
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


def _number(text: str) -> float | None:
    """Return a finite number, None for any other text."""
    try:
        value = float(text)
    except ValueError:
        return None
    return value if math.isfinite(value) else None
