"""The flow of a strip of quads turned: its two sides slid along each other by whole faces, the edges across joined anew.

b0 -- b1 -- b2 -- b3          b0 -- b1 -- b2 -- b3
|     |     |     |              '-.   '-.   '-.          by one: each point of one side goes to the next of the other;
|     |     |     |     ->          '-.   '-.   '-.       all round, a strip stays as many quads, and rows that came
a0 -- a1 -- a2 -- a3          a0 -- a1 -- a2 -- a3        straight over it go on a place further
"""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Bools, Ints
from glass_spoon.kernel.detail.turn_edges import refuse_doubled
from glass_spoon.kernel.errors import InvalidInput, KernelError
from glass_spoon.kernel.mesh_edits.assemble import Assembly
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.origin import Reworked

_NO_STRIP = "Faces turn by strips: mark one row of quads, or rows that do not touch."


def turn_strips(mesh: Mesh, faces: Bools, steps: int) -> Reworked:
    """Return the mesh with strips of marked quads (f,) turned by so many faces, back for a count below zero.

    The new edges have the role "turned", the faces beside them "beside". A strip with ends gets what is left there as quads,
    and a triangle at each end for an odd count. Raises KernelError for faces that are no strips, or too few for the steps.
    """
    if steps == 0:
        raise InvalidInput("The steps", "other than zero", "0")
    topology = mesh.topology
    if not faces.any():
        raise KernelError("The marks hold no faces of this mesh. Pick others.")
    if (topology.face_sides[faces] != 4).any():
        raise KernelError("Faces turn by strips of quads, and some of these are none. Mark others.")
    build = Assembly(mesh)
    build.gone[faces] = True
    ends: list[Ints] = []
    for strip, closed in _strips(mesh, faces):
        ends.append(_turned(build, strip, steps, closed=closed))
    between = np.bincount(topology.edges.of_corner[faces[topology.face_of_corner]], minlength=len(topology.edges.ends)) == 2
    refuse_doubled(mesh, np.concatenate(ends), between)
    for pairs in ends:
        build.name_edges(pairs, "turned")
    return build.finish()[0]


def _strips(mesh: Mesh, faces: Bools) -> list[tuple[Ints, bool]]:
    """Return the strips that marked faces form: the corners (k,) by which one goes into each face, and whether it closes.

    A walk from face to face, sequential by nature.
    """
    topology = mesh.topology
    over = topology.twins.astype(np.int64)
    face_of, following = topology.face_of_corner, topology.next_corner
    inner = (over >= 0) & faces[face_of] & faces[face_of[np.maximum(over, 0)]]
    first = topology.face_offsets[:-1].astype(np.int64)[faces]
    beside = inner[first[:, None] + np.arange(4)]
    count = beside.sum(axis=1)
    if (
        (count > 2).any()
        or (count == 0).any()
        or (beside[:, [0, 1]] & beside[:, [1, 2]]).any()
        or (beside[:, [2, 3]] & beside[:, [3, 0]]).any()
    ):
        raise KernelError(_NO_STRIP)
    seen: set[int] = set()
    found: list[tuple[Ints, bool]] = []
    # Ends first: a walk from the middle of a strip would miss what is before it.
    for start in np.concatenate((first[count == 1], first[count == 2])).tolist():
        if int(face_of[start]) in seen:
            continue
        own = [start + side for side in range(4) if inner[start + side]]
        corner = int(following[following[own[0]]]) if len(own) == 1 else own[0]
        strip: list[int] = []
        while corner >= 0 and faces[face_of[corner]] and int(face_of[corner]) not in seen:
            seen.add(int(face_of[corner]))
            strip.append(corner)
            corner = int(over[following[following[corner]]])
        found.append((np.array(strip, dtype=np.int64), len(own) == 2))
    return found


def _turned(build: Assembly, strip: Ints, steps: int, *, closed: bool) -> Ints:
    """Add the faces of a strip anew, and return the ends (k, 2) of the edges across it."""
    topology = build.mesh.topology
    points = topology.face_corners.astype(np.int64)
    ring = [strip]
    for _ in range(3):
        ring.append(topology.next_corner[ring[-1]].astype(np.int64))
    # A face's corners run b, a, then a and b of the next edge across.
    b, a, a_next, b_next = ring
    own, count = topology.face_of_corner[strip].astype(np.int64), len(strip)
    if closed:
        shift = np.roll(np.arange(count), -steps)
        faces = np.column_stack((b[shift], a, a_next, b_next[shift]))
        _add(build, faces, own)
        return np.column_stack((points[a], points[b[shift]]))
    if abs(steps) >= count:
        raise KernelError(f"A strip of {count} faces turns by {count - 1} steps at most. Take fewer, or mark more.")
    if steps < 0:  # seen from the other end, the sides change places and it is a turn on
        return _turned(build, ring[2][::-1], -steps, closed=False)
    kept = count - steps
    _add(build, np.column_stack((b[steps:], a[:kept], a_next[:kept], b_next[steps:])), own[:kept])
    # Left are a corner of one side at each end, and the edges of the other that were slid past it.
    for apex, rim, faces_there in (
        (a[0], np.append(b[:steps], b_next[steps - 1]), own[:steps]),
        (b_next[-1], np.append(a[kept:], a_next[-1])[::-1], own[kept:][::-1]),
    ):
        for at in range(0, steps, 2):
            fan = np.concatenate(([apex], rim[at : at + 3][::-1]))
            _add(build, fan[None], faces_there[at : at + 1])
    across = [(a[:kept], b[steps:])] + [(np.array([a_next[kept - 1]]), np.array([b_next[-1]]))] * (kept < count)
    return np.concatenate([np.column_stack((points[one], points[other])) for one, other in across])


def _add(build: Assembly, corners: Ints, own: Ints) -> None:
    """Add faces by the old corners whose points and values they have."""
    build.add_faces(build.mesh.topology.face_corners[corners].astype(np.int64), corners, own, "beside")
