"""Surfaces of a set that fill a region together: what is left of one, its inner edges and its rim."""

from __future__ import annotations

from collections.abc import Collection

import numpy as np

from glass_spoon.kernel.arrays import Ints
from glass_spoon.kernel.surfaces.sets.surface_set import EdgeName, SharedEdge, SurfaceSet


def regions_of(shape: SurfaceSet, parents: Ints) -> tuple[tuple[int, ...], ...]:
    """Return the regions of a set of which only parts are left: by the numbers (n,) of the surfaces whose part each is."""
    whole = (tuple(np.flatnonzero(np.isin(parents, region)).tolist()) for region in shape.regions)
    return tuple(region for region in whole if region)


def inner_edges(shape: SurfaceSet, region: Collection[int]) -> list[SharedEdge]:
    """Return the edges that surfaces of a region (their numbers) share with each other."""
    own = set(region)
    return [pair for pair in shape.shared if pair.first.piece in own and pair.second.piece in own]


def rim_edges(shape: SurfaceSet, region: Collection[int]) -> list[EdgeName]:
    """Return the edges of surfaces of a region that no other of them meets, poles left out."""
    own = set(region)
    met = {name for pair in inner_edges(shape, region) for name in (pair.first, pair.second)}
    return [
        name
        for name, pole in zip(shape.edges.names, shape.edges.is_pole, strict=True)
        if name.piece in own and name not in met and not pole
    ]
