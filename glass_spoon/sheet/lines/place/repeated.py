"""What all verbs that repeat share: whether copies are joined, and copies of an own size."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.errors import InvalidInput, KernelError
from glass_spoon.kernel.repeat.along_curve import scaled_about
from glass_spoon.kernel.repeat.joints import Joined, join_copies
from glass_spoon.kernel.repeat.placements import Placements
from glass_spoon.sheet.bodies_item import MOST_COPIES
from glass_spoon.sheet.fields import ChoiceSpec, Corners, CornersSpec, Number, NumberSpec
from glass_spoon.sheet.items import BodiesItem, Done, Item, MeshItem, Note
from glass_spoon.sheet.kinds import kind_of
from glass_spoon.sheet.line import Action, Finding, Given, Line
from glass_spoon.sheet.lines.mesh_work.fields import length_text, mesh_findings, several
from glass_spoon.sheet.lines.place.fields import ItemsName, SomeItem, middle_of_box
from glass_spoon.sheet.phrase import Phrase

Count = Annotated[Number, NumberSpec("How many, the first included.", label="count", least=1, most=MOST_COPIES, whole=True)]

WITHIN = ("{joints}", "{joints} within {within}[, ends blended over {blend}]")
"""How the sentence goes on where rims are joined."""


JOINED = (
    Phrase(r"join(?:ed|ing)(?: where (?:they|rims) meet)?,? within {within}", {"joints": "joined"}, finds=False),
    Phrase(r"(?:joined,? )?(?:with )?(?:the )?ends blended(?: over)? {blend}", {"joints": "joined"}, finds=False),
    Phrase(r"join(?:ed|ing)(?: where (?:they|rims) meet)?|(?:in|as) one skin|welded", {"joints": "joined"}, finds=False),
    Phrase(r"as (?:one|a whole)(?: (?:mesh|piece|body|item))?", {"joints": "one mesh"}, finds=False),
)
"""How one asks for joints."""


class JoinedNothing(KernelError):
    """What is repeated has no rims to join."""


class RepeatedLine(Line):
    """A verb that repeats anything. A subclass gives its sentence with {joints} and {own}, and places its copies.

    Curves and surfaces give one set. A mesh gives bodies: one mesh and its places, written out when a later line works on
    the faces; or one mesh, with the rims of neighbours joined where that is asked.
    """

    chapter = "Place"
    gives_kind = "curves"
    gives_like = "item"
    signs = True
    gives_several = True

    item: SomeItem = ""
    joints: Annotated[
        Literal["apart", "one mesh", "joined"],
        ChoiceSpec(
            "Meshes: kept as bodies that stand by themselves, written out as one mesh, or joined where the rims of "
            "neighbours meet.",
            ("apart", "one mesh", "joined"),
            ("each by itself", "as one mesh", "joined where rims meet"),
        ),
    ] = "apart"
    within: Annotated[
        Number, NumberSpec("Points of rims nearer than this become one.", "length", least=0, most=1e5, step=0.01)
    ] = "0.01 mm"
    blend: Annotated[
        Number,
        NumberSpec(
            "How far each copy gives way where joined ends differ, less and less, so that no step is left; 0 moves the rims alone.",
            "length",
            label="ends blended over",
            least=0,
            most=1e6,
        ),
    ] = "0 mm"
    own: Annotated[
        Corners,
        CornersSpec(
            "Factors for the size of single copies, by their number; 0 leaves one out.", dimension="number", noun="copy"
        ),
    ] = []
    gives: ItemsName = "copies"

    def sentence_now(self) -> str:
        """Ask how near rims are joined where they are."""
        text = super().sentence_now()
        return text.replace(*WITHIN) if self.joints == "joined" else text

    def kind_made_of(self, kind: str) -> str:
        """Return the kind of what is given for an item of a kind: joined copies are one mesh."""
        return "mesh" if kind in ("mesh", "bodies") and self.joints != "apart" else ""

    def repeated(self, given: Given, places: Placements, told: str = "", *, about: Floats | None = None) -> Item:
        """Return the item of the field `item` at places, with what single copies have of their own.

        about: the place (3,) mm of the item about which an own size is scaled, the middle of its box when None.
        """
        item = given.items["item"]
        places = _with_own(places, given.values["own"], middle_of_box(item) if about is None else about)
        made = kind_of(item).repeat(item, places)
        if not isinstance(made, BodiesItem):
            if self.joints == "joined":
                raise JoinedNothing(
                    f"{kind_of(item).one.capitalize()} has no rims of points to join: surfaces that meet are meshed as one "
                    "piece anyway. Choose “each by itself”."
                )
            return replace(made, told=told) if told else made
        if self.joints == "apart":
            return replace(made, told=told)
        return self._as_mesh(given, made, told)

    def _as_mesh(self, given: Given, bodies: BodiesItem, told: str) -> MeshItem:
        """Return bodies as one mesh, rims joined where that is asked."""
        whole = replace(bodies.whole, told=told)
        if self.joints == "one mesh":
            return whole
        if not len(bodies.body.mesh.topology.boundary_edges):
            raise JoinedNothing(
                "The mesh is closed and has no rims to join: bodies that touch stay two skins. Choose “each by itself”."
            )
        joined = join_copies(whole.mesh, len(bodies.places), given.number("within"), given.number("blend"))
        words = f"{several(joined.merged, 'point')} of rims became one with others."
        notes = _missed_notes(joined)
        done = Done("point", joined.missed)
        return replace(whole, mesh=joined.mesh, notes=notes, told=" ".join(filter(None, (told, words))), done=done)

    def inspect(self, item: Item) -> list[Finding]:
        """Tell the rims that did not meet, and folded faces of one mesh."""
        return mesh_findings(item) if isinstance(item, MeshItem) else []

    def ways_out(self, error: Exception) -> tuple[Action, ...]:
        """Offer to leave the copies by themselves."""
        return (Action("Each by itself", "joints", "apart"),) if isinstance(error, JoinedNothing) else ()


def _with_own(places: Placements, own: list[tuple[int, float]], middle: Floats) -> Placements:
    """Return places with the factors of single copies, by their number from 1; those of factor 0 are left out."""
    if not own:
        return places
    factors = np.ones(len(places))
    for number, factor in own:
        if number > len(places):
            raise InvalidInput("The number of a copy of its own", f"1 to {len(places):,}", str(number))
        factors[number - 1] = factor
    kept = np.flatnonzero(factors > 0)
    if not len(kept):
        raise KernelError("Every copy is left out: give at least one of them a factor above 0.")
    return scaled_about(places.take(kept), middle, factors[kept])


def _missed_notes(joined: Joined) -> tuple[Note, ...]:
    """Tell rims of neighbours that nearly meet, with the distance that would join them."""
    if not len(joined.missed):
        return ()
    wider = f"{float(f'{1.1 * joined.gap:.2g}'):g} mm"
    sentence = (
        f"{several(len(joined.missed), 'point')} of rims of neighbours stay apart, by up to {length_text(joined.gap)}: give "
        "both ends the same points, or join within more."
    )
    ways = ((f"Join within {wider}", "within", wider),)
    return (Note("rims_apart", sentence, ways, "point", tuple(joined.missed.tolist())),)
