"""Links of a chain along a curve, each turned by a right angle from the one before."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy

from glass_spoon.kernel.curves.alter.place_curve import Placement, place_curve
from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.curves.make.flat_shapes import make_slot
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.repeat.along_curve import frames_along

SLACK = 0.97
"""Share of a link's inside by which the next one is ahead: they hang loosely in each other."""
MOST_LINKS = 2000
PLACES = 240
"""Places of a link from which it is told how far it lies from the next."""


@dataclass(frozen=True, eq=False)
class Chain:
    """The middles of the wire of each link, and how far in mm those of neighbours lie apart at the least."""

    links: tuple[NurbsCurve, ...]
    apart: float


def make_chain(curve: NurbsCurve, length: float, width: float, wire: float) -> Chain:
    """Return links so long and wide outside, of wire so thick, in mm, along a curve; round a closed one an even number.

    Raises InvalidInput for links too narrow or too short for the wire of the next, and for a curve that takes fewer
    than two.
    """
    if width < 3 * wire:
        raise InvalidInput("The width of a link", f"at least {3 * wire:.4g} mm, three times its wire", f"{width:.4g} mm")
    if length <= width or length <= 3 * wire:
        raise InvalidInput("The length of a link", f"above {max(width, 3 * wire):.4g} mm", f"{length:.4g} mm")
    arc, closed = measure_length(curve), curve.is_closed(1e-6)
    step = SLACK * (length - 2 * wire)
    count = int(arc.length / step) if not closed else 2 * int(np.ceil(arc.length / step / 2))
    if not 2 <= count <= MOST_LINKS:
        raise InvalidInput("The number of links", f"2 to {MOST_LINKS:,}", f"{count:,}")
    start = 0.0 if closed else (arc.length - (count - 1) * step) / 2
    ways = start + (arc.length / count if closed else step) * np.arange(float(count))
    places, frames = frames_along(curve, arc.to_params(ways), "turned with it")
    link = make_slot(length - width, width - wire)
    turned = np.array([[1.0, 0, 0], [0, 0, -1.0], [0, 1.0, 0]])
    links = tuple(
        place_curve(link, Placement(frame @ turned if number % 2 else frame, place))
        for number, (place, frame) in enumerate(zip(places, frames, strict=True))
    )
    own = [curve_points(one, np.linspace(*one.domain, PLACES)) for one in links]
    pairs = list(zip(own, own[1:] + (own[:1] if closed else []), strict=False))
    return Chain(links, min(float(scipy.spatial.distance.cdist(a, b).min()) for a, b in pairs))
