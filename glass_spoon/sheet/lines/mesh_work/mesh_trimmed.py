"""Meshes of trimmed surfaces: one edge length for all their faces, from whatever decides it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshing.chord_counts import counts_for_turn
from glass_spoon.kernel.meshing.divide_length import count_for_chord, make_guide
from glass_spoon.kernel.meshing.set_counts import Wish
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet
from glass_spoon.kernel.trims.face import FaceSet
from glass_spoon.kernel.trims.mesh_faces import area_of, mesh_faces
from glass_spoon.sheet.line import Given
from glass_spoon.sheet.lines.mesh_work.fields import length_text, several
from glass_spoon.sheet.lines.mesh_work.mesh_search import length_within, mesh_near_count
from glass_spoon.sheet.mesh_item import FACE_LIMIT


@dataclass(frozen=True)
class StepWish:
    """What decides the edges. Of these one: length (mm), faces (a count), chord (mm, with turn in rad), tolerance (mm)."""

    length: float = 0.0
    faces: int = 0
    chord: float = 0.0
    turn: float = 0.0
    tolerance: float = 0.0


def step_wish(sizing: str, wish: Wish | None, given: Given) -> StepWish:
    """Return the wish of a line for faces; wish: what it would ask of surfaces, where no search decides."""
    if sizing == "faces":
        return StepWish(faces=given.count("faces"))
    if sizing == "tolerance" or wish is None:
        return StepWish(tolerance=given.number("tolerance"))
    if wish.counts is not None:
        return StepWish(faces=max(6, wish.counts[0] * wish.counts[1]))
    return StepWish(chord=wish.chord, turn=wish.turn) if wish.chord else StepWish(length=min(wish.lengths))


def mesh_of_faces(
    shape: FaceSet, wish: StepWish, fitted: Callable[[Mesh], Mesh], *, crease_sharp: bool
) -> tuple[Mesh, SurfaceSet, str]:
    """Return the mesh of faces, the surfaces that it stands for, and what was done, as a sentence.

    fitted: what is smoothed of a mesh, where a tolerance of the smoothed shape decides.
    """
    host = SurfaceSet(tuple(face.surface for face in shape.faces), shape.tolerance)  # as pieces are numbered

    def meshed(length: float) -> Mesh:
        return mesh_faces(shape, length, crease_sharp=crease_sharp, face_limit=FACE_LIMIT)

    told = ""
    if wish.faces:
        area = sum(area_of(face) for face in shape.faces)
        mesh, length = mesh_near_count(wish.faces, lambda count: float(np.sqrt(area / count)), meshed)
    elif wish.tolerance:
        length, told = length_within(wish.tolerance, host, meshed, fitted)
        mesh = meshed(length)
    else:
        length = wish.length or _length_for_chord(shape, wish)
        mesh = meshed(length)
    about = f"{several(mesh.face_count, 'face')} on {several(len(shape.faces), 'trimmed face')}, with edges of about {length_text(length)}."
    odd = _odd_points(mesh)
    return mesh, host, " ".join(part for part in (about, told, odd) if part)


def _odd_points(mesh: Mesh) -> str:
    """Say how many inner points have other than four edges."""
    topology = mesh.topology
    found = topology.valences[~topology.on_boundary]
    counts = [(int((found == sides).sum()), int(sides)) for sides in np.unique(found) if sides != 4]
    told = ", ".join(f"{count:,} of {sides} edges" for count, sides in counts)
    return f"Unusual points, where grids meet rims: {told}." if told else ""


def _length_for_chord(shape: FaceSet, wish: StepWish) -> float:
    """Return the longest edges in mm that stay within a chord and a turn on every surface."""
    found = []
    for face in shape.faces:
        guides = make_guide(face.surface, 0), make_guide(face.surface, 1)
        turns = counts_for_turn((face.surface,), wish.turn)[0] if wish.turn else np.ones(2)
        counts = [max(count_for_chord(guide, wish.chord), int(np.ceil(turns[axis]))) for axis, guide in enumerate(guides)]
        found += [guide.arc.length / count for guide, count in zip(guides, counts, strict=True)]
    return min(found)
