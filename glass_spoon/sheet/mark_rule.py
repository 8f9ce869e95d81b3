"""What finds a mark, as data: a frozen rule that is asked of a mesh as it is now, written to JSON, and compared.

A rule never remembers a number that another mesh may give to something else: pieces and makers are named by what made
them, and looked up on the mesh that is asked.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np

from glass_spoon.kernel.arrays import Floats, Ints
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.meshes import marked
from glass_spoon.kernel.meshes.marked import Mark, Meeting, grow, meet
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.sheet.mesh_item import MeshItem
from glass_spoon.sheet.picks import Picks, found_picks

Plain = float | int | str | tuple[Any, ...]
"""Values of rules: numbers in mm and rad, texts, and tuples of these."""


OUTLINE = "outline"
"""The rule of the edges about what other rules find."""


@dataclass(frozen=True)
class MarkRule:
    """How a mark is found: what, with which values (pairs of name and value, by name), grown by rings of neighbours, and
    how it goes with other rules.
    """

    what: str
    values: tuple[tuple[str, Plain], ...] = ()
    grown: int = 0
    meeting: Meeting = "with"
    others: tuple[MarkRule, ...] = ()

    def ask(self, item: MeshItem) -> Mark:
        """Return what the rule finds on a mesh as it is now."""
        if self.what == OUTLINE:
            return grow(marked.mark_outline(item.mesh, [other.ask(item) for other in self.others]), self.grown)
        mark = grow(FINDERS[self.what](item, **dict(self.values)), self.grown)
        for other in self.others:
            mark = meet(mark, other.ask(item), self.meeting)
        return mark

    def to_data(self) -> dict[str, Any]:
        """Return the rule as JSON data. Inverse: rule_of_data."""
        return {
            "what": self.what,
            "values": {name: _listed(value) for name, value in self.values},
            "grown": self.grown,
            "meeting": self.meeting,
            "others": [other.to_data() for other in self.others],
        }


def make_rule(
    what: str,
    values: Mapping[str, Plain],
    grown: int = 0,
    meeting: Meeting = "with",
    others: tuple[MarkRule, ...] = (),
) -> MarkRule:
    """Return a rule; raises InvalidInput for one of no known kind."""
    if what not in FINDERS and what != OUTLINE:
        raise InvalidInput("What is marked", "one of " + ", ".join((*FINDERS, OUTLINE)), what)
    return MarkRule(what, tuple(sorted(values.items())), grown, meeting, others)


def rule_of_data(data: Mapping[str, Any]) -> MarkRule:
    """Return the rule that JSON data tell of."""
    values = {str(name): _tupled(value) for name, value in dict(data["values"]).items()}
    others = tuple(rule_of_data(other) for other in data["others"])
    return make_rule(str(data["what"]), values, int(data["grown"]), data["meeting"], others)


def _listed(value: Any) -> Any:
    """Return a value with lists in place of tuples."""
    return [_listed(part) for part in value] if isinstance(value, tuple) else value


def _tupled(value: Any) -> Any:
    """Return a value with tuples in place of lists."""
    return tuple(_tupled(part) for part in value) if isinstance(value, list | tuple) else value


def _place(place: tuple[float, ...]) -> Floats:
    return np.array(place, dtype=np.float64)


def _in_band(item: MeshItem, low: float, high: float) -> Mark:
    """Find faces with their middle between two heights."""
    return marked.mark_box(item.mesh, np.array([-np.inf, -np.inf, low]), np.array([np.inf, np.inf, high]))


def _nearest(kind: marked.MarkKind) -> Callable[..., Mark]:
    """Return what finds the element of a kind at each pick."""

    def find(item: MeshItem, picks: Picks) -> Mark:
        found = found_picks(item, kind, picks)
        return marked.make_mark(kind, item.mesh, found[found >= 0])

    return find


def _path(item: MeshItem, picks: Picks) -> Mark:
    """Find the shortest way over edges through the points at picks."""
    found = found_picks(item, "point", picks)
    return marked.mark_path(item.mesh, item.mesh.positions[found[found >= 0]])


def _through(make: Callable[[Mesh, Floats], Mark]) -> Callable[..., Mark]:
    """Return what finds a loop, a ring or a strip through a place, or through the edge at a pick."""

    def find(item: MeshItem, place: tuple[float, ...] = (), picks: Picks = ()) -> Mark:
        if not picks:
            return make(item.mesh, _place(place))
        found = found_picks(item, "edge", picks[:1])
        if found[0] < 0:
            return marked.make_mark("edge" if make is not marked.mark_strip else "face", item.mesh, found[:0])
        return make(item.mesh, marked.element_middles(item.mesh, "edge")[found[0]])

    return find


def _of_pieces(item: MeshItem, keys: tuple[str, ...], numbers: tuple[int, ...]) -> Mark:
    """Find the faces of pieces by their keys, copies of these too; by number, from 0, where the mesh knew no keys."""
    known = [piece.key for piece in item.every_piece]
    found = [k for k, key in enumerate(known) if any(key == own or key.startswith(f"{own}.") for own in keys)]
    found = found if keys else list(numbers)
    return marked.mark_pieces(item.mesh, np.array(found, dtype=np.int64))


def _named(item: MeshItem, names: tuple[str, ...]) -> Mark:
    """Find the faces of the groups with one of some names, in lower case."""
    known = [piece.name.casefold() for piece in item.every_piece]
    return marked.mark_pieces(item.mesh, np.flatnonzero(np.isin(known, names)))


def _faces_made(item: MeshItem, maker: str, role: str = "") -> Mark:
    """Find the faces that a line made, of one role or ("") of any; without a role also those made of an item."""
    own = [] if role else [k for k, piece in enumerate(item.every_piece) if maker in piece.made_by]
    return marked.mark_made(item.mesh, np.array(own, dtype=np.int64), item.maker_numbers(maker, role))


def _edges_made(item: MeshItem, maker: str, role: str = "") -> Mark:
    """Find the edges that a line made, of one role or ("") of any."""
    return marked.mark_made_edges(item.mesh, item.maker_numbers(maker, role))


def _colour_borders(item: MeshItem, colours: tuple[tuple[str, str], ...]) -> Mark:
    """Find the edges where faces of different colours meet; colours: pairs of an item and its colour."""
    shades = [piece.colour(dict(colours)) for piece in item.every_piece]
    numbers: Ints = np.array([shades.index(shade) for shade in shades], dtype=np.int64)
    return marked.mark_borders(item.mesh, numbers)


RUNNING: Mapping[str, tuple[tuple[float, float, float], bool]] = {
    "upright": ((0, 0, 1), False),
    "level": ((0, 0, 1), True),
    "from left to right": ((1, 0, 0), False),
    "from front to back": ((0, 1, 0), False),
}
"""Which way edges may run: a direction, and whether they run square to it."""

RUN = np.radians(30)
"""How far from such a way they may run (radians)."""


def _sharp(item: MeshItem, angle: float, running: str = "") -> Mark:
    """Find sharp edges, all or those that run some way."""
    found = marked.mark_sharper(item.mesh, angle)
    if not running:
        return found
    way, across = RUNNING[running]
    return marked.keep_running(item.mesh, found, _place(way), RUN, across=across)


FINDERS: Mapping[str, Callable[..., Mark]] = {
    "loop": _through(marked.mark_loop),
    "ring": _through(marked.mark_ring),
    "strip": _through(marked.mark_strip),
    "path": _path,
    "rim": lambda item: marked.mark_rim(item.mesh),
    "lowest rim": lambda item: marked.mark_end_rims(item.mesh, top=False),
    "highest rim": lambda item: marked.mark_end_rims(item.mesh, top=True),
    "sharp edges": _sharp,
    "corners": lambda item, angle: marked.mark_corners(item.mesh, angle),
    "creases": lambda item: marked.mark_creases(item.mesh),
    "borders": lambda item: marked.mark_borders(item.mesh),
    "borders of colours": _colour_borders,
    "faces facing": lambda item, way, angle: marked.mark_facing(item.mesh, _place(way), angle),
    "faces sideways": lambda item, angle: marked.mark_sideways(item.mesh, angle),
    "faces in a box": lambda item, low, high: marked.mark_box(item.mesh, _place(low), _place(high)),
    "faces in a band": _in_band,
    "edges of the surface": lambda item, side: marked.mark_surface_edges(item.mesh, side),
    "points in a box": lambda item, low, high: marked.mark_box(item.mesh, _place(low), _place(high), "point"),
    "edges in a box": lambda item, low, high: marked.mark_box(item.mesh, _place(low), _place(high), "edge"),
    "faces of pieces": _of_pieces,
    "faces named": _named,
    "faces made by": _faces_made,
    "edges made by": _edges_made,
    "edges at a height": lambda item, height, reach: marked.mark_level(item.mesh, height, reach),
    "single faces": _nearest("face"),
    "single edges": _nearest("edge"),
    "single points": _nearest("point"),
    "everything": lambda item: marked.mark_all(item.mesh),
}
"""What finds each kind of mark, by name: takes the mesh and the values of the rule."""
