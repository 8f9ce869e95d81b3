"""Bodies of six four-sided sides: boxes with sharp or rounded edges, balls, capsules; exact, and all quads.

A body is an inner box and a ball that goes over it (Minkowski's sum). Each of the six sides is a grid of the same lattice:
along an axis a share of the ball, the inner box, and a share of the ball again. Where the inner box has no extent the side
of the ball is one piece. Eight points have three edges, all others four.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from itertools import product
from math import comb

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints, owned
from glass_spoon.kernel.errors import InvalidInput, TooManyFaces
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.topology import make_topology
from glass_spoon.kernel.surfaces.alter.edit_surface import split_surface
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface, surface_from_homogeneous
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet

EIGHTH = np.pi / 4

SIDES = ((0, 1, "right"), (0, -1, "left"), (1, 1, "back"), (1, -1, "front"), (2, 1, "top"), (2, -1, "bottom"))
"""The sides: the axis that they face along, which way, and their name."""

_BEZIER = np.repeat([0.0, 1.0], 5)


@dataclass(frozen=True)
class SixSides:
    """A body about the origin. half: half extents (3,) of the inner box in mm, zero or more; radius: of the ball that goes
    over it, zero or more. counts: faces along each axis of the inner box. steps: faces over an eighth of a turn; turns:
    faces over a quarter of a turn along axes where the inner box has no extent.
    """

    half: tuple[float, float, float]
    radius: float
    counts: tuple[int, int, int]
    steps: int
    turns: int

    def axis(self, number: int) -> tuple[Floats, Floats, Ints]:
        """Return along an axis: places of the inner box (n,), angles of the ball (n,) and the part of each face (n - 1,)."""
        half = self.half[number]
        if half == 0:
            angles = np.linspace(-EIGHTH, EIGHTH, self.turns + 1)
            return np.zeros_like(angles), angles, np.ones(self.turns, dtype=np.int64)
        flat = np.linspace(-half, half, self.counts[number] + 1)
        if self.radius == 0:
            return flat, np.zeros_like(flat), np.ones(self.counts[number], dtype=np.int64)
        rise = np.linspace(-EIGHTH, 0, self.steps + 1)[:-1]
        angles = np.concatenate((rise, np.zeros_like(flat), -rise[::-1]))
        places = np.concatenate((np.full(self.steps, -half), flat, np.full(self.steps, half)))
        parts = np.repeat([0, 1, 2], [self.steps, self.counts[number], self.steps])
        return places, angles, parts

    @property
    def face_count(self) -> int:
        """Faces of the mesh."""
        a, b, c = (len(self.axis(k)[2]) for k in range(3))
        return 2 * (a * b + b * c + c * a)


@dataclass(frozen=True, eq=False)
class SixSided:
    """A mesh of six sides, the exact surfaces it stands for, and of each of these its name: its side, "edge" or "corner"."""

    mesh: Mesh
    shape: SurfaceSet
    names: tuple[str, ...]


def mesh_six_sides(body: SixSides, face_limit: int = 4_000_000) -> SixSided:
    """Return the mesh of a body of six sides; vertices lie on it exactly, "uv" runs over each piece, "piece" names it.

    Sharp edges carry an infinite "sharpness". Raises InvalidInput for a body without extent, TooManyFaces.
    """
    _check(body, face_limit)
    axes = [body.axis(k) for k in range(3)]
    sizes = np.array([len(places) for places, _, _ in axes], dtype=np.int64)
    faces, pieces, uvs = [], [], []
    patches: list[NurbsSurface] = []
    names: list[str] = []
    for axis, way, name in SIDES:
        first, second = ((axis + 1) % 3, (axis + 2) % 3) if way > 0 else ((axis + 2) % 3, (axis + 1) % 3)
        lattice = np.zeros((sizes[first], sizes[second], 3), dtype=np.int64)
        lattice[..., first] = np.arange(sizes[first])[:, None]
        lattice[..., second] = np.arange(sizes[second])
        lattice[..., axis] = sizes[axis] - 1 if way > 0 else 0
        keys = (lattice[..., 0] * sizes[1] + lattice[..., 1]) * sizes[2] + lattice[..., 2]
        faces.append(np.stack((keys[:-1, :-1], keys[1:, :-1], keys[1:, 1:], keys[:-1, 1:]), axis=-1).reshape(-1, 4))
        parts = axes[first][2][:, None] * 3 + axes[second][2]
        number = np.zeros(9, dtype=np.int64)
        for part in np.unique(parts):
            number[part] = len(patches)
            patches.append(_patch(body, (axis, way, first, second), divmod(int(part), 3)))
            names.append(_name(name, body, (first, second), divmod(int(part), 3)))
        pieces.append(number[parts].ravel())
        uvs.append(_uvs(axes[first][2], axes[second][2]))
    corners = np.concatenate(faces)
    used, corners = np.unique(corners, return_inverse=True)
    lattice = np.stack(np.unravel_index(used, sizes), axis=1)
    places, out = _places(body, axes, lattice)
    topology = make_topology(len(used), corners.reshape(-1, 4))
    mesh = Mesh(
        topology,
        owned(places),
        points={"normal": owned(out)},
        corners={"uv": owned(np.concatenate(uvs))},
        faces={"piece": np.concatenate(pieces).astype(np.int32)},
        edges=_sharpness(body, lattice, sizes, topology.edges.ends.astype(np.int64)),
    )
    return SixSided(mesh, SurfaceSet(tuple(patches), 1e-7 * (sum(body.half) + body.radius)), tuple(names))


def _check(body: SixSides, face_limit: int) -> None:
    """Raise for what is no body, or has too many faces."""
    if min(body.half) < 0 or body.radius < 0 or (body.radius == 0 and min(body.half) == 0):
        raise InvalidInput("The body", "with an extent along every axis", "flat")
    if min(*body.counts, body.steps, body.turns) < 1:
        raise InvalidInput("Every count", "1 or more", str(min(*body.counts, body.steps, body.turns)))
    if body.face_count > face_limit:
        raise TooManyFaces(body.face_count, face_limit)


def _places(body: SixSides, axes: list[tuple[Floats, Floats, Ints]], lattice: Ints) -> tuple[Floats, Floats]:
    """Return the places (n, 3) of points of the lattice (n, 3), and the unit normals there."""
    inner = np.stack([axes[k][0][lattice[:, k]] for k in range(3)], axis=1)
    slopes = np.stack([np.tan(axes[k][1][lattice[:, k]]) for k in range(3)], axis=1)
    # Exactly 1 at the ends of an axis, so that both sides that meet there say the same.
    ends = np.array([len(places) - 1 for places, _, _ in axes])
    slopes = np.where(lattice == ends, 1.0, np.where(lattice == 0, -1.0, slopes))
    out = slopes / np.sqrt((slopes**2).sum(axis=1))[:, None]
    return inner + body.radius * out, out


def _uvs(first: Ints, second: Ints) -> Floats:
    """Return uv (4 f, 2) at the corners of the faces of a side: 0 to 1 over each of its parts."""
    low, high = [], []
    for parts in (first, second):
        counts = np.bincount(parts, minlength=3)
        before = np.concatenate(([0], np.cumsum(counts)))[parts]
        within = np.arange(len(parts)) - before
        low.append(within / counts[parts])
        high.append((within + 1) / counts[parts])
    u0, u1 = (np.repeat(values[0], len(second)) for values in (low, high))
    v0, v1 = (np.tile(values[1], len(first)) for values in (low, high))
    return np.stack((u0, v0, u1, v0, u1, v1, u0, v1), axis=1).reshape(-1, 2)


def _sharpness(body: SixSides, lattice: Ints, sizes: Ints, ends: Ints) -> dict[str, Floats]:
    """Return the sharpness of edges: infinite along the edges of a sharp box, nothing for a rounded body."""
    if body.radius > 0:
        return {}
    extreme = (lattice == 0) | (lattice == sizes - 1)
    along = (extreme[ends[:, 0]] & extreme[ends[:, 1]] & (lattice[ends[:, 0]] == lattice[ends[:, 1]])).sum(axis=1) >= 2
    return {"sharpness": owned(np.where(along, np.inf, 0.0))}


def _name(side: str, body: SixSides, across: tuple[int, int], part: tuple[int, int]) -> str:
    """Return the name of a part of a side: a flat part, and a ball's, has that of the side."""
    round_ways = sum(1 for k, p in zip(across, part, strict=True) if p != 1 and body.half[k] > 0)
    return side if round_ways == 0 else "edge" if round_ways == 1 else "corner"


