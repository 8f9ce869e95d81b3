"""Elements of a mesh picked by hand: rows of a table that find them again when lines above change."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from glass_spoon.kernel.arrays import AnyInts, Floats, Ints
from glass_spoon.kernel.meshes.marked import MarkKind, element_middles
from glass_spoon.kernel.meshes.signed_places import find_signed, sign_elements
from glass_spoon.sheet.fields import Column
from glass_spoon.sheet.mesh_item import MeshItem

Picks = Sequence[Sequence[Any]]
"""Places in mm, each with its sign behind it where it has one: u, v, and the piece, counted from 1, or by its key."""

SIGN_COLUMNS = tuple(
    Column(name, label, blank="not known", whole=name == "piece", aside=True)
    for name, label in (("u", "u"), ("v", "v"), ("piece", "piece"))
)
"""Where a pick lies on the surface of its piece, by which it is found again; the place alone finds one without."""


def sign_rows(item: MeshItem, kind: MarkKind, elements: AnyInts) -> list[dict[str, Any]]:
    """Return the places of some elements in mm and their signs, as rows of a table."""
    places = np.round(element_middles(item.mesh, kind)[elements], 4)
    rows = [dict(zip("xyz", place, strict=True)) for place in places.tolist()]
    for row, (u, v, piece) in zip(rows, _as_made(item, sign_elements(item.mesh, kind, elements)).tolist(), strict=True):
        if not np.isnan(u):
            row |= {"u": round(u, 6), "v": round(v, 6), "piece": int(piece) + 1}
    return rows


def found_picks(item: MeshItem, kind: MarkKind, picks: Picks) -> Ints:
    """Return the element (k,) of each pick, -1 for none: of its place in mm, and of its sign where it has one."""
    rows = np.array([(*pick[:5], *(None,) * (5 - len(pick))) for pick in picks], dtype=np.float64).reshape(-1, 5)
    keys = [piece.key for piece in item.every_piece]
    pieces = [_pieces_of(keys, pick[5] if len(pick) > 5 else None) for pick in picks]
    return find_signed(item.mesh, kind, rows[:, :3], _as_made(item, rows[:, 3:]), pieces)


def known_piece(item: MeshItem, number: float) -> str | float:
    """Return the key of a piece, counted from 1, by which any mesh that has it knows it; its number where it has none."""
    known = item.every_piece
    return (known[int(number) - 1].key if 0 < number <= len(known) else "") or number


def _pieces_of(keys: Sequence[str], piece: Any) -> list[int] | None:
    """Return the numbers, from 0, of a piece by its key, copies of it too, or by its number; None where it is not known."""
    if isinstance(piece, str):
        return [k for k, key in enumerate(keys) if key == piece or key.startswith(f"{piece}.")] or None
    return None if piece is None or np.isnan(piece) else [int(piece) - 1]


def _as_made(item: MeshItem, signs: Floats) -> Floats:
    """Return signs (k, 2 or 3) as they would be had the item not been mirrored; inverse of itself."""
    backwards = item.pose is not None and item.pose.backwards
    return np.column_stack((1 - signs[:, 0], signs[:, 1:])) if backwards else signs
