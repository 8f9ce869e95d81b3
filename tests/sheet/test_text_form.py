"""The written form of sheets: what is written reads back to the same lines, and reads well."""

import json
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from glass_spoon.sheet.document import SheetDocument, read_document
from glass_spoon.sheet.errors import BadDocument
from glass_spoon.sheet.fields import (
    ChoiceSpec,
    CornersSpec,
    FileSpec,
    LawSpec,
    MakerSpec,
    NameSpec,
    NumberSpec,
    PictureSpec,
    PointsSpec,
    QuantitySpec,
    ReferenceSpec,
    ReferencesSpec,
    Spec,
    TableSpec,
)
from glass_spoon.sheet.line import Line
from glass_spoon.sheet.lines import VERBS
from glass_spoon.sheet.text_form.marks import CODE, code, read_code, without_marks
from glass_spoon.sheet.text_form.read_text import read_lines, read_text
from glass_spoon.sheet.text_form.write_text import write_lines, write_text

DEMO = Path(__file__).parents[2] / "glass_spoon/studio/demo"
DEMO_SHEETS = sorted(DEMO.glob("*.json"))
FROZEN = Path(__file__).parent / "formats/version-2/every-verb.json"

SIGNS = st.text("ab Z0.9*_`\\[]\"'|#->~é,;:=", max_size=12)
TYPED = st.one_of(
    st.sampled_from(["5 mm", "2 * wall + 1 mm", "30°", "64", "wall", "-3.25 mm", "0", "1 to 0.5 eased"]), SIGNS
)
PLAIN = st.one_of(st.integers(-1000, 1000), st.floats(-1000, 1000, allow_nan=False))


def canonical(document: SheetDocument) -> dict[str, Any]:
    """Return a sheet with its lines called l1, l2 … in order, and plain numbers as they would be typed."""
    data = document.model_dump(mode="json")
    ids = {line["id"]: f"l{number}" for number, line in enumerate(data["lines"], 1)}
    lines = [typed(line, ids) for line in document.lines]
    looks = {ids[item]: look for item, look in data["looks"].items() if item in ids}
    return {**data, "lines": lines, "looks": looks}


def typed(line: Line, ids: dict[str, str]) -> dict[str, Any]:
    """Return a line whose numbers are texts and whose references are the new ids; what is usual is as the verb has it."""
    plain = type(line).model_validate({"id": "l1", "verb": line.verb_name}).model_dump(mode="json")
    fresh = {**line.model_dump(mode="json"), "id": ids[line.id]}
    for name, spec in line.specs().items():
        value = fresh[name]
        if line.is_usual(name):
            fresh[name] = plain[name]
        elif isinstance(spec, NumberSpec | QuantitySpec):
            fresh[name] = spec.typed(value)
        elif isinstance(spec, ReferenceSpec | MakerSpec):
            fresh[name] = ids.get(value, value if value == "every" else "")
        elif isinstance(spec, ReferencesSpec):
            fresh[name] = [ids[item] for item in value if item in ids]
        elif isinstance(spec, PointsSpec):
            fresh[name] = [
                {axis: number(cell) if axis in ("x", "y", "out") else cell for axis, cell in row.items()} for row in value
            ]
        elif isinstance(spec, TableSpec):
            fresh[name] = [{column: number(cell) for column, cell in row.items()} for row in value]
    return fresh


def number(cell: Any) -> Any:
    """Return a cell that holds a bare number as one."""
    try:
        return json.loads(cell) if isinstance(cell, str) and not cell.startswith('"') else cell
    except ValueError:
        return cell


@pytest.mark.parametrize("path", DEMO_SHEETS, ids=lambda path: path.stem)
def test_a_demo_sheet_reads_back_as_it_was(path):
    """Write each sheet of the demo as Markdown and read it: the same lines, looks and limits, and the same text again."""
    document = read_document(path.read_bytes())
    text = write_text(document)
    again = read_text(text)
    assert again.model_dump(mode="json") == canonical(document)
    assert write_text(again) == text


@pytest.mark.parametrize("path", DEMO_SHEETS, ids=lambda path: path.stem)
def test_the_demo_stands_in_both_forms(path):
    """The Markdown beside a demo sheet says what its JSON says."""
    assert path.with_suffix(".md").read_text() == write_text(read_document(path.read_bytes()))


def test_every_line_kept_from_older_formats_can_be_written():
    """The frozen samples of every verb come back as they are read today."""
    frozen = json.loads(FROZEN.read_text())
    for verb, kept in frozen["verbs"].items():
        document = read_document({**frozen["sheet"], "lines": [*frozen["sheet"]["lines"], kept["line"]]})
        assert read_text(write_text(document)).model_dump(mode="json") == canonical(document), verb