Side = tuple[int, int, int, int]
"""The axis that a side faces along, which way, and the axes along its u and v."""


def _patch(body: SixSides, side: Side, part: tuple[int, int]) -> NurbsSurface:
    """Return the exact surface of a part of a side: a share of the ball, of a cylinder, or of a plane."""
    axis, way, first, second = side
    whole = [body.half[k] == 0 and body.radius > 0 for k in (first, second)]
    curved = [body.radius > 0 and (whole[k] or part[k] != 1) for k in (0, 1)]
    net, degrees, knots = _unit_part(tuple(curved), tuple(part), tuple(whole))
    middle, extent = np.zeros(3), np.zeros(3)
    middle[axis] = way * body.half[axis]
    for k, across in enumerate((first, second)):
        if curved[k]:
            middle[across] = 0.0 if whole[k] else (part[k] - 1) * body.half[across]
        else:
            extent[across] = body.half[across]
    frame = np.zeros((3, 3))
    frame[first, 0], frame[second, 1], frame[axis, 2] = 1.0, 1.0, way
    flat = np.array([extent[first], extent[second]])
    points = net[..., :3] * body.radius
    for k in (0, 1):
        if not curved[k]:
            points[..., k] = net[..., k] * flat[k]
    placed = points @ frame.T + middle * net[..., 3:]
    return surface_from_homogeneous(degrees, knots, np.concatenate((placed, net[..., 3:]), axis=-1))


