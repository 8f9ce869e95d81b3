"""Work of native libraries done apart: a fault, too much time or too much memory ends a worker, never this process."""

from __future__ import annotations

import os
import random
import re
import subprocess
import sys
import time
from collections import Counter
from dataclasses import replace
from pathlib import Path

import pytest

from glass_spoon.formats import apart_keeper, step
from glass_spoon.formats.apart import MEGABYTE, DiedApart, Keepers, RefusedApart, Task, TooLongApart, do_apart
from glass_spoon.formats.step import NamedSurfaces, UnreadableStep, read_step, write_step
from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet
from tests.zoo import cone, sphere

MODULE = "tests.formats.misbehave"
ROOT = Path(__file__).resolve().parents[2]


@pytest.fixture
def keepers(monkeypatch):
    """Keepers that may also run the module whose functions misbehave."""
    code = "from glass_spoon.formats import apart_keeper as k; k.MODULES += ('tests.formats.misbehave',); k.main()"
    real = subprocess.Popen

    def start(command, **options):
        return real([sys.executable, "-c", code], **options)

    monkeypatch.setattr("glass_spoon.formats.apart.subprocess.Popen", start)
    found = Keepers()
    yield found
    found.end()


def task(function: str, seconds: float = 30.0, memory: int = 400 * MEGABYTE) -> Task:
    """Return a task of the module that misbehaves."""
    return Task(MODULE, function, seconds, memory)


def test_a_value_comes_back(keepers) -> None:
    """Plain data goes and comes."""
    assert do_apart(task("twice"), ([1, "a"],), keepers) == [1, "a", 1, "a"]


def test_a_module_is_made_ready_once_for_all_workers(keepers) -> None:
    """In the keeper, before it forks: a worker that had to load what is compiled would take a second longer."""
    for _ in range(2):
        ready, keeper = do_apart(task("where_ready"), (), keepers)
        assert ready == keeper


def test_a_segmentation_fault_ends_the_worker_alone(keepers) -> None:
    """The keeper lives on and does the next task."""
    with pytest.raises(DiedApart):
        do_apart(task("segfault"), (), keepers)
    assert do_apart(task("twice"), ([2],), keepers) == [2, 2]


def test_work_without_end_is_ended(keepers) -> None:
    """At its limit of wall time, whether it sleeps or computes."""
    for function in ("sleep", "spin"):
        with pytest.raises(TooLongApart):
            do_apart(task(function, seconds=0.5), (), keepers)
    assert do_apart(task("twice"), ([3],), keepers) == [3, 3]


def test_memory_beyond_the_limit_is_refused(keepers) -> None:
    """The worker is told no, and nobody else notices."""
    with pytest.raises(DiedApart, match="memory"):
        do_apart(task("devour", memory=100 * MEGABYTE), (), keepers)


def test_a_refusal_carries_its_sentence(keepers) -> None:
    """What the work refuses in words reaches the caller in words."""
    with pytest.raises(RefusedApart, match=r"Choose another file\."):
        do_apart(task("refuse"), (), keepers)


def test_printing_does_not_disturb_the_answer(keepers) -> None:
    """Libraries print to standard output as they like."""
    assert do_apart(task("print_much"), (), keepers) == "done"


def test_a_keeper_that_was_killed_is_replaced(keepers) -> None:
    """Killing it while it works is told; the next task has a new one."""
    do_apart(task("twice"), ([1],), keepers)
    keepers._free[0].process.kill()
    keepers._free[0].process.wait()
    assert do_apart(task("twice"), ([4],), keepers) == [4, 4]


def test_modules_that_are_not_on_the_list_are_not_loaded() -> None:
    """A request cannot name any code."""
    with pytest.raises(DiedApart, match="not known"):
        do_apart(Task("os", "getcwd"), ())
    assert all(name.startswith("glass_spoon.formats.") for name in apart_keeper.MODULES)


