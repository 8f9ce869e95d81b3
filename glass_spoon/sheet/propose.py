"""The finder behind “Add the next line”: plain words to proposed lines."""

from __future__ import annotations

import re
from collections.abc import Mapping, Set
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import TypeVar

from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.drilled import drilled
from glass_spoon.sheet.expressions import Quantity
from glass_spoon.sheet.fields import PointsSpec, ReferenceSpec
from glass_spoon.sheet.fill_words import SIZE_TEXT
from glass_spoon.sheet.known_sizes import known_sizes, size_dimensions
from glass_spoon.sheet.line import Line
from glass_spoon.sheet.lines import VERBS
from glass_spoon.sheet.made_before import (
    meshed_first,
    opened_first,
    plainly_said,
    side_taken_off,
    standing_for,
    without_opening,
)
from glass_spoon.sheet.phrase import IDLE, alike, telling_words
from glass_spoon.sheet.plain_unit import PlainUnit, field_with_unit
from glass_spoon.sheet.proposal import Proposal, proposal_of, told_of
from glass_spoon.sheet.said_marks import MARKS, PARTLY, said_mark
from glass_spoon.sheet.trade_words import trade_word
from glass_spoon.sheet.typed_places import places_with_unit

MAX_TEXT = 600
AnyLine = TypeVar("AnyLine", bound=Line)

_PERCENT = re.compile(r"(?<!called )(?<!named )(?<!giving )\b(\d+(?:\.\d+)?)\s*%")
"""A share, but not the first word of a name."""

_SCALED_TO = re.compile(r"^(\s*(?:scale|resize)\b.*?)\bto\s+(\d+(?:\.\d+)?)\s*%", re.IGNORECASE)
"""A share to which something is scaled: its factor."""

_GROWN = re.compile(
    r"\b(bigger|larger|smaller|up|down)\s+by\s+(\d+(?:\.\d+)?)\s*%|\b(\d+(?:\.\d+)?)\s*%\s+(bigger|larger|smaller)\b",
    re.IGNORECASE,
)
"""A share by which something grows or shrinks: `20 % bigger` is 1.2 times."""

_MAKING = re.compile(
    r"\s*(?P<lead>draw|add|make|create|new|build)\s+(?:me\s+)?(?:(?:an?|the|new|another)\s+)*(?P<what>[a-z]+)\b",
    re.IGNORECASE,
)
"""A word that something is made, before what is made: `draw a circle`."""

NAME, OTHER, SEVERAL, SAID = 5.0, 3.0, 6.0, 8.0
"""What it is worth that words are a verb's own name, another word for it, several such words together, a phrase of it."""

WHOLE_DELETED = (
    "Delete takes marked faces away. A whole item goes with its line: Remove it there, Pause it, or hide it under Items."
)
"""What is to be known where nothing of a mesh is told."""

_COPIES = re.compile(r"(?<!\w)(?:cop(?:y|ies)|each|every|corners?|points)(?!\w)", re.IGNORECASE)
"""Words by which things are stood at several places."""

JOINS = ("join", "combine", "connect")
UNITED = "Unite welds edges that meet; Fuse makes bodies that run through each other one skin."
"""Words that may mean either, and what is to be known then."""

CALLED = 5.0
"""What a verb gains whose own name, or another of several words, comes first and whole."""

WHOLE, MOST_OF = 4.0, 0.6
"""What it is worth besides that a phrase is more than so much of the text."""

BESIDE = 0.3
"""What a phrase counts in a text that begins with the name of another verb."""

LATER = 0.4
"""What further words that fit count beside the best one."""

PLACES = 4
"""Words from the first on that are held against the names of verbs, each counting a fifth less than the one before."""

LIKELY, MISSED, NUMBER_MISSED, VERB_MISSED, ITEM_MISSED = 8, 1.0, 2.0, 6.0, 9.0
"""How many of the likeliest verbs are held against each other, and what each word, or number, costs that one does not
understand: one whose own word is not even the first, or that cannot take what is named, is hardly meant.
"""

MADE = ("Draw", "Form")
"""Chapters whose verbs make something: what begins with `draw` is hardly another."""

TAKES_NOTHING = 4.5
"""By how much the usual meaning of a trade's word may understand less before it gives way."""

AT_HAND, AMISS = 0.3, 0.6
"""What a verb gains whose item was made last; the share that is left of one that has nothing to work on."""


