"""The base of every verb: one class declares fields, sentence, chapter, what it takes and gives, its cost and its work."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cache, lru_cache
from types import MappingProxyType
from typing import Any, ClassVar, Literal, TypeVar

from pydantic import BaseModel, ConfigDict

from glass_spoon.kernel.curves.evaluate.curve import NurbsCurve
from glass_spoon.kernel.errors import InvalidInput
from glass_spoon.kernel.law import Law
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet, one_as_set
from glass_spoon.kernel.trims.face import FaceSet
from glass_spoon.kernel.trims.from_set import faces_of_set
from glass_spoon.sheet.expressions import Quantity
from glass_spoon.sheet.fields import (
    LineId,
    ReferenceSpec,
    ReferencesSpec,
    Spec,
    spec_of,
)
from glass_spoon.sheet.handle import Handle, ItemOf, place_handles
from glass_spoon.sheet.items import (
    BodiesItem,
    CurveItem,
    CurvesItem,
    Item,
    MarkItem,
    MeshItem,
    SurfaceItem,
    SurfacesItem,
    TrimmedItem,
)
from glass_spoon.sheet.phrase import Phrase
from glass_spoon.sheet.sources import NOTHING_KEPT, Sources
from glass_spoon.sheet.upgrades import version_of

CHAPTERS = ("Sizes", "References", "Draw", "Form", "Place", "Shape", "Mesh", "Detail", "Finish", "Remarks")

Progress = Callable[[float], None]
"""Takes the share (0 to 1) of a line's work that is done; may raise to stop it."""

T = TypeVar("T")

_PART = re.compile(r"\*\*(.+?)\*\*|\{(\w+)\}")

MOST_SENTENCES = 4096
"""Sentences whose parts are remembered: verbs have a few hundred, each with the words that some values add."""

_CLAUSE = re.compile(r"\[(.*?)\]|([^\[]+)")


@dataclass(frozen=True)
class Part:
    """A piece of a sentence: plain text, a bold verb, or a field (its name in `text`)."""

    kind: Literal["text", "verb", "field"]
    text: str


@dataclass(frozen=True)
class Clause:
    """A stretch of a sentence. optional: it goes without saying while its fields are as the verb has them by itself."""

    parts: tuple[Part, ...]
    optional: bool = False

    @property
    def fields(self) -> list[str]:
        """The names of its fields."""
        return [part.text for part in self.parts if part.kind == "field"]


@dataclass(frozen=True)
class Action:
    """A way out that a finding offers: set a field of the line to a value.

    values: several fields at once. adds: a verb whose line is added after, with the field set so; "mark" adds one before it,
    with `values`, and gives it to the field; "fill" closes the rims of the mesh `value` before it. line: the id of another
    line that is changed in place of the one that found it. instead: a verb that takes the place of this line's. before: the
    id of a line before which this one moves, with what it needs.
    """

    label: str
    field: str
    value: str
    values: tuple[tuple[str, str], ...] = ()
    adds: str = ""
    line: str = ""
    instead: str = ""
    before: str = ""

    @property
    def values_json(self) -> str:
        """The fields to set at once as JSON, "" for one."""
        return json.dumps(dict(self.values)) if self.values else ""


@dataclass(frozen=True, eq=False)
class Finding:
    """Something to tell about a line.

    severity "failed" stops the line, "look" does not. offenders are element indices of the line's mesh, of `kind`.
    """

    code: str
    severity: Literal["look", "failed"]
    sentence: str
    actions: tuple[Action, ...] = ()
    kind: str = "face"
    offenders: tuple[int, ...] = ()


