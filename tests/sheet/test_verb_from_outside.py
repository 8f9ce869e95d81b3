"""A verb that is written outside the program, one class and one function, is a verb like all others."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]


def test_a_verb_from_outside_is_found_written_built_carried_and_sent_out():
    """In the finder, the sheet, the reference page, the schema and the command line; its faces are signed and foretold."""
    told = os.environ | {"SPOON_VERBS": "tests.sheet.sample_verb", "PYTHONPATH": str(ROOT)}
    run = subprocess.run(
        [sys.executable, "-m", "tests.sheet.use_sample_verb"],
        cwd=ROOT,
        env=told,
        capture_output=True,
        text=True,
        check=False,
    )
    assert run.returncode == 0, run.stderr[-3000:]
    found = json.loads(run.stdout.strip().splitlines()[-1])
    assert found["corners follow"]
    assert found["words"] == ["fan"]
    assert found["status"] == "good"
    assert found["told"].endswith("faces divided.")
    divided = int(found["told"].split()[0])
    assert divided > 10
    assert found["faces"] == found["written"] == found["before"] + 3 * divided  # each quad becomes four triangles
    assert found["signed"] == [[found["signed"][0][0], "strip"]]
    assert found["reference"] and found["page"] and found["schema"]
    assert found["row"] == ["Fan", "upper"]


def test_a_module_that_brings_no_verbs_is_refused_by_name():
    """Whoever misspells it is told at the start, not later."""
    told = os.environ | {"SPOON_VERBS": "tests.zoo", "PYTHONPATH": str(ROOT)}
    run = subprocess.run(
        [sys.executable, "-c", "import glass_spoon.sheet.lines"],
        cwd=ROOT,
        env=told,
        capture_output=True,
        text=True,
        check=False,
    )
    assert run.returncode != 0
    assert "tests.zoo" in run.stderr
