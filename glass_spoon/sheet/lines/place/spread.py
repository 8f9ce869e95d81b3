"""Anything spread along a curve, or stood at places of other items."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.errors import InvalidInput, KernelError
from glass_spoon.kernel.repeat.along_curve import (
    even_params,
    follow_frames,
    frames_along,
    stand_in_frames,
    varied,
)
from glass_spoon.kernel.repeat.on_mesh import edge_frames, face_frames, point_frames
from glass_spoon.kernel.repeat.placements import Placements
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.sheet.bodies_item import MOST_COPIES
from glass_spoon.sheet.fields import ChoiceSpec, LawSpec, LawText, Number, ReferenceSpec
from glass_spoon.sheet.items import Item
from glass_spoon.sheet.line import Given
from glass_spoon.sheet.lines.draw.alter_curves import corner_params
from glass_spoon.sheet.lines.draw.fields import OneCurve, a_length
from glass_spoon.sheet.lines.mesh_work.fields import HeldMarks
from glass_spoon.sheet.lines.place.fields import ItemsName
from glass_spoon.sheet.lines.place.repeated import JOINED, Count, RepeatedLine
from glass_spoon.sheet.phrase import Phrase

_END = "[, {joints}][, with {own}], giving {gives}."
_VARIED = "[, scaled {scale}][, spun {spin}][, lifted {lift}]"

Scale = Annotated[LawText, LawSpec("Their size from the first to the last: 1, or 1 to 0.5, or 1 to 0.5 eased.", least=1e-3)]
Spin = Annotated[
    LawText, LawSpec("How far each is turned about its own up axis, from first to last.", "angle", said=("spun",))
]
Lift = Annotated[LawText, LawSpec("How far each is shifted along its own up axis, from first to last.", "length")]


class Spread(RepeatedLine):
    """Anything at points of a curve."""

    summary = (
        "Spread copies of anything along a curve, evenly by its length: upright, turned with it, or square to a surface."
    )
    words = ("along", "path", "copies", "array", "ribs", "repeat", "points", "beads", "studs")
    phrases = (
        *JOINED,
        Phrase(r"(?:about |every ){step}(?: apart)?", {"spacing": "step"}),
        Phrase(r"{step} apart", {"spacing": "step"}),
        Phrase(r"leaving {before} and {after}", finds=False),
    )
    sentence = (
        "**Spread** {count} copies of {item} along {path}[, leaving {before} and {after} free][, {turned}][, {anchor}]"
        f"{_VARIED}{_END}"
    )

    verb: Literal["spread"] = "spread"
    path: OneCurve = ""
    spacing: Annotated[
        Literal["count", "step"],
        ChoiceSpec("Whether the number of copies is given, or their step.", ("count", "step"), ("by number", "by step")),
    ] = "count"
    count: Count = 8
    step: Annotated[Number, a_length("About how far copies are apart; the step that fills the curve evenly is taken.")] = (
        "20 mm"
    )
    before: Annotated[
        Number, a_length("How much of the curve stays free at its start.", label="free at start", zero=True)
    ] = "0 mm"
    after: Annotated[Number, a_length("How much of the curve stays free at its end.", label="free at end", zero=True)] = (
        "0 mm"
    )
    turned: Annotated[
        Literal["kept upright", "turned with it", "upright along it", "square to a surface"],
        ChoiceSpec(
            "Whether the copies keep their direction, turn as the curve does, head along it while up stays up, or stand "
            "square to a surface.",
            ("kept upright", "turned with it", "upright along it", "square to a surface"),
        ),
    ] = "turned with it"
    surface: Annotated[str, ReferenceSpec("The surface that they stand square to.", "surface")] = ""
    anchor: Annotated[
        Literal["laid on it", "from where it stands"],
        ChoiceSpec(
            "Whether what was made at the middle of the views (x, y and z zero) is laid on the curve, its left-right axis "
            "along the curve; or goes on from where it stands beside the start of the curve.",
            ("laid on it", "from where it stands"),
        ),
    ] = "laid on it"
    scale: Scale = "1"
    spin: Spin = "0°"
    lift: Lift = "0 mm"

    def sentence_now(self) -> str:
        """Ask for the step or the number, and for the surface where there is one."""
        text = super().sentence_now()
        if self.spacing == "step":
            text = text.replace("{count} copies of {item} along {path}", "copies of {item} along {path}, about {step} apart")
        if self.turned == "square to a surface":
            text = text.replace("{turned}", "{turned} {surface}")
        return text.replace("**Spread**", "**Spread** {spacing}")

    def build(self, given: Given) -> Item:
        """Place a copy at each point."""
        path = given.curve("path").curve
        gaps = given.number("before"), given.number("after")
        by_step = self.spacing == "step"
        params = even_params(
            path, None if by_step else given.count("count"), given.number("step") if by_step else None, gaps, MOST_COPIES
        )
        points, frames = frames_along(path, params, self.turned, self._surface(given))
        lay = stand_in_frames if self.anchor == "laid on it" else follow_frames
        told = f"{len(params):,} copies." if by_step else ""
        about = np.zeros(3) if self.anchor == "laid on it" else None
        return self.repeated(given, _with_laws(given, lay(points, frames), points), told, about=about)

    def _surface(self, given: Given) -> NurbsSurface | None:
        return given.surface("surface").surface if self.turned == "square to a surface" else None


def _with_laws(given: Given, places: Placements, points: Floats) -> Placements:
    """Return places with the size, the turn and the shift of each copy by the laws of the line, about points (n, 3) mm."""
    shares = np.linspace(0.0, 1.0, len(places)) if len(places) > 1 else np.zeros(1)
    laws = [given.law(name).at(shares) for name in ("scale", "spin", "lift")]
    if np.allclose(laws[0], 1) and not np.any(laws[1]) and not np.any(laws[2]):
        return places
    inner = np.linalg.inv(places.matrices)
    origins = np.einsum("nij,nj->ni", inner, points - places.offsets)  # where the item has what comes to lie on each point
    moved = Placements(places.matrices, points)
    changed = varied(moved, *laws)
    return Placements(changed.matrices, changed.offsets - np.einsum("nij,nj->ni", changed.matrices, origins))


class Stand(RepeatedLine):
    """A copy of anything at every place of a mark, of a mesh or of a curve's corners."""

    summary = (
        "Stand a copy of anything on marked faces, edges or points of a mesh, square to it, or at the corners of a curve."
    )
    words = ("place", "plant", "studs", "rivets", "bristles", "scatter", "copies", "instance", "normals", "grow")
    phrases = (
        *JOINED,
        Phrase(r"at (?:the |its )?corners(?: of)?", {"at": "corners"}, finds=False),
    )
    sentence = f"**Stand** a copy of {{item}} {{at}} {{marks}} of {{mesh}}[, {{turned}}]{_VARIED}{_END}"
    wording_field = "at"
    wordings = {"corners": f"**Stand** a copy of {{item}} {{at}} of {{curve}}[, {{turned}}]{_VARIED}{_END}"}

    verb: Literal["stand"] = "stand"
    at: Annotated[
        Literal["marked", "corners"],
        ChoiceSpec(
            "Where: in the middle of marked faces or edges and at marked points, or at the corners and the ends of a curve.",
            ("marked", "corners"),
            ("on", "at the corners"),
        ),
    ] = "marked"
    marks: HeldMarks = []
    mesh: Annotated[str, ReferenceSpec("The mesh that they stand on; without a mark on all of its faces.", "mesh")] = ""
    curve: OneCurve = ""
    turned: Annotated[
        Literal["square to it", "kept upright"],
        ChoiceSpec(
            "Whether up is the normal and left-right the way of the edges, or all keep their direction.",
            ("square to it", "kept upright"),
        ),
    ] = "square to it"
    scale: Scale = "1"
    spin: Spin = "0°"
    lift: Lift = "0 mm"
    gives: ItemsName = "copies"

    def build(self, given: Given) -> Item:
        """Stand them."""
        if self.at == "corners":
            points, frames = _curve_corners(given)
        else:
            points, frames = _marked_frames(given)
        if not len(points) and self.at == "corners":
            raise KernelError("The curve has no corner and no end: pick another, or spread copies along it.")
        if not len(points):
            raise KernelError("The marks hold nothing on this mesh: mark faces, edges or points of it.")
        if len(points) > MOST_COPIES:
            raise InvalidInput("The number of places", f"at most {MOST_COPIES:,}", f"{len(points):,}")
        if self.turned == "kept upright":
            frames = np.broadcast_to(np.eye(3), frames.shape)
        places = _with_laws(given, stand_in_frames(points, frames), points)
        return self.repeated(given, places, f"{len(points):,} places.", about=np.zeros(3))


def _curve_corners(given: Given) -> tuple[Floats, Floats]:
    """Return the corners and the ends (n, 3) of a curve, and frames there: along it, beside it, up from it."""
    curve = given.curve("curve").curve
    params = corner_params(curve)
    if not curve.is_closed(1e-6):
        params = np.concatenate((curve.domain[:1], params, curve.domain[1:]))
    points = curve_points(curve, params)
    return (points, frames_along(curve, params, "turned with it")[1]) if len(points) else (points, np.zeros((0, 3, 3)))


def _marked_frames(given: Given) -> tuple[Floats, Floats]:
    """Return the places (n, 3) of marked elements and frames (n, 3, 3) there: along an edge, beside it, the normal."""
    item = given.mesh("mesh")
    mesh, marks = item.mesh, given.marks("marks")
    if not marks:
        return face_frames(mesh, np.arange(mesh.face_count))
    points: list[Floats] = []
    frames: list[Floats] = []
    for held in marks:
        mark = held.on(item)
        take = {"face": face_frames, "edge": edge_frames, "point": point_frames}[mark.kind]
        place, frame = take(mesh, mark.indices)
        points.append(place)
        frames.append(frame)
    return np.concatenate(points), np.concatenate(frames)
