"""The kinds of items. A new kind is one item class, one module here, and one line below."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from glass_spoon.sheet.fields import STANDS_IN
from glass_spoon.sheet.items import Item
from glass_spoon.sheet.kinds.bodies import BodiesKind
from glass_spoon.sheet.kinds.curve import CurveKind, CurvesKind
from glass_spoon.sheet.kinds.kind import Kind
from glass_spoon.sheet.kinds.mark import MarkKind
from glass_spoon.sheet.kinds.mesh import MeshKind
from glass_spoon.sheet.kinds.surface import SurfaceKind, SurfacesKind, TrimmedKind

KINDS: Mapping[str, Kind[Any]] = {
    kind.name: kind
    for kind in (
        CurveKind(),
        CurvesKind(),
        SurfaceKind(),
        SurfacesKind(),
        TrimmedKind(),
        MeshKind(),
        BodiesKind(),
        MarkKind(),
    )
}
"""Every kind by its name."""


def kind_of(item: Item) -> Kind[Any]:
    """Return the kind of an item."""
    return KINDS[item.kind]


def one_of(names: Iterable[str]) -> str:
    """Return words for one item of some kinds, as in `a curve or a mesh`; that bodies serve as a mesh is not said."""
    every = list(names)
    quiet = STANDS_IN["mesh"] if "mesh" in every else ""
    words = [KINDS[name].one for name in every if name != quiet]
    return words[0] if len(words) == 1 else f"{', '.join(words[:-1])} or {words[-1]}"


__all__ = ["KINDS", "Kind", "kind_of", "one_of"]
