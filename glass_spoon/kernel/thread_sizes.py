"""ISO metric threads: the basic profile of ISO 68-1, the diameters of ISO 724, the coarse pitches of ISO 261.

The coarse pitches stand here from memory; ISO 261 is the standard that lists them.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from math import sqrt

from glass_spoon.kernel.errors import InvalidInput

COARSE_PITCH = {
    1.0: 0.25, 1.2: 0.25, 1.6: 0.35, 2.0: 0.4, 2.5: 0.45, 3.0: 0.5, 4.0: 0.7, 5.0: 0.8, 6.0: 1.0, 8.0: 1.25, 10.0: 1.5,
    12.0: 1.75, 14.0: 2.0, 16.0: 2.0, 18.0: 2.5, 20.0: 2.5, 22.0: 2.5, 24.0: 3.0, 27.0: 3.0, 30.0: 3.5, 33.0: 3.5,
    36.0: 4.0, 39.0: 4.0, 42.0: 4.5, 45.0: 4.5, 48.0: 5.0, 52.0: 5.0, 56.0: 5.5, 60.0: 5.5, 64.0: 6.0,
}  # fmt: skip
"""Nominal diameter to coarse pitch, both in mm."""

_DESIGNATION = re.compile(r"^\s*M\s*(\d+(?:[.,]\d+)?)\s*(?:[x×*]\s*(\d+(?:[.,]\d+)?))?\s*$", re.IGNORECASE)


@dataclass(frozen=True)
class MetricThread:
    """A metric thread by its nominal diameter and pitch in mm."""

    diameter: float
    pitch: float

    @property
    def triangle(self) -> float:
        """Height H in mm of the fundamental triangle of 60 degrees (ISO 68-1)."""
        return sqrt(3) / 2 * self.pitch

    @property
    def pitch_diameter(self) -> float:
        """d2 = d - 2 (3/8) H in mm (ISO 724)."""
        return self.diameter - 0.75 * self.triangle

    @property
    def minor_diameter(self) -> float:
        """d1 = d - 2 (5/8) H in mm (ISO 724)."""
        return self.diameter - 1.25 * self.triangle

    @property
    def depth(self) -> float:
        """Height 5/8 H in mm of the basic profile (ISO 68-1)."""
        return 0.625 * self.triangle

    @property
    def crest(self) -> float:
        """Width P / 8 in mm of the crest (ISO 68-1)."""
        return self.pitch / 8

    @property
    def foot(self) -> float:
        """Width in mm of the ridge at its foot: the root is P / 4 wide (ISO 68-1)."""
        return 0.75 * self.pitch


def read_designation(text: str) -> MetricThread:
    """Return the thread of a designation such as "M24" (coarse) or "M24x1.5".

    Raises InvalidInput for another text, a diameter without coarse pitch, or a pitch too coarse for the diameter.
    """
    match = _DESIGNATION.match(text)
    if match is None:
        raise InvalidInput("The thread", "a designation such as M24 or M24x1.5", f"“{text}”")
    diameter = float(match[1].replace(",", "."))
    if match[2]:
        pitch = float(match[2].replace(",", "."))
    elif diameter in COARSE_PITCH:
        pitch = COARSE_PITCH[diameter]
    else:
        near = sorted(COARSE_PITCH, key=lambda other: abs(other - diameter))[:2]
        names = " or ".join(f"M{other:g}" for other in sorted(near))
        raise InvalidInput("The thread", f"one with a coarse pitch ({names}), or written with its pitch", f"M{diameter:g}")
    if not 0 < pitch <= diameter / 2:
        raise InvalidInput("The pitch", f"above 0 and at most half of {diameter:g} mm", f"{pitch:g} mm")
    return MetricThread(diameter, pitch)
