"""A mesh swelled along its normals: by heights that may come from a law, from a grey picture, or from crossing ridges.

A point goes to where the planes of its faces, each moved out by the height there, meet; so flats stay flat, and what is
swelled evenly is the parallel skin.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from glass_spoon.kernel.arrays import Bools, Floats, Ints, directions
from glass_spoon.kernel.deform.space_map import Axes
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.mesh_edits.keep_and_merge import keep_faces
from glass_spoon.kernel.mesh_edits.thicken import first_folds, leans
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.meshes.origin import Taken

Pattern = Literal["crossing", "straight", "right", "left"]
"""How ridges run: two ways that cross, along the axis, or one way: rising to the right or the left, seen from outside."""

ALIKE = np.cos(np.radians(30))
"""Faces marked at a crease go their own way, where that is this far off the one of all faces (cosine)."""


@dataclass(frozen=True, eq=False)
class Swelled:
    """Where points (n, 3) are in mm. folded: the faces (k,) that fold; fits: the largest share of it that folds none."""

    places: Floats
    folded: Ints
    fits: float


def swell(mesh: Mesh, heights: Floats, faces: Bools | None = None) -> Swelled:
    """Return a mesh's points moved out by heights (n,) in mm, inwards below zero.

    faces: (f,) those that go, where others beside them stay: at a crease between them they go as these alone look.
    Cost: linear.
    """
    if heights.shape != (mesh.point_count,) or not np.isfinite(heights).all():
        raise InvalidInput("The heights", f"{mesh.point_count:,} finite numbers", f"{heights.shape}")
    ways = heights[:, None] * ways_out(mesh, faces)
    least = first_folds(mesh, ways)
    return Swelled(mesh.positions + ways, np.flatnonzero(least <= 1), float(min(1.0, least.min(initial=np.inf))))


def ways_out(mesh: Mesh, faces: Bools | None = None) -> Floats:
    """Return how far (n, 3) points go for every face to move out by 1."""
    out = leans(mesh)[0]
    if faces is None or faces.all() or not faces.any():
        return out
    part = keep_faces(mesh, np.flatnonzero(faces))
    taken = part.origin.points
    assert isinstance(taken, Taken)  # keep_faces makes no new points
    own = leans(part.mesh)[0]
    apart = np.einsum("ki,ki->k", directions(own), directions(out[taken.first])) < ALIKE
    out = out.copy()
    out[taken.first[apart]] = own[apart]
    return out


def sample_picture(greys: Floats, across: Floats, up: Floats, *, closed: bool) -> Floats:
    """Return the values (n,) of a picture (rows, columns) at shares of its width and height, its top row at 1.

    Linear between the middles of pixels; a picture that is `closed` meets itself at its left and right.
    """
    rows, columns = greys.shape
    x, y = across * columns - 0.5, (1 - up) * rows - 0.5
    left, top = np.floor(x).astype(np.int64), np.floor(y).astype(np.int64)
    right_share, low_share = x - left, y - top

    def column(at: Ints) -> Ints:
        return at % columns if closed else np.clip(at, 0, columns - 1)

    def row(at: Ints) -> Ints:
        return np.clip(at, 0, rows - 1)

    high = greys[row(top), column(left)] * (1 - right_share) + greys[row(top), column(left + 1)] * right_share
    low = greys[row(top + 1), column(left)] * (1 - right_share) + greys[row(top + 1), column(left + 1)] * right_share
    return np.asarray(high * (1 - low_share) + low * low_share)


def turns_about(places: Floats, axes: Axes) -> tuple[Floats, Floats, Floats]:
    """Return where places (n, 3) lie about an axis: shares (n,) of a turn from behind it, so that the front is at a half;
    heights (n,) along it, and distances (n,) from it, in mm.
    """
    inside = axes.inside(places)
    turns = 0.5 + np.arctan2(inside[:, 0], -inside[:, 1]) / (2 * np.pi)
    return turns % 1.0, inside[:, 2], np.hypot(inside[:, 0], inside[:, 1])


@dataclass(frozen=True)
class Ridges:
    """Ridges round an axis: `count` of them each way round, `slant` between them and the axis in rad, on a radius in mm."""

    pattern: Pattern
    count: int
    slant: float
    radius: float

    @property
    def pitch(self) -> float:
        """How far apart ridges are in mm, square to them."""
        lean = 1.0 if self.pattern == "straight" else float(np.cos(self.slant))
        return 2 * np.pi * self.radius / self.count * lean

    def shares(self, turns: Floats, heights: Floats) -> Floats:
        """Return how high (n,) a place is, from 0 in the furrows to 1 on the ridges; of crossing ones the lower counts, so
        that pyramids stand between the furrows.
        """
        rise = 0.0 if self.pattern == "straight" else np.tan(self.slant) / (2 * np.pi * self.radius)
        ways = {"crossing": (1, -1), "straight": (1,), "right": (-1,), "left": (1,)}[self.pattern]
        phases = np.stack([self.count * (turns + way * rise * heights) for way in ways])
        return np.asarray((1 - 2 * np.abs(phases - np.round(phases))).min(axis=0))
