"""Faces of any sets taken together as one: edges that lie on each other shared, all facing alike, what stays open told."""

from __future__ import annotations

from collections import deque
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Bools, Floats
from glass_spoon.kernel.trims.face import FaceSet, make_face_set, reverse_face
from glass_spoon.kernel.trims.inside import is_void
from glass_spoon.kernel.trims.shared_edges import Edges, Use, connected_parts, find_edges

NEARLY = 0.02
"""Share of the size within which an open edge nearly meets another."""

PLACES = 129
"""Places along an edge that are held against others."""


@dataclass(frozen=True, eq=False)
class Miss:
    """An open edge that nearly meets others: by how much in mm at most, and where that is (3,)."""

    gap: float
    place: Floats


@dataclass(frozen=True, eq=False)
class Sewn:
    """Faces that share edges. turned: how many were turned over; one_sided: whether they cannot face alike.

    open_edges: how many edges belong to one face alone; crowded: places (k, 3) in mm on edges of more than two. parts: how
    many hang together. misses: the widest first.
    """

    shape: FaceSet
    turned: int
    one_sided: bool
    open_edges: int
    crowded: Floats
    parts: int
    misses: tuple[Miss, ...]


def sew_faces(sets: Sequence[FaceSet], tolerance: float) -> Sewn:
    """Return the faces of sets as one: edges within `tolerance` mm of each other, or of parts of each other, are shared.

    Faces follow the first of those that they hang together with; what closes faces outwards.
    """
    own = max([tolerance, *(one.tolerance for one in sets)])
    whole = make_face_set([face for one in sets for face in one.faces], own)
    edges = find_edges(whole)
    flips, one_sided = _flips(edges, len(whole.faces))
    faces = [reverse_face(face) if flip else face for face, flip in zip(whole.faces, flips, strict=True)]
    turned = int(flips.sum())
    parts = connected_parts(make_face_set(faces, own))
    made = []
    for part in parts:
        inwards = not len(find_edges(part).open_uses) and is_void(part)
        made += [reverse_face(face) if inwards else face for face in part.faces]
    return Sewn(
        make_face_set(made, own), turned, one_sided, len(edges.open_uses), _crowded(edges), len(parts), near_misses(whole)
    )


def _flips(edges: Edges, count: int) -> tuple[Bools, bool]:
    """Return which faces (n,) are turned so that all that share edges face alike, and whether some cannot."""
    beside: list[list[tuple[int, bool]]] = [[] for _ in range(count)]
    order = np.argsort(edges.edge, kind="stable")
    for pair in np.split(order, np.flatnonzero(np.diff(edges.edge[order])) + 1):
        if len(pair) != 2:
            continue
        a, b = (edges.uses[k].face for k in pair)
        alike = bool(edges.backwards[pair[0]] != edges.backwards[pair[1]])  # each runs it the other way
        beside[a].append((b, not alike))
        beside[b].append((a, not alike))
    flips, seen, one_sided = np.zeros(count, dtype=bool), np.zeros(count, dtype=bool), False
    for start in range(count):
        waiting = deque([] if seen[start] else [start])
        seen[start] = True
        while waiting:
            face = waiting.popleft()
            for other, turns in beside[face]:
                if seen[other]:
                    one_sided |= bool(flips[other] != flips[face] ^ turns)
                    continue
                seen[other], flips[other] = True, flips[face] ^ turns
                waiting.append(other)
    return flips, one_sided


def _crowded(edges: Edges) -> Floats:
    """Return places (k, 3) in mm half way along edges that more than two faces share."""
    times = np.bincount(edges.edge, minlength=len(edges.first))
    uses = [edges.uses[edges.first[edge]] for edge in np.flatnonzero(times > 2)]
    return np.array([use.places[len(use.places) // 2] for use in uses]).reshape(-1, 3)


def near_misses(whole: FaceSet) -> tuple[Miss, ...]:
    """Return the open edges of faces that nearly meet others, the widest gap first."""
    edges = find_edges(whole)
    uses = [edges.uses[k] for k in edges.open_uses.tolist()]
    if len(uses) < 2:
        return ()
    rows = [_places(use) for use in uses]
    found = []
    for k, use in enumerate(uses):
        others = [row for row, other in zip(rows, uses, strict=True) if other is not use]
        away = _to_lines(rows[k], others)
        worst = int(away.argmax())
        if whole.tolerance < away[worst] <= NEARLY * whole.size:
            found.append(Miss(float(away[worst]), rows[k][worst]))
    return tuple(sorted(found, key=lambda miss: -miss.gap))


def _to_lines(places: Floats, others: list[Floats]) -> Floats:
    """Return how far (n,) in mm places (n, 3) lie from lines through rows of places."""
    starts, ends = (np.concatenate([row[part] for row in others]) for part in (slice(None, -1), slice(1, None)))
    tree = scipy.spatial.cKDTree((starts + ends) / 2)
    near = np.asarray(tree.query(places, k=min(4, len(starts)))[1]).reshape(len(places), -1)
    way = (ends - starts)[near]
    arm = places[:, None] - starts[near]
    share = np.clip((arm * way).sum(axis=2) / np.maximum((way * way).sum(axis=2), 1e-300), 0.0, 1.0)
    return np.asarray(np.linalg.norm(arm - share[..., None] * way, axis=2).min(axis=1))


def _places(use: Use) -> Floats:
    """Return places (PLACES, 3) in mm evenly along an edge."""
    return use.owner.edge_points(use.curve, use.at_shares(np.linspace(0.0, 1.0, PLACES)))
