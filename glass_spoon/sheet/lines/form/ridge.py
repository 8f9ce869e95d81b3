"""Threads, blades and beads along a helix, with the core they stand on."""

from __future__ import annotations

from dataclasses import replace
from math import degrees, pi
from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from glass_spoon.kernel.curves.alter.place_curve import Placement, moving, place_curve, turning
from glass_spoon.kernel.curves.alter.round_corners import round_corners
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.make.line_and_arc import make_arc, make_polyline
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.surfaces.make.ridge import LEAST_FADE, RidgeShape, make_ridge, most_turns
from glass_spoon.kernel.surfaces.make.section_runs import EndShape
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet, place_set
from glass_spoon.kernel.thread_sizes import MetricThread, read_designation
from glass_spoon.sheet.fields import ChoiceSpec, Number, NumberSpec, ReferenceSpec, TextSpec
from glass_spoon.sheet.items import SurfacesItem
from glass_spoon.sheet.line import Given, Line
from glass_spoon.sheet.lines.form.fields import SurfaceName, a_place, laid_flat
from glass_spoon.sheet.phrase import Phrase

End = Annotated[EndShape, ChoiceSpec("How an end of the core is closed.", ("open", "flat", "domed", "pointed"))]
_AT = "[, about x {x}, y {y}, z {z}]"
_RUN = (
    "[{hand}, ][{starts}-start, ]{turns} turns[ from {first} above the foot][, run in over {run_in} and out over {run_out}]"
    f"[, starting at {{phase}}][; foot {{foot_end}}, top {{top_end}}]{_AT}[, within {{tolerance}}], giving {{gives}}."
)


def _length(help_text: str, label: str = "", *, zero: bool = False, step: float = 1.0) -> NumberSpec:
    return NumberSpec(help_text, "length", label=label, least=0, above=not zero, most=1e6, step=step)


def _fade(help_text: str, label: str) -> NumberSpec:
    return NumberSpec(help_text, "angle", label=label, least=LEAST_FADE, most=200 * pi, step=5)


class RidgeLine(Line):
    """What threads and ridges have in common."""

    chapter = "Form"
    gives_kind = "surfaces"

    hand: Annotated[
        Literal["right", "left"], ChoiceSpec("Which way it winds.", ("right", "left"), ("right-handed", "left-handed"))
    ] = "right"
    starts: Annotated[Number, NumberSpec("Ridges side by side.", least=1, most=12, whole=True)] = 1
    turns: Annotated[Number, NumberSpec("How often it goes round.", least=0.05, most=200, step=0.5)] = 6
    first: Annotated[Number, _length("Where its foot starts, above the foot of the core.", "start height", zero=True)] = (
        "2 mm"
    )
    run_in: Annotated[Number, _fade("Angle over which it rises out of the core.", "run-in")] = "90°"
    run_out: Annotated[Number, _fade("Angle over which it sinks into the core.", "run-out")] = "90°"
    phase: Annotated[Number, NumberSpec("Angle at which it starts.", "angle", label="start angle", step=15)] = "0°"
    foot_end: End = "flat"
    top_end: End = "flat"
    point: Annotated[Number, _length("How far the tip of a pointed end stands out.", "point")] = "20 mm"
    x: Annotated[Number, a_place("x", "The place of the core's foot, along left-right.")] = "0 mm"
    y: Annotated[Number, a_place("y", "The place of the core's foot, along front-back.")] = "0 mm"
    z: Annotated[Number, a_place("z", "The place of the core's foot, upwards.")] = "0 mm"
    tolerance: Annotated[
        Number, NumberSpec("How far the surfaces may be off.", "length", least=1e-5, most=1e3, step=0.001)
    ] = "0.002 mm"

    def sentence_now(self) -> str:
        """Ask for the length of the point where there is one."""
        text = super().sentence_now()
        return (
            text.replace("top {top_end}]", "top {top_end}, its point {point} long]")
            if "pointed" in (self.foot_end, self.top_end)
            else text
        )

    def wind(
        self,
        given: Given,
        profile: NurbsCurve,
        radii: tuple[float, float],
        height: float,
        lead: float,
        *,
        inward: bool = False,
    ) -> SurfacesItem:
        """Wind a profile about the core; the set is moved to its place."""
        shape = RidgeShape(
            radii,
            height,
            lead,
            given.number("first"),
            given.number("turns"),
            given.count("starts"),
            1 if self.hand == "right" else -1,
            (given.number("run_in"), given.number("run_out")),
            given.number("phase"),
            (self.foot_end, self.top_end),
            (self._point(given),) * 2,
            inward,
        )
        shape, told = _fitted(shape)
        made: SurfaceSet = make_ridge(profile, shape, given.number("tolerance"))
        return SurfacesItem(place_set(made, moving([given.number(name) for name in "xyz"])), told=told)

    def _point(self, given: Given) -> float:
        return given.number("point") if "point" in given.values else 0.0