@dataclass(frozen=True, eq=False)
class Given:
    """What a line has to work with: resolved values by field, items by field, and where to report progress.

    ids: of the items by field, and under "" the id of what the line gives or of the line that alters; for lines that sign.
    colours: by item, of the items that have one; for lines that see colours. sources: of what the sheet refers to.
    """

    values: Mapping[str, Any]
    items: Mapping[str, Item]
    progress: Progress = field(default=lambda share: None)
    ids: Mapping[str, str] = field(default_factory=dict)
    colours: Mapping[str, str] = field(default_factory=dict)
    sources: Sources = NOTHING_KEPT

    def number(self, name: str) -> float:
        """Return a number field in mm, rad or plain."""
        return float(self.values[name])

    def count(self, name: str) -> int:
        """Return a whole-number field."""
        return int(self.values[name])

    def word(self, name: str) -> str:
        """Return a choice or a text."""
        return str(self.values[name])

    def curve(self, name: str) -> CurveItem:
        """Return the curve that a field refers to."""
        return self._item(name, CurveItem)

    def curves(self, name: str) -> tuple[NurbsCurve, ...]:
        """Return the curve, or all curves of the set, that a field refers to."""
        item = self.items[name]
        if isinstance(item, CurvesItem):
            return item.curves
        return (self.curve(name).curve,)

    def every_curve(self, name: str) -> list[NurbsCurve]:
        """Return the curves of a list of references in order, those of sets one after another."""
        found: list[NurbsCurve] = []
        for key, item in self.items.items():
            if key.rpartition(".")[0] == name:
                found += item.curves if isinstance(item, CurvesItem) else [self.curve(key).curve]
        return found

    def law(self, name: str) -> Law:
        """Return a law in the base unit."""
        value = self.values[name]
        if not isinstance(value, Law):
            raise InvalidInput(f"The field {name}", "a law", "another value")
        return value

    def surface(self, name: str) -> SurfaceItem:
        """Return the surface that a field refers to."""
        return self._item(name, SurfaceItem)

    def surfaces(self, name: str) -> SurfaceSet:
        """Return the set of surfaces that a field refers to; a single one is a set of its own."""
        item = self.items[name]
        return item.shape if isinstance(item, SurfacesItem) else one_as_set(self.surface(name).surface)

    def every_set(self, name: str) -> list[SurfaceSet]:
        """Return the set, or the single surface as a set, of each item of a list of references, in order."""
        return [self.surfaces(key) for key in self._keys(name)]

    def faces(self, name: str) -> FaceSet:
        """Return the faces of the trimmed surface, the surface or the set that a field refers to."""
        item = self.items[name]
        return item.shape if isinstance(item, TrimmedItem) else faces_of_set(self.surfaces(name))

    def mesh(self, name: str) -> MeshItem:
        """Return the mesh that a field refers to; bodies are written out."""
        item = self.items[name]
        return item.whole if isinstance(item, BodiesItem) else self._item(name, MeshItem)

    def meshes(self, name: str) -> list[MeshItem]:
        """Return the meshes of a list of references, in order."""
        return [self.mesh(key) for key in self._keys(name)]

    def marks(self, name: str) -> list[MarkItem]:
        """Return the marks of a list of references, in order."""
        return [self._item(key, MarkItem) for key in self._keys(name)]

    def _keys(self, name: str) -> list[str]:
        return [key for key in self.items if key.rpartition(".")[0] == name]

    def _item(self, name: str, kind: type[T]) -> T:
        item = self.items[name]
        if not isinstance(item, kind):
            raise InvalidInput(f"The field {name}", f"a {kind.__name__}", f"a {item.kind}")
        return item