def propose(text: str, document: SheetDocument, unit: PlainUnit = "mm") -> list[Proposal]:
    """Return proposals for what was typed, the likeliest first; all verbs for an empty text.

    The first words choose the verb (by its name, or a word that means it); phrases, names of items, choices and numbers
    fill its fields, as in `mesh body 64 30`, `mesh everything, about 1,000 quads` or `wall = 1.5 mm`. Plain numbers for
    lengths are of `unit`.
    """
    text, known = standing_for(text[:MAX_TEXT], document)
    if unit == "mm":
        found = _proposals(text, document)
    else:
        found = [_in_unit(one, document, unit) for one in _proposals(places_with_unit(text, unit), document)]
    return [replace(one, note=f"{known} {one.note}".strip()) for one in found] if known else found


def read_ahead() -> None:
    """Read some sentences, so that the phrases of the verbs and what reads numbers are compiled before anybody types."""
    for said in ("circle", "box 60 by 40 by 30 mm at 1, 2, 3, edges of 10 mm", "pull out the top of it by 3 mm in 2 rows"):
        _proposals(said, SheetDocument())


@lru_cache(maxsize=1)
def _made_of_nothing() -> frozenset[str]:
    """Return the names, and other words, of the verbs that make something and need nothing for it, not even a file."""
    free = {
        verb: cls
        for verb, cls in VERBS.items()
        if cls.chapter in MADE
        and not verb.startswith("import_")
        and not any(isinstance(spec, ReferenceSpec) for spec in cls.specs().values())
    }
    names = {word for verb, cls in free.items() for word in (verb, *cls.words) if " " not in word}
    return frozenset(names - IDLE - {"draw", *VERBS["draw"].words})


def _without_making(text: str, document: SheetDocument) -> str:
    """Return a text without words such as `draw a` or `add a` before the name of what is made: that name is its verb."""
    found = _MAKING.match(text)
    if found is None or found["what"].lower() not in _made_of_nothing():
        return text
    # `make the outline of crate round` works on what is there, and makes no outline.
    names = [name.lower() for name in document.item_names().values() if name]
    named = any(re.search(rf"(?<!\w){re.escape(name)}(?!\w)", text.lower()) for name in names)
    return text if found["lead"].lower() == "make" and named else text[found.start("what") :]


def _grown(found: re.Match[str]) -> str:
    """Return a growth by a share as the factor that it is."""
    word, share = found[1] or found[4], float(found[2] or found[3]) / 100
    factor = 1 - share if word.lower() in ("smaller", "down") else 1 + share
    return f"by factor {factor:g}" if word.lower() in ("up", "down") else f"{word} by factor {factor:g}"


def _in_unit(proposal: Proposal, document: SheetDocument, unit: PlainUnit) -> Proposal:
    """Return a proposal whose plain numbers are of another unit than mm."""
    sizes = known_sizes(document)
    line = _line_in_unit(proposal.line, proposal.read | set(proposal.said), sizes, unit)
    before = tuple(
        _line_in_unit(mark, {name for name in mark.used_fields() if not mark.is_usual(name)}, sizes, unit)
        for mark in proposal.before
    )
    told = tuple(told_of(line, name, document) for name in proposal.said)
    return replace(proposal, line=line, before=before, told=told)


def _line_in_unit(line: AnyLine, said: Set[str], sizes: Mapping[str, Quantity], unit: PlainUnit) -> AnyLine:
    """Return a line whose fields that were said have the unit of their plain numbers; points have it by their text."""
    specs = {name: spec for name, spec in line.specs().items() if name in said and not isinstance(spec, PointsSpec)}
    values = {name: field_with_unit(spec, getattr(line, name), unit, sizes) for name, spec in specs.items()}
    return type(line).model_validate(line.model_dump() | values)


def _proposals(text: str, document: SheetDocument) -> list[Proposal]:
    """Return proposals for what was typed, plain numbers as mm; see `propose`."""
    text = _GROWN.sub(_grown, text)
    text = _SCALED_TO.sub(lambda found: f"{found[1]}by {float(found[2]) / 100:g}", text)
    text = _PERCENT.sub(lambda found: f"{float(found[1]) / 100:g}", text)
    if not text.strip():
        return [proposal_of(verb, text, document) for verb in VERBS]
    hole = drilled(text, document)
    if hole is not None and not hole.missed:
        return [hole, *_ranked(text, document)]
    return _ranked(text, document)


