"""The items of a part as the slip of items shows them: pictures, whether they are shown, their colours and layers."""

from __future__ import annotations

from dataclasses import dataclass

from glass_spoon.sheet.document import Look, SheetDocument
from glass_spoon.sheet.evaluate import Build
from glass_spoon.sheet.kinds import KINDS
from glass_spoon.studio.colours import CALM
from glass_spoon.studio.see.tints import BODIES

Colours = tuple[tuple[str, str], ...]

STRONG: Colours = (("glass", "green"), ("plum", "plum"), ("amber", "amber"), ("slate", "grey"))
_CALM_WORDS = ("glass green", "slate", "sand", "clay", "lilac grey", "moss", "dusk blue", "rose earth")
CALM_ONES: Colours = tuple(zip(CALM, _CALM_WORDS, strict=True))
OF_CURVES: Colours = (("ink", "plain"), *STRONG)
OF_BODIES: Colours = (("ink", "its own tint"), *CALM_ONES, *STRONG)
CURVES = ("curve", "curves")
PICTURED = (*CURVES, *BODIES)


@dataclass(frozen=True)
class ItemRow:
    """An item of the slip."""

    id: str
    number: int
    name: str
    kind: str
    look: Look
    colours: Colours
    is_curve: bool
    pictured: bool


def item_rows(document: SheetDocument, build: Build) -> list[ItemRow]:
    """Return the items that the lines of a sheet give, in their order."""
    given, rows = document.kinds(), []
    for line in document.lines:
        if not line.gives_kind:
            continue
        kind = given[line.id]
        rows.append(
            ItemRow(
                line.id,
                document.number_of(line.id),
                document.item_name(line.id),
                KINDS[kind].noun,
                document.look(line.id),
                OF_BODIES if kind in BODIES else OF_CURVES,
                is_curve=kind in CURVES,
                pictured=kind in PICTURED and line.id in build.items,
            )
        )
    return rows