def _fitted(shape: RidgeShape) -> tuple[RidgeShape, str]:
    """Return the ridge with as many turns as its core has room for, its ends on them, and what was changed in words."""
    told, most = [], most_turns(shape)
    if shape.turns > most >= 1 / shape.starts:
        told.append(
            f"{most:.4g} turns in place of {shape.turns:g}: more would reach past the core, {shape.height:.4g} mm long."
        )
        shape = replace(shape, turns=most)
    share = shape.whole / sum(shape.fade)
    if share < 1 and min(shape.fade) * share >= LEAST_FADE:
        start, end = (angle * share for angle in shape.fade)
        shape = replace(shape, fade=(start, end))
        told.append(
            f"It runs in over {degrees(start):.4g}° and out over {degrees(end):.4g}°: more does not fit on "
            f"{shape.turns:.4g} turns."
        )
    return shape, " ".join(told)


class Thread(RidgeLine):
    """A metric thread."""

    summary = "Cut a metric thread by its designation: bolts, plugs, nuts."
    words = ("screw", "bolt", "nut", "metric", "m24", "plug", "helix")
    sentence = f"**Thread** {{size}}, {{side}}, on a core {{height}} long, {_RUN}"

    verb: Literal["thread"] = "thread"
    size: Annotated[
        str,
        Field(max_length=40),
        TextSpec(
            "Designation such as M24, or M24x1.5 for another pitch than the coarse one.",
            pattern=r"\bM\d+(?:[.,]\d+)?(?:x\d+(?:[.,]\d+)?)?\b",
        ),
    ] = "M24"
    side: Annotated[
        Literal["external", "internal"],
        ChoiceSpec("On a bolt, or in the bore of a nut, which faces its axis.", ("external", "internal")),
    ] = "external"
    height: Annotated[Number, _length("Length of the threaded core.", "length")] = "30 mm"
    gives: SurfaceName = "thread"

    def build(self, given: Given) -> SurfacesItem:
        """Wind the basic profile of ISO 68-1 about the minor cylinder."""
        thread = read_designation(given.word("size"))
        radius = thread.minor_diameter / 2
        lead = thread.pitch * given.count("starts")
        return self.wind(
            given, thread_profile(thread), (radius, radius), given.number("height"), lead, inward=self.side == "internal"
        )


def thread_profile(thread: MetricThread) -> NurbsCurve:
    """Return the ridge of the basic profile: its foot along x, its crest up, in mm (ISO 68-1)."""
    crest = (thread.foot - thread.crest) / 2
    corners = [[0, 0, 0], [crest, thread.depth, 0], [crest + thread.crest, thread.depth, 0], [thread.foot, 0, 0]]
    return make_polyline(np.array(corners))


