"""What the scripts work out by themselves, asked in a real browser and compared with the same worked out here."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from playwright.sync_api import Page
from shapely.geometry import LineString, Point, Polygon

from glass_spoon.formats.gltf import NamedMesh, write_glb
from glass_spoon.kernel.meshing.mesh_surface import mesh_surface
from glass_spoon.sheet.plain_unit import PLAIN_UNITS
from glass_spoon.studio.shown_unit import told
from tests.browser.bench import open_part
from tests.zoo import torus

pytestmark = pytest.mark.browser

FIND = r"""(name) => performance.getEntriesByType("resource").map((entry) => entry.name)
    .find((url) => new RegExp(`/js/${name}\\.[0-9a-f]+\\.js$`).test(url))"""


@pytest.fixture
def bench(signed_in: Page) -> Page:
    """A bench, whose page maps the bare names of modules."""
    open_part(signed_in, "Camp kettle")
    return signed_in


def ask(page: Page, module: str, code: str, given: Any = None) -> Any:
    """Return what a function of a module gives: `code` is an expression in `module` and `given`."""
    url = page.evaluate(FIND, module)
    assert url, module
    return page.evaluate(f"async ([url, given]) => {{ const module = await import(url); return {code}; }}", [url, given])


def test_coordinates_keep_the_sizes_in_their_expressions(bench: Page) -> None:
    """Plain numbers are replaced; an expression gets an offset, the old one taken into account, none where it is back."""
    cases = [
        ["12 mm", 12, 13.25, 13.25],
        [7, 7, 6.5, 6.5],
        ["body_d / 2", 82, 84, "body_d / 2 + 2 mm"],
        ["body_d / 2 + 2 mm", 84, 81, "body_d / 2 - 1 mm"],
        ["body_d / 2 - 1 mm", 81, 82, "body_d / 2"],
        ["neck", 40, 40, "neck"],
        ["2 inch", 50.8, 63.5, "2.5 inch"],
        ["-3 cm", -30, -31, "-3.1 cm"],
    ]
    told = ask(bench, "board/tools/coordinate_text", "given.map(([raw, a, b]) => module.shifted(raw, a, b))", cases)
    assert told == [case[3] for case in cases]
    assert ask(bench, "board/tools/coordinate_text", "module.round(1.23456)") == 1.235


def test_lengths_are_told_as_the_server_tells_them(bench: Page) -> None:
    """The same sentences, in each unit, by the page's own script and by the server's; typed lengths come back in mm."""
    texts = [
        "12.7 mm high",
        "-0.35 mm",
        "1,270 mm",
        "0.00254 mm",
        "0.1 /mm and 0.02 /mm²",
        "5 = 5 mm",
        "48 round, M24",
        "R 31.75 mm",
        "body_d / 2 = 82 mm",
        "0 mm",
    ]
    for unit in PLAIN_UNITS:
        bench.evaluate("(unit) => document.querySelector('#main').setAttribute('data-unit', unit)", unit)
        assert ask(bench, "unit", "given.map(module.told)", texts) == [told(text, unit) for text in texts]
        back = ask(bench, "unit", "given.map((text) => module.millimetres(module.told(text)))", ["12.7 mm", "50.8 mm"])
        assert back == pytest.approx([12.7, 50.8])
    typed = ["2", "2 mm", '0.5"', "1.5 cm", "thin"]
    assert ask(bench, "unit", "given.map(module.millimetres)", typed)[:4] == pytest.approx([50.8, 2, 12.7, 15])


def test_places_in_and_beside_outlines_are_those_of_another_library(bench: Page) -> None:
    """Random polygons and places, against shapely."""
    rng = np.random.default_rng(5)
    turn = np.sort(rng.uniform(0, 2 * np.pi, 11))
    outline = (rng.uniform(2, 9, 11)[:, None] * np.column_stack((np.cos(turn), np.sin(turn)))).tolist()
    places = rng.uniform(-9, 9, (200, 2)).tolist()
    inside = ask(
        bench, "board/tools/plane_places", "given[1].map((place) => module.contains(given[0], place))", [outline, places]
    )
    assert inside == [Polygon(outline).contains(Point(place)) for place in places]
    code = "given[1].map((place) => module.distanceToSegment(place, given[0][0], given[0][1]))"
    away = ask(bench, "board/tools/plane_places", code, [outline, places])
    assert np.allclose(away, [LineString(outline[:2]).distance(Point(place)) for place in places], atol=1e-9)
    assert ask(bench, "board/tools/plane_places", "module.distanceToSegment([3, 4], [0, 0], [0, 0])") == 5


def test_numbers_are_written_short_and_without_minus_nothing(bench: Page) -> None:
    """One decimal for places, three figures for readings, never "-0.0"."""
    assert ask(bench, "board/views/planes", "[0.04, -0.04, 12.25, -3].map(module.tenths)") == ["0.0", "0.0", "12.3", "-3.0"]
    assert ask(bench, "board/scene/judging", "[0.00123456, 1234.5, 2, -0.5].map(module.short)") == [
        "0.00123",
        "1230",
        "2",
        "-0.5",
    ]


def test_scale_bars_are_round_and_long_enough(bench: Page) -> None:
    """1, 2 or 5 times a power of ten, the least that is as long on the screen as was asked."""
    zooms = [0.003, 0.02, 0.31, 1.0, 2.7, 45.0]
    code = (
        "given.map((zoom) => { const space = new module.DrawingSpace(); space.zoom = zoom; return space.niceLength(60); })"
    )
    for zoom, length in zip(zooms, ask(bench, "board/views/drawing_space", code, zooms), strict=True):
        power = 10.0 ** np.floor(np.log10(length) + 1e-9)
        assert round(length / power, 6) in (1, 2, 5)
        assert length * zoom >= 60 - 1e-9
        assert length * zoom < 60 * 2.5


def test_views_share_one_zoom_that_shows_the_whole_box(bench: Page) -> None:
    """The narrowest view decides the zoom, the middle is the box's, and a view added later takes both."""
    code = """(() => {
        const space = new module.DrawingSpace();
        const view = (plane, clientWidth, clientHeight) => ({ plane, svg: { clientWidth, clientHeight } });
        const box = { low: { x: -50, y: -20, z: 0 }, high: { x: 50, y: 20, z: 30 } };
        const middle = space.middle;
        for (const corner of Object.values(box)) Object.setPrototypeOf(corner, Object.getPrototypeOf(middle));
        space.fit(box, [view("front", 284, 184), view("side", 284, 184), view("plan", 284, 124)]);
        return [space.zoom, space.middle.toArray(), space.copy().zoom];
    })()"""
    zoom, middle, copied = ask(bench, "board/views/drawing_space", code)
    assert zoom == pytest.approx(min(200 / 100, 100 / 30, 200 / 40, 40 / 40))  # the plan is the lowest: 40 pixels for 40 mm
    assert middle == [0, 0, 15]
    assert copied == zoom


