"""What the pieces of a mesh are called and where they came from."""

from __future__ import annotations

from glass_spoon.sheet.items import Item, SurfacesItem, TrimmedItem
from glass_spoon.sheet.mesh_item import Piece


def surface_pieces(item: Item, made_by: tuple[str, ...]) -> list[Piece]:
    """Return the pieces that surfaces become: each with the item it came from, its name and colour in a file."""
    if isinstance(item, TrimmedItem):
        count, sources = len(item.shape.faces), ("",) * len(item.shape.faces)
    elif isinstance(item, SurfacesItem):
        count = len(item.shape.surfaces)
        sources = item.sources or ("",) * count
    else:
        return [Piece(made_by)]
    names, colors = item.names or ("",) * count, item.colors or (None,) * count
    own = [((source,) if source else ()) + made_by for source in sources]
    return [Piece(*known) for known in zip(own, names, colors, strict=True)]