class Line(BaseModel):
    """One line of a sheet. Subclasses set the class variables, declare fields with specs, and build.

    verb: its name in files. words: other plain words that find it; phrases: those that fill fields too. sentence: prose
    with **verb** and {fields}, and [clauses] that go without saying while their fields are usual; `wordings` are other
    sentences, by the value of the choice `wording_field`. signs: the result says what made it. gives_like: the field
    whose item says of which kind the result is, for verbs on any item (several of them with `gives_several`, one of several
    with `gives_one`). acts_on: the kinds of elements to which it is done at once when they are picked on the board, by the
    key `act_key`. uses_up: fields whose items rest, as what is given stands in their place. results: the version of what it
    makes of the same values, raised when its work changes. stays_put: what it alters stays where it lies as a whole.
    ends_are_rims: top and bottom of a mesh are open rims to it.
    whole_means: what it marks of a mesh that is said whole, with no mark. faces_mean: what it marks of faces that are said,
    where it takes edges.
    """

    model_config = ConfigDict(extra="forbid", frozen=True, defer_build=True)

    chapter: ClassVar[str]
    summary: ClassVar[str]
    words: ClassVar[tuple[str, ...]] = ()
    phrases: ClassVar[tuple[Phrase, ...]] = ()
    sentence: ClassVar[str]
    wording_field: ClassVar[str] = ""
    wordings: ClassVar[dict[str, str]] = {}
    led: ClassVar[Mapping[str, str]] = {}
    gives_kind: ClassVar[str | None] = None
    acts_on: ClassVar[tuple[str, ...]] = ()
    act_key: ClassVar[str] = ""
    signs: ClassVar[bool] = False
    gives_like: ClassVar[str] = ""
    gives_several: ClassVar[bool] = False
    gives_one: ClassVar[bool] = False
    results: ClassVar[int] = 1
    uses_up: ClassVar[tuple[str, ...]] = ()
    stays_put: ClassVar[bool] = False
    ends_are_rims: ClassVar[bool] = False
    whole_means: ClassVar[str] = ""
    faces_mean: ClassVar[str] = ""

    id: LineId
    paused: bool = False

    @property
    def verb_name(self) -> str:
        """The verb's name in files."""
        return str(getattr(self, "verb"))  # noqa: B009  (declared by each subclass as a literal)

    def roles_after(self) -> tuple[str, str]:
        """Return the roles of the faces and of the edges that lines after this call `it` and `its edges`, "" for none."""
        return "", ""

    def ways_to_start(self) -> tuple[Action, ...]:
        """Return what may be done at once where the line waits for something to be picked."""
        return ()

    @property
    def version(self) -> int:
        """The version of the verb's fields (upgrades.py)."""
        return version_of(self.verb_name)

    @classmethod
    def specs(cls) -> Mapping[str, Spec]:
        """Return the declared fields in order."""
        return _specs(cls)

    @classmethod
    def spec(cls, name: str) -> Spec:
        """Return one declared field; KeyError for an unknown name."""
        return cls.specs()[name]

    def references(self) -> dict[str, str]:
        """Return the id of the line that each filled reference names, by field; of a list by `field.place`."""
        specs = self.specs()
        now = self.used_fields()
        found: dict[str, str] = {}
        for name, spec in specs.items():
            if name in now and isinstance(spec, ReferenceSpec):
                found[name] = str(getattr(self, name))
            elif name in now and isinstance(spec, ReferencesSpec):
                found |= {f"{name}.{place}": item for place, item in enumerate(getattr(self, name))}
        return {name: value for name, value in found.items() if value}

    @property
    def used_up(self) -> set[str]:
        """The ids of the items that what is given stands for: what was repeated, or became part of another body."""
        fields = {*self.uses_up, *([self.gives_like] if self.gives_several else [])}
        return {item for name, item in self.references().items() if name.partition(".")[0] in fields}

    @property
    def sees_colours(self) -> bool:
        """Say whether the colours of items decide the result."""
        return False

    @property
    def changes(self) -> str | None:
        """The id of the item that this line alters, or None when it gives a new one."""
        for name, spec in self.specs().items():
            if isinstance(spec, ReferenceSpec) and spec.changes:
                return str(getattr(self, name)) or None
        return None

    @property
    def item_id(self) -> str | None:
        """The item whose state this line makes: its own, or the one that it alters."""
        return self.changes or (self.id if self.gives_kind else None)

    def kind_made_of(self, kind: str) -> str:
        """Return the kind of what is given for an item of a kind, "" where the class variables say it."""
        return ""

    def prose(self) -> list[Part]:
        """Return the whole sentence in parts."""
        return list(_parts_of(_said_in_full(self.sentence_now())))

    def clauses(self) -> tuple[Clause, ...]:
        """Return the sentence clause by clause."""
        return clauses_of(self.sentence_now())

    def is_usual(self, name: str) -> bool:
        """Say whether a field holds what the verb has by itself."""
        spec, own = self.spec(name), getattr(self, name)
        usual = type(self).usual(name)
        return bool(own == usual) or spec.typed(own) == spec.typed(usual)

    @classmethod
    def usual(cls, name: str) -> Any:
        """Return what the verb has in a field by itself."""
        return cls.model_fields[name].get_default(call_default_factory=True)

    def is_quiet(self, clause: Clause) -> bool:
        """Say whether a clause goes without saying."""
        return clause.optional and all(self.is_usual(name) for name in clause.fields)

    def sentence_now(self) -> str:
        """Return the sentence for the present values."""
        return self.wordings.get(str(getattr(self, self.wording_field)), self.sentence) if self.wordings else self.sentence

    def used_fields(self) -> list[str]:
        """Return the fields of the present sentence."""
        return [part.text for part in self.prose() if part.kind == "field"]

    def resolve(self, sizes: Mapping[str, Quantity]) -> dict[str, Any]:
        """Return the value of every field that decides the result, checked against its range.

        Raises BadExpression or InvalidInput with a sentence that names the field.
        """
        specs = self.specs()
        return {name: specs[name].resolve(name, getattr(self, name), sizes) for name in self.deciding_fields()}

    def deciding_fields(self) -> list[str]:
        """Return the fields that decide the result: all but names, references, and those of other wordings."""
        now = {name for _, name in _PART.findall(self.sentence_now())}
        ever = {name for text in (self.sentence, *self.wordings.values()) for _, name in _PART.findall(text)}
        names = [name for name, spec in self.specs().items() if spec.holds_value]
        return [name for name in names if name in now or name not in ever]

    def predict_faces(self, given: Given) -> int:
        """Return the number of faces that the line will make, before it runs."""
        return 0

    def build(self, given: Given) -> Item | None:
        """Do the work; raises KernelError with a sentence when it cannot."""
        raise NotImplementedError

    def inspect(self, item: Item) -> list[Finding]:
        """Return what is worth a look in a result that was built."""
        return []

    def handles(self, values: Mapping[str, Any], item_of: ItemOf) -> list[Handle]:
        """Return what of the line is taken by the hand on the board, of its resolved values: at least its places."""
        return place_handles(self.specs(), self.used_fields(), values, str(getattr(self, "plane", "front")))

    def ways_out(self, error: Exception) -> tuple[Action, ...]:
        """Return the actions that would mend an error of this line."""
        return ()