class Ridge(RidgeLine):
    """A blade, a bead or a ridge of an own profile along a helix."""

    summary = "Wind a blade or a bead round a cylinder or a cone, in one piece with it: augers, ground-screws, screw caps."
    words = ("blade", "auger", "screw", "helix", "spiral", "bead", "flight", "worm")
    phrases = (Phrase(r"(?:(?<=wide )|(?<=wide, )|(?<=blade )|(?<=bead )){rise} high", finds=False),)
    sentence = (
        "**Ridge** {form} {width} wide at its foot, {tip} at its crest, {rise} high[, corners rounded {rounding}], {lead} a turn, on a core "
        f"of radius {{low_radius}} to {{high_radius}}, {{height}} high, {_RUN}"
    )
    wording_field = "form"
    wordings = {
        "bead": (
            "**Ridge** {form} {width} wide at its foot, {rise} high, {lead} a turn, on a core "
            f"of radius {{low_radius}} to {{high_radius}}, {{height}} high, {_RUN}"
        ),
        "own": (
            "**Ridge** {form} {profile}, {lead} a turn, on a core "
            f"of radius {{low_radius}} to {{high_radius}}, {{height}} high, {_RUN}"
        ),
    }

    verb: Literal["ridge"] = "ridge"
    form: Annotated[
        Literal["blade", "bead", "own"],
        ChoiceSpec("The shape of the ridge.", ("blade", "bead", "own"), ("of a blade", "of a bead", "of the profile")),
    ] = "blade"
    profile: Annotated[str, ReferenceSpec("An open flat curve: from foot to foot, up being out of the core.", "curve")] = ""
    width: Annotated[Number, _length("Width at the foot.", step=0.5)] = "4 mm"
    tip: Annotated[Number, _length("Width at the crest.", "crest width", step=0.5)] = "2 mm"
    rise: Annotated[Number, _length("How far it stands out of the core.", "rise")] = "25 mm"
    rounding: Annotated[Number, _length("Radius of the corners at the crest.", zero=True, step=0.1)] = "0 mm"
    lead: Annotated[Number, _length("How far one turn climbs.", "lead")] = "40 mm"
    low_radius: Annotated[Number, _length("Radius of the core at its foot.", "radius at the foot")] = "12 mm"
    high_radius: Annotated[Number, _length("Radius of the core at its top.", "radius at the top")] = "12 mm"
    height: Annotated[Number, _length("Length of the core.", "length")] = "300 mm"
    first: Annotated[Number, _length("Where its foot starts, above the foot of the core.", "start height", zero=True)] = (
        "20 mm"
    )
    gives: SurfaceName = "ridge"

    def build(self, given: Given) -> SurfacesItem:
        """Make the profile and wind it about the core."""
        radii = given.number("low_radius"), given.number("high_radius")
        return self.wind(given, self._profile(given), radii, given.number("height"), given.number("lead"))

    def _profile(self, given: Given) -> NurbsCurve:
        """Return the profile from foot to foot, along x, standing out along y."""
        if self.form == "own":
            return _from_foot(laid_flat(given.curve("profile").curve))
        width, rise = given.number("width"), given.number("rise")
        if self.form == "bead":
            return make_arc([width / 2, 0, 0], [-width / 2, 0, 0], [0, rise, 0], 0.0, pi)
        tip = given.number("tip")
        if tip > width:
            raise InvalidInput("The crest width", f"at most {width:g} mm, the width at the foot", f"{tip:g} mm")
        low = (width - tip) / 2
        blade = make_polyline(np.array([[0, 0, 0], [low, rise, 0], [low + tip, rise, 0], [width, 0, 0]]))
        rounding = given.number("rounding")
        return blade if rounding == 0 else round_corners(blade, rounding)


def _from_foot(profile: NurbsCurve) -> NurbsCurve:
    """Return a flat open curve with its first foot at the origin and its second one on the x axis to the right."""
    first, last = profile.control_points[0], profile.control_points[-1]
    span = last - first
    if float(abs(span).max()) < 1e-9:
        raise InvalidInput("The profile of the ridge", "open, from foot to foot on the core", "closed")
    turn = turning(first, [0, 0, 1], -float(np.arctan2(span[1], span[0])))
    level = place_curve(profile, turn.then(moving(-first)))
    if level.control_points[:, 1].mean() < 0:
        level = place_curve(level, Placement(np.diag([1.0, -1.0, 1.0]), np.zeros(3)))
    return level
