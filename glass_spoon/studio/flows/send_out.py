"""Write files to be sent out, in a thread of their own with progress on disk, so that any process can tell how far it is."""

from __future__ import annotations

import json
import re
import secrets
import time
from concurrent.futures import Future, ThreadPoolExecutor
from concurrent.futures import TimeoutError as StillWorking
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from django.conf import settings

from glass_spoon.formats import gltf, obj
from glass_spoon.formats.gltf import NamedMesh
from glass_spoon.kernel.subdivision.catmull_clark import MAX_LEVEL, predict_faces, subdivide
from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.items import MeshItem
from glass_spoon.sheet.line import FACE_LIMIT
from glass_spoon.studio.flows.build_part import finished_build
from glass_spoon.studio.flows.watched_work import PATIENCE
from glass_spoon.studio.sentences import Refused

KEEP_SECONDS = 3600
FORMATS = {
    "glb": ("glTF", gltf.MEDIA_TYPE, gltf.write_glb),
    "obj": ("OBJ", obj.MEDIA_TYPE, obj.write_obj),
}
_pool = ThreadPoolExecutor(max_workers=2, thread_name_prefix="send-out")
_TOKEN = re.compile(r"^[A-Za-z0-9_-]{20,40}$")


@dataclass(frozen=True)
class Parcel:
    """A file under way or ready."""

    token: str
    user: int
    part: int
    filename: str
    media_type: str
    share: float
    stage: str
    size: int = 0
    sentence: str = ""

    @property
    def is_ready(self) -> bool:
        """True when the file may be fetched."""
        return self.stage == "ready"

    @property
    def percent(self) -> int:
        """Share done in percent."""
        return round(100 * self.share)


@dataclass(frozen=True)
class Order:
    """What is to be sent out."""

    user: int
    part: int
    document: SheetDocument
    item: str
    format: str
    level: int


def read_order(user: int, part: int, document: SheetDocument, form: Any) -> Order:
    """Return the order that a form asks for; Refused with a sentence otherwise."""
    kind, level = str(form.get("format", "")), str(form.get("level", "0"))
    if kind not in FORMATS:
        raise Refused("Choose glTF or OBJ.")
    if not level.isdigit() or int(level) > MAX_LEVEL:
        raise Refused(f"The smoothing level should be 0 to {MAX_LEVEL}.")
    return Order(user, part, document, str(form.get("mesh", "")), kind, int(level))


def start_parcel(order: Order) -> Parcel:
    """Start writing, wait a moment, and return the parcel ready or under way."""
    settings.WORK_DIR.mkdir(parents=True, exist_ok=True)
    _sweep()
    token = secrets.token_urlsafe(18)
    name = re.sub(r"[^\w -]", "", order.document.name).strip() or "part"
    filename = f"{name}{f' x{order.level}' if order.level else ''}.{order.format}"
    parcel = Parcel(token, order.user, order.part, filename, FORMATS[order.format][1], 0.0, "building")
    _store(parcel)
    future: Future[None] = _pool.submit(_write, order, parcel)
    try:
        future.result(timeout=PATIENCE)
    except StillWorking:
        pass
    return find_parcel(token, order.user, order.part)


def _write(order: Order, parcel: Parcel) -> None:
    """Build, smooth and write; a failure is kept as a sentence."""
    try:
        meshes = _meshes(order, parcel)
        _store(_with(parcel, share=0.8, stage="writing"))
        data = FORMATS[order.format][2](meshes)
        path = _path(parcel.token, "data")
        path.write_bytes(data)
        _store(_with(parcel, share=1.0, stage="ready", size=len(data)))
    except Refused as error:
        _store(_with(parcel, stage="failed", sentence=str(error)))
    except Exception:
        _store(_with(parcel, stage="failed", sentence="The file could not be written. The sheet is safe; try again."))
        raise


def _meshes(order: Order, parcel: Parcel) -> list[NamedMesh]:
    """Return the meshes asked for at their level."""
    build = finished_build(order.document)
    _store(_with(parcel, share=0.3, stage="smoothing"))
    found = [
        (name, state.item)
        for name, state in build.named("mesh")
        if isinstance(state.item, MeshItem) and (not order.item or build.items.get(order.item) is state)
    ]
    if not found:
        raise Refused("There is no mesh to send out yet. Add a mesh line, or mend the lines that need a look.")
    faces = sum(predict_faces(item.mesh.topology, order.level) for _, item in found)
    if faces > FACE_LIMIT:
        raise Refused(f"That would be {faces:,} faces; the most is {FACE_LIMIT:,}. Choose a lower level.")
    result = []
    for number, (name, item) in enumerate(found, 1):
        result.append(NamedMesh(name, subdivide(item.mesh, order.level)))
        _store(_with(parcel, share=0.3 + 0.5 * number / len(found), stage="smoothing"))
    return result


def _with(parcel: Parcel, **changes: Any) -> Parcel:
    """Return a parcel with some fields changed."""
    return Parcel(**{**parcel.__dict__, **changes})


def _path(token: str, ending: str) -> Path:
    return Path(settings.WORK_DIR) / f"{token}.{ending}"


def _store(parcel: Parcel) -> None:
    """Write the parcel's card in one step, so that nobody reads half of it."""
    draft = _path(parcel.token, "draft")
    draft.write_text(json.dumps(parcel.__dict__))
    draft.replace(_path(parcel.token, "json"))


def find_parcel(token: str, user: int, part: int) -> Parcel:
    """Return a parcel of this user and part; Refused when there is none."""
    try:
        if not _TOKEN.match(token):
            raise FileNotFoundError
        parcel = Parcel(**json.loads(_path(token, "json").read_text()))
    except (FileNotFoundError, ValueError, TypeError) as error:
        raise Refused("This file is no longer here. Send the part out again.", 404) from error
    if (parcel.user, parcel.part) != (user, part):
        raise Refused("This file is no longer here. Send the part out again.", 404)
    return parcel


def parcel_data(parcel: Parcel) -> bytes:
    """Return the file's bytes."""
    return _path(parcel.token, "data").read_bytes()


def _sweep() -> None:
    """Remove files older than an hour."""
    for path in Path(settings.WORK_DIR).glob("*.*"):
        try:
            if time.time() - path.stat().st_mtime > KEEP_SECONDS:
                path.unlink()
        except FileNotFoundError:
            continue
