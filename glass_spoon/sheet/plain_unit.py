"""What is typed where a plain number means another unit than mm: texts with the unit written out.

Sheets keep their meaning wherever they are: in them a plain number beside a length is mm. Where a project works in inch,
`2` typed for a length is kept as `2 inch`, `wall + 2` as `wall + 2 inch`; `wall * 2` and counts stay as they are. A size
that is a plain number counts units where a length is wanted: `n` becomes `n * 1 inch`.
"""

from __future__ import annotations

import ast
import re
from collections.abc import Callable, Mapping
from functools import singledispatch
from typing import Any, Literal, get_args

from glass_spoon.sheet.errors import BadExpression
from glass_spoon.sheet.expressions import (
    MAX_TEXT,
    UNITS,
    Dimension,
    Quantity,
    read_quantity,
    spelled,
)
from glass_spoon.sheet.fields import CornersSpec, LawSpec, NumberSpec, PointsSpec, QuantitySpec, Spec, TableSpec
from glass_spoon.sheet.fields.table import read_corners
from glass_spoon.sheet.law_text import map_law

PlainUnit = Literal["mm", "cm", "m", "inch"]
"""A unit that a plain number may mean beside a length."""

PLAIN_UNITS: tuple[PlainUnit, ...] = get_args(PlainUnit)

_PLAIN = re.compile(r"\s*[-+−]?(?:(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?|(?:\d+\s+)?\d+/\d+)\s*", re.ASCII)
"""A number, or a fraction: `3/8`, `1 1/2`."""
_HELD = re.compile(r"((?:/|\*\*) )?held_(\d+)")
_LENGTH, _NUMBER = (1, 0), (0, 0)
_KEPT_BY = frozenset({"min", "max", "abs"})
"""Functions that give what they take."""


def with_unit(text: Any, dimension: Dimension, unit: PlainUnit, sizes: Mapping[str, Quantity]) -> Any:
    """Return a typed value with its plain numbers that stand for lengths in `unit`; other values as they are.

    What cannot be read stays as it was typed: where it is used it is refused in its own words.
    """
    if isinstance(text, bool) or not isinstance(text, str | int | float):
        return text
    if dimension == "length" and (not isinstance(text, str) or _PLAIN.fullmatch(text)):
        return f"{text.strip() if isinstance(text, str) else repr(text)} {unit}"
    if not isinstance(text, str) or len(text) > MAX_TEXT or _PLAIN.fullmatch(text):
        return text
    try:
        return _Units(unit, sizes).rewritten(text, dimension)
    except (SyntaxError, ValueError, RecursionError, BadExpression):
        return text


class _Units:
    """Writes units out in one text. Numbers with their units are held as names while the text is a tree."""

    def __init__(self, unit: PlainUnit, sizes: Mapping[str, Quantity]) -> None:
        """Take the unit of plain numbers, and the sizes that may be named."""
        self.unit, self.sizes = unit, sizes
        self.held: list[str] = []
        self.changed = False

    def rewritten(self, text: str, dimension: Dimension) -> str:
        """Return the text with units, or as it was where none is missing."""
        read_quantity(text, self.sizes)
        tree = _Holding(self).visit(ast.parse(spelled(text), mode="eval")).body
        tree = self._lifted(tree) if dimension == "length" and self._powers(tree) == _NUMBER else self._mended(tree)
        if not self.changed:
            return text
        return self._text(tree)

    def hold(self, text: str) -> ast.Name:
        """Return a name that stands for a number with its unit."""
        self.held.append(text)
        return ast.Name(f"held_{len(self.held) - 1}", ast.Load())

    def _text(self, node: ast.expr) -> str:
        """Return a tree as text: what is held behind a sign of division in brackets, as `10 / (2 inch)`."""

        def shown(found: re.Match[str]) -> str:
            number = self.held[int(found[2])]
            return f"{found[1]}({number})" if found[1] else number

        return _HELD.sub(shown, ast.unparse(node))

    def _powers(self, node: ast.expr) -> tuple[int, int]:
        """Return the powers of length and angle that a tree comes to, (0, 0) for one without units."""
        try:
            return read_quantity(self._text(node), self.sizes).powers
        except BadExpression:
            return _NUMBER

    def _is_plain_length(self, node: ast.expr, beside: ast.expr) -> bool:
        return self._powers(node) == _NUMBER and self._powers(beside) == _LENGTH

    def _mended(self, node: ast.expr) -> ast.expr:
        """Return a tree in which plain numbers that are added to lengths have the unit."""
        if isinstance(node, ast.BinOp):
            left, right = self._mended(node.left), self._mended(node.right)
            if isinstance(node.op, ast.Add | ast.Sub):
                left = self._lifted(left) if self._is_plain_length(left, right) else left
                right = self._lifted(right) if self._is_plain_length(right, left) else right
            return ast.BinOp(left, node.op, right)
        if isinstance(node, ast.UnaryOp):
            return ast.UnaryOp(node.op, self._mended(node.operand))
        if isinstance(node, ast.Call):
            given = [self._mended(one) for one in node.args]
            lengths = [one for one in given if self._powers(one) == _LENGTH]
            if lengths and isinstance(node.func, ast.Name) and node.func.id in _KEPT_BY:
                given = [self._lifted(one) if self._is_plain_length(one, lengths[0]) else one for one in given]
            return ast.Call(node.func, given, [])
        return node

    def _lifted(self, node: ast.expr) -> ast.expr:
        """Return a tree without units as the same count of the unit."""
        self.changed = True
        if isinstance(node, ast.Constant):
            return self.hold(f"{node.value!r} {self.unit}")
        if isinstance(node, ast.UnaryOp):
            return ast.UnaryOp(node.op, self._lifted(node.operand))
        if isinstance(node, ast.BinOp) and isinstance(node.op, ast.Add | ast.Sub):
            return ast.BinOp(self._lifted(node.left), node.op, self._lifted(node.right))
        if isinstance(node, ast.BinOp) and isinstance(node.op, ast.Mult | ast.Div):
            second = isinstance(node.op, ast.Mult) and isinstance(node.right, ast.Constant)
            left, right = (node.left, self._lifted(node.right)) if second else (self._lifted(node.left), node.right)
            return ast.BinOp(left, node.op, right)
        return ast.BinOp(node, ast.Mult(), self.hold(f"1 {self.unit}"))


