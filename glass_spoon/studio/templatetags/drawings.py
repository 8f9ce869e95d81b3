"""The tag that gives the address of a verb's small drawing."""

from __future__ import annotations

from functools import cache
from pathlib import Path

from django import template
from django.templatetags.static import static

register = template.Library()

DRAWINGS = Path(__file__).resolve().parents[1] / "static" / "verbs"
"""The drawings, one a verb; tools/draw_verbs.py writes them."""


@register.simple_tag
@cache
def drawing_of(verb: str) -> str:
    """Return the address of the drawing of a verb, "" where it has none."""
    return static(f"verbs/{verb}.svg") if (DRAWINGS / f"{verb}.svg").exists() else ""
