"""The shortest line through flat portals that follow one another: the funnel algorithm (Lee & Preparata 1984)."""

from __future__ import annotations

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.errors import KernelError

Portal = tuple[Floats, Floats]
"""The left and the right end (2,) of an edge that is crossed."""

LEFT, RIGHT = 0, 1


def funnel(portals: list[Portal], goal: Floats) -> list[tuple[Floats, int]]:
    """Return where the shortest line from zero to a goal (2,) turns, and at which of the portals; places are those of them.

    The funnel from the last turn narrows from portal to portal, side by side; where one side would pass over the other, that
    one is the next turn. Raises KernelError where it does not come to an end, as through degenerate triangles.
    """
    apex = np.zeros(2)
    sides = list(portals[0]) if portals else [goal, goal]
    at = [0, 0]
    turns: list[tuple[Floats, int]] = []
    gates = [*portals, (goal, goal)]
    number = 0
    for _ in range(40 * len(gates) + 400):
        if number == len(gates):
            return [turn for turn in turns if turn[1] < len(portals)]
        for side, sign in ((RIGHT, 1.0), (LEFT, -1.0)):
            new, other = gates[number][side], 1 - side
            if sign * turned(apex, sides[side], new) < 0:
                continue  # wider on this side
            if np.array_equal(apex, sides[side]) or sign * turned(apex, sides[other], new) < 0:
                sides[side], at[side] = new, number
                continue
            apex, number = sides[other], at[other]
            turns.append((apex, number))
            sides, at = [apex, apex], [number, number]
            break
        number += 1
    raise KernelError("The shortest line could not be drawn taut here. Clean the mesh first.")


def turned(origin: Floats, one: Floats, other: Floats) -> float:
    """Return twice the area of a flat triangle, above zero where it runs to the left."""
    return float((one[0] - origin[0]) * (other[1] - origin[1]) - (one[1] - origin[1]) * (other[0] - origin[0]))