def values_of(spec: Spec, items: list[str]) -> st.SearchStrategy[Any]:
    """Return values that a field of a kind may hold."""
    reference = st.sampled_from(["", *items])
    points = st.fixed_dictionaries(
        {"x": PLAIN | TYPED.filter(str.strip), "y": PLAIN},
        optional={"out": PLAIN, "sharp": st.booleans(), "weight": st.floats(0.1, 10)},
    )
    kinds: dict[type, st.SearchStrategy[Any]] = {
        NumberSpec: PLAIN | TYPED,
        QuantitySpec: PLAIN | TYPED,
        LawSpec: TYPED,
        NameSpec: st.text("ab *_`\\[]'|#1", min_size=1, max_size=9).filter(str.strip),
        ReferenceSpec: reference,
        MakerSpec: reference,
        ReferencesSpec: st.lists(st.sampled_from(items), max_size=3) if items else st.just([]),
        PointsSpec: st.lists(points, max_size=3),
        CornersSpec: st.lists(st.fixed_dictionaries({"corner": st.integers(1, 99), "value": st.just("5 mm")}), max_size=2),
        FileSpec: st.text("<a/> \n~`|\\", max_size=30),
        PictureSpec: st.sampled_from(["", "7"]),
    }
    if isinstance(spec, ChoiceSpec):
        return st.sampled_from(spec.choices)
    if isinstance(spec, TableSpec):
        cells = {column.name: PLAIN for column in spec.columns}
        blank = {name: cell for name, cell in cells.items() if next(c for c in spec.columns if c.name == name).blank}
        return st.lists(
            st.fixed_dictionaries({k: v for k, v in cells.items() if k not in blank}, optional=blank), max_size=3
        )
    return kinds.get(type(spec), TYPED)


@st.composite
def sheets(draw: st.DrawFn, verb: str) -> SheetDocument:
    """Return a sheet of three items and a line of a verb with any values that may be stored."""
    before = [
        {"id": "a1", "verb": "circle", "gives": "rim"},
        {"id": "b", "verb": "simple", "gives": "body *1*"},
        {"id": "c", "verb": "mesh", "surface": "b", "gives": "line 2"},
    ]
    known = VERBS[verb].specs()
    chosen = draw(st.sets(st.sampled_from(sorted(known)), max_size=8)) if known else set()
    values = {name: draw(values_of(known[name], ["a1", "b", "c"])) for name in sorted(chosen)}
    line = {"id": "z", "verb": verb, "paused": draw(st.booleans()), **values}
    try:
        return read_document({"format": "glass-spoon/sheet", "version": 1, "lines": [*before, line]})
    except BadDocument:
        plain = {"id": "z", "verb": verb}
        return read_document({"format": "glass-spoon/sheet", "version": 1, "lines": [*before, plain]})


@pytest.mark.parametrize("verb", sorted(VERBS))
def test_any_line_reads_back_as_it_was(verb):
    """Whatever the fields of a verb hold, in any of its wordings, the line reads back the same."""

    @settings(max_examples=15, deadline=None)
    @given(sheets(verb))
    def reads_back(document):
        text = write_text(document)
        assert read_text(text).model_dump(mode="json") == canonical(document), text

    reads_back()


@given(st.text(st.characters(exclude_characters="\n\r", codec="utf-8"), max_size=20))
def test_any_value_stands_in_a_code_span(text):
    """A value with backticks, quotes or spaces is read from its code span as it was."""
    found = CODE.fullmatch(code(text))
    assert found
    assert read_code(found[2]) == text


PART = """---
glass-spoon: sheet text 1
verbs: {}
---

# Lid

- wall = `2 mm`

## Body

1. **Circle** *rim* on the `plan` plane, radius `20 * wall`.
2. **Extrude** *rim* by `10 mm` `square to it`, giving *skirt*. (paused)

> The skirt is for the seal.
"""


def test_a_part_written_by_hand_is_read():
    """Sizes, steps, remarks, pauses and clauses that go without saying."""
    document = read_text(PART)
    assert (document.name, [line.verb_name for line in document.lines]) == (
        "Lid",
        ["size", "step", "circle", "extrude", "remark"],
    )
    circle, extrude = document.lines[2:4]
    assert (circle.plane, circle.radius, circle.right) == ("plan", "20 * wall", VERBS["circle"].usual("right"))
    assert (extrude.profile, extrude.paused, document.lines[1].title) == (circle.id, True, "Body")
    assert write_text(document) == PART


def test_a_loft_written_as_it_once_was_is_read():
    """With both marks where parts are left out; it is written with one today, and a remark keeps its own."""
    path = next(path for path in DEMO_SHEETS if path.stem == "rowing-skiff")
    today = write_text(read_text(path.with_suffix(".md").read_text(encoding="utf-8")))
    once = today.replace("`open`, giving *hull*", "`open`; , giving *hull*") + "\n> So; , it stays.\n"
    assert "; ," not in today and "`open`; , giving" in once
    document = read_text(once)
    assert document.lines[-1].text == "So; , it stays." and write_text(document).startswith(today.rstrip())


