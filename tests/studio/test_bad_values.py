"""Every kind of bad value in every field of every view: a sentence, never a fault of the server."""

from __future__ import annotations

import json
import re
from typing import Any

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client

from glass_spoon.studio.models import Part
from tests.studio.test_access import ADDRESSES, address

TEXTS = ["²", "inf", "nan", "1e999", "-1", "1.2.3", "[[[[", "v²", "v99999999999", "l-", "a\x00b", "\ud800"]
TEXTS += ["9" * 5000, "[" * 20_000, '{"a": NaN}', '{"values": {"\\u0000": "\\ud800"}}']
TEXTS += ["kept:" + "0" * 32, "stored:" + "0" * 32 + ":obj", "inside:obj:!!!!", "body_d ** 12 ** 12"]

WORST = ["²", "\x00", "\ud800", "inf", '{"\\u0000": "\\ud800", "x": 1e999}']
"""Those that made a fault of the server once, for every field of every edit."""

FIELDS = re.findall(
    r"\w+",
    """
    op line field value values verb text item after by paused limit layer shown manner tolerance revision token level mesh
    shown_after curve comb judge towards isocurves net name username role format view left right which gauge done pending
    stage surface all face_budget evenness kink
    """,
)

OPERATIONS = re.findall(
    r"\w+",
    """set add mark work move pause remove limit rename drawing stop_reading set_many look layer lay rewrite""",
)

DANGEROUS = {"project_leave", "project_remove", "part_remove", "member_remove"}


def sane(answer: Any, what: object) -> None:
    """Hold that an answer is one that was meant."""
    assert answer.status_code < 500, (what, answer.status_code)


@pytest.fixture
def owner(as_user) -> Client:
    client = as_user("owner")
    client.raise_request_exception = False
    return client


@pytest.mark.parametrize("name", sorted(set(ADDRESSES) - DANGEROUS))
def test_bad_values_in_the_fields_of_every_view(name: str, part: Part, people, owner: Client) -> None:
    """Every other bad text, in all fields at once; the next view gets the others."""
    method, _, body = ADDRESSES[name]
    url = address(name, part, people)
    for number, text in enumerate(TEXTS[len(name) % 2 :: 2]):
        fields = dict.fromkeys(FIELDS, text) | {"op": OPERATIONS[number % len(OPERATIONS)]}
        if method == "json":
            sane(owner.post(url, text.encode("utf-8", "surrogatepass"), content_type="application/json"), (name, text[:20]))
            asked = dict.fromkeys(body, text) | {
                "changes": {"l4": {text[:60]: text}},
                "known": [text],
                "view": {"level": text},
            }
            data = json.dumps(asked).encode("utf-8", "surrogatepass")
            sane(owner.post(url, data, content_type="application/json"), (name, text[:20]))
        else:
            sent = {key: value.encode("utf-8", "surrogatepass") for key, value in fields.items()}
            sane(getattr(owner, method)(url, sent if method == "post" else _query(fields)), (name, text[:20]))


def _query(fields: dict[str, str]) -> dict[str, str]:
    """Return fields that an address can hold; their length is the server's own matter."""
    return {key: value[:200].encode("utf-8", "replace").decode() for key, value in fields.items()}


@pytest.mark.parametrize("operation", OPERATIONS)
def test_bad_values_in_every_edit(operation: str, part: Part, owner: Client) -> None:
    """Each field of each edit gets each bad text, the others being sound."""
    sound = {"line": "l4", "field": "along", "value": "20", "verb": "clean", "item": "l4", "after": "l4", "limit": "kink"}
    sheet = part.document
    for field in ("line", "field", "value", "values", "text", "after", "tolerance"):
        for text in WORST:
            Part.objects.filter(pk=part.pk).update(document=sheet)
            part.refresh_from_db()
            form = {**sound, "op": operation, "revision": str(part.revision), field: text.encode("utf-8", "surrogatepass")}
            sane(owner.post(f"/parts/{part.id}/edit/", form, headers={"HX-Request": "true"}), (operation, field, text[:20]))
    part.refresh_from_db()
    assert owner.get(f"/parts/{part.id}/").status_code == 200


@pytest.mark.parametrize("verb", ["import_curve", "import_dxf", "import_step", "import_mesh", "swell", "write"])
def test_bad_files_with_bad_names(verb: str, part: Part, owner: Client, edit) -> None:
    """A file with a NUL in it, with a name of any signs, or of another kind."""
    edit(owner, op="add", verb=verb, text="")
    part.refresh_from_db()
    line = part.document["lines"][-1]["id"]
    contents = [
        b"",
        b"\x00" * 100,
        b"ISO-10303-21;\x00HEADER;",
        b"<svg>\x00",
        b"\xff\xfe\x00",
        b"solid \x00",
        b"glTF\x02\x00\x00\x00",
    ]
    for content in contents:
        for name in ("a.step", "a\x00.svg", "²", "a" * 300 + ".obj", "../x.stl", "x.GLB"):
            file = SimpleUploadedFile("x", content)
            file.name = name
            sane(edit(owner, op="drawing", line=line, file=file), (verb, content[:10], name[:10]))
    assert owner.get(f"/parts/{part.id}/").status_code == 200


def test_bodies_that_are_no_forms(part: Part, owner: Client) -> None:
    """Broken multipart, unknown encodings, bodies that are cut short."""
    url = f"/parts/{part.id}/edit/"
    for kind in (
        "multipart/form-data",
        "multipart/form-data; boundary=x",
        "application/x-www-form-urlencoded; charset=klingon",
        "text/²",
    ):
        for body in (b"", b"--x\r\n", b"op=set&op=\xff", b"a" * 2000):
            sane(owner.generic("POST", url, body, content_type=kind), (kind, body[:9]))


@pytest.mark.parametrize(
    "path", ["/parts/99999999999999999999/", "/parts/²/", "/pictures/0/", "/projects/-1/", "/parts/1/points/%00/"]
)
def test_addresses_that_name_nothing(path: str, part: Part, owner: Client) -> None:
    """404, or a sentence."""
    sane(owner.get(f"/{path}"), path)


def test_head_is_answered_wherever_get_is(part: Part, people, owner: Client) -> None:
    """Load balancers and link checkers ask so."""
    for name, (method, _, _) in ADDRESSES.items():
        if method == "get":
            url = address(name, part, people)
            assert owner.head(url).status_code == owner.get(url).status_code, name
    assert Client().head("/health/").status_code == 200


def test_health_is_answered_over_http_behind_tls(client, db, settings) -> None:
    """By address too: a prober knows no host names."""
    settings.SECURE_SSL_REDIRECT = True
    answer = client.get("/health/", headers={"Host": "10.1.2.3"})
    assert answer.status_code == 200
    assert answer.json()["database"] == "good"
