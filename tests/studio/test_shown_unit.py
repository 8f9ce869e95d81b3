"""The unit of a project: what is shown and typed is in it, what is kept is in mm."""

from __future__ import annotations

import html
import json
import re

import pytest
from django.urls import reverse

from glass_spoon.sheet.document import read_document
from glass_spoon.studio.flows.build_part import finished_build
from glass_spoon.studio.flows.change_part import first_part
from glass_spoon.studio.models import Project, Unit
from glass_spoon.studio.shown_unit import page_in_unit, told

INCH = 25.4

LINES = [
    {"id": "r", "verb": "remark", "text": "The rim is 3 mm thick."},
    {"id": "a", "verb": "size", "name": "foot", "value": "50.8 mm"},
    {"id": "c", "verb": "circle", "plane": "plan", "radius": "25.4", "right": "foot + 12.7", "gives": "ring"},
    {"id": "d", "verb": "draw", "points": [{"x": 0, "y": 12.7}, {"x": 10, "y": "foot"}], "gives": "edge"},
    {"id": "s", "verb": "round", "curve": "d", "radius": "5", "own": [{"corner": 1, "value": 2.54}]},
]


@pytest.fixture
def inches(project, people):
    """Return a part of a project that works in inches."""
    Project.objects.filter(id=project.id).update(unit=Unit.INCH)
    sheet = read_document({"format": "glass-spoon/sheet", "version": 1, "name": "Rim", "lines": LINES})
    finished_build(sheet)
    return first_part(people["owner"], project.id, sheet, "made")


def typed(client, part, **values):
    """Change a field as it is typed on the bench; return the sheet after it."""
    part.refresh_from_db()
    answer = client.post(f"/parts/{part.id}/edit/", {"op": "set", "typed": "1", "revision": part.revision, **values})
    assert answer.status_code == 200, answer.content.decode()[:400]
    part.refresh_from_db()
    return part.sheet()


@pytest.mark.parametrize(
    ("text", "shown"),
    [
        ("12.7 mm high", "0.5 inch high"),
        ("60.0×40.0×8.0 mm", "2.362×1.575×0.315 inch"),
        ("between 25.4 and 50.8 mm", "between 1 and 2 inch"),
        ("1,270 mm", "50 inch"),
        ("0.00254 mm off", "0.0001 inch off"),
        ("-2.54 mm", "-0.1 inch"),
        ("645.16 mm² and 1.6 cm²", "1 inch² and 0.248 inch²"),
        ("16.4 cm³", "1.001 inch³"),
        ("0.1 /mm, 1 /mm², 2 per mm", "2.54 /inch, 645.2 /inch², 50.8 per inch"),
        ("3 cm, 2 m, 5 inch and 30°", "3 cm, 2 m, 5 inch and 30°"),
        ("48 round, M24, line 3, mmm", "48 round, M24, line 3, mmm"),
    ],
)
def test_lengths_in_sentences_are_told_in_the_unit(text, shown):
    """Lengths, areas, volumes and rates are converted with at least four digits; counts, names and said units are not."""
    assert told(text, "inch") == shown
    assert told(text, "mm") == text


@pytest.mark.parametrize(("unit", "shown"), [("cm", "1.27 cm"), ("m", "0.0127 m"), ("inch", "0.5 inch"), ("mm", "12.7 mm")])
def test_each_unit_is_its_own_share(unit, shown):
    """12.7 mm in each of the units."""
    assert told("12.7 mm", unit) == shown


def test_only_what_is_told_is_converted_on_a_page():
    """Texts, titles and labels are; raw values, fields, scripts and what users wrote are not."""
    page = (
        '<p title="at 25.4 mm">25.4 mm</p><input value="25.4 mm" aria-label="25.4 mm"><script>"25.4 mm"</script>'
        '<p class="prose" data-as-written>25.4 mm <b>25.4 mm</b> <p>25.4 mm</p></p><i data-raw="25.4 mm">25.4 mm</i>'
        '<b class="item-name">rod 25.4 mm</b><textarea>25.4 mm</textarea>'
    )
    assert page_in_unit(page, "inch") == (
        '<p title="at 1 inch">1 inch</p><input value="25.4 mm" aria-label="1 inch"><script>"25.4 mm"</script>'
        '<p class="prose" data-as-written>25.4 mm <b>25.4 mm</b> <p>25.4 mm</p></p><i data-raw="25.4 mm">1 inch</i>'
        '<b class="item-name">rod 25.4 mm</b><textarea>25.4 mm</textarea>'
    )