def test_what_is_copied_reads_back_in_another_sheet():
    """Two lines copied: the item that they use is found by its name in the sheet that they go into."""
    document = read_text(PART)
    text = write_lines(document, {"l4"})
    assert text == "2. **Extrude** *rim* by `10 mm` `square to it`, giving *skirt*. (paused)\n"
    assert read_lines(text, {"rim": "x7"})[0].line.profile == "x7"
    without = read_lines(text, {})[0]
    assert (without.line.profile, without.wrong) == ("", "no line before it gives “rim”")


@pytest.mark.parametrize(
    ("old", "new", "sentence"),
    [
        ("sheet text 1", "sheet text 9", "It is of the form “sheet text 9”; this program reads “sheet text 1”."),
        ("glass-spoon", "other", "It is not the text of a sheet: its head should hold “glass-spoon: sheet text 1”."),
        ("radius `20", "thickness `20", "Line 12 of the text: “, thickness `20 * wall`.” was not understood"),
        ("**Extrude** *rim*", "**Extrude** *edge*", "no line before it gives “edge”"),
        ("# Lid", "limits: {\n# Lid", "Line 6 of the text"),
        ("sheet text 1\n", "sheet text 1\nlimits: [1]\n", "Its head holds “limits”, which should be an object."),
        ("sheet text 1\n", 'sheet text 1\nlooks: {"lid": {}}\n', "Its head gives a look to “lid”, which no line gives."),
        ("verbs: {}", 'verbs: {"circle": 9}', "the verb circle of version 9, and this program reads version 1"),
        ("> The", "3. **Move** *rim* by `1 mm` right, `0 mm` back and `0 mm` up.\n\n> The", "the verb move of version 1"),
        ("`plan` plane", "`ceiling` plane", "“on the `ceiling` plane, radius `20 * wall`.” was not understood"),
        ("*rim* by `10 mm` `square to it`,", "*rim* by", "Line 13 of the text"),
    ],
)
def test_a_text_that_cannot_be_read_says_where(old, new, sentence):
    """Each fault is told with the line of the text and the words that were not understood."""
    with pytest.raises(BadDocument) as refused:
        read_text(PART.replace(old, new))
    assert sentence in str(refused.value)


def test_a_long_line_that_a_mail_broke_is_read():
    """A sentence goes on in the next row of the text, as mail programs break it."""
    broken = PART.replace(" plane, radius", " plane,\nradius")
    assert write_text(read_text(broken)) == PART


def test_a_table_that_has_lost_a_row_is_refused():
    """The line says how many points there are; a row that is missing or too short is told."""
    document = read_document((DEMO / "kettle-from-the-sketch.json").read_bytes())
    rows = write_text(document).split("\n")
    last = max(number for number, row in enumerate(rows) if row.startswith("   |"))
    with pytest.raises(BadDocument, match="and the table beneath it has"):
        read_text("\n".join(rows[:last] + rows[last + 1 :]))
    with pytest.raises(BadDocument, match="of its table has 1 cells, and its head"):
        read_text("\n".join([*rows[:last], "   | 5 |", *rows[last + 1 :]]))


def test_what_a_mail_does_to_a_text_does_no_harm():
    """Quoted as a whole, with line ends of another system and spaces that do not break, the lines are the same."""
    plain = "1. **Circle** *rim*, radius `20 mm`.\n2. **Extrude** *rim* by `10 mm` `square to it`, giving *skirt*.\n"
    wanted = [one.line for one in read_lines(plain, {})]
    assert all(wanted)
    quoted = "".join(f"> {row}\n" for row in plain.splitlines())
    for text in (quoted, plain.replace("\n", "\r\n"), plain.replace("radius ", "radius\u00a0"), plain.replace("1. ", "1) ")):
        assert [one.line for one in read_lines(text, {})] == wanted
    remark = read_lines("> only a remark\n", {})
    assert remark[0].line.text == "only a remark"


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("**Circle** *rim*, radius `2 * wall`.", "Circle rim, radius 2 * wall."),
        ("circle of radius 2 * wall and 3 * wall up", "circle of radius 2 * wall and 3 * wall up"),
        ("slot 2*wall wide and 3*wall long", "slot 2*wall wide and 3*wall long"),
        ("of `a*b*c` the *x \\* y*", "of a*b*c the x * y"),
    ],
)
def test_marks_are_taken_off_and_products_stay(text, words):
    """Plain words of a sentence: a star that multiplies is no mark."""
    assert without_marks(text) == words
