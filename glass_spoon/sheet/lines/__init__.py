"""The verbs, one module or package a chapter. A new verb is one class here and one kernel function."""

from __future__ import annotations

import os
from functools import reduce
from importlib import import_module
from operator import or_
from typing import Any

from glass_spoon.sheet.line import CHAPTERS, Line
from glass_spoon.sheet.lines.detail.bevel import Bevel
from glass_spoon.sheet.lines.detail.bevel_points import BevelPoints
from glass_spoon.sheet.lines.detail.by_hand import Nudge
from glass_spoon.sheet.lines.detail.drag import Drag
from glass_spoon.sheet.lines.detail.flow import Collapse, Connect, Divide, Slide, TurnEdges
from glass_spoon.sheet.lines.detail.holes import Bridge, Delete, Fill, SplitOff
from glass_spoon.sheet.lines.detail.inset import Inset
from glass_spoon.sheet.lines.detail.loops import InsertLoops, RemoveLoops
from glass_spoon.sheet.lines.detail.panel import PanelLine
from glass_spoon.sheet.lines.detail.pull_out import PullOut
from glass_spoon.sheet.lines.detail.skirt import Skirt
from glass_spoon.sheet.lines.detail.true_up import TrueUp
from glass_spoon.sheet.lines.draw.alter_curves import (
    Chamfer,
    Offset,
    Refit,
    Respace,
    Reverse,
    Round,
)
from glass_spoon.sheet.lines.draw.alter_ends import Blend, Extend, Join, Split, Trim
from glass_spoon.sheet.lines.draw.letters import Write
from glass_spoon.sheet.lines.draw.line_and_arc import Arc, StraightLine
from glass_spoon.sheet.lines.draw.points import Draw, ImportCurve, ImportDxf
from glass_spoon.sheet.lines.draw.project import Flatten, Loop, Project, ShortestLine, Wires
from glass_spoon.sheet.lines.draw.shapes import (
    Circle,
    Conic,
    Ellipse,
    Polygon,
    Rectangle,
    Slot,
    Spiral,
    Star,
)
from glass_spoon.sheet.lines.draw.space_curves import Coil, Combine, Helix
from glass_spoon.sheet.lines.draw.woven import Braid, ChainLine, Weave
from glass_spoon.sheet.lines.finish import Smooth
from glass_spoon.sheet.lines.form.alter_surfaces import (
    Flip,
    Gather,
    Isocurve,
    OffsetSurface,
    Pull,
    Rebuild,
    Seam,
    SplitSurface,
    Swap,
)
from glass_spoon.sheet.lines.form.blocks import Block
from glass_spoon.sheet.lines.form.bodies import SimpleBody
from glass_spoon.sheet.lines.form.imported import ImportStep
from glass_spoon.sheet.lines.form.join_wires import JoinWires
from glass_spoon.sheet.lines.form.lengthen import ExtendSurface
from glass_spoon.sheet.lines.form.loft import Extrude, Loft
from glass_spoon.sheet.lines.form.match import Match
from glass_spoon.sheet.lines.form.patches import Net, Patch
from glass_spoon.sheet.lines.form.plate import Plate
from glass_spoon.sheet.lines.form.revolve import Revolve
from glass_spoon.sheet.lines.form.ridge import Ridge, Thread
from glass_spoon.sheet.lines.form.roll import Carry, Roll
from glass_spoon.sheet.lines.form.rounds import RoundEdges
from glass_spoon.sheet.lines.form.sew import Sew
from glass_spoon.sheet.lines.form.shell import Shell
from glass_spoon.sheet.lines.form.skin import Skin
from glass_spoon.sheet.lines.form.spans import BlendSurfaces, FitSurface, Span
from glass_spoon.sheet.lines.form.sweep import Cord, Sweep
from glass_spoon.sheet.lines.form.trims import Cross, ExactBody, TrimSurface, Untrim
from glass_spoon.sheet.lines.mesh_work.clean import Clean
from glass_spoon.sheet.lines.mesh_work.creases import Crease, Support
from glass_spoon.sheet.lines.mesh_work.imported import ImportMesh
from glass_spoon.sheet.lines.mesh_work.mark import MarkLine
from glass_spoon.sheet.lines.mesh_work.mesh_surface import MeshSurface
from glass_spoon.sheet.lines.mesh_work.open_up import Open
from glass_spoon.sheet.lines.mesh_work.pair import PairTriangles
from glass_spoon.sheet.lines.mesh_work.relax import Relax
from glass_spoon.sheet.lines.mesh_work.slice_mesh import Slice
from glass_spoon.sheet.lines.mesh_work.solids import Fuse, Meet, Subtract
from glass_spoon.sheet.lines.mesh_work.thicken import Thicken
from glass_spoon.sheet.lines.mesh_work.turn_over import TurnOver
from glass_spoon.sheet.lines.mesh_work.unite import Unite
from glass_spoon.sheet.lines.mesh_work.weld import Weld
from glass_spoon.sheet.lines.place.align import Align
from glass_spoon.sheet.lines.place.group import Group
from glass_spoon.sheet.lines.place.mirror import Mirror
from glass_spoon.sheet.lines.place.place import Copy, Move, Scale, Turn
from glass_spoon.sheet.lines.place.repeat import Grid, Ring, Row
from glass_spoon.sheet.lines.place.set_down import SetDown
from glass_spoon.sheet.lines.place.spread import Spread, Stand
from glass_spoon.sheet.lines.place.take import Take
from glass_spoon.sheet.lines.references import LayPicture
from glass_spoon.sheet.lines.remarks import Remark, Step
from glass_spoon.sheet.lines.shape.bends import BendLine, RippleLine, ShearLine, StretchLine, TaperLine, TwistLine
from glass_spoon.sheet.lines.shape.even_out import FairLine, RestoreSymmetry
from glass_spoon.sheet.lines.shape.lattice import FollowLine, LatticeLine, UnbendLine
from glass_spoon.sheet.lines.shape.lay_on import LayOnLine
from glass_spoon.sheet.lines.shape.pinch import PinchLine
from glass_spoon.sheet.lines.shape.swell import SwellLine
from glass_spoon.sheet.lines.sizes import Size

