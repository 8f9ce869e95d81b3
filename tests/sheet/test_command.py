"""The command line: no database, no web."""

import json
import subprocess
import sys

import ezdxf
import pytest
import trimesh

from glass_spoon.command import main
from glass_spoon.formats.step import read_step
from tests.conftest import DEMO

KETTLE = str(DEMO / "camp-kettle.json")


def test_build_writes_a_file_that_others_read(tmp_path, capsys):
    """glTF and OBJ by the ending; the count is told."""
    for ending in ("glb", "obj"):
        out = tmp_path / f"part.{ending}"
        assert main(["build", KETTLE, "--out", str(out)]) == 0
        assert "1,296 faces" in capsys.readouterr().out
        assert len(trimesh.load(out).to_mesh().faces if ending == "glb" else trimesh.load(out).faces) == 2592


@pytest.mark.parametrize("ending", ["glb", "obj", "usdc", "stl", "ply", "step", "dxf", "svg"])
def test_every_format_is_written(tmp_path, capsys, ending):
    """Meshes, surfaces and curves, by the ending of the file; each reads back as what it is."""
    out = tmp_path / f"part.{ending}"
    assert main(["build", KETTLE, "--out", str(out)]) == 0
    told, data = capsys.readouterr().out, out.read_bytes()
    assert (" faces to" in told) == (ending not in ("step", "dxf", "svg"))
    starts = {"glb": b"glTF", "usdc": b"PXR-USDC", "ply": b"ply", "step": b"ISO-10303-21", "svg": b"<svg"}
    assert data.startswith(starts.get(ending, b"")) or starts[ending] in data[:200]
    if ending in ("stl", "ply"):
        assert len(trimesh.load(out).faces) == 2592
    if ending == "dxf":
        assert len(ezdxf.readfile(out).modelspace()) >= 1
    if ending == "step":
        assert read_step(data).surfaces


def test_one_item_is_written(tmp_path, capsys):
    """By its name; the view of a drawing is chosen."""
    assert main(["build", KETTLE, "--out", str(tmp_path / "a.svg"), "--item", "body profile", "--view", "side"]) == 0
    assert main(["build", KETTLE, "--out", str(tmp_path / "b.stl"), "--item", "body mesh"]) == 0
    assert "1,296 faces" in capsys.readouterr().out


def test_level_smooths(tmp_path, capsys):
    """--level 1 makes four times the faces."""
    assert main(["build", KETTLE, "--out", str(tmp_path / "a.obj"), "--level", "1"]) == 0
    assert "5,184 faces" in capsys.readouterr().out


def test_meshes_that_run_through_each_other_are_told_of_both(capsys):
    """The gangway's slats are let into its rails; the kettle is one mesh, and has no others."""
    assert main(["gauges", str(DEMO / "gangway.json")]) == 0
    for mesh in json.loads(capsys.readouterr().out).values():
        readings = {entry["gauge"]: entry["value"] for entry in mesh["gauges"]}
        assert readings["crossings"] == 0 < readings["crossing_others"]
    assert main(["gauges", KETTLE]) == 0
    assert "crossing_others" not in capsys.readouterr().out


def test_gauges_are_json(capsys):
    """Counts, levels, size and readings."""
    assert main(["gauges", KETTLE]) == 0
    result = json.loads(capsys.readouterr().out)["body mesh"]
    assert result["faces"]["quads"] == 1296
    readings = {entry["gauge"]: entry for entry in result["gauges"]}
    assert readings["four_sided"]["value"] == 1.0
    assert readings["volume"]["value"] is None
    assert readings["off_surface"]["good"]


@pytest.mark.parametrize(
    ("arguments", "word"),
    [
        (["build", KETTLE, "--out", "part.max"], ".glb, .obj"),
        (["build", KETTLE, "--out", "a.glb", "--mesh", "lid"], "gives nothing called lid. It gives body"),
        (["build", KETTLE, "--out", "a.glb", "--item", "body profile"], "no mesh to send out"),
        (["build", KETTLE, "--out", "a.dxf", "--item", "body mesh"], "no curve to send out"),
        (["gauges", "/nowhere.json"], "nowhere.json"),
        (["gauges", KETTLE, "--level", "9"], "0 to 6"),
    ],
)
def test_mistakes_end_with_a_sentence(arguments, word, capsys):
    """On standard error, with exit code 2."""
    assert main(arguments) == 2
    assert word in capsys.readouterr().err


def test_command_needs_no_django():
    """Importing the command line imports no web framework and no database driver."""
    code = "import sys, glass_spoon.command; print([m for m in ('django', 'psycopg') if m in sys.modules])"
    assert subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True).stdout.strip() == "[]"


def test_hidden_meshes_stay_behind_unless_asked_for(tmp_path, capsys):
    """The valve wheel alone goes out, not what it was united of; a hidden one by its name; none in sight is told."""
    wheel, out = DEMO / "valve-wheel.json", tmp_path / "wheel.obj"
    assert main(["build", str(wheel), "--out", str(out)]) == 0
    assert [line for line in out.read_text().splitlines() if line.startswith("o ")] == ["o valve wheel"]
    assert main(["build", str(wheel), "--out", str(out), "--item", "rim"]) == 0
    assert [line for line in out.read_text().splitlines() if line.startswith("o ")] == ["o rim"]
    document = json.loads(wheel.read_text())
    document["looks"]["u"] = {"hidden": True}
    (tmp_path / "none.json").write_text(json.dumps(document))
    assert main(["build", str(tmp_path / "none.json"), "--out", str(out)]) == 2
    assert "All meshes are hidden" in capsys.readouterr().err


def test_a_sheet_is_written_in_the_other_form_and_built_from_it(tmp_path, capsys):
    """JSON to Markdown and back; both build to the same file; an ending of another kind is refused."""
    source = DEMO / "camp-kettle.json"
    text, again = tmp_path / "kettle.md", tmp_path / "kettle.json"
    assert main(["write", str(source), str(text)]) == 0
    assert main(["write", str(text), str(again)]) == 0
    for sheet, out in ((source, "a.glb"), (text, "b.glb"), (again, "c.glb")):
        assert main(["build", str(sheet), "--out", str(tmp_path / out)]) == 0
    first, *others = [(tmp_path / out).read_bytes() for out in ("a.glb", "b.glb", "c.glb")]
    assert all(len(other) == len(first) for other in others)
    capsys.readouterr()
    assert main(["write", str(source), str(tmp_path / "kettle.txt")]) == 2
    assert "The file should end in .md or .json." in capsys.readouterr().err
    (tmp_path / "wrong.md").write_text(text.read_text().replace("**Revolve**", "**Rotate**"))
    assert main(["build", str(tmp_path / "wrong.md"), "--out", str(tmp_path / "d.glb")]) == 2
    assert "was not understood" in capsys.readouterr().err
    (tmp_path / "bytes.md").write_bytes(b"\xff\xfe\x00")
    assert main(["gauges", str(tmp_path / "bytes.md")]) == 2
    assert "no text in UTF-8" in capsys.readouterr().err
