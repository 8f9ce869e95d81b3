"""What a text asks for that needs other lines first: the mesh of a surface that is named, a side that is taken off."""

from __future__ import annotations

import re
from dataclasses import replace

from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.edit import add_line, default_line, with_own_name
from glass_spoon.sheet.fields import ReferenceSpec
from glass_spoon.sheet.line import Line
from glass_spoon.sheet.lines import VERBS
from glass_spoon.sheet.no_effect import stands_for
from glass_spoon.sheet.phrase import telling_words
from glass_spoon.sheet.proposal import Proposal, proposal_of

SURFACES = ("surface", "surfaces", "trimmed")
"""The kinds of items that the verb Mesh takes."""

_SIDE = r"top|bottom|underside|front|back|left|right"
_OPEN_AT = re.compile(
    rf",?\s*(?:and\s+)?(?:(?:left\s+)?open\s+(?:at|on)|without)\s+(?:the\s+|its\s+|a\s+)?(?P<sides>(?:{_SIDE})"
    rf"(?:\s+and\s+(?:the\s+)?(?:{_SIDE}))?)(?:\s+(?:side|face|end)s?)?(?!\w)",
    re.IGNORECASE,
)
"""Words by which a hollow body is open: `shell crate 2 mm, open at the top`."""

_NEW_NAME = re.compile(r"\b(?:giving|called|named|as)\s+(?:an?\s+|the\s+)?$", re.IGNORECASE)
"""What stands before the name of something new."""

_TAKEN_OFF = re.compile(
    rf"\s*(?:take|remove|cut|tear)\s+(?:away\s+|off\s+)?(?P<side>(?:the\s+|its\s+)?(?:{_SIDE})(?:\s+(?:side|face|end))?)"
    r"\s+(?:off|away\s+from|from|out\s+of|off\s+of)\s+",
    re.IGNORECASE,
)
"""Words by which a side is deleted: `take the bottom off crate`."""


def standing_for(text: str, document: SheetDocument) -> tuple[str, str]:
    """Return a text in which what stands for an item is named in place of one that was used up, and what is to be known.

    After `subtract peg from crate` the crate that is seen is `crate mesh`: `bevel crate` means that.
    """
    names = {name.lower(): item for item, name in document.item_names().items() if name}
    told: dict[str, str] = {}

    def meant(found: re.Match[str]) -> str:
        item = names[found[1].lower()]
        stands = stands_for(document, item)
        if stands == item or _NEW_NAME.search(text[: found.start()]):
            return found[0]
        called = document.item_name(stands)
        told[item] = f"{document.item_name(item)} is in {called} since line {document.number_of(stands)}: that is meant."
        return called

    if not names:
        return text, ""
    every = "|".join(re.escape(name) for name in sorted(names, key=len, reverse=True))
    meant_text = re.sub(rf"(?<!\w)({every})(?!\w)", meant, text, flags=re.IGNORECASE)
    return meant_text, " ".join(told.values())


def side_taken_off(text: str) -> str:
    """Return a text that takes a side off something as the deleting that it is."""
    return _TAKEN_OFF.sub(lambda found: f"delete {found['side']} of ", text, count=1)


def plainly_said(text: str, document: SheetDocument) -> str:
    """Return a text in the words of a verb where the trade says it by another's: `cut crate with knob` subtracts the knob,
    `remove crate` deletes it and no loops of it, `duplicate` copies.
    """
    kinds = document.kinds()
    bodies = [document.item_name(item) for item, kind in kinds.items() if kind in ("mesh", "bodies")]
    either = "|".join(re.escape(name) for name in sorted(filter(None, bodies), key=len, reverse=True))
    if either:
        cut = rf"^\s*cut\s+(?:the\s+)?({either})\s+(?:with|by)\s+(?:the\s+)?({either})(?!\w)"
        text = re.sub(cut, lambda found: f"subtract {found[2]} from {found[1]}", text, flags=re.IGNORECASE)
        text = re.sub(rf"^\s*remove\s+((?:the\s+)?(?:{either}))\s*$", r"delete \1", text, flags=re.IGNORECASE)
    return re.sub(r"^\s*duplicate\b", "copy", text, flags=re.IGNORECASE)


def without_opening(text: str) -> str:
    """Return a text without the words by which a hollow body is open at sides; they would speak for other verbs."""
    return _OPEN_AT.sub("", text, count=1)


def opened_first(first: Proposal, text: str, document: SheetDocument) -> Proposal:
    """Return a proposal to thicken something, with lines before it that delete the sides at which a text says it is open."""
    found = _OPEN_AT.search(text)
    for line in first.before:
        document = add_line(document, line)
    mesh = str(getattr(first.line, "mesh", ""))
    if found is None or not document.has(mesh):
        return replace(first, missed=(*first.missed, *telling_words(found[0].lower()))) if found else first
    deleted = proposal_of("delete", f"delete the {found['sides']} of {document.item_name(mesh)}", document)
    ahead = (*first.before, *deleted.before, deleted.line)
    for line in (*deleted.before, deleted.line):
        document = add_line(document, line)
    opened = proposal_of(first.verb, without_opening(text), document)
    line = opened.line.model_copy(update={"mesh": mesh})
    return replace(opened, line=line, missed=first.missed, before=(*ahead, *opened.before))


def meshed_first(first: Proposal, text: str, document: SheetDocument) -> Proposal:
    """Return a proposal of a verb for meshes, where the text names a surface, for the mesh of that: one that is there
    already, or that of a line before it.
    """
    takes = {kind for spec in VERBS[first.verb].specs().values() if isinstance(spec, ReferenceSpec) for kind in spec.kinds}
    if "mesh" not in takes or takes & set(SURFACES):
        return first
    for item, kind in document.kinds().items():
        name = document.item_name(item) if kind in SURFACES else ""
        at = re.search(rf"(?<!\w){re.escape(name)}(?!\w)", text, re.IGNORECASE) if name else None
        if at is None or not set(telling_words(name.lower())) <= set(first.missed):
            continue
        mesh, ahead = mesh_for(item, document)
        for line in ahead:
            document = add_line(document, line)
        called = document.item_name(mesh)
        meant = proposal_of(first.verb, text[: at.start()] + called + text[at.end() :], document)
        return replace(meant, before=(*ahead, *meant.before)) if len(meant.missed) < len(first.missed) else first
    return first


def mesh_for(surface: str, document: SheetDocument) -> tuple[str, list[Line]]:
    """Return the mesh of a surface that is there already, or of a line before it, and that line."""
    meshes = (line for line in document.lines if line.verb_name == "mesh" and not line.paused)
    found = next((line for line in meshes if surface in line.references().values()), None)
    if found is not None:
        return found.id, []
    line = default_line(document, "mesh").model_copy(update={"surface": surface})
    return line.id, [with_own_name(document, line)]