def _ranked(text: str, document: SheetDocument) -> list[Proposal]:
    """Return proposals of single verbs, the likeliest first."""
    drawn = re.match(r"\s*draw\b", text, re.IGNORECASE) is not None
    text = side_taken_off(_without_making(plainly_said(text, document), document))
    plain = without_opening(text)
    if plain != text:
        hollow = _ranked(plain, document)
        if hollow and hollow[0].verb == "thicken":
            return [opened_first(hollow[0], text, document), *hollow[1:]]
    asked = _Asked(text.lower(), telling_words(text.lower()), tuple(size_dimensions(document)))
    scored = sorted((-_score(verb, text, asked, document), order, verb) for order, verb in enumerate(VERBS))
    found = [proposal_of(verb, text, document) for score, _, verb in scored if score < 0]
    worth = {verb: -score for score, _, verb in scored}
    # Of verbs that the words may mean, the one that understands more of them is meant.
    items = {word for name in document.item_names().values() for word in telling_words(name.lower())}
    unlike = {one.verb: VERB_MISSED for one in found if drawn and VERBS[one.verb].chapter not in MADE}
    found[:LIKELY] = sorted(
        found[:LIKELY],
        key=lambda one: _cost(one, asked, items, document) + unlike.get(one.verb, 0.0) - worth[one.verb],
    )
    found = _partly(_set_down(found, text, document), text, asked, document)
    found[:1] = [meshed_first(one, text, document) for one in found[:1]]
    if found and found[0].verb == "delete" and not found[0].before and not getattr(found[0].line, MARKS):
        found[0] = replace(found[0], note=WHOLE_DELETED)
    if found and found[0].verb == "unite" and asked.words[0] in JOINS:
        found[0] = replace(found[0], note=UNITED)
    near = trade_word(asked.words) if not any(asked.begins_with(verb) for verb in VERBS) else None
    if near is None:
        return found
    first = replace(proposal_of(near.verb, text, document), note=near.note)
    costs = [_cost(one, asked, items, document) for one in (first, *found[:1])]
    if near.verb != "remark" and found and found[0].line.references() and costs[0] > TAKES_NOTHING + costs[1]:
        return found  # what the trade's word usually means takes nothing of what is named
    return [first, *(proposal for proposal in found if proposal.verb != near.verb)]


def _set_down(found: list[Proposal], text: str, document: SheetDocument) -> list[Proposal]:
    """Return proposals with Set down first where `stand knob on the top of crate` names one thing to stand on another, which
    Stand, that takes marks, does not understand.
    """
    if not found or found[0].verb != "stand" or _COPIES.search(text):
        return found
    if "curve" in found[0].said or ("marks" in found[0].said and not found[0].before):
        return found
    first = proposal_of("set_down", text, document)
    understood = not first.missed and {"item", "body"} <= set(first.said)
    return [first, *(one for one in found if one.verb != "set_down")] if understood else found


def _partly(found: list[Proposal], text: str, asked: _Asked, document: SheetDocument) -> list[Proposal]:
    """Return proposals with the verb of marks first where the likeliest is one of whole items, and the text tells a part of
    a mesh: `move the top of crate up by 5 mm`.
    """
    verb = PARTLY.get(found[0].verb, "") if found else ""
    if found and found[0].missed and asked.words[0] in PARTLY:
        # `turn lip by 30°`, where lip is a mark: what takes marks understands all of it.
        of_marks = proposal_of(PARTLY[asked.words[0]], text, document)
        named = {document.item_name(mark).lower() for mark in getattr(of_marks.line, MARKS) if document.has(mark)}
        if not of_marks.missed and any(name in asked.lower for name in named):
            return [of_marks, *(proposal for proposal in found if proposal.verb != of_marks.verb)]
    if not verb or said_mark(VERBS[verb], text, document, asked.sizes) is None:
        return found
    items = {item for item in found[0].line.references().values() if document.has(item)}
    meant = {document.kinds().get(item) for name in found[0].said for item in _items_of(found[0].line, name) & items}
    first = proposal_of(verb, text, document)
    if not first.line.references() or (meant and meant != {"mesh"}):
        return found
    return [first, *(proposal for proposal in found if proposal.verb != verb)]


def _items_of(line: Line, name: str) -> set[str]:
    """Return the items that a field refers to."""
    value = getattr(line, name)
    return {str(one) for one in value} if isinstance(value, list) else {str(value)}


