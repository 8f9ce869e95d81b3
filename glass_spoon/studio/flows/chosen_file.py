"""A file that is chosen for a line: which field keeps it, and how it is read; what cannot be read is refused."""

from __future__ import annotations

from collections.abc import Callable

from glass_spoon.formats.clean_text import clean_text
from glass_spoon.formats.dxf import UnitUnknown, UnreadableDxf, read_dxf
from glass_spoon.formats.height_picture import grey_picture
from glass_spoon.formats.own_font import UnreadableFont, own_font
from glass_spoon.formats.picture import UnreadablePicture
from glass_spoon.formats.step import UnreadableStep, read_step
from glass_spoon.formats.svg_paths import UnreadableSvg, read_svg
from glass_spoon.sheet.line import Line
from glass_spoon.sheet.lines.draw.letters import Write
from glass_spoon.sheet.lines.draw.points import ImportDxf
from glass_spoon.sheet.lines.form.imported import MOST_KEPT, ImportStep
from glass_spoon.sheet.lines.mesh_work.imported import ImportMesh
from glass_spoon.sheet.lines.shape.swell import SwellLine
from glass_spoon.sheet.stored_files import write_inside
from glass_spoon.studio.flows.keep_file import keep_mesh_file
from glass_spoon.studio.sentences import Refused


def file_field(line: Line, file_name: str, project_id: int) -> tuple[str, Callable[[bytes], str]]:
    """Return the field of a line that keeps a file, and what reads it."""
    if isinstance(line, ImportMesh):
        return "file", lambda data: keep_mesh_file(data, file_name, project_id)
    if isinstance(line, ImportStep):
        return "step", _read_step
    if isinstance(line, SwellLine):
        return "picture", _read_greys
    if isinstance(line, Write):
        return "file", _read_font
    return ("dxf", _read_dxf) if isinstance(line, ImportDxf) else ("svg", _read_svg)


def _read_greys(data: bytes) -> str:
    """Return the greys of a picture as a sheet keeps them."""
    try:
        text = write_inside(grey_picture(data), "pgm")
    except UnreadablePicture as error:
        raise Refused(str(error)) from error
    if text is None:
        raise Refused("The picture has too much detail to be kept in a sheet. Make it smaller, or blur it a little.")
    return text


def _read_font(data: bytes) -> str:
    """Return a font as a sheet keeps it."""
    try:
        plain = own_font(data)
    except UnreadableFont as error:
        raise Refused(str(error)) from error
    text = write_inside(plain, "ttf" if plain[:4] == b"\x00\x01\x00\x00" else "otf")
    if text is None:
        raise Refused("The font's letters are too many, or too fine, to be kept in a sheet. Choose a plainer font.")
    return text


def _read_step(data: bytes) -> str:
    """Return the text of a STEP file that can be read; what it holds is remembered for the build that follows."""
    if len(data) > MOST_KEPT:
        raise Refused(f"The file has {len(data):,} bytes; a sheet keeps up to {MOST_KEPT:,}. Keep only the parts you need.")
    text = clean_text(data.decode("utf-8", "replace"))
    try:
        read_step(text.encode())
    except UnreadableStep as error:
        raise Refused(str(error)) from error
    return text


def _read_svg(data: bytes) -> str:
    """Return the text of an SVG drawing that can be read; whether it says its unit shows later."""
    try:
        read_svg(data, "mm")
        return clean_text(data.decode("utf-8-sig"))
    except UnreadableSvg as error:
        raise Refused(str(error)) from error
    except UnicodeDecodeError as error:
        raise Refused("The drawing is not UTF-8 text. Save it again as plain SVG.") from error


def _read_dxf(data: bytes) -> str:
    """Return the text of a DXF drawing that can be read; whether it says its unit shows later."""
    try:
        read_dxf(data)
    except UnitUnknown:
        pass
    except UnreadableDxf as error:
        raise Refused(str(error)) from error
    return clean_text(data.decode("utf-8-sig", errors="replace"))
