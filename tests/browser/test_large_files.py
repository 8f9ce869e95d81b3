"""Mesh files chosen in a line: large ones sent, read, stopped and taken up again; gaps of what came; remarks on it."""

from __future__ import annotations

import time
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from glass_spoon.formats.gltf import NamedMesh
from glass_spoon.formats.obj import write_obj
from glass_spoon.kernel.meshing.mesh_surface import mesh_surface
from glass_spoon.studio.flows import keep_file, read_files
from tests.browser.bench import add_line, open_part, saved, shown, type_value
from tests.zoo import slit_mesh, torus

pytestmark = pytest.mark.browser


class SlowReader:
    """Reads a file in steps of a twentieth of a second, as a much larger one would be."""

    def __init__(self, steps: int) -> None:
        self.steps = steps
        self.read = read_files.read_mesh_file

    def __call__(self, data, ending, progress):
        """Tell the share after every step, then read."""
        for step in range(self.steps):
            time.sleep(0.05)
            progress(step / self.steps)
        return self.read(data, ending, progress)


@pytest.fixture
def reader(settings, monkeypatch) -> SlowReader:
    """Large files are read while the bench waits, slowly; no worker takes them."""
    slow = SlowReader(400)
    settings.JOBS = "elsewhere"
    monkeypatch.setattr(keep_file, "READ_AT_ONCE", 1000)
    monkeypatch.setattr(read_files, "TAKEN_WITHIN", 0.0)
    monkeypatch.setattr(read_files, "read_mesh_file", slow)
    return slow


@pytest.fixture
def scan(tmp_path: Path) -> Path:
    """A file of more than a megabyte, another one in each test: builds of the same content are kept."""
    path = tmp_path / "scan.obj"
    own = f"# {tmp_path.name}\n".encode()
    path.write_bytes(own + write_obj([NamedMesh("ring", mesh_surface(torus(30, 10), 160, 80))]))
    return path


def import_line(page: Page) -> None:
    """Add a line that imports a mesh, at the end of the kettle's sheet."""
    open_part(page, "Camp kettle")
    add_line(page, "import mesh")


def test_a_large_file_shows_how_far_it_is_and_its_mesh_in_the_end(signed_in, reader, scan) -> None:
    """While a file is read its progress is seen, and afterwards its faces stand on the board."""
    page = signed_in
    reader.steps = 30
    import_line(page)
    page.locator("input[type=file]").set_input_files(scan)
    expect(page.locator("#work")).to_contain_text("Reading scan.obj…")
    expect(page.locator("#work progress")).to_be_visible()
    expect(page.locator(".line .told").last).to_contain_text("12,800 faces read.", timeout=20_000)
    expect(page.locator("#work")).to_be_empty()
    expect(page.locator(".board")).to_have_attribute("data-meshes", "2")


def test_reading_is_stopped_and_undo_takes_it_up_again(signed_in, reader, scan) -> None:
    """Stop ends the reading; undo starts it again and it comes to its end."""
    page = signed_in
    import_line(page)
    page.locator("input[type=file]").set_input_files(scan)
    page.get_by_role("button", name="Stop", exact=True).click()
    saved(page, "stopped reading")
    expect(page.locator(".line .finding").last).to_contain_text("Choose a mesh file")
    expect(page.locator("#work")).to_be_empty()
    reader.steps = 2
    page.keyboard.press("Control+z")
    saved(page, "undid")
    expect(page.locator(".line .told").last).to_contain_text("12,800 faces read.", timeout=20_000)


def test_a_file_that_cannot_be_read_says_so_at_its_line_and_the_rest_stays(signed_in, reader, tmp_path) -> None:
    """The reason stands at the line, and the kettle is still on the board."""
    page = signed_in
    reader.steps = 1
    bad = tmp_path / "bad.obj"
    bad.write_text("v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 9\n" + "# nothing\n" * 200)
    import_line(page)
    page.locator("input[type=file]").set_input_files(bad)
    expect(page.locator(".line .finding").last).to_contain_text("points that the file does not hold", timeout=20_000)
    expect(page.locator(".board")).to_have_attribute("data-meshes", "1")


def test_a_small_gap_is_gone_to_and_closed_by_one_press(signed_in, tmp_path) -> None:
    """The gauge names the gap, its button welds it, and the line shows the places it moved."""
    page = signed_in
    path = tmp_path / "lath.obj"
    path.write_bytes(write_obj([NamedMesh("lath", slit_mesh(0.05))]))
    import_line(page)
    page.locator("input[type=file]").set_input_files(path)
    shown(page)
    page.locator(".part-mesh", has_text="imported").click()
    finding = page.locator(".finding").filter(has_text="One small gap")
    finding.get_by_role("button", name="Show them").click()
    note = page.locator(".board-note")
    expect(note).to_contain_text("6 edges shown in plum.")
    note.get_by_role("button", name="Go there").click()
    expect(note).to_contain_text("6 edges.")
    note.get_by_role("button", name="Whole part").click()
    finding.get_by_role("button", name="Weld them").click()
    shown(page)
    expect(page.locator(".finding").filter(has_text="small gap")).to_have_count(0)
    told = page.locator(".line .told").last
    expect(told).to_contain_text("3 points become one with others, 2 points put into open edges.")
    expect(page.locator("#gauges-pending")).to_be_empty()  # the last answer is in: the sheet is not replaced any more
    told.get_by_role("button", name="Show them").click()
    expect(note).to_contain_text("5 points shown in plum.")


def test_a_remark_is_typed_in_the_finder_and_changed_in_the_sheet(signed_in) -> None:
    """Several lines of text in its field; Enter keeps them, Escape leaves them."""
    page = signed_in
    open_part(page, "Camp kettle")
    add_line(page, "remark the rim is rolled later")
    remark = page.locator(".line[data-verb=remark]")
    expect(remark).to_contain_text("the rim is rolled later")
    remark.locator("[data-field=text]").click()
    expect(page.locator("textarea.value-input")).to_be_focused()
    page.keyboard.press("Escape")
    expect(remark).to_contain_text("the rim is rolled later")
    remark.locator("[data-field=text]").click()
    page.locator(".value-input").fill("The rim is rolled outwards once the lid is known; until then it stays plain.")
    page.keyboard.press("Enter")
    saved(page, "line 5 changed")
    expect(remark).to_contain_text("once the lid is known")
    expect(remark.locator(".line-time")).to_be_empty()
    type_value(page, "round", "32")
    saved(page, "line 4 changed")
