"""Polygon meshes from surfaces."""

from __future__ import annotations

from typing import Annotated, Literal

from glass_spoon.kernel.errors import CountImpossible, TooManyFaces
from glass_spoon.kernel.meshes.divide_length import count_for_chord, count_for_edge_length, make_guide
from glass_spoon.kernel.meshes.mesh_set import mesh_set
from glass_spoon.kernel.meshes.mesh_surface import mesh_surface
from glass_spoon.kernel.meshes.set_counts import Wish
from glass_spoon.kernel.surfaces.surface import NurbsSurface
from glass_spoon.sheet.fields import ChoiceSpec, ItemName, NameSpec, Number, NumberSpec, ReferenceSpec
from glass_spoon.sheet.items import Item, MeshItem, SurfacesItem
from glass_spoon.sheet.line import FACE_LIMIT, Action, Finding, Given, Line
from glass_spoon.sheet.lines.mesh_work.fields import mesh_findings

CAP_STEP = 8
"""Counts round that are chosen here close a pole in steps of this, so that the core has a vertex on the pole itself."""

CLOSED_LEAST = 3
"""Fewest edges round a closed direction."""


class MeshSurface(Line):
    """A quad mesh of a surface."""

    chapter = "Mesh"
    summary = "Make an even quad mesh of a surface."
    words = ("quads", "polygons", "faces", "convert", "tessellate", "divide")
    sentence = (
        "**Mesh** {surface} by {sizing}: {round} round and {along} along, spaced {spaced}, "
        "poles closed with {poles}, sharp points {sharp}, giving {gives}."
    )
    gives_kind = "mesh"

    verb: Literal["mesh"] = "mesh"
    surface: Annotated[
        str, ReferenceSpec("The surface, or the surfaces that meet, to mesh.", "surface", also=("surfaces",))
    ] = ""
    sizing: Annotated[
        Literal["counts", "edge length", "chord"],
        ChoiceSpec(
            "What decides the counts: numbers, a wanted edge length, or a distance from the surface.",
            ("counts", "edge length", "chord"),
        ),
    ] = "counts"
    round: Annotated[Number, NumberSpec("Edges round.", label="count round", least=1, most=1e9, whole=True, step=4)] = 48
    along: Annotated[Number, NumberSpec("Edges along the profile.", label="count along", least=1, most=1e9, whole=True)] = 26
    edge_length: Annotated[Number, NumberSpec("Wanted length of the edges.", "length", least=1e-3, most=1e6)] = "8 mm"
    chord: Annotated[
        Number,
        NumberSpec(
            "Most that an edge may stand off the surface.",
            "length",
            label="chord tolerance",
            least=1e-5,
            most=1e6,
            step=0.05,
        ),
    ] = "0.2 mm"
    spaced: Annotated[
        Literal["evenly", "by parameter"],
        ChoiceSpec("By true arc length, or by the surface's own parameter.", ("evenly", "by parameter")),
    ] = "evenly"
    poles: Annotated[
        Literal["quads", "fan"],
        ChoiceSpec(
            "How the mesh closes where the profile touches the axis: a core of quads, or triangles.", ("quads", "fan")
        ),
    ] = "quads"
    sharp: Annotated[
        Literal["kept", "softened"],
        ChoiceSpec("Whether smoothing keeps the sharp points of the profile as creases.", ("kept", "softened")),
    ] = "kept"
    gives: Annotated[ItemName, NameSpec("Name of the mesh.")] = "mesh"

    def sentence_now(self) -> str:
        """Show the fields that the sizing uses."""
        middle = {
            "counts": "{sizing}: {round} round and {along} along",
            "edge length": "{sizing}: edges of {edge_length}",
            "chord": "{sizing}: at most {chord} off the surface",
        }[self.sizing]
        return self.sentence.replace("{sizing}: {round} round and {along} along", middle)

    def deciding_fields(self) -> list[str]:
        """Leave out the fields that the sizing does not use."""
        unused = {
            "counts": {"edge_length", "chord"},
            "edge length": {"round", "along", "chord"},
            "chord": {"round", "along", "edge_length"},
        }[self.sizing]
        return [name for name in super().deciding_fields() if name not in unused]

    def counts(self, surface: NurbsSurface, given: Given) -> tuple[int, int]:
        """Return the counts round and along."""
        if self.sizing == "counts":
            return given.count("round"), given.count("along")
        guides = make_guide(surface, 0), make_guide(surface, 1)
        if self.sizing == "edge length":
            around, along = (count_for_edge_length(guide, given.number("edge_length")) for guide in guides)
        else:
            around, along = (count_for_chord(guide, given.number("chord")) for guide in guides)
        around = max(around, CLOSED_LEAST) if surface.is_closed(0, 1e-6) else around
        along = max(along, CLOSED_LEAST) if surface.is_closed(1, 1e-6) else along
        has_pole = surface.is_pole(1, 0, 1e-6) or surface.is_pole(1, -1, 1e-6)
        if has_pole:
            along = max(along, 2)
        if has_pole and self.poles == "quads":
            around = CAP_STEP * max(1, -(-around // CAP_STEP))
        return around, along

    def wish(self, given: Given) -> Wish:
        """Return what the counts of a set should come near to."""
        if self.sizing == "counts":
            return Wish(counts=(given.count("round"), given.count("along")))
        if self.sizing == "edge length":
            return Wish((given.number("edge_length"),) * 2)
        return Wish(chord=given.number("chord"))

    def predict_faces(self, given: Given) -> int:
        """Return the product of the counts; caps and sets are counted when laid out, still before memory is taken."""
        if isinstance(given.items["surface"], SurfacesItem):
            return 0
        around, along = self.counts(given.surface("surface").surface, given)
        return around * along

    def build(self, given: Given) -> MeshItem:
        """Mesh the surface, or the set as one piece."""
        if isinstance(given.items["surface"], SurfacesItem):
            shape = given.surfaces("surface")
            return MeshItem(mesh_set(shape, self.wish(given), self.poles, self.sharp == "kept", FACE_LIMIT), shape)
        surface = given.surface("surface").surface
        around, along = self.counts(surface, given)
        mesh = mesh_surface(surface, around, along, self.spaced, self.poles, self.sharp == "kept", face_limit=FACE_LIMIT)
        return MeshItem(mesh, surface)

    def inspect(self, item: Item) -> list[Finding]:
        """Say what was worth a note, and point at folded faces."""
        return mesh_findings(item)

    def ways_out(self, error: Exception) -> tuple[Action, ...]:
        """Offer the nearest counts that work."""
        if isinstance(error, CountImpossible):
            name = "along" if "along" in str(error) else "round"
            offers = tuple(Action(f"Try {count}", name, str(count)) for count in error.nearest)
            return (*offers, Action("Close with a fan", "poles", "fan")) if name == "round" else offers
        if isinstance(error, TooManyFaces) and self.sizing == "counts":
            return (Action("Back to 48 round", "round", "48"),)
        return ()
