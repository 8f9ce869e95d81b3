"""Number fields: units, sizes, dimensions, and all that is refused."""

import math

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from glass_spoon.sheet.errors import BadExpression, CircularSizes
from glass_spoon.sheet.expressions import (
    Quantity,
    evaluate_expression,
    format_quantity,
    names_in,
    rename_in,
    resolve_sizes,
)

SIZES = {"body_d": Quantity(164.0, 1), "tilt": Quantity(math.radians(30), 0, 1), "count": Quantity(12.0)}


@pytest.mark.parametrize(
    ("text", "dimension", "value"),
    [
        ("12", "length", 12.0),
        (12, "length", 12.0),
        ("1.2 mm", "length", 1.2),
        ("3 cm", "length", 30.0),
        ("0.5m", "length", 500.0),
        ('2"', "length", 50.8),
        ("body_d / 2", "length", 82.0),
        ("body_d/2 + 3", "length", 85.0),
        ("2 × body_d − 1 cm", "length", 318.0),
        ("90", "angle", math.pi / 2),
        ("90°", "angle", math.pi / 2),
        ("1 turn", "angle", 2 * math.pi),
        ("tilt + 15°", "angle", math.radians(45)),
        ("body_d * sin(tilt)", "length", 82.0),
        ("sqrt(3 cm * 3 cm)", "length", 30.0),
        ("max(3 mm, body_d / 100)", "length", 3.0),
        ("count * 4", "number", 48.0),
        ("1e2", "number", 100.0),
        ("1e2 mm", "length", 100.0),
        ("(2 + 1) ** 2", "number", 9.0),
        ("-5", "length", -5.0),
        ("pi", "number", math.pi),
    ],
)
def test_values(text, dimension, value):
    """Texts as modelers type them."""
    assert evaluate_expression(text, dimension, SIZES) == pytest.approx(value, rel=1e-12)


@pytest.mark.parametrize(
    ("text", "dimension", "word"),
    [
        ("", "length", "empty"),
        ("banana", "length", "no size called banana"),
        ("body_d * body_d", "length", "an area"),
        ("30°", "length", "an angle"),
        ("3 mm", "number", "a length"),
        ("body_d + tilt", "length", "cannot be added"),
        ("1/0", "number", "divides by zero"),
        ("9**9**9", "number", "power"),
        ("2 mm ** 0.5", "length", "whole"),
        ("(-1) ** 0.5", "number", "negative"),
        ("1e400", "number", "finite"),
        ("inf", "number", "no size called inf"),
        ("nan", "length", "no size called nan"),
        (float("nan"), "length", "finite"),
        ("1 +", "number", "cannot be read"),
        ("x" * 300, "number", "longer"),
        ("'a' * 5", "number", "only numbers"),
        ("[1, 2]", "number", "only numbers"),
        ("body_d.value", "number", "only numbers"),
        ("__import__('os').system('true')", "number", "only numbers|no size"),
        ("(lambda: 1)()", "number", "only numbers|cannot be read"),
        ("sin(3 mm)", "number", "sin takes"),
        ("1 if 1 else 2", "number", "only numbers|cannot be read"),
        ("True", "number", "only numbers|no size"),
        ("((((((1))))))" * 14, "number", "cannot be read|only numbers"),
    ],
)
def test_refusals(text, dimension, word):
    """Each says in a phrase what is wrong, and never runs anything."""
    with pytest.raises(BadExpression, match=word):
        evaluate_expression(text, dimension, SIZES)


@settings(max_examples=300)
@given(st.text(max_size=60))
def test_any_text_gives_a_number_or_a_sentence(text):
    """No other error escapes, whatever is typed."""
    try:
        assert math.isfinite(evaluate_expression(text, "length", SIZES))
    except BadExpression as error:
        assert str(error).endswith(".")


def test_sizes_may_use_each_other_in_any_order():
    """A later size is found by an earlier one."""
    values, errors = resolve_sizes({"half": "body / 2", "body": "10 cm"})
    assert values["half"] == Quantity(50.0, 1)
    assert not errors


def test_circle_is_named_in_order():
    """Three sizes in a circle, and one that only leads into it."""
    _, errors = resolve_sizes({"a": "b", "b": "c * 2", "c": "a + 1", "d": "a"})
    assert isinstance(errors["a"], CircularSizes)
    assert "a → b → c → a" in str(errors["a"])
    assert "the size a has no value" in str(errors["d"])


def test_size_of_itself_is_a_circle():
    """a = a + 1."""
    _, errors = resolve_sizes({"a": "a + 1"})
    assert "a → a" in str(errors["a"])


def test_failing_size_says_why():
    """Its own reason, and the others go on."""
    values, errors = resolve_sizes({"a": "1/0", "b": "2"})
    assert "divides by zero" in str(errors["a"])
    assert values["b"].value == 2


def test_names_and_renaming():
    """Units and functions are no names; renaming touches whole words only."""
    assert names_in("max(wall, 3 mm) + wall_2") == {"wall", "wall_2"}
    assert rename_in("wall + wall_2 * 2", "wall", "skin") == "skin + wall_2 * 2"


@pytest.mark.parametrize(
    ("quantity", "text"),
    [(Quantity(1.5, 1), "1.5 mm"), (Quantity(math.pi / 2, 0, 1), "90°"), (Quantity(12.0), "12"), (Quantity(-0.0), "0")],
)
def test_quantities_are_written_with_units(quantity, text):
    """As they would be typed."""
    assert format_quantity(quantity) == text
