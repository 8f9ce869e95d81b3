"""The References chapter: pictures laid under the drawing views."""

from __future__ import annotations

from typing import Annotated, Literal

from glass_spoon.sheet.fields import ChoiceSpec, Number, NumberSpec, PictureSpec, Plane
from glass_spoon.sheet.line import Line
from glass_spoon.sheet.lines.draw.fields import a_coordinate, a_length, an_angle


class LayPicture(Line):
    """A reference picture under or over a drawing view, to scale."""

    chapter = "References"
    summary = "Lay a picture under a drawing view, to scale, to draw over it."
    words = ("picture", "image", "photo", "scan", "reference", "backdrop", "trace", "png", "jpeg")
    sentence = (
        "**Lay** {picture} {depth} the {plane} view, {width} wide[ about {right} right, {up} up], turned {turn}, "
        "{strength} % strong[, {shown}][, {locked}]."
    )

    verb: Literal["lay"] = "lay"
    picture: Annotated[str, PictureSpec("The picture, from the project's pictures.")] = ""
    depth: Annotated[Literal["behind", "in front of"], ChoiceSpec("Under or over the lines.", ("behind", "in front of"))] = (
        "behind"
    )
    plane: Annotated[Plane, ChoiceSpec("The view it lies in.", ("front", "side", "plan"), trailing=("view", "plane"))] = (
        "front"
    )
    width: Annotated[Number, a_length("Width of the whole picture; the scale follows from it.")] = "300 mm"
    right: Annotated[Number, a_coordinate("Middle of the picture, to the right.", "place to the right")] = "0 mm"
    up: Annotated[Number, a_coordinate("Middle of the picture, above the base line.", "place above")] = "0 mm"
    turn: Annotated[Number, an_angle("Turns the picture counter-clockwise about its middle.", "turn")] = 0
    strength: Annotated[Number, NumberSpec("How strongly it shows, in percent.", least=5, most=100, step=5)] = 60
    shown: Annotated[Literal["shown", "hidden"], ChoiceSpec("Whether it is seen.", ("shown", "hidden"))] = "shown"
    locked: Annotated[Literal["loose", "locked"], ChoiceSpec("Locked pictures cannot be dragged.", ("loose", "locked"))] = (
        "loose"
    )
