"""DXF in and out; the library behind it is loaded when the first file asks for it (dxf_ezdxf.py)."""

from __future__ import annotations

from dataclasses import dataclass
from importlib import import_module
from typing import Any

from glass_spoon.formats.named_curve import NamedCurve

MEDIA_TYPE = "image/vnd.dxf"
MAX_BYTES = 8_000_000
MAX_CURVES = 20_000
MILLIMETRES = {"mm": 1.0, "cm": 10.0, "m": 1000.0, "inch": 25.4, "foot": 304.8}
"""Millimetres of one of each unit that may be chosen."""


class UnreadableDxf(ValueError):
    """The drawing cannot be used; the text says why and what to do."""


class UnitUnknown(UnreadableDxf):
    """The file does not say what one of its units is."""


@dataclass(frozen=True, eq=False)
class DxfDrawing:
    """What a file holds: its curves in mm, and how many mm one of its units was taken for."""

    curves: list[NamedCurve]
    millimetres: float


def _work() -> Any:
    """Return the module that does the work: ezdxf takes a fifth of a second to load."""
    return import_module("glass_spoon.formats.dxf_ezdxf")


def read_dxf(data: bytes, unit: str = "") -> DxfDrawing:
    """Return the curves of a drawing's model space in its order.

    unit: one of MILLIMETRES, or "" for the file's own. Raises UnitUnknown when the file has none, UnreadableDxf for a
    file that is too large, damaged or holds no curve.
    """
    found: DxfDrawing = _work().read_dxf(data, unit)
    return found


def write_dxf(curves: list[NamedCurve]) -> bytes:
    """Return a drawing of curves in millimetres, R2010, each on its layer."""
    data: bytes = _work().write_dxf(curves)
    return data
