"""What lines give: curves, surfaces and meshes with what is known of their making."""

from __future__ import annotations

from dataclasses import dataclass, field

from glass_spoon.kernel.curves.curve import NurbsCurve
from glass_spoon.kernel.meshes.mesh import Mesh
from glass_spoon.kernel.surfaces.surface import NurbsSurface


@dataclass(frozen=True, eq=False)
class CurveItem:
    """A curve; `kind` names it in references and sentences."""

    curve: NurbsCurve
    kind: str = field(default="curve", init=False)


@dataclass(frozen=True, eq=False)
class SurfaceItem:
    """A surface."""

    surface: NurbsSurface
    kind: str = field(default="surface", init=False)


@dataclass(frozen=True, eq=False)
class MeshItem:
    """A mesh, and the surface it stands for where there is one."""

    mesh: Mesh
    surface: NurbsSurface | None
    kind: str = field(default="mesh", init=False)


Item = CurveItem | SurfaceItem | MeshItem
