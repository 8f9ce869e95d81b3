"""Swell: a mesh pushed out along its normals, by an amount, by a picture as heights, or by ridges as of a knurl."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, Literal

import numpy as np
from pydantic import Field

from glass_spoon.formats.height_picture import ENDINGS, MOST_BYTES, read_greys
from glass_spoon.kernel.arrays import Floats, lengths
from glass_spoon.kernel.deform.space_map import Axes
from glass_spoon.kernel.deform.swell import Pattern, Ridges, Swelled, sample_picture, swell, turns_about, ways_out
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.gauges.whole_mesh import enclosed_volume
from glass_spoon.sheet.fields import ChoiceSpec, FileSpec, LawSpec, LawText, Number, NumberSpec
from glass_spoon.sheet.handle import BEFORE, Handle, ItemOf, length_handle
from glass_spoon.sheet.items import MeshItem, Note, as_mesh
from glass_spoon.sheet.line import Given
from glass_spoon.sheet.lines.detail.detail_work import FadeLaw, Reach
from glass_spoon.sheet.lines.draw.fields import an_angle
from glass_spoon.sheet.lines.mesh_work.fields import fitting_text, length_text, marked_faces, marked_points, several
from glass_spoon.sheet.lines.mesh_work.mesh_work import MeshWork, Worked
from glass_spoon.sheet.lines.place.fields import AxisField, own_frame
from glass_spoon.sheet.lines.shape.even_out import moved_mesh, weights_of_marks
from glass_spoon.sheet.lines.shape.shape_work import MARKED, TOWARDS, OnlyMarked
from glass_spoon.sheet.phrase import Phrase
from glass_spoon.sheet.planes import AXES, PLANE_AXES
from glass_spoon.sheet.sources import read_file

MOST_INSIDE = 900_000
"""Most characters of a picture in a sheet."""

_ROUND = {"upright axis": "right", "left-right axis": "down", "front-back axis": "right"}
"""What lies to the right of the middle of a picture that goes round an axis: its middle is at the front, or on top."""

_SEEN = {"upright axis": "plan", "left-right axis": "side", "front-back axis": "front"}
"""The view in which a picture is laid that is flat along an axis."""

FINE = 3.0
"""Edges across a ridge, from furrow to furrow, below which it does not show."""


class SwellLine(MeshWork):
    """A mesh pushed out along its normals."""

    chapter = "Shape"
    summary = "Swell a mesh along its normals: by an amount that may change, by a picture as heights, or by crossing ridges."
    words = (
        "inflate",
        "puff",
        "blow up",
        "push out",
        "offset along normals",
        "relief",
        "displace",
        "height map",
        "heights of a picture",
        "knurl",
        "ribs",
        "grip",
        "shrink inwards",
    )
    phrases = (
        Phrase(r"(?:diamond |cross(?:ed)? |crossing )?(?:knurl(?:ed|ing|s)?|ridges?)(?= |$)", {"by": "ridges"}, finds=False),
        Phrase(r"straight (?:knurl(?:s|ing)?|ridges|ribs)|ribs", {"by": "ridges", "pattern": "straight"}, finds=False),
        Phrase(r"(?:by|from|with|of) (?:a |the )?(?:grey )?(?:picture|height ?map|image)", {"by": "picture"}, finds=False),
        Phrase(r"^\W*(?:shrink|deflate)", {"side": "inwards"}),
        Phrase(r"inwards?|to the inside", {"side": "inwards"}, finds=False),
        Phrase(r"outwards?|to the outside", {"side": "outwards"}, finds=False),
        Phrase(r"{times} times round", {"by": "picture", "laid": "round"}, finds=False),
    )
    wording_field = "by"
    wordings = {
        "amount": f"**Swell** {{mesh}}[ {{side}}] {{by}} {{amount}}[ along the {{axis}}]{MARKED}.",
        "picture": (
            "**Swell** {mesh} {by}, {picture}: {low} where it is black, {high} where it is white, laid {laid} the {axis}"
            f"[, {{times}} times round]{MARKED}."
        ),
        "ridges": (
            f"**Swell** {{mesh}} {{by}}: {{count}} round the {{axis}}, {{pattern}} at {{slant}} to it, {{rise}} high{MARKED}."
        ),
    }
    sentence = wordings["amount"]

    verb: Literal["swell"] = "swell"
    by: Annotated[
        Literal["amount", "picture", "ridges"],
        ChoiceSpec(
            "By an amount everywhere or along an axis, by the greys of a picture, or by ridges as of a knurled grip.",
            ("amount", "picture", "ridges"),
            ("by", "by a picture", "by ridges"),
        ),
    ] = "amount"
    side: Annotated[Literal["outwards", "inwards"], ChoiceSpec("To which side of the faces.", ("outwards", "inwards"))] = (
        "outwards"
    )
    amount: Annotated[
        LawText,
        LawSpec("How far: 2 mm, or 0 mm to 3 mm from one end to the other along the axis.", "length", said=("by",)),
    ] = "2 mm"
    axis: AxisField = "upright axis"
    picture: Annotated[
        str, Field(max_length=MOST_INSIDE), FileSpec("A PNG, JPEG or WebP picture: its greys are heights.", endings=ENDINGS)
    ] = ""
    low: Annotated[Number, NumberSpec("How far out where it is black.", "length", label="black", least=-1e6, most=1e6)] = (
        "0 mm"
    )
    high: Annotated[Number, NumberSpec("How far out where it is white.", "length", label="white", least=-1e6, most=1e6)] = (
        "2 mm"
    )
    laid: Annotated[
        Literal["flat", "round"],
        ChoiceSpec(
            "Flat, as in the view along an axis, or wrapped round it, its middle at the front, or on top.",
            ("flat", "round"),
            ("flat along", "round"),
        ),
    ] = "flat"
    times: Annotated[
        Number, NumberSpec("How often the picture goes round.", label="times", least=1, most=1000, whole=True)
    ] = 1
    count: Annotated[
        Number, NumberSpec("How many ridges there are round.", label="ridges", least=3, most=2000, whole=True)
    ] = 40
    pattern: Annotated[
        Pattern,
        ChoiceSpec(
            "Two ways that cross, in pyramids; straight along the axis; or one way, rising to the right or to the left.",
            ("crossing", "straight", "right", "left"),
            ("crossing", "straight", "rising to the right", "rising to the left"),
        ),
    ] = "crossing"
    slant: Annotated[
        Number, an_angle("Between ridges and the axis; straight ones have none.", "slant", least=0, most=1.4)
    ] = 30
    rise: Annotated[
        Number, NumberSpec("How high ridges stand over the furrows.", "length", label="height", least=-1e5, most=1e5)
    ] = "0.5 mm"
    marks: OnlyMarked = []
    reach: Reach = "0 mm"
    law: FadeLaw = "1 to 0 eased"

    def sentence_now(self) -> str:
        """Say how often a picture goes round where it does, and the slant of ridges that have one."""
        text = self.wordings[self.by]
        if self.laid == "flat":
            text = text.replace("[, {times} times round]", "")
        return text.replace(" at {slant} to it", "") if self.pattern == "straight" else text

    def predict_faces(self, given: Given) -> int:
        """Return the faces that there are: none come."""
        return given.mesh("mesh").mesh.face_count

    def work(self, given: Given, item: MeshItem) -> Worked:
        """Push out, and tell how far points went, what became of the volume, and where it folds."""
        mesh = item.mesh
        weights = weights_of_marks(given, item)
        moving = np.ones(mesh.point_count, dtype=bool) if weights is None else weights > 0
        heights, notes = self._heights(given, item, moving)
        by = heights if weights is None else heights * weights
        done = swell(mesh, by, self._faces(given, item))
        far = float(lengths(done.places - mesh.positions).max(initial=0.0))
        most = float(np.abs(by).max(initial=0.0))
        at_corners = f", points at corners by {length_text(far)}" if far > 1.001 * most else ""
        told = f"Faces went by {length_text(most)} at most{at_corners}{self._volume_told(item, done)}."
        notes = (*notes, *self._fold_notes(done, heights))
        return Worked(moved_mesh(mesh, done.places), told, notes, stands=False)

    def _faces(self, given: Given, item: MeshItem) -> np.ndarray | None:
        """Return which faces (f,) go, where only marked faces do."""
        marks = given.marks("marks")
        return marked_faces(given, "marks", item) if marks and all(mark.mark.kind == "face" for mark in marks) else None

    def _axes(self, item: MeshItem) -> Axes:
        """Return the axis through the middle of the item."""
        across = np.array(TOWARDS[_ROUND[self.axis]], dtype=np.float64)
        return Axes.along(own_frame(item).origin, AXES[self.axis], across)

    def _heights(self, given: Given, item: MeshItem, moving: np.ndarray) -> tuple[Floats, tuple[Note, ...]]:
        """Return how far out (n,) each point goes, and what is worth a look."""
        axes = self._axes(item)
        inside = axes.inside(item.mesh.positions)
        lowest, highest = inside[moving].min(axis=0), inside[moving].max(axis=0)
        shares = (inside - lowest) / np.where(highest > lowest, highest - lowest, 1.0)
        if self.by == "amount":
            way = 1.0 if self.side == "outwards" else -1.0
            return way * given.law("amount").at(np.clip(shares[:, 2], 0.0, 1.0)), ()
        if self.by == "picture":
            if not self.picture:
                raise KernelError("Choose a picture: click “no picture yet”.")
            greys = read_greys(read_file(self.picture, MOST_BYTES, given.sources)[0])
            wrapped = self.laid == "round"
            if wrapped:
                across = turns_about(item.mesh.positions, axes)[0] * given.count("times") % 1.0
                up = shares[:, 2]
            else:
                seen = item.mesh.positions @ np.array(PLANE_AXES[_SEEN[self.axis]]).T
                first, last = seen[moving].min(axis=0), seen[moving].max(axis=0)
                across, up = ((seen - first) / np.where(last > first, last - first, 1.0)).T
            values = sample_picture(greys, np.clip(across, 0, 1), np.clip(up, 0, 1), closed=wrapped)
            low, high = given.number("low"), given.number("high")
            return low + (high - low) * values, ()
        turns, along, radii = turns_about(item.mesh.positions, axes)
        slant = 0.0 if self.pattern == "straight" else given.number("slant")
        ridges = Ridges(self.pattern, given.count("count"), slant, float(radii[moving].max()))
        return given.number("rise") * ridges.shares(turns, along - lowest[2]), _coarse(item, moving, ridges)

    def _volume_told(self, item: MeshItem, done: Swelled) -> str:
        """Say by how much the volume of a closed mesh grew."""
        if len(item.mesh.topology.boundary_edges):
            return ""
        before = enclosed_volume(item.mesh)
        share = enclosed_volume(item.mesh.moved(done.places)) / before - 1 if before > 0 else 0.0
        if share < -1:
            return "; it is turned inside out"
        return (
            f"; its volume is {abs(100 * share):.3g} % {'larger' if share > 0 else 'smaller'}" if abs(share) > 5e-5 else ""
        )

    def _fold_notes(self, done: Swelled, heights: Floats) -> tuple[Note, ...]:
        """Tell where it folds, and the largest that does not."""
        if not len(done.folded):
            return ()
        field, whole = {"amount": ("amount", self.amount), "picture": ("high", ""), "ridges": ("rise", "")}[self.by]
        fits = done.fits * float(np.abs(heights).max())
        ways: tuple[tuple[str, str, str], ...] = ()
        if fits > 0 and " to " not in whole and "," not in whole and (self.by != "picture" or str(self.low).startswith("0")):
            sign = "-" if self.by != "amount" and heights[np.argmax(np.abs(heights))] < 0 else ""
            ways = ((f"By {sign}{fitting_text(fits)}", field, f"{sign}{fitting_text(fits)}"),)
        sentence = f"{several(len(done.folded), 'face')} would fold: the largest that folds none is {length_text(fits)}."
        return (Note("swell_folds", sentence, ways, "face", tuple(done.folded.tolist())),)

    def handles(self, values: Mapping[str, Any], item_of: ItemOf) -> list[Handle]:
        """Return how far out it goes, where that is one amount."""
        before = item_of(BEFORE)
        item = as_mesh(before) if before is not None else None
        law = values.get("amount")
        if item is None or self.by != "amount" or law is None or not law.is_constant:
            return []
        marks = {name: item_of(name) for name in self.references() if name.startswith("marks.")}
        given = Given(values, {name: mark for name, mark in marks.items() if mark is not None})
        held = marked_points(given, "marks", item) if marks else np.ones(item.mesh.point_count, dtype=bool)
        if not held.any():
            return []
        out = ways_out(item.mesh, self._faces(given, item) if marks else None)
        towards = item.mesh.positions @ np.array([0.35, -0.5, 0.8])
        at = int(np.flatnonzero(held)[np.argmax(towards[held])])
        way = out[at] / max(float(np.linalg.norm(out[at])), 1e-12)
        way = way if self.side == "outwards" else -way
        return [length_handle("amount", law.end, item.mesh.positions[at], way, label="amount")]


def _coarse(item: MeshItem, moving: np.ndarray, ridges: Ridges) -> tuple[Note, ...]:
    """Tell of faces that are too long for ridges to show."""
    ends = item.mesh.topology.edges.ends
    ends = ends[moving[ends].all(axis=1)]
    if not len(ends):
        return ()
    places = item.mesh.positions[ends]
    long = float(np.median(lengths(places[:, 1] - places[:, 0])))
    if long * FINE <= ridges.pitch:
        return ()
    fine = f"{float(f'{ridges.pitch / 4:.2g}'):g} mm"
    return (
        Note(
            "too_coarse",
            f"Ridges are {length_text(ridges.pitch)} apart and faces {length_text(long)} long, so they do not show whole: "
            f"mesh it with edges of about {fine}, or divide the faces before.",
        ),
    )
