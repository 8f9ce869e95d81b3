"""Small pictures of single items, where one of them is chosen."""

from __future__ import annotations

from glass_spoon.sheet.evaluate import Build
from glass_spoon.sheet.items import CurveItem, CurvesItem
from glass_spoon.studio.see.scene import Shown, bare_shape, drawn_as, shown_items, stand_in
from glass_spoon.studio.see.thumbnail import draw_thumbnail
from glass_spoon.studio.sentences import Refused


def item_picture(build: Build, item_id: str) -> bytes:
    """Return a PNG of an item of a build, or of all meshes shown ("" for the id); Refused for one that is not there."""
    if not item_id:
        return draw_thumbnail([item.drawn for item in shown_items(build, 0) if not item.is_surface], [])
    state = build.items.get(item_id)
    if state is None:
        raise Refused("This item is no longer here. Load the page again.", 404)
    item = state.item
    if isinstance(item, CurveItem):
        return draw_thumbnail([], [item.curve])
    if isinstance(item, CurvesItem):
        return draw_thumbnail([], list(item.curves))
    shape = bare_shape(item)
    if shape is not None:
        return draw_thumbnail([stand_in(state.key, shape)], [])
    drawn, places = drawn_as(item)
    if drawn is None:
        raise Refused("This item has no picture.", 404)
    return draw_thumbnail([Shown(state.key, item_id, "", drawn.mesh, None, is_surface=False, places=places).drawn], [])
