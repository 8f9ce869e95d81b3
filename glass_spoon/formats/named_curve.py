"""A curve with its name, as drawings hold them."""

from __future__ import annotations

from dataclasses import dataclass

from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve


@dataclass(frozen=True, eq=False)
class NamedCurve:
    """A curve in mm, its name, and the layer it lies on ("" for none)."""

    name: str
    curve: NurbsCurve
    layer: str = ""
