"""Points with other than four edges inside a mesh of quads, and why each is there."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Bools, Ints
from glass_spoon.kernel.meshes.mesh import Mesh

REASONS = ("where pieces meet at a corner", "in flat ends", "round poles", "where grids meet rims")


def explain_valences(mesh: Mesh, surfaces: int, regions: tuple[tuple[int, ...], ...] = ()) -> dict[str, dict[int, int]]:
    """Return how many inner vertices have how many edges, four left out, by the reason why.

    surfaces: how many surfaces the mesh stands for; faces of higher pieces are those of flat ends. A vertex at which three
    pieces or more meet is there because they do; one beside a flat end's faces for its filling; one within a region (the
    numbers of its surfaces) that is meshed as one for the rims of that; others close a pole.
    """
    topology = mesh.topology
    odd = np.flatnonzero(~topology.on_boundary & (topology.valences > 0) & (topology.valences != 4))
    found: dict[str, dict[int, int]] = {}
    if not len(odd):
        return found
    meeting, in_cap = _pieces_at(mesh, surfaces)
    corner, flat, whole = meeting[odd] >= 3, in_cap[odd], np.zeros(len(odd), dtype=bool)
    for region in regions:
        touched, inside = (part[odd] for part in _at_region(mesh, region))
        if (inside & ~corner).any():  # grids of its pieces would have them at corners alone
            whole |= inside | (touched & ~corner)
    for reason, own in (
        (REASONS[0], corner & ~whole),
        (REASONS[1], ~corner & flat),
        (REASONS[2], ~corner & ~flat & ~whole),
        (REASONS[3], whole),
    ):
        values, counts = np.unique(topology.valences[odd[own]], return_counts=True)
        if len(values):
            found[reason] = dict(zip(values.tolist(), counts.tolist(), strict=True))
    return found


def _pieces_at(mesh: Mesh, surfaces: int) -> tuple[Ints, np.ndarray]:
    """Return how many pieces meet at each vertex (n,), and whether a flat end's faces do."""
    topology = mesh.topology
    piece = mesh.faces.get("piece", np.zeros(mesh.face_count)).astype(np.int64)[topology.face_of_corner]
    span = int(piece.max(initial=0)) + 1
    pairs = np.unique(topology.face_corners.astype(np.int64) * span + piece)
    meeting = np.bincount(pairs // span, minlength=mesh.point_count)
    in_cap = np.zeros(mesh.point_count, dtype=bool)
    in_cap[pairs[pairs % span >= surfaces] // span] = True
    return meeting.astype(np.int64), in_cap


def _at_region(mesh: Mesh, region: tuple[int, ...]) -> tuple[Bools, Bools]:
    """Mark the vertices (n,) some of whose faces are of some pieces, and those of whom all are."""
    own = np.isin(mesh.faces.get("piece", np.zeros(mesh.face_count)).astype(np.int64), region)
    of_corner = own[mesh.topology.face_of_corner]
    touched, inside = np.zeros(mesh.point_count, dtype=bool), np.ones(mesh.point_count, dtype=bool)
    touched[mesh.topology.face_corners[of_corner]] = True
    inside[mesh.topology.face_corners[~of_corner]] = False
    return touched, inside


def valence_sentence(found: dict[str, dict[int, int]]) -> str:
    """Say what `explain_valences` found, "" for nothing."""
    parts = []
    for reason, counts in found.items():
        points = ", ".join(f"{count:,} of {edges} edges" for edges, count in sorted(counts.items()))
        parts.append(f"{points} {reason}")
    return f"Unusual points: {'; '.join(parts)}." if parts else ""
