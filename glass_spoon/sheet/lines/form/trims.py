"""Cut surfaces by curves and by each other, exactly: crossings as curves, trimmed faces, bodies joined, and all of it undone."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.errors import CurveOff, KernelError, place_text
from glass_spoon.kernel.surfaces.evaluate.surface import make_surface
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet
from glass_spoon.kernel.trims.cutters import Cutter, faces_as_cutter, let_through, standing_on
from glass_spoon.kernel.trims.face import Face, FaceSet, make_face_set, whole_face
from glass_spoon.kernel.trims.from_set import surfaces_under
from glass_spoon.kernel.trims.join_crossings import crossing_curves
from glass_spoon.kernel.trims.mesh_faces import area_of
from glass_spoon.kernel.trims.shared_edges import find_edges
from glass_spoon.kernel.trims.trim import Parted, join_bodies, keep_side, part_by
from glass_spoon.sheet.fields import (
    ChoiceSpec,
    ItemName,
    Items,
    NameSpec,
    Number,
    NumberSpec,
    Plane,
    ReferenceSpec,
    ReferencesSpec,
)
from glass_spoon.sheet.items import CurveItem, CurvesItem, Item, SurfacesItem, TrimmedItem
from glass_spoon.sheet.line import Action, Finding, Given, Line
from glass_spoon.sheet.lines.draw.fields import CurvesName
from glass_spoon.sheet.lines.form.alter_surfaces import X, Y, Z
from glass_spoon.sheet.lines.form.fields import SurfaceName, noted
from glass_spoon.sheet.lines.mesh_work.fields import several
from glass_spoon.sheet.phrase import Phrase
from glass_spoon.sheet.planes import PLANE_AXES

FACES = ("surfaces", "trimmed")
OneShape = Annotated[str, ReferenceSpec("A surface, a set of surfaces, or a trimmed one.", "surface", also=FACES)]
TrimmedName = Annotated[ItemName, NameSpec("Name of the trimmed surface.")]

THROUGH: dict[str, tuple[float, float, float]] = {
    "up and down": (0.0, 0.0, 1.0),
    "front to back": (0.0, 1.0, 0.0),
    "left to right": (1.0, 0.0, 0.0),
}
"""The ways that curves are let through surfaces."""

BEYOND = 0.1
"""Share of its size by which a plane reaches beyond what it cuts."""

MOST_SECTIONS = 400
"""Most planes of one line."""


class Cross(Line):
    """The curves in which surfaces meet, or planes cut them."""

    chapter = "Draw"
    summary = "Take the curves in which surfaces cross each other, or in which planes cut them, exactly."
    words = ("intersection", "intersect", "section", "stations", "where they meet", "crossing", "planes")
    sentence = "**Cross** {surface} with {against} {other}, giving {gives}."
    wording_field = "against"
    wordings = {
        "sections": (
            "**Cross** {surface} with {against} parallel to the {plane} view, from {at}[, {many}][, {count} of them][, {step} apart], "
            "giving {gives}."
        ),
        "all through": (
            "**Cross** {surface} with {against} parallel to the {plane} view, from {at} {many}, {step} apart, giving {gives}."
        ),
    }
    phrases = (
        Phrase(r"{count} (?:sections|stations|planes)", {"against": "sections"}),
        Phrase(r"(?:sections?|stations?)", {"against": "sections"}),
        Phrase(r"every {step}", {"against": "sections", "many": "all through"}, finds=False),
        Phrase(r"{step} apart", {"against": "sections"}, finds=False),
        Phrase(r"(?:intersect\w*|crossings?)", finds=True),
    )
    gives_kind = "curves"

    verb: Literal["cross"] = "cross"
    surface: OneShape = ""
    against: Annotated[
        Literal["the other", "sections"],
        ChoiceSpec(
            "What crosses it: another surface, or sections, planes parallel to a view.",
            ("the other", "sections"),
            ("surface", "sections"),
        ),
    ] = "the other"
    other: Annotated[str, ReferenceSpec("The other surface, set or trimmed one.", "surface", also=FACES)] = ""
    plane: Annotated[Plane, ChoiceSpec("How the planes stand.", ("front", "side", "plan"), trailing=("view", "plane"))] = (
        "front"
    )
    at: Annotated[
        Number, NumberSpec("Where the first plane stands.", "length", label="first plane", least=-1e6, most=1e6)
    ] = "0 mm"
    count: Annotated[
        Number, NumberSpec("How many planes.", label="count of planes", least=1, most=MOST_SECTIONS, whole=True)
    ] = 1
    step: Annotated[Number, NumberSpec("From plane to plane.", "length", least=1e-4, most=1e6)] = "10 mm"
    many: Annotated[
        Literal["counted", "all through"],
        ChoiceSpec(
            "Whether planes are counted from the first, or stand both ways from it all through the surface.",
            ("counted", "all through"),
            ("counted", "on all through it"),
        ),
    ] = "counted"
    gives: CurvesName = "crossing"

    def sentence_now(self) -> str:
        """Ask for a count of planes where they are counted."""
        through = self.against == "sections" and self.many == "all through"
        return self.wordings["all through"] if through else super().sentence_now()

    def build(self, given: Given) -> CurvesItem:
        """Find the crossings."""
        shape = given.faces("surface")
        if self.against == "the other":
            curves, off = crossing_curves(shape, given.faces("other"))
            if not curves:
                raise KernelError(
                    "They do not cross: move one, make it longer, or choose others. Where they only touch, nothing is cut."
                )
        else:
            curves, off, empty = [], 0.0, 0
            for level in self._levels(given, shape):
                found, away = crossing_curves(shape, _plane_at(shape, self.plane, float(level)))
                curves += found
                off = max(off, away)
                empty += not found
            if not curves:
                raise KernelError("No plane cuts it: move the first one, or choose another view.")
        closed = sum(curve.is_closed(1e-6 * shape.size) for curve in curves)
        told = f"{several(len(curves), 'curve')}, {closed:,} of them closed, at most {max(off, 1e-9):.1g} mm off."
        if self.against == "sections" and empty:
            told += f" {several(empty, 'plane')} cut nothing."
        return CurvesItem(tuple(curves), told)

    def _levels(self, given: Given, shape: FaceSet) -> Floats:
        """Return where planes stand (n,) in mm; raises KernelError for too many."""
        first, step = given.number("at"), given.number("step")
        if self.many == "counted":
            return np.asarray(first + step * np.arange(given.count("count")))
        right, up = (np.array(axis, dtype=np.float64) for axis in PLANE_AXES[self.plane])
        heights = shape.trace @ np.abs(np.cross(right, up))
        low, high = np.ceil((heights.min() - first) / step), np.floor((heights.max() - first) / step)
        if high - low + 1 > MOST_SECTIONS:
            wider = float(np.ptp(heights)) / (MOST_SECTIONS - 1)
            digit = 10.0 ** (np.floor(np.log10(wider)) - 3)
            wider = float(np.ceil(wider / digit) * digit)
            raise KernelError(
                f"That would be {int(high - low + 1):,} planes, {MOST_SECTIONS:,} is the most: set them {wider:.4g} mm apart or "
                "more."
            )
        return np.asarray(first + step * np.arange(low, high + 1))


def _plane_at(shape: FaceSet, plane: str, level: float) -> FaceSet:
    """Return a plane parallel to a view, large enough for faces."""
    right, up = (np.array(axis, dtype=np.float64) for axis in PLANE_AXES[plane])
    normal = np.abs(np.cross(right, up))
    trace = shape.trace
    reach = BEYOND * float(np.ptp(trace, axis=0).max())
    low, high = trace.min(axis=0) - reach, trace.max(axis=0) + reach
    axes = np.stack((right, up))
    (a, b), (c, d) = np.sort(np.stack((axes @ low, axes @ high)), axis=0)
    corners = np.array([[[a, b], [a, d]], [[c, b], [c, d]]])
    return make_face_set([whole_face(make_surface((1, 1), ([0, 0, 1, 1], [0, 0, 1, 1]), level * normal + corners @ axes))])


class TrimSurface(Line):
    """A part of surfaces between what cuts them."""

    chapter = "Form"
    summary = (
        "Trim surfaces by curves on them or let through them, or by other surfaces; everything can be moved afterwards."
    )
    words = ("cut", "hole", "trim", "split", "opening", "window", "cut away", "boundary")
    phrases = tuple(
        Phrase(rf"(?:let )?(?:through )?(?:seen )?(?:{words})", {"way": way}, finds=False)
        for words, way in (
            ("from (?:above|below)|straight (?:down|up)|downwards?|upwards?|vertically|up and down", "up and down"),
            ("from (?:the )?(?:front|back)|front (?:to|and) back", "front to back"),
            ("from (?:the )?(?:side|left|right)|left (?:to|and) right|sideways", "left to right"),
        )
    )
    sentence = "**Trim surface** {surface} by {by}[, curves {way}], keeping {keep}, giving {gives}."
    wording_field = "keep"
    wordings = {
        "nearest": "**Trim surface** {surface} by {by}[, curves {way}], keeping {keep} x {x}, y {y}, z {z}, giving {gives}."
    }
    gives_kind = "trimmed"
    results = 3  # rims cut also over seams; faces may lie in one another

    verb: Literal["trim_surface"] = "trim_surface"
    surface: OneShape = ""
    by: Annotated[
        Items,
        ReferencesSpec(
            "What cuts it: curves, surfaces, trimmed ones.", "curve", also=("curves", "surface", *FACES), least=1
        ),
    ] = []
    way: Annotated[
        Literal["where they lie on it", "up and down", "front to back", "left to right"],
        ChoiceSpec(
            "How curves cut: where they lie on it, or let through all of it.",
            ("where they lie on it", "up and down", "front to back", "left to right"),
            ("where they lie on it", "let through up and down", "let through front to back", "let through left to right"),
        ),
    ] = "where they lie on it"
    keep: Annotated[
        Literal["outside", "inside", "largest", "smallest", "nearest", "every"],
        ChoiceSpec(
            "What is kept. Inside a closed curve or a body, or behind a surface; outside of all of them; or by size or place.",
            ("outside", "inside", "largest", "smallest", "nearest", "every"),
            (
                "what lies outside",
                "what lies inside",
                "the largest part",
                "the smallest part",
                "the part nearest to",
                "every part",
            ),
        ),
    ] = "outside"
    x: X = "0 mm"
    y: Y = "0 mm"
    z: Z = "0 mm"
    gives: TrimmedName = "trimmed"

    def ways_out(self, error: Exception) -> tuple[Action, ...]:
        """Offer to let curves through that lie off the surface."""
        if self.way != "where they lie on it" or not isinstance(error, CurveOff):
            return ()
        ways = ("up and down", "front to back", "left to right")
        return tuple(Action(f"Let it through {way}", "way", way) for way in ways)

    def build(self, given: Given) -> TrimmedItem:
        """Part it, and keep what is asked for."""
        shape = given.faces("surface")
        cutters = self._cutters(given, shape)
        parted = part_by(shape, cutters)
        if not parted.crossings:
            raise KernelError(
                "Nothing cuts it: what should cut does not cross it. Let curves through it, or move or lengthen what cuts."
            )
        if self.keep in ("inside", "outside"):
            open_curve = [k for k, cutter in enumerate(cutters) if not cutter.closed and cutter.of_curve]
            if open_curve:
                raise KernelError(
                    "An open curve has no inside: keep the largest part, the smallest, or the part nearest to a place; or close it."
                )
            kept = keep_side(shape, parted, self.keep)
        else:
            kept = self._chosen(given, shape, parted)
        if len(parted.short) and len(parted.faces) == len(shape.faces):
            raise KernelError(
                f"A cut ends inside, at {place_text(parted.short[0])}, and parts nothing: lengthen it beyond the edge, or close it."
            )
        return TrimmedItem(kept, _notes(parted), _told(shape, kept, parted))

    def _cutters(self, given: Given, shape: FaceSet) -> list[Cutter]:
        """Return what cuts."""
        found = []
        for key, item in given.items.items():
            if key.partition(".")[0] != "by":
                continue
            if not isinstance(item, CurveItem | CurvesItem):
                found.append(faces_as_cutter(given.faces(key)))
                continue
            for curve in (item.curve,) if isinstance(item, CurveItem) else item.curves:
                found.append(self._of_curve(curve, shape))
        return found

    def _of_curve(self, curve: NurbsCurve, shape: FaceSet) -> Cutter:
        """Return a curve as what cuts."""
        if self.way == "where they lie on it":
            return standing_on(curve, shape)
        return let_through(curve, np.array(THROUGH[self.way]), shape)

    def _chosen(self, given: Given, shape: FaceSet, parted: Parted) -> FaceSet:
        """Return the parts that hang together and are the largest, the smallest, the nearest, or all."""
        if self.keep == "every":
            return make_face_set(parted.faces, shape.tolerance, shape.regions)
        groups = parted.pieces
        if self.keep == "nearest":
            place = np.array([given.number(axis) for axis in "xyz"])
            best = min(groups, key=lambda group: min(_away(parted.faces[k], place) for k in group))
        else:
            areas = [sum(area_of(parted.faces[k]) for k in group) for group in groups]
            best = groups[int(np.argmax(areas) if self.keep == "largest" else np.argmin(areas))]
        return make_face_set([parted.faces[k] for k in best], shape.tolerance, shape.regions)

    def inspect(self, item: Item) -> list[Finding]:
        """Say what is worth a look."""
        return noted(item, "trim")


def _away(face: Face, place: Floats) -> float:
    """Return the distance in mm from a place to the places all over a face."""
    return float(lengths(make_face_set([face], 1.0).trace - place).min())


def _notes(parted: Parted) -> tuple[str, ...]:
    """Return what is worth a look."""
    notes = []
    if len(parted.short):
        notes.append(
            f"{several(len(parted.short), 'end')} of cuts {'lies' if len(parted.short) == 1 else 'lie'} inside, the first at "
            f"{place_text(parted.short[0])}, and part nothing: lengthen them beyond the edge."
        )
    return tuple(notes)


def _told(shape: FaceSet, kept: FaceSet, parted: Parted) -> str:
    """Say what was cut."""
    told = [
        f"{several(parted.crossings, 'cut')}, at most {max(parted.off, 1e-9):.1g} mm off; "
        f"{several(len(kept.faces), 'face')} of {len(parted.faces):,} kept."
    ]
    if len(parted.touches):
        places = np.unique(np.round(parted.touches / max(shape.size, 1e-12), 6), axis=0)
        told.append(f"They touch at {several(len(places), 'place')}, where cuts cross.")
    return " ".join(told)


class Untrim(Line):
    """Whole surfaces of trimmed ones."""

    chapter = "Form"
    summary = "Take the whole surfaces that a trimmed one is part of."
    words = ("undo trim", "whole", "restore", "underlying", "base surface")
    sentence = "**Untrim** {item}, giving {gives}."
    gives_kind = "surfaces"

    verb: Literal["untrim"] = "untrim"
    item: Annotated[str, ReferenceSpec("The trimmed surface.", "trimmed")] = ""
    gives: SurfaceName = "whole surfaces"

    def build(self, given: Given) -> SurfacesItem:
        """Take the surfaces, each once."""
        shape = given.faces("item")
        found = surfaces_under(shape)
        told = f"{several(len(found), 'surface')} under {several(len(shape.faces), 'face')}."
        return SurfacesItem(SurfaceSet(tuple(found), shape.tolerance), told=told)


class ExactBody(Line):
    """Closed bodies of surfaces joined, one taken from another, or what both hold."""

    chapter = "Form"
    summary = "Join closed bodies of surfaces, take one from another, or keep what both hold, as exact surfaces."
    words = ("boolean", "union", "unite", "subtract", "difference", "common", "solid", "closed body")
    sentence = "**Exact body** of {first} and {second}: {way}, giving {gives}."
    led = {"first": r"(?:from|out of) (?:the )?"}
    phrases = (
        Phrase(r"(?:subtract|cut|remove|less|minus|without|taken?)\w*", {"way": "first less second"}),
        Phrase(r"(?:union|unite|united|join|add|weld|plus)\w*", {"way": "united"}),
        Phrase(r"(?:common|what both hold|overlap)\w*", {"way": "common"}),
    )
    gives_kind = "trimmed"
    results = 3  # rims cut also over seams; faces may lie in one another
    uses_up = ("first", "second")

    verb: Literal["exact_body"] = "exact_body"
    first: Annotated[str, ReferenceSpec("A closed body of surfaces.", "surfaces", also=("surface", "trimmed"))] = ""
    second: Annotated[str, ReferenceSpec("Another closed body.", "surfaces", also=("surface", "trimmed"))] = ""
    way: Annotated[
        Literal["united", "first less second", "common"],
        ChoiceSpec(
            "What is kept.",
            ("united", "first less second", "common"),
            ("both in one", "the first less the second", "what both hold"),
        ),
    ] = "united"
    gives: TrimmedName = "exact body"

    def build(self, given: Given) -> TrimmedItem:
        """Cut both by each other, and put together what is kept."""
        first, second = given.faces("first"), given.faces("second")
        made, parted = join_bodies(first, second, self.way)
        open_uses = find_edges(made).open_uses
        notes: tuple[str, ...] = ()
        if len(open_uses):
            use = find_edges(made).uses[int(open_uses[0])]
            place = place_text(use.places[len(use.places) // 2])
            notes = (
                f"The result is open at {several(len(open_uses), 'edge')}, the first at {place}: move one body a little.",
            )
        apart = "" if parted.crossings else " They do not cross: one lies within the other, or apart."
        touch = f" They touch at {several(len(parted.touches), 'place')}." if len(parted.touches) else ""
        told = f"{several(len(made.faces), 'face')}, {'closed' if not notes else 'open'}; cuts at most {max(parted.off, 1e-9):.1g} mm off.{touch}{apart}"
        return TrimmedItem(made, notes, told)

    def inspect(self, item: Item) -> list[Finding]:
        """Say where it is open."""
        return noted(item, "body")
