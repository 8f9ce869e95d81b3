"""Curves that are laid onto surfaces or a mesh: how they are named in a sentence, and laid."""

from __future__ import annotations

from typing import Annotated

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.meshes.curve_onto_mesh import curve_onto_mesh
from glass_spoon.kernel.surfaces.alter.project_curve import project_along, project_nearest
from glass_spoon.sheet.fields import Items, ReferencesSpec
from glass_spoon.sheet.items import CurveItem, MeshItem
from glass_spoon.sheet.line import Given
from glass_spoon.sheet.lines.mesh_work.fields import length_text, several
from glass_spoon.sheet.planes import plane_normal

NEAR = 1e-5
"""Share of its size within which a drawn curve is laid onto what it lies on."""

Host = Annotated[
    Items,
    ReferencesSpec(
        "The surfaces, or the mesh, that it lies on, as it is seen from its view; none for its own plane.",
        "surface",
        also=("surfaces", "mesh"),
        least=0,
    ),
]
NearestHost = Annotated[
    Items,
    ReferencesSpec(
        "The surfaces, or the mesh, that it lies on where they are nearest; none for its own radius.",
        "surface",
        also=("surfaces", "mesh"),
        least=0,
    ),
]
HOST = "[, laid on {host}]"
LED = {"host": r"(?:(?:laid |lying |drawn )?(?:on|onto|over)(?: top of)?|across) (?:the )?"}


def laid(given: Given, item: CurveItem, plane: str) -> CurveItem:
    """Return a curve laid onto the line's hosts, as it is seen from the view of a drawing plane; itself where it has none.

    Raises KernelError where it is seen beside them.
    """
    return _laid(given, item, -plane_normal(plane))


def laid_nearest(given: Given, item: CurveItem) -> CurveItem:
    """Return a curve laid onto the line's hosts where they are nearest to it; itself where it has none."""
    return _laid(given, item, None)


def _laid(given: Given, item: CurveItem, way: Floats | None) -> CurveItem:
    keys = [key for key in given.items if key.partition(".")[0] == "host"]
    if not keys:
        return item
    tolerance = NEAR * float(np.ptp(item.curve.control_points, axis=0).max())
    if len(keys) > 1 and any(isinstance(given.items[key], MeshItem) for key in keys):
        raise KernelError("It is laid on one mesh, or on surfaces: leave one out, or gather what it lies on.")
    return laid_onto(given, keys, item.curve, way, tolerance)


def laid_onto(given: Given, keys: list[str], curve: NurbsCurve, way: Floats | None, tolerance: float) -> CurveItem:
    """Return a curve laid onto the items of some keys: a mesh, or surfaces. way (3,): along it, the side that is met first;
    None: to the nearest places.
    """
    host = given.items[keys[0]]
    if isinstance(host, MeshItem):
        found = curve_onto_mesh(curve, host.mesh, way, tolerance)
        jumps = f"It jumps by {length_text(found.jump)} where places beside each other fall on parts of the mesh far apart."
        told = f"{several(len(found.curve.control_points), 'place')} on its faces, joined straight."
        return CurveItem(found.curve, (jumps,) if found.jump else (), told)
    shapes = [given.surfaces(key) for key in keys]
    if any(shape.caps for shape in shapes):
        raise KernelError("Its flat faces carry no curves: Mesh it, and lay the curve onto the mesh.")
    surfaces = [surface for shape in shapes for surface in shape.surfaces]
    fit = project_nearest(curve, surfaces, tolerance) if way is None else project_along(curve, surfaces, way, tolerance)
    return CurveItem(fit.curve)
