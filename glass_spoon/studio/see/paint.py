"""The colours of surfaces and meshes on the board: by the looks of their items, and of the pieces that a set is made of."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.evaluate import Build
from glass_spoon.sheet.items import SurfacesItem, TrimmedItem
from glass_spoon.sheet.lines.mesh_work.mesh_surface import MeshSurface
from glass_spoon.sheet.lines.mesh_work.surface_pieces import surface_pieces
from glass_spoon.studio.colours import PAINTS, TINTS, Color
from glass_spoon.studio.see.scene import Shown, drawn_as
from glass_spoon.studio.see.tints import tints_of


def paint_of(document: SheetDocument, item: Shown) -> Color:
    """Return the colour of an item: its own, else that of the surface it was made of, else its tint."""
    for item_id in (item.item_id, source_of(document, item.item_id)):
        colour = document.look(item_id).colour if item_id else "ink"
        if colour in PAINTS:
            return PAINTS[colour]
    return TINTS[tints_of(document).get(item.item_id, 0)]


def face_paints(build: Build, item: Shown) -> Floats | None:
    """Return the colour (f, 3) of every face of a mesh whose pieces have colours of their own, None where all have one."""
    document = build.document
    state = build.items.get(item.item_id) or build.held.get(item.item_id)
    if state is None or "piece" not in item.mesh.faces:
        return None
    drawn = drawn_as(state.item)[0]
    if drawn is not None:
        pieces = drawn.every_piece
    elif isinstance(state.item, SurfacesItem | TrimmedItem):
        pieces = tuple(surface_pieces(state.item, (item.item_id,)))
    else:
        return None
    colours = {name: look.colour for name, look in document.looks.items() if look.colour in PAINTS}
    own = [piece.colour(colours) for piece in pieces]
    paints: list[Color | None] = [PAINTS.get(one) if isinstance(one, str) else one for one in own]
    plain = paint_of(document, item)
    if all(paint in (None, plain) for paint in paints):
        return None
    colors = np.array([plain if paint is None else paint for paint in paints])
    return colors[np.clip(item.mesh.faces["piece"].astype(int), 0, len(colors) - 1)]


def source_of(document: SheetDocument, item_id: str) -> str:
    """Return the id of the surface that a mesh was made of, "" for none."""
    line = document.line(item_id) if item_id and document.has(item_id) else None
    return line.surface if isinstance(line, MeshSurface) else ""