def test_workers_end_with_whoever_started_them() -> None:
    """A process that is killed in the middle leaves none behind."""
    code = (
        "import sys, threading, time; sys.path.insert(0, '.');\n"
        "from glass_spoon.formats.step import write_step, NamedSurfaces\n"
        "from glass_spoon.formats.apart import KEEPERS\n"
        "from glass_spoon.kernel.surfaces.sets.surface_set import SurfaceSet\n"
        "from tests.zoo import sphere\n"
        "write_step([NamedSurfaces('a', SurfaceSet((sphere(3.0),)))])\n"
        "print(KEEPERS._free[0].process.pid, flush=True); time.sleep(60)\n"
    )
    process = subprocess.Popen([sys.executable, "-c", code], cwd=ROOT, stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None
    keeper = int(process.stdout.readline())
    process.kill()
    process.wait()
    process.stdout.close()
    for _ in range(200):
        if not Path(f"/proc/{keeper}").exists() or "Z" in Path(f"/proc/{keeper}/stat").read_text().split()[2]:
            break
        time.sleep(0.05)
    else:
        os.kill(keeper, 9)
        pytest.fail("The keeper lives on without whoever started it.")


def mutated(text: str, rng: random.Random) -> str:
    """Return a STEP file with a reference, a number, an entity or a piece of text changed."""
    numbers = re.findall(r"^#(\d+)", text, re.MULTILINE)
    kind = rng.randrange(6)
    if kind <= 2:
        found = rng.choice(list(re.finditer(r"(?<=[(,])#\d+", text)))
        return text[: found.start()] + "#" + rng.choice(numbers) + text[found.end() :]
    if kind == 3:
        found = rng.choice(list(re.finditer(r"-?\d+\.(?:\d+)?(?:E[-+]?\d+)?", text)))
        return text[: found.start()] + rng.choice(["1.E400", "-1.", "0.", "NaN", "$"]) + text[found.end() :]
    at, size = rng.randrange(200, len(text)), rng.randrange(1, 80)
    return text[:at] + ("" if kind == 4 else "\x00(*" * 3) + text[at + size :]


@pytest.mark.timeout(600)  # on a busy machine too
def test_no_mutated_step_file_ends_this_process(monkeypatch) -> None:
    """500 files that are nearly right: surfaces, or a sentence, and the reader answers a good file after them.

    Some of them keep the reader busy for ever; they are ended soon here, so that the whole stays short.
    """
    monkeypatch.setattr(step, "_READ", replace(step._READ, seconds=3.0))
    rng = random.Random(7)
    good = [write_step([NamedSurfaces("a", SurfaceSet((one,)))]).decode() for one in (sphere(3.0), cone(4.0, 5.0))]
    outcomes: Counter[str] = Counter()
    for number in range(500):
        data = mutated(good[number % 2], rng).encode()
        try:
            outcomes["read" if read_step(data).surfaces else "nothing"] += 1
        except UnreadableStep as error:
            assert str(error).endswith(".")
            outcomes["cannot bear" if "cannot bear" in str(error) else "refused"] += 1
    assert outcomes["cannot bear"] > 0, "none of them ended a worker, so nothing was shown"
    assert outcomes["read"] > 0
    assert read_step(good[0].encode()).surfaces


def test_what_a_file_holds_is_read_once(monkeypatch) -> None:
    """A second build asks no worker; a file that ends its reader is not tried again either."""
    data = write_step([NamedSurfaces("a", SurfaceSet((sphere(8.25),)))])
    first = read_step(data)
    broken = data.replace(b"CARTESIAN_POINT", b"CARTESIAN_PINT")
    with pytest.raises(UnreadableStep):
        read_step(broken)

    def fail(*args):
        raise AssertionError("a worker was asked again")

    monkeypatch.setattr(step, "do_apart", fail)
    assert read_step(data) is first
    with pytest.raises(UnreadableStep):
        read_step(broken)
