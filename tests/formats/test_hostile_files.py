"""Small files that would cost much: refused before the work, with a sentence."""

from __future__ import annotations

import json
import time

import pytest

from glass_spoon.formats.clean_text import NotJson, clean_text, read_json, whole_number
from glass_spoon.formats.read_gltf import read_gltf
from glass_spoon.formats.read_mesh import UnreadableMesh
from glass_spoon.formats.safe_xml import UnreadableXml, read_xml
from glass_spoon.formats.svg_paths import UnreadableSvg, read_svg
from glass_spoon.studio.flows.keep_picture import encode_svg
from glass_spoon.studio.sentences import Refused

QUICK = 10.0
"""Processor seconds that a refusal stays far below, on any machine; the work itself would take minutes."""


@pytest.fixture(autouse=True)
def bounded():
    """Hold the processor time of each test."""
    started = time.process_time()
    yield
    assert time.process_time() - started < QUICK


def test_instances_of_instances_are_refused() -> None:
    """2^40 copies in a kilobyte: nodes of glTF are trees (ISO/IEC 12113:2022, section 3.5.2)."""
    nodes = [{"children": [k + 1, k + 1]} for k in range(40)] + [{"mesh": 0}]
    document = {"asset": {"version": "2.0"}, "nodes": nodes, "scenes": [{"nodes": [0]}], "meshes": [{"primitives": []}]}
    with pytest.raises(UnreadableMesh, match="two places"):
        read_gltf(json.dumps(document).encode())


def test_many_copies_of_a_large_mesh_are_counted_before_they_are_read() -> None:
    """The limit on triangles holds for all copies together."""
    view = {"buffers": [{"uri": "data:,"}], "bufferViews": [{"buffer": 0}]}
    accessors = [{"bufferView": 0, "componentType": 5126, "type": "VEC3", "count": 9_000_000}]
    document = {"nodes": [{"mesh": 0}], "meshes": [{"primitives": [{"attributes": {"POSITION": 0}}]}]}
    with pytest.raises(UnreadableMesh, match="copies counted"):
        read_gltf(json.dumps({**view, **document, "accessors": accessors}).encode())


@pytest.mark.parametrize("path", ["M0 0" + " 1 1" * 370_000, "M0 0" + "h1v1" * 30_000, "M0 0" + "l1,1" * 30_000])
def test_a_path_of_too_many_segments_is_refused_before_it_is_parsed(path: str) -> None:
    """Segments are counted in the text."""
    drawing = (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="10mm" height="10mm" viewBox="0 0 10 10"><path d="{path}"/></svg>'
    )
    with pytest.raises(UnreadableSvg, match="segments"):
        read_svg(drawing.encode())


def test_nested_groups_and_many_elements_are_refused() -> None:
    """Depth and number are counted before a tree is made."""
    deep = b'<svg xmlns="http://www.w3.org/2000/svg">' + b"<g>" * 200_000 + b"</g>" * 200_000 + b"</svg>"
    with pytest.raises(UnreadableXml, match="deep"):
        read_xml(deep)
    with pytest.raises(Refused, match="deep"):
        encode_svg(deep)
    with pytest.raises(UnreadableXml, match="elements"):
        read_xml(b"<svg>" + b"<g/>" * 250_000 + b"</svg>")


@pytest.mark.parametrize(
    "data",
    [
        b'<?xml version="1.0" encoding="klingon"?><svg/>',
        b'<?xml version="1.0" encoding="utf-16"?><svg/>',
        b'<!DOCTYPE svg [<!ENTITY a "b">]><svg>&a;</svg>',
        b"<svg>\x00</svg>",
        b"<svg",
        b"",
    ],
)
def test_xml_that_cannot_be_read_gets_a_sentence(data: bytes) -> None:
    """Unknown encodings, entities, NUL, and what is cut short."""
    with pytest.raises(UnreadableXml):
        read_xml(data)


@pytest.mark.parametrize(
    "box", ['viewBox="0 0 1.2.3 5"', 'viewBox="0 0 inf 5"', 'width="1.2.3" height="4"', 'width="" height="²"']
)
def test_pictures_with_odd_sizes_get_a_sentence(box: str) -> None:
    """No number is taken on trust."""
    with pytest.raises(Refused, match="size"):
        encode_svg(f'<svg xmlns="http://www.w3.org/2000/svg" {box}><path d="M0 0h1"/></svg>'.encode())


def test_texts_lose_what_cannot_be_kept() -> None:
    """NUL and lone surrogates; everything else stays."""
    assert clean_text("a\x00b\ud800c \U0001f680 é") == "abc \U0001f680 é"
    assert read_json('{"a\\u0000": ["\\ud800x"]}') == {"a": ["x"]}


@pytest.mark.parametrize("text", ["NaN", "[Infinity]", "1e999", "1" * 5000, "[" * 100_000, "{", b"\xff\xfe"])
def test_json_that_cannot_be_used_is_refused(text: str) -> None:
    """Numbers that are none, nesting without end, other encodings."""
    with pytest.raises(NotJson):
        read_json(text)


@pytest.mark.parametrize("text", ["²", "", "-1", "1.0", "٣", "1e3", "9" * 12, None, "inf", " 1"])
def test_whole_numbers_are_plain_digits(text: object) -> None:
    """What other functions take for digits is none here."""
    assert whole_number(text) is None
    assert whole_number("42") == 42
