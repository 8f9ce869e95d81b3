"""The sheet as an open, versioned JSON document."""

from __future__ import annotations

import json
import math
from collections.abc import Callable, Mapping
from typing import Annotated, Any, Literal, TypeVar

from pydantic import (
    BaseModel,
    ConfigDict,
    Field,
    PrivateAttr,
    SerializerFunctionWrapHandler,
    ValidationError,
    model_serializer,
    model_validator,
)

from glass_spoon.formats.clean_text import NotJson, read_json
from glass_spoon.kernel.gauges.reading import Limits
from glass_spoon.sheet.errors import BadDocument
from glass_spoon.sheet.expressions import RESERVED
from glass_spoon.sheet.fields import LineId
from glass_spoon.sheet.kinds import KINDS
from glass_spoon.sheet.line import Line
from glass_spoon.sheet.lines import VERBS, AnyLine
from glass_spoon.sheet.lines.remarks import Step
from glass_spoon.sheet.lines.sizes import Size
from glass_spoon.sheet.upgrades import upgrade_sheet, version_of
from glass_spoon.sheet.wrong_values import sentences_of

T = TypeVar("T")

FORMAT = "glass-spoon/sheet"
VERSION = 1
MAX_LINES = 500
MAX_BYTES = 4_000_000


class SheetLimits(BaseModel):
    """The limits that the gauges hold a part against: shares, degrees, mm, faces."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    face_budget: Annotated[int, Field(ge=1, le=10**9)] = 20_000
    evenness: Annotated[float, Field(ge=0, le=1)] = 0.8
    smallest_corner: Annotated[float, Field(ge=0, le=180)] = 45.0
    off_surface: Annotated[float, Field(gt=0, le=1e6)] = 0.5
    kink: Annotated[float, Field(gt=0, le=180)] = 40.0

    def for_gauges(self) -> Limits:
        """Return the kernel's limits."""
        return Limits(
            evenness=self.evenness,
            edge_evenness=self.evenness,
            smallest_corner=math.radians(self.smallest_corner),
            largest_corner=math.radians(180 - self.smallest_corner),
            off_surface=self.off_surface,
            kink=math.radians(self.kink),
            face_budget=self.face_budget,
        )


Colour = Literal["ink", "glass", "plum", "amber", "slate", "mist", "stone", "sand", "clay", "lilac", "moss", "dusk", "rose"]
"""The plain one, four strong ones, and the calm ones that bodies are told apart by."""


