"""A plate: outlines with holes pulled straight, drafted, with rounded or chamfered edges and flat caps.

z |   cap           seen across the outline, material on the right of the path:
|   .-------      the path runs from the lower cap over its edge, the side and the upper edge to the upper cap.
|  (   material   It is measured by how far it lies inside the outline (o) and how high (z).
|  |              Every place of it is the outline offset inwards by o, at height z.
|   '-------
+------------ o
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from glass_spoon.kernel.arrays import lengths
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.errors import EdgeTooLarge, InvalidInput, KernelError, floor_text
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.make.outline_crossings import offset_fits
from glass_spoon.kernel.surfaces.make.outline_loop import OutlineLoop, make_loop, opens_at
from glass_spoon.kernel.surfaces.make.plate_path import PathPart, cut_at_outline, largest_fitting, plate_path
from glass_spoon.kernel.surfaces.make.plate_shape import SHARP, PlateShape
from glass_spoon.kernel.surfaces.make.plate_sides import UP, side_surfaces
from glass_spoon.kernel.surfaces.sets.surface_set import FlatCap, SurfaceSet

STEEPEST_DRAFT = np.radians(80)

FINE = 0.005
"""Share of the smallest feature within which surfaces are fitted; ten times as far their edges may lie apart."""


def make_plate(outline: NurbsCurve, holes: list[NurbsCurve], shape: PlateShape, tolerance: float = 1e-3) -> SurfaceSet:
    """Return the surfaces of a plate over closed outlines in the xy plane, within `tolerance` mm, exact over lines and arcs.

    Raises InvalidInput for outlines that are not closed and sizes out of range, KernelError for outlines that cross, and for
    an edge or a draft that does not fit, with the largest that does.
    """
    _check(shape, outline, holes)
    tolerance = min(tolerance, FINE * _smallest(shape, [outline, *holes]))
    loops = [make_loop(outline, inner=False), *(make_loop(hole, inner=True) for hole in holes)]
    path = plate_path(shape)
    fault = _fault(loops, path)
    if fault is not None:
        _refuse(loops, shape, fault)
    if any(opens_at(loop, k, -np.sign(loop.turns[k]), shape.corners) for loop in loops for k in range(len(loop.runs))):
        path = [half for part in path for half in cut_at_outline(part)]
    surfaces: list[NurbsSurface] = []
    counts: list[tuple[int, int]] = []
    for loop in loops:
        for part, sides in zip(path, side_surfaces(loop, path, shape.corners, tolerance), strict=True):
            surfaces += sides
            counts += [(0, part.steps)] * len(sides)
    heights = path[0].start[1], path[-1].end[1]
    start = loops[0].runs[0].control_points[0] * (1, 1, 0)
    caps = [FlatCap(start + UP * heights[0], -UP), FlatCap(start + UP * heights[1], UP)]
    kept = tuple(cap for cap, wanted in zip(caps, shape.capped, strict=True) if wanted)
    return SurfaceSet(tuple(surfaces), 10 * tolerance, kept, tuple(counts) if any(pair[1] for pair in counts) else ())


def _smallest(shape: PlateShape, outlines: list[NurbsCurve]) -> float:
    """Return the size in mm of the smallest feature of a plate: a span of an outline, an edge, the height."""
    spans = [np.diff(curve_points(curve, curve.breaks), axis=0) for curve in outlines]
    sizes = np.concatenate([lengths(span) for span in spans])
    edges = [edge.size for edge in (shape.lower, shape.upper) if edge.kind != "sharp"]
    return min(float(sizes[sizes > 0].min(initial=np.inf)), shape.high - shape.low, *edges)


def _check(shape: PlateShape, outline: NurbsCurve, holes: list[NurbsCurve]) -> None:
    """Raise InvalidInput for what is no plate."""
    if not shape.high > shape.low:
        raise InvalidInput("The height", "above 0 mm", f"{shape.high - shape.low:g} mm")
    if not all(curve.is_closed(1e-6) for curve in (outline, *holes)):
        raise InvalidInput("The outline and its holes", "closed", "open")
    if abs(shape.draft) > STEEPEST_DRAFT:
        most = np.degrees(STEEPEST_DRAFT)
        raise InvalidInput("The draft", f"at most {most:.0f}°", f"{np.degrees(shape.draft):.4g}°")
    for name, edge in (("lower", shape.lower), ("upper", shape.upper)):
        if edge.kind != "sharp" and not edge.size > 0:
            raise InvalidInput(f"The size of the {name} edge", "above 0 mm", f"{edge.size:g} mm")


def _fault(loops: list[OutlineLoop], path: list[PathPart]) -> str | None:
    """Say what is wrong: "crossing" outlines before any offset, or an "offset" that does not fit; None for nothing."""
    offsets = {0.0, *(value for part in path for value in (part.start[0], part.end[0]))}
    for offset in sorted(offsets, key=abs):
        if not offset_fits(loops, offset):
            return "crossing" if offset == 0.0 else "offset"
    return None


def _refuse(loops: list[OutlineLoop], shape: PlateShape, fault: str) -> None:
    """Raise KernelError with the largest edge, or draft, that fits."""
    if fault == "crossing" and not offset_fits(loops, 0.0):
        raise KernelError(
            "The outline and its holes cross or lie outside each other. Draw the holes inside, clear of each other."
        )
    without = replace(shape, lower=SHARP, upper=SHARP)
    if _fault(loops, plate_path(without)) is not None:
        largest = largest_fitting(
            lambda angle: _fault(loops, plate_path(replace(without, draft=np.copysign(angle, shape.draft)))) is None,
            abs(shape.draft),
        )
        raise KernelError(
            f"A draft of {np.degrees(shape.draft):.4g}° does not fit the outline. "
            f"The largest that fits is {floor_text(float(np.degrees(largest)))}°."
        )
    edge = shape.upper if shape.upper.size >= shape.lower.size else shape.lower

    def fits(size: float) -> bool:
        edges = [replace(one, size=min(one.size, size)) for one in (shape.lower, shape.upper)]
        return _fault(loops, plate_path(replace(shape, lower=edges[0], upper=edges[1]))) is None

    largest = largest_fitting(fits, edge.size)
    raise EdgeTooLarge(edge.size, largest)
