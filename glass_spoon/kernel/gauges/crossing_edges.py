"""Skins that run through each other along edges: no face reaches to both sides of one of the other, and yet they cross.

Two boxes moved by whole faces are the usual case. About the line of such an edge every face lies on one side, or, where it
goes on over the line, on both; the skins cross where these directions lie in turn.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, Ints, lengths
from glass_spoon.kernel.gauges.faces_met import Faces, part_in_plane, reach_beside, unit_normals

BESIDE = 1e-3
"""Faces about a line lie one beside the other where the angle between them is more (radians)."""


@dataclass(frozen=True, eq=False)
class _Contact:
    """Triangles (k,) of one skin at lines that they share with others: an edge ends there, or the face goes on.

    keys: of the edge, or of the face that goes on. ways (k, 3): square to the line, into the triangle. goes_on: beyond it
    too.
    """

    keys: Ints
    ways: Floats
    goes_on: Bools

    def exchanged(self, other: _Contact, swap: Bools) -> _Contact:
        """Return the contact with those of another in the places of `swap` (k,)."""
        keys, goes_on = np.where(swap, other.keys, self.keys), np.where(swap, other.goes_on, self.goes_on)
        return _Contact(keys, np.where(swap[:, None], other.ways, self.ways), goes_on)


def cross_along_edges(
    first: Faces, second: Faces, triangles: tuple[Ints, Ints], faces: tuple[Ints, Ints], touch: Floats
) -> Bools:
    """Mark the pairs of triangles (k,), of the faces (k,), that touch along more than `touch` (k,) mm of an edge over which
    one skin goes on to the other side of the other.
    """
    result = np.zeros(len(touch), dtype=bool)
    shapes = [side.triangles[0][own] for side, own in zip((first, second), triangles, strict=True)]
    normals = [unit_normals(shape) for shape in shapes]
    along = np.cross(normals[0], normals[1])
    size = lengths(along)
    bent = np.flatnonzero(size > BESIDE)
    shapes, normals = [shape[bent] for shape in shapes], [normal[bent] for normal in normals]
    line, slack = along[bent] / size[bent, None], touch[bent]
    sides = [_about_line(shapes[k], shapes[1 - k], normals[k], line, slack) for k in (0, 1)]
    goes_on = []
    for k, side in enumerate((first, second)):
        low, high = reach_beside(side, faces[k][bent], shapes[1 - k])
        goes_on.append((low < -slack) & (high > slack))
    there = np.minimum(sides[0].stop, sides[1].stop) - np.maximum(sides[0].start, sides[1].start) > slack
    there &= (goes_on[0] | sides[0].on_edge) & (goes_on[1] | sides[1].on_edge) & ~(goes_on[0] & goes_on[1])
    found = np.flatnonzero(there)
    if not len(found):
        return result
    contacts = []
    for k, side in enumerate((first, second)):
        ends = np.sort(side.triangle_points[triangles[k][bent[found], None], sides[k].corners[found]], axis=1)
        own = goes_on[k][found]
        keys = np.where(own, -1 - faces[k][bent[found]], ends[:, 0] * side.mesh.point_count + ends[:, 1])
        contacts.append(_Contact(keys, sides[k].ways[found], own))
    if first is second:  # which of two edges is the first is chance: the lower one is, in all pairs of theirs
        swap = contacts[0].keys > contacts[1].keys
        contacts = [contacts[0].exchanged(contacts[1], swap), contacts[1].exchanged(contacts[0], swap)]
    result[bent[found[_lie_in_turn(contacts[0], contacts[1], line[found])]]] = True
    return result


def _lie_in_turn(one: _Contact, other: _Contact, line: Floats) -> Bools:
    """Mark contacts (k,) whose edges, or faces that go on, have ways in turn about the line."""
    pairs = np.column_stack((one.keys, other.keys))
    _, lead, group = np.unique(pairs, axis=0, return_index=True, return_inverse=True)
    group = group.ravel()
    # One frame for all of a group: from the first way about the line.
    across, upward = one.ways[lead][group], np.cross(line[lead], one.ways[lead])[group]
    spans: list[Floats] = []
    for side in (one, other):
        angle = np.arctan2(np.einsum("ki,ki->k", side.ways, upward), np.einsum("ki,ki->k", side.ways, across))
        least, most = np.full(len(lead), np.inf), np.full(len(lead), -np.inf)
        for turned in (_within_a_turn(angle), _within_a_turn(np.where(side.goes_on, angle + np.pi, angle))):
            np.minimum.at(least, group, turned)
            np.maximum.at(most, group, turned)
        spans += [least, most]
    start, stop, low, high = spans
    in_turn = (start + BESIDE < low) & (low + BESIDE < stop) & (stop + BESIDE < high)
    return np.asarray(in_turn[group])


def _within_a_turn(angles: Floats) -> Floats:
    """Return angles from 0 up to 2 pi (radians); what all but ends a turn is 0."""
    angles = np.mod(angles, 2 * np.pi)
    return np.asarray(np.where(angles > 2 * np.pi - BESIDE, 0.0, angles))


@dataclass(frozen=True, eq=False)
class _AboutLine:
    """How triangles (k,) lie about the lines in which their planes meet those of others.

    on_edge: one side lies on the line. corners (k, 2): its ends. ways (k, 3): square to the line, into the triangle. start
    and stop: from where to where they lie on it, in mm.
    """

    on_edge: Bools
    corners: Ints
    ways: Floats
    start: Floats
    stop: Floats


def _about_line(p: Floats, q: Floats, normal: Floats, line: Floats, touch: Floats) -> _AboutLine:
    """Return how triangles p lie about the lines in which their planes meet those of q (k, 3, 3)."""
    off = np.abs(np.einsum("nij,nj->ni", p - q[:, :1], unit_normals(q)))
    order = np.argsort(off, axis=1)
    corners = order[:, :2]
    rows = np.arange(len(p))
    way = np.cross(line, normal)
    inward = np.einsum("ki,ki->k", way, p[rows, order[:, 2]] - p[rows, order[:, 0]])
    place = np.einsum("kij,kj->ki", p - q[:, :1], line)
    start, stop = part_in_plane(p, q, place, touch)
    on_edge = (off[rows, order[:, 1]] <= touch) & (off[rows, order[:, 2]] > touch)
    ends = np.take_along_axis(place, corners, axis=1)
    return _AboutLine(
        on_edge,
        corners,
        np.where((inward < 0)[:, None], -way, way),
        np.where(on_edge, ends.min(axis=1), start),
        np.where(on_edge, ends.max(axis=1), stop),
    )
