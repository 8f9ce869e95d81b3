"""What the panel of sending out prints: what there is to choose, as pictures, and the formats that fit each."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.evaluate import Build, ItemState
from glass_spoon.sheet.items import BodiesItem, MeshItem
from glass_spoon.studio.flows.build_part import finished_build
from glass_spoon.studio.flows.send_out import faces_of_bodies
from glass_spoon.studio.models import Part

LEVELS, SETS = range(7), range(1, 5)
MESH_FORMATS = (
    ("glb", "glTF", "for rendering and the web: metres, Y up, triangles"),
    ("obj", "OBJ", "quads kept: millimetres, Z up"),
    ("usdc", "OpenUSD", "cage with creases: millimetres, Z up"),
    ("ply", "PLY", "quads kept: millimetres, Z up"),
    ("stl", "STL", "for printing: millimetres, Z up, triangles"),
)
INSTANCED = ("glb instanced", "glTF with GPU instances", "smaller; not every program reads it")
SURFACE_FORMATS = (("step", "STEP", "exact surfaces: millimetres, names and colours"),)
CURVE_FORMATS = (
    ("dxf", "DXF", "exact, in space: millimetres"),
    ("svg", "SVG", "as seen in a view: millimetres"),
)
SORTS = (
    ("mesh", ("mesh", "bodies"), "all meshes"),
    ("surface", ("surface", "surfaces", "trimmed"), "all surfaces"),
    ("curve", ("curve", "curves"), "all curves"),
)
"""What goes out together: its word in forms, its kinds, and what all of it is called."""


@dataclass(frozen=True)
class Choice:
    """Something that may go out. item: its id, "" for all of its sort that is shown."""

    sort: str
    item: str
    name: str
    told: str
    pictured: bool = True


def send_out_context(part: Part, document: SheetDocument) -> dict[str, Any]:
    """Return the context of the panel."""
    build = finished_build(document)
    choices = [choice for sort, kinds, every in SORTS for choice in _choices(build, sort, kinds, every)]
    faces = faces_of_bodies(build)
    return {
        "part": part,
        "choices": choices,
        "levels": LEVELS,
        "sets": SETS,
        "mesh_formats": (*MESH_FORMATS, *((INSTANCED,) if faces else ())),
        "surface_formats": SURFACE_FORMATS,
        "curve_formats": CURVE_FORMATS,
        "bodies": f"{faces:,}" if faces else "",
    }


def _choices(build: Build, sort: str, kinds: tuple[str, ...], every: str) -> list[Choice]:
    """Return what may go out of a sort: all that is shown together where there are several, and each by itself."""
    found = build.named(*kinds)
    shown = [
        state for _, state in found if state.item_id not in build.resting and not build.document.is_hidden(state.item_id)
    ]
    each = [Choice(sort, state.item_id, name, _told(state)) for name, state in found]
    if len(found) < 2 or not shown:
        return each
    return [Choice(sort, "", every, f"{len(shown)} shown", pictured=sort == "mesh"), *each]


def _told(state: ItemState) -> str:
    item = state.item
    return (
        f"{item.face_count:,} faces"
        if isinstance(item, BodiesItem)
        else f"{item.mesh.face_count:,} faces"
        if isinstance(item, MeshItem)
        else ""
    )
