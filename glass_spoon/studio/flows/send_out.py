"""Write files to be sent out, in jobs that any worker may take; how far each is stands in the database."""

from __future__ import annotations

import io
import re
import zipfile
from dataclasses import dataclass, replace
from typing import Any

from glass_spoon.formats.apart import Unusable
from glass_spoon.formats.clean_text import whole_number
from glass_spoon.formats.gltf import NamedMesh, write_glb
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.gauges.deviation import read_off_surface
from glass_spoon.kernel.subdivision.catmull_clark import MAX_LEVEL
from glass_spoon.sheet.document import SheetDocument, read_document
from glass_spoon.sheet.evaluate import Build
from glass_spoon.sheet.files_out import (
    ALL_FORMATS,
    CURVE_FORMATS,
    MESH_FORMATS,
    named_meshes,
    write_curves,
    write_surfaces,
)
from glass_spoon.sheet.items import BodiesItem, MeshItem
from glass_spoon.sheet.planes import PLANE_AXES
from glass_spoon.studio.colours import PAINTS
from glass_spoon.studio.flows.build_part import finished_build
from glass_spoon.studio.flows.watched_work import PATIENCE
from glass_spoon.studio.jobs import rows
from glass_spoon.studio.jobs.kinds import Done, does
from glass_spoon.studio.models import Job
from glass_spoon.studio.sentences import Refused

WRITE_FILE = "write a file"
"""The kind of the jobs."""


@dataclass(frozen=True)
class Order:
    """What is to be sent out: meshes at a level, or curves, seen in a view where the format is flat.

    as_set: meshes at all levels up to that one, a file each, with a list of their counts and distances.
    instanced: bodies as one mesh with a list of places, where the format knows both ways.
    """

    user: int
    part: int
    document: SheetDocument
    item: str
    format: str
    level: int
    view: str = "front"
    as_set: bool = False
    instanced: bool = False


def read_order(user: int, part: int, document: SheetDocument, form: Any) -> Order:
    """Return the order that a form asks for; Refused with a sentence otherwise."""
    sort, _, item = str(form.get("what", "")).partition(":")
    kind, level = str(form.get(f"format_{sort}") or form.get("format", "")), str(form.get("level", "0"))
    kind, _, manner = kind.partition(" ")
    as_set, level = level.startswith("to "), level.removeprefix("to ")
    if kind not in ALL_FORMATS:
        raise Refused("Choose glTF, OBJ, OpenUSD, STL or PLY for meshes, STEP for surfaces, DXF or SVG for curves.")
    times = whole_number(level, MAX_LEVEL)
    if times is None:
        raise Refused(f"The smoothing level should be 0 to {MAX_LEVEL}.")
    view = str(form.get("view", "front"))
    if view not in PLANE_AXES:
        raise Refused("Choose the front, side or plan view.")
    return Order(user, part, document, item, kind, times, view, as_set and kind in MESH_FORMATS, manner == "instanced")


def faces_of_bodies(build: Build) -> int:
    """Return how many faces the bodies of a build have when all are written out, 0 where there are none."""
    return sum(state.item.face_count for _, state in build.named("bodies") if isinstance(state.item, BodiesItem))


def file_name(name: str, otherwise: str) -> str:
    """Return a name without what file systems may not take."""
    return re.sub(r"[^\w -]", "", name).strip() or otherwise


def start_file(order: Order) -> Job:
    """Ask for a file, wait a moment, and return its job ready or under way."""
    rows.sweep()
    name = file_name(order.document.name, "part")
    level = f" x{order.level}" if order.level and order.format in MESH_FORMATS else ""
    filename, media_type = f"{name}{level}.{order.format}", ALL_FORMATS[order.format][1]
    if order.as_set:
        filename, media_type = f"{name} levels.zip", "application/zip"
    asked = {"item": order.item, "format": order.format, "level": order.level, "view": order.view, "as_set": order.as_set}
    asked["instanced"] = order.instanced
    asked |= {"document": order.document.model_dump(mode="json"), "filename": filename, "media_type": media_type}
    return rows.wait_for(rows.make(WRITE_FILE, order.user, order.part, asked), PATIENCE)


@does(
    WRITE_FILE,
    told=(Refused, Unusable, KernelError),
    failed="The file could not be written. The sheet is safe; try again.",
    lost="The file was not written: the worker on it ended several times. Try a lower level, or another format.",
)
def write_file(job: Job) -> Done:
    """Build, smooth and write a file that was asked for."""
    asked = {name: job.order[name] for name in ("item", "format", "level", "view", "as_set", "instanced")}
    rows.tell(job, "building", 0.0)
    document = read_document(job.order["document"])
    return Done(_data(Order(int(job.user_id or 0), int(job.part_id or 0), document, **asked), job))


def _data(order: Order, job: Job) -> bytes:
    """Return the bytes of a file."""
    if order.format in MESH_FORMATS:
        return _mesh_data(order, job)
    build = finished_build(order.document)
    if order.format in CURVE_FORMATS:
        return write_curves(build, order.item, order.format, order.view)
    rows.tell(job, "writing", 0.5)
    return write_surfaces(build, order.item, lambda item: PAINTS.get(order.document.look(item).colour))


def _mesh_data(order: Order, job: Job) -> bytes:
    """Return the bytes of a file of meshes, or of an archive of all levels."""
    if order.as_set:
        return _level_set(order, job)
    meshes = _meshes(order, job)
    rows.tell(job, "writing", 0.8)
    return _written(order, meshes)


def _written(order: Order, meshes: list[NamedMesh]) -> bytes:
    """Return the bytes of meshes in the format asked for."""
    if order.instanced and order.format == "glb":
        return write_glb(meshes, instanced=True)
    return MESH_FORMATS[order.format].write(meshes)


def _level_set(order: Order, job: Job) -> bytes:
    """Return an archive of the meshes at every level up to the one asked for, and a list of counts and distances."""
    archive = io.BytesIO()
    table = ["level\tmesh\tfaces\tlargest distance from the surface, mm"]
    with zipfile.ZipFile(archive, "w", zipfile.ZIP_DEFLATED) as box:
        for level in range(order.level + 1):
            meshes = _meshes(replace(order, level=level, as_set=False), job)
            box.writestr(f"level {level}.{order.format}", _written(order, meshes))
            table += [f"{level}\t{item.name}\t{item.face_count}\t{_off(order, item)}" for item in meshes]
            rows.tell(job, "writing", (level + 1) / (order.level + 1))
        box.writestr("levels.txt", "\n".join(table) + "\n")
    return archive.getvalue()


def _off(order: Order, item: NamedMesh) -> str:
    """Return the largest distance in mm of a mesh from its surface, "-" where there is none."""
    for name, state in finished_build(order.document).named("mesh", "bodies"):
        one = state.item.body if isinstance(state.item, BodiesItem) else state.item
        if name == item.name and isinstance(one, MeshItem) and one.surface is not None:
            reading = read_off_surface(item.mesh, one.surface, order.document.limits.for_gauges())[0]
            return f"{reading.value:.4g}"
    return "-"


def _meshes(order: Order, job: Job) -> list[NamedMesh]:
    """Return the meshes asked for at their level."""
    build = finished_build(order.document)
    rows.tell(job, "smoothing", 0.3)
    return named_meshes(build, order.item, order.level, lambda share: rows.tell(job, "smoothing", 0.3 + 0.5 * share))
