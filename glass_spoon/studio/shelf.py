"""Sheets as they are stored: the files of their lines stand outside, by the hash of their content.

A drawing of a megabyte would else be written anew with every step of the history. What is read back is the sheet as it was.
"""

from __future__ import annotations

import hashlib
import json
import re
from collections import OrderedDict
from threading import Lock
from typing import Any

from django.apps import apps
from django.utils import timezone

from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.remembered import Remembered
from glass_spoon.sheet.document import SheetDocument, read_document
from glass_spoon.sheet.fields import FileSpec
from glass_spoon.sheet.lines import VERBS
from glass_spoon.sheet.stored_files import digest_of

LEAST_OUTSIDE = 1000
"""Characters from which on the text of a file stands outside."""

MOST_AT_HAND = 64_000_000
"""Most characters of files that stay at hand in a process."""

_KEPT = re.compile(r"^kept:([0-9a-f]{32})$")


class _AtHand:
    """Texts of files by their hash, the least recently used thrown out first; safe for threads."""

    def __init__(self) -> None:
        self._texts: OrderedDict[str, str] = OrderedDict()
        self._size, self._lock = 0, Lock()

    def get(self, digest: str) -> str | None:
        """Return a text, or None."""
        with self._lock:
            if digest in self._texts:
                self._texts.move_to_end(digest)
            return self._texts.get(digest)

    def put(self, digest: str, text: str) -> None:
        """Keep a text."""
        with self._lock:
            if digest not in self._texts:
                self._texts[digest] = text
                self._size += len(text)
            while self._size > MOST_AT_HAND and len(self._texts) > 1:
                self._size -= len(self._texts.popitem(last=False)[1])


_at_hand = _AtHand()


def kept_start(digest: str) -> str:
    """Return how a stored sheet refers to a file that stands outside it."""
    return f"kept:{digest}"


def to_store(document: SheetDocument) -> dict[str, Any]:
    """Return a sheet as it is stored, the files of its lines kept outside."""
    data = document.model_dump(mode="json")
    for line, name in _file_fields(data):
        text = line[name]
        if _KEPT.match(text):
            raise KernelError("The file in a line cannot be read. Choose it again.")
        if len(text) >= LEAST_OUTSIDE:
            line[name] = kept_start(_kept(text))
    return data


def _kept(text: str) -> str:
    """Keep a text and return its hash. The row is asked each time: what is at hand here may be thrown away there."""
    data = text.encode("utf-8", "surrogateescape")
    digest = digest_of(data)
    files = apps.get_model("studio", "StoredFile").objects
    if not files.filter(digest=digest).update(chosen_at=timezone.now()):
        files.get_or_create(digest=digest, defaults={"data": data, "name": "file of a line"})
    _at_hand.put(digest, text)
    return digest


def from_store(data: dict[str, Any]) -> dict[str, Any]:
    """Return a stored sheet with the files of its lines, as parsed JSON; a file that is gone is an empty field."""
    found = [(line, name, match[1]) for line, name in _file_fields(data) if (match := _KEPT.match(line[name]))]
    if not found:
        return data
    texts = _texts({digest for _, _, digest in found})
    fresh = {**data, "lines": [dict(line) for line in data["lines"]]}
    for line, name in _file_fields(fresh):
        match = _KEPT.match(line[name])
        if match:
            line[name] = texts.get(match[1], "")
    return fresh


def _texts(digests: set[str]) -> dict[str, str]:
    """Return the texts of files by their hash."""
    found = {digest: text for digest in digests if (text := _at_hand.get(digest)) is not None}
    missing = digests - found.keys()
    if missing:
        files = apps.get_model("studio", "StoredFile").objects.filter(digest__in=missing)
        for digest, content in files.values_list("digest", "data"):
            found[digest] = bytes(content).decode("utf-8", "surrogateescape")
            _at_hand.put(digest, found[digest])
    return found


def read_stored(data: dict[str, Any]) -> SheetDocument:
    """Return a stored sheet, checked, with the files of its lines; worked out once for a content."""
    return _read.get(_content_of(data), lambda: read_document(from_store(data)))


_read: Remembered[SheetDocument] = Remembered(128)
"""The sheets that were read last, by the hash of what is stored."""


def note_stored(data: dict[str, Any], document: SheetDocument) -> None:
    """Remember which sheet was just stored, so that it need not be read back."""
    _read.get(_content_of(data), lambda: document)


def _content_of(data: dict[str, Any]) -> bytes:
    """Return a hash of a stored sheet."""
    return hashlib.blake2b(json.dumps(data, sort_keys=True).encode(), digest_size=16).digest()


FILE_FIELDS = {
    verb: tuple(name for name, spec in cls.specs().items() if isinstance(spec, FileSpec)) for verb, cls in VERBS.items()
}
"""The fields of each verb that hold files."""


def _file_fields(data: dict[str, Any]) -> list[tuple[dict[str, Any], str]]:
    """Return the lines, and their fields, that hold the text of a file."""
    lines = [line for line in data.get("lines", []) if isinstance(line, dict)]
    return [
        (line, name)
        for line in lines
        for name in FILE_FIELDS.get(line.get("verb", ""), ())
        if isinstance(line.get(name), str)
    ]
