"""Surfaces given a wall: the true parallel surfaces to both sides, and ruled rims between their open edges."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.errors import InvalidInput, KernelError, place_text
from glass_spoon.kernel.surfaces.alter.edit_surface import reverse_surface
from glass_spoon.kernel.surfaces.alter.offset_surface import offset_surface
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface, edge_curve
from glass_spoon.kernel.surfaces.evaluate.surface_kinks import surface_kinks
from glass_spoon.kernel.surfaces.make.loft import LoftShape, loft_sections
from glass_spoon.kernel.surfaces.sets.edge_report import read_edges
from glass_spoon.kernel.surfaces.sets.orient_set import orient_set
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet

SMOOTH = np.radians(0.5)
"""Surfaces of a set have one wall where they meet at a smaller angle: their parallels meet too."""


@dataclass(frozen=True, eq=False)
class Shell:
    """A wall as a set of surfaces. roles: of each surface, outer, inner or rim; of: the number of the surface that each
    belongs to. fold: a place (3,) in mm where the wall folds, None for none; radius: the least radius there, in mm; largest:
    how far in mm parallels were found to be off.
    """

    shape: SurfaceSet
    roles: tuple[str, ...]
    of: tuple[int, ...]
    fold: Floats | None
    radius: float
    largest: float


def shell(shape: SurfaceSet, outwards: float, inwards: float, tolerance: float, *, rims: bool = True) -> Shell:
    """Return the wall between the parallels of a set `outwards` and `inwards` mm away, within `tolerance` mm.

    Its outer side faces as the set does, its inner side the other way; rims close it along open edges. Raises InvalidInput
    for no wall, KernelError for flat caps and for surfaces that meet at sharp edges, whose corners only a mesh keeps.
    """
    if outwards < 0 or inwards < 0 or outwards + inwards <= 0:
        raise InvalidInput("The wall", "above 0 mm", f"{outwards + inwards:g} mm")
    _refuse_sharp(shape)
    sides: list[list[NurbsSurface]] = []
    fold, radius, largest = None, np.inf, 0.0
    for distance in (outwards, -inwards):
        parallels = []
        for surface in shape.surfaces:
            if distance == 0:
                parallels.append(surface)
                continue
            made = offset_surface(surface, distance, tolerance)
            parallels.append(made.surface)
            largest = max(largest, made.largest)
            if made.fold is not None and made.radius < radius:
                fold, radius = made.fold, made.radius
        sides.append(parallels)
    outer, inner = sides
    open_edges = shape.open_edges if rims else []
    joints = []
    for name in open_edges:
        pair = [edge_curve(side[name.piece], name.axis, name.end) for side in sides]
        joints.append(loft_sections(pair, LoftShape(degree=1, align=False)))
    count = len(shape.surfaces)
    every = [*outer, *(reverse_surface(surface, 0) for surface in inner), *joints]
    within = max(shape.tolerance, 3 * tolerance)
    regions = tuple(tuple(first + number for number in region) for first in (0, count) for region in shape.regions)
    made_of = SurfaceSet(tuple(every), within, regions=regions)
    oriented = orient_set(made_of).shape if joints else made_of
    roles = ("outer",) * count + ("inner",) * count + ("rim",) * len(joints)
    of = (*range(count), *range(count), *(name.piece for name in open_edges))
    return Shell(oriented, roles, of, fold, radius, largest)


def _refuse_sharp(shape: SurfaceSet) -> None:
    """Raise KernelError where surfaces of a set meet sharply, or are closed by flat caps."""
    way = "Mesh it, and give the mesh a wall with Thicken, which keeps its corners."
    if shape.caps:
        raise KernelError(f"Its flat caps meet the other surfaces at sharp edges. {way}")
    if any(all(len(surface_kinks(surface, axis)) for axis in (0, 1)) for surface in shape.surfaces):
        raise KernelError(f"The surface is sharp both ways. {way}")
    for reading in read_edges(shape):
        if reading.edge.first.piece != reading.edge.second.piece and reading.largest_angle > SMOOTH:
            at = reading.places[int(np.argmax(reading.angles))]
            raise KernelError(f"Its surfaces meet at a sharp edge at {place_text(at)}. {way}")
