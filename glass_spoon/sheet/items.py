"""What lines give: curves, surfaces and meshes with what is known of their making."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Literal

from glass_spoon.kernel.arrays import AnyInts
from glass_spoon.kernel.curves.curve import NurbsCurve
from glass_spoon.kernel.meshes.marked import Mark
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.surfaces.surface import NurbsSurface
from glass_spoon.kernel.surfaces.surface_set import SurfaceSet


@dataclass(frozen=True, eq=False)
class CurveItem:
    """A curve; `kind` names it in references and sentences.

    notes: sentences on what is worth a look in its making. told: a sentence on what its making did, "" for none.
    """

    curve: NurbsCurve
    notes: tuple[str, ...] = ()
    told: str = ""
    kind: str = field(default="curve", init=False)


@dataclass(frozen=True, eq=False)
class CurvesItem:
    """Several curves that one line gives: a row, a ring, copies along another."""

    curves: tuple[NurbsCurve, ...]
    kind: str = field(default="curves", init=False)


@dataclass(frozen=True, eq=False)
class SurfaceItem:
    """A surface. notes: sentences on what is worth a look in its making. told: what its making did, "" for none."""

    surface: NurbsSurface
    notes: tuple[str, ...] = ()
    told: str = ""
    kind: str = field(default="surface", init=False)


@dataclass(frozen=True, eq=False)
class SurfacesItem:
    """Surfaces that meet along shared edges and are meshed as one piece.

    parts: for each surface the number of the item it came from, where the set was joined of several; sources: the id of that
    item. notes: sentences on what is worth a look in its making. names, colors: of each surface as a file had them, linear
    red, green, blue. told: what its making did, "" for none.
    """

    shape: SurfaceSet
    parts: tuple[int, ...] = ()
    notes: tuple[str, ...] = ()
    names: tuple[str, ...] = ()
    colors: tuple[tuple[float, float, float] | None, ...] = ()
    told: str = ""
    sources: tuple[str, ...] = ()
    kind: str = field(default="surfaces", init=False)


@dataclass(frozen=True)
class Piece:
    """Faces of a mesh that came from one surface, or one group of a file.

    made_by: ids of the items that they were made of and by, the nearest first. name, color: as a file had them, "" and None
    where it had none; linear red, green, blue.
    """

    made_by: tuple[str, ...] = ()
    name: str = ""
    color: tuple[float, float, float] | None = None

    def colour(self, colours: Mapping[str, str]) -> tuple[float, float, float] | str:
        """Return the colour of a file, else that of the first item which `colours` gives one; "" for none."""
        return self.color or next((colours[one] for one in self.made_by if one in colours), "")


@dataclass(frozen=True, eq=False)
class Done:
    """The elements (k,) of one kind that the making of a mesh worked on, to be shown."""

    kind: Literal["face", "edge", "point"]
    elements: AnyInts


@dataclass(frozen=True, eq=False)
class MeshItem:
    """A mesh, and the surface or the set it stands for where there is one.

    notes: what is worth a look in its making, as sentences with a code. told: what its making did, "" for none. counts: of
    edges round and along, where it is a grid of one surface. pieces: by the numbers that faces carry as "piece". makers: ids
    of the lines that made faces of their own, by the numbers, from 1, that faces carry as "maker".
    done: what `told` speaks of.
    """

    mesh: Mesh
    surface: NurbsSurface | SurfaceSet | None
    notes: tuple[Note, ...] = ()
    told: str = ""
    counts: tuple[int, int] | None = None
    pieces: tuple[Piece, ...] = ()
    makers: tuple[str, ...] = ()
    done: Done | None = None
    kind: str = field(default="mesh", init=False)

    def group_names(self, names: Mapping[str, str]) -> tuple[str, ...]:
        """Return a name for each piece: that of a file, else that of the first item which `names` knows."""
        return tuple(
            piece.name or next((names[one] for one in piece.made_by if names.get(one)), "") for piece in self.every_piece
        )

    @property
    def every_piece(self) -> tuple[Piece, ...]:
        """The pieces, one for each number that faces carry: those beyond what is known belong to all makers."""
        numbers = self.mesh.faces.get("piece")
        count = max(1, int(numbers.max(initial=0.0)) + 1 if numbers is not None else 1, len(self.pieces))
        common = [
            one for one in (self.pieces[0].made_by if self.pieces else ()) if all(one in p.made_by for p in self.pieces)
        ]
        return self.pieces + (Piece(tuple(common)),) * (count - len(self.pieces))


@dataclass(frozen=True)
class Note:
    """A sentence on the making of a mesh: its code, the elements it speaks of, and ways out as (label, field, value)."""

    code: str
    sentence: str
    ways_out: tuple[tuple[str, str, str], ...] = ()
    kind: Literal["face", "edge", "point"] = "face"
    offenders: tuple[int, ...] = ()


@dataclass(frozen=True, eq=False)
class MarkItem:
    """A mark: what finds it on any mesh, the mesh item that it was made on, and what it found there."""

    find: Callable[[Mesh], Mark]
    mesh_id: str
    mark: Mark
    told: str = ""
    kind: str = field(default="mark", init=False)

    def on(self, mesh: Mesh) -> Mark:
        """Return the mark on a mesh: as it was found, or found again where the mesh has other faces."""
        return self.mark if mesh.topology.key == self.mark.topology.key else self.find(mesh)


Item = CurveItem | CurvesItem | SurfaceItem | SurfacesItem | MeshItem | MarkItem
