"""A mesh as lines give it: the mesh, what it stands for, and what is known of the making of its faces."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Literal

import numpy as np

from glass_spoon.kernel.arrays import AnyInts, Floats, Ints, owned
from glass_spoon.kernel.curves.alter.frame import Frame
from glass_spoon.kernel.curves.alter.place_curve import Placement
from glass_spoon.kernel.deform.refit import deform_set, deform_surface
from glass_spoon.kernel.deform.space_map import Faded, SpaceMap
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.repeat.place_mesh import place_mesh
from glass_spoon.kernel.surfaces.alter.edit_surface import place_surface
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet, place_set
from glass_spoon.sheet.pose import Pose

MOST_FOLLOWED = 60
"""Most surfaces that a mesh stands for and that are shaped with it."""

FACE_LIMIT = 4_000_000
"""Most faces that one line may make; above it a line refuses before it takes memory."""


@dataclass(frozen=True)
class Piece:
    """Faces of a mesh that came from one surface, or one group of a file.

    made_by: ids of the items that they were made of and by, the nearest first. name, color: as a file had them, "" and None
    where it had none; linear red, green, blue. key: what tells it from all others, whatever its number is now; "" where not
    known.
    """

    made_by: tuple[str, ...] = ()
    name: str = ""
    color: tuple[float, float, float] | None = None
    key: str = ""

    def colour(self, colours: Mapping[str, str]) -> tuple[float, float, float] | str:
        """Return the colour of a file, else that of the first item which `colours` gives one; "" for none."""
        return self.color or next((colours[one] for one in self.made_by if one in colours), "")


@dataclass(frozen=True)
class Maker:
    """What made faces or edges of its own: the id of a line, and the role that they have in its work ("strip", "loop")."""

    line: str
    role: str = ""


@dataclass(frozen=True, eq=False)
class Aim:
    """Where the value of a line begins in its work: a place (3,) in mm, the unit way (3,) it goes, and how many mm one of it
    is.
    """

    place: Floats
    way: Floats
    size: float = 1.0


@dataclass(frozen=True, eq=False)
class Done:
    """The elements (k,) of one kind that the making of a mesh worked on, to be shown. aim: where its value is drawn."""

    kind: Literal["face", "edge", "point"]
    elements: AnyInts
    aim: Aim | None = None


@dataclass(frozen=True, eq=False)
class MeshItem:
    """A mesh, and the surface or the set it stands for where there is one.

    notes: what is worth a look in its making, as sentences with a code. told: what its making did, "" for none. counts: of
    edges round and along, where it is a grid of one surface. pieces: by the numbers that faces carry as "piece". makers: of
    faces and edges, by the numbers, from 1, that these carry as "maker". done: what `told` speaks of. frame: its own origin
    and axes, where it was given some. pose: as of all items.
    """

    mesh: Mesh
    surface: NurbsSurface | SurfaceSet | None
    notes: tuple[Note, ...] = ()
    told: str = ""
    counts: tuple[int, int] | None = None
    pieces: tuple[Piece, ...] = ()
    makers: tuple[Maker, ...] = ()
    done: Done | None = None
    frame: Frame | None = None
    pose: Pose | None = None
    kind: str = field(default="mesh", init=False)

    def group_names(self, names: Mapping[str, str]) -> tuple[str, ...]:
        """Return a name for each piece: that of a file, else that of the first item which `names` knows."""
        return tuple(
            piece.name or next((names[one] for one in piece.made_by if names.get(one)), "") for piece in self.every_piece
        )

    def maker_numbers(self, line: str, role: str = "") -> Ints:
        """Return the numbers (k,) that faces and edges carry which a line made, of one role or ("") of any."""
        found = [k for k, maker in enumerate(self.makers, 1) if maker.line == line and role in ("", maker.role)]
        return np.array(found, dtype=np.int64)

    @property
    def every_piece(self) -> tuple[Piece, ...]:
        """The pieces, one for each number that faces carry: those beyond what is known belong to all makers."""
        numbers = self.mesh.faces.get("piece")
        count = max(1, int(numbers.max(initial=0)) + 1 if numbers is not None else 1, len(self.pieces))
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


def placed_mesh(item: MeshItem, placement: Placement) -> MeshItem:
    """Return a mesh placed; a mirrored one faces as before, and its surface runs the other way round."""
    mesh = place_mesh(item.mesh, placement)
    if "uv" in mesh.corners and item.surface is not None and float(np.linalg.det(placement.matrix)) < 0:
        u, v = mesh.corners["uv"].T
        mesh = replace(mesh, corners={**mesh.corners, "uv": np.column_stack((1 - u, v))})
    surface = _placed(item.surface, placement)
    frame = None if item.frame is None else item.frame.placed(placement)
    return replace(item, mesh=mesh, surface=surface, notes=(), told="", done=None, frame=frame)


def shaped_mesh(item: MeshItem, of: SpaceMap, tolerance: float) -> MeshItem:
    """Return a mesh under a map of space; it stands for its surface where that can be followed within some mm."""
    mesh = item.mesh.moved(owned(of.apply(item.mesh.positions)))
    try:
        surface = _shaped(item.surface, of, tolerance)
    except KernelError:
        surface = None
    frame = None if item.frame is None else Frame(of.apply(item.frame.origin[None])[0], item.frame.axes)
    return replace(item, mesh=mesh, surface=surface, notes=(), told="", done=None, frame=frame)


def _shaped(surface: NurbsSurface | SurfaceSet | None, of: SpaceMap, tolerance: float) -> NurbsSurface | SurfaceSet | None:
    """Return what a mesh stands for under a map."""
    if surface is None or isinstance(of, Faded):
        return None
    if isinstance(surface, SurfaceSet) and len(surface.surfaces) > MOST_FOLLOWED:
        return None
    if isinstance(surface, NurbsSurface):
        return deform_surface(surface, of, tolerance).surface
    return deform_set(surface, of, tolerance).shape


def _placed(surface: NurbsSurface | SurfaceSet | None, placement: Placement) -> NurbsSurface | SurfaceSet | None:
    """Return what a mesh stands for, placed."""
    if surface is None:
        return None
    return place_surface(surface, placement) if isinstance(surface, NurbsSurface) else place_set(surface, placement)
