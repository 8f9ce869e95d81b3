"""The keys of the bench, as the page of keys lists them; the scripts know them by the same letters."""

from __future__ import annotations

from glass_spoon.studio.show.bench_context import ACTS, PICKS

Keys = tuple[tuple[tuple[str, ...], str], ...]
"""Caps, and what they do."""

SHEET: Keys = (
    (("/",), "add a line in plain words, behind the one you stand on"),
    (("W",), "find a line by a word, an item, a verb or a value"),
    (("Shift", "click"), "choose lines up to this one"),
    (("Ctrl", "click"), "choose one line more, or less"),
    (("Ctrl", "C"), "copy the chosen lines as text"),
    (("Ctrl", "V"), "paste lines, or sentences of a mail"),
    (("Alt", "↑"), "move the lines up"),
    (("Alt", "↓"), "move the lines down"),
    (("Del",), "remove the chosen lines"),
    (("Ctrl", "Z"), "undo"),
    (("Ctrl", "Y"), "redo"),
)
BOARD: Keys = (
    (("N",), "place points of the curve in hand"),
    (("M",), "pick faces, edges and points"),
    (("D",), "measure"),
    (("G",), "one view alone, or all four"),
    (("F",), "bring everything into view"),
    (("Esc",), "leave what you are at"),
    (("?",), "this page"),
)
DRAWING: Keys = (
    (("S",), "make the chosen point sharp, or smooth"),
    (("I",), "insert a point behind it"),
    (("Del",), "remove it"),
    (("T",), "place the chosen points by numbers"),
    (("Shift", "drag"), "choose several"),
    (("Alt",), "no snapping while held"),
    (("Enter",), "the drawing is done"),
)
PICKING: Keys = (
    (("+",), "grow what is picked"),
    (("−",), "shrink it"),
    (("H",), "hide the picked faces"),
    (("Shift", "H"), "show them again"),
    (("Alt", "drag"), "pick by a lasso"),
)


def key_groups() -> tuple[tuple[str, Keys], ...]:
    """Return the keys by where they serve."""
    picks = [((key,), f"pick {label.lower()}") for _, label, key in PICKS]
    acts = tuple(((act.key,), act.words.lower()) for act in ACTS if act.key)
    return (
        ("The sheet", SHEET),
        ("The board", BOARD),
        ("Drawing", DRAWING),
        ("Picking", (*picks, *PICKING)),
        ("Done to what is picked", acts),
    )
