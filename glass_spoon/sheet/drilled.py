"""`drill a hole of 10 mm through crate`: a circle, and the opening along it, walled right through."""

from __future__ import annotations

import re
from dataclasses import replace

from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.edit import add_line, default_line, free_name
from glass_spoon.sheet.known_sizes import size_dimensions
from glass_spoon.sheet.line import Line
from glass_spoon.sheet.made_before import SURFACES, mesh_for
from glass_spoon.sheet.phrase import as_typed, expression_pattern, telling_words
from glass_spoon.sheet.proposal import Proposal, proposal_of

_ASKED = re.compile(
    r"^\s*(?:drill|bore|pierce)\b|^\s*(?:(?:make|cut|punch|put|add)\s+)?(?:an?\s+)?(?:[^,]*?\s)?hole\b", re.IGNORECASE
)
"""How one hole is asked for."""

_KNOWN = frozenset(
    re.findall(
        r"\w+",
        "drill bore pierce make cut punch put add hole round circular right all way through diameter radius wide across mm",
    )
)
"""Words that say no more than that."""

_WAYS = {"top": "above", "above": "above", "bottom": "below", "below": "below", "underside": "below"}
_VIEWS = {"above": "plan", "below": "plan", "front": "front", "back": "front", "right": "side", "left": "side"}
_FROM = re.compile(
    rf",?\s*\b(?:from|on|at)\s+(?:the\s+|its\s+)?(?P<way>{'|'.join({*_WAYS, *_VIEWS})})(?:\s+(?:side|face))?(?!\w)"
)
"""From where it is drilled."""

_NUMBER_NAMED = (
    r"(?:\b(?P<lead>diameter|radius)\s+(?:of\s+)?|\b(?:of|with)\s+)?(?P<size>{})(?:\s+(?P<tail>radius|in\s+radius))?"
)
"""A size and the words that say of what."""


def drilled(text: str, document: SheetDocument) -> Proposal | None:
    """Return a proposal for one round hole in a body that is named, with the circle before it; None for another wish.

    A size without a word beside it is a diameter. Without a way it is drilled from above, without a place through the middle
    of what has one; `at 20, 10` is its middle.
    """
    kinds = {item: kind for item, kind in document.kinds().items() if kind in ("mesh", "bodies", *SURFACES)}
    names = {document.item_name(item): item for item in kinds}
    either = "|".join(re.escape(name) for name in sorted(names, key=len, reverse=True) if name)
    if not _ASKED.match(text) or not either:
        return None
    led = r"\b(?:in|into|through|out of|from)|^\s*(?:drill|bore|pierce)"
    rest, item = _taken(rf"(?:{led})\s+(?:the\s+)?(?P<name>{either})(?!\w)", text)
    number = expression_pattern(tuple(size_dimensions(document)))
    rest, way = _taken(_FROM.pattern, rest)
    rest, place = _taken(rf",?\s*\bat\s+\(?\s*(?P<right>{number})(?:\s*,\s*|\s+)(?P<up>{number})\s*\)?", rest)
    rest, size = _taken(_NUMBER_NAMED.replace("{}", number), rest)
    if item is None or size is None:
        return None
    seen = "above" if way is None else _WAYS.get(way["way"].lower(), way["way"].lower())
    target = names[next(own for own in names if own.lower() == item["name"].lower())]
    mesh, ahead = mesh_for(target, document) if kinds[target] in SURFACES else (target, [])
    for line in ahead:
        document = add_line(document, line)
    name = free_name(document, "hole")
    measure = "radius" if "radius" in f"{size['lead']} {size['tail']}".lower() else "diameter"
    circle = proposal_of("circle", f"circle on the {_VIEWS[seen]} plane, {measure} {as_typed(size['size'])}", document).line
    middle = _middle(document.line(target), _VIEWS[seen])
    where = middle if place is None else {"right": as_typed(place["right"]), "up": as_typed(place["up"])}
    circle = type(circle).model_validate(circle.model_dump() | {"gives": name} | where)
    laid = f"from {seen}" if seen in ("above", "below") else f"from the {seen}"
    after = add_line(document, circle)
    line = default_line(after, "open").model_copy(
        update={"mesh": mesh, "curves": [circle.id], "laid": laid, "rim": "walled right through"}
    )
    found = proposal_of("open", f"open {document.item_name(mesh)} along {name}, {laid}, walled right through", after)
    further = (one[0] for one in re.finditer(number, rest))
    missed = (*(word for word in telling_words(rest.lower()) if word not in _KNOWN), *further)
    said = ("mesh", "curves", "laid", "rim")
    return replace(found, line=line, said=said, missed=missed, before=(*ahead, circle), read=frozenset(said))


def _middle(line: Line, view: str) -> dict[str, str]:
    """Return where the middle of what a line makes lies in a view, by what its own fields say, sizes among them; nothing
    where it has none.
    """
    values = line.model_dump()
    if not {"x", "y", "z"} <= set(line.used_fields()):
        return {}
    right, up = str(values["x"]), str(values["y"])
    if view == "plan":
        return {"right": right, "up": up}
    if line.verb_name != "block":
        return {}
    middle = str(values["z"])
    if values["form"] != "ball":
        half = f"({values['height']}) / 2"
        middle = half if middle == "0 mm" else f"{middle} + {half}"
    return {"right": right if view == "front" else up, "up": middle}


def _taken(pattern: str, text: str) -> tuple[str, re.Match[str] | None]:
    """Return a text without what a pattern finds, and that."""
    found = re.search(pattern, text, re.IGNORECASE)
    return (text, None) if found is None else (text[: found.start()] + text[found.end() :], found)
