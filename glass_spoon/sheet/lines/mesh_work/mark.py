"""Marks: named selections, kept as rules."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from glass_spoon.kernel.errors import InvalidInput, KernelError
from glass_spoon.kernel.meshes.marked import MarkKind, Meeting
from glass_spoon.sheet.fields import (
    ChoiceSpec,
    Column,
    ItemName,
    Items,
    MakerSpec,
    NameSpec,
    Number,
    NumberSpec,
    ReferenceSpec,
    ReferencesSpec,
    Rows,
    TableSpec,
    TextSpec,
)
from glass_spoon.sheet.items import Item, MarkItem, MeshItem
from glass_spoon.sheet.line import Finding, Given, Line
from glass_spoon.sheet.lines.form.fields import a_place
from glass_spoon.sheet.lines.mesh_work.fields import several
from glass_spoon.sheet.mark_rule import OUTLINE, RUNNING, Plain, make_rule
from glass_spoon.sheet.phrase import Phrase
from glass_spoon.sheet.picks import SIGN_COLUMNS, found_picks, known_piece

What = Literal[
    "loop",
    "ring",
    "strip",
    "path",
    "outline",
    "rim",
    "lowest rim",
    "highest rim",
    "sharp edges",
    "corners",
    "creases",
    "borders",
    "borders of colours",
    "faces facing",
    "faces in a box",
    "faces in a band",
    "edges in a box",
    "points in a box",
    "edges of the surface",
    "faces of pieces",
    "faces named",
    "faces made by",
    "edges made by",
    "edges at a height",
    "single faces",
    "single edges",
    "single points",
    "everything",
]
MOST_NAMED = 12
"""Most names of groups that a sentence lists."""

PLACE = "nearest to {x}, {y}, {z}[, picked at {picks}]"
WORDINGS: dict[str, str] = {
    "loop": f"the {{what}} {PLACE}",
    "ring": f"the {{what}} {PLACE}",
    "strip": f"the {{what}} {PLACE}",
    "path": "the {what} through {picks}",
    "outline": "the {what} of {others}",
    "rim": "{what}",
    "lowest rim": "{what}",
    "highest rim": "{what}",
    "sharp edges": "{what} than {angle}[, running {running}]",
    "corners": "{what} than {angle}",
    "creases": "{what}",
    "borders": "{what}",
    "borders of colours": "{what}",
    "faces facing": "{what} {towards} within {angle}",
    "faces in a box": "{what} from {x}, {y}, {z} to {x_to}, {y_to}, {z_to}",
    "faces in a band": "{what} from {low} to {high} up",
    "edges in a box": "{what} from {x}, {y}, {z} to {x_to}, {y_to}, {z_to}",
    "points in a box": "{what} from {x}, {y}, {z} to {x_to}, {y_to}, {z_to}",
    "edges of the surface": "{what} {side}",
    "faces of pieces": "{what} {pieces}",
    "faces named": "{what} {named}",
    "faces made by": "{what} {maker}, {role}",
    "edges made by": "{what} {maker}, {role}",
    "edges at a height": "{what} of {low}, within {reach}",
    "single faces": "{what}, {picks}",
    "single edges": "{what}, {picks}",
    "single points": "{what}, {picks}",
    "everything": "{what}",
}
WAYS = {
    "up": (0, 0, 1),
    "down": (0, 0, -1),
    "forwards": (0, -1, 0),
    "backwards": (0, 1, 0),
    "left": (-1, 0, 0),
    "right": (1, 0, 0),
    "sideways": (0, 0, 0),
}
"""Directions in space; forwards is towards the one who looks at the front view."""

SINGLE: dict[str, MarkKind] = {"single faces": "face", "single edges": "edge", "single points": "point"}
PICK_COLUMNS = (
    Column("x", "left-right", "length"),
    Column("y", "front-back", "length"),
    Column("z", "up", "length"),
    *SIGN_COLUMNS,
)
_PICKED: dict[str, MarkKind] = {**SINGLE, "path": "point", "loop": "edge", "ring": "edge", "strip": "edge"}
"""What is found at the picks of rules that may have some."""
_THROUGH = ("loop", "ring", "strip")


_BAND = {"what": "faces in a band"}


_ROLES = {
    "all": "all of them",
    "strip": "strips",
    "loop": "loops",
    "pair": "pairs",
    "outer": "outer skin",
    "inner": "inner skin",
    "rim": "rim",
    "band": "band",
    "seam": "seam",
    "round": "round",
    "cap": "cap",
    "top": "tops",
    "side": "sides",
    "corner": "corners",
    "part": "parts",
    "turned": "turned edges",
    "beside": "faces beside",
}
"""What things are to the line that made them, and how that is said."""


class MarkLine(Line):
    """A named selection of points, edges or faces of a mesh."""

    chapter = "Mesh"
    summary = "Mark points, edges or faces of a mesh by a rule, under a name that later lines use."
    words = (
        "select",
        "selection",
        "pick",
        "name",
        "loop",
        "ring",
        "rim",
        "tag",
        "choose",
        "lasso",
        "box",
        "group",
        "colour",
        "boundary",
    )
    phrases = (
        Phrase(r"faces? (?:in (?:the|a) )?band(?: of height)?(?: from)? {low} (?:to|and|-) {high}(?: up)?", _BAND),
        Phrase(r"band(?: of heights?)?(?: from| between)? {low} (?:to|and|-) {high}", _BAND),
        Phrase(r"faces? between {low} and {high}", _BAND),
        Phrase(
            r"(?:the )?(?:edges of (?:the )?surface|surface edges?|edges? of the sides?)", {"what": "edges of the surface"}
        ),
        Phrase(
            r"(?:loop|edges?|ring) at (?:the |a )?height(?: of)? {low}(?:,? within {reach})?", {"what": "edges at a height"}
        ),
        Phrase(r"edges? sharper than {angle}", {"what": "sharp edges"}),
        Phrase(r"(?:upright|vertical) edges?", {"what": "sharp edges", "running": "upright"}),
        Phrase(r"(?:level|horizontal) edges?", {"what": "sharp edges", "running": "level"}),
        Phrase(r"corners?(?: points?)?(?: sharper(?: than)?)?(?: {angle})?", {"what": "corners"}, finds=False),
        Phrase(r"faces? (?:facing|that look|looking|pointing)", {"what": "faces facing"}),
        Phrase(r"within (?=[\d.,]+ ?(?:°|deg)){angle}", finds=False),
        Phrase(r"\A(?:mark )?(?:the )?(?:open )?(?:boundary|open edges|rim)\Z", {"what": "rim"}),
        Phrase(r"(?:top|upper|highest) (?:open )?(?:rim|opening|mouth)", {"what": "highest rim"}, finds=False),
        Phrase(r"(?:bottom|lower|lowest) (?:open )?(?:rim|opening|mouth)", {"what": "lowest rim"}, finds=False),
        Phrase(r"(?:open )?(?:boundary|open edges|rim)", {"what": "rim"}, finds=False),
        Phrase(r"(?:faces?|strips?) made by(?: line \d+)?", {"what": "faces made by"}),
        Phrase(r"(?:edges?|loops?) made by(?: line \d+)?", {"what": "edges made by"}),
        Phrase(r"grown? (?:by )?{grown}", {}),
    )
    sentence = "**Mark** {gives} on {mesh}: the {what} nearest to {x}, {y}, {z}[, grown by {grown}][, {meeting} {others}]."
    gives_kind = "mark"

    verb: Literal["mark"] = "mark"
    mesh: Annotated[str, ReferenceSpec("The mesh to mark.", "mesh")] = ""
    what: Annotated[
        What,
        ChoiceSpec(
            "What is marked: the loop, ring or strip of faces through a place, edges by rule, faces by rule, the edges about "
            "other marks, or single picks.",
            tuple(WORDINGS),
            (
                "edge loop",
                "edge ring",
                "strip of faces",
                "path of edges",
                "outline",
                "the open rim",
                "the lowest rim",
                "the highest rim",
                "edges sharper",
                "corners sharper",
                "all creases",
                "borders of the pieces",
                "borders of the colours",
                "faces that look",
                "faces in the box",
                "faces in the band",
                "edges in the box",
                "points in the box",
                "edges of the surface",
                "faces of the pieces",
                "faces of the groups",
                "faces made by",
                "edges made by",
                "edges at the height",
                "picked faces",
                "picked edges",
                "picked points",
                "everything",
            ),
        ),
    ] = "loop"
    x: Annotated[Number, a_place("x", "The place, along left-right.")] = "0 mm"
    y: Annotated[Number, a_place("y", "The place, along front-back.")] = "0 mm"
    z: Annotated[Number, a_place("z", "The place, upwards.")] = "0 mm"
    x_to: Annotated[Number, NumberSpec("The other corner, along left-right.", "length", least=-1e6, most=1e6)] = "100 mm"
    y_to: Annotated[Number, NumberSpec("The other corner, along front-back.", "length", least=-1e6, most=1e6)] = "100 mm"
    z_to: Annotated[Number, NumberSpec("The other corner, upwards.", "length", least=-1e6, most=1e6)] = "100 mm"
    low: Annotated[Number, NumberSpec("Height in space.", "length", label="height", least=-1e6, most=1e6)] = "0 mm"
    high: Annotated[
        Number, NumberSpec("Height up to which faces are marked.", "length", label="upper height", least=-1e6, most=1e6)
    ] = "20 mm"
    reach: Annotated[Number, NumberSpec("How far from the height both ends may lie.", "length", least=0, most=1e6)] = (
        "0.5 mm"
    )
    angle: Annotated[Number, NumberSpec("The angle.", "angle", least=0, most=np.pi, step=5)] = "30°"
    running: Annotated[
        Literal["any way", "upright", "level", "from left to right", "from front to back"],
        ChoiceSpec("Which way the edges run, within 30°.", ("any way", *RUNNING)),
    ] = "any way"
    towards: Annotated[
        Literal["up", "down", "forwards", "backwards", "left", "right", "sideways"],
        ChoiceSpec("Which way the faces look; sideways are all that stand upright.", tuple(WAYS)),
    ] = "up"
    pieces: Annotated[
        Rows,
        TableSpec(
            "The pieces, counted from 1.", columns=(Column("piece", "piece", whole=True, least=1),), noun=("piece", "pieces")
        ),
    ] = []
    named: Annotated[
        str, Field(max_length=400), TextSpec("The names of the groups, as the file has them, with commas between.")
    ] = ""
    maker: Annotated[
        str, Field(max_length=40), MakerSpec("The surface that the faces stand for, the mesh they came with, or the line.")
    ] = ""
    side: Annotated[
        Literal["every", "start", "end", "first", "last"],
        ChoiceSpec(
            "Which side of the surface: start and end as it runs along, first and last as it runs round.",
            ("every", "start", "end", "first", "last"),
            ("on every side", "at its start", "at its end", "on its first side", "on its last side"),
        ),
    ] = "every"
    role: Annotated[
        Literal[
            "all",
            "strip",
            "loop",
            "pair",
            "outer",
            "inner",
            "rim",
            "band",
            "seam",
            "round",
            "cap",
            "top",
            "side",
            "corner",
            "part",
            "turned",
            "beside",
        ],
        ChoiceSpec(
            "Which of what the line made: all, or those of one role in its work.",
            tuple(_ROLES),
            tuple(_ROLES.values()),
        ),
    ] = "all"
    picks: Annotated[Rows, TableSpec("The places picked.", columns=PICK_COLUMNS, noun=("place", "places"))] = []
    grown: Annotated[
        Number,
        NumberSpec(
            "Rings of neighbours to take in; below 0 to leave out.",
            label="rings to grow by",
            least=-100,
            most=100,
            whole=True,
        ),
    ] = 0
    meeting: Annotated[
        Literal["alone", "with", "without", "within"],
        ChoiceSpec(
            "How it goes with other marks: by itself, joined, the others taken away, or only what all hold.",
            ("alone", "with", "without", "within"),
        ),
    ] = "alone"
    others: Annotated[Items, ReferencesSpec("Other marks.", "mark", least=1)] = []
    gives: Annotated[ItemName, NameSpec("Name of the mark.")] = "mark"

    def sentence_now(self) -> str:
        """Show what the rule uses."""
        if self.what == OUTLINE:
            return f"**Mark** {{gives}} on {{mesh}}: {WORDINGS[self.what]}[, grown by {{grown}}]."
        ending = "[, {meeting}]." if self.meeting == "alone" else "[, {meeting} {others}]."
        return f"**Mark** {{gives}} on {{mesh}}: {WORDINGS[self.what]}[, grown by {{grown}}]{ending}"

    def deciding_fields(self) -> list[str]:
        """Leave out the fields that the rule does not use."""
        now = set(self.used_fields())
        return [name for name in super().deciding_fields() if name in now]

    @property
    def sees_colours(self) -> bool:
        """Colours decide where colours meet."""
        return self.what == "borders of colours"

    def build(self, given: Given) -> MarkItem:
        """Make the rule, and ask it of the mesh."""
        item = given.mesh("mesh")
        outline = self.what == OUTLINE
        asks = outline or self.meeting != "alone"
        others = tuple(other.rule for other in given.marks("others")) if asks else ()
        how: Meeting = "with" if self.meeting == "alone" or outline else self.meeting
        sideways = self.what == "faces facing" and self.towards == "sideways"
        rule = make_rule(
            "faces sideways" if sideways else self.what, self._values(given, item), given.count("grown"), how, others
        )
        mark = rule.ask(item)
        lost = self._lost(given, item)
        return MarkItem(rule, self.mesh, mark, f"{several(len(mark), mark.kind)} marked.", lost)

    def _lost(self, given: Given, item: MeshItem) -> int:
        """Count the picks that find nothing now."""
        kind = _PICKED.get(self.what)
        if kind is None or (self.what in _THROUGH and not self._is_picked(given)):
            return 0
        return int((found_picks(item, kind, _picks(given, item)) < 0).sum())

    def inspect(self, item: Item) -> list[Finding]:
        """Say so when nothing is found."""
        if isinstance(item, MarkItem) and not len(item.mark):
            return [
                Finding("empty_mark", "look", "This mark finds nothing on the mesh. Change its rule, or pick another place.")
            ]
        if isinstance(item, MarkItem) and item.lost:
            which = "One pick finds" if item.lost == 1 else f"{item.lost} picks find"
            return [
                Finding(
                    "lost_picks",
                    "look",
                    f"{which} nothing on the mesh as it is now: lines above took away what lay there. Mark again by hand (M), "
                    "or take the place out of the table.",
                )
            ]
        return []

    def _is_picked(self, given: Given) -> bool:
        """Say whether a loop, ring or strip is the one that was picked: its place was not typed anew since."""
        if self.what not in _THROUGH or not given.values.get("picks"):
            return False
        return bool(np.allclose(given.values["picks"][0][:3], _place(given, ""), rtol=1e-9, atol=0))

    def _values(self, given: Given, item: MeshItem) -> dict[str, Plain]:
        """Return the values of the rule, pieces and makers by name; `item`: the mesh as it is now."""
        what = self.what
        if what in SINGLE or what == "path" or self._is_picked(given):
            return {"picks": _picks(given, item)}
        if what in _THROUGH:
            return {"place": _place(given, "")}
        if what in ("sharp edges", "corners", "faces facing"):
            angle: dict[str, Plain] = {"angle": given.number("angle")}
            if what == "sharp edges":
                return angle | ({"running": self.running} if self.running != "any way" else {})
            return angle | ({"way": WAYS[self.towards]} if what == "faces facing" and self.towards != "sideways" else {})
        if what in ("faces in a box", "edges in a box", "points in a box"):
            return {"low": _place(given, ""), "high": _place(given, "_to")}
        if what == "faces in a band":
            low, high = sorted((given.number("low"), given.number("high")))
            return {"low": low, "high": high}
        if what == "edges of the surface":
            return {"side": self.side}
        if what == "edges at a height":
            return {"height": given.number("low"), "reach": given.number("reach")}
        return self._making(given, item)

    def _making(self, given: Given, item: MeshItem) -> dict[str, Plain]:
        """Return the values of rules that tell elements by what made them, and of those that need none."""
        if self.what == "faces of pieces":
            numbers = tuple(int(row[0]) - 1 for row in given.values["pieces"])
            if not numbers:
                raise InvalidInput("The pieces", "one or more", "none")
            known = item.every_piece
            keys = tuple(known[number].key for number in numbers if number < len(known))
            return {"keys": keys if all(keys) else (), "numbers": numbers}
        if self.what == "borders of colours":
            return {"colours": tuple(sorted(given.colours.items()))}
        if self.what == "faces named":
            return {"names": tuple(_names(self.named, [piece.name.casefold() for piece in item.every_piece]))}
        if self.what in ("faces made by", "edges made by"):
            if not self.maker:
                raise KernelError("Pick the surface, the mesh or the line that made them.")
            return {"maker": self.maker, "role": "" if self.role == "all" else self.role}
        return {}


def _names(text: str, known: list[str]) -> list[str]:
    """Return the names in a text, in lower case; raises KernelError for one that no group has, with those there are."""
    whole = text.strip().casefold()
    wanted = [whole] if whole in known else [part.strip() for part in whole.split(",") if part.strip()]
    there = sorted({name for name in known if name})
    if not there:
        raise KernelError("No group of this mesh has a name. Mark faces of pieces by their number.")
    missing = [name for name in wanted if name not in there] or ([] if wanted else ["(none)"])
    if missing:
        few = ", ".join(there[:MOST_NAMED]) + (" …" if len(there) > MOST_NAMED else "")
        raise KernelError(f"There is no group {missing[0]}. There are: {few}.")
    return wanted


def _picks(given: Given, item: MeshItem) -> tuple[tuple[Plain, ...], ...]:
    """Return the picks: places in mm, and the signs of those that have one, pieces by their keys."""
    return tuple(
        (*row[:5], known_piece(item, row[5])) if None not in row[3:] else tuple(row[:3]) for row in given.values["picks"]
    )


def _place(given: Given, ending: str) -> tuple[float, ...]:
    """Return a place in mm from three fields."""
    return tuple(given.number(axis + ending) for axis in "xyz")
