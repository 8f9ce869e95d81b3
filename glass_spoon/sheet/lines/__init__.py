"""The verbs, one module a chapter. A new verb is one class here and one kernel function."""

from __future__ import annotations

from glass_spoon.sheet.line import CHAPTERS, Line
from glass_spoon.sheet.lines.draw import Draw, ImportCurve, Round
from glass_spoon.sheet.lines.finish import Smooth
from glass_spoon.sheet.lines.form import Revolve
from glass_spoon.sheet.lines.mesh import MeshSurface
from glass_spoon.sheet.lines.sizes import Size

VERB_CLASSES: tuple[type[Line], ...] = (Size, Draw, ImportCurve, Round, Revolve, MeshSurface, Smooth)
AnyLine = Size | Draw | ImportCurve | Round | Revolve | MeshSurface | Smooth

VERBS: dict[str, type[Line]] = {str(cls.model_fields["verb"].default): cls for cls in VERB_CLASSES}
"""Verb classes by their name in files."""

__all__ = ["CHAPTERS", "VERBS", "VERB_CLASSES", "AnyLine"]
