"""Marked points and faces made true."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats, owned
from glass_spoon.kernel.detail.true_up import (
    Trued,
    curve_rows,
    flatten_faces,
    flatten_points,
    oval_points,
    round_points,
    space_points,
    straighten_points,
)
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.meshes.origin import Reworked, same_elements
from glass_spoon.sheet.fields import ChoiceSpec, Number, NumberSpec, ReferenceSpec
from glass_spoon.sheet.items import Done, MeshItem
from glass_spoon.sheet.line import Given
from glass_spoon.sheet.lines.detail.detail_work import DetailWork, Held, MarkedAny, on_surface, rim_edges
from glass_spoon.sheet.lines.mesh_work.fields import length_text, several
from glass_spoon.sheet.lines.mesh_work.mesh_work import Worked
from glass_spoon.sheet.lines.place.fields import X, Y, Z
from glass_spoon.sheet.phrase import Phrase

_SIZED = "{sized} radius"
_PLANE = "{plane}"
_SHAPES = ("flat", "flat faces", "round", "oval", "straight", "even", "on a curve")
_FACING = {"upright": (0.0, 0.0, 1.0), "to the right": (1.0, 0.0, 0.0), "to the back": (0.0, 1.0, 0.0)}


class TrueUp(DetailWork):
    """Marked points made flat, round, straight or even."""

    summary = (
        "True up what is marked: flat, flat faces, a true circle or ellipse, straight, even, on a curve; as far as wanted."
    )
    words = (
        "flatten points",
        "make round",
        "straighten",
        "align",
        "planar",
        "level",
        "even spacing",
        "respace",
        "even out",
        "space evenly",
        "circularize",
        "ellipse",
        "coplanar",
        "flat quads",
    )
    phrases = (
        Phrase(r"make(?= .*\bround(?:$| with\b| of\b| by\b|,))", {"shape": "round"}),
        Phrase(
            r"(?:made |to (?:be )?)?(?:flat|planar|coplanar) (?:faces|quads)|each face flat",
            {"shape": "flat faces"},
            finds=False,
        ),
        Phrase(r"(?:made |to (?:be )?)?(?:an? )?(?:ellipses?|ovals?)", {"shape": "oval"}, finds=False),
        Phrase(r"(?:on|onto|along) (?:the |a )?curve", {"shape": "on a curve"}, finds=False),
        Phrase(r"(?:made |to be )?level", {"shape": "flat", "plane": "level"}, finds=False),
        Phrase(r"(?:made |to be )?(?:flat|planar)", {"shape": "flat"}, finds=False),
        Phrase(
            r"(?:made |to (?:be )?)?(?:a )?(?:true )?round|(?:made |into |to (?:be )?)(?:a )?(?:true )?circles?",
            {"shape": "round"},
            finds=False,
        ),
        Phrase(r"(?:of )?radius (?:of )?{radius}", {"shape": "round", "sized": "given"}, finds=False),
        Phrase(r"(?:made )?straight(?:en(?:ed)?)?", {"shape": "straight"}, finds=False),
        Phrase(r"(?:made )?even(?:ly)?(?: out| apart| spaced)?|respaced?", {"shape": "even"}, finds=False),
    )
    sentence = "**True up** {marks} of {mesh}, made {shape}[, by {strength}][, {held}]."
    wording_field = "shape"
    wordings = {
        "flat": f"**True up** {{marks}} of {{mesh}}, made {{shape}} in {_PLANE}[, by {{strength}}].",
        "flat faces": "**True up** {marks} of {mesh}, made {shape}[, by {strength}].",
        "round": f"**True up** {{marks}} of {{mesh}}, made {{shape}} with {_SIZED}[, by {{strength}}][, {{held}}].",
        "on a curve": "**True up** {marks} of {mesh}, evenly {shape}, {curve}[, by {strength}].",
    }

    acts_on = ("face", "edge", "point")
    act_key = "T"

    verb: Literal["true_up"] = "true_up"
    marks: MarkedAny = []
    shape: Annotated[
        Literal["flat", "flat faces", "round", "oval", "straight", "even", "on a curve"],
        ChoiceSpec(
            "What they become: flat as a whole, each face flat, a circle or an ellipse evenly divided, a straight row, evenly "
            "apart on their line, or evenly on a curve.",
            _SHAPES,
        ),
    ] = "flat"
    plane: Annotated[
        Literal["the best", "level", "given"],
        ChoiceSpec(
            "The plane: the nearest, level through their middle, or one through a place.",
            ("the best", "level", "given"),
            ("the nearest plane", "a level plane", "the plane"),
        ),
    ] = "the best"
    facing: Annotated[
        Literal["upright", "to the right", "to the back"], ChoiceSpec("Which way the given plane faces.", tuple(_FACING))
    ] = "upright"
    x: X = "0 mm"
    y: Y = "0 mm"
    z: Z = "0 mm"
    curve: Annotated[str, ReferenceSpec("The curve on which rows are laid.", "curve")] = ""
    sized: Annotated[
        Literal["the best", "given"],
        ChoiceSpec("The circle's radius: the nearest, or a given one.", ("the best", "given"), ("the best", "the given")),
    ] = "the best"
    radius: Annotated[Number, NumberSpec("The radius, where it is given.", "length", least=0, above=True, most=1e5)] = (
        "20 mm"
    )
    strength: Annotated[Number, NumberSpec("How far, 0 to 1.", least=0, above=True, most=1, step=0.1)] = 1
    held: Held = "free"

    def sentence_now(self) -> str:
        """Ask for a radius that is given, and for the place of a plane that is."""
        text = super().sentence_now()
        if self.shape == "flat" and self.plane == "given":
            return text.replace(_PLANE, f"{_PLANE} facing {{facing}} through x {{x}}, y {{y}}, z {{z}}")
        return text.replace(_SIZED, f"{_SIZED} {{radius}}") if self.sized == "given" else text

    def predict_faces(self, given: Given) -> int:
        """Return the faces that there are: none come."""
        return given.mesh("mesh").mesh.face_count

    def work(self, given: Given, item: MeshItem) -> Worked:
        """Make them true, and tell how far they went."""
        made = self._trued(given, item)
        own = np.flatnonzero((made.places != item.mesh.positions).any(axis=1))
        places = on_surface(
            item, made.places, own, self.held if self.shape in ("round", "oval", "straight", "even") else "free"
        )
        word = {"flat faces": "flat", "on a curve": "even on the curve"}.get(self.shape, self.shape)
        told = f"{several(made.parts, 'face' if self.shape == 'flat faces' else 'piece')} made {word}"
        far = float(np.linalg.norm(places - item.mesh.positions, axis=1).max(initial=0.0))
        told += f"; points went {length_text(far)} at most."
        if made.radius:
            told += f" Radius {length_text(made.radius)}."
        done = Reworked(item.mesh.moved(owned(places)), same_elements(item.mesh.topology))
        return Worked(done, told, done=Done("point", np.flatnonzero(self.points_of(given, item))), stands=False)

    def _trued(self, given: Given, item: MeshItem) -> Trued:
        """Return the points made true."""
        mesh, strength = item.mesh, given.number("strength")
        if self.shape == "flat":
            points = self.points_of(given, item)
            return flatten_points(mesh, points, strength, self._plane(given, mesh.positions[points]))
        if self.shape == "flat faces":
            return flatten_faces(mesh, self.faces_of(given, item), strength)
        edges = rim_edges(given, item)
        if self.shape == "round":
            return round_points(mesh, edges, strength, given.number("radius") if self.sized == "given" else 0.0)
        if self.shape == "on a curve":
            if not self.curve:
                raise KernelError("Pick the curve on which the row is laid.")
            return curve_rows(mesh, edges, given.curve("curve").curve, strength)
        return {"oval": oval_points, "straight": straighten_points, "even": space_points}[self.shape](mesh, edges, strength)

    def _plane(self, given: Given, points: Floats) -> tuple[Floats, Floats] | None:
        """Return a place (3,) and the normal (3,) of the plane that points (k, 3) go to, None for the nearest."""
        if self.plane == "level":
            return points.mean(axis=0), np.array(_FACING["upright"])
        if self.plane == "given":
            return np.array([given.number(axis) for axis in "xyz"]), np.array(_FACING[self.facing])
        return None
