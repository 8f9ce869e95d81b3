"""The tag that prints the sentence of a line."""

from __future__ import annotations

from django import template
from django.utils.html import conditional_escape
from django.utils.safestring import SafeString, mark_safe

from glass_spoon.studio.show.sheet_rows import SheetRow
from glass_spoon.studio.show.value_html import value_html

register = template.Library()


@register.simple_tag
def sentence(part_id: int, row: SheetRow, *, may_edit: bool) -> SafeString:
    """Return the sentence of a line with its values."""
    pieces = []
    for part in row.parts:
        piece = value_html(part_id, row, part, may_edit=may_edit)
        pieces.append(f'<span class="with-tail">{piece}{conditional_escape(part.tail)}</span>' if part.tail else piece)
    return mark_safe("".join(pieces))
