r"""A net of knotted cords: rows that hang in one another, each tied round the loops of the row above by sheet bends.

The knot is the mesh knot of netting (Ashley, The Ashley Book of Knots, 1944, number 402, from memory): the cord comes up
through the loop from behind, goes round behind both its legs, and is tucked under itself in front of them.

        \   /          the loop of the row above
     .---|-|---.        round behind its legs
      \--|-|--/         over one leg, under itself, over the other
         \_/
        /   \          the cord of the row below, come up through the loop and gone on
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Bools, Floats, Ints
from glass_spoon.kernel.curves.alter.place_curve import Placement, place_curve
from glass_spoon.kernel.curves.evaluate.closest_on_curve import span_params
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.curves.make.braid import Woven
from glass_spoon.kernel.curves.make.interpolate import interpolate_points
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.surfaces.evaluate.extents import curve_extent
from glass_spoon.kernel.surfaces.make.outline_crossings import is_inside_all

LOOP = np.array(
    [(-2.2, 6.0, 0), (-1.6, 3.6, 0), (-1.55, 1.8, 0), (-1.5, 0.2, 0), (-0.9, -1.2, 0), (0, -1.65, 0)], dtype=np.float64
)
"""Places of the left half of a loop, in units in which cords of a thickness of one pass each other."""

BEND = np.array(
    [
        (-3.4, -5.2, -0.2),
        (-1.62, -2.72, -0.73),
        (-0.41, -1.1, -1.06),
        (-0.16, -0.18, -0.03),
        (-0.06, 0.48, 1.63),
        (1.69, 1.7, 1.51),
        (2.61, 2.26, -0.42),
        (1.27, 2.6, -1.23),
        (0.01, 2.74, -1.08),
        (-1.28, 2.74, -1.36),
        (-2.68, 2.16, -0.01),
        (-1.89, 1.62, 1.08),
        (0.49, 1.03, 0.72),
        (1.15, 0.1, 1.09),
        (1.94, -1.28, 0.9),
        (2.6, -2.75, 0.52),
        (3.4, -5.2, 0.0),
    ]
)
"""Places of the cord that is tied round a loop, in the same units: found by drawing it tight while all of it kept off
itself and off the loop (no source).
"""

ROOM = 1.1
"""How far apart the middles of cords come in a knot at the nearest, in those units, a little less than they do."""

WIDEST, HIGHEST = 14.0, 13.0
"""The least width of a mesh, and the least way from row to row, in those units."""

BESIDE, ABOVE = 3.5, 1.8
"""How far knots stand inside the sides, and turns inside the top and the bottom, in those units."""

REACH = 6.2
"""How far up and down from its node a knot, or the legs of a loop, need room within an outline, in those units."""

AROUND = 64
"""Places on each span of an outline by which it is told what lies within."""

MOST_KNOTS = 2_500
"""Most knots of a net."""

PLACES = 40
"""Places between two of a cord at which it is told how far cords lie apart."""


def knot_net(size: tuple[float, float], mesh: tuple[float, float], height: float) -> Woven:
    """Return the rows of a knotted net over a sheet of size mm about the origin of the plane z = 0, from the top on.

    mesh: about how wide and how high its meshes are, in mm; whole numbers of them fill the sheet. height: cords twice as
    thick pass each other in the knots. Raises InvalidInput for meshes that have no room for their knots, for fewer than two
    rows or meshes in a row, and for more than MOST_KNOTS.
    """
    grid = _grid(size, mesh, height)
    return _tied(grid, np.ones((grid.rows + 1, 2 * grid.across + 1), dtype=bool))


def knot_net_within(outline: NurbsCurve, mesh: tuple[float, float], height: float, turn: float = 0.0) -> Woven:
    """Return the rows of a knotted net within a closed outline in the plane z = 0, turned by an angle in rad.

    A row is left out where a knot of it would reach the outline, so that it may come in several cords; what has no loop to
    hang in is a plain turn, to be hung on what is around. Raises InvalidInput as `knot_net` does, and where no mesh fits.
    """
    right, up = np.array([np.cos(turn), np.sin(turn), 0.0]), np.array([-np.sin(turn), np.cos(turn), 0.0])
    axes = np.array([right, up, [0.0, 0.0, 1.0]])
    low, high = curve_extent(outline, axes)
    grid = _grid((float(high[0] - low[0]), float(high[1] - low[1])), mesh, height)
    round_about = curve_points(outline, span_params(outline, AROUND))[:-1] @ axes.T - (low + high) / 2
    made = _tied(grid, _has_room(grid, round_about[:, :2]))
    if not made.curves:
        raise InvalidInput(
            "The outline", "larger, or its meshes smaller, so that two knots lie side by side in it", "too narrow for them"
        )
    frame = Placement(axes.T, (low + high) / 2 @ axes * (1, 1, 0))
    return Woven(tuple(place_curve(cord, frame) for cord in made.curves), made.apart)


@dataclass(frozen=True)
class _Grid:
    """Where knots may be: rows and meshes across, half a mesh wide and high in mm, and the unit of the knots in mm.

    A node (level, k) lies k half meshes from the left, on a level counted from the top; row r runs up and down between those
    of r and r + 1.
    """

    rows: int
    across: int
    step: float
    drop: float
    unit: float

    def place(self, level: Ints | int, k: Ints | int) -> Floats:
        """Return the place (..., 2) of a node in mm."""
        return np.stack(np.broadcast_arrays((k - self.across) * self.step / 2, (self.rows / 2 - level) * self.drop), axis=-1)


def _grid(size: tuple[float, float], mesh: tuple[float, float], height: float) -> _Grid:
    """Return the grid of a net over a sheet, whole numbers of meshes; raises InvalidInput, see `knot_net`."""
    unit = 2 * height / ROOM
    inner = size[0] - 2 * BESIDE * unit, size[1] - 2 * ABOVE * unit
    across, rows = round(inner[0] / mesh[0]), round(2 * inner[1] / mesh[1])
    if across < 2 or rows < 2:
        found = f"{max(across, 0)} wide and {max(rows, 0) / 2:g} high"
        raise InvalidInput("A net", "two meshes wide and one high at least", found)
    if across * rows > MOST_KNOTS:
        raise InvalidInput("A net", f"of {MOST_KNOTS:,} knots at most", f"{across * rows:,}")
    step, drop = inner[0] / across, inner[1] / rows
    if step < WIDEST * unit or drop < HIGHEST * unit:
        least = f"{WIDEST * unit:.3g} mm wide and {2 * HIGHEST * unit:.3g} mm high for their knots, or more"
        raise InvalidInput("Meshes", least, f"{step:.3g} by {2 * drop:.3g} mm")
    return _Grid(rows, across, step, drop, unit)


def _has_room(grid: _Grid, round_about: Floats) -> Bools:
    """Say of each node (rows + 1, 2 across + 1) whether a knot or loop there lies within a closed line (n, 2)."""
    level, k = np.indices((grid.rows + 1, 2 * grid.across + 1))
    sides, heights = np.linspace(-BESIDE, BESIDE, 3), np.linspace(-REACH, REACH, 5)
    about = grid.unit * np.stack(np.meshgrid(sides, heights, indexing="ij"), axis=-1).reshape(-1, 2)
    places = grid.place(level, k)[:, :, None] + about
    return np.asarray(is_inside_all(round_about, places.reshape(-1, 2)).reshape(*level.shape, -1).all(axis=2))


def _tied(grid: _Grid, room: Bools) -> Woven:
    """Return the cords of all rows, between nodes that have room (rows + 1, 2 across + 1)."""
    rows = [_runs(room, number) for number in range(grid.rows)]
    cords = [
        [_cord(grid, number, run, rows[number - 1] if number else []) for run in runs] for number, runs in enumerate(rows)
    ]
    every = [cord for own in cords for cord in own]
    return Woven(tuple(every), min(ROOM * grid.unit, _rows_apart(cords)))


def _runs(room: Bools, row: int) -> list[range]:
    """Return the runs of nodes, by their places along a row, that are used; two at least, beside each other."""
    k = np.arange(room.shape[1])
    used = np.concatenate(([False], room[row + (k + row) % 2, k], [False]))
    ends = np.flatnonzero(used[1:] != used[:-1])
    return [range(low, high) for low, high in zip(ends[::2].tolist(), ends[1::2].tolist(), strict=True) if high - low > 1]


def _cord(grid: _Grid, row: int, run: range, above: list[range]) -> NurbsCurve:
    """Return a cord of a row: it goes up and down between two levels, tied at the upper ones, a loop at the lower."""
    turn = np.concatenate((LOOP, LOOP[-2::-1] * (-1, 1, 1)))
    places = []
    for k in run:
        is_upper = (k + row) % 2 == 0
        hangs = any(k in other for other in above)
        knot = turn if not is_upper else BEND if hangs else turn * (1, -1, 1)
        places.append(np.append(grid.place(row + (not is_upper), k), 0.0) + grid.unit * knot)
    return interpolate_points(np.concatenate(places))


def _rows_apart(rows: list[list[NurbsCurve]]) -> float:
    """Return the least distance in mm between the middles of cords in rows beside each other; no end for none."""
    places = [[curve_points(cord, span_params(cord, PLACES)) for cord in own] for own in rows]
    least = np.inf
    for before, after in pairwise(places):
        if before and after:
            near, _ = scipy.spatial.cKDTree(np.concatenate(before)).query(np.concatenate(after))
            least = min(least, float(np.min(near)))
    return least
