"""What lines give: curves, surfaces and meshes with what is known of their making.

pose, of each: how it stands that was placed as a whole; None for what was not.
"""

from __future__ import annotations

from dataclasses import dataclass, field

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.meshes.marked import Mark
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet
from glass_spoon.kernel.trims.face import FaceSet
from glass_spoon.sheet.bodies_item import BodiesItem
from glass_spoon.sheet.mark_rule import MarkRule
from glass_spoon.sheet.mesh_item import Aim, Done, Maker, MeshItem, Note, Piece
from glass_spoon.sheet.pose import Pose

__all__ = [
    "Aim",
    "BodiesItem",
    "CurveItem",
    "CurvesItem",
    "Done",
    "Item",
    "Maker",
    "MarkItem",
    "MarkRule",
    "MeshItem",
    "Note",
    "Piece",
    "SurfaceItem",
    "SurfacesItem",
    "TrimmedItem",
    "as_mesh",
]


@dataclass(frozen=True, eq=False)
class CurveItem:
    """A curve; `kind` names it in references and sentences.

    notes: sentences on what is worth a look in its making. told: a sentence on what its making did, "" for none.
    """

    curve: NurbsCurve
    notes: tuple[str, ...] = ()
    told: str = ""
    pose: Pose | None = None
    kind: str = field(default="curve", init=False)


@dataclass(frozen=True, eq=False)
class CurvesItem:
    """Several curves that one line gives: a row, a ring, copies along another. told: what its making did, "" for none."""

    curves: tuple[NurbsCurve, ...]
    told: str = ""
    pose: Pose | None = None
    kind: str = field(default="curves", init=False)


@dataclass(frozen=True, eq=False)
class SurfaceItem:
    """A surface. notes: sentences on what is worth a look in its making. told: what its making did, "" for none."""

    surface: NurbsSurface
    notes: tuple[str, ...] = ()
    told: str = ""
    pose: Pose | None = None
    kind: str = field(default="surface", init=False)


@dataclass(frozen=True, eq=False)
class SurfacesItem:
    """Surfaces that meet along shared edges and are meshed as one piece.

    parts: for each surface the number of the item it came from, where the set was joined of several; sources: the id of that
    item. notes: sentences on what is worth a look in its making. names, colors: of each surface as a file had them, linear
    red, green, blue. told: what its making did, "" for none. regions: (k, 3) places in mm inside the regions of a net.
    """

    shape: SurfaceSet
    parts: tuple[int, ...] = ()
    notes: tuple[str, ...] = ()
    names: tuple[str, ...] = ()
    colors: tuple[tuple[float, float, float] | None, ...] = ()
    told: str = ""
    sources: tuple[str, ...] = ()
    pose: Pose | None = None
    regions: Floats | None = None
    kind: str = field(default="surfaces", init=False)


@dataclass(frozen=True, eq=False)
class TrimmedItem:
    """Faces: surfaces with boundary loops, that are meshed as one piece.

    names, colors: of each face as a file had them, linear red, green, blue. notes, told: as of surfaces.
    """

    shape: FaceSet
    notes: tuple[str, ...] = ()
    told: str = ""
    names: tuple[str, ...] = ()
    colors: tuple[tuple[float, float, float] | None, ...] = ()
    pose: Pose | None = None
    kind: str = field(default="trimmed", init=False)


@dataclass(frozen=True, eq=False)
class MarkItem:
    """A mark: the rule that finds it on any mesh, the mesh item that it was made on, and what it found there.

    lost: how many of its picks find nothing there now.
    """

    rule: MarkRule
    mesh_id: str
    mark: Mark
    told: str = ""
    lost: int = 0
    kind: str = field(default="mark", init=False)

    def on(self, item: MeshItem) -> Mark:
        """Return the mark on a mesh: as it was found, or found again where the mesh has other faces."""
        return self.mark if item.mesh.topology.key == self.mark.topology.key else self.rule.ask(item)


def as_mesh(item: object) -> MeshItem | None:
    """Return a mesh as it is and bodies written out, None for what is neither. Raises TooManyFaces."""
    return item.whole if isinstance(item, BodiesItem) else item if isinstance(item, MeshItem) else None


Item = CurveItem | CurvesItem | SurfaceItem | SurfacesItem | TrimmedItem | MeshItem | BodiesItem | MarkItem
