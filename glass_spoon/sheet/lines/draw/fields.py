"""Fields that many verbs of the chapter share."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np

from glass_spoon.sheet.fields import ChoiceSpec, ItemName, NameSpec, Number, NumberSpec, Plane, ReferenceSpec
from glass_spoon.sheet.line import Given

FAR = 1e6
"""Largest coordinate in mm."""

PlaneField = Annotated[
    Plane, ChoiceSpec("The drawing view that the curve lies in.", ("front", "side", "plan"), trailing=("view", "plane"))
]
CurveName = Annotated[ItemName, NameSpec("Name of the curve.")]
CurvesName = Annotated[ItemName, NameSpec("Name of the curves.")]
Changed = Annotated[str, ReferenceSpec("The curve to work on.", "curve", changes=True)]
Flattened = Annotated[
    str, ReferenceSpec("The curve, the set of curves or the surface.", "curve", changes=True, also=("curves", "surface"))
]
OneCurve = Annotated[str, ReferenceSpec("A curve.", "curve")]
SomeCurves = Annotated[str, ReferenceSpec("A curve, or a set of them.", "curve", also=("curves",))]


def a_coordinate(help_text: str, label: str = "") -> NumberSpec:
    """Return the spec of a coordinate or a move in mm."""
    return NumberSpec(help_text, "length", label=label, least=-FAR, most=FAR)


def a_place(axis: Literal["right", "up", "out", "x", "y", "z"], help_text: str, label: str = "") -> NumberSpec:
    """Return the spec of one coordinate in mm of a place that may be clicked on the board."""
    return NumberSpec(help_text, "length", label=label, least=-FAR, most=FAR, axis=axis)


def a_length(help_text: str, step: float = 1.0, label: str = "", *, zero: bool = False) -> NumberSpec:
    """Return the spec of a length in mm above zero, or from zero up."""
    return NumberSpec(help_text, "length", label=label, least=0, above=not zero, most=FAR, step=step)


def an_angle(help_text: str, label: str = "", least: float | None = -1e4, most: float | None = 1e4) -> NumberSpec:
    """Return the spec of an angle in radians, stepped by five degrees."""
    return NumberSpec(help_text, "angle", label=label, least=least, most=most, step=5.0)


Right = Annotated[Number, a_place("right", "Place to the right of the axis.", "place to the right")]
Up = Annotated[Number, a_place("up", "Place above the base line.", "place above")]
Out = Annotated[
    Number,
    a_place(
        "out",
        "How far out of its plane it lies, to the viewer: up from the plan, to the front from the front view.",
        "out to the viewer",
    ),
]
Tolerance = Annotated[Number, NumberSpec("How far the result may be off.", "length", least=1e-5, most=1e3, step=0.01)]
AtX = Annotated[Number, a_place("x", "The place, along left-right.", "x")]
AtY = Annotated[Number, a_place("y", "The place, along front-back.", "y")]
AtZ = Annotated[Number, a_place("z", "The place, upwards.", "z")]


def within_a_turn(given: Given) -> tuple[float, float]:
    """Return the angles at which an arc starts and ends: one that would end where it starts, or go on past it, is whole."""
    start, end = given.number("start_angle"), given.number("end_angle")
    sweep = end - start
    if abs(sweep) < 1e-9 or abs(sweep) > 2 * np.pi:
        end = start + (2 * np.pi if sweep >= 0 else -2 * np.pi)
    return start, end
