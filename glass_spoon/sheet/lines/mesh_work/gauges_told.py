"""What a change of a mesh did to its gauges, in words: only what grew worse, and what it mended."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.gauges.face_figures import FaceFigures, figures_of
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.sheet.lines.mesh_work.fields import several

NARROW, WIDE = np.radians(30), np.radians(150)
"""Corners between these are not spoken of."""

NOTED = np.radians(5)
"""A corner that changed by less is not spoken of."""


def change_told(before: Mesh, after: Mesh) -> str:
    """Say what a change did to folded faces, to the worst corners and to the rims; "" where nothing grew worse or better."""
    if not before.face_count or not after.face_count:
        return ""
    was, now = figures_of(before), figures_of(after)
    parts = (_folds(was, now), *_corners(was, now), _rims(before, after))
    return " ".join(part for part in parts if part)


def _folds(was: FaceFigures, now: FaceFigures) -> str:
    more = int((now.least_jacobians < 0).sum()) - int((was.least_jacobians < 0).sum())
    if more > 0:
        return f"It folds {several(more, 'face')}."
    return f"{several(-more, 'face')} folded before {'is' if more == -1 else 'are'} not now." if more else ""


def _corners(was: FaceFigures, now: FaceFigures) -> list[str]:
    """Tell the narrowest and the widest corner where they grew worse and are out of what is common."""
    told = []
    old, new = float(was.smallest_corners.min()), float(now.smallest_corners.min())
    if new < min(NARROW, old - NOTED):
        told.append(f"The narrowest corner has {np.degrees(new):.0f}° now, {np.degrees(old):.0f}° before.")
    old, new = float(was.largest_corners.max()), float(now.largest_corners.max())
    if new > max(WIDE, old + NOTED):
        told.append(f"The widest corner has {np.degrees(new):.0f}° now, {np.degrees(old):.0f}° before.")
    return told


def _rims(before: Mesh, after: Mesh) -> str:
    old, new = (len(mesh.topology.boundary_edges) for mesh in (before, after))
    if old and not new:
        return "It is closed now."
    return f"It was closed and has {several(new, 'open edge')} now." if new and not old else ""
