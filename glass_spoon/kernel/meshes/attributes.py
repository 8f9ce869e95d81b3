"""What is known of the attributes of meshes: whether they are whole numbers, and how they go over to a mesh made of another.

A verb never carries a value by hand: it says where its elements come from (`origin.Origin`), and the rule of each
attribute says the rest. An attribute that is not listed goes over by the rule of its place.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from types import MappingProxyType
from typing import Any, Literal

from numpy.typing import NDArray

from glass_spoon.kernel.arrays import frozen, frozen_ints

Place = Literal["points", "edges", "corners", "faces"]
PLACES: tuple[Place, ...] = ("points", "edges", "corners", "faces")

Values = NDArray[Any]
"""Values of an attribute, one row an element: float64, or int32 where they are whole numbers."""

Carrying = Literal["mixed", "first", "largest", "facing"]
"""mixed: by the weights of the sources. first: of the first source. largest: of all sources. facing: a direction that looks
out of the faces: of the first source, turned where all faces turn, and dropped with all others where some elements lie
between old ones or some faces turn, since it would be wrong there."""


@dataclass(frozen=True)
class AttributeRule:
    """How an attribute goes over, and whether its values are whole numbers (numbers of pieces and of makers)."""

    carrying: Carrying
    whole: bool = False


RULES: Mapping[tuple[Place, str], AttributeRule] = MappingProxyType(
    {
        ("points", "normal"): AttributeRule("facing"),
        ("edges", "sharpness"): AttributeRule("largest"),
        ("edges", "maker"): AttributeRule("first", whole=True),
        ("corners", "uv"): AttributeRule("mixed"),
        ("faces", "piece"): AttributeRule("first", whole=True),
        ("faces", "maker"): AttributeRule("first", whole=True),
    }
)

_BY_PLACE: Mapping[Place, AttributeRule] = MappingProxyType(
    {
        "points": AttributeRule("mixed"),
        "edges": AttributeRule("largest"),
        "corners": AttributeRule("mixed"),
        "faces": AttributeRule("first"),
    }
)


def rule_of(place: Place, name: str) -> AttributeRule:
    """Return the rule of an attribute."""
    return RULES.get((place, name), _BY_PLACE[place])


def typed(place: Place, name: str, values: Values) -> Values:
    """Return read-only values of the type that the attribute has: int32 for whole numbers, else float64."""
    return frozen_ints(values) if rule_of(place, name).whole else frozen(values)
