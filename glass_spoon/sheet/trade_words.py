"""Words of the trade that are no verb of a sheet: the verb that does it, or comes nearest, and what is to be known of it."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Nearest:
    """The verb that comes nearest to a word of the trade, and a sentence on how."""

    verb: str
    note: str


_TWIST = Nearest("sweep", "A sweep, a cord or an extrusion twists a profile on its way: type “twist 0° to 90°” in it.")
_TAPER = Nearest("extrude", "An extrusion or a sweep tapers a profile on its way: type “scaled 1 to 0.5” in it.")
_CUT = Nearest(
    "subtract", "Subtract takes closed bodies out of another; Open cuts a skin along curves, Slice cuts a mesh by a plane."
)
_UNION = Nearest(
    "fuse",
    "Fuse makes closed bodies that run through each other one skin; Unite lays meshes together and welds their edges.",
)
_SHARED = Nearest("meet", "Meet keeps what closed bodies share; Subtract takes one out of another.")
_LATTICE = Nearest(
    "pull", "No verb shapes by a lattice yet. Pull moves the control points of a surface, with neighbours that follow."
)
_WEAVE = Nearest("coil", "No verb weaves yet. A coil winds a curve round another; a cord makes a rope of a curve.")
_MATERIAL = Nearest("remark", "Colours and layers are set under Items on the board. Materials are left to the renderer.")
_UNFOLD = Nearest("mesh", "A mesh of a surface carries its parameters as UV, the seam kept open: send it out with UV.")
_SHEAR = Nearest("scale", "No verb shears yet. Scale stretches by a factor of its own each way.")
_BEND = Nearest("roll", "Roll lays a flat sheet round a cylinder or a sphere. No verb bends other shapes yet.")

_NEAREST = {
    "twist": _TWIST,
    "twirl": _TWIST,
    "taper": _TAPER,
    "difference": _CUT,
    "boolean": _CUT,
    "intersect": _SHARED,
    "drill": _CUT,
    "union": _UNION,
    "merge": _UNION,
    "combine meshes": _UNION,
    "lattice": _LATTICE,
    "cage": _LATTICE,
    "deform": _LATTICE,
    "weave": _WEAVE,
    "braid": _WEAVE,
    "plait": _WEAVE,
    "knit": _WEAVE,
    "material": _MATERIAL,
    "materials": _MATERIAL,
    "colour": _MATERIAL,
    "color": _MATERIAL,
    "paint": _MATERIAL,
    "texture": _MATERIAL,
    "unfold": _UNFOLD,
    "unwrap": _UNFOLD,
    "uv": _UNFOLD,
    "flatten out": _UNFOLD,
    "shear": _SHEAR,
    "skew": _SHEAR,
    "slant": _SHEAR,
    "bend": _BEND,
}


def trade_word(words: list[str]) -> Nearest | None:
    """Return what comes nearest to the first word, or two, of a text; None where these are no such words."""
    return _NEAREST.get(" ".join(words[:2])) or _NEAREST.get(words[0] if words else "")
