"""Outlines of letters, from the fonts that ship with the application or one of the user's own, read by fontTools."""

from __future__ import annotations

import io
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
import scipy
from fontTools.cu2qu import curve_to_quadratic
from fontTools.pens.basePen import decomposeQuadraticSegment
from fontTools.pens.recordingPen import DecomposingRecordingPen
from fontTools.ttLib import TTFont

from glass_spoon.kernel.arrays import Bools, Floats
from glass_spoon.kernel.curves.evaluate.arc_length import measure_length
from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.curves.evaluate.evaluate_curve import curve_points
from glass_spoon.kernel.curves.make.interpolate import from_polynomials
from glass_spoon.kernel.errors import KernelError

Face = str | bytes
"""A font: one of FONTS by its name, or the bytes of an own one (`own_font`)."""

FOLDER = Path(__file__).resolve().parents[2] / "vendor" / "letters"
FONTS = ("sans", "bold sans", "serif", "bold serif", "italic serif")
"""The fonts by name; each is a file of FOLDER."""
CUBIC = 1e-3
"""How far quadratic pieces may leave the cubic ones of a font, of the size of its square."""

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


def _outlines(glyphs: Any, name: str, units: float) -> list[Floats]:
    """Return the closed outlines of a glyph as quadratic pieces (pieces, 3, 2): start, middle and end."""
    pen = DecomposingRecordingPen(glyphs)
    glyphs[name].draw(pen)
    near = CUBIC * units
    found: list[list[Floats]] = []
    last = np.zeros(2)
    for step, points in pen.value:
        if step == "moveTo":
            found.append([])
            last = np.array(points[0], dtype=np.float64)
            continue
        if step in ("closePath", "endPath"):
            points = [found[-1][0][0] if found[-1] else last]
        if step == "curveTo":
            points = curve_to_quadratic([tuple(last), *points], near)[1:]
        pairs: list[Any] = decomposeQuadraticSegment(points) if step in ("qCurveTo", "curveTo") else []
        ends = pairs or [((last + np.asarray(points[-1])) / 2, points[-1])]
        for middle, end in ends:
            piece = np.array([last, middle, end], dtype=np.float64)
            if np.abs(piece[2] - piece[0]).max() > 0:
                found[-1].append(piece)
            last = piece[2]
    return [np.array(pieces) for pieces in found if len(pieces) > 1]


@lru_cache(16)
def _font(font: Face) -> TTFont:
    """Return a font; raises KernelError for an own one that cannot be read."""
    if isinstance(font, str):
        return TTFont(FOLDER / f"{font.replace(' ', '-')}.woff", lazy=False)
    try:
        face = TTFont(io.BytesIO(font), lazy=False)
        face.getBestCmap().get(0), face.getGlyphSet(), float(face["head"].unitsPerEm)
    except Exception as error:  # fontTools raises what it meets, of many kinds
        raise KernelError("The font in this line cannot be read. Choose it again.") from error
    return face


def _capital(face: TTFont) -> float:
    """Return how high capitals are, in the font's units."""
    told = getattr(face["OS/2"], "sCapHeight", 0) if "OS/2" in face else 0
    return float(told or 0.7 * face["head"].unitsPerEm)


def _glyph(font: Face, character: str) -> str:
    """Return the name of a letter in a font; raises KernelError for one that the font has not."""
    name = _font(font).getBestCmap().get(ord(character))
    if name is None:
        called = font if isinstance(font, str) else "this font"
        raise KernelError(f"The letter “{character}” is not among the letters of {called}. Write it otherwise.")
    return str(name)


@lru_cache(2048)
def read_letter(font: Face, character: str) -> Letter:
    """Return a letter of a font; raises KernelError for one that the font has not."""
    face, name = _font(font), _glyph(font, character)
    capital = _capital(face)
    glyphs = face.getGlyphSet()
    try:
        outlines = tuple(_curve(pieces / capital) for pieces in _outlines(glyphs, name, face["head"].unitsPerEm))
    except (ValueError, IndexError, KeyError, TypeError) as error:
        raise KernelError(f"The letter “{character}” of this font cannot be read. Choose another font.") from error
    return Letter(outlines, float(glyphs[name].width) / capital)


@lru_cache(4096)
def kerning(font: Face, left: str, right: str) -> float:
    """Return how much nearer (below zero) or farther two letters stand as a pair than each by itself; capitals are 1 high.

    By the pairs of GPOS, feature “kern” (OpenType 1.9, lookup type 2), else by the older table “kern”.
    """
    face = _font(font)
    first, second = _glyph(font, left), _glyph(font, right)
    return _pair_in_gpos(face, first, second) / _capital(face) if "GPOS" in face else _pair_in_kern(face, first, second)


def _pair_in_kern(face: TTFont, first: str, second: str) -> float:
    """Return the move of a pair in the table “kern”; capitals are 1 high."""
    tables = face["kern"].kernTables if "kern" in face else []
    return sum(float(getattr(one, "kernTable", {}).get((first, second), 0)) for one in tables) / _capital(face)


def _pair_in_gpos(face: TTFont, first: str, second: str) -> float:
    """Return the move of a pair by GPOS, in the font's units: of each lookup the first table that knows it counts."""
    table = face["GPOS"].table
    if table.FeatureList is None or table.LookupList is None:
        return 0.0
    records = table.FeatureList.FeatureRecord
    numbers = {number for one in records if one.FeatureTag == "kern" for number in one.Feature.LookupListIndex}
    total = 0.0
    for number in sorted(numbers):
        for part in table.LookupList.Lookup[number].SubTable:
            own = part.ExtSubTable if part.LookupType == 9 else part
            moved = _pair_in_table(own, first, second) if own.LookupType == 2 else None
            if moved is not None:
                total += moved
                break
    return total


def _pair_in_table(part: Any, first: str, second: str) -> float | None:
    """Return the move of a pair in one table of pairs, None where that does not know it."""
    if first not in part.Coverage.glyphs:
        return None
    if part.Format == 1:
        pairs = part.PairSet[part.Coverage.glyphs.index(first)].PairValueRecord
        found = next((one for one in pairs if one.SecondGlyph == second), None)
    else:
        row = part.Class1Record[part.ClassDef1.classDefs.get(first, 0)]
        found = row.Class2Record[part.ClassDef2.classDefs.get(second, 0)]
    return None if found is None else float(getattr(found.Value1, "XAdvance", 0) or 0)


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


def set_letters(text: str, font: Face, spacing: float = 0.0, *, kerned: bool = False) -> list[tuple[float, Letter]]:
    """Return the letters of a text, each with where it begins on its line; capitals are 1 high. spacing: more between them.

    kerned: pairs stand as near as the font says. Raises KernelError for letters that the font has not.
    """
    found, at = [], 0.0
    for place, character in enumerate(text):
        letter = read_letter(font, character)
        if kerned and place:
            at += kerning(font, text[place - 1], character)
        found.append((at, letter))
        at += letter.advance + spacing
    return found
