"""Marks that a text names by what they hold and not by a name: "bevel the edges of crate", "pull out the top of crate".

They become mark lines before the line that is said, or the marks that find the same already.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, replace

from glass_spoon.kernel.meshes.marked import MarkKind
from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.edit import add_line, free_name, new_id
from glass_spoon.sheet.fields import ReferenceSpec, ReferencesSpec
from glass_spoon.sheet.line import Line
from glass_spoon.sheet.lines.mesh_work.mark import MarkLine
from glass_spoon.sheet.mark_rule import OUTLINE
from glass_spoon.sheet.phrase import Phrase

MARKS = "marks"
"""The field of the marks that a verb works on."""

_SHARP = {"what": "sharp edges"}
PARTLY = {"move": "nudge", "turn": "nudge", "rotate": "nudge", "scale": "nudge", "push": "nudge"}
"""Verbs of whole items, and words for them, and that which does the same to what is marked: `move the top of crate up`."""

_FACE: MarkKind = "face"
_EDGE: MarkKind = "edge"
_POINT: MarkKind = "point"
_ALL = r"(?:all |every |each )?(?:of )?(?:the |its )?"
_LOOKING = (
    ("up", r"top(?:most)?|upper(?:most)?", True),
    ("down", r"bottom|under(?:side| side)|lower(?:most)?", True),
    ("left", r"left(?: hand)?", False),
    ("right", r"right(?: hand)?", False),
    ("forwards", r"front", False),
    ("backwards", r"back|rear", False),
)
"""Which way faces look, the words for it, and whether these say so by themselves."""

_SIDES = {
    "up": "top",
    "down": "underside",
    "left": "left",
    "right": "right",
    "forwards": "front",
    "backwards": "back",
    "sideways": "sides",
}
"""How a mark of faces that look some way is called."""

_ANGLE = Phrase(r"sharper than {angle}|(?:over|above) (?=[\d.]+ ?(?:°|deg)){angle}")
"""From which angle on edges and corners are marked."""

_MOUTH = r"(?:rims?|openings?|mouth|holes?)"
_NOUN = r"(?:faces?|sides?|surface|end|part)"


_RUNNING = (
    ("upright", r"(?:sharp )?(?:upright|vertical|standing)", "upright"),
    ("level", r"(?:sharp )?(?:level|horizontal)", "level"),
)
"""Which way edges run, the words for it, and how a mark of them is called."""


@dataclass(frozen=True)
class _Told:
    """Words that tell what is marked: of which kind, how the mark is called, and the way that faces look beside it."""

    kind: MarkKind
    phrase: Phrase
    called: str
    side: str = ""


def _between(first: tuple[str, str, bool], second: tuple[str, str, bool]) -> _Told:
    """Return what tells the edges that faces of two ways share: `the edge between the top and the front`."""
    faces = [rf"(?:the |its )?(?:{words})(?: {_NOUN})?" for _, words, _ in (first, second)]
    pattern = rf"{_ALL}(?:sharp )?edges? (?:between|shared by|where) {faces[0]} (?:and|meets?) {faces[1]}(?: meet)?"
    called = f"{_SIDES[first[0]]} and {_SIDES[second[0]]}"
    return _Told(_EDGE, Phrase(pattern, _SHARP), called, f"{first[0]} {second[0]}")


def _known() -> tuple[_Told, ...]:
    """Return what words tell, the more definite first."""
    height = r"at (?:a |the )?height (?:of )?{low}"
    found: list[_Told] = [
        _Told(_EDGE, Phrase(rf"{_ALL}(?:edges?|loop|ring) {height}", {"what": "edges at a height"}), "loop"),
        _Told(
            _FACE,
            Phrase(
                rf"{_ALL}(?:faces?|band) (?:between|from) {{low}} (?:and|to) {{high}}(?: up)?", {"what": "faces in a band"}
            ),
            "band",
        ),
    ]
    for end, words in (("highest", r"top(?:most)?|upper(?:most)?|highest"), ("lowest", r"bottom|lower(?:most)?|lowest")):
        rim = rf"{_ALL}(?:(?:{words}) (?:open )?{_MOUTH}|{_MOUTH} at the (?:{words})(?: end)?)"
        found.append(_Told(_EDGE, Phrase(rim, {"what": f"{end} rim"}), f"{end} rim"))
    runs = tuple(({"what": "sharp edges", "running": running}, words, name) for running, words, name in _RUNNING)
    ways = (*_LOOKING, ("sideways", r"sides?|walls?", False))
    found += [_between(first, second) for first in ways for second in ways if first is not second]
    for way, words, _ in _LOOKING:
        side = {"what": "faces facing", "towards": way}
        for kind, noun, name, sets in (
            *((_EDGE, rf"(?:{running}) edges?", f"{name} edges", sets) for sets, running, name in runs),
            (_EDGE, r"(?:sharp )?edges?", "edges", _SHARP),
            (_EDGE, r"outline|borders?|rims?|edges? (?:a?round|about)", "outline", {"what": OUTLINE}),
            (_POINT, r"corners?|corner points?", "corners", {"what": "corners"}),
        ):
            pattern = rf"{_ALL}(?:(?:{words}) (?:{noun})|(?:{noun}) of (?:the |its )?(?:{words})(?: {_NOUN})?)"
            found.append(_Told(kind, Phrase(pattern, sets), f"{_SIDES[way]} {name}", way))
        facing = rf"faces? (?:that )?(?:look(?:ing)?|fac(?:e|ing)|pointing) (?:{way}(?:wards)?|{words})"
        found.append(_Told(_FACE, Phrase(rf"{_ALL}{facing}", side), _SIDES[way]))
        found.append(_Told(_FACE, Phrase(rf"{_ALL}(?:{words}) {_NOUN}", side), _SIDES[way]))
        found.append(_Told(_FACE, Phrase(rf"(?:the|its) (?:{words})(?= of\b)", side), _SIDES[way]))
    upright = {"what": "faces facing", "towards": "sideways"}
    walls = rf"{_ALL}side (?:faces?|walls?)|{_ALL}(?:sides?|walls?)(?= of\b)|(?:all |the |its )(?:sides|walls)"
    found += [
        _Told(_FACE, Phrase(walls, upright), _SIDES["sideways"]),
        _Told(_POINT, Phrase(rf"{_ALL}corners?(?: points?)?", {"what": "corners"}), "corners"),
        _Told(_EDGE, Phrase(rf"{_ALL}(?:open (?:rims?|edges?|borders?)|rims?|boundary)", {"what": "rim"}), "rim"),
        _Told(_EDGE, Phrase(rf"{_ALL}creases?", {"what": "creases"}), "creases"),
        *(_Told(_EDGE, Phrase(rf"{_ALL}(?:{words}) edges?", sets), f"{name} edges") for sets, words, name in runs),
        _Told(_EDGE, Phrase(rf"{_ALL}(?:sharp |hard )?edges?", _SHARP), "edges"),
        _Told(_FACE, Phrase(r"(?:all|every|(?<=each ))(?: of)?(?: the| its)? ?faces?", {"what": "everything"}), "faces"),
        _Told(_POINT, Phrase(r"(?:all|every|each)(?: of)?(?: the| its)? points?", {"what": "everything"}), "points"),
    ]
    # Alone these words say so only before an item or at the end: `the top of crate`, `pull out the top by 3 mm`.
    found += [
        _Told(_FACE, Phrase(rf"(?:the |its )?(?:{words})", {"what": "faces facing", "towards": way}), _SIDES[way])
        for way, words, alone in _LOOKING
        if alone
    ]
    return tuple(found)


_KNOWN = _known()

_ENDS = (
    _Told(_EDGE, Phrase(rf"{_ALL}(?:top|upper end|mouth)", {"what": "highest rim"}), "highest rim"),
    _Told(_EDGE, Phrase(rf"{_ALL}(?:bottom|foot|lower end|underside)", {"what": "lowest rim"}), "lowest rim"),
    _Told(_EDGE, Phrase(rf"{_ALL}(?:open )?(?:holes?|openings?|gaps?)", {"what": "rim"}), "rim"),
)
"""What the ends of a mesh are to a verb that closes rims."""

_LISTED = tuple(
    _Told(_FACE, Phrase(rf"(?:the |its )?(?:{words})(?: {_NOUN})?", {"what": "faces facing", "towards": way}), _SIDES[way])
    for way, words, _ in _LOOKING
)
"""Which way faces look, in a list of such words."""

_AND = re.compile(r"\s*(?:,\s*(?:and\s+)?|\s(?:and|&)\s+)")
_OF_ITEM = re.compile(r"\s*of\s+(?:the\s+)?\x00")
"""What goes on with an item; names are masked."""
_AND_BEFORE = re.compile(_AND.pattern + r"\Z")
_LIFTED = r"(?:new|inner|inset|raised|sunk|lowered|lifted|pulled(?:-| )?(?:out)?)"
_IT = rf"(?:it|them|that|those|these|(?:the )?{_LIFTED} (?:faces?|part|panel|top))"
_OWN = r"(?:it|them|the (?:new|inner) faces)"
_EDGES = r"(?:rims?|edges?|borders?|outline|seams?)"
_ITS = rf"(?:(?:its|their|the new|the inner) {_EDGES}|the (?:rims?|edges?) of {_OWN}|the seams?)"
"""What the line before made, as words call it, and the edges about that."""


@dataclass(frozen=True)
class SaidMark:
    """What a text tells to be marked, and the text without these words; mesh: what it is of, "" where the text tells.

    of: the item that the text says it is of, where it must.
    more: what it tells besides, as the underside in `the top and the bottom`; ahead: how many of these come before it.
    """

    rest: str
    values: Mapping[str, str]
    called: str
    side: str
    mesh: str = ""
    of: str = ""
    more: tuple[SaidMark, ...] = ()
    ahead: int = 0

    def every_line(self, document: SheetDocument, mesh: str) -> tuple[list[str], tuple[MarkLine, ...]]:
        """Return the ids of all marks on a mesh, and the lines that are still to be added for them, first things first."""
        marks: list[str] = []
        added: tuple[MarkLine, ...] = ()
        for one in (*self.more[: self.ahead], self, *self.more[self.ahead :]):
            mark, before = one.lines(document, mesh)
            for line in before:
                document = add_line(document, line)
            marks.append(mark)
            added += before
        return list(dict.fromkeys(marks)), added

    def lines(self, document: SheetDocument, mesh: str) -> tuple[str, tuple[MarkLine, ...]]:
        """Return the id of the mark on a mesh, and the lines that are still to be added for it, first things first."""
        if not self.side:
            return _found_or_made(document, mesh, dict(self.values), self.called)
        within, before = self._looking().every_line(document, mesh)
        for line in before:
            document = add_line(document, line)
        mark, own = _found_or_made(document, mesh, self._of(within), self.called)
        return mark, (*before, *own)

    def _looking(self) -> SaidMark:
        """Return what tells the faces that look the ways of `side`."""
        first, *more = (SaidMark("", {"what": "faces facing", "towards": way}, _SIDES[way], "") for way in self.side.split())
        return replace(first, more=tuple(more))

    def _of(self, marks: list[str]) -> dict[str, object]:
        """Return the values of a mark that lies within others, or is their outline."""
        meeting = {} if self.values["what"] == OUTLINE else {"meeting": "within"}
        return {**self.values, **meeting, "others": marks}

    def on(self, line: MarkLine, document: SheetDocument) -> tuple[MarkLine, tuple[MarkLine, ...]]:
        """Return a mark line that marks this on its mesh, and the lines of marks that it needs before it."""
        values: dict[str, object] = dict(self.values)
        before: tuple[MarkLine, ...] = ()
        if self.side:
            within, before = self._looking().every_line(document, line.mesh)
            values = self._of(within)
        for one in before:
            document = add_line(document, one)
        if self.more and not self.side:
            besides = replace(self.more[0], more=self.more[1:])
            others, added = besides.every_line(document, line.mesh)
            for one in added:
                document = add_line(document, one)
            before += added
            values |= {"meeting": "with", "others": others}
        return line.model_copy(update={"id": new_id(document), **values}), before


def said_mark(verb: type[Line], text: str, document: SheetDocument, sizes: tuple[str, ...]) -> SaidMark | None:
    """Return what a text tells to be marked for a verb that takes marks, where it names none of the document's.

    A verb that does not need them takes what is told of an item alone: `twist the top of crate`, not `taper it to the top`.
    """
    spec = verb.specs().get(MARKS)
    if not isinstance(spec, ReferencesSpec) or spec.kinds != ("mark",):
        return None
    kinds = verb.acts_on or ((_EDGE,) if spec.least else (_FACE, _EDGE, _POINT))
    return _told_mark(verb, kinds, text, document, sizes, of_item=not spec.least)


def holder_of_marks(verb: type[Line]) -> str:
    """Return the field of a verb that says of which mesh its marks are."""
    return "mesh" if "mesh" in verb.specs() else "item"


def mark_of_words(text: str, document: SheetDocument, sizes: tuple[str, ...]) -> SaidMark | None:
    """Return what a text tells to be marked by a mark line itself: which way faces look, and edges and corners of these."""
    told = _told_mark(MarkLine, (_FACE, _EDGE, _POINT), text, document, sizes)
    return told if told is not None and (told.side or told.values["what"] == "faces facing") else None


def _told_mark(
    verb: type[Line],
    kinds: tuple[str, ...],
    text: str,
    document: SheetDocument,
    sizes: tuple[str, ...],
    *,
    of_item: bool = False,
) -> SaidMark | None:
    """Return what a text tells to be marked of some kinds, where it names none of the document's marks.

    of_item: only where it goes on with what that is of, as in `the top of crate`.
    """
    known = document.kinds()
    taken = {
        kind for spec in verb.specs().values() if isinstance(spec, ReferenceSpec | ReferencesSpec) for kind in spec.kinds
    }
    names = {item: name.lower() for item, name in document.item_names().items() if name and known.get(item) in taken}
    lower = text.lower()
    spans = {
        item: [at.span() for at in re.finditer(rf"(?<!\w){re.escape(name)}(?!\w)(?! of\b)", lower)]
        for item, name in names.items()
    }
    if any(spans[item] and known.get(item) == "mark" for item in spans):
        return None
    named = {item for item, own in spans.items() if own and known.get(item) == "mesh"}
    # Names are no words, and those of verbs tell what is done and not to what.
    hidden = [span for own in spans.values() for span in own]
    own_name = re.escape(str(verb.model_fields["verb"].default).replace("_", " "))
    hidden += [found.span() for found in [re.match(rf"\W*{own_name}(?!\w)", lower)] if found]
    masked = _without(lower, hidden)
    every = (*_ENDS, *_KNOWN) if verb.ends_are_rims else (*_made_last(document, named), *_KNOWN)
    of_faces = [
        _Told(_EDGE, replace(told.phrase, sets={"what": verb.faces_mean}), f"{told.called} {verb.faces_mean}", way)
        for told in every
        if verb.faces_mean and (way := told.phrase.sets.get("towards", "sideways")) != "sideways"
    ]
    every = tuple(told for told in (*every, *of_faces) if told.kind in kinds)
    for told in every:
        found = told.phrase.find(masked, sizes)
        if found is None or (of_item and not _OF_ITEM.match(masked, found.end())):
            continue
        if of_item and told.phrase.sets == _SHARP and not told.side:
            continue  # `wires along the edges of buoy` are along all of them
        listed = _LISTED if told.kind == _FACE else ()
        every = (*every, *listed)
        start, end = found.span()
        more: tuple[SaidMark, ...] = ()
        after: tuple[SaidMark, ...] = ()
        if not told.side or MARKS in verb.model_fields:  # one mark line holds what lies within faces of one way alone
            start, more = _told_ahead(every, masked, start, sizes)
            end, after = _told_behind(every, masked, end, sizes)
        rest = f"{text[:start]} {text[end:]}"
        values = told.phrase.values(found, lower)
        angle = _ANGLE.find(rest.lower(), sizes) if values["what"] in ("sharp edges", "corners") else None
        if angle is not None:
            values |= _ANGLE.values(angle, rest.lower())
            rest = f"{rest[: angle.start()]} {rest[angle.end() :]}"
        of = _item_after(masked, found.end(), spans) if of_item else ""
        return SaidMark(rest, values, told.called, told.side, values.pop("mesh", ""), of, (*more, *after), len(more))
    return None


def _item_after(masked: str, place: int, spans: Mapping[str, list[tuple[int, int]]]) -> str:
    """Return the item whose name stands behind `of` at a place of a text."""
    found = _OF_ITEM.match(masked, place)
    starts = found.end() - 1 if found else -1
    return next((item for item, own in spans.items() if any(start == starts for start, _ in own)), "")


def _told_behind(every: tuple[_Told, ...], text: str, end: int, sizes: tuple[str, ...]) -> tuple[int, tuple[SaidMark, ...]]:
    """Return where what a text tells to be marked ends, with what is joined to it by `and` or a comma, and this."""
    more: list[SaidMark] = []
    while joined := _AND.match(text, end):
        behind = _without(text, [(0, joined.end())])
        found = _first_told(every, behind, sizes, starts=joined.end())
        if found is None:
            break
        more.append(found[0])
        end = found[1].end()
    return end, tuple(more)


def _told_ahead(every: tuple[_Told, ...], text: str, start: int, sizes: tuple[str, ...]) -> tuple[int, tuple[SaidMark, ...]]:
    """Return where what a text tells to be marked starts, with what it is joined to by `and` or a comma, and this."""
    more: list[SaidMark] = []
    while joined := _AND_BEFORE.search(text[:start]):
        found = _first_told(every, text[: joined.start()], sizes, ends=joined.start())
        if found is None:
            break
        more.insert(0, found[0])
        start = found[1].start()
    return start, tuple(more)


def _first_told(
    every: tuple[_Told, ...], text: str, sizes: tuple[str, ...], *, starts: int = -1, ends: int = -1
) -> tuple[SaidMark, re.Match[str]] | None:
    """Return the first of what words tell whose words start, or end, at a place, and these words."""
    for told in every:
        found = told.phrase.find(text, sizes)
        if found is not None and (found.start() == starts or found.end() == ends):
            return SaidMark("", told.phrase.values(found, text), told.called, told.side), found
    return None


def _made_last(document: SheetDocument, named: set[str]) -> tuple[_Told, ...]:
    """Return what words as `it` and `its edges` mean: the faces that a line lifted last, their rims, and seams; nothing
    where meshes are named, and not the one of that line.
    """
    line = next((line for line in reversed(document.lines) if any(line.roles_after())), None)
    if line is None or (named and line.item_id not in named):
        return ()
    faces, edges = line.roles_after()
    number, made = document.number_of(line.id), {"maker": line.id, "mesh": line.item_id or ""}
    rims, called = {"what": "edges made by", "role": edges, **made}, f"{edges}s of line {number}"
    found = [_Told(_EDGE, Phrase(_ITS, rims), called)]
    if faces:
        tops = {"what": "faces made by", "role": faces, **made}
        found.append(_Told(_FACE, Phrase(_IT, tops), f"{faces}s of line {number}"))
    return (*found, _Told(_EDGE, Phrase(_IT, rims), called))


def mark_of_whole(verb: type[Line]) -> SaidMark | None:
    """Return what a verb means of a mesh that is said whole, `bevel crate by 2 mm` or `fill cup`; None for nothing."""
    return SaidMark("", {"what": verb.whole_means}, verb.whole_means.split()[-1], "") if verb.whole_means else None


def _without(text: str, spans: list[tuple[int, int]]) -> str:
    """Return a text as long, with other signs in place of some stretches."""
    for start, end in spans:
        text = text[:start] + "\x00" * (end - start) + text[end:]
    return text


def _found_or_made(
    document: SheetDocument, mesh: str, values: Mapping[str, object], called: str
) -> tuple[str, tuple[MarkLine, ...]]:
    """Return the mark of a mesh that has some values, and no line, or that of a new line, and this."""
    base = MarkLine.model_validate({"id": new_id(document), "verb": "mark", "mesh": mesh, **values})
    same = base.model_dump(exclude={"id", "gives"})
    for line in document.lines:
        if isinstance(line, MarkLine) and line.model_dump(exclude={"id", "gives"}) == same:
            return line.id, ()
    name = free_name(document, f"{document.item_name(mesh)} {called}"[-40:].strip())
    return base.id, (base.model_copy(update={"gives": name}),)