def test_the_bench_shows_inches_and_what_may_be_typed_back(inches, as_user):
    """Bare numbers of the sheet stand as inches; expressions have their mm written out; remarks are as they were written."""
    page = html.unescape(as_user("editor").get(f"/parts/{inches.id}/").content.decode())
    assert 'data-unit="inch"' in page
    radius = re.search(r'data-field="radius" data-raw="([^"]*)" .*?>([^<]*)</button>', page)
    assert radius is not None
    assert radius.groups() == ("1 inch", "1 inch")
    assert 'data-raw="foot + 12.7 mm"' in page
    assert "foot + 0.5 inch = 2.5 inch" in page
    assert "1: 0.1 inch" in page
    assert "The rim is 3 mm thick." in page
    assert "foot" in page
    assert "2 inch" in page


def test_what_is_typed_is_kept_as_inches(inches, as_user):
    """A plain number, a fraction, an expression, a law and a corner mean inches; explicit units mean what they say."""
    client = as_user("editor")
    for text, kept in (("2", "2 inch"), ("1 1/4", "1 1/4 inch"), ("foot / 2 + 1", "foot / 2 + 1 inch"), ("9 mm", "9 mm")):
        assert typed(client, inches, line="c", field="radius", value=text).line("c").radius == kept
    sheet = typed(client, inches, line="s", field="own", value="1: 1/4")
    assert sheet.line("s").own[0].value == "1/4 inch"
    assert client.post(f"/parts/{inches.id}/undo/", {"revision": inches.revision}).status_code == 200


def test_rows_that_nobody_touched_stay_to_the_last_digit(inches, as_user):
    """The table shows six digits of an inch; the cells that come back untouched bring what the sheet has."""
    client = as_user("editor")
    page = html.unescape(client.get(reverse("bench_points", args=[inches.id, "d"])).content.decode())
    cells = re.findall(r'name="(x|y)" value="([^"]*)"(?: data-kept="([^"]*)")?', page)
    assert cells == [("x", "0", "0 mm"), ("y", "0.5", "12.7 mm"), ("x", "0.393701", "10 mm"), ("y", "foot", "")]
    assert "in inch or with units" in page
    kept = [kept or shown for _, shown, kept in cells]
    rows = [{"x": kept[0], "y": "1"}, {"x": kept[2], "y": kept[3]}]
    points = typed(client, inches, line="d", field="points", value=json.dumps(rows)).line("d").points
    assert [(point.x, point.y) for point in points] == [("0 mm", "1 inch"), ("10 mm", "foot")]


def test_what_the_board_sends_is_mm(inches, as_user):
    """Points that were dragged come as bare mm, without the word that they were typed."""
    client = as_user("editor")
    rows = json.dumps([{"x": 7, "y": 12.7}, {"x": 10, "y": "foot"}])
    answer = {"op": "set", "revision": inches.revision, "line": "d", "field": "points", "value": rows}
    assert client.post(f"/parts/{inches.id}/edit/", answer).status_code == 200
    inches.refresh_from_db()
    assert [point.x for point in inches.sheet().line("d").points] == [7, 10]


def test_sentences_places_and_limits_are_typed_in_inches(inches, as_user):
    """The finder offers, and adds, inches; so do a typed point and the limit of a gauge."""
    client = as_user("editor")
    offered = html.unescape(
        client.get(reverse("bench_find", args=[inches.id]), {"text": "block 4 by 3 by 2"}).content.decode()
    )
    assert "width 4 inch" in offered
    for edit in (
        {"op": "add", "text": "block 4 by 3 by 2 called crate", "verb": "block"},
        {"op": "put_point", "line": "d", "text": "by 1, 1/2"},
        {"op": "limit", "limit": "off_surface", "value": "0.01"},
    ):
        inches.refresh_from_db()
        answer = client.post(f"/parts/{inches.id}/edit/", {"revision": inches.revision, **edit})
        assert answer.status_code == 200, answer.content.decode()[:300]
    inches.refresh_from_db()
    sheet = inches.sheet()
    crate = next(line for line in sheet.lines if line.verb_name == "block")
    assert (crate.width, crate.depth, crate.height) == ("4 inch", "3 inch", "2 inch")
    assert sheet.line("d").points[-1].x == pytest.approx(10 + INCH)
    assert sheet.limits.off_surface == pytest.approx(0.254)
    refused = client.post(
        f"/parts/{inches.id}/edit/", {"op": "limit", "revision": inches.revision, "limit": "off_surface", "value": "thin"}
    )
    assert refused.status_code == 422