@lru_cache(maxsize=MOST_SENTENCES)
def clauses_of(sentence: str) -> tuple[Clause, ...]:
    """Return a declared sentence clause by clause."""
    return tuple(Clause(_parts_of(found[1] or found[2]), found[1] is not None) for found in _CLAUSE.finditer(sentence))


def _said_in_full(sentence: str) -> str:
    """Return a declared sentence with all its clauses."""
    return sentence.replace("[", "").replace("]", "")


@lru_cache(maxsize=MOST_SENTENCES)
def _parts_of(text: str) -> tuple[Part, ...]:
    """Return words with **verb** and {fields} in parts."""
    parts: list[Part] = []
    at = 0
    for match in _PART.finditer(text):
        if match.start() > at:
            parts.append(Part("text", text[at : match.start()]))
        parts.append(Part("verb", match[1]) if match[1] else Part("field", match[2]))
        at = match.end()
    return tuple([*parts, Part("text", text[at:])] if at < len(text) else parts)


@cache
def _specs(cls: type[Line]) -> Mapping[str, Spec]:
    """Return the declared fields of a verb in order; they are asked for all the time."""
    found = {name: spec_of(info.metadata) for name, info in cls.model_fields.items()}
    return MappingProxyType({name: spec for name, spec in found.items() if spec is not None})