@lru_cache(maxsize=32)
def _unit_part(
    curved: tuple[bool, ...], part: tuple[int, ...], whole: tuple[bool, ...]
) -> tuple[Floats, tuple[int, int], tuple[Floats, Floats]]:
    """Return the homogeneous net of a part of the side that faces up, with a radius of 1 and flat parts from -1 to 1.

    Curved both ways it is a part of the ball, one way of a cylinder: the height of flat parts is 1.
    """
    if all(curved):
        piece = _unit_side()
        for k in (0, 1):
            if not whole[k]:
                piece = split_surface(piece, k, 0.5)[part[k] // 2]
        knots = tuple((values - values[0]) / (values[-1] - values[0]) for values in piece.knots)
        return piece.homogeneous, (4, 4), (knots[0], knots[1])
    line = np.array([[-1.0, 0.0, 1.0], [1.0, 0.0, 1.0]])
    runs = [_unit_arc(part[k], whole=whole[k]) if curved[k] else line for k in (0, 1)]
    net = np.zeros((len(runs[0]), len(runs[1]), 4))
    for i, j in product(range(len(runs[0])), range(len(runs[1]))):
        a, b = runs[0][i], runs[1][j]
        net[i, j, 3] = a[2] * b[2]
        net[i, j, 0], net[i, j, 1] = a[0] * b[2], b[0] * a[2]
        if curved[0] or curved[1]:
            net[i, j, 2] = a[1] * b[2] if curved[0] else b[1] * a[2]
        else:
            net[i, j, 2] = 1.0
    degrees = (len(runs[0]) - 1, len(runs[1]) - 1)
    return net, degrees, (np.repeat([0.0, 1.0], degrees[0] + 1), np.repeat([0.0, 1.0], degrees[1] + 1))


def _unit_arc(part: int, *, whole: bool) -> Floats:
    """Return the homogeneous points (3, 3): across, up, weight, of an arc from -45 to 45 degrees off upright, or of half."""
    low, high = (-EIGHTH, EIGHTH) if whole else ((-EIGHTH, 0.0) if part == 0 else (0.0, EIGHTH))
    middle, weight = (low + high) / 2, np.cos((high - low) / 2)
    ends = [[np.sin(angle), np.cos(angle), 1.0] for angle in (low, high)]
    return np.array([ends[0], [np.sin(middle), np.cos(middle), weight], ends[1]])


@lru_cache(maxsize=1)
def _unit_side() -> NurbsSurface:
    """Return the exact side, facing up, of a unit ball that is parted into six: a rational patch of degree 4 both ways.

    Cobb, Tiling the sphere with rational Bezier patches (1988). Seen from the lower pole (stereographically) the four great
    circles that bound it are circles about (1, 0) and the like with radius sqrt(2); the patch within them of degree 2 is
    taken back to the ball, by squares of its coordinates.
    """
    corner, weight = (np.sqrt(3) - 1) / 2, np.cos(np.pi / 12)
    side = np.sqrt(2) - weight  # the middle control point times its weight
    x = np.array([[-corner, -side, -corner], [0, 0, 0], [corner, side, corner]])
    w = np.array([[1, weight, 1], [weight, 2 * weight - 1, weight], [1, weight, 1]])
    y = x.T
    xx, yy, ww, xw, yw = _times(x, x), _times(y, y), _times(w, w), _times(x, w), _times(y, w)
    return surface_from_homogeneous(
        (4, 4), (_BEZIER, _BEZIER), np.stack((2 * xw, 2 * yw, ww - xx - yy, ww + xx + yy), axis=-1)
    )


def _times(f: Floats, g: Floats) -> Floats:
    """Return the Bernstein coefficients (5, 5) of the product of two polynomials of degree 2 both ways (3, 3)."""
    result = np.zeros((5, 5))
    for i, j, k, m in product(range(3), repeat=4):
        share = comb(2, i) * comb(2, k) / comb(4, i + k) * comb(2, j) * comb(2, m) / comb(4, j + m)
        result[i + k, j + m] += share * f[i, j] * g[k, m]
    return result