class _Holding(ast.NodeTransformer):
    """Puts names in the place of numbers with their units, as `(3*cm)` is spelled."""

    def __init__(self, units: _Units) -> None:
        """Take who holds them."""
        self.units = units

    def visit_BinOp(self, node: ast.BinOp) -> ast.AST:
        """Hold a number with its unit."""
        number, unit = node.left, node.right
        if isinstance(node.op, ast.Mult) and isinstance(number, ast.Constant) and isinstance(unit, ast.Name):
            if unit.id in UNITS:
                return self.units.hold(f"{number.value!r} {unit.id}")
        return self.generic_visit(node)


Written = Callable[[Any, Dimension], Any]
"""Writes units out in one value of a dimension."""


def field_with_unit(spec: Spec, raw: Any, unit: PlainUnit, sizes: Mapping[str, Quantity]) -> Any:
    """Return what was typed into a field with the unit of its plain numbers written out, whatever kind of field it is.

    Rows and texts that are none are left to what reads them.
    """
    try:
        return _of_field(spec, raw, lambda text, dimension: with_unit(text, dimension, unit, sizes))
    except (AttributeError, TypeError, ValueError):
        return raw


@singledispatch
def _of_field(spec: Spec, raw: Any, written: Written) -> Any:
    """Return what a field holds with its units; fields without lengths as they are."""
    return raw


@_of_field.register
def _(spec: NumberSpec, raw: Any, written: Written) -> Any:
    return raw if spec.whole else written(raw, spec.dimension)


@_of_field.register
def _(spec: QuantitySpec, raw: Any, written: Written) -> Any:
    return written(raw, "number")


@_of_field.register
def _(spec: LawSpec, raw: Any, written: Written) -> Any:
    return map_law(raw, lambda text: written(text, spec.dimension)) if isinstance(raw, str) else raw


@_of_field.register
def _(spec: CornersSpec, raw: Any, written: Written) -> Any:
    corners = read_corners(raw) if isinstance(raw, str) else [one.model_dump() for one in raw]
    return [{**one, "value": written(one["value"], spec.dimension)} for one in corners]


@_of_field.register
def _(spec: TableSpec, raw: Any, written: Written) -> Any:
    kinds = {column.name: column.dimension for column in spec.columns if not column.whole}
    return [{name: _of_cell(cell, kinds.get(name, "number"), written) for name, cell in row.items()} for row in raw]


@_of_field.register
def _(spec: PointsSpec, raw: Any, written: Written) -> Any:
    return [
        {name: _of_cell(cell, "length", written) if name in ("x", "y", "out") else cell for name, cell in row.items()}
        for row in raw
    ]


def _of_cell(cell: Any, dimension: Dimension, written: Written) -> Any:
    """Return a cell with its unit; one that is empty stays so."""
    return cell if isinstance(cell, str) and not cell.strip() else written(cell, dimension)
