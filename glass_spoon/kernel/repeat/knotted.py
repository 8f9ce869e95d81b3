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

import numpy as np
import scipy

from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.curves.make.braid import Woven
from glass_spoon.kernel.curves.make.interpolate import interpolate_points
from glass_spoon.kernel.errors import InvalidInput

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
    cords = [_row(number, rows, across, (step, drop), unit) for number in range(rows)]
    return Woven(tuple(cords), min(ROOM * unit, _rows_apart(cords)))


def _row(number: int, rows: int, across: int, steps: tuple[float, float], unit: float) -> NurbsCurve:
    """Return a row of a net: it goes up and down between two levels, tied at the upper ones, a loop at the lower."""
    step, drop = steps
    turn = np.concatenate((LOOP, LOOP[-2::-1] * (-1, 1, 1)))
    over = turn * (1, -1, 1) if number == 0 else BEND
    odd = number % 2
    places = []
    for k in range(2 * across + 1):
        is_upper = (k + odd) % 2 == 0
        at = np.array([(k - across) * step / 2, (rows / 2 - number - (not is_upper)) * drop, 0.0])
        places.append(at + unit * (over if is_upper else turn))
    return interpolate_points(np.concatenate(places))


def _rows_apart(cords: list[NurbsCurve]) -> float:
    """Return the least distance in mm between the middles of rows beside each other."""
    places = [curve_points(cord, np.linspace(*cord.domain, PLACES * (len(cord.breaks) - 1) + 1)) for cord in cords]
    trees = [scipy.spatial.cKDTree(own) for own in places[:-1]]
    return min(float(np.min(tree.query(other)[0])) for tree, other in zip(trees, places[1:], strict=True))