def _cost(proposal: Proposal, asked: _Asked, items: set[str], document: SheetDocument) -> float:
    """Return what it costs a verb that it does not understand some words: more for the first, and for those of items that
    it does not take.
    """
    names = {document.item_name(item).lower() for item in proposal.line.references().values() if document.has(item)}
    taken = {word for name in names for word in telling_words(name)}
    first = asked.words[0] if asked.words else ""

    def cost(word: str) -> float:
        if word in items:
            return 0.0 if word in taken else ITEM_MISSED
        if word[:1].isdigit() or word[:1] == "-":
            return NUMBER_MISSED
        return VERB_MISSED if word == first else MISSED

    return sum(cost(word) for word in proposal.missed)


@dataclass(frozen=True)
class _Asked:
    """A text in small letters, its telling words, and the names of sizes that it may use."""

    lower: str
    words: list[str]
    sizes: tuple[str, ...]

    def begins_with(self, name: str) -> bool:
        """Return whether the text begins with a name."""
        own = telling_words(name.replace("_", " "))
        return bool(own) and self.words[: len(own)] == own


def _score(verb: str, text: str, asked: _Asked, document: SheetDocument) -> float:
    """Return how well a verb matches the words."""
    if SIZE_TEXT.match(text):
        return 10.0 if verb == "size" else 0.0
    cls = VERBS[verb]
    known = [(verb.replace("_", " "), NAME), *((other, OTHER) for other in cls.words)]
    singles = [_word_score(word, known, cls.summary) * (1 - 0.2 * place) for place, word in enumerate(asked.words[:PLACES])]
    best = max(singles, default=0.0)
    score = max(best + LATER * (sum(singles) - best), _several_score(asked.words, known))
    longer = any(
        other.startswith(f"{verb}_") and asked.lower.lstrip().startswith(other.replace("_", " ")) for other in VERBS
    )
    called = not longer and any(asked.begins_with(name) for name, worth in known if worth == NAME or " " in name)
    found = [match for phrase in cls.phrases if phrase.finds and (match := phrase.find(asked.lower, asked.sizes))]
    if found:
        first = not telling_words(asked.lower[: min(match.start() for match in found)])
        other = _named_before(asked, verb, min(match.start() for match in found), document)
        meant = called or first or not (other or any(asked.begins_with(name) for name in VERBS))
        score += SAID if meant else BESIDE * SAID
        score += WHOLE if first and max(len(match[0]) for match in found) > MOST_OF * len(text) else 0.0
    score += CALLED if called else 0.0
    return _at_hand(score, cls, document) if score > 0 else 0.0


def _named_before(asked: _Asked, verb: str, place: int, document: SheetDocument) -> bool:
    """Return whether another verb is named by its own word before a place, as in `rounded rectangle 60 by 40`."""
    items = {word for name in document.item_names().values() for word in telling_words(name.lower())}
    spoken = set(telling_words(asked.lower[:place])) - items
    return verb not in spoken and any(other in spoken for other in VERBS)


def _word_score(word: str, known: list[tuple[str, float]], summary: str) -> float:
    """Return what a word says for a verb: the beginning of one of its names, or a longer word of its summary."""
    best = 0.0
    for name, worth in known:
        if name.startswith(word) or any(part.startswith(word) or alike(part, word) for part in name.split()):
            best = max(best, worth * (0.5 + 0.5 * min(1.0, len(word) / len(name))))
    return max(best, 1.0) if len(word) > 3 and word in summary.lower() else best


def _several_score(words: list[str], known: list[tuple[str, float]]) -> float:
    """Return what it says that a name of several words stands in the text."""
    best = 0.0
    for name, _ in known:
        own = telling_words(name.replace("_", " "))
        for start in range(len(words) - len(own) + 1 if len(own) > 1 else 0):
            if all(alike(word, other) for word, other in zip(words[start:], own, strict=False)):
                best = max(best, SEVERAL * (1 - 0.05 * start))
    return best


def _at_hand(score: float, cls: type[Line], document: SheetDocument) -> float:
    """Return a score that is lower where the verb has nothing to work on, higher where it works on what was made last."""
    needs = next((spec.kinds for spec in cls.specs().values() if isinstance(spec, ReferenceSpec)), None)
    made = list(document.kinds().values())
    if needs is None:
        return score
    if not any(kind in needs for kind in made):
        return score * AMISS
    last = next(kind for kind in reversed(made) if kind != "mark") if any(kind != "mark" for kind in made) else "mark"
    return score + (AT_HAND if last in needs else 0.0)
