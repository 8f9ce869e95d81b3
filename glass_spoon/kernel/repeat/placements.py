"""Many placements of one body as arrays, and the patterns in which they stand: rows, rings, grids, along a curve.

A placement is the map x -> matrix x + offset, as in kernel.curves.alter.place_curve; ten thousand of them are two arrays.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from functools import cached_property

import numpy as np
import scipy
from numpy.typing import ArrayLike

from glass_spoon.kernel.arrays import Floats, Ints, frozen, lengths
from glass_spoon.kernel.curves.alter.place_curve import Placement, unit_direction
from glass_spoon.kernel.errors import InvalidInput

ALL_ROUND = 1e-9
"""An angle this near to a whole turn, in radians, closes a ring: its last copy would stand on the first."""


@dataclass(frozen=True, eq=False)
class Placements:
    """Placements of a body, in the order in which they are counted. matrices (n, 3, 3); offsets (n, 3) in mm."""

    matrices: Floats
    offsets: Floats

    def __post_init__(self) -> None:
        matrices, offsets = frozen(self.matrices), frozen(self.offsets)
        if matrices.shape != (len(offsets), 3, 3) or offsets.shape != (len(matrices), 3):
            raise InvalidInput("Placements", "matrices (n, 3, 3) and offsets (n, 3)", f"{matrices.shape}, {offsets.shape}")
        object.__setattr__(self, "matrices", matrices)
        object.__setattr__(self, "offsets", offsets)

    def __len__(self) -> int:
        return len(self.offsets)

    def __iter__(self) -> Iterator[Placement]:
        return (self[k] for k in range(len(self)))

    def __getitem__(self, number: int) -> Placement:
        return Placement(self.matrices[number], self.offsets[number])

    def apply(self, points: Floats) -> Floats:
        """Return points (p, 3) at every placement, (n, p, 3)."""
        return np.asarray(points @ self.matrices.swapaxes(1, 2) + self.offsets[:, None, :])

    def under(self, move: Placement) -> Placements:
        """Return the placements of a body whose every copy is then mapped by `move`."""
        return Placements(move.matrix @ self.matrices, self.offsets @ move.matrix.T + move.offset)

    def within(self, outer: Placements) -> Placements:
        """Return these placements at every placement of `outer`: a row of rows, counted one inner row after another."""
        matrices = outer.matrices[:, None] @ self.matrices[None]
        offsets = np.einsum("oij,nj->oni", outer.matrices, self.offsets) + outer.offsets[:, None]
        return Placements(matrices.reshape(-1, 3, 3), offsets.reshape(-1, 3))

    def take(self, numbers: ArrayLike) -> Placements:
        """Return the placements of some numbers (k,), counted from 0."""
        chosen = np.asarray(numbers, dtype=np.int64)
        return Placements(self.matrices[chosen], self.offsets[chosen])

    @cached_property
    def determinants(self) -> Floats:
        """By how much each placement changes volumes (n,): negative where it mirrors."""
        return np.asarray(np.linalg.det(self.matrices))

    @cached_property
    def is_rigid(self) -> bool:
        """Whether every placement keeps distances; it may mirror."""
        return self._keeps(np.ones(len(self)))

    @cached_property
    def is_similar(self) -> bool:
        """Whether every placement keeps angles: it moves, turns, mirrors, and scales alike in all directions."""
        return self._keeps(np.abs(self.determinants) ** (2 / 3))

    def parted(self) -> tuple[Floats, Floats, Floats] | None:
        """Return moves (n, 3) in mm, turns as unit quaternions x, y, z, w (n, 4) and sizes (n, 3); None where one is skewed.

        A mirrored copy has its first size below zero.
        """
        sizes = lengths(self.matrices.swapaxes(1, 2))
        sizes[:, 0] *= np.sign(self.determinants)
        turned = self.matrices / sizes[:, None, :]
        if np.abs(turned.swapaxes(1, 2) @ turned - np.eye(3)).max(initial=0.0) > 1e-6:
            return None
        return self.offsets, scipy.spatial.transform.Rotation.from_matrix(turned).as_quat(), sizes

    def _keeps(self, squares: Floats) -> bool:
        """Say whether every matrix is a turn or a mirror times a size, whose squares are given (n,)."""
        grams = self.matrices.swapaxes(1, 2) @ self.matrices
        return bool((np.abs(grams - squares[:, None, None] * np.eye(3)) <= 1e-9 * squares.max(initial=0.0)).all())


def as_placements(moves: Iterable[Placement] | Placements) -> Placements:
    """Return single placements as one value."""
    if isinstance(moves, Placements):
        return moves
    every = list(moves)
    return Placements(
        np.array([move.matrix for move in every]).reshape(-1, 3, 3), np.array([move.offset for move in every]).reshape(-1, 3)
    )


def moved_by(offsets: ArrayLike) -> Placements:
    """Return placements that move by offsets (n, 3) mm and turn nothing."""
    places = np.asarray(offsets, dtype=np.float64).reshape(-1, 3)
    return Placements(np.broadcast_to(np.eye(3), (len(places), 3, 3)), places)


def grid_places(steps: ArrayLike, counts: Iterable[int]) -> Placements:
    """Return a row, a row of rows, or a row of those: steps (d, 3) in mm with a count each; the first way counts fastest."""
    offsets: Floats = np.zeros((1, 3))
    for step, count in zip(np.asarray(steps, dtype=np.float64), counts, strict=True):
        offsets = (np.arange(count)[:, None, None] * step + offsets).reshape(-1, 3)
    return moved_by(offsets)


def fill_length(length: float, step: float) -> int:
    """Return how many copies stand about `step` mm apart over `length` mm, both ends taken: the count whose even step is
    nearest to the one wished, by its ratio.
    """
    if not step > 0:
        raise InvalidInput("The step", "above 0 mm", f"{step:g} mm")
    share = length / step
    low = max(1, int(np.floor(share + 1e-9)))
    # The even steps are length / low and length / (low + 1); the one whose ratio to the wish is nearer to one wins.
    return 1 + (low if share / low <= (low + 1) / share else low + 1) if share > 0 else 1


def ring_places(
    origin: ArrayLike, axis: ArrayLike, count: int, angle: float, *, first: float = 0.0, rise: float = 0.0
) -> Placements:
    """Return `count` turns about the axis (3,) through origin (3,) mm that share `angle` radians, from the angle `first`.

    All round, the last step leads back to the first, unless the ring rises: `rise` in mm is how far the whole angle climbs
    along the axis. Rodrigues' formula.
    """
    closed = abs(abs(angle) - 2 * np.pi) < ALL_ROUND and rise == 0.0
    shares = np.arange(count) / (count if closed else max(1, count - 1))
    along = unit_direction(axis, "The axis")
    x, y, z = along
    skew = np.array([[0, -z, y], [z, 0, -x], [-y, x, 0]])
    turn = (first + angle * shares)[:, None, None]
    matrices = np.eye(3) + np.sin(turn) * skew + (1 - np.cos(turn)) * (skew @ skew)
    center = np.asarray(origin, dtype=np.float64)
    return Placements(matrices, center - matrices @ center + (rise * shares)[:, None] * along)


@dataclass(frozen=True, eq=False)
class Steps:
    """The different ways from one copy to another. moves: of each, once; first, second: pairs (k,) of copies that are so far
    from each other; of_pair: the number (k,) of the way of each pair.
    """

    moves: Placements
    first: Ints
    second: Ints
    of_pair: Ints


def steps_between(placements: Placements, first: Ints, second: Ints, size: float) -> Steps:
    """Return the ways (rigid maps) from copies `first` (k,) to copies `second` (k,), equal ones once.

    size: of the body in mm, from which it follows what is equal. In a row or a ring all neighbours are the same way apart.
    """
    inverse = np.linalg.inv(placements.matrices[first])
    matrices = inverse @ placements.matrices[second]
    offsets = np.einsum("kij,kj->ki", inverse, placements.offsets[second] - placements.offsets[first])
    values = np.column_stack((matrices.reshape(-1, 9), offsets / max(size, 1e-300)))
    _, where, of_pair = np.unique(np.round(values * 1e6).astype(np.int64), axis=0, return_index=True, return_inverse=True)
    return Steps(Placements(matrices[where], offsets[where]), first, second, of_pair.ravel())


def near_copies(placements: Placements, points: Floats, reach: float = 0.0) -> tuple[Ints, Ints]:
    """Return pairs (k,), (k,) of copies of a body with points (p, 3) mm whose boxes come within `reach` mm of each other.

    Each pair once, the smaller number first. Boxes are those along the axes, sorted and swept along the longest extent.
    """
    if len(placements) < 2:
        return np.zeros(0, dtype=np.int64), np.zeros(0, dtype=np.int64)
    low, high = boxes_of(placements, points)
    low, high = low - reach / 2, high + reach / 2
    axis = int(np.argmax(np.ptp((low + high) / 2, axis=0)))
    order = np.argsort(low[:, axis], kind="stable")
    ends = np.searchsorted(low[order, axis], high[order, axis], side="right")
    counts = np.maximum(ends - np.arange(1, len(order) + 1), 0)
    left = np.repeat(np.arange(len(order)), counts)
    right = left + 1 + np.arange(len(left)) - np.repeat(np.cumsum(counts) - counts, counts)
    a, b = order[left], order[right]
    meet = ((low[a] <= high[b]) & (low[b] <= high[a])).all(axis=1)
    pairs = np.sort(np.column_stack((a[meet], b[meet])), axis=1)
    return pairs[:, 0], pairs[:, 1]


def boxes_of(placements: Placements, points: Floats) -> tuple[Floats, Floats]:
    """Return the lowest and the highest corners (n, 3) in mm of boxes about every copy of points (p, 3).

    The boxes are about the copies of the body's own box, which for a turned copy is a little larger than its own.
    """
    lowest, highest = points.min(axis=0), points.max(axis=0)
    middles = placements.matrices @ ((lowest + highest) / 2) + placements.offsets
    reach = np.abs(placements.matrices) @ ((highest - lowest) / 2)
    return middles - reach, middles + reach


def size_of(points: Floats) -> float:
    """Return the length in mm of the diagonal of the box of points (p, 3)."""
    return float(lengths(np.ptp(points, axis=0)))
