"""A sheet from a file of either form: JSON, or the written form."""

from __future__ import annotations

from glass_spoon.sheet.document import MAX_BYTES, SheetDocument, read_document
from glass_spoon.sheet.errors import BadDocument
from glass_spoon.sheet.text_form.read_text import is_sheet_text, read_text


def read_sheet(data: bytes) -> SheetDocument:
    """Return the sheet that a file holds; raises BadDocument with a sentence for each problem."""
    if len(data) > MAX_BYTES:
        raise BadDocument([f"It has {len(data):,} bytes; the most is {MAX_BYTES:,}."])
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise BadDocument(["It is no text in UTF-8."]) from error
    return read_text(text) if is_sheet_text(text) else read_document(data)
