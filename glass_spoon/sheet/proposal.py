"""A verb with the words of a text in its fields: the line that it would add, and what that needs before it."""

from __future__ import annotations

from dataclasses import dataclass

from glass_spoon.sheet.document import SheetDocument
from glass_spoon.sheet.edit import add_line, default_line, mesh_of_mark, new_id, with_own_name
from glass_spoon.sheet.fields import EVERY, ChoiceSpec, NameSpec, NumberSpec, ReferenceSpec, ReferencesSpec
from glass_spoon.sheet.fill_words import Filled, read_words
from glass_spoon.sheet.known_sizes import size_dimensions
from glass_spoon.sheet.line import Line
from glass_spoon.sheet.lines import VERBS
from glass_spoon.sheet.lines.mesh_work.mark import MarkLine
from glass_spoon.sheet.said_marks import MARKS, SaidMark, holder_of_marks, mark_of_whole, mark_of_words, said_mark


@dataclass(frozen=True, eq=False)
class Proposal:
    """A verb that the words may mean, and the line it would add.

    said: fields that the words filled, told: as they read. missed: words that were not understood. note: what is to be known
    of a verb that only comes near to what the words ask for. before: lines that the line needs and that are not there
    yet: of marks, of the mesh of a surface, of what is taken away first.
    read: all fields that words were read for, those that are as they were anyhow among them.
    """

    verb: str
    summary: str
    chapter: str
    line: Line
    said: tuple[str, ...] = ()
    told: tuple[str, ...] = ()
    missed: tuple[str, ...] = ()
    note: str = ""
    before: tuple[Line, ...] = ()
    read: frozenset[str] = frozenset()


def proposal_of(verb: str, text: str, document: SheetDocument) -> Proposal:
    """Fill a verb's fields from the words."""
    cls, plain = VERBS[verb], default_line(document, verb)
    sizes = tuple(size_dimensions(document))
    marked = said_mark(cls, text, document, sizes) if text.strip() else None
    line, filled = _read(plain, text, document, marked)
    elsewhere = marked is not None and marked.of not in ("", getattr(line, holder_of_marks(cls), ""))
    # As it is meant it takes none, or on another item: the words say something else.
    if elsewhere or (marked is not None and MARKS not in line.used_fields()):
        marked = None
        line, filled = _read(plain, text, document, None)
    if marked is None and cls.whole_means and "mesh" in filled.said and not getattr(line, MARKS):
        marked = mark_of_whole(cls)
    sides = mark_of_words(text, document, sizes) if verb == "mark" else None
    before: tuple[MarkLine, ...] = ()
    if marked is not None and (mesh := _mesh_of_marks(line, document)):
        line, document, before = _with_marks(line, document, marked, mesh)
    elif sides is not None:
        line, filled = _read(plain, sides.rest, document, None)
        if isinstance(line, MarkLine) and line.mesh:
            line, before = sides.on(line, document)
    said = tuple(name for name in line.used_fields() if getattr(line, name) != getattr(plain, name, None))
    told = tuple(told_of(line, name, document) for name in said)
    return Proposal(verb, cls.summary, cls.chapter, line, said, told, filled.missed, before=before, read=filled.said)


def _read(plain: Line, text: str, document: SheetDocument, marked: SaidMark | None) -> tuple[Line, Filled]:
    """Return a line with what the words fill, and what they filled; without the words that tell what is to be marked."""
    start = plain
    if marked is not None:
        of = {holder_of_marks(type(plain)): marked.mesh} if marked.mesh else {}
        start, text = plain.model_copy(update={MARKS: []} | of), marked.rest
    filled = read_words(start, text, document) if text.strip() else Filled(start, ())
    return with_own_name(document, _fitting(document, filled), filled.said), filled


def _mesh_of_marks(line: Line, document: SheetDocument) -> str:
    """Return the mesh that a line's marks are of, "" where it works on no mesh."""
    item = str(getattr(line, holder_of_marks(type(line)), ""))
    return item if document.kinds().get(item) == "mesh" else ""


def _with_marks(
    line: Line, document: SheetDocument, marked: SaidMark, mesh: str
) -> tuple[Line, SheetDocument, tuple[MarkLine, ...]]:
    """Return a line on what a text tells to be marked of a mesh, the document with its marks, and the lines of new ones."""
    marks, before = marked.every_line(document, mesh)
    for one in before:
        document = add_line(document, one)
    return line.model_copy(update={"id": new_id(document), MARKS: marks}), document, before


def _fitting(document: SheetDocument, filled: Filled) -> Line:
    """Return a line whose marks are of its mesh, and whose lists hold nothing that another field has.

    What was said decides: marks alone choose the mesh, a mesh alone keeps its own marks.
    """
    line, said = filled.line, filled.said
    marks = [name for name, spec in line.specs().items() if isinstance(spec, ReferencesSpec) and spec.kinds == ("mark",)]
    marks = [name for name in marks if name in line.used_fields()]
    values: dict[str, object] = {}
    if marks and isinstance(line.specs().get("mesh"), ReferenceSpec):
        own = [item for name in marks for item in getattr(line, name)]
        mesh = str(getattr(line, "mesh"))  # noqa: B009  (its spec says that it is there)
        if own and "mesh" not in said:
            mesh = mesh_of_mark(document, own[-1]) or mesh
            values["mesh"] = mesh
        for name in marks:
            if name not in said:
                values[name] = [item for item in getattr(line, name) if mesh_of_mark(document, item) in ("", mesh)]
    single = {getattr(line, name) for name, spec in line.specs().items() if isinstance(spec, ReferenceSpec) and name in said}
    for name, spec in line.specs().items():
        if isinstance(spec, ReferencesSpec) and name not in said and name not in marks:
            values[name] = [item for item in getattr(line, name) if item not in single]
    return type(line).model_validate(line.model_dump() | values) if values else line


def told_of(line: Line, name: str, document: SheetDocument) -> str:
    """Return how a field that was filled reads."""
    spec, value = line.spec(name), getattr(line, name)
    if isinstance(spec, ChoiceSpec):
        return spec.choice_label(str(value))
    if isinstance(spec, NameSpec):
        return f"called {value}"
    if isinstance(spec, ReferenceSpec):
        return f"every {spec.item_kind}" if value == EVERY else document.item_name(str(value))
    if isinstance(spec, ReferencesSpec):
        return ", ".join(document.item_name(item) for item in value)
    if isinstance(spec, NumberSpec):
        return f"{(spec.label or name).replace('_', ' ')} {value}"
    return str(value)
