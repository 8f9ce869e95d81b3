"""Outlines of letters, from the fonts that ship with the application, read by fontTools."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
import scipy
from fontTools.pens.basePen import decomposeQuadraticSegment
from fontTools.pens.recordingPen import DecomposingRecordingPen
from fontTools.ttLib import TTFont

from glass_spoon.kernel.arrays import Bools, Floats
from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.curves.make.interpolate import from_polynomials
from glass_spoon.kernel.errors import KernelError

FOLDER = Path(__file__).resolve().parents[2] / "vendor" / "letters"
FONTS = ("sans", "bold sans", "serif", "bold serif", "italic serif")
"""The fonts by name; each is a file of FOLDER."""
MOVED = 3e-3
"""How far places may be moved for it, of a height of 1."""
ROUNDED = np.radians(6.0)
"""A turn of less between two pieces comes of the rounding of places in the font; elsewhere too it counts as no corner."""


RING, MOST_RING, NEAR = 32, 512, 1e-4
"""Pieces of an outline without corners: how many are tried first and at most, and how near they follow, of a height of 1."""


@dataclass(frozen=True, eq=False)
class Letter:
    """A letter whose capitals are 1 high: its closed outlines in the plane z = 0, and how far it is to the next letter."""

    outlines: tuple[NurbsCurve, ...]
    advance: float


def _outlines(glyphs: Any, name: str) -> list[Floats]:
    """Return the closed outlines of a glyph as quadratic pieces (pieces, 3, 2): start, middle and end."""
    pen = DecomposingRecordingPen(glyphs)
    glyphs[name].draw(pen)
    found: list[list[Floats]] = []
    last = np.zeros(2)
    for step, points in pen.value:
        if step == "moveTo":
            found.append([])
            last = np.array(points[0], dtype=np.float64)
            continue
        if step == "closePath":
            points = [found[-1][0][0] if found[-1] else last]
        pairs: list[Any] = decomposeQuadraticSegment(points) if step == "qCurveTo" else []
        ends = pairs or [((last + np.asarray(points[-1])) / 2, points[-1])]
        for middle, end in ends:
            piece = np.array([last, middle, end], dtype=np.float64)
            if np.abs(piece[2] - piece[0]).max() > 0:
                found[-1].append(piece)
            last = piece[2]
    return [np.array(pieces) for pieces in found if len(pieces) > 1]


@lru_cache(16)
def _font(name: str) -> TTFont:
    return TTFont(FOLDER / f"{name.replace(' ', '-')}.woff", lazy=False)


@lru_cache(2048)
def read_letter(font: str, character: str) -> Letter:
    """Return a letter of one of FONTS; raises KernelError for one that the font has not."""
    face = _font(font)
    name = face.getBestCmap().get(ord(character))
    if name is None:
        raise KernelError(f"The letter “{character}” is not among the letters of {font}. Write it otherwise.")
    capital = float(face["OS/2"].sCapHeight or 0.7 * face["head"].unitsPerEm)
    glyphs = face.getGlyphSet()
    outlines = tuple(_curve(pieces / capital) for pieces in _outlines(glyphs, name))
    return Letter(outlines, float(glyphs[name].width) / capital)


def _curve(pieces: Floats) -> NurbsCurve:
    """Return quadratic pieces (n, 3, 2) that follow each other as one closed curve, which starts at a corner if it has one.

    Where pieces go on smoothly, but for the rounding of the font, they are brought to do so exactly, and are run through
    without a jump of speed; elsewhere there is a corner.
    """
    pieces = _without_small_bends(pieces)
    smooth = _smooth_joints(pieces)
    is_ring = bool(smooth.all())
    if not is_ring:
        first = int(np.flatnonzero(~smooth)[0])
        pieces, smooth = np.roll(pieces, -first, axis=0), np.roll(smooth, -first)
    pieces = _in_line(pieces, smooth)
    legs = np.linalg.norm(np.diff(pieces, axis=1), axis=2)
    widths, control, repeats = [1.0], [pieces[0, 0], pieces[0, 1]], list[int]()
    for k in range(1, len(pieces)):
        if smooth[k]:
            widths.append(widths[-1] * legs[k, 0] / legs[k - 1, 1])
        else:
            control.append(pieces[k, 0])
            widths.append(1.0)
        control.append(pieces[k, 1])
        repeats.append(1 if smooth[k] else 2)
    control.append(pieces[-1, 2])
    inner = np.repeat(np.cumsum(widths)[:-1], repeats)
    knots = np.concatenate((np.zeros(3), inner, np.full(3, sum(widths))))
    points = np.array(control)
    curve = NurbsCurve(2, knots, np.column_stack((points, np.zeros(len(points)))), np.ones(len(points)))
    return _run_evenly(curve) if is_ring else curve


def _run_evenly(curve: NurbsCurve) -> NurbsCurve:
    """Return a closed curve without corners run through at one speed: pieces alone cannot be, all the way round."""
    arc = measure_length(curve)
    count = RING
    while True:
        shares = np.linspace(0, 1, count + 1)
        places = curve_points(curve, arc.to_params(shares * arc.length))
        places[-1] = places[0]
        found = from_polynomials(scipy.interpolate.CubicSpline(shares, places, bc_type="periodic"))
        between = (shares[1:] + shares[:-1]) / 2
        off = curve_points(found, between) - curve_points(curve, arc.to_params(between * arc.length))
        if float(np.abs(off).max()) <= NEAR or count >= MOST_RING:
            return found
        count *= 2


def _without_small_bends(pieces: Floats) -> Floats:
    """Return pieces in which straight ones that all but go on straight are one."""
    kept = list(pieces)
    k = 0
    while k < len(kept) and len(kept) > 2:
        pair = np.array([kept[k - 1], kept[k]])
        ways = pair[:, 2] - pair[:, 0]
        turn = abs(float(ways[0, 0] * ways[1, 1] - ways[0, 1] * ways[1, 0]))
        sizes = float(np.linalg.norm(ways[0]) * np.linalg.norm(ways[1]))
        start, end = pair[0, 0], pair[1, 2]
        off = turn / max(float(np.linalg.norm(end - start)), 1e-9)
        if _is_line(pair).all() and off <= MOVED and turn <= np.sin(ROUNDED) * sizes and float(ways[0] @ ways[1]) > 0:
            kept[k] = np.stack((start, (start + end) / 2, end))
            kept.pop(k - 1)
        else:
            k += 1
    return np.array(kept)


def _smooth_joints(pieces: Floats) -> Bools:
    """Say of each piece whether it goes on smoothly from the one before."""
    before, after = pieces[:, 2] - pieces[:, 1], pieces[:, 1] - pieces[:, 0]
    before = np.roll(before, 1, axis=0)
    turn = np.abs(before[:, 0] * after[:, 1] - before[:, 1] * after[:, 0])
    sizes = np.linalg.norm(before, axis=1) * np.linalg.norm(after, axis=1)
    ahead = (before * after).sum(axis=1) > 0
    straight, last = _is_line(pieces), np.roll(_is_line(pieces), 1)
    first, second = np.linalg.norm(before, axis=1), np.linalg.norm(after, axis=1)
    # What is moved: the control point beside a straight piece, else the joint.
    leg = np.where(last, second, np.where(straight, first, first * second / np.maximum(first + second, 1e-9)))
    small = turn * leg <= MOVED * np.maximum(sizes, 1e-12)
    return np.asarray(ahead & small & (turn <= np.sin(ROUNDED) * sizes) & ~(straight & last))


def _is_line(pieces: Floats) -> Bools:
    """Say of each piece whether it is straight."""
    return np.asarray(np.abs(pieces[:, 1] - (pieces[:, 0] + pieces[:, 2]) / 2).max(axis=1) == 0)


def _in_line(pieces: Floats, smooth: Bools) -> Floats:
    """Return pieces whose smooth joints lie on the line between the places before and after them; straight ones stay."""
    pieces, straight = pieces.copy(), _is_line(pieces)
    for k in np.flatnonzero(smooth).tolist():
        before, after = pieces[k - 1], pieces[k]
        if straight[k - 1] or straight[k]:
            line, bent, at = (before, after, 1) if straight[k - 1] else (after, before, 1)
            way = (line[2] - line[0]) / np.linalg.norm(line[2] - line[0])
            joint = after[0]
            bent[at] = joint + way * ((bent[at] - joint) @ way)
            continue
        way = after[1] - before[1]
        joint = before[1] + way * float((after[0] - before[1]) @ way / (way @ way))
        before[2] = after[0] = joint
    return pieces


def set_letters(text: str, font: str, spacing: float = 0.0) -> list[tuple[float, Letter]]:
    """Return the letters of a text, each with where it begins on its line; capitals are 1 high. spacing: more between them.

    Raises KernelError for letters that the font has not.
    """
    found, at = [], 0.0
    for character in text:
        letter = read_letter(font, character)
        found.append((at, letter))
        at += letter.advance + spacing
    return found
