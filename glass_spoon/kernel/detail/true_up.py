"""Marked points made true: flat, round, straight, evenly apart; as far as wanted."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, Ints, cross, directions, lengths, sum_by_index
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.make.flat_shapes import make_elliptic_arc
from glass_spoon.kernel.detail.on_curve import places_on_curve
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.groups import joined_groups
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.surfaces.sets.surface_set import plane_axes

Shape = Literal["flat", "round", "straight", "even"]


FLAT_ROUNDS = 4000
FLAT_STEP = 1.5
FLAT = 1e-9
"""Faces are flattened in so many rounds at most, each a little farther than the middle, until none is off by this share of
the whole."""


@dataclass(frozen=True, eq=False)
class Trued:
    """Points made true. places: where all (n, 3) are now; parts: of how many pieces they were; farthest: how far one went,
    in mm; radius: of the first circle, in mm, 0 for none.
    """

    places: Floats
    parts: int
    farthest: float
    radius: float = 0.0


def flatten_points(mesh: Mesh, marked: Bools, strength: float, plane: tuple[Floats, Floats] | None = None) -> Trued:
    """Return marked points (n,) brought into a plane: a place (3,) mm and a normal (3,), or the best for each piece."""
    places, parts = mesh.positions.copy(), _parts(mesh, marked)
    for part in parts:
        origin, normal = _best_plane(mesh.positions[part]) if plane is None else plane
        away = (mesh.positions[part] - origin) @ normal
        places[part] -= strength * away[:, None] * normal
    return _told(mesh, places, len(parts))


def round_points(mesh: Mesh, edges: Bools, strength: float, radius: float = 0.0) -> Trued:
    """Return closed loops of marked edges (e,) made circles in their best planes, evenly; radius: in mm, 0 for the best."""
    places, loops = mesh.positions.copy(), loops_of(mesh, edges, closed=True)
    first = 0.0
    for loop in loops:
        own = mesh.positions[loop]
        origin, normal = _best_plane(own)
        frame = plane_axes(normal)
        flat = (own - origin) @ frame.T
        middle, best = _best_circle(flat)
        size = radius or best
        first = first or size
        angle = np.arctan2(*(flat - middle).T[::-1])
        step = np.angle(np.exp(1j * np.diff(np.append(angle, angle[0])))).sum()
        even = np.sign(step) * 2 * np.pi * np.arange(len(loop)) / len(loop)
        turn = np.angle(np.exp(1j * (angle - even)).mean())
        round_to = middle + size * np.column_stack((np.cos(even + turn), np.sin(even + turn)))
        places[loop] += strength * (origin + round_to @ frame - own)
    return _told(mesh, places, len(loops), first)


def oval_points(mesh: Mesh, edges: Bools, strength: float) -> Trued:
    """Return closed loops of marked edges (e,) made ellipses in their best planes, their points evenly along them."""
    places, loops = mesh.positions.copy(), loops_of(mesh, edges, closed=True)
    for loop in loops:
        own = mesh.positions[loop]
        origin, normal = _best_plane(own)
        frame = plane_axes(normal)
        middle, axes, halves = _best_ellipse((own - origin) @ frame.T)
        ellipse = make_elliptic_arc((0, 0), float(halves[0]), float(halves[1]), 0.0, 0.0, 2 * np.pi)
        flat = np.column_stack((((own - origin) @ frame.T - middle) @ axes.T, np.zeros(len(loop))))
        even = places_on_curve(flat, np.arange(len(loop)) / len(loop), ellipse, closed=True)[:, :2]
        places[loop] += strength * (origin + (middle + even @ axes) @ frame - own)
    return _told(mesh, places, len(loops))


def curve_rows(mesh: Mesh, edges: Bools, curve: NurbsCurve, strength: float) -> Trued:
    """Return rows of marked edges (e,) laid on a curve, their points evenly along it; closed rows on a closed curve."""
    places, rows = mesh.positions.copy(), loops_of(mesh, edges, closed=None)
    for row in rows:
        closed = bool(row[0] == row[-1])
        points = row[:-1] if closed else row
        shares = np.arange(len(points)) / (len(points) if closed else len(points) - 1)
        laid = places_on_curve(mesh.positions[points], shares, curve, closed=closed)
        places[points] += strength * (laid - mesh.positions[points])
    return _told(mesh, places, len(rows))


def flatten_faces(mesh: Mesh, faces: Bools, strength: float) -> Trued:
    """Return marked faces (f,) each made flat in a plane of its own, all together: points go to the middle of where their
    faces want them, round by round (Bouaziz et al. 2012, "Shape-Up", its projections on planes).
    """
    topology = mesh.topology
    own = np.flatnonzero(faces & (topology.face_sides > 3))
    if not len(own):
        raise KernelError("The marks hold no faces of four or more corners. Mark others.")
    corners = np.flatnonzero(np.isin(topology.face_of_corner, own))
    face = np.searchsorted(own, topology.face_of_corner[corners])
    points, point = np.unique(topology.face_corners[corners], return_inverse=True)
    here, held = mesh.positions[points].copy(), np.bincount(point)[:, None]
    counts = np.bincount(face)[:, None]
    size = float(np.ptp(here, axis=0).max())
    following = np.searchsorted(corners, topology.next_corner[corners])
    for _ in range(FLAT_ROUNDS):
        at = here[point]
        middle = (sum_by_index(face, at, len(own)) / counts)[face]
        normal = directions(sum_by_index(face, cross(at - middle, at[following] - middle), len(own)))[face]
        off = np.einsum("ki,ki->k", at - middle, normal)
        if np.abs(off).max() <= FLAT * size:
            break
        here -= FLAT_STEP * sum_by_index(point, off[:, None] * normal, len(points)) / held
    places = mesh.positions.copy()
    places[points] += strength * (here - mesh.positions[points])
    return _told(mesh, places, len(own))


def straighten_points(mesh: Mesh, edges: Bools, strength: float) -> Trued:
    """Return open rows of marked edges (e,) made straight from end to end, their points keeping their shares of the way."""
    places, rows = mesh.positions.copy(), loops_of(mesh, edges, closed=False)
    for row in rows:
        own = mesh.positions[row]
        way = np.concatenate(([0.0], np.cumsum(lengths(np.diff(own, axis=0)))))
        places[row] += strength * (own[0] + (way / way[-1])[:, None] * (own[-1] - own[0]) - own)
    return _told(mesh, places, len(rows))


def space_points(mesh: Mesh, edges: Bools, strength: float) -> Trued:
    """Return rows and loops of marked edges (e,) with their points evenly apart on the line that they have; ends stay."""
    places, rows = mesh.positions.copy(), loops_of(mesh, edges, closed=None)
    for row in rows:
        own = mesh.positions[row]
        way = np.concatenate(([0.0], np.cumsum(lengths(np.diff(own, axis=0)))))
        at = np.linspace(0, way[-1], len(row))
        even = np.stack([np.interp(at, way, column) for column in own.T], axis=1)
        if row[0] == row[-1]:
            row, even, own = row[:-1], even[:-1], own[:-1]
        places[row] += strength * (even - own)
    return _told(mesh, places, len(rows))


def loops_of(mesh: Mesh, edges: Bools, *, closed: bool | None) -> list[Ints]:
    """Return marked edges (e,) as rows of points, for None a closed one with its first point once more at the end.

    closed: whether only closed ones, or open ones, are taken; raises KernelError for the others, and where rows branch.
    """
    ends = mesh.topology.edges.ends[edges].astype(np.int64)
    beside: dict[int, list[int]] = {}
    for a, b in ends.tolist():
        beside.setdefault(a, []).append(b)
        beside.setdefault(b, []).append(a)
    if any(len(others) > 2 for others in beside.values()):
        raise KernelError("Marked edges branch. Mark loops, or rows, that do not touch.")
    if not beside:
        raise KernelError("The marks hold no edges of this mesh. Mark loops or rows of edges.")
    rows, left = [], set(beside)
    for first in [*sorted(p for p, others in beside.items() if len(others) == 1), *sorted(beside)]:
        if first not in left:
            continue
        row, here = [first], first
        left.discard(first)
        while onward := [p for p in beside[here] if p in left]:
            here = onward[0]
            left.discard(here)
            row.append(here)
        is_closed = len(row) > 2 and first in beside[here]
        if closed is not None and is_closed != closed:
            raise KernelError("A marked row is not closed: mark the whole loop." if closed else "A marked loop has no ends.")
        rows.append(np.array([*row, first] if is_closed and closed is None else row, dtype=np.int64))
    return rows


def _parts(mesh: Mesh, marked: Bools) -> list[Ints]:
    """Return marked points (n,) by the parts in which they hang together along edges."""
    if not marked.any():
        raise KernelError("The marks hold no points of this mesh. Pick others.")
    ends = mesh.topology.edges.ends.astype(np.int64)
    inner = marked[ends].all(axis=1)
    group = joined_groups(ends[inner, 0], ends[inner, 1], mesh.point_count)
    numbers = np.flatnonzero(marked)
    return [numbers[group[numbers] == label] for label in np.unique(group[numbers])]


def _best_plane(points: Floats) -> tuple[Floats, Floats]:
    """Return the middle (3,) of points (k, 3) and the unit normal (3,) of the plane nearest to them."""
    middle: Floats = points.mean(axis=0)
    normal: Floats = np.linalg.svd(points - middle, full_matrices=False)[2][-1]
    return middle, normal


def _best_circle(points: Floats) -> tuple[Floats, float]:
    """Return the middle (2,) and the radius of the circle nearest to flat points (k, 2) (Kåsa's least squares, 1976)."""
    rows = np.column_stack((2 * points, np.ones(len(points))))
    x, y, c = np.linalg.lstsq(rows, (points**2).sum(axis=1), rcond=None)[0]
    return np.array([x, y]), float(np.sqrt(max(c + x * x + y * y, 0.0)))


def _best_ellipse(points: Floats) -> tuple[Floats, Floats, Floats]:
    """Return the middle (2,), the axes (2, 2) and the half widths (2,) of the ellipse nearest to flat points (k, 2).

    Direct least squares (Halíř & Flusser 1998). Raises KernelError for fewer than five points, or where none is near.
    """
    shift, size = points.mean(axis=0), max(float(np.ptp(points, axis=0).max()), 1e-300)
    x, y = ((points - shift) / size).T
    if len(points) < 5:
        raise KernelError("An ellipse needs a loop of five points or more. Mark a longer one, or make it round.")
    square, line = np.column_stack((x * x, x * y, y * y)), np.column_stack((x, y, np.ones(len(x))))
    mixed = square.T @ line
    back = -np.linalg.solve(line.T @ line, mixed.T)
    reduced = square.T @ square + mixed @ back
    values, vectors = np.linalg.eig(np.array([reduced[2] / 2, -reduced[1], reduced[0] / 2]))
    vectors = np.real(vectors)
    good = 4 * vectors[0] * vectors[2] - vectors[1] ** 2 > 0
    if not good.any():
        raise KernelError("No ellipse is near the marked loop. Make it round first.")
    a, b, c = vectors[:, np.flatnonzero(good)[np.argmin(np.abs(values[good]))]]
    d, e, f = back @ np.array([a, b, c])
    form = np.array([[a, b / 2], [b / 2, c]])
    middle = -np.linalg.solve(2 * form, np.array([d, e]))
    scale = middle @ form @ middle - f
    widths, axes = np.linalg.eigh(form / scale)
    return shift + size * middle, axes.T, size / np.sqrt(widths)


def _told(mesh: Mesh, places: Floats, parts: int, radius: float = 0.0) -> Trued:
    """Return what was done."""
    return Trued(places, parts, float(lengths(places - mesh.positions).max(initial=0.0)), radius)
