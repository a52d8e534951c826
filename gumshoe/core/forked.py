"""Work in a child with limits on time and memory, forked from a process that is kept ready.

What the work imports is imported once, in the process kept ready (a server of its own, with one thread); a child costs
some milliseconds after that. Between the two goes plain data, never objects. For systems that can fork.
"""

from __future__ import annotations

import atexit
import contextlib
import os
import signal
import socket
import subprocess
import sys
import threading
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]
WHOLE_MACHINE = 4
"""A child may take so many times its processor time, where others want the machine too; and START_S beyond."""
START_S = 60.0
_NUMBER = 8
"""Bytes of a number between the two."""


@dataclass(frozen=True)
class Limits:
    """``seconds`` of processor time; ``memory`` in bytes, beyond what the child has when it begins."""

    seconds: int
    memory: int


@dataclass(frozen=True)
class Ended:
    """What a child said, and how it ended: its exit code, or the signal that ended it as a negative number. None:
    it was given up."""

    said: bytes
    code: int | None


class KeptReady:
    """A process that runs ``python -m module SOCKET`` and answers there with ``serve``; started when first asked."""

    def __init__(self, module: str) -> None:
        self.module = module
        self._guard = threading.RLock()
        self._line: socket.socket | None = None
        self._process: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        """Make it ready, unless it is."""
        with self._guard:
            if self._line is None:
                self._begin()

    def ask(self, content: bytes, limits: Limits) -> Ended:
        """Have a child work on ``content``; waits for it."""
        mine, theirs = socket.socketpair()
        with mine:
            with theirs:
                self._hand_over(theirs)
            mine.settimeout(WHOLE_MACHINE * limits.seconds + START_S)
            try:
                head = b"".join(number.to_bytes(_NUMBER, "big") for number in (limits.seconds, limits.memory))
                with contextlib.suppress(BrokenPipeError, ConnectionResetError):  # it ended before it had read all
                    mine.sendall(head + content)
                    mine.shutdown(socket.SHUT_WR)
                said = bytearray()
                while more := mine.recv(1 << 20):
                    said += more
            except TimeoutError:
                return Ended(b"", None)
            except ConnectionResetError:
                return Ended(b"", -signal.SIGKILL)
        if len(said) < _NUMBER:
            return Ended(b"", -signal.SIGKILL)
        return Ended(bytes(said[:-_NUMBER]), int.from_bytes(said[-_NUMBER:], "big", signed=True))

    def _hand_over(self, line: socket.socket) -> None:
        """Give the process our line; a process that has died is started again, once."""
        with self._guard:
            if self._line is None:
                self._begin()
            assert self._line is not None
            try:
                socket.send_fds(self._line, [b"!"], [line.fileno()])
            except OSError:
                self.stop()
                self._begin()
                socket.send_fds(self._line, [b"!"], [line.fileno()])

    def _begin(self) -> None:
        ours, its = socket.socketpair()
        with its:
            self._process = subprocess.Popen(
                [sys.executable, "-m", self.module, str(its.fileno())],
                stdin=subprocess.DEVNULL,
                stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
                env=os.environ | {"OPENBLAS_NUM_THREADS": "1", "PYTHONPATH": str(ROOT)},
                cwd=ROOT,
                pass_fds=(its.fileno(),),
            )
        self._line = ours
        atexit.register(self.stop)

    def stop(self) -> None:
        """End it: it ends when our line does. It is started again when asked."""
        atexit.unregister(self.stop)
        with self._guard:
            if self._line is not None:
                self._line.close()
            if self._process is not None:
                with contextlib.suppress(subprocess.TimeoutExpired):
                    self._process.wait(START_S)
            self._line = self._process = None


def serve(number: int, work: Callable[[bytes], tuple[int, bytes]]) -> None:
    """In the process kept ready: a child for every line that comes on socket ``number``, until that closes. ``work``
    gives an exit code and what is said."""
    signal.signal(signal.SIGCHLD, signal.SIG_IGN)  # nobody waits for them here
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl-C is for who started us
    with socket.socket(fileno=number) as asked:
        while True:
            said, lines, *_ = socket.recv_fds(asked, 1, 1)
            if not said:
                return
            if os.fork() == 0:
                asked.close()
                with socket.socket(fileno=lines[0]) as line:
                    _watch(line, work)
                os._exit(0)
            os.close(lines[0])


def _watch(line: socket.socket, work: Callable[[bytes], tuple[int, bytes]]) -> None:
    """Wait for a child, and say how it ended after what it said."""
    signal.signal(signal.SIGCHLD, signal.SIG_DFL)
    child = os.fork()
    if child == 0:
        code = 1
        try:
            code = _work(line, work)
        finally:
            os._exit(code)
    _, status = os.waitpid(child, 0)
    with contextlib.suppress(OSError):
        line.sendall(os.waitstatus_to_exitcode(status).to_bytes(_NUMBER, "big", signed=True))


def _work(line: socket.socket, work: Callable[[bytes], tuple[int, bytes]]) -> int:
    with line.makefile("rb") as asked:
        seconds, memory = (int.from_bytes(asked.read(_NUMBER), "big") for _ in range(2))
        bound(Limits(seconds, memory))
        code, said = work(asked.read())
    line.sendall(said)
    return code


def bound(limits: Limits) -> None:
    """Bound this process. Where the system cannot, only the patience of who waits is left."""
    with contextlib.suppress(ImportError, OSError, ValueError):
        import resource

        resource.setrlimit(resource.RLIMIT_CPU, (limits.seconds, limits.seconds + 2))
    bound_memory(limits.memory)


def bound_memory(memory: int) -> None:
    """Bound the memory of this process alone: so many bytes beyond what it has."""
    with contextlib.suppress(ImportError, OSError, ValueError):
        import resource

        pages = int(Path("/proc/self/statm").read_text(encoding="ascii").split()[0])
        most = pages * resource.getpagesize() + memory
        resource.setrlimit(resource.RLIMIT_AS, (most, most))
