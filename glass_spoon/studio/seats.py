"""Server processes that share a port and keep each part in one of them, so that what is remembered of it is at hand.

The system deals connections out by chance, and an edit whose part another process knows costs nearly twice as much there
(measured with fifty people: 84 ms against 46). So a process looks at the first line of a request without taking it; where
that names a part whose seat is another process, the connection itself goes there, over a socket of the file system.
With one process, or where the other does not answer, a request is served where it came in.
"""

from __future__ import annotations

import os
import re
import selectors
import socket
import struct
from concurrent.futures import Future
from pathlib import Path
from typing import Any

from gunicorn.workers.gthread import TConn, ThreadWorker

SEAT, SEATS, FOLDER = "SERVER_SEAT", "SERVER_SEATS", "SERVER_FOLDER"
"""Names in the environment: number of this process from 0, number of processes, folder of their sockets."""

PATIENCE = 5.0
"""Seconds that a new connection may take to send its first bytes before it waits without a thread."""

_PART = re.compile(rb"^[A-Z]+ /parts/(\d{1,18})/")
_LOOK = 256
"""Bytes of a request that are looked at."""


def part_in(start: bytes) -> int | None:
    """Return the number of the part that the first line of a request names, None for none."""
    found = _PART.match(start)
    return int(found[1]) if found else None


class SeatWorker(ThreadWorker):
    """A gunicorn worker with threads that hands connections to the process which knows their part."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        """Read from the environment which of how many this is."""
        super().__init__(*args, **kwargs)
        self._seat, self._seats = int(os.environ.get(SEAT, "0")), int(os.environ.get(SEATS, "1"))
        self._folder = Path(os.environ.get(FOLDER, "."))
        self._desk: socket.socket | None = None
        self._sender: socket.socket | None = None

    def run(self) -> None:
        """Serve until the end, with a desk at which others leave connections."""
        if self._seats > 1:
            self._desk = socket.socket(socket.AF_UNIX, socket.SOCK_DGRAM)
            self._desk.settimeout(0.0)
            self._address(self._seat).unlink(missing_ok=True)
            self._desk.bind(str(self._address(self._seat)))
            self._sender = socket.socket(socket.AF_UNIX, socket.SOCK_DGRAM)
            self._sender.settimeout(0.0)
            self.poller.register(self._desk, selectors.EVENT_READ, self._take)
        try:
            super().run()
        finally:
            if self._desk is not None:
                self._desk.close()

    def _address(self, seat: int) -> Path:
        """Return where the desk of a process stands."""
        return self._folder / f"seat-{seat}"

    def _take(self, desk: socket.socket) -> None:
        """Take a connection that another process left."""
        try:
            _, numbers, _, _ = socket.recv_fds(desk, 1, 8)
        except BlockingIOError:
            return
        for number in numbers:
            client = socket.socket(fileno=number)
            try:
                names = client.getpeername(), client.getsockname()
            except OSError:  # it was closed on the way
                client.close()
                continue
            conn = TConn(self.cfg, client, *names)
            conn.data_ready = True
            self.nr_conns += 1
            self.enqueue_req(conn)

    def handle(self, conn: Any) -> Any:
        """Serve a request, or hand its connection on."""
        if self._sender is None or conn.is_http2:
            return super().handle(conn)
        ready = conn.initialized or conn.data_ready or conn.wait_for_data(PATIENCE)
        if ready and self._handed_on(conn):
            conn.handed_on = True
            return False
        return super().handle(conn)

    def _handed_on(self, conn: Any) -> bool:
        """Give a connection to the process that knows the part it asks for; says whether that was done."""
        if self._sender is None:
            return False
        try:
            part = part_in(conn.sock.recv(_LOOK, socket.MSG_PEEK))
            if part is None or part % self._seats == self._seat:
                return False
            handle = struct.pack("i", conn.sock.fileno())
            rights = [(socket.SOL_SOCKET, socket.SCM_RIGHTS, handle)]
            self._sender.sendmsg([b"c"], rights, 0, str(self._address(part % self._seats)))
        except OSError:  # nothing came, or the other does not answer: it is served here
            return False
        return True

    def finish_request(self, conn: Any, fs: Future[Any]) -> None:
        """Put a connection back, or let go of one that was handed on: closed here only, not for who has it now."""
        if getattr(conn, "handed_on", False):
            self.nr_conns -= 1
            conn.sock.close()
            return
        super().finish_request(conn, fs)
