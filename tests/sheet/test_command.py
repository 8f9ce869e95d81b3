"""The command line: no database, no web."""

import json
import subprocess
import sys

import pytest
import trimesh

from glass_spoon.command import main
from tests.conftest import DEMO

KETTLE = str(DEMO / "camp-kettle.json")


def test_build_writes_a_file_that_others_read(tmp_path, capsys):
    """glTF and OBJ by the ending; the count is told."""
    for ending in ("glb", "obj"):
        out = tmp_path / f"part.{ending}"
        assert main(["build", KETTLE, "--out", str(out)]) == 0
        assert "1,296 faces" in capsys.readouterr().out
        assert len(trimesh.load(out).to_mesh().faces if ending == "glb" else trimesh.load(out).faces) == 2592


def test_level_smooths(tmp_path, capsys):
    """--level 1 makes four times the faces."""
    assert main(["build", KETTLE, "--out", str(tmp_path / "a.obj"), "--level", "1"]) == 0
    assert "5,184 faces" in capsys.readouterr().out


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
        (["build", KETTLE, "--out", "part.stl"], ".glb or .obj"),
        (["build", KETTLE, "--out", "a.glb", "--mesh", "lid"], "no such thing as a mesh called lid"),
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