def test_the_stand_in_of_a_large_mesh_is_near_it_and_has_fewer_triangles(bench: Page) -> None:
    """Of a ring made in the page: its corners lie on the ring to the distance that it says, none has fallen together."""
    code = """(() => {
        const [around, across] = given;
        const positions = new Float32Array(3 * around * across);
        const triangles = [];
        for (let i = 0; i < around; i += 1) for (let j = 0; j < across; j += 1) {
            const [u, v] = [(2 * Math.PI * i) / around, (2 * Math.PI * j) / across];
            const reach = 30 + 10 * Math.cos(v);
            positions.set([reach * Math.cos(u), reach * Math.sin(u), 10 * Math.sin(v)], 3 * (i * across + j));
            const [a, b] = [i * across + j, i * across + ((j + 1) % across)];
            const [c, d] = [((i + 1) % around) * across + ((j + 1) % across), ((i + 1) % around) * across + j];
            triangles.push(a, d, c, a, c, b);
        }
        const box = { min: { x: -40, y: -40, z: -10 }, max: { x: 40, y: 40, z: 10 } };
        const { index, cell } = module.coarseIndex(positions, Uint32Array.from(triangles), box);
        let [apart, off] = [true, 0];
        for (let k = 0; k < index.length; k += 3) {
            apart &&= index[k] !== index[k + 1] && index[k + 1] !== index[k + 2] && index[k + 2] !== index[k];
            for (let axis = 0; axis < 3; axis += 1) {
                const [x, y, z] = positions.subarray(3 * index[k + axis], 3 * index[k + axis] + 3);
                off = Math.max(off, Math.abs(Math.hypot(Math.hypot(x, y) - 30, z) - 10));
            }
        }
        return [triangles.length / 3, index.length / 3, cell, apart, off];
    })()"""
    whole, left, cell, apart, off = ask(bench, "board/scene/coarse", code, [900, 400])
    assert whole == 720_000
    assert 1000 < left < 0.5 * whole
    assert cell == pytest.approx(80 / 256 * np.sqrt(3))
    assert apart
    assert off < cell


def test_files_of_the_server_are_read_as_they_were_written(bench: Page) -> None:
    """Positions and triangles of a file, against the arrays that went into it."""
    mesh = mesh_surface(torus(30, 10), 12, 8)
    data = list(write_glb([NamedMesh("ring", mesh)]))
    document = """(() => {
        const buffer = Uint8Array.from(given).buffer;
        const length = new DataView(buffer).getUint32(12, true);
        return JSON.parse(new TextDecoder().decode(new Uint8Array(buffer, 20, length)));
    })()"""
    told = ask(bench, "board/scene/gltf_file", document, data)
    assert [one["name"] for one in told["meshes"]] == ["ring"]
    code = """(() => {
        const buffer = Uint8Array.from(given).buffer;
        const length = new DataView(buffer).getUint32(12, true);
        const json = JSON.parse(new TextDecoder().decode(new Uint8Array(buffer, 20, length)));
        json.meshes[0].extras = {};
        const text = new TextEncoder().encode(JSON.stringify(json).padEnd(length, " "));
        new Uint8Array(buffer, 20, length).set(text.subarray(0, length));
        const [ring] = module.readGltf(buffer).meshes;
        return [[...ring.positions], [...ring.triangles]];
    })()"""
    positions, triangles = ask(bench, "board/scene/gltf_file", code, data)
    assert len(triangles) == 3 * 2 * 12 * 8
    seen = np.array(positions).reshape(-1, 3)[np.unique(triangles)]
    radius = np.hypot(seen[:, 0], seen[:, 1])  # millimetres, Z up: a node turns them to the metres of glTF
    assert np.abs(np.hypot(radius - 30, seen[:, 2]) - 10).max() < 1e-5  # single precision
