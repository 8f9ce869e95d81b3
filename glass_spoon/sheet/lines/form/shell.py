"""Surfaces given a wall."""

from __future__ import annotations

from typing import Annotated, Literal

from glass_spoon.kernel.errors import FoldsBack, floor_text
from glass_spoon.kernel.surfaces.make.shell import shell
from glass_spoon.sheet.fields import ChoiceSpec, Number, NumberSpec, ReferenceSpec
from glass_spoon.sheet.items import Item, SurfacesItem
from glass_spoon.sheet.line import Action, Finding, Given, Line
from glass_spoon.sheet.lines.form.fields import SurfaceName, Within, how_near, noted
from glass_spoon.sheet.phrase import Phrase

SIDES = {"outside": (1.0, 0.0), "inside": (0.0, 1.0), "both sides": (0.5, 0.5)}
"""Shares of the wall outwards and inwards."""


class Shell(Line):
    """Surfaces given a wall."""

    chapter = "Form"
    summary = "Give a surface, or a smooth set, a wall of true parallel surfaces, closed by rims along its open edges."
    words = ("thicken surface", "wall", "thickness", "hollow", "sheet", "double wall", "inner skin", "solid from surface")
    phrases = (
        Phrase(r"{wall} (?:thick|walls?)|walls? (?:of )?{wall}"),
        Phrase(r"outwards?", {"side": "outside"}, finds=False),
        Phrase(r"inwards?", {"side": "inside"}, finds=False),
        Phrase(r"both (?:sides|ways)|half (?:to )?each side", {"side": "both sides"}, finds=False),
        Phrase(r"(?:without|no) rims?|rims? (?:left )?open", {"rim": "open"}, finds=False),
    )
    sentence = "**Shell** {gives} of {surface}, {wall} to its {side}[, rims {rim}][, within {tolerance}]."
    gives_kind = "surfaces"
    uses_up = ("surface",)
    signs = True

    verb: Literal["shell"] = "shell"
    gives: SurfaceName = "wall"
    surface: Annotated[
        str, ReferenceSpec("A surface, or a set of them that meet smoothly.", "surface", also=("surfaces",))
    ] = ""
    wall: Annotated[Number, NumberSpec("The thickness.", "length", least=0, above=True, most=1e6)] = "3 mm"
    side: Annotated[
        Literal["outside", "inside", "both sides"],
        ChoiceSpec("To which side it grows from the surface; both: half of it each.", tuple(SIDES)),
    ] = "inside"
    rim: Annotated[Literal["flat", "open"], ChoiceSpec("Whether flat rims close it along open edges.", ("flat", "open"))] = (
        "flat"
    )
    tolerance: Within = "0.01 mm"

    def build(self, given: Given) -> SurfacesItem:
        """Make the wall, and tell where it folds."""
        wall, (out, inn) = given.number("wall"), SIDES[self.side]
        made = shell(given.surfaces("surface"), wall * out, wall * inn, given.number("tolerance"), rims=self.rim == "flat")
        source = given.ids["surface"]
        rims = made.roles.count("rim")
        told = f"{len(made.roles) - rims} parallel surfaces and {rims} {'rim' if rims == 1 else 'rims'}. {how_near(made.largest)}"
        notes: tuple[str, ...] = ()
        if made.fold is not None:
            x, y, z = made.fold
            notes = (
                f"It folds at x {x:.1f}, y {y:.1f}, z {z:.1f} mm, where the surface bends with a radius of only "
                f"{made.radius:.3g} mm. Less than {floor_text(made.radius)} mm to that side does not fold.",
            )
        names = {"outer": "outside", "inner": "inside", "rim": "rim"}
        return SurfacesItem(
            made.shape,
            made.of,
            notes,
            names=tuple(names[role] for role in made.roles),
            told=told,
            sources=(source,) * len(made.roles),
        )

    def inspect(self, item: Item) -> list[Finding]:
        """Tell where it folds."""
        return noted(item, "folds")

    def ways_out(self, error: Exception) -> tuple[Action, ...]:
        """Offer the thickest wall that does not fold, and the other side."""
        if not isinstance(error, FoldsBack):
            return ()
        share = max(SIDES[self.side])
        largest = f"{floor_text(error.largest / share)} mm"
        other = "inside" if self.side == "outside" else "outside"
        return (Action(f"Use {largest}", "wall", largest), Action(f"To its {other}", "side", other))
