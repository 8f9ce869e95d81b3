"""Sharp edges that go on into each other as chains, and how far along its chain each of them is."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints, directions
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.law import Law
from glass_spoon.kernel.trims.shared_edges import Edges, Use

SMOOTH = np.radians(1.0)
"""Angle below which an edge goes on into the next."""

NEAR = 1e-5
"""Share of the size within which meetings lie as low as each other."""


@dataclass(frozen=True)
class Along:
    """Where an edge lies along its chain: the shares of the way at its start and its end, and where others go on from it."""

    start: float = 0.0
    end: float = 1.0
    goes_on: tuple[bool, bool] = (False, False)


Shares = dict[int, Along]
"""Where edges lie along their chains, by their numbers."""


def shares_along(edges: Edges, chosen: Ints, law: Law) -> Shares:
    """Return how far along its chain each chosen edge lies.

    A chain starts at its lower end; of ends as low at the one further in front, then further left. One that closes starts
    at its lowest meeting. Raises KernelError for one that closes under a law that does not come back to its start.
    """
    beside: dict[int, list[tuple[int, int]]] = {}
    for edge in chosen.tolist():
        for end, vertex in enumerate(edges.ends[edges.first[edge]].tolist()):
            beside.setdefault(vertex, []).append((edge, end))
    goes_on = {}
    for pair in beside.values():
        if len(pair) == 2 and _are_smooth(edges, *pair):
            goes_on[pair[0]], goes_on[pair[1]] = pair[1], pair[0]
    found: Shares = {}
    left = chosen.tolist()
    while left:
        chain, closed = _chain(left[0], goes_on)
        left = [edge for edge in left if edge not in {one for one, _ in chain}]
        if closed and law.values[0] != law.values[-1]:
            raise KernelError(
                "An edge that comes back to its start cannot end in another ball than it starts with: let it change on the "
                "way and come back, as in 2 mm, 4 mm at 0.5, 2 mm."
            )
        for edge, shares in _measured(edges, chain, closed=closed).items():
            found[edge] = Along(*shares, goes_on=((edge, 0) in goes_on, (edge, 1) in goes_on))
    return found


def _are_smooth(edges: Edges, one: tuple[int, int], other: tuple[int, int]) -> bool:
    """Say whether an edge goes on into another at an end of each."""
    a, b = (_way_in(edges.uses[edges.first[edge]], end) for edge, end in (one, other))
    return bool(np.arccos(np.clip(-float(a @ b), -1.0, 1.0)) < SMOOTH)


def _way_in(use: Use, end: int) -> Floats:
    """Return the unit direction (3,) in which an edge leaves one of its ends."""
    shares = np.array([0.0, 1e-5]) if end == 0 else np.array([1.0, 1.0 - 1e-5])
    places = use.owner.edge_points(use.curve, use.at_shares(shares))
    return directions(places[1] - places[0])


def _chain(first: int, goes_on: dict[tuple[int, int], tuple[int, int]]) -> tuple[list[tuple[int, bool]], bool]:
    """Return the edges of a chain in order, each with whether it is run backwards, and whether it closes."""
    chain: list[tuple[int, bool]] = [(first, False)]
    for way in (1, 0):
        edge, end = first, way
        while (edge, end) in goes_on:
            edge, arrived = goes_on[edge, end]
            if edge == first:
                return chain, True
            end = 1 - arrived
            # Run on from the start of the chain to its end: an edge that is entered at its own end runs backwards.
            backwards = (arrived == 1) if way else (arrived == 0)
            chain = [*chain, (edge, backwards)] if way else [(edge, backwards), *chain]
    return chain, False


def _measured(edges: Edges, chain: list[tuple[int, bool]], *, closed: bool) -> dict[int, tuple[float, float]]:
    """Return the shares of the edges of a chain, which is turned to start where it should."""
    ends = [edges.ends[edges.first[edge]][::-1] if backwards else edges.ends[edges.first[edge]] for edge, backwards in chain]
    # Lower ones first, then those further in front, then further left; what differs by rounding is as low.
    near = NEAR * max(float(np.ptp(edges.vertices, axis=0).max()), 1e-300)
    ranks = np.round(edges.vertices[:, ::-1] / near).tolist()
    if closed:
        start = min(range(len(chain)), key=lambda k: ranks[ends[k][0]])
        chain = chain[start:] + chain[:start]
    elif ranks[ends[-1][1]] < ranks[ends[0][0]]:
        chain = [(edge, not backwards) for edge, backwards in reversed(chain)]
    sizes = [edges.uses[edges.first[edge]].length for edge, _ in chain]
    stops = np.concatenate(([0.0], np.cumsum(sizes))) / sum(sizes)
    found = dict[int, tuple[float, float]]()
    for (edge, backwards), low, high in zip(chain, stops[:-1], stops[1:], strict=True):
        found[edge] = (float(high), float(low)) if backwards else (float(low), float(high))
    return found