_POINTS = (Draw, ImportCurve, ImportDxf)
_SHAPES = (StraightLine, Arc, Circle, Ellipse, Rectangle, Polygon, Star, Slot, Conic, Spiral, Write)
_SPACE = (Helix, Coil, Combine, Weave, Braid, ChainLine)
_REWORK = (Round, Chamfer, Join, Blend, Split, Trim, Extend, Offset, Reverse, Respace, Refit)
_ONTO = (Flatten, Project, ShortestLine, Cross, Loop, Wires)
_PLACE = (Copy, Move, Turn, Scale, Mirror, Row, Grid, Ring, Spread, Stand, Take, SetDown, Align, Group)
_SHAPE = (
    BendLine,
    TwistLine,
    TaperLine,
    ShearLine,
    StretchLine,
    RippleLine,
    LatticeLine,
    FollowLine,
    UnbendLine,
    LayOnLine,
    PinchLine,
    FairLine,
    SwellLine,
    RestoreSymmetry,
)
_REFORM = (
    Isocurve,
    SplitSurface,
    TrimSurface,
    Untrim,
    ExactBody,
    Sew,
    RoundEdges,
    Gather,
    OffsetSurface,
    Roll,
    Carry,
    ExtendSurface,
    Match,
    Pull,
    Rebuild,
    Seam,
    Swap,
    Flip,
)
_SWEPT = (Sweep, Cord, JoinWires, Thread, Ridge)
_FORM = (
    Revolve,
    Extrude,
    Plate,
    Loft,
    Skin,
    Patch,
    Net,
    Span,
    BlendSurfaces,
    FitSurface,
    *_SWEPT,
    SimpleBody,
    Block,
    Shell,
    ImportStep,
    *_REFORM,
)
_MESH = (
    MeshSurface,
    ImportMesh,
    MarkLine,
    Weld,
    Clean,
    Unite,
    Fuse,
    Subtract,
    Meet,
    Slice,
    PairTriangles,
    Relax,
    Crease,
    Support,
    Thicken,
    Open,
    TurnOver,
)
_DETAIL = (
    PullOut,
    Skirt,
    Inset,
    Bevel,
    BevelPoints,
    Bridge,
    Fill,
    Delete,
    SplitOff,
    PanelLine,
    InsertLoops,
    RemoveLoops,
    Slide,
    Divide,
    Connect,
    Collapse,
    TurnEdges,
    Nudge,
    TrueUp,
    Drag,
)

BROUGHT = "SPOON_VERBS"
"""Name in the environment of modules that bring verbs of their own, with commas between; each has them in `VERBS`."""


def _brought() -> tuple[type[Line], ...]:
    """Return the verbs of the modules that the environment names; ImportError names one that brings none."""
    found: list[type[Line]] = []
    for name in filter(None, os.environ.get(BROUGHT, "").split(",")):
        verbs = getattr(import_module(name.strip()), "VERBS", None)
        if not verbs:
            raise ImportError(f"The module {name.strip()} ({BROUGHT}) brings no verbs: it needs a tuple VERBS of classes.")
        found += verbs
    return tuple(found)


VERB_CLASSES: tuple[type[Line], ...] = (
    Size,
    LayPicture,
    *_POINTS,
    *_SHAPES,
    *_SPACE,
    *_REWORK,
    *_ONTO,
    *_FORM,
    *_PLACE,
    *_SHAPE,
    *_MESH,
    *_DETAIL,
    Smooth,
    *_brought(),
    Remark,
    Step,
)
AnyLine: Any = reduce(or_, VERB_CLASSES)
"""The union of all verb classes."""

VERBS: dict[str, type[Line]] = {str(cls.model_fields["verb"].default): cls for cls in VERB_CLASSES}
"""Verb classes by their name in files."""

__all__ = ["CHAPTERS", "VERBS", "VERB_CLASSES", "AnyLine"]
