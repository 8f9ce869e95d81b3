"""The page that tells the written form, made from the declarations of the verbs."""

from __future__ import annotations

from glass_spoon.sheet.fields import (
    ChoiceSpec,
    CornersSpec,
    FileSpec,
    MakerSpec,
    NameSpec,
    PointsSpec,
    ReferenceSpec,
    ReferencesSpec,
    Spec,
    TableSpec,
)
from glass_spoon.sheet.line import CHAPTERS, Line
from glass_spoon.sheet.lines import VERB_CLASSES
from glass_spoon.sheet.text_form.read_sentence import APART
from glass_spoon.sheet.text_form.write_text import FORM, HEAD

INTRODUCTION = f"""# The written form of a sheet

Written from the declarations by `./spoon grammar`; do not edit by hand.

A sheet can be stored as JSON (`docs/sheet-1.schema.json`), and written as Markdown, the form of this page: it reads well in
a mail, shows its changes line by line in version control, and reads back to the same lines. `./spoon write part.json
part.md` writes one from the other, both ways; `./spoon build part.md --out part.glb` builds it. On the bench it is what Copy
puts on the clipboard and what Paste reads.

## The whole

    ---
    {HEAD}: {FORM}
    limits: {{"off_surface": 1.2}}
    looks: {{"body": {{"colour": "slate"}}}}
    hidden layers: ["construction"]
    verbs: {{"ring": 3}}
    ---

    # The name of the part

    - wall = `1.5 mm`

    ## A step

    1. **Revolve** *profile* about the `upright axis`, giving *body*.

    > A remark.

The head stands between two lines of three dashes. Its first line is the form and its version; the others are JSON, and each
may be missing: limits that differ from the usual ones, looks by item, layers that are hidden, and versions of the verbs that
are not 1. A text of another version, of the form or of a verb, is refused with a sentence; one without `verbs` was written
by hand, in the words of today. What is copied has no head.

| what | how it is written |
| --- | --- |
| size | an item of a list: its name, `=`, its value as code |
| step | a heading; it holds what follows, up to the next one |
| remark | a quotation |
| line | an item of a numbered list: the sentence of its verb |
| number, choice, law, text | code: `` `2 * wall + 1 mm` `` |
| item | its name in italics: *body*; by its line where the name is not its own: *line 4*; *none*; *every one* |
| several items | one behind the other, with commas: *rim*, *foot* |
| values of corners | code: `` `2: 5 mm, 4: 0` ``, or `none` |
| points and rows | how many, as code; the table beneath the line, indented by three spaces |
| file | `the file`; its text beneath the line, indented, between rows of `~~~` and the name of the field |
| paused | ` (paused)` behind the line |

A clause in [brackets] below is left out while its values are as the verb has them by itself. A value that is not usual and
that the sentence does not show stands behind it: `Kept aside: radius` and its value as code. A backslash takes a sign of
Markdown as it is. A sentence may be broken into several rows. An empty value, and one that stands in
quotes itself, gets quotes about it.

## The sentences

Some sentences say more with some values: a bevel by its width says other things than one by its radius. Those are listed
with the value that calls for them; others add words behind a choice, as the verb's line on the bench shows.
"""


def write_grammar() -> str:
    """Return the page as Markdown."""
    parts = [INTRODUCTION]
    for chapter in CHAPTERS:
        verbs = [cls for cls in VERB_CLASSES if cls.chapter == chapter and cls.model_fields["verb"].default not in APART]
        if verbs:
            parts += [f"### {chapter}\n", *map(_verb, verbs)]
    return "\n".join(parts)


def _verb(cls: type[Line]) -> str:
    """Return the sentences of a verb and what stands in them."""
    other = [f"> with {key}: {text}\n" for key, text in cls.wordings.items() if text != cls.sentence]
    fields = "; ".join(f"{{{name}}} {_kind(spec)}" for name, spec in cls.specs().items())
    return "\n".join([f"> {cls.sentence}\n", *other, f"{fields}.\n"])


def _kind(spec: Spec) -> str:
    """Say how a field is written."""
    kinds: dict[type[Spec], str] = {
        NameSpec: "name",
        ReferenceSpec: "item",
        MakerSpec: "item",
        ReferencesSpec: "items",
        CornersSpec: "values of corners",
        PointsSpec: "table",
        TableSpec: "table",
        FileSpec: "file",
    }
    if isinstance(spec, ChoiceSpec):
        return "one of " + ", ".join(f"`{spec.choice_label(choice)}`" for choice in spec.choices)
    return kinds.get(type(spec), "code")