def test_previews_of_typed_values_are_of_the_same_unit(inches, as_user):
    """The model of a typed 2 is that of 2 inch, and not that of 2 mm."""

    def model(value, *, is_typed):
        body = {"changes": {"c": {"radius": value}}, "known": [], "view": {}} | ({"typed": True} if is_typed else {})
        answer = client.post(reverse("preview_glb", args=[inches.id]), json.dumps(body), content_type="application/json")
        assert answer.status_code == 200
        return answer.content

    client = as_user("editor")
    assert model("2", is_typed=True) == model("2 inch", is_typed=False) != model("2", is_typed=False)


def test_the_unit_is_set_by_who_may_change_and_does_not_outlive_the_answer(project, part, as_user):
    """The next request about another project is in mm again; an unknown unit is refused."""
    client = as_user("editor")
    assert client.post(reverse("project_unit", args=[project.id]), {"unit": "furlong"}).status_code == 422
    assert client.post(reverse("project_unit", args=[project.id]), {"unit": "cm"}, follow=True).status_code == 200
    project.refresh_from_db()
    assert project.unit == "cm"
    assert 'data-unit="cm"' in client.get(f"/parts/{part.id}/").content.decode()
    client.post(reverse("project_unit", args=[project.id]), {"unit": "mm"})
    assert 'data-unit="mm"' in client.get(f"/parts/{part.id}/").content.decode()


@pytest.mark.parametrize("unit", ["cm", "m", "inch"])
def test_no_page_of_a_part_tells_mm_where_it_works_in_another_unit(project, part, as_user, unit):
    """The kettle's bench and inspection, read as a user does: no length is left in mm."""
    Project.objects.filter(id=project.id).update(unit=unit)
    client = as_user("viewer")
    finished_build(part.sheet())
    for name in ("bench", "inspection"):
        page = html.unescape(client.get(reverse(name, args=[part.id])).content.decode())
        seen = re.sub(r"<(script|style|textarea|template).*?</\1>", " ", page, flags=re.DOTALL)
        seen = re.sub(r"<[^>]*>", " ", seen)
        assert unit in seen
        assert re.findall(r".{0,30}\d\s?mm\b", seen) == []


def test_a_law_is_bent_in_the_unit(project, people, as_user):
    """The editor shows a wall of 25.4 mm to 12.7 mm as 1 to 0.5 inch, and its values come back with their unit."""
    Project.objects.filter(id=project.id).update(unit=Unit.INCH)
    lines = [
        {"id": "b", "verb": "block", "gives": "crate"},
        {"id": "t", "verb": "thicken", "mesh": "b", "wall": "25.4 mm to 12.7"},
    ]
    sheet = read_document({"format": "glass-spoon/sheet", "version": 1, "name": "Wall", "lines": lines})
    part = first_part(people["owner"], project.id, sheet, "made")
    client = as_user("editor")
    page = html.unescape(client.get(reverse("bench_law", args=[part.id, "t", "wall"])).content.decode())
    assert 'data-places="[[0.0, 1.0], [1.0, 0.5]]"' in page
    assert 'data-unit=" inch"' in page
    assert typed(client, part, line="t", field="wall", value="1 to 1/4").line("t").wall == "1 inch to 1/4 inch"


def test_a_size_that_is_a_length_stays_one(inches, as_user):
    """A plain number typed for it means inches, in its chip and in the table of sizes; a count stays a count."""
    client = as_user("editor")
    assert typed(client, inches, line="a", field="value", value="3").line("a").value == "3 inch"
    rows = [{"id": "a", "name": "foot", "value": "1/2"}, {"id": "", "name": "n", "value": "4"}]
    answer = {"op": "sizes", "revision": inches.revision, "sizes": json.dumps(rows)}
    assert client.post(f"/parts/{inches.id}/edit/", answer).status_code == 200
    inches.refresh_from_db()
    values = {line.name: line.value for line in inches.sheet().lines if line.verb_name == "size"}
    assert values == {"foot": "1/2 inch", "n": "4"}
    assert typed(client, inches, line="a", field="value", value="n + 1 cm").line("a").value == "n * 1 inch + 1 cm"
