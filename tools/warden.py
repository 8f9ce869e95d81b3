"""Stops what a launcher started when the launcher is gone, however it ended.

The launcher holds one end of a pipe; when it closes, the warden ends the processes that it was told of and stops the
cluster. A database server leaves its parent on purpose, so that signals to the launcher's children would not be enough.
"""

from __future__ import annotations

import fcntl
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

GRACE = 10.0
"""Seconds that a process has to end by itself."""


class Warden:
    """The launcher's side: a process beside it that is told what was started."""

    def __init__(self, lock: Path) -> None:
        """Start the process, out of reach of the signals of a terminal, once the one before has done its work.

        lock: a file that a warden holds as long as it lives: whoever starts anew must not meet a cluster that is
        being stopped.
        """
        with lock.open("w") as held:
            fcntl.flock(held, fcntl.LOCK_EX)
        command = [sys.executable, str(Path(__file__).resolve()), str(lock)]
        self.process = subprocess.Popen(command, stdin=subprocess.PIPE, start_new_session=True)

    def tell(self, *words: str) -> None:
        """Say what is to be stopped: `process` and a number, `stop` and a command for the database server."""
        assert self.process.stdin is not None
        self.process.stdin.write(("\t".join(words) + "\n").encode())
        self.process.stdin.flush()

    def dismiss(self) -> None:
        """Say that all is stopped already."""
        try:
            self.tell("done")
            assert self.process.stdin is not None
            self.process.stdin.close()
        except OSError:
            pass
        self.process.wait()


def main() -> None:
    """Listen until the launcher is gone, then stop what is left."""
    for name in (signal.SIGINT, signal.SIGHUP, signal.SIGTERM):
        signal.signal(name, signal.SIG_IGN)
    held = Path(sys.argv[1]).open("w")  # noqa: SIM115  (held until the process ends)
    fcntl.flock(held, fcntl.LOCK_EX)
    processes: list[int] = []
    commands: list[list[str]] = []
    for line in sys.stdin:
        word, *rest = line.rstrip("\n").split("\t")
        if word == "done":
            return
        if word == "process":
            processes.append(int(rest[0]))
        elif word == "stop":
            commands.append(rest)
    for number in processes:
        _end(number)
    for command in commands:
        subprocess.run(command, cwd="/", capture_output=True)


def _end(number: int) -> None:
    """End a process group, kindly first."""
    for name in (signal.SIGTERM, signal.SIGKILL):
        try:
            os.killpg(number, name)
        except ProcessLookupError:
            return
        until = time.monotonic() + GRACE
        while time.monotonic() < until:
            try:
                os.killpg(number, 0)
            except ProcessLookupError:
                return
            time.sleep(0.1)


if __name__ == "__main__":
    main()
