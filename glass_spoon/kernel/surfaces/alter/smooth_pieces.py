"""A surface cut at its sharp edges."""

from __future__ import annotations

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.surfaces.alter.edit_surface import split_surface
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.evaluate.surface_kinks import surface_kinks


def smooth_pieces(surface: NurbsSurface) -> list[NurbsSurface]:
    """Return the pieces of a surface between its sharp edges; their parameters stay."""
    pieces = [surface]
    for axis in (0, 1):
        for stop in surface_kinks(surface, axis).tolist():
            pieces = [part for piece in pieces for part in _cut(piece, axis, float(stop))]
    return pieces


def smooth_piece(surface: NurbsSurface, params: Floats) -> NurbsSurface:
    """Return the piece of a surface between its sharp edges that holds a place (u, v); its parameters stay."""
    for axis in (0, 1):
        for stop in surface_kinks(surface, axis).tolist():
            parts = _cut(surface, axis, float(stop))
            surface = parts[0 if params[axis] < stop else -1]
    return surface


def _cut(surface: NurbsSurface, axis: int, stop: float) -> tuple[NurbsSurface, ...]:
    """Return the parts of a surface before and after a parameter, itself where that lies beside it."""
    low, high = surface.domain(axis)
    return split_surface(surface, axis, stop) if low < stop < high else (surface,)