class Look(BaseModel):
    """How an item is shown: hidden, locked against the pen, its colour, and the layer it lies on ("" for none)."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    hidden: bool = False
    locked: bool = False
    colour: Colour = "ink"
    layer: Annotated[str, Field(max_length=40, pattern=r"^[^\x00-\x1f<>]*$")] = ""


class SheetDocument(BaseModel):
    """A part's whole recipe. Lines run in order; each may use what earlier lines give."""

    model_config = ConfigDict(extra="forbid", frozen=True, defer_build=True)

    format: Literal["glass-spoon/sheet"] = "glass-spoon/sheet"
    version: Literal[1] = 1
    name: Annotated[str, Field(min_length=1, max_length=80)] = "Part"
    lines: Annotated[list[Annotated[AnyLine, Field(discriminator="verb")]], Field(max_length=MAX_LINES)] = []
    limits: SheetLimits = SheetLimits()
    looks: Annotated[dict[LineId, Look], Field(max_length=MAX_LINES)] = {}
    hidden_layers: Annotated[list[Annotated[str, Field(max_length=40)]], Field(max_length=100)] = []
    _found: dict[str, tuple[Any, Mapping[str, Any]]] = PrivateAttr(default_factory=dict)
    """What was found of the lines, each with the lines that it was found of."""
    verb_versions: Annotated[dict[str, int], Field(max_length=MAX_LINES)] = {}
    """Versions of the verbs of the lines, those that are not 1; written with the sheet, and read before it is checked."""

    @model_serializer(mode="wrap")
    def _with_versions(self, write: SerializerFunctionWrapHandler) -> dict[str, Any]:
        """Write the versions of the verbs as they are."""
        data: dict[str, Any] = write(self)
        versions = {
            verb: version_of(verb) for verb in sorted({line.verb_name for line in self.lines}) if version_of(verb) > 1
        }
        return {**data, "verb_versions": versions}

    @model_validator(mode="after")
    def _check_names(self) -> SheetDocument:
        """Keep ids and size names apart from each other and from the words of expressions."""
        ids = [line.id for line in self.lines]
        if len(set(ids)) < len(ids):
            raise ValueError("two lines have the same id")
        names = [line.name for line in self.lines if isinstance(line, Size)]
        if len(set(names)) < len(names):
            raise ValueError("two sizes have the same name")
        taken = sorted(set(names) & RESERVED)
        if taken:
            raise ValueError(f"a size cannot be called {taken[0]}: it is a unit or a function")
        return self

    def line(self, line_id: str) -> Line:
        """Return a line by its id; KeyError for an unknown one."""
        return next(line for line in self.lines if line.id == line_id) if self.has(line_id) else _unknown(line_id)

    def has(self, line_id: str) -> bool:
        """Say whether there is a line with this id."""
        return any(line.id == line_id for line in self.lines)

    def number_of(self, line_id: str) -> int:
        """Return the number that a line shows, counted from 1 without sizes and steps; 0 for one of those."""
        return self._once("numbers", self._find_numbers).get(line_id, 0)

    def _find_numbers(self) -> dict[str, int]:
        counted = (line.id for line in self.lines if not isinstance(line, Size | Step))
        return {line_id: number for number, line_id in enumerate(counted, 1)}

    def kinds(self) -> Mapping[str, str]:
        """Return the kind of item that each line gives, by id; that of a verb on any item follows its own item."""
        return self._once("kinds", self._find_kinds)

    def _once(self, what: str, find: Callable[[], Mapping[str, T]]) -> Mapping[str, T]:
        """Return what is found of the lines, remembered as long as they are the same."""
        kept = self._found.get(what)
        if kept is None or kept[0] is not self.lines:
            kept = self._found[what] = (self.lines, find())
        found: Mapping[str, T] = kept[1]
        return found

    def _find_kinds(self) -> dict[str, str]:
        found: dict[str, str] = {}
        for line in self.lines:
            kind = (
                found.get(str(getattr(line, line.gives_like)), line.gives_kind or "curve")
                if line.gives_like
                else line.gives_kind
            )
            if kind:
                usual = KINDS[kind].several if line.gives_several else KINDS[kind].single if line.gives_one else kind
                found[line.id] = line.kind_made_of(kind) or usual
        return found

    def kind_of(self, line_id: str) -> str | None:
        """Return the kind of item that a line gives, None for none."""
        return self.kinds().get(line_id)

    def item_names(self) -> dict[str, str]:
        """Return the user's names of all items by id."""
        return {line.id: str(getattr(line, "gives", "")) for line in self.lines if line.item_id == line.id}

    def item_name(self, item_id: str) -> str:
        """Return the user's name of an item, or "" when no line gives it."""
        names = self._once("names", lambda: {line.id: str(getattr(line, "gives", "")) for line in self.lines})
        return names.get(item_id, "")

    def look(self, item_id: str) -> Look:
        """Return how an item is shown."""
        return self.looks.get(item_id, Look())

    def is_hidden(self, item_id: str) -> bool:
        """Say whether an item is hidden, by itself or with its layer."""
        look = self.look(item_id)
        return look.hidden or (look.layer != "" and look.layer in self.hidden_layers)

    def layers(self) -> list[str]:
        """Return the names of all layers in use, "construction" first: it is always at hand."""
        named = {look.layer for look in self.looks.values() if look.layer}
        return ["construction", *sorted(named - {"construction"})]

    def to_json(self) -> str:
        """Return the document as text."""
        return json.dumps(self.model_dump(mode="json"), indent=1, ensure_ascii=False)


def _unknown(line_id: str) -> Line:
    raise KeyError(line_id)


def read_document(data: bytes | str | dict[str, Any]) -> SheetDocument:
    """Return a checked document from JSON text or parsed JSON.

    Raises BadDocument with a sentence for each problem; nothing of the input is used then.
    """
    if isinstance(data, bytes | str):
        if len(data) > MAX_BYTES:
            raise BadDocument([f"It has {len(data):,} bytes; the most is {MAX_BYTES:,}."])
        try:
            data = read_json(data)
        except NotJson as error:
            raise BadDocument([f"It is not JSON text ({error})."]) from error
    if not isinstance(data, dict) or data.get("format") != FORMAT:
        raise BadDocument([f"It is not a sheet: the field “format” should be “{FORMAT}”."])
    if data.get("version") != VERSION:
        raise BadDocument([f"It has version {data.get('version')}; this program reads version {VERSION}."])
    fresh = upgrade_sheet(data)
    try:
        return SheetDocument.model_validate(fresh)
    except ValidationError as error:
        raise BadDocument(sentences_of(error.errors(), fresh, VERBS)) from error


def json_schema() -> dict[str, Any]:
    """Return the JSON Schema (2020-12) of the document."""
    schema = SheetDocument.model_json_schema()
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **schema, "title": "Glass Spoon sheet, version 1"}
