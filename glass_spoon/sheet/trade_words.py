"""Words of the trade that are no verb of a sheet: the verb that does it, or comes nearest, and what is to be known of it."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Nearest:
    """The verb that comes nearest to a word of the trade, and a sentence on how."""

    verb: str
    note: str


_CUT = Nearest(
    "subtract", "Subtract takes closed bodies out of another; Open cuts a skin along curves, Slice cuts a mesh by a plane."
)
_UNION = Nearest(
    "fuse",
    "Fuse makes closed bodies that run through each other one skin; Unite lays meshes together and welds their edges.",
)
_SHARED = Nearest("meet", "Meet keeps what closed bodies share; Subtract takes one out of another.")
_MATERIAL = Nearest("remark", "Colours and layers are set under Items on the board. Materials are left to the renderer.")
_HIDE = Nearest(
    "remark",
    "What is shown is chosen under Items on the board: each item has a tick there. "
    "Faces in your way are hidden while you pick: pick them, then press H.",
)
_JUDGE = Nearest(
    "remark", "Stripes, curvature, combs, thickness and edges are painted by Judge the shape, below the gauges at the right."
)
_RAISED = Nearest(
    "lay_on", "Plate makes an outline as thick as it is to stand out; then Lay it on the body, or Subtract it to sink it."
)
_UNFOLD = Nearest("mesh", "A mesh of a surface carries its parameters as UV, the seam kept open: send it out with UV.")

_UNDO = Nearest("remark", "Undo and Redo stand in the top line; Ctrl+Z and Ctrl+Shift+Z do the same.")
_SAVE = Nearest(
    "remark", "All is saved as it is typed. Versions, in the top line, keep a state under a name; Send out writes files."
)
_MEASURE = Nearest("remark", "Press D, or Measure on the board, and click two places: lengths and angles are told there.")
_ERASE = Nearest("delete", "Delete takes faces that are marked or picked. A whole item goes with its line: Remove it there.")

_WEDGE = Nearest("block", "For a wedge draw its side as a line of straight legs that closes, and Extrude it.")
_PYRAMID = Nearest("block", "Block makes its foot; Taper it from 1 below to a little, such as 0.05, above.")
_PIPE = Nearest(
    "simple",
    "Simple makes its outer wall as a cylinder; Shell gives that a wall inwards: 20 outside and 16 inside is 4 thick.",
)

_NEAREST = {
    "difference": _CUT,
    "boolean": _CUT,
    "intersect": _SHARED,
    "drill": _CUT,
    "union": _UNION,
    "merge": _UNION,
    "combine meshes": _UNION,
    "wedge": _WEDGE,
    "pyramid": _PYRAMID,
    "pipe": _PIPE,
    "tube": _PIPE,
    **dict.fromkeys(("undo", "redo"), _UNDO),
    **dict.fromkeys(("save", "export", "save as"), _SAVE),
    **dict.fromkeys(("measure", "distance between", "distance from"), _MEASURE),
    "erase": _ERASE,
    "emboss": _RAISED,
    "engrave": _RAISED,
    "deboss": _RAISED,
    "hide": _HIDE,
    "show": _HIDE,
    **{
        f"{lead}{what}": _JUDGE
        for lead in ("show ", "")
        for what in ("curvature", "stripes", "reflection", "reflections", "comb", "combs", "draft", "thickness")
    },
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
}


def trade_word(words: list[str]) -> Nearest | None:
    """Return what comes nearest to the first word, or two, of a text; None where these are no such words."""
    if words[:1] in (["pipe"], ["tube"]) and "along" in words:
        return None  # that is a sweep
    return _NEAREST.get(" ".join(words[:2])) or _NEAREST.get(words[0] if words else "")
